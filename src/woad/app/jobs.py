"""Long work beside the window: squaring, looking over, counting checks, reporting, writing editions."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from threading import Event

from PySide6.QtCore import QObject, QTimer, Signal

from woad.app.entry import Entry
from woad.app.session import Session
from woad.app.worker import Lane, Result
from woad.core.docket.model import Docket
from woad.core.editions.clean import Written, targets_of, write_sheet
from woad.core.editions.edition import Destination, Edition
from woad.core.errors import Cancelled, WoadError
from woad.core.formats.read import pixels_of
from woad.core.render.check import Checks, check_sheet
from woad.core.render.edge_readings import read_edges
from woad.core.render.mending import mended_pyramid
from woad.core.render.report import look_at_scan
from woad.core.render.sheet import Sheet, is_square, resquare
from woad.core.render.strays import lean_sheet, look_over, looked_over


def words(error: BaseException, failed: str, safe: str = "Nothing was changed") -> str:
    """An error as it is said on screen: its own sentence, or what ``failed`` and what is ``safe`` when nobody foresaw it."""
    if isinstance(error, WoadError):
        return str(error)
    return f"{failed} ({type(error).__name__}). {safe}; please report this."


def tell(session: Session, result: Result, failed: str) -> None:
    """Say what became of work beside the window that came to nothing; work that was only stopped says nothing."""
    if result.error is not None and not isinstance(result.error, Cancelled):
        session.message.emit(words(result.error, failed))


class Checker(QObject):
    """Counts lost strokes and kept paper behind the newest settings."""

    def __init__(self, session: Session, behind: Lane) -> None:
        super().__init__(session)
        self.session = session
        self.lane = Lane("check", self, behind=behind)
        for signal in (session.sheet_changed, session.docket_changed, session.step_changed):
            signal.connect(self.refresh)

    def refresh(self) -> None:
        entry, docket = self.session.entry, self.session.docket
        edges = self.session.past_ink
        if (
            entry is None
            or entry.sheet is None
            or docket is None
            or not entry.sheet.settled
            or (entry.checks is not None and (entry.checks.edges is not None or not edges))
            or (edges and docket.spotting.on and not looked_over(entry.sheet, docket))
        ):
            return  # counted once the sheet has been looked over for strays
        sheet, known, whole = entry.sheet, entry.checks, entry.whole

        def work() -> Checks:
            if known is not None:  # all but the edges, which nobody had looked at
                return replace(known, edges=read_edges(sheet, docket))
            return check_sheet(sheet, docket, edges, whole)

        def arrived(result: Result) -> None:
            if result.error is None and entry.sheet is sheet and self.session.docket == docket:
                entry.checks = result.value
                self.session.checks_changed.emit()
            tell(self.session, result, f"{entry.name} could not be checked")

        self.lane.submit(work, arrived)


class Squarer(QObject):
    """Squares the chosen sheet anew, and measures it, behind the newest settings; the view does not wait for it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.lane = Lane("square", self)
        session.sheet_changed.connect(self.refresh)
        session.docket_changed.connect(self.refresh)

    def refresh(self) -> None:
        entry, docket = self.session.entry, self.session.docket
        if entry is None or entry.sheet is None or docket is None or is_square(entry.sheet, docket):
            return
        sheet = entry.sheet

        def arrived(result: Result) -> None:
            if result.error is None and entry.sheet is sheet:
                self.session.replace_sheet(entry, result.value)
            tell(self.session, result, f"{entry.name} could not be squared")

        self.lane.submit(lambda: resquare(sheet, docket), arrived)


class Looker(QObject):
    """Looks the chosen sheet over for strays behind the newest settings; the strays known so far stay on until then."""

    def __init__(self, session: Session, drawn: list[Lane]) -> None:
        super().__init__(session)
        self.session = session
        self.lane, self._drawn = Lane("strays", self), drawn
        self._stop = Event()
        # While a slider is dragged nothing is looked over, nor while what it changed is still being drawn.
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(250)
        self._later.timeout.connect(self._look)
        for signal in (session.sheet_changed, session.docket_changed, session.step_changed):
            signal.connect(self.refresh)

    @property
    def waiting(self) -> bool:
        return self._later.isActive()

    def _wanted(self) -> tuple[Entry, Sheet, Docket] | None:
        entry, docket = self.session.entry, self.session.docket
        if entry is None or entry.sheet is None or docket is None or not entry.sheet.settled or not docket.spotting.on:
            return None
        if not self.session.past_ink:
            return None  # looked over once the user gets there, not at every turn of the frame
        if not is_square(entry.sheet, docket) or looked_over(entry.sheet, docket):
            return None
        return entry, entry.sheet, docket

    def refresh(self) -> None:
        if self._wanted() is not None:
            self._stop.set()
            self._later.start()

    def _look(self) -> None:
        wanted = self._wanted()
        if wanted is None:
            return
        if any(lane.busy for lane in self._drawn):
            self._later.start()
            return
        entry, sheet, docket = wanted
        stop = self._stop = Event()

        def work() -> Sheet:
            looked = look_over(sheet, docket, stop, 1)  # the other core is the view's
            mended_pyramid(looked, docket)  # the view then finds every mend made
            return looked

        def arrived(result: Result) -> None:
            if isinstance(result.value, Sheet) and entry.sheet is sheet:
                self.session.know_strays(entry, result.value)
            tell(self.session, result, f"{entry.name} could not be looked over for strays")

        self.lane.submit(work, arrived)

    def close(self) -> None:
        self._stop.set()


