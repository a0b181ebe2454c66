"""Where settings meet the Square step: what was found on the scan, and the frame that docket and finds come to."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.docket.squaring import LEAST_TRIM, Box, SquareSettings
from woad.core.estimate import NoEstimate
from woad.core.raster.pyramid import Pixels, Pyramid
from woad.core.render.taken_back import TakenBack, as_scanned, look_for_register, look_for_sharpening
from woad.core.scan.halos import Sharpening, to_take_back
from woad.core.scan.register import Register, to_lay_back
from woad.core.square.artwork import find_artwork
from woad.core.square.bent import find_bent
from woad.core.square.bow import Bow
from woad.core.square.corners import SheetCorners, find_corners
from woad.core.square.frame import Frame, Outlines, plain_frame, plane_frame, trimmed
from woad.core.square.glass import find_free_glass
from woad.core.square.resample import Squared
from woad.core.square.running_out import SheetPart, find_sheet_part
from woad.core.square.skew import Tilt, find_tilt
from woad.core.square.surround import Surround, find_surround
from woad.core.square.tape import find_tape, holds_down
from woad.core.units import mm_to_px

LOOK_PX = 1500  # longest side of the level that is looked at
_GLASS_PX = 1000  # longest side of the level on which free glass is looked for
SURE = 0.5  # from here on Woad acts by itself
_INSET = 0.004  # share of the sheet's side
LEAST_TILT = 0.12  # a tilt below this is not worth a resampling, degrees

Points = NDArray[np.float64]

_LATER = NoEstimate("it has not been looked for yet")


@dataclass(frozen=True, eq=False)
class Found:
    """What was found on a scan before any setting: all places in level-0 pixels of the scan.

    ``artwork`` is the convex outline (N, 2) of all marks; ``bent`` outlines of corners where the table shows; ``surround``
    what lies inside a scanner's lid or black surround; ``part`` what a picture shows of a sheet that runs out of it beside
    a table; ``tape`` outlines of the strips that hold the sheet down; ``sharpening`` and ``register`` what the scanner or
    phone did of its own, which only the scan itself shows, no smaller copy."""

    tilt: Tilt | NoEstimate
    corners: SheetCorners | NoEstimate
    artwork: Points | NoEstimate
    bent: tuple[Points, ...] = ()
    surround: Surround | None = None
    part: SheetPart | None = None
    tape: tuple[Points, ...] = ()
    sharpening: Sharpening | NoEstimate = _LATER
    register: Register | NoEstimate = _LATER

    @property
    def own(self) -> TakenBack:
        """What of that can be taken back."""
        return TakenBack(to_take_back(self.sharpening), to_lay_back(self.register))

    def scaled(self, by: float) -> Found:
        """The same on the same picture ``by`` times as large."""
        corners, artwork = self.corners, self.artwork
        if not isinstance(corners, NoEstimate):
            corners = replace(corners, points=corners.points * by)
        bent = tuple(one * by for one in self.bent)
        surround = None if self.surround is None else self.surround.scaled(by)
        artwork = artwork if isinstance(artwork, NoEstimate) else artwork * by
        part = None if self.part is None else self.part.scaled(by)
        return Found(self.tilt, corners, artwork, bent, surround, part, tuple(one * by for one in self.tape))


NOT_LOOKED = Found(_LATER, _LATER, _LATER)


def find_square(scan: Pyramid) -> Found:
    """Look for the sheet's corners, its tilt and its artwork, on the scan as it was before it was sharpened: rims along a
    drawn frame look like a sheet's sides."""
    sharpening = look_for_sharpening(scan)
    level = scan.level_for(LOOK_PX)
    calm, px = as_scanned(scan, TakenBack(to_take_back(sharpening))), float(1 << level)
    pixels = calm.whole(level)
    corners = find_corners(pixels)
    tape: tuple[Points, ...] = ()
    if isinstance(corners, SheetCorners):
        tape = find_tape(pixels, corners.points)
        if corners.sure < SURE and holds_down(pixels, corners.points, tape):
            corners = replace(corners, sure=SURE, why="tape holds the sheet down at its corners")
    inside = corners.points if isinstance(corners, SheetCorners) and corners.sure >= SURE else None
    surround = _find_surround(calm, level) if inside is None else None
    if inside is None:
        tape = find_tape(pixels, None if surround is None else surround.corners)
    tape = tuple(one * px for one in tape)
    if tape:
        pixels = _filled(calm, level, tape)
    part = find_sheet_part(pixels) if inside is None and surround is None else None
    if part is not None:
        part = part.scaled(px)
        pixels = _filled(calm, level, tape + part.table)
    # One after the other: most of both is Python's, which one core at a time runs.
    tilt, artwork = find_tilt(pixels, inside), find_artwork(pixels, inside if surround is None else surround.corners)
    bent = () if inside is None else tuple(one * px for one in find_bent(pixels, inside))
    if isinstance(corners, SheetCorners):
        corners = replace(corners, points=corners.points * px)
    if isinstance(sharpening, NoEstimate) and inside is not None:  # the table has no edges that tell
        sharpening = look_for_sharpening(scan, inside * px)
    surround = None if surround is None else surround.scaled(px)
    return Found(
        tilt,
        corners,
        artwork if isinstance(artwork, NoEstimate) else artwork * px,
        bent,
        surround,
        part,
        tape,
        sharpening,
    )


