"""Knock-out: paper becomes transparency."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel

from woad.app.panels.base import StepPanel
from woad.app.session import Entry, Session
from woad.app.widgets.controls import Choice
from woad.core.docket.model import Docket
from woad.core.render.recipe import make_recipe


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
        self.add_section(self.tr("Check"))
        self.lost, self.lost_count = self._overlay("lost", self.tr("Lost strokes"), "madder")
        self.lost.setToolTip(self.tr("Marks that these settings drop, shown in red"))
        self.kept, self.kept_count = self._overlay("kept", self.tr("Kept paper"), "weld")
        self.kept.setToolTip(self.tr("Paper that is not yet gone, shown in yellow"))
        self.taken = self.add_reading(self.tr("Taken as"))

    def _overlay(self, name: str, text: str, role: str) -> tuple[QCheckBox, QLabel]:
        row = QHBoxLayout()
        box = QCheckBox(text, self)
        box.setProperty("role", role)
        box.toggled.connect(lambda on: self.session.toggle_overlay(name, on))
        count = QLabel("", self)
        count.setProperty("role", "reading")
        row.addWidget(box)
        row.addStretch(1)
        row.addWidget(count)
        self.body.addLayout(row)
        return box, count

    def _clearing(self, docket: Docket, entry: Entry) -> tuple[float, float]:
        assert entry.sheet is not None
        own = entry.sheet.readings.clearing
        return (own if docket.knockout.clearing is None else docket.knockout.clearing), own

    def _softness(self, docket: Docket, entry: Entry) -> tuple[float, float]:
        own = self._clearing(docket, entry)[0] * 0.5
        return (own if docket.knockout.softness is None else docket.knockout.softness), own

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        self.colour.show_value(docket.knockout.colour)
        one_ink = make_recipe(docket, entry.sheet.readings).one_ink
        self.taken.show_text(self.tr("one ink") if one_ink else self.tr("colour"))
        for box, name in ((self.lost, "lost"), (self.kept, "kept")):
            box.blockSignals(True)
            box.setChecked(name in self.session.overlays)
            box.blockSignals(False)
        checks = entry.checks
        self.lost_count.setText("…" if checks is None else f"{checks.lost} · {checks.lost_share:.1%}")
        self.kept_count.setText("…" if checks is None else f"{checks.kept_share:.1%}")
