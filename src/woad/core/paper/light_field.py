"""The light that fell on the sheet: a smooth field per channel, read from bare paper only.

Method: light marks on toned paper filled with it; what time has done to an old page, gutters and the edges of shadows,
if any are found, taken out; paper tone per block; a low-order surface fitted robustly from one side (marks only ever
darken), then normalised convolution at shrinking scales over paper candidates, growing into other soft shadows by
continuity; marks are bridged; what a hand's shadow takes besides is read last. Sources: asymmetric least squares after
Newey and Powell (1987); normalised convolution after Knutsson and Westin (1993); one-sided background surfaces are the
usual tool of document imaging.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.paper.areas import find_areas
from woad.core.paper.bare_margin import find_bare_margin
from woad.core.paper.blocks import Blocks, at_blocks, blocks_of, hues, spanning, to_blocks
from woad.core.paper.cast import with_cast
from woad.core.paper.cells import Cells, cut, relit, without
from woad.core.paper.dark_ground import on_dark_ground
from woad.core.paper.growth import grow, low_order
from woad.core.paper.gutter import Gutter, find_gutter
from woad.core.paper.refine import LightField, Seen, refined
from woad.core.paper.shading import enclosed, shading_of, widened
from woad.core.paper.shadow import Shadow, find_shadow
from woad.core.paper.smooth_light import of_paper_hue
from woad.core.paper.tint import telling_weights
from woad.core.paper.toned import rim_colour, without_light_marks
from woad.core.paper.toning import find_toning
from woad.core.paper.waves import under_paint
from woad.core.raster.channels import folded, grey_of

Plane = NDArray[np.float32]

_BLOCKS = 64  # blocks along the longer side
# Share of what passes for paper that is left without enclosed tones, from which on they hide no shadow.
_BEFORE_IT = 0.99
_SHADOWS = 4  # edges of shadows, and lines towards which light falls off, that are looked for
_PER_SIGMA, _FINEST = 0.8, 16  # cells of light are no larger than that share of a shadow's edge; how much finer at most
# What was taken for paper is paint of several colours when it makes up less than that share of the sheet, and its hue changes
# by more than two lamps of different colours make it (natural log); the less of it there is, the less that may be.
_MOTLEY = (0.25, 0.5), (0.5, 0.7)
_MARGIN = 0.9  # share of a block that lies in a margin to tell what paper is

# Rounds of growth: reach of the local planes in blocks, how much darker paper may turn, repetitions.
_GROWTH = ((8.0, 0.10, 4), (4.0, 0.10, 6), (2.2, 0.11, 30), (2.2, 0.05, 8), (2.5, 0.0, 8))
_QUICK_GROWTH = ((8.0, 0.10, 1), (4.0, 0.10, 2), (2.5, 0.11, 7), (2.5, 0.0, 2))


def estimate_light(linear: Plane, quick: bool = False) -> LightField | NoEstimate:
    """Estimate the paper's light from a reduced sheet.

    Parameters: ``linear`` (h, w, C) float32 linear light, about 700 to 1400 pixels long; ``quick`` for a first look,
    that may be less exact in deep shadows, and leaves gutters and what time has done to an old page.
    Returns the field, or why there is none (nothing on the sheet looks like paper).
    """
    logs = np.log(np.maximum(linear, np.float32(2e-4)))
    guide = grey_of(logs)
    if on_dark_ground(guide):
        return NoEstimate("its ground is dark, and what is light on it are marks rather than paper")
    filled = without_light_marks(logs, guide)
    if filled is logs and (telling := telling_weights(rim_colour(logs))) is not None:
        filled = without_light_marks(logs, folded(logs, telling))
    painted = filled is not logs
    if painted:
        logs, guide = filled, grey_of(filled)
    with ThreadPoolExecutor(1) as beside:
        cutting = beside.submit(cut, logs)  # as long as all that blocks tell
        size = max(4, round(max(guide.shape) / _BLOCKS))
        tone, share, spread = blocks_of(guide, size)
        if float(np.exp(np.percentile(tone, 98))) < 0.02:
            return NoEstimate("the sheet is dark all over: nothing on it is light enough to be paper")
        hue = hues(logs, guide, tone, spread, size)
        toning = None if quick else find_toning(guide, tone, share, hue, size)
        if toning is not None:
            logs = logs - toning.log_light((guide.shape[0], guide.shape[1]))
            cutting, guide = beside.submit(cut, logs), grey_of(logs)
            tone, share, spread = blocks_of(guide, size)
            hue = hues(logs, guide, tone, spread, size)
        cells = cutting.result()
        of_margin = find_bare_margin(cells)
        margin: NDArray[np.bool_] | None = None
        washed = np.zeros(tone.shape, bool)
        if of_margin is not None:
            own = cv2.resize(of_margin.astype(np.float32), guide.shape[::-1], interpolation=cv2.INTER_NEAREST)
            margin, washed = own > 0, to_blocks(own, size) < _MARGIN
            share = share * ~washed
        lit = low_order(tone, share)
        drawn = shading_of(tone, lit, spread) | washed
        fitting = of_paper_hue(tone, hue, share * ~drawn, lit) * ~drawn
        parts, crisp = at_blocks(cells.labels, guide.shape, size), cells.labels == 0
        cells = without(cells, fitting < 0.5)
    extent = (guide.shape[0] / size, guide.shape[1] / size)
    h, w = guide.shape
    # Told by the sheet as it is, before any shadow is taken out.
    as_seen = partial(with_cast, logs=logs, tone=tone, lit=lit, block=size, spread=spread, crisp=crisp)
    known: list[Shadow | Gutter] = []
    while len(known) < _SHADOWS:
        sure = share * share * fitting
        shadow: Shadow | Gutter | None = find_shadow(tone, hue, sure, extent, guide, parts)
        if shadow is None and not quick:
            shadow = find_gutter(logs, guide) or _behind_drawn(tone, hue, sure, extent, guide, parts)
        if shadow is None:
            break
        known.append(shadow)
        logs = logs - shadow.log_light((h, w), (h, w))
        guide, cells = grey_of(logs), relit(cells, shadow.log_light(cells.top.shape, (h, w)))
        tone, share, spread = blocks_of(guide, size)
        hue = hues(logs, guide, tone, spread, size)
    if known:
        taken = np.add.reduce([grey_of(shadow.log_light(tone.shape, (h, w))) for shadow in known])
        bent = any(isinstance(shadow, Shadow) and shadow.bent for shadow in known)
        drawn = widened(drawn, tone, share, spread, taken, bent)
        fitting, cells = fitting * ~drawn, without(cells, drawn)
    growth = _QUICK_GROWTH if quick else _GROWTH
    blocks = (tone, share * fitting, spread)
    seen = Seen(logs, guide, painted, margin)
    field = _without_edges(seen, cells, parts, blocks, drawn & ~washed, size, growth)
    if isinstance(field, NoEstimate):
        return field
    grid = _with_edges(field.grid, known, (h, w)) if known else field.grid
    grid = grid if quick else as_seen(grid, drawn=drawn)
    out = replace(field, grid=grid)
    limits = [limit for most, limit in _MOTLEY if out.paper_share < most]
    if limits and out.hue_range() > min(limits):
        return NoEstimate("hardly any bare paper is seen on it, and what is as light has several colours")
    if toning is None:
        return out
    grid = np.asarray(grid * np.exp(toning.log_light((grid.shape[0], grid.shape[1]))), np.float32)
    return replace(out, grid=grid, toned=toning.brown)


def _behind_drawn(
    tone: Plane, hue: Plane, sure: Plane, extent: tuple[float, float], guide: Plane, parts: NDArray[np.int32]
) -> Shadow | None:
    """The shadow, of those that :func:`find_shadow` looks for, whose straight edge is seen only without the drawn tones that
    lie before it: before a bent one what is enclosed may be a hand's fingers."""
    bare = sure * ~enclosed(tone)
    if float(bare.sum()) >= _BEFORE_IT * float(sure.sum()):
        return None
    shadow = find_shadow(tone, hue, bare, extent, guide, parts)
    return None if shadow is None or shadow.bent else shadow


