"""Mends of a docket laid over a sheet: streaks, folds and hairs found by themselves, the mend and the copy-over brush."""

from __future__ import annotations

from collections.abc import Hashable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.docket.touches import Touch
from woad.core.paper.evening import sample_grid
from woad.core.paper.hand import BrushStroke, stroke_strength
from woad.core.raster.pyramid import Negative, Pixels, Pyramid
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.measure import FIELD_PX
from woad.core.render.patches import ALIGN, Mended, Patch, make_patch
from woad.core.render.sheet import Sheet
from woad.core.render.squaring import squared_pyramid
from woad.core.render.taken_back import as_scanned
from woad.core.spotting.folds import Fold, find_folds
from woad.core.spotting.hairs import Hair
from woad.core.spotting.mend import REACH_PX, mend
from woad.core.spotting.streaks import Streak, find_streaks, without_streak
from woad.core.spotting.unfold import reach_px, without_fold

_MOST_PX = 24_000_000  # a mend whose surroundings are larger than that does nothing


def mended_pyramid(sheet: Sheet, docket: Docket) -> Pyramid:
    """The sheet's pixels with everything mended that the docket says; the sheet's own pyramid when that is nothing."""
    settings = docket.spotting
    if not settings.on:
        return sheet.pyramid
    hairs: tuple[Hair, ...] = ()
    streaks: tuple[Streak, ...] = ()
    folds: tuple[Fold, ...] = ()
    if settings.hairs and sheet.strays is not None:
        hairs = sheet.strays.mended_hairs(settings.decided)
    if settings.lines and sheet.strays is not None:
        streaks = sheet.strays.mended_streaks(settings.decided)
        folds = sheet.strays.evened_folds(settings.decided)
    touches = settings.touches
    base = without_folds(sheet, without_streaks(sheet, streaks), folds)
    if not hairs and not touches:
        return base
    key = ("all", base, hairs, touches, sheet.readings if touches else None)
    return sheet.held.made(key, lambda: _laid(sheet, base, hairs, touches))  # type: ignore[no-any-return]


def look_for_streaks(scan: Pyramid, ppi: float | None) -> tuple[Streak, ...]:
    """Streaks along the scan, as it came: a turned sheet has them turned."""
    return find_streaks(lambda box: scan.read(0, box), *scan.size(0), ppi or 300.0)


def without_streaks(sheet: Sheet, streaks: tuple[Streak, ...]) -> Pyramid:
    """The squared sheet, taken from the scan without ``streaks``; the sheet's own pyramid when there are none."""
    if not streaks:
        return sheet.pyramid
    return sheet.mends.made(("without", streaks), lambda: _made_without(sheet, streaks))  # type: ignore[no-any-return]


def _made_without(sheet: Sheet, streaks: tuple[Streak, ...]) -> Pyramid:
    width, height = sheet.scan.size(0)
    patches = []
    for one in streaks:
        box = one.box(width, height).grown(8, ALIGN, width, height)
        before = sheet.scan.read(0, box)
        patch = make_patch(box, before, without_streak(before, one, box.x if one.upright else box.y))
        if patch is not None:
            patches.append(patch)
    squared = squared_pyramid(as_scanned(Mended(sheet.scan, tuple(patches)), sheet.back), sheet.frame)
    return Negative(squared) if sheet.pyramid.negative else squared


def look_for_folds(pyramid: Pyramid, ppi: float) -> tuple[Fold, ...]:
    """Folds of the squared sheet."""
    level = pyramid.level_for(FIELD_PX)
    return find_folds(pyramid.whole(level), float(1 << level), ppi)


def without_folds(sheet: Sheet, base: Pyramid, folds: tuple[Fold, ...]) -> Pyramid:
    """The squared sheet ``base`` without the light of ``folds``; itself when there are none."""
    if not folds:
        return base
    key = ("evened", base, folds)
    return sheet.mends.made(key, lambda: _made_even(base, folds, sheet.ppi or 300.0))  # type: ignore[no-any-return]


def _made_even(base: Pyramid, folds: tuple[Fold, ...], ppi: float) -> Pyramid:
    width, height = base.size(0)
    patches: list[Patch] = []
    for fold in folds:
        low, high = int(min(fold.first, fold.last)), int(max(fold.first, fold.last)) + 1
        line = Region(low, 0, high - low, height) if fold.upright else Region(0, low, width, high - low)
        box = line.grown(reach_px(ppi), ALIGN, width, height)
        before = (Mended(base, tuple(patches)) if patches else base).read(0, box)
        patch = make_patch(box, before, without_fold(before, fold, box.x if fold.upright else box.y, ppi))
        if patch is not None:
            patches.append(patch)
    return Mended(base, tuple(patches)) if patches else base


