"""Strays of a sheet: looked over at full size as the knock-out leaves them, judged, and what was decided of them."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from threading import Event

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.knocking import EdgeSettings
from woad.core.docket.model import Docket
from woad.core.docket.spotting import SpottingSettings
from woad.core.errors import Cancelled
from woad.core.estimate import NoEstimate
from woad.core.formats.read import Original, Pixels
from woad.core.paper.evening import sample_places
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region, bands
from woad.core.render.found import Found
from woad.core.render.hairs import hairs_on_paint, look_for_hairs
from woad.core.render.hues import hues_of
from woad.core.render.measure import measure
from woad.core.render.mending import look_for_folds, look_for_streaks, without_folds, without_streaks
from woad.core.render.patches import PatchStore
from woad.core.render.recipe import make_recipe
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.spotting.closeup import CloseUp, look_closely
from woad.core.spotting.folds import Fold
from woad.core.spotting.hairs import Hair
from woad.core.spotting.holes import binding_holes
from woad.core.spotting.judge import dirt_share
from woad.core.spotting.lines import edge_lines
from woad.core.spotting.pieces import Pieces, block_for, blocks_of, find_pieces, middles
from woad.core.spotting.streaks import Streak
from woad.core.units import mm_to_px

Plane8 = NDArray[np.uint8]

MANY = 20_000  # more pieces than that are judged without a close look at each
_LOOKED_AT_PX = 32  # side of what is looked at closely of a large piece
_BAND_PIXELS = 600_000
_STREAKS = "streaks"  # what they are kept under


def unspotted(docket: Docket) -> Docket:
    """The docket as strays are looked for: nothing removed by Spotting, by hand in Knock-out, or moved by Edge."""
    own = docket.spotting
    spotting = SpottingSettings(on=own.on, strays="none", hairs=own.hairs, lines=own.lines, touches=own.touches)
    return docket.model_copy(
        update={"spotting": spotting, "knockout": docket.knockout.by_itself(), "edge": EdgeSettings(), "mix": None}
    )


def wish_of(sheet: Sheet, docket: Docket) -> object:
    """What the strays of a sheet depend on: they are looked for anew when it changes."""
    return sheet.readings, unspotted(docket)


@dataclass(frozen=True, eq=False)
class Blocks:
    """Most and mean coverage in blocks of ``size`` px over a whole sheet, filled band by band."""

    size: int
    most: Plane8
    mean: Plane8

    def fill(self, alpha: Plane8, top: int) -> None:
        """Lay in a band that begins at row ``top``, a multiple of :data:`ROWS_ALIGN`."""
        part, average = blocks_of(alpha, self.size)
        at = slice(top // self.size, top // self.size + part.shape[0])
        self.most[at], self.mean[at] = part, average


ROWS_ALIGN = 32  # bands begin at multiples of it, so that blocks do not straddle them


def new_blocks(width: int, height: int) -> Blocks:
    size = block_for(width, height)
    most = np.zeros((-(-height // size), -(-width // size)), np.uint8)
    return Blocks(size, most, np.zeros_like(most))


def looked_over(sheet: Sheet, docket: Docket) -> bool:
    """Whether the strays that are known of are those of this docket."""
    return sheet.strays is not None and sheet.strays.wish == wish_of(sheet, docket)


def lean_sheet(original: Original, pixels: Pixels, docket: Docket) -> Sheet:
    """A sheet for work without a view, from decoded pixels: large levels that only a view needs are left out. Its streaks
    are looked for while it is measured."""
    scan, mends = build_pyramid(pixels, lean=True), PatchStore()
    with ThreadPoolExecutor(1) as beside:
        if docket.spotting.on and docket.spotting.lines:
            ppi = original.ppi or docket.scan.ppi
            beside.submit(mends.made, _STREAKS, lambda: look_for_streaks(scan, ppi))
        return make_sheet(original, scan, docket, mends=mends)


def begun(sheet: Sheet, docket: Docket) -> Sheet:
    """The sheet with its hairs, folds and streaks found, and no strays yet; those that are known are not looked for anew. A
    sheet that has streaks or folds is measured without them: a dark line from border to border is nothing to go by."""
    streaks: tuple[Streak, ...] = ()
    folds: tuple[Fold, ...] = ()
    plain = sheet.pyramid
    if docket.spotting.lines:
        streaks = sheet.mends.made(_STREAKS, lambda: look_for_streaks(sheet.scan, sheet.original.ppi or sheet.ppi))
        straight = without_streaks(sheet, streaks)
        folds = sheet.mends.made(("folds", streaks), lambda: look_for_folds(straight, sheet.ppi or 300.0))
        plain = without_folds(sheet, straight, folds)
    if streaks or folds:
        key, quick, said = ("measured", streaks, folds, sheet.said), not sheet.settled, sheet.said
        sheet = replace(sheet, readings=sheet.mends.made(key, lambda: measure(plain, quick, said)))
    hairs: tuple[Hair, ...] = ()
    # One-ink drawings are full of thin lines and of thin gaps between them: in them none are looked for; hairs on their
    # paper are strays like others, and the mend brush takes those on blacks.
    if docket.spotting.hairs and not _one_ink(sheet, docket):
        clean = replace(sheet, pyramid=plain, strays=None)  # a streak across paint is no hair
        finds = sheet.mends.made(("hairs", plain, sheet.readings), lambda: look_for_hairs(clean))
        bare_docket = unspotted(docket)
        hairs = sheet.mends.made(
            ("hairs on paint", finds, bare_docket), lambda: hairs_on_paint(clean, bare_docket, finds)
        )
    bare = np.zeros((1, 1), np.uint8)
    return judged(replace(sheet, strays=None), docket, Blocks(1, bare, bare), OnTop(hairs, streaks, folds))


def look_over(sheet: Sheet, docket: Docket, stop: Event | None = None, threads: int = 2) -> Sheet:
    """The sheet with every small detached piece found and judged. Raises :class:`Cancelled` soon after ``stop`` is set."""
    plain = unspotted(docket)
    sheet = begun(sheet, docket)
    known = sheet.strays
    assert known is not None
    w, h = sheet.pyramid.size(0)
    blocks = new_blocks(w, h)
    rows = max(128, _BAND_PIXELS // w // ROWS_ALIGN * ROWS_ALIGN)

    def one(box: Region) -> None:
        if stop is not None and stop.is_set():
            raise Cancelled
        alpha = render_region(sheet, plain, "knockout", 0, box).alpha
        if alpha is not None:
            blocks.fill(alpha, box.y)

    with ThreadPoolExecutor(threads) as pool:
        for job in [pool.submit(one, box) for box in bands(w, h, rows)]:
            job.result()
    return judged(sheet, docket, blocks, on_top(known))


@dataclass(frozen=True)
class OnTop:
    """What lies on a sheet, or goes through it, besides pieces of its own: found before these are."""

    hairs: tuple[Hair, ...]
    streaks: tuple[Streak, ...]
    folds: tuple[Fold, ...]


def on_top(found: Found) -> OnTop:
    return OnTop(found.hairs, found.streaks, found.folds)


def judged(sheet: Sheet, docket: Docket, blocks: Blocks, known: OnTop) -> Sheet:
    """The sheet with the pieces of blocks of its coverage, judged."""
    ppi = sheet.ppi or 300.0
    pieces = find_pieces(blocks.most, blocks.mean, blocks.size, ppi)
    close = _close_up(sheet, pieces) if 0 < len(pieces) <= MANY else None
    hue = None if close is None else hues_of(sheet, docket, pieces, close.taken)
    size = sheet.pyramid.size(0)
    lines = edge_lines(pieces.box, *size, ppi) | binding_holes(pieces.box, *size, mm_to_px(1, ppi))
    found = Found(
        pieces, dirt_share(pieces, ppi, close, hue), close, hue, lines, known.hairs, wish_of(sheet, docket), ppi, sheet.frame,
        known.streaks, known.folds,
    )  # fmt: skip
    return replace(sheet, strays=found)


def _one_ink(sheet: Sheet, docket: Docket) -> bool:
    return make_recipe(docket, sheet.readings).one_ink


def _close_up(sheet: Sheet, pieces: Pieces) -> CloseUp:
    """A close look at each piece; a part of a long hair tells as much as all of it."""
    readings, pyramid = sheet.readings, sheet.pyramid
    size = np.minimum(pieces.box[:, 2:], _LOOKED_AT_PX)
    spare = pieces.box[:, 2:] - size
    corners = pieces.box[:, :2] + np.clip(middles(pieces, _LOOKED_AT_PX) - pieces.box[:, :2] - size // 2, 0, spare)
    boxes = (Region(*box).clip(*pyramid.size(0)) for box in np.hstack([corners, size]).tolist())
    papers = np.maximum(sample_places(readings.light, readings.cell_px, pieces.at), 1e-3)
    full = 1.0 if isinstance(readings.ink, NoEstimate) else max(1 - float(np.mean(readings.ink.reflectance)), 0.1)
    return look_closely(pieces, [pyramid.read(0, box) for box in boxes], corners, papers, full)
