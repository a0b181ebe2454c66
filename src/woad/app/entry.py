"""One sheet of the pile: what is known of it, and how it is loaded. Without Qt; threads may make these values."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from woad.core.docket.history import History
from woad.core.docket.model import Docket
from woad.core.formats.read import Original, open_original, take_in
from woad.core.render.automatic import RegionCache
from woad.core.render.check import Checks
from woad.core.render.report import ScanReport
from woad.core.render.sheet import Sheet, glance_sheet, settle_sheet
from woad.core.render.spots import propose_spots

if TYPE_CHECKING:
    from woad.app.takes import Take

Source = Path | tuple[str, bytes] | Original
Spots = tuple[tuple[float, float], tuple[float, float]]


@dataclass
class Entry:
    """One sheet of the pile: frozen values, replaced as work goes on. ``spots`` lie on the scan, ``guides`` (upright?,
    place) on the plane, both in full-size pixels."""

    name: str
    original: Original | None = None
    sheet: Sheet | None = None
    history: History | None = None
    trouble: str = ""
    spots: Spots = ((0.0, 0.0), (0.0, 0.0))
    guides: tuple[tuple[bool, float], ...] = ()
    checks: Checks | None = None
    report: ScanReport | None = None
    reported: object = None  # what the report was asked for with
    written: tuple[Path, ...] = ()
    takes: tuple[Take, ...] = ()
    stray_items: tuple[object, object, Any] | None = None  # the list of strays, with what it was made from
    put_by: History | None = None  # the history of a sheet whose pixels were let go
    stray: tuple[float, float] | None = None  # the one that is looked at, by its place on the scan (shares)
    off_take: Docket | None = None  # settings that were no take when one was put on
    cache: RegionCache = field(default_factory=RegionCache)

    def let_go(self) -> None:
        """Keep the file's bytes and all that was decided, and let go of what can be read and measured again."""
        if self.original is not None and self.history is not None:
            self.put_by, self.history = self.history, None
            self.sheet = self.checks = self.report = self.reported = self.stray_items = None
            self.cache = RegionCache()

    @property
    def state(self) -> str:
        if self.trouble:
            return "cannot be read"
        if self.sheet is None:
            return "opening"
        if not self.sheet.settled:
            return "first look"
        if self.sheet.readings.light_doubt is not None:
            return "paper: look"
        if self.report is not None and any(not fault.mendable for fault in self.report.faults) and not self.written:
            return "scan: look"
        return "written" if self.written else "ready"


@dataclass(frozen=True)
class Loaded:
    """What a loading thread hands back."""

    original: Original
    sheet: Sheet
    spots: Spots


def load_first(source: Source) -> Loaded:
    """Read a file (or bytes from the clipboard, or a page that is read already) for a first picture."""
    if isinstance(source, Original):
        original = source
    else:
        original = open_original(source) if isinstance(source, Path) else take_in(*source)
    sheet = glance_sheet(original)
    return Loaded(original, sheet, propose_spots(sheet))


def load_full(first: Loaded) -> Loaded:
    """The same file, decoded and measured in full."""
    return Loaded(first.original, settle_sheet(first.sheet), first.spots)
