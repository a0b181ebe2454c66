"""Paper: even, white and neutral."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton

from woad.app import handwork
from woad.app.entry import Entry
from woad.app.panels.base import StepPanel
from woad.app.panels.brush import BrushRows
from woad.app.panels.tones import BoundPlot
from woad.app.readings import cast_text, paper_after, ruling_text, trouble
from woad.app.session import Session
from woad.app.widgets.controls import Choice
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.render.recipe import blotches_of, is_neutral, make_recipe


class PaperPanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "paper", "Paper", "Takes out uneven light and the paper's tone, and leaves the marks alone.", True
        )
        self.plot = BoundPlot(self)
        self.body.addWidget(self.plot)
        self.add_row("paper.evening", lambda d, e: (d.paper.evening, 1.0))
        self.add_row("paper.grain", lambda d, e: (d.paper.grain, 0.0))
        self.blotches = self.add_row("paper.blotches", _blotches)
        self.neutral = Choice((("auto", self.tr("By itself")), ("on", self.tr("On")), ("off", self.tr("Off"))), self)
        self.neutral.chosen.connect(lambda value: session.change("paper.neutral", value, self.tr("Neutral")))
        self.neutral.setToolTip(
            self.tr("Takes all hue out of the marks; by itself only where they have none to speak of")
        )
        self.add_named(self.tr("Neutral"), self.neutral)
        self.ground = Choice(
            (("auto", self.tr("By itself")), ("light", self.tr("Light")), ("dark", self.tr("Dark"))), self
        )
        self.ground.chosen.connect(lambda value: session.change("paper.ground", value, self.tr("Paper is")))
        self.ground.setToolTip(self.tr("Dark paper goes, and the light marks on it stay"))
        self.add_named(self.tr("Paper is"), self.ground)
        self.ruling = Choice(((True, self.tr("Taken off")), (False, self.tr("Kept"))), self)
        self.ruling.chosen.connect(lambda value: session.change("paper.ruling", value, self.tr("Ruling")))
        self.ruling.setToolTip(
            self.tr("Lines, squares or dots that are printed on the paper, and its margin, beside marks and under them")
        )
        self.ruling_label = self.add_named(self.tr("Ruling"), self.ruling)
        self.add_section(self.tr("By hand"))
        self.border = QPushButton(self.tr("Border is paper"), self)
        self.border.setToolTip(
            self.tr("For sheets that hardly show bare paper elsewhere: takes places along their border")
        )
        self.border.clicked.connect(lambda: handwork.take_border(session))
        self.add_tools((
            ("paper-place", "map-pin", self.tr("This is paper"), self.tr("Click places that are bare paper (V)")),
            ("lighten", "sun", self.tr("Lighten"), self.tr("Brush what is left of a shadow away (H)")),
            ("darken", "moon", self.tr("Darken"), self.tr("Brush marks darker; bare paper stays bare (J)")),
        ), self.border)  # fmt: skip
        self.brush = BrushRows(session, "paper", self)
        self.body.addWidget(self.brush)
        self.add_section(self.tr("Check"))
        self.light, self.uneven = self.add_overlay(
            "light", self.tr("Light found"), "woad", self.tr("Where less light fell, with a line for every 5 % (E)")
        )
        self.before = self.add_reading(self.tr("Paper on the scan"))
        self.cast = self.add_reading(self.tr("Cast on the scan"))
        self.after = self.add_reading(self.tr("Paper now"))
        self.noise = self.add_reading(self.tr("Paper's noise ends at"))
        self.share = self.add_reading(self.tr("Bare paper"))
        self.printed = self.add_reading(self.tr("Printed on it"))
        self.behind = self.add_reading(self.tr("Shows through"))
        self.doubt, self.shadow = self.add_reading(""), self.add_reading("")
        for line in (self.doubt, self.shadow):
            line.name.setWordWrap(True)

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        r = entry.sheet.readings
        self.plot.show_entry(entry, docket)
        one_ink = make_recipe(docket, r).one_ink
        self.blotches.setVisible(one_ink)
        self.neutral.show_value(docket.paper.neutral)
        self.neutral.setEnabled(docket.paper.on)
        by_itself = self.tr("By itself: on") if not one_ink and is_neutral(docket, r) else self.tr("By itself")
        self.neutral.button("auto").setText(by_itself if docket.paper.neutral == "auto" else self.tr("By itself"))
        self.ground.show_value(docket.paper.ground)
        found = self.tr("It is dark") if docket.paper.ground == "auto" and r.negative else self.tr("By itself")
        self.ground.button("auto").setText(found)
        self.ruling.show_value(docket.paper.ruling)
        self.ruling.setEnabled(docket.paper.on)
        self.printed.show_text("" if r.ruling is None else ruling_text(r.ruling, entry.sheet.ppi))
        for widget in (self.ruling, self.ruling_label, self.printed):
            widget.setVisible(r.ruling is not None)
        self.behind.show_text(f"up to {r.reverse:.0%} of full ink")
        self.behind.setVisible(r.reverse > 0)
        self.brush.refresh()
        self.uneven.setText(f"{1 - 1 / max(r.unevenness, 1):.0%} uneven")
        self.before.show_text(f"L* {r.seen_paper_lightness:.1f}")
        self.cast.show_text(cast_text(r.seen_paper_rgb))
        self.after.show_text(f"L* {paper_after(entry):.1f}")
        self.noise.show_text(f"D {r.clearing:.3f}")
        self.share.show_text(f"{r.paper_share:.0%}")
        for line, text in ((self.doubt, trouble(entry, "paper")), (self.shadow, self._shadow_text(entry))):
            line.name.setText(text)
            line.setVisible(bool(text))
        self.border.setEnabled(docket.paper.on)

    def _shadow_text(self, entry: Entry) -> str:
        """What evening cannot do about a hard-edged shadow."""
        fault = None if entry.report is None else entry.report.fault("shadow")
        if fault is None:
            return ""
        return self.tr(
            "A shadow with a hard edge takes {0:.0f} % of the light. Both sides of it are evened; along its edge a narrow "
            "band can stay dark or light. Brush it with Lighten, or scan anew."
        ).format(fault.number)


def _blotches(docket: Docket, entry: Entry) -> tuple[float, float]:
    """The value in force, and where the medium, or what was read of this sheet, puts it."""
    assert entry.sheet is not None
    readings = entry.sheet.readings
    return blotches_of(docket, readings), blotches_of(starting_docket(docket.medium), readings)
