"""The light that fell on the sheet: a smooth field per channel, read from bare paper only.

Method: paper tone per block, a low-order surface fitted robustly from one side (marks only ever darken), then
normalised convolution at shrinking scales over paper candidates, growing into soft shadows by continuity; marks
are bridged. Sources: asymmetric least squares after Newey and Powell (1987); normalised convolution after
Knutsson and Westin (1993); one-sided background surfaces are the usual tool of document imaging.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.paper.areas import find_areas
from woad.core.paper.cells import cut, relit
from woad.core.paper.soft_shadow import find_soft_shadow
from woad.core.raster.channels import grey_of

Plane = NDArray[np.float32]

_MOTTLED = 0.022  # paper whose tone varies by more than this is blotchy, not just rough
_BORNE = 2.2  # blocks of paper around that bear a surface
_BOLD = 0.02  # natural log, how far a slope may rise without them
_BLOCKS = 64  # blocks along the longer side


@dataclass(frozen=True, eq=False)
class LightField:
    """``grid`` (gh, gw, C) float32: linear value of bare paper at the centres of a coarse grid of cells.

    The grid spans the sheet exactly: cell (0, 0) covers the sheet's corner. ``paper_share`` is the share of the
    sheet that was taken for bare paper, ``spread`` the paper's relative standard deviation at the scale measured.
    """

    grid: Plane
    paper_share: float
    spread: float

    def mean(self) -> tuple[float, ...]:
        """Geometric mean of the paper's linear value per channel."""
        return tuple(float(v) for v in np.exp(np.log(self.grid).mean(axis=(0, 1))))

    def unevenness(self) -> float:
        """Ratio of the lightest to the darkest paper (98th to 2nd percentile)."""
        low, high = np.percentile(self.grid.mean(axis=2), [2, 98])
        return float(high / max(low, 1e-6))


# Rounds of growth: reach of the local planes in blocks, how much darker paper may turn, repetitions.
_GROWTH = ((8.0, 0.10, 4), (4.0, 0.10, 6), (2.2, 0.11, 30), (2.2, 0.05, 8), (2.5, 0.0, 8))
_QUICK_GROWTH = ((8.0, 0.10, 1), (4.0, 0.10, 2), (2.5, 0.11, 7), (2.5, 0.0, 2))


def estimate_light(linear: Plane, quick: bool = False) -> LightField | NoEstimate:
    """Estimate the paper's light from a reduced sheet.

    Parameters: ``linear`` (h, w, C) float32 linear light, about 700 to 1400 pixels long; ``quick`` for a first look,
    that may be less exact in deep shadows.
    Returns the field, or why there is none (nothing on the sheet looks like paper).
    """
    h, w = linear.shape[:2]
    logs = np.log(np.maximum(linear, np.float32(2e-4)))
    guide = grey_of(logs)
    size = max(4, round(max(h, w) / _BLOCKS))
    tone, share, spread = _blocks(guide, size)
    cells = cut(logs)
    parts = cv2.resize(cells.labels.astype(np.float32), tone.shape[::-1], interpolation=cv2.INTER_NEAREST).astype(
        np.int32
    )
    hue = partial(_hues, logs, guide, tone, spread, size)
    shadow = find_soft_shadow(tone, hue, share * share, (h / size, w / size), parts)
    if shadow is not None:
        logs = logs - shadow.log_light((h, w))
        guide = grey_of(logs)
        tone, share, spread = _blocks(guide, size)
        cells = relit(cells, shadow.log_light(cells.top.shape))
    if float(np.exp(np.percentile(tone, 98))) < 0.02:
        return NoEstimate("the sheet is dark all over: nothing on it is light enough to be paper")
    surface = _low_order(tone, share)
    growth = _QUICK_GROWTH if quick else _GROWTH
    follow = partial(_grow, tone, share, surface, spread, growth)
    areas = find_areas(cells, _spanning(surface, size, h, w), spread, follow)
    if areas is not None:
        covered = cv2.resize(areas.paint.astype(np.float32), tone.shape[::-1], interpolation=cv2.INTER_AREA)
        share = share * (1 - covered) ** 2
        surface = np.asarray(cv2.resize(areas.light, tone.shape[::-1], interpolation=cv2.INTER_AREA), np.float32)
    surface = _grow(tone, share, surface, spread, growth)
    field = _refine(logs, guide, surface, spread, size, None if areas is None else areas.paint)
    if shadow is None or isinstance(field, NoEstimate):
        return field
    shape = (field.grid.shape[0], field.grid.shape[1])
    return replace(field, grid=field.grid * np.exp(shadow.log_light(shape)))


