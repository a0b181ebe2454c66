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
from dataclasses import dataclass, replace
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
from woad.core.paper.growth import grow, low_order, smooth
from woad.core.paper.gutter import Gutter, find_gutter
from woad.core.paper.shading import shading_of, widened
from woad.core.paper.shadow import Shadow, find_shadow
from woad.core.paper.smooth_light import of_paper_hue
from woad.core.paper.toned import without_light_marks
from woad.core.paper.toning import find_toning
from woad.core.paper.waves import under_paint
from woad.core.raster.channels import grey_of

Plane = NDArray[np.float32]

_CENTRED = 0.001  # natural log; paper whose hump lies further from the light is blotchy, not just rough
_BLOCKS = 64  # blocks along the longer side
_CENTRING = 3  # rounds
_OFF_HUMP, _MOST_UNREST = 0.2, 0.12  # natural log, how far the hump may lie off the light, and its deviation at most
_SHADOWS = 4  # edges of shadows, and lines towards which light falls off, that are looked for
_PER_SIGMA, _FINEST = 0.8, 16  # cells of light are no larger than that share of a shadow's edge; how much finer at most


@dataclass(frozen=True, eq=False)
class LightField:
    """``grid`` (gh, gw, C) float32: linear value of bare paper at the centres of a coarse grid of cells.

    The grid spans the sheet exactly: cell (0, 0) covers the sheet's corner. ``paper_share`` is the share of the
    sheet that was taken for bare paper, ``spread`` the paper's relative standard deviation at the scale measured;
    ``toned`` whether time has browned it here and there.
    """

    grid: Plane
    paper_share: float
    spread: float
    toned: bool = False

    def mean(self) -> tuple[float, ...]:
        """Geometric mean of the paper's linear value per channel."""
        return tuple(float(v) for v in np.exp(np.log(self.grid).mean(axis=(0, 1))))

    def unevenness(self) -> float:
        """Ratio of the lightest to the darkest paper (98th to 2nd percentile)."""
        low, high = np.percentile(self.grid.mean(axis=2), [2, 98])
        return float(high / max(low, 1e-6))


_MARGIN = 0.9  # share of a block that lies in a margin to tell what paper is
_MOST_FIT = 0.5  # of what is as light as the paper, that is of its hue at least

# Rounds of growth: reach of the local planes in blocks, how much darker paper may turn, repetitions.
_GROWTH = ((8.0, 0.10, 4), (4.0, 0.10, 6), (2.2, 0.11, 30), (2.2, 0.05, 8), (2.5, 0.0, 8))
_QUICK_GROWTH = ((8.0, 0.10, 1), (4.0, 0.10, 2), (2.5, 0.11, 7), (2.5, 0.0, 2))