def _wish(entry: Entry) -> object:
    """What a report depends on."""
    if entry.sheet is None or entry.history is None:
        return None
    wish = entry.history.docket.scan
    return id(entry.sheet.scan), wish.ppi, wish.print_mm


class Reporter(QObject):
    """Reports on every settled sheet, and anew when its resolution or the wanted print size changes."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.lane = Lane("report", self, queue=True)
        # The settled sheet is painted first; a report is read, not waited for.
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(200)
        self._later.timeout.connect(self._report)
        for signal in (session.pile_changed, session.sheet_changed, session.docket_changed):
            signal.connect(self.refresh)

    @property
    def waiting(self) -> bool:
        """Whether a report is about to be asked for."""
        return self._later.isActive()

    def refresh(self) -> None:
        if any(e.sheet is not None and e.sheet.settled and _wish(e) != e.reported for e in self.session.entries):
            self._later.start()

    def _report(self) -> None:
        for entry in self.session.entries:
            sheet, history = entry.sheet, entry.history
            if sheet is None or history is None or not sheet.settled:
                continue
            wish = _wish(entry)
            if wish != entry.reported:
                entry.reported = wish
                self._ask(entry, sheet, history.docket.scan.ppi or sheet.original.ppi, history.docket.scan.print_mm)

    def _ask(self, entry: Entry, sheet: Sheet, ppi: float | None, print_mm: float | None) -> None:
        def arrived(result: Result) -> None:
            if result.error is None and entry.sheet is not None and entry.sheet.scan is sheet.scan:
                entry.report = result.value
                self.session.checks_changed.emit()
                self.session.pile_changed.emit()
            tell(self.session, result, f"The scan of {entry.name} could not be judged")

        self.lane.submit(lambda: look_at_scan(sheet.original, sheet.scan, sheet.found, ppi, print_mm), arrived)


class Writer(QObject):
    """Writes editions one sheet after the other; can be stopped between any two bands."""

    progress = Signal(str, float)
    idle = Signal()
    _share = Signal(str, float)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.lane = Lane("write", self, queue=True)
        self.under_way = 0
        self._share.connect(self.progress)

    def write(self, entries: list[Entry], editions: tuple[Edition, ...], folder: Path, overwrite: bool) -> None:
        """Write the editions of every sheet that is ready; of the others it says that they were not written. One that rests
        is read again for as long as it takes."""
        if self.lane.stop.is_set():
            self.lane.stop = Event()  # what waits from before was stopped, and stays so
        stop, unready = self.lane.stop, 0
        for entry in entries:
            history, original = entry.decided, entry.original
            if history is None or original is None:
                unready += 1
                continue
            docket, name = history.docket, entry.name
            sheet = entry.sheet if entry.sheet is not None and entry.sheet.settled else None
            to = Destination(folder, self.session.stem_of(entry), overwrite, tuple(self.session.scans))
            self.session.written.update(edition.path_for(to.stem, folder).resolve() for edition in editions)
            self.under_way += 1

            def work(original=original, sheet=sheet, docket=docket, name=name, to=to) -> tuple[Written, ...]:  # type: ignore[no-untyped-def]
                if stop.is_set():
                    raise Cancelled
                folder.mkdir(parents=True, exist_ok=True)
                if sheet is not None:
                    ready = resquare(sheet, docket)
                else:
                    targets_of(docket, editions, to)  # a name that is taken costs no reading
                    ready = lean_sheet(original, pixels_of(original), docket)
                done = write_sheet(ready, docket, editions, to, lambda share: self._share.emit(name, share), stop)
                return done.written

            self.lane.submit(work, lambda r, e=entry: self._written(e, r))  # type: ignore[misc]
        if unready:
            says = self.session.tr(
                "Not written: {0} of {1} sheets, still being opened. Write again when they are ready."
            )
            self.session.message.emit(says.format(unready, len(entries)))
        if not self.under_way:
            self.idle.emit()

    def stop(self) -> None:
        self.lane.stop.set()

    def _written(self, entry: Entry, result: Result) -> None:
        self.under_way -= 1
        if result.error is None:
            entry.written = tuple(one.path for one in result.value)
            self.session.pile_changed.emit()
        elif isinstance(result.error, OSError):
            self.session.message.emit(
                f"{entry.name} was not written ({result.error.strerror}). Nothing was changed; choose another folder."
            )
        else:
            tell(self.session, result, f"{entry.name} was not written")
        if self.under_way == 0:
            self.idle.emit()
