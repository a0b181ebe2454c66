"""Knock-out: paper becomes transparency."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QPushButton

from woad.app import handwork
from woad.app.entry import Entry
from woad.app.panels.base import StepPanel
from woad.app.panels.brush import BrushRows
from woad.app.session import Session
from woad.app.widgets.controls import Choice
from woad.app.widgets.setting_row import SettingRow
from woad.core.docket.catalogue import Setting
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.render.recipe import make_recipe

_REACH = Setting("tone.reach", "Reach", 2, 160, "", 1, "How far from the picked tone still counts, steps of 255.")


class KnockoutPanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "knockout", "Knock-out",
            "Turns paper into transparency and takes the paper's colour out of edge pixels.", True,
        )  # fmt: skip
        self.colour = Choice(
            (("auto", self.tr("By itself")), ("one ink", self.tr("One ink")), ("keep", self.tr("Keep"))), self
        )
        self.colour.chosen.connect(lambda value: session.change("knockout.colour", value, self.tr("Colour")))
        self.add_named(self.tr("Colour"), self.colour)
        self.add_row("knockout.clearing", self._clearing)
        self.add_row("knockout.softness", self._softness)
        self.body_row = self.add_row(
            "knockout.body", lambda d, e: (d.knockout.body, starting_docket(d.medium).knockout.body)
        )
        self.see_through = QCheckBox(self.tr("See-through whites"), self)
        self.see_through.setToolTip(
            self.tr("Paper that marks enclose goes too; without it only paper reached from outside")
        )
        self.see_through.clicked.connect(
            lambda on: session.change("knockout.see_through", on, self.tr("See-through whites"))
        )
        self.body.addWidget(self.see_through, 0, Qt.AlignmentFlag.AlignLeft)
        self.gap = self.add_row("knockout.gap_mm", lambda d, e: (d.knockout.gap_mm, 0.4))
        self.add_section(self.tr("By hand"))
        self.add_tools((
            ("keep", "shield", self.tr("Keep"), self.tr("Brush what must stay, paper too")),
            ("remove", "eraser", self.tr("Remove"), self.tr("Brush what must go")),
            ("remove-paper", "file-minus", self.tr("Remove paper"), self.tr("Brush: only what looks like paper goes")),
            ("tone", "pipette", self.tr("Remove a tone"), self.tr("Click a tone that must go, then the next one")),
            ("subject", "circle-dashed", self.tr("Circle subject"), self.tr("Circle roughly: only what is inside is kept")),
            ("move-art", "move", self.tr("Move the art"), self.tr("Drag the art on the picture behind it")),
        ))  # fmt: skip
        self.brush = BrushRows(session, "knockout", self)
        self.body.addWidget(self.brush)
        self._tones()
        self.add_section(self.tr("Check"))
        self.lost, self.lost_count = self.add_overlay(
            "lost", self.tr("Lost strokes"), "madder", self.tr("Marks that these settings drop, shown in red (L)")
        )
        self.kept, self.kept_count = self.add_overlay(
            "kept", self.tr("Kept paper"), "weld", self.tr("Paper that is not yet gone, shown in yellow (K)")
        )
        self.fringe, self.fringe_share = self.add_overlay(
            "fringe",
            self.tr("Fringe"),
            "madder",
            self.tr("Edge pixels lighter or darker than any mixture of mark and ground"),
        )
        self.taken = self.add_reading(self.tr("Taken as"))

    def _tones(self) -> None:
        session = self.session
        self.reach = SettingRow(_REACH, self)
        self.reach.changed.connect(self._reached)
        self.body.addWidget(self.reach)
        self.together = QCheckBox(self.tr("Only what hangs together with it"), self)
        self.together.clicked.connect(self._hangs)
        self.body.addWidget(self.together, 0, Qt.AlignmentFlag.AlignLeft)
        self.tones, self.tone_count = self.add_overlay(
            "tones", self.tr("Tones removed"), "weld", self.tr("What the picked tones reach, shown in yellow")
        )
        self.last_tone = QPushButton(self.tr("Take the last tone away"), self)
        self.last_tone.clicked.connect(
            lambda: session.change("knockout.tones", (session.docket.knockout.tones if session.docket else ())[:-1],
                                   self.tr("Remove a tone"))
        )  # fmt: skip
        self.body.addWidget(self.last_tone)
        self.whole = QPushButton(self.tr("Keep the whole sheet again"), self)
        self.whole.clicked.connect(lambda: session.change("knockout.subject", (), self.tr("Circle the subject")))
        self.body.addWidget(self.whole)
        self._tone_gesture: int | None = None

    def _reached(self, value: float | None, finished: bool) -> None:
        value = 24.0 if value is None else value
        self.session.look(tone_reach=value)
        if self._tone_gesture is None:
            self._tone_gesture = self.session.new_gesture()
        handwork.change_tone(self.session, self._tone_gesture, reach=value)
        if finished:
            self._tone_gesture = None

    def _hangs(self, on: bool) -> None:
        self.session.look(tone_together=on)
        handwork.change_tone(self.session, together=on)

    def _clearing(self, docket: Docket, entry: Entry) -> tuple[float, float]:
        assert entry.sheet is not None
        own = entry.sheet.readings.clearing
        return (own if docket.knockout.clearing is None else docket.knockout.clearing), own

    def _softness(self, docket: Docket, entry: Entry) -> tuple[float, float]:
        own = self._clearing(docket, entry)[0] * 0.5
        return (own if docket.knockout.softness is None else docket.knockout.softness), own

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        knockout = docket.knockout
        self.colour.show_value(knockout.colour)
        one_ink = make_recipe(docket, entry.sheet.readings).one_ink
        self.taken.show_text(self.tr("one ink") if one_ink else self.tr("colour"))
        self.body_row.setVisible(not one_ink)
        self.see_through.setChecked(knockout.see_through)
        self.see_through.setEnabled(knockout.on)
        self.gap.setVisible(not knockout.see_through)
        self.tools["move-art"].setVisible(self.session.backing == "picture")
        tone = knockout.tones[-1] if knockout.tones else None
        picking = self.session.tool == "tone" or tone is not None
        for widget in (self.reach, self.together):
            widget.setVisible(picking)
        self.reach.show_value(self.session.tone_reach if tone is None else tone.reach, 24)
        self.together.setChecked(self.session.tone_together if tone is None else tone.together)
        self.last_tone.setVisible(tone is not None)
        self.tones.setVisible(tone is not None)
        self.tone_count.setText(str(len(knockout.tones)) if knockout.tones else "")
        self.whole.setVisible(bool(knockout.subject))
        self.brush.refresh()
        checks = entry.checks
        self.lost_count.setText("…" if checks is None else f"{checks.lost} · {checks.lost_share:.1%}")
        self.kept_count.setText("…" if checks is None else f"{checks.kept_share:.1%}")
        edges = None if checks is None else checks.edges
        self.fringe_share.setText("…" if edges is None else f"{edges.fringe:.1%}")