def estimate_light(linear: Plane, quick: bool = False) -> LightField | NoEstimate:
    """Estimate the paper's light from a reduced sheet.

    Parameters: ``linear`` (h, w, C) float32 linear light, about 700 to 1400 pixels long; ``quick`` for a first look,
    that may be less exact in deep shadows.
    Returns the field, or why there is none (nothing on the sheet looks like paper).
    """
    logs = np.log(np.maximum(linear, np.float32(2e-4)))
    guide = grey_of(logs)
    if on_dark_ground(guide):
        return NoEstimate("its ground is dark, and what is light on it are marks rather than paper")
    filled = without_light_marks(logs, guide)
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
        toning = find_toning(guide, tone, share, hue, size)
        if toning is not None:
            logs = logs - toning.log_light((guide.shape[0], guide.shape[1]))
            cutting, guide = beside.submit(cut, logs), grey_of(logs)
            tone, share, spread = blocks_of(guide, size)
            hue = hues(logs, guide, tone, spread, size)
        cells = cutting.result()
        margin = find_bare_margin(cells)
        washed = np.zeros(tone.shape, bool)
        if margin is not None:
            own = cv2.resize(margin.astype(np.float32), guide.shape[::-1], interpolation=cv2.INTER_NEAREST)
            washed = to_blocks(own, size) < _MARGIN
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
        shadow = find_shadow(tone, hue, share * share * fitting, extent, guide, parts) or find_gutter(logs, guide)
        if shadow is None:
            break
        known.append(shadow)
        logs = logs - shadow.log_light((h, w), (h, w))
        guide, cells = grey_of(logs), relit(cells, shadow.log_light(cells.top.shape, (h, w)))
        tone, share, spread = blocks_of(guide, size)
        hue = hues(logs, guide, tone, spread, size)
    if known:
        taken = np.add.reduce([grey_of(shadow.log_light(tone.shape, (h, w))) for shadow in known])
        drawn = widened(drawn, tone, share, spread, taken)
        fitting, cells = fitting * ~drawn, without(cells, drawn)
    growth = _QUICK_GROWTH if quick else _GROWTH
    blocks = (tone, share * fitting, spread)
    field = _without_edges(logs, guide, cells, parts, blocks, drawn, size, growth, painted, margin is not None)
    if isinstance(field, NoEstimate):
        return field
    grid = _with_edges(field.grid, known, (h, w)) if known else field.grid
    grid = grid if quick else as_seen(grid, drawn=drawn)
    if toning is not None:
        grid = np.asarray(grid * np.exp(toning.log_light((grid.shape[0], grid.shape[1]))), np.float32)
    return replace(field, grid=grid, toned=toning is not None and toning.brown)


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
    logs: Plane,
    guide: Plane,
    cells: Cells,
    parts: NDArray[np.int32],
    blocks: Blocks,
    drawn: NDArray[np.bool_],
    size: int,
    growth: tuple[tuple[float, float, int], ...],
    painted: bool,
    margin_only: bool,
) -> LightField | NoEstimate:
    """The light of a sheet whose shadows, if their edges were found, are out of ``logs`` already; ``parts`` numbers the areas
    that blocks lie in, ``drawn`` are those that show no paper; toned and ``painted`` paper may have paint as light as itself,
    and where it shows as a ``margin_only``, the most usual tone is no paper's."""
    tone, share, spread = blocks
    surface = low_order(tone, share)
    follow = partial(grow, tone, share, surface, spread, growth)
    areas = find_areas(cells, spanning(surface, size, *guide.shape), spread, follow)
    paint = spanning(drawn.astype(np.float32), size, *guide.shape) > 0
    if areas is not None:
        paint |= areas.paint
        surface = to_blocks(cv2.resize(areas.light, guide.shape[::-1], interpolation=cv2.INTER_LINEAR), size)
    # A block that paint covers in part shows no paper to go by.
    covered = to_blocks(paint.astype(np.float32), size)
    share = share * np.maximum(1 - 3 * covered, 0) ** 2
    surface = under_paint(tone, grow(tone, share, surface, spread, growth, covered), covered, parts)
    return _refine(logs, guide, surface, spread, size, paint, painted, margin_only)


def _refine(
    logs: Plane, guide: Plane, surface: Plane, spread: float, size: int, paint: NDArray[np.bool_], painted: bool,
    margin_only: bool,
) -> LightField | NoEstimate:  # fmt: skip
    """Final field from single pixels that are paper and stand clear of marks, channel by channel."""
    h, w = guide.shape
    gh, gw = surface.shape
    coarse = spanning(surface, size, h, w)
    # Twice the block grid, laid exactly over the sheet.
    cells = (max(2, gw * 2), max(2, gh * 2))
    # The first mask is wide, so that a shadow's soft edge, which the blocks cut short, is learnt from its pixels.
    for give in (0.05, 0.025):
        clear = _paper_mask(guide - coarse, max(give, 2.2 * spread), spread, paint)
        if float(clear.mean()) < 0.002:
            return NoEstimate("no bare paper was found on the sheet")
        coarse = _surface(guide, clear, coarse, cells)
    # Mottled paper lies on both sides of its mean, and the first masks saw most of the lighter side: centre on its hump.
    mottled = False
    bare = ~paint if margin_only else None
    for _ in range(_CENTRING):
        middle, unrest = _hump(guide - coarse, bare)
        if not mottled and abs(middle) < _CENTRED:
            break
        mottled, spread, coarse = True, max(spread, unrest), coarse + np.float32(middle)
        clear = _paper_mask(guide - coarse, 3.3 * spread, spread, paint)
        coarse = _surface(guide, clear, coarse, cells)
    clear = _paper_mask(guide - coarse, max(0.012, (3.3 if mottled else 2.2) * spread), spread, paint)
    if float(clear.mean()) < 0.002:
        return NoEstimate("no bare paper was found on the sheet")
    if painted:
        clear = _of_paper_hue(logs, guide, clear, coarse, cells)
    light = _from_pixels(logs, clear, coarse, cells)
    if mottled:
        done = cv2.resize(light.mean(axis=2), (w, h), interpolation=cv2.INTER_LINEAR)
        light = light + np.float32(_hump(guide - done, bare)[0])
    kept = (guide - coarse)[clear]
    return LightField(np.exp(light), float(clear.mean()), float(np.std(kept)))


