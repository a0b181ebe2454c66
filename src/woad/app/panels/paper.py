"""Paper: even, white and neutral."""

from __future__ import annotations

from woad.app.panels.base import StepPanel
from woad.app.panels.tones import BoundPlot
from woad.app.readings import cast_text, paper_after, trouble
from woad.app.session import Entry, Session
from woad.core.docket.model import Docket


class PaperPanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "paper", "Paper", "Takes out uneven light and the paper's tone, and leaves the marks alone.", True
        )
        self.plot = BoundPlot(self)
        self.body.addWidget(self.plot)
        self.add_row("paper.evening", lambda d, e: (d.paper.evening, 1.0))
        self.add_row("paper.grain", lambda d, e: (d.paper.grain, 0.0))
        self.add_section(self.tr("Check"))
        self.before = self.add_reading(self.tr("Paper on the scan"))
        self.cast = self.add_reading(self.tr("Cast on the scan"))
        self.after = self.add_reading(self.tr("Paper now"))
        self.noise = self.add_reading(self.tr("Paper's noise ends at"))
        self.share = self.add_reading(self.tr("Bare paper"))
        self.doubt = self.add_reading("")

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        r = entry.sheet.readings
        self.plot.show_entry(entry, docket)
        self.before.show_text(f"L* {r.paper_lightness:.1f}")
        self.cast.show_text(cast_text(r.paper_rgb))
        self.after.show_text(f"L* {paper_after(entry):.1f}")
        self.noise.show_text(f"D {r.clearing:.3f}")
        self.share.show_text(f"{r.paper_share:.0%}")
        self.doubt.name.setText(trouble(entry, "paper"))
        self.doubt.name.setWordWrap(True)