def _hues(logs: Plane, guide: Plane, tone: Plane, spread: float, size: int) -> Plane:
    """Mean hue per block of what is as light as its paper, (gh, gw, C)."""
    gh, gw = tone.shape
    h, w = guide.shape
    paper = (guide > _spanning(tone, size, h, w) - 3 * spread).astype(np.float32)
    hue = np.dstack([(logs - guide[..., None]) * paper[..., None], paper])
    hue = cv2.copyMakeBorder(hue, 0, gh * size - h, 0, gw * size - w, cv2.BORDER_CONSTANT)
    mean = cv2.resize(hue, (gw, gh), interpolation=cv2.INTER_AREA)
    return np.asarray(mean[..., :-1] / np.maximum(mean[..., -1:], np.float32(1e-3)), np.float32)


def _spanning(blocks: Plane, size: int, h: int, w: int) -> Plane:
    """A plane of blocks enlarged to the sheet (h, w)."""
    gh, gw = blocks.shape
    large = cv2.resize(blocks, (gw * size, gh * size), interpolation=cv2.INTER_LINEAR)
    return np.asarray(large, np.float32)[:h, :w]


def _blocks(guide: Plane, size: int) -> tuple[Plane, Plane, float]:
    """Per block: the tone its lightest material has, the share of the block that has it; and the paper's spread."""
    h, w = guide.shape
    gh, gw = -(-h // size), -(-w // size)
    padded = cv2.copyMakeBorder(guide, 0, gh * size - h, 0, gw * size - w, cv2.BORDER_REFLECT_101)
    cells = padded.reshape(gh, size, gw, size).transpose(0, 2, 1, 3).reshape(gh, gw, size * size)
    cells = np.sort(cells, axis=2)
    n = cells.shape[2]
    high = cells[..., int(n * 0.9)]
    # Spread of bare paper, from the lighter half of each block only; the flattest third of all blocks is paper.
    at = {share: cells[..., min(n - 1, int(n * share))] for share in (0.5, 0.8, 0.95, 0.98)}
    upper = (high - at[0.5]) / np.float32(1.2816)
    bright = high >= np.percentile(high, 40)
    spread = float(np.percentile(upper[bright], 35))
    if spread > 0.03:
        # No paper is as rough as that at this scale: hatching or shading lies nearly everywhere, and only the lightest
        # slices of a block are paper.
        slices = np.minimum((at[0.95] - at[0.8]) / 0.8033, (at[0.98] - high) / 0.7722)
        spread = min(0.03, float(np.percentile(slices[bright], 35)))
    spread = max(spread, 0.0015)
    window = cells >= (high - 2.6 * spread)[..., None]
    count = window.sum(axis=2)
    tone = (cells * window).sum(axis=2) / count
    texture = np.sqrt(np.maximum((cells**2 * window).sum(axis=2) / count - tone**2, 0))
    share = np.clip((count / n - 0.1) / 0.4, 0.02, 1)
    # Graphite and dry brush are rougher than bare paper in the same light.
    rough = np.clip((upper / (spread * 3.0)) - 0.5, 0, 1)
    share = share * (1 - 0.9 * rough) * np.where(texture > 0, 1, 0.8)
    return tone.astype(np.float32), share.astype(np.float32), spread


def _low_order(tone: Plane, share: Plane) -> Plane:
    """Quadratic surface through the paper, fitted from the lighter side."""
    usual = float(np.percentile(tone[share >= np.percentile(share, 50)], 85))
    surface = _from_above(tone, share, usual)
    # Where most of the sheet is ink, the usual start takes ink for paper. Nothing lies above paper, so if a part of the
    # sheet does, begin at the light end instead.
    if float((tone - surface > 0.2).mean()) > 0.015:
        surface = _from_above(tone, share, float(np.percentile(tone, 97)))
    return surface


def _from_above(tone: Plane, share: Plane, start: float) -> Plane:
    """Asymmetric least squares from a constant ``start``: what lies below loses its weight as the fit tightens."""
    gh, gw = tone.shape
    y, x = np.mgrid[-1 : 1 : gh * 1j, -1 : 1 : gw * 1j]
    basis = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1).reshape(-1, 6)
    z, base = tone.reshape(-1).astype(np.float64), share.reshape(-1).astype(np.float64)
    surface = np.full(z.shape, start)
    for step in range(24):
        give = 0.35 * 0.82**step + 0.03
        residual = z - surface
        weight = base * np.where(residual > 0, 1.0, np.exp(-((residual / give) ** 2)))
        a = basis * weight[:, None]
        # A whisper of ridge on slopes keeps sheets with little paper from bending wildly.
        ridge = np.diag([1e-6, 1e-3, 1e-3, 4e-3, 4e-3, 4e-3]) * weight.sum()
        surface = basis @ np.linalg.solve(basis.T @ a + ridge, a.T @ z)
    return np.asarray(surface.reshape(gh, gw), np.float32)


