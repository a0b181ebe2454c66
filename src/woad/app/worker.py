"""Core work on threads. The newest request of a lane wins; late results are dropped by number."""

from __future__ import annotations

import traceback
from collections.abc import Callable
from dataclasses import dataclass
from threading import Condition, Event, Thread
from time import monotonic
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from woad.core.errors import Cancelled


@dataclass(frozen=True)
class Result:
    """What a piece of work came to: its ``value``, or the ``error`` it raised."""

    lane: str
    number: int
    value: Any = None
    error: BaseException | None = None


_PATIENCE = 0.5


class Lane(QObject):
    """One thread that always works on the newest request; older ones that have not begun are forgotten.

    With ``queue`` every request is worked on. A lane ``behind`` another begins nothing while that one is busy (for half a
    second at most): what the eye waits for has the processor to itself."""

    finished = Signal(object)

    def __init__(self, name: str, parent: QObject, queue: bool = False, behind: Lane | None = None) -> None:
        super().__init__(parent)
        self._name, self._queue, self._behind = name, queue, behind
        self._wake = Condition()
        self._waiting: list[tuple[int, Callable[[], Any], Callable[[Result], None]]] = []
        self._number = 0
        self._busy = False
        self._undelivered = 0
        self._closing = False
        self.stop = Event()
        self.finished.connect(self._deliver, Qt.ConnectionType.QueuedConnection)
        self._thread = Thread(target=self._run, name=f"woad-{name}", daemon=True)
        self._thread.start()

    @property
    def busy(self) -> bool:
        """Whether anything is waiting, under way or not yet delivered."""
        with self._wake:
            return bool(self._waiting) or self._busy or self._undelivered > 0

    def submit(self, work: Callable[[], Any], done: Callable[[Result], None]) -> int:
        """Ask for ``work()`` on the thread; ``done`` is called on the main thread, unless a newer one came first."""
        with self._wake:
            self._number += 1
            if not self._queue:
                self._waiting.clear()
            self._waiting.append((self._number, work, done))
            self._wake.notify()
            return self._number

    def forget(self) -> None:
        """Nothing that was asked for is wanted any more, work under way included."""
        with self._wake:
            self._number += 1
            self._waiting.clear()

    def _run(self) -> None:
        while True:
            with self._wake:
                while not self._waiting and not self._closing:
                    self._wake.wait()
                self._let_pass()
                if self._closing:
                    return
                if not self._waiting:
                    continue  # forgotten meanwhile
                number, work, done = self._waiting.pop(0)
                self._busy = True
            try:
                result = Result(self._name, number, value=work())
            except Cancelled as stopped:
                result = Result(self._name, number, error=stopped)
            except Exception as error:
                # Whatever went wrong reaches the screen as a message; a thread must not die of it.
                error.__notes__ = [traceback.format_exc()]
                result = Result(self._name, number, error=error)
            with self._wake:
                self._busy = False
                self._undelivered += 1
            self.finished.emit((result, done))
            del work, done, result  # a thread that waits must not keep a sheet in memory

    def _let_pass(self) -> None:
        """Wait for the lane before this one; newer requests come in meanwhile."""
        until = monotonic() + _PATIENCE
        while self._behind is not None and self._behind.busy and not self._closing and monotonic() < until:
            self._wake.wait(0.004)

    def _deliver(self, pair: tuple[Result, Callable[[Result], None]]) -> None:
        result, done = pair
        with self._wake:
            self._undelivered -= 1
            late = not self._queue and result.number != self._number
            closing = self._closing
        if not late and not closing:
            done(result)

    def close(self) -> None:
        """Stop the thread; waits for work under way."""
        self.stop.set()
        with self._wake:
            self._closing = True
            self._waiting.clear()
            self._wake.notify()
        self._thread.join(timeout=20)