def _filled(scan: Pyramid, level: int, places: tuple[Points, ...]) -> Pixels:
    """A level of the scan with paper in these places."""
    return squared_pyramid(scan, replace(plain_frame(scan.width, scan.height), blanks=_outlines(places))).whole(level)


def _find_surround(scan: Pyramid, level: int) -> Surround | None:
    """The lid beside a sheet, which few pixels tell, or a narrow surround; in pixels of that ``level``."""
    coarse = scan.level_for(_GLASS_PX)
    glass = find_free_glass(scan.whole(coarse))
    return find_surround(scan.whole(level)) if glass is None else glass.scaled((1 << coarse) / (1 << level))


def looked_closely(scan: Pyramid, found: Found, corners: Points | None = None) -> Found:
    """The same with what only the scan itself shows, as far as it was not looked for yet; the sheet lies between its
    ``corners`` (4, 2), px."""
    with ThreadPoolExecutor(1) as beside:
        register = beside.submit(look_for_register, scan) if found.register is _LATER else None
        sharpening = look_for_sharpening(scan, corners) if found.sharpening is _LATER else found.sharpening
        return replace(found, sharpening=sharpening, register=found.register if register is None else register.result())


def corners_in_force(settings: SquareSettings, scan: Pyramid, found: Found) -> Points | None:
    """The sheet's corners on the scan, level-0 px: set ones, or found ones that are sure; None without."""
    if isinstance(settings.corners, tuple):
        return np.asarray(settings.corners, np.float64) * (scan.width, scan.height)
    if settings.corners == "off" or isinstance(found.corners, NoEstimate) or found.corners.sure < SURE:
        return None
    return found.corners.points


def tilt_in_force(settings: SquareSettings, corners: Points | None, found: Found) -> float:
    """Degrees that are taken out: set, or found ones that are sure and worth it; corners have taken theirs already."""
    if settings.straighten is not None:
        return settings.straighten
    if corners is not None or isinstance(found.tilt, NoEstimate):
        return 0.0
    if found.tilt.sure < SURE or abs(found.tilt.deg) < LEAST_TILT:
        return 0.0
    return -found.tilt.deg if settings.mirror else found.tilt.deg


def plane_of(docket: Docket, scan: Pyramid, found: Found) -> Frame:
    """The untrimmed frame: all that is in it can be seen in the Square step."""
    settings = docket.square
    if not settings.on:
        return plain_frame(scan.width, scan.height)
    corners = corners_in_force(settings, scan, found)
    tilt = tilt_in_force(settings, corners, found)
    size = (scan.width, scan.height)
    frame = plane_frame(size, settings.turn, settings.mirror, tilt, corners, settings.proportions)
    w, h = frame.plane
    bows = tuple(Bow(tuple((x * w, y * h) for x, y in bow.points), bow.level) for bow in settings.bows)
    # Only where nobody has set other corners: then it is known where the sheet is bent.
    bent = found.bent if corners is not None and settings.corners == "auto" else ()
    tape = found.tape if settings.tape else ()
    table = found.part.table if found.part is not None and settings.corners == "auto" else ()
    return replace(frame, bows=bows, blanks=_outlines(bent + table + tape))


def _outlines(places: tuple[Points, ...]) -> Outlines:
    return tuple(tuple((float(x), float(y)) for x, y in one) for one in places)


def trim_box(
    docket: Docket, frame: Frame, scan: Pyramid, found: Found, ppi: float
) -> tuple[float, float, float, float]:
    """The trim frame in force: x, y, width, height on the plane, px. ``ppi`` of the scan's level 0."""
    settings = docket.square
    w, h = frame.plane
    if not settings.on or settings.trim == "off":
        return 0.0, 0.0, float(w), float(h)
    if isinstance(settings.trim, tuple):
        x, y, bw, bh = settings.trim
        return x * w, y * h, bw * w, bh * h
    artwork = None if isinstance(found.artwork, NoEstimate) else _box(frame.scan_to_plane(found.artwork))
    if settings.trim == "artwork" and artwork is not None:
        margin = mm_to_px(settings.margin_mm, ppi)
        return _within((artwork[0] - margin, artwork[1] - margin, artwork[2] + margin, artwork[3] + margin), w, h)
    corners = corners_in_force(settings, scan, found)
    if corners is not None:
        x0, y0, x1, y1 = _box(frame.scan_to_plane(corners))
        # A little inside its sides: the cut edge of the paper, and what shines or shades along it, is no drawing.
        inset = _INSET * ((x1 - x0) + (y1 - y0)) / 2
        return _within((x0 + inset, y0 + inset, x1 - inset, y1 - inset), w, h)
    # The scan's own size about the middle, so that no wedges from outside come in; but never through the artwork.
    sw, sh = (scan.height, scan.width) if settings.turn % 180 else (scan.width, scan.height)
    x0, y0 = (w - sw) / 2, (h - sh) / 2
    x1, y1 = x0 + sw, y0 + sh
    if found.surround is not None:
        x0, y0, x1, y1 = _inside_surround((x0, y0, x1, y1), found.surround, frame, scan)
    if found.part is not None and settings.corners == "auto":
        left, top, right, bottom = _box(frame.scan_to_plane(found.part.sheet))
        x0, y0, x1, y1 = max(x0, left), max(y0, top), min(x1, right), min(y1, bottom)
    if artwork is not None:
        x0, y0 = min(x0, artwork[0]), min(y0, artwork[1])
        x1, y1 = max(x1, artwork[2]), max(y1, artwork[3])
    return _within((x0, y0, x1, y1), w, h)