def _smooth(values: Plane, weight: Plane, sigma: float, prior: Plane, trust: float) -> Plane:
    """Normalised convolution of residuals from ``prior``; falls back to the prior where there is no weight."""
    # Residuals rather than values: the border of the sheet is then not pulled inwards along a slope.
    num = cv2.GaussianBlur(((values - prior) * weight).astype(np.float32), (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    den = cv2.GaussianBlur(weight.astype(np.float32), (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    return np.asarray(prior + num / (den + trust), np.float32)


def _local_plane(values: Plane, weight: Plane, sigma: float, prior: Plane) -> Plane:
    """Plane fitted around every cell by Gaussian-weighted least squares on residuals from ``prior``.

    A local plane carries a slope on beyond its support, so the field can follow a shadow's soft edge outwards,
    which a local mean cannot. Source: Cleveland, Locally weighted regression (1979), degree 1.
    """

    gh, gw = values.shape
    y, x = np.mgrid[0:gh, 0:gw].astype(np.float32)
    z = values - prior
    # All sums in one call: on so few cells a call costs more than its work.
    terms = np.stack([np.ones_like(x), x, y, x * x, y * y, x * y, z, x * z, y * z], axis=2)
    blurred = cv2.GaussianBlur(terms * weight[..., None], (0, 0), sigma, borderType=cv2.BORDER_CONSTANT)
    w0 = blurred[..., 0]
    # Second moments about the cell itself, with the slope held back where the support is thin.
    cx, cy, mxx, myy, mxy, mz, mxz, myz = (blurred[..., i] / np.maximum(w0, 1e-6) for i in range(1, 9))
    sxx, syy, sxy = mxx - cx * cx, myy - cy * cy, mxy - cx * cy
    sxz, syz = mxz - cx * mz, myz - cy * mz
    sxx, syy = sxx + 0.15 * sigma, syy + 0.15 * sigma
    det = np.maximum(sxx * syy - sxy * sxy, 1e-6)
    slope_x, slope_y = (sxz * syy - syz * sxy) / det, (syz * sxx - sxz * sxy) / det
    dx, dy = np.clip(x - cx, -1.5 * sigma, 1.5 * sigma), np.clip(y - cy, -1.5 * sigma, 1.5 * sigma)
    plane = mz + slope_x * dx + slope_y * dy
    trust = w0 / (w0 + 0.01)
    return np.asarray(prior + plane * trust, np.float32)


def _grow(
    tone: Plane, share: Plane, surface: Plane, spread: float, growth: tuple[tuple[float, float, int], ...]
) -> Plane:
    """Follow the paper from where it is certain into soft shadows, block by block, then settle."""
    # Blocks that are mostly marks have only tips of paper left, a little dark: they count for far less.
    sure = share * share
    for sigma, give, rounds in growth:
        tolerance = max(give, 2.5 * spread, 0.02)
        for _ in range(rounds):
            residual = tone - surface
            dark = np.clip(1 - (-residual / tolerance), 0, 1) ** 0.5 * (residual > -tolerance)
            weight = sure * np.where(residual > 0, 1.0, dark)
            surface = _local_plane(tone, weight.astype(np.float32), sigma, surface)
    return _bridged(surface, sure * np.exp(-(((tone - surface) / tolerance) ** 2)))


def _bridged(surface: Plane, sure: Plane) -> Plane:
    """``surface``, but where marks hide all of the paper no lighter than a smooth continuation of what is ``sure``.

    A slope that planes carry out into a wide hole from one of its rims need not meet the other; down it may be a shadow's.
    """
    held = cv2.GaussianBlur(sure.astype(np.float32), (0, 0), _BORNE, borderType=cv2.BORDER_REFLECT)
    gh, gw = surface.shape
    y, x = np.mgrid[-1 : 1 : gh * 1j, -1 : 1 : gw * 1j]
    basis = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1).reshape(-1, 6)
    weight = sure.reshape(-1, 1).astype(np.float64)
    ridge = np.diag([1e-6, 1e-3, 1e-3, 4e-3, 4e-3, 4e-3]) * float(weight.sum())
    bridge = basis @ np.linalg.solve(basis.T @ (basis * weight) + ridge, (basis * weight).T @ surface.reshape(-1))
    bridge = np.asarray(bridge.reshape(gh, gw), np.float32)
    for sigma in (10.0, 5.0, 2.5):
        bridge = _smooth(surface, sure.astype(np.float32), sigma, bridge, 0.03)
    above = (surface - bridge) * (np.float32(0.1) / (held**2 + np.float32(0.1)))
    return np.asarray(surface - np.maximum(above - np.float32(_BOLD), 0), np.float32)


def _refine(
    logs: Plane, guide: Plane, surface: Plane, spread: float, size: int, paint: NDArray[np.bool_] | None
) -> LightField | NoEstimate:
    """Final field from single pixels that are paper and stand clear of marks, channel by channel."""
    h, w = guide.shape
    gh, gw = surface.shape
    coarse = _spanning(surface, size, h, w)
    # Twice the block grid, laid exactly over the sheet.
    cells = (max(2, gw * 2), max(2, gh * 2))
    # The first mask is wide, so that a shadow's soft edge, which the blocks cut short, is learnt from its pixels.
    for give in (0.05, 0.025):
        clear = _paper_mask(guide - coarse, max(give, 2.2 * spread), spread, paint)
        if float(clear.mean()) < 0.002:
            return NoEstimate("no bare paper was found on the sheet")
        field = _from_pixels(guide, clear, coarse, cells)
        coarse = np.asarray(cv2.resize(field, (w, h), interpolation=cv2.INTER_LINEAR), np.float32)
    # Mottled paper lies on both sides of its mean, and the first masks saw most of the lighter side: centre on its hump.
    for _ in range(3):
        middle, unrest = _hump(guide - coarse)
        if unrest < _MOTTLED:
            break
        spread, coarse = max(spread, unrest), coarse + np.float32(middle)
        clear = _paper_mask(guide - coarse, 3.3 * spread, spread, paint)
        field = _from_pixels(guide, clear, coarse, cells)
        coarse = np.asarray(cv2.resize(field, (w, h), interpolation=cv2.INTER_LINEAR), np.float32)
    reach = 3.3 if spread > _MOTTLED else 2.2
    clear = _paper_mask(guide - coarse, max(0.012, reach * spread), spread, paint)
    if float(clear.mean()) < 0.002:
        return NoEstimate("no bare paper was found on the sheet")
    planes = [_from_pixels(logs[..., c], clear, coarse, cells) for c in range(logs.shape[2])]
    if spread > _MOTTLED:
        done = cv2.resize(np.mean(planes, axis=0), (w, h), interpolation=cv2.INTER_LINEAR)
        planes = [plane + np.float32(_hump(guide - done)[0]) for plane in planes]
    kept = (guide - coarse)[clear]
    return LightField(np.exp(np.stack(planes, axis=-1)), float(clear.mean()), float(np.std(kept)))


def _hump(residual: Plane) -> tuple[float, float]:
    """Middle of the paper's hump in ``residual`` and its standard deviation, read from the lighter flank; at most 0.08."""
    calm = cv2.GaussianBlur(residual, (0, 0), 1.2)[::2, ::2]  # its pixels go together in twos
    counts, edges = np.histogram(calm, bins=160, range=(-0.4, 0.4))
    smooth = np.convolve(counts, np.exp(-0.5 * (np.arange(-9, 10) / 3.0) ** 2), mode="same")
    middle = float(edges[int(np.argmax(smooth))] + 0.5 * (edges[1] - edges[0]))
    lighter = residual[residual > middle] - middle
    if lighter.size < 200 or abs(middle) > 0.08:
        return 0.0, 0.0
    unrest = float(min(np.percentile(lighter, 68.3), 0.08))
    # A hump that does not hold most of the sheet is not the paper's: hatching has tones of its own.
    held = float((np.abs(residual - middle) < 2.5 * unrest).mean())
    return (middle, unrest) if held > 0.5 else (0.0, 0.0)


def _from_pixels(values: Plane, clear: NDArray[np.bool_], prior_full: Plane, cells: tuple[int, int]) -> Plane:
    """Log light on the fine grid from clear pixels, falling back on the prior where marks cover all."""
    weight = clear.astype(np.float32)
    den = cv2.resize(weight, cells, interpolation=cv2.INTER_AREA)
    # Means of residuals, not of values: a cell half hidden by a mark is then not pulled along the slope of the light.
    num = cv2.resize((values - prior_full) * weight, cells, interpolation=cv2.INTER_AREA)
    prior = cv2.resize(prior_full, cells, interpolation=cv2.INTER_AREA)
    residual = np.where(den > 1e-4, num / np.maximum(den, 1e-4), 0).astype(np.float32)
    offset = np.float32(np.sum(residual * den) / max(float(den.sum()), 1e-6))
    field = np.full_like(prior, offset)
    for sigma in (10.0, 5.0, 2.6, 1.7):
        field = _smooth(residual, den, sigma, field, 0.03)
    return np.asarray(prior + field, np.float32)


def _paper_mask(residual: Plane, give: float, spread: float, paint: NDArray[np.bool_] | None) -> NDArray[np.bool_]:
    """Pixels no more than ``give`` darker than the surface, without ``paint`` and not next to a mark (as far as there
    are such)."""
    light = residual < max(give, 4 * spread, 0.03)
    if paint is not None:
        light &= ~paint
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
