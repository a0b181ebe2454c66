"""Knock-out: paper becomes transparency."""

from __future__ import annotations

from woad.app.panels.base import StepPanel
from woad.app.session import Entry, Session
from woad.app.widgets.controls import Choice
from woad.core.docket.media import starting_docket
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
        self.body_row = self.add_row(
            "knockout.body", lambda d, e: (d.knockout.body, starting_docket(d.medium).knockout.body)
        )
        self.add_section(self.tr("Check"))
        self.lost, self.lost_count = self.add_overlay(
            "lost", self.tr("Lost strokes"), "madder", self.tr("Marks that these settings drop, shown in red (L)")
        )
        self.kept, self.kept_count = self.add_overlay(
            "kept", self.tr("Kept paper"), "weld", self.tr("Paper that is not yet gone, shown in yellow (K)")
        )
        self.taken = self.add_reading(self.tr("Taken as"))

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
        self.body_row.setVisible(not one_ink)
        checks = entry.checks
        self.lost_count.setText("…" if checks is None else f"{checks.lost} · {checks.lost_share:.1%}")
        self.kept_count.setText("…" if checks is None else f"{checks.kept_share:.1%}")
