"""One sheet of the pile: what is known of it, and how it is loaded. Without Qt; threads may make these values."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from woad.core.docket.history import History
from woad.core.docket.model import Docket
from woad.core.formats.read import Original, may_have_pages, open_original, read_bytes, take_in, take_in_pages
from woad.core.render.automatic import RegionCache
from woad.core.render.check import Checks
from woad.core.render.report import ScanReport
from woad.core.render.sheet import Sheet, glance_sheet, settle_sheet
from woad.core.render.spots import propose_spots
from woad.core.render.trouble import paper_trouble

if TYPE_CHECKING:
    from woad.app.takes import Take
    from woad.app.view.thumbnail import Thumbnail

Source = Path | tuple[str, bytes] | Original
Spots = tuple[tuple[float, float], tuple[float, float]]
_whole_cache = partial(RegionCache, 6_000_000)  # px of whole sheets, made small for thumbnail and checks


@dataclass(eq=False)
class Entry:
    """One sheet of the pile: frozen values, replaced as work goes on. ``spots`` lie on the scan, ``guides`` (upright?,
    place) on the plane, both in full-size pixels.

    It *rests* when its pixels have been let go: what was decided is put by, and it is read again when it is looked at.
    """

    name: str
    original: Original | None = None
    sheet: Sheet | None = None
    history: History | None = None
    spots: Spots = ((0.0, 0.0), (0.0, 0.0))
    guides: tuple[tuple[bool, float], ...] = ()
    checks: Checks | None = None
    report: ScanReport | None = None
    reported: object = None  # what the report was asked for with
    written: tuple[Path, ...] = ()
    takes: tuple[Take, ...] = ()
    stray_items: tuple[object, object, Any] | None = None  # the list of strays, with what it was made from
    put_by: tuple[History, str] | None = None  # of a sheet that rests: its history, and its ``look``
    known: bool = False  # whether it has been there in full
    seen: int = 0  # when it was looked at last: of two sheets the higher one later
    thumb: Thumbnail | None = None
    thumb_of: tuple[Sheet, Docket] | None = None  # what it was drawn of
    thumb_wish: tuple[Sheet, Docket] | None = None  # what it is being drawn of
    stray: tuple[float, float] | None = None  # the one that is looked at, by its place on the scan (shares)
    off_take: Docket | None = None  # settings that were no take when one was put on
    cache: RegionCache = field(default_factory=RegionCache)  # what was made for the view,
    whole: RegionCache = field(default_factory=_whole_cache)  # and of all of it, made small

    def show(self, sheet: Sheet) -> None:
        """The sheet as it is read or squared now; nothing that was made of another one counts any more."""
        self.sheet, self.checks = sheet, None
        self._forget_made()

    def _forget_made(self) -> None:
        self.cache, self.whole = RegionCache(), _whole_cache()

    def let_go(self) -> None:
        """Keep the file's bytes and all that was decided, and let go of what can be read and measured again."""
        if self.original is not None and self.history is not None:
            self.put_by, self.history = (self.history, self.look), None
            self.sheet = self.checks = self.report = self.reported = self.stray_items = None
            self.thumb_of = self.thumb_wish = None
            self._forget_made()

    @property
    def weight(self) -> int:
        """Bytes that its pixels take, and what was made of them for the view."""
        return 0 if self.sheet is None else self.sheet.scan.weight + self.cache.weight + self.whole.weight

    @property
    def rests(self) -> bool:
        return self.put_by is not None

    @property
    def coming(self) -> bool:
        """Whether it is being read: not there in full, and not at rest."""
        return not self.rests and (self.sheet is None or not self.sheet.settled)

    @property
    def decided(self) -> History | None:
        """The history of a sheet that can be written, whether its pixels are there or not."""
        if self.put_by is not None:
            return self.put_by[0]
        return self.history if self.known else None

    @property
    def look(self) -> str:
        """Which step wants to be looked at; nothing when none does."""
        if self.put_by is not None:
            return self.put_by[1]
        sheet, history = self.sheet, self.history
        if sheet is not None and history is not None and paper_trouble(history.docket, sheet.readings):
            return "paper"
        if self.report is not None and any(not fault.mendable for fault in self.report.faults):
            return "scan"
        return ""

    @property
    def state(self) -> str:
        if self.coming:
            return "opening" if self.sheet is None else "first look"
        if self.look and not (self.written and self.look == "scan"):
            return f"{self.look}: look"
        return "written" if self.written else "ready"


@dataclass(frozen=True)
class Loaded:
    """What a loading thread hands back."""

    original: Original
    sheet: Sheet
    spots: Spots


def load_first(source: Source) -> Loaded | list[Original]:
    """Read a file (or bytes from the clipboard, or a page that is read already) for a first picture. A PDF or TIFF of
    several scanned pages comes back as these: each is a sheet of its own."""
    if isinstance(source, Original):
        original = source
    elif isinstance(source, Path) and may_have_pages(source):
        original, *others = pages = take_in_pages(source.name, read_bytes(source))
        if others:
            return pages
    else:
        original = open_original(source) if isinstance(source, Path) else take_in(*source)
    sheet = glance_sheet(original)
    return Loaded(original, sheet, propose_spots(sheet))


def load_full(first: Loaded, docket: Docket | None = None) -> Loaded:
    """The same file, decoded and measured in full, squared as the docket says or by itself."""
    return Loaded(first.original, settle_sheet(first.sheet, docket), first.spots)
