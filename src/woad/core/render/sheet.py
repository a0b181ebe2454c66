"""One sheet ready for work: its original, its scan, how it is squared, and its readings."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace

from woad.core.docket.model import Docket
from woad.core.formats.read import Original, first_look, pixels_of
from woad.core.raster.pyramid import Pyramid, build_pyramid
from woad.core.render.found import Found as FoundStrays
from woad.core.render.hand import on_sheet
from woad.core.render.lighting import NOTHING_SAID, Said
from woad.core.render.measure import measure
from woad.core.render.negative import for_work
from woad.core.render.patches import PatchStore
from woad.core.render.readings import Readings
from woad.core.render.squaring import (
    LOOK_PX,
    NOT_LOOKED,
    Found,
    corners_in_force,
    find_square,
    frame_of,
    looked_closely,
    squared_pyramid,
    trim_box,
)
from woad.core.render.taken_back import NOTHING, TakenBack, as_scanned
from woad.core.square.frame import Frame


@dataclass(frozen=True, eq=False)
class Sheet:
    """``scan`` is the picture as it came, ``pyramid`` the squared sheet seen through ``frame``; ``readings`` were
    taken on the latter, so nothing outside the trim frame has a part in them; of dark paper, as ``ground`` says, it is the
    negative; what the scanner did of its own is taken ``back`` in it. ``set_ppi`` is the user's; ``strays`` are what
    was found when the sheet was last looked over, None before that; ``mends`` and ``held`` keep patches, and the newest
    whole-sheet planes, that were made for it.

    ``settled`` is False for a first look made from a reduced decode; ``scale`` is then its pixel size in
    level-0 pixels of the true scan (else 1)."""

    original: Original
    scan: Pyramid
    found: Found
    frame: Frame
    pyramid: Pyramid
    readings: Readings
    settled: bool = True
    scale: float = 1.0
    set_ppi: float | None = None
    said: Said = NOTHING_SAID
    ground: str = "auto"
    back: TakenBack = NOTHING
    strays: FoundStrays | None = None
    mends: PatchStore = field(default_factory=PatchStore, repr=False)
    held: PatchStore = field(default_factory=lambda: PatchStore(10), repr=False)

    @property
    def width(self) -> int:
        """Pixels of the squared sheet."""
        return self.scan_size[0] if self.frame.identity else round(self.frame.width * self.scale)

    @property
    def height(self) -> int:
        return self.scan_size[1] if self.frame.identity else round(self.frame.height * self.scale)

    @property
    def full_size(self) -> tuple[int, int]:
        """Width and height of the squared sheet, px."""
        return self.width, self.height

    @property
    def scan_size(self) -> tuple[int, int]:
        """Width and height of the scan as turned upright, px."""
        header = self.original.header
        turned = header.orientation in (5, 6, 7, 8)
        return (header.height, header.width) if turned else (header.width, header.height)

    @property
    def ppi(self) -> float | None:
        """Pixels per inch: the user's, else the file's, else None."""
        return self.set_ppi or self.original.ppi


def is_square(sheet: Sheet, docket: Docket) -> bool:
    """Whether the sheet is squared, and measured, as the docket says."""
    frame = _frame_for(sheet, docket)
    same = frame == sheet.frame and docket.paper.ground == sheet.ground
    same = same and _taken_back(docket, sheet.found) == sheet.back
    return same and docket.scan.ppi == sheet.set_ppi and _said(docket, frame) == sheet.said


def _said(docket: Docket, frame: Frame) -> Said:
    paper = tuple(on_sheet(docket.paper.at, frame))
    return Said(paper, tuple(on_sheet(docket.ink.at, frame)), docket.paper.only and bool(paper))


def _taken_back(docket: Docket, found: Found) -> TakenBack:
    """What is taken back as the docket says."""
    own, scan = found.own, docket.scan
    return TakenBack(own.sharpening if scan.unsharpen else None, own.register if scan.align else None)


def _frame_for(sheet: Sheet, docket: Docket) -> Frame:
    ppi = docket.scan.ppi or sheet.original.ppi
    # A reduced decode has fewer pixels to the inch.
    return frame_of(docket, sheet.scan, sheet.found, None if ppi is None else ppi / sheet.scale)


def trim_of(sheet: Sheet, docket: Docket, plane: Frame) -> tuple[float, ...]:
    """The trim frame in force on the untrimmed ``plane``: x, y, width, height in full-size pixels."""
    ppi = (docket.scan.ppi or sheet.original.ppi or 300.0) / sheet.scale
    return tuple(v * sheet.scale for v in trim_box(docket, plane, sheet.scan, sheet.found, ppi))


def resquare(sheet: Sheet, docket: Docket) -> Sheet:
    """The sheet squared as the docket says, measured anew if that moves its pixels or something else was said of it."""
    frame = _frame_for(sheet, docket)
    said, ground, back = _said(docket, frame), docket.paper.ground, _taken_back(docket, sheet.found)
    same = frame == sheet.frame and ground == sheet.ground and back == sheet.back
    if same and said != sheet.said:
        readings = measure(sheet.pyramid, not sheet.settled, said)
        return replace(sheet, readings=readings, said=said, set_ppi=docket.scan.ppi)  # strays are looked for anew
    if same:
        return sheet if docket.scan.ppi == sheet.set_ppi else replace(sheet, set_ppi=docket.scan.ppi)
    pyramid = for_work(squared_pyramid(as_scanned(sheet.scan, back), frame), ground)
    readings = measure(pyramid, not sheet.settled, said)
    return Sheet(
        sheet.original,
        sheet.scan,
        sheet.found,
        frame,
        pyramid,
        readings,
        sheet.settled,
        sheet.scale,
        docket.scan.ppi,
        said,
        ground,
        back,
    )


def make_sheet(
    original: Original,
    scan: Pyramid,
    docket: Docket | None = None,
    quick: bool = False,
    scale: float = 1.0,
    found: Found | None = None,
    mends: PatchStore | None = None,
) -> Sheet:
    """Look at a scan (unless it is known what is ``found`` on it), square it (by itself without a docket), measure it.
    ``mends`` may hold what was made for it before."""
    docket = docket or Docket()
    if found is None:
        found = find_square(scan) if docket.square.on else NOT_LOOKED
    if not quick:
        found = looked_closely(scan, found, corners_in_force(docket.square, scan, found))
    ppi = docket.scan.ppi or original.ppi
    frame = frame_of(docket, scan, found, None if ppi is None else ppi / scale)
    ground, back = docket.paper.ground, _taken_back(docket, found)
    pyramid = for_work(squared_pyramid(as_scanned(scan, back), frame), ground)
    said = _said(docket, frame)
    readings = measure(pyramid, quick, said)
    return Sheet(
        original, scan, found, frame, pyramid, readings, not quick, scale, docket.scan.ppi, said, ground, back,
        mends=PatchStore() if mends is None else mends,
    )  # fmt: skip


def load_sheet(original: Original, docket: Docket | None = None) -> Sheet:
    """Decode, build the pyramid, square and measure. Raises ``FileUnreadable``."""
    return make_sheet(original, build_pyramid(pixels_of(original)), docket)


def glance_sheet(original: Original) -> Sheet:
    """A sheet for a first picture: from a reduced decode where there is one, measured quickly in any case."""
    small = first_look(original)
    pyramid = build_pyramid(pixels_of(original) if small is None else small)
    scale = 1.0
    if small is not None:
        header = original.header
        scale = max(header.width, header.height) / max(pyramid.width, pyramid.height)
    # A first picture does not wait for corners and tilt; the settled sheet has them.
    return make_sheet(original, pyramid, None, True, scale, NOT_LOOKED)


def settle_sheet(glance: Sheet, docket: Docket | None = None) -> Sheet:
    """The same sheet in full; what a first look has decoded already is not decoded again."""
    if glance.scale == 1.0:
        return make_sheet(glance.original, glance.scan, docket)
    with ThreadPoolExecutor(1) as beside:
        # A first look as large as the picture that would be looked at will do, and decoding leaves a core idle.
        enough = max(glance.scan.width, glance.scan.height) >= LOOK_PX / 2
        found = beside.submit(find_square, glance.scan) if enough else None
        scan = build_pyramid(pixels_of(glance.original))
        known = found.result().scaled(glance.scale) if found is not None else None
    return make_sheet(glance.original, scan, docket, found=known)
