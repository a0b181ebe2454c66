"""Edge: edges moved by a hair, evened, crisper or softer."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox

from woad.app.entry import Entry
from woad.app.panels.base import StepPanel
from woad.app.panels.brush import BrushRows
from woad.app.session import Session
from woad.app.widgets.controls import Choice
from woad.core.docket.model import Docket


class EdgePanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "edge", "Edge", "Trims edges by a hair, or lets them grow; evens bumps. Judge it at 300 %.", True
        )
        self.move_row = self.add_row("edge.move", lambda d, e: (d.edge.move, 0.0))
        self.unit = Choice((("px", "px"), ("mm", "mm")), self)
        self.unit.chosen.connect(lambda value: session.change("edge.unit", value, self.tr("Unit")))
        self.add_named(self.tr("Measured in"), self.unit)
        self.thin = QCheckBox(self.tr("Keep thin parts"), self)
        self.thin.setToolTip(self.tr("Nothing that is thinner than the choke vanishes"))
        self.thin.clicked.connect(lambda on: session.change("edge.thin", on, self.tr("Keep thin parts")))
        self.body.addWidget(self.thin)
        self.add_row("edge.smooth", lambda d, e: (d.edge.smooth, 0.0))
        self.add_row("edge.crispness", lambda d, e: (d.edge.crispness, 0.0))
        self.add_section(self.tr("By hand"))
        self.add_tools((
            ("give-back", "undo-dot", self.tr("Give back"), self.tr("Brush where the edge should stay as it was")),
            ("take-away", "scissors", self.tr("Take away"), self.tr("Brush where the edge should be trimmed more")),
        ))  # fmt: skip
        self.brush = BrushRows(session, "edge", self)
        self.body.addWidget(self.brush)
        self.add_section(self.tr("Check"))
        self.lost, self.lost_count = self.add_overlay(
            "edge-lost", self.tr("Parts lost"), "madder", self.tr("Parts that the choke takes as a whole, shown in red")
        )
        self.fringe, self.fringe_share = self.add_overlay(
            "fringe",
            self.tr("Fringe"),
            "madder",
            self.tr("Edge pixels lighter or darker than their mark, shown in red"),
        )
        self.moved = self.add_reading(self.tr("Mean edge move"))
        self.wide = self.add_reading(self.tr("Edge width"))

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        edge = docket.edge
        self.unit.show_value(edge.unit)
        self.unit.setEnabled(edge.on)
        self.move_row.unit.setText(edge.unit)
        self.thin.setChecked(edge.thin)
        self.thin.setEnabled(edge.on)
        self.brush.refresh()
        edges = None if entry.checks is None else entry.checks.edges
        if edges is None:
            for label in (self.lost_count, self.fringe_share):
                label.setText("…")
            return
        self.lost_count.setText(str(edges.lost))
        self.fringe_share.setText(f"{edges.fringe:.1%}")
        self.moved.show_text(f"{edges.move_px:+.2f} px")
        self.wide.show_text(f"{edges.width_px:.1f} px" if edges.width_px else "–")
