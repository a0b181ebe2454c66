"""Sheets that nobody has looked at for long rest, so that a pile of any height fits into memory."""

from __future__ import annotations

import os

from PySide6.QtCore import QObject

from woad.app.entry import Entry
from woad.app.pile import Pile
from woad.app.session import Session

_SHARE = 8  # of the machine's memory; half of the rest may be others'
_LEAST = 500 << 20


def _room() -> int:
    """How many bytes the sheets of a pile may take on this machine."""
    return max(os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // _SHARE, _LEAST)


class Keeper(QObject):
    """Lets go of the pixels of the sheets that were looked at longest ago, once those of the pile take more than ``room``
    bytes. What a sheet shows without them, its thumbnail and its report, has been made by then."""

    def __init__(self, session: Session, pile: Pile) -> None:
        super().__init__(session)
        self.session, self.room = session, _room()
        for signal in (session.pile_changed, session.sheet_chosen, pile.drawn):
            signal.connect(self.tidy)

    def tidy(self) -> None:
        held = sum(entry.weight for entry in self.session.entries)
        for entry in sorted(self.session.entries, key=lambda e: e.seen):
            if held <= self.room:
                return
            if self._may_rest(entry):
                held -= entry.weight
                entry.let_go()

    def _may_rest(self, entry: Entry) -> bool:
        if entry is self.session.entry or entry.sheet is None or entry.history is None or not entry.sheet.settled:
            return False
        return entry.report is not None and entry.thumb_of == (entry.sheet, entry.history.docket)
