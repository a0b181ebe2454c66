"""Undo and redo: a list of dockets. A drag of a slider is one entry."""

from __future__ import annotations

from dataclasses import dataclass, replace

from woad.core.docket.model import Docket


@dataclass(frozen=True)
class Entry:
    """A docket and what was done to reach it; ``gesture`` ties the steps of one drag together."""

    docket: Docket
    label: str
    gesture: int | None = None


@dataclass(frozen=True)
class History:
    """Immutable: every change returns a new history."""

    entries: tuple[Entry, ...]
    at: int = 0

    @staticmethod
    def start(docket: Docket) -> History:
        return History((Entry(docket, "Open"),))

    @property
    def docket(self) -> Docket:
        return self.entries[self.at].docket

    @property
    def undo_label(self) -> str | None:
        """What undo would take back, or None."""
        return self.entries[self.at].label if self.at > 0 else None

    @property
    def redo_label(self) -> str | None:
        return self.entries[self.at + 1].label if self.at + 1 < len(self.entries) else None

    def before(self, gesture: int | None) -> Docket:
        """The docket that the running ``gesture`` began with; the present one when it has not changed anything yet."""
        running = gesture is not None and self.at > 0 and self.entries[self.at].gesture == gesture
        return self.entries[self.at - 1 if running else self.at].docket

    def push(self, docket: Docket, label: str, gesture: int | None = None) -> History:
        """A new entry; further steps of the same ``gesture`` replace it, and one that leads back to where it began leaves
        none. Unchanged dockets add nothing."""
        if docket == self.docket:
            return self
        entry = Entry(docket, label, gesture)
        started = self.before(gesture)
        if started is not self.docket:
            kept = self.entries[: self.at]
            return History(kept, self.at - 1) if docket == started else History((*kept, entry), self.at)
        kept = self.entries[: self.at + 1]
        return History((*kept, entry), len(kept))

    def undo(self) -> History:
        return replace(self, at=max(0, self.at - 1))

    def redo(self) -> History:
        return replace(self, at=min(len(self.entries) - 1, self.at + 1))