def _laid(sheet: Sheet, base: Pyramid, hairs: tuple[Hair, ...], touches: tuple[Touch, ...]) -> Pyramid:
    patches: list[Patch] = []
    for hair in hairs:
        patch = sheet.mends.made(("hair", base, hair), partial(_hair_patch, base, hair, hairs))
        if patch is not None:
            patches.append(patch)
    done: tuple[Hashable, ...] = ("touches", base, hairs, sheet.readings)
    for touch in touches:
        done = (*done, touch)
        under = Mended(base, tuple(patches)) if patches else base
        patch = sheet.mends.made(done, partial(_touch_patch, sheet, under, touch))
        if patch is not None:
            patches.append(patch)
    return Mended(base, tuple(patches)) if patches else base


def _surroundings(pyramid: Pyramid, x0: float, y0: float, x1: float, y1: float) -> Region:
    """The box of a mend with all that it may copy from, on the patches' grid."""
    reach = REACH_PX + 32
    box = Region(int(x0), int(y0), int(np.ceil(x1 - x0)) + 1, int(np.ceil(y1 - y0)) + 1)
    return box.grown(reach, ALIGN, *pyramid.size(0))


def _hair_patch(pyramid: Pyramid, hair: Hair, others: tuple[Hair, ...]) -> Patch | None:
    x, y, w, h = hair.box
    box = _surroundings(pyramid, x, y, x + w, y + h)
    hole = _mask_in(box, hair)
    avoid = np.zeros_like(hole)
    for other in others:
        if other is not hair and _meets(box, other.box):
            avoid |= _mask_in(box, other)
    before = pyramid.read(0, box)
    return make_patch(box, before, mend(before, hole, avoid))


def _meets(box: Region, other: tuple[int, int, int, int]) -> bool:
    x, y, w, h = other
    return x < box.right and x + w > box.x and y < box.bottom and y + h > box.y


def _mask_in(box: Region, hair: Hair) -> NDArray[np.bool_]:
    out = np.zeros((box.h, box.w), bool)
    x, y, w, h = hair.box
    x0, y0, x1, y1 = max(x, box.x), max(y, box.y), min(x + w, box.right), min(y + h, box.bottom)
    if x0 < x1 and y0 < y1:
        out[y0 - box.y : y1 - box.y, x0 - box.x : x1 - box.x] = hair.mask[y0 - y : y1 - y, x0 - x : x1 - x]
    return out


def _touch_patch(sheet: Sheet, pyramid: Pyramid, touch: Touch) -> Patch | None:
    frame = sheet.frame
    size = np.array(frame.scan, np.float64)
    points = frame.from_scan(np.asarray(touch.points, np.float64) * size)
    radius = touch.radius * max(frame.scan)
    low, high = points.min(axis=0) - radius, points.max(axis=0) + radius
    width, height = pyramid.size(0)
    if (high < 0).any() or low[0] >= width or low[1] >= height:
        return None  # beside the sheet
    low, high = np.maximum(low, 0), np.minimum(high, [width, height])
    box = _surroundings(pyramid, low[0], low[1], high[0], high[1])
    if box.w * box.h > _MOST_PX:
        return None
    stroke = BrushStroke(points - [box.x, box.y], radius, 1.0)
    strength = stroke_strength(stroke, box.w, box.h)
    before = pyramid.read(0, box)
    if touch.kind == "copy":
        return _copied(sheet, pyramid, touch, points, box, before, strength)
    hole = strength > 0.25
    return make_patch(box, before, mend(before, hole, None, int(np.clip(radius, 16, 40))))


def _copied(
    sheet: Sheet, pyramid: Pyramid, touch: Touch, points: NDArray[np.float64], box: Region, before: Pixels,
    strength: NDArray[np.float32],
) -> Patch | None:  # fmt: skip
    """Pixels from the source, moved, under the target's light, through the brush's soft rim."""
    if touch.source is None:
        return None
    source = sheet.frame.from_scan(np.asarray([touch.source], np.float64) * np.array(sheet.frame.scan, np.float64))[0]
    dx, dy = np.rint(source - points[0]).astype(int).tolist()
    width, height = pyramid.size(0)
    x0, y0 = max(box.x, -dx, 0), max(box.y, -dy, 0)
    x1, y1 = min(box.right, width - dx), min(box.bottom, height - dy)
    if x0 >= x1 or y0 >= y1:
        return None
    taken = pyramid.read(0, Region(x0 + dx, y0 + dy, x1 - x0, y1 - y0))
    top = np.float32(255 if taken.dtype == np.uint8 else 65535)
    r = sheet.readings
    here = sample_grid(r.light, r.cell_px, x0, y0, x1 - x0, y1 - y0, 0)
    there = sample_grid(r.light, r.cell_px, x0 + dx, y0 + dy, x1 - x0, y1 - y0, 0)
    lit = srgb_encode(np.clip(srgb_decode(taken.astype(np.float32) / top) * here / np.maximum(there, 1e-4), 0, 1)) * top
    after = before.astype(np.float32)
    part = (slice(y0 - box.y, y1 - box.y), slice(x0 - box.x, x1 - box.x))
    share = (np.clip(strength * 2, 0, 1) * np.float32(touch.strength))[..., None]
    after[part] = after[part] * (1 - share[part]) + lit * share[part]
    return make_patch(box, before, np.rint(after))
