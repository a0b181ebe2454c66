"""The desk: everything that an open job needs. Built after the empty window is painted, so that it opens at once."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from woad.app.backing import Backing
from woad.app.bench import BenchBar
from woad.app.jobs import Checker, Looker, Reporter, Squarer, Writer
from woad.app.message import MessageBar
from woad.app.opening import Opener
from woad.app.panels.base import StepPanel
from woad.app.panels.edge import EdgePanel
from woad.app.panels.editions import EditionsPanel
from woad.app.panels.ink import InkPanel
from woad.app.panels.knockout import KnockoutPanel
from woad.app.panels.paper import PaperPanel
from woad.app.panels.scan import ScanPanel
from woad.app.panels.spotting import SpottingPanel
from woad.app.panels.square import SquarePanel
from woad.app.panels.stack import PanelStack
from woad.app.pile import Pile
from woad.app.resting import Keeper
from woad.app.session import Session
from woad.app.statusline import StatusLine
from woad.app.view.before_view import BeforeView
from woad.app.view.sheet_view import SheetView
from woad.app.viewbar import ViewBar
from woad.app.watch import FolderWatch
from woad.app.worker import Lane, Result
from woad.core.render.region import Spot, read_spot, step_pyramid


class Desk(QWidget):
    """Bench, pile, view, step panel and bottom line around one session."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session = Session(self)
        # The view hears of every change first, and what else is drawn or counted of it waits for the view.
        self.view = SheetView(session)
        first = self.view.lane
        self.before = BeforeView(self.view)
        self.opener, self.checker, self.writer = Opener(session), Checker(session, first), Writer(session)
        self.squarer, self.reporter = Squarer(session), Reporter(session)
        self.watch = FolderWatch(self)
        self.spot_lane = Lane("spot", self)
        self.backing = Backing(session, self)
        self.bench, self.pile = BenchBar(session, first), Pile(session, first)
        self.looker = Looker(session, [first, self.bench.lane, self.pile.lane])
        self.keeper = Keeper(session, self.pile)
        self.viewbar, self.status, self.messages = ViewBar(session), StatusLine(), MessageBar()
        self.editions = EditionsPanel(session)
        kinds: dict[str, Callable[[Session], StepPanel]] = {
            "scan": ScanPanel, "square": SquarePanel, "paper": PaperPanel, "ink": InkPanel,
            "spotting": SpottingPanel, "knockout": KnockoutPanel, "edge": EdgePanel,
            "editions": lambda _: self.editions,
        }  # fmt: skip
        self.panels = PanelStack(session, kinds, self)
        self._lay_out()
        self.status.stop_asked.connect(self.writer.stop)
        self.writer.progress.connect(
            lambda name, share: self.status.show_work(self.tr("Writing {0}").format(name), share, True)
        )
        self.view.zoom_changed.connect(self.viewbar.show_zoom)
        self.view.pointer_at.connect(self._pointer)

    def _lay_out(self) -> None:
        """From the outside in: whatever moves into another widget is styled anew with all that it holds."""
        whole, row, column, both = QVBoxLayout(self), QHBoxLayout(), QGridLayout(), QHBoxLayout()
        middle, centre = QWidget(self), QWidget(self)
        whole.addWidget(self.bench)
        whole.addWidget(middle, 1)
        whole.addWidget(self.status)
        middle.setLayout(row)
        row.addWidget(self.pile)
        row.addWidget(centre, 1)
        row.addWidget(self.panels)
        centre.setLayout(column)
        column.addWidget(self.viewbar, 0, 0)
        column.addLayout(both, 1, 0)
        both.addWidget(self.before, 1)
        both.addWidget(self.view, 1)
        column.setRowStretch(1, 1)
        # Over the view, so that the sheet stays where it is under the hand that works on it.
        column.addWidget(self.messages, 1, 0, Qt.AlignmentFlag.AlignTop)
        self.messages.raise_()
        for layout in (column, both, row, whole):
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(0)

    def refresh(self) -> None:
        """Show the step's panel and what is under way."""
        session, entry = self.session, self.session.entry
        self.panels.show_step(session.step)
        if entry is not None and self.writer.under_way == 0:
            waiting = sum(1 for e in session.entries if e.coming or (e is entry and e.rests))
            self.status.show_work(self.tr("Opening {0}").format(waiting) if waiting else self._watching(), None, False)

    def _watching(self) -> str:
        folder = self.watch.folder
        return "" if folder is None else self.tr("Watching {0}").format(folder.name)

    def _pointer(self, at: tuple[float, float] | None) -> None:
        entry, docket = self.session.entry, self.session.docket
        if at is None or entry is None or entry.sheet is None or docket is None:
            self.status.clear_spot()
            return
        sheet, step, cache = entry.sheet, self.session.shown_step, entry.cache
        # Read at the level that is shown: the figures then belong to what the eye sees.
        frame = self.view.frame
        level = 0
        if frame is not None:
            level = min(max(round(-_log2(frame.view.zoom * sheet.scale)), 0), sheet.pyramid.deepest)
        px = sheet.scale * (1 << level)
        w, h = step_pyramid(sheet, docket, step).size(level)
        x, y = min(int(at[0] / px), w - 1), min(int(at[1] / px), h - 1)

        def arrived(result: Result) -> None:
            if isinstance(result.value, Spot):
                self.status.show_spot(at[0], at[1], sheet.ppi, result.value)

        self.spot_lane.submit(lambda: read_spot(sheet, docket, step, level, x, y, cache), arrived)

    def lanes(self) -> list[Lane]:
        """Every thread at work."""
        return [self.view.lane, self.bench.lane, self.pile.lane, self.opener.lane, self.checker.lane, self.writer.lane,
                self.before.lane, self.spot_lane, self.backing.lane, self.squarer.lane, self.reporter.lane,
                self.looker.lane]  # fmt: skip


def _log2(value: float) -> float:
    from math import log2

    return log2(max(value, 1e-9))