def _of_paper_hue(
    logs: Plane, guide: Plane, clear: NDArray[np.bool_], coarse: Plane, cells: tuple[int, int]
) -> NDArray[np.bool_]:
    """Of ``clear`` pixels (h, w) those in ``cells`` of the paper's hue; all of them where that would be hardly any."""
    weight = clear.astype(np.float32)
    share, tone, surface = (
        cv2.resize(p, cells, interpolation=cv2.INTER_AREA) for p in (weight, guide * weight, coarse)
    )
    own = cv2.resize(logs * weight[..., None], cells, interpolation=cv2.INTER_AREA).reshape(*share.shape, -1)
    tone, own = tone / np.maximum(share, 1e-4), own / np.maximum(share, 1e-4)[..., None]
    fits = of_paper_hue(tone, own - tone[..., None], share, np.asarray(surface, np.float32))
    paper = clear & (cv2.resize(fits, clear.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0.5)
    return paper if np.count_nonzero(paper) > _MOST_FIT * np.count_nonzero(clear) else clear


def _surface(guide: Plane, clear: NDArray[np.bool_], coarse: Plane, cells: tuple[int, int]) -> Plane:
    """Log light at every pixel (h, w), from the ``clear`` ones of ``guide``."""
    field = _from_pixels(guide[..., None], clear, coarse, cells)
    return np.asarray(cv2.resize(field, guide.shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)


def _hump(residual: Plane, bare: NDArray[np.bool_] | None) -> tuple[float, float]:
    """Middle of the paper's hump in ``residual`` (h, w), where it is ``bare`` if that is known, and its standard deviation,
    read from the lighter flank."""
    calm = np.ascontiguousarray(cv2.GaussianBlur(residual, (0, 0), 1.2)[::2, ::2])  # its pixels go together in twos
    bins, reach = 160, 0.4
    asked = None if bare is None else bare[::2, ::2].astype(np.uint8)
    counts = cv2.calcHist([calm], [0], asked, [bins], [-reach, reach]).ravel()
    smooth = np.convolve(counts, np.exp(-0.5 * (np.arange(-9, 10) / 3.0) ** 2), mode="same")
    middle = ((int(np.argmax(smooth)) + 0.5) * 2 / bins - 1) * reach
    residual = residual[::2, ::2] if asked is None else residual[::2, ::2][asked > 0]
    lighter = residual[residual > middle] - middle
    if lighter.size < 200 or abs(middle) > _OFF_HUMP:
        return 0.0, 0.0
    unrest = float(min(np.percentile(lighter, 68.3), _MOST_UNREST))
    # A hump that does not hold most of the sheet is not the paper's: hatching has tones of its own.
    held = float((np.abs(residual - middle) < 2.5 * unrest).mean())
    if held <= 0.5:
        return 0.0, 0.0
    for _ in range(_CENTRING):  # its highest place is uncertain by a bin or two, its middle is not
        middle = float(residual[np.abs(residual - middle) < 2 * unrest].mean())
    return middle, unrest


def _from_pixels(values: Plane, clear: NDArray[np.bool_], prior_full: Plane, cells: tuple[int, int]) -> Plane:
    """Log light on the fine grid, (gh, gw, C), from clear pixels of ``values`` (h, w, C), falling back on the prior
    (h, w) where marks cover all."""
    weight = clear.astype(np.float32)
    den = cv2.resize(weight, cells, interpolation=cv2.INTER_AREA)
    prior = cv2.resize(prior_full, cells, interpolation=cv2.INTER_AREA)
    planes = []
    for c in range(values.shape[2]):
        # Means of residuals, not of values: a cell half hidden by a mark is then not pulled along the slope of the light.
        num = cv2.resize(
            cv2.multiply(cv2.subtract(values[..., c], prior_full), weight), cells, interpolation=cv2.INTER_AREA
        )
        residual = np.where(den > 1e-4, num / np.maximum(den, 1e-4), 0).astype(np.float32)
        field = np.full_like(prior, np.sum(residual * den) / max(float(den.sum()), 1e-6))
        for sigma in (10.0, 5.0, 2.6, 1.7):
            field = smooth(residual, den, sigma, field, 0.03)
        planes.append(prior + field)
    return np.stack(planes, axis=2)


def _paper_mask(residual: Plane, give: float, spread: float, paint: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Pixels no more than ``give`` darker than the surface, without ``paint`` and not next to a mark (as far as there
    are such)."""
    light = (residual < max(give, 4 * spread, 0.03)) & ~paint
    clear = light
    for margin, blur in ((5, 1.2), (3, 0.8), (1, 0.0)):
        smooth = cv2.GaussianBlur(residual, (0, 0), blur) if blur else residual
        marks = (smooth < -give) | (residual < -max(1.8 * give, 4 * spread))
        near = cv2.dilate(marks.astype(np.uint8), np.ones((margin, margin), np.uint8)) > 0
        clear = ~near & light
        # In dense hatching no pixel stands clear of marks: then the middles of the gaps have to do.
        if float(clear.mean()) > 0.01:
            break
    return np.asarray(clear, np.bool_)