def _with_edges(grid: Plane, shadows: list[Shadow | Gutter], sheet: tuple[int, int]) -> Plane:
    """The light with its shadows, on a grid (gh, gw, C) over a sheet of (h, w) px, as fine as their edges ask for."""
    crispest = min(shadow.sigma for shadow in shadows)
    finer = int(np.clip(np.ceil(2 / max(grid.shape[:2]) / (_PER_SIGMA * crispest)), 1, _FINEST))
    if finer > 1:
        size = (grid.shape[1] * finer, grid.shape[0] * finer)
        grid = np.asarray(cv2.resize(grid, size, interpolation=cv2.INTER_LINEAR)).reshape(size[1], size[0], -1)
    shape = (grid.shape[0], grid.shape[1])
    for shadow in shadows:
        grid = np.asarray(grid * np.exp(shadow.log_light(shape, sheet)), np.float32)
    return grid


def _without_edges(
    seen: Seen,
    cells: Cells,
    parts: NDArray[np.int32],
    blocks: Blocks,
    drawn: NDArray[np.bool_],
    size: int,
    growth: tuple[tuple[float, float, int], ...],
) -> LightField | NoEstimate:
    """The light of a sheet whose shadows, if their edges were found, are out of what is ``seen`` already; ``parts`` numbers
    the areas that blocks lie in, ``drawn`` are those within paper that show none."""
    tone, share, spread = blocks
    surface = low_order(tone, share)
    follow = partial(grow, tone, share, surface, spread, growth)
    areas = find_areas(cells, spanning(surface, size, *seen.guide.shape), spread, follow)
    paint = spanning(drawn.astype(np.float32), size, *seen.guide.shape) > 0
    if seen.margin is not None:
        paint |= ~seen.margin
    if areas is not None:
        paint |= areas.paint
        surface = to_blocks(cv2.resize(areas.light, seen.guide.shape[::-1], interpolation=cv2.INTER_LINEAR), size)
    # A block that paint covers in part shows no paper to go by.
    covered = to_blocks(paint.astype(np.float32), size)
    share = share * np.maximum(1 - 3 * covered, 0) ** 2
    surface = under_paint(tone, grow(tone, share, surface, spread, growth, covered), covered, parts)
    return refined(seen, surface, spread, size, paint)
