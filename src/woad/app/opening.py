"""Opening sheets beside the window, in the order in which they are wanted."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject

from woad.app.entry import Entry, Loaded, Source, load_first, load_full
from woad.app.jobs import words
from woad.app.session import Session
from woad.app.sources import name_of
from woad.app.worker import Lane, Result


@dataclass(frozen=True, eq=False)
class _Task:
    """``what`` is still to be read of a sheet: a source for a first look, or what that look left, in full."""

    entry: Entry
    what: Source | Loaded


class Opener(QObject):
    """Reads one file at a time: the chosen sheet before all others, then first looks in the order in which the files came,
    then the sheets in full. A sheet that rests is read again when it is chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.lane = Lane("open", self)
        self._waiting: list[_Task] = []
        self._under_way: _Task | None = None
        session.sheet_chosen.connect(self._wake)

    def open(self, sources: list[Source]) -> None:
        self.session.scans.update(source for source in sources if isinstance(source, Path))
        for source in sources:
            self._waiting.append(_Task(self.session.add(name_of(source)), source))
        self._next()

    def _wake(self) -> None:
        entry = self.session.entry
        if entry is not None and entry.rests and entry.original is not None:
            asked = [*self._waiting, self._under_way]
            if not any(task is not None and task.entry is entry for task in asked):
                self._waiting.append(_Task(entry, entry.original))
        self._next()

    def _next(self) -> None:
        """Begin with what is wanted most, unless something is under way."""
        self._waiting = [task for task in self._waiting if task.entry in self.session.entries]
        if self._under_way is not None or not self._waiting:
            return
        task = self._under_way = min(self._waiting, key=self._rank)
        self._waiting.remove(task)
        entry, what = task.entry, task.what
        if isinstance(what, Loaded):
            # One that comes back is squared as was decided; what a new one is to be, only its pixels tell.
            docket = entry.history.docket if entry.known and entry.history is not None else None
            self.lane.submit(lambda: load_full(what, docket), lambda r: self._arrived(task, r))
        else:
            self.lane.submit(lambda: load_first(what), lambda r: self._arrived(task, r))

    def _rank(self, task: _Task) -> int:
        if task.entry is self.session.entry:
            return 0
        if not isinstance(task.what, Loaded):
            return 2
        return 1 if task.what.sheet.scale == 1.0 else 3  # with all its pixels in hand, it is best done with

    def _arrived(self, task: _Task, result: Result) -> None:
        entry, self._under_way = task.entry, None
        if entry in self.session.entries:
            if isinstance(result.value, Loaded):
                self.session.settle(entry, result.value)
                if not result.value.sheet.settled:
                    self._waiting.append(_Task(entry, result.value))
            elif isinstance(result.value, list):
                sheets = self.session.part(entry, [name_of(page) for page in result.value])
                self._waiting[:0] = [_Task(sheet, page) for sheet, page in zip(sheets, result.value, strict=True)]
            else:
                self._failed(entry, result)
        self._next()

    def _failed(self, entry: Entry, result: Result) -> None:
        assert result.error is not None
        says = words(result.error, f"{entry.name} could not be opened", "It is unchanged")
        if entry.known:  # too little memory, say; what was decided stays
            entry.let_go()
            self.session.message.emit(says)
        else:
            entry.sheet = None  # the first look may have promised more than the file holds
            self.session.fail(entry, says)