def frame_of(docket: Docket, scan: Pyramid, found: Found, ppi: float | None) -> Frame:
    """The frame of the squared sheet."""
    frame = plane_of(docket, scan, found)
    return trimmed(frame, trim_box(docket, frame, scan, found, ppi or 300.0))


def squared_pyramid(scan: Pyramid, frame: Frame) -> Pyramid:
    """The scan through the frame; the scan itself when the frame changes nothing."""
    return scan if frame.identity else Squared(scan, frame)


def _box(points: Points) -> tuple[float, float, float, float]:
    low, high = points.min(axis=0), points.max(axis=0)
    return float(low[0]), float(low[1]), float(high[0]), float(high[1])


def _inside_surround(
    edges: tuple[float, float, float, float], surround: Surround, frame: Frame, scan: Pyramid
) -> tuple[float, float, float, float]:
    """Edges (left, top, right, bottom) on the plane, each moved inwards where a surround lies there, and a little more, as
    with a sheet's own sides."""
    out = list(edges)
    inset = _INSET * (scan.width + scan.height) / 2
    middle = frame.scan_to_plane(np.array([[scan.width, scan.height]]) / 2)[0]
    for i in np.flatnonzero(surround.sides):
        at = frame.scan_to_plane(surround.corners[[i, (i + 1) % 4]])
        across = int(np.argmin(np.ptp(at, axis=0)))
        if at[:, across].mean() < middle[across]:
            out[across] = max(out[across], float(at[:, across].max()) + inset)
        else:
            out[across + 2] = min(out[across + 2], float(at[:, across].min()) - inset)
    return out[0], out[1], out[2], out[3]


def _within(edges: tuple[float, float, float, float], w: int, h: int) -> tuple[float, float, float, float]:
    """Edges (left, top, right, bottom) on the plane, as x, y, width, height."""
    x0, y0 = min(max(edges[0], 0.0), w - 1.0), min(max(edges[1], 0.0), h - 1.0)
    return x0, y0, max(1.0, min(edges[2], w) - x0), max(1.0, min(edges[3], h) - y0)


def carried(before: Docket, after: Docket, scan: Pyramid, found: Found) -> Docket:
    """``after`` with the set trim frame and the bows of ``before`` moved along, so that they stay on the same marks when
    the plane under them is turned, mirrored or straightened anew. A trim frame is cut to the plane; one that would lie
    wholly outside gives way to the sheet's own."""
    settings = before.square
    if not (isinstance(settings.trim, tuple) or settings.bows):
        return after
    plain_was, plain_now = (replace(plane_of(one, scan, found), bows=()) for one in (before, after))
    if plain_was == plain_now:
        own = {"trim": settings.trim, "bows": settings.bows}
        return after.model_copy(update={"square": after.square.model_copy(update=own)})
    (w0, h0), (w1, h1) = plain_was.plane, plain_now.plane

    def moved(points: Points) -> Points:
        return plain_now.scan_to_plane(plain_was.plane_to_scan(points))

    update: dict[str, object] = {}
    if isinstance(settings.trim, tuple):
        x, y, w, h = settings.trim
        centre = moved(np.array([(x + w / 2) * w0, (y + h / 2) * h0]))
        wide, high = w * w0, h * h0
        if (after.square.turn - before.square.turn) % 180:
            wide, high = high, wide
        box = ((centre[0] - wide / 2) / w1, (centre[1] - high / 2) / h1, wide / w1, high / h1)
        update["trim"] = _on_plane(box)
    if settings.bows:
        bows = []
        for bow in settings.bows:
            points = moved(np.asarray(bow.points, np.float64) * (w0, h0)) / (w1, h1)
            bows.append(bow.model_copy(update={"points": tuple((float(x), float(y)) for x, y in points)}))
        update["bows"] = tuple(bows)
    return after.model_copy(update={"square": after.square.model_copy(update=update)})


def _on_plane(box: Box) -> Box | Literal["sheet"]:
    """The part of a trim box that lies on the plane, all in shares of it."""
    x, y = max(float(box[0]), 0.0), max(float(box[1]), 0.0)
    w, h = min(float(box[0] + box[2]), 1.0) - x, min(float(box[1] + box[3]), 1.0) - y
    return (x, y, w, h) if min(w, h) >= LEAST_TRIM else "sheet"
