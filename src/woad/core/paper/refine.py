"""The light to single pixels: from a surface that blocks of the sheet tell to a field that its bare pixels do.

Those that are paper and stand clear of marks count, channel by channel; paper that is mottled is centred on its hump.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.paper.blocks import spanning
from woad.core.paper.growth import smooth
from woad.core.paper.smooth_light import of_paper_hue

Plane = NDArray[np.float32]

_CENTRED = 0.001  # natural log; paper whose hump lies further from the light is blotchy, not just rough
_CENTRING = 3  # rounds
_OFF_HUMP, _MOST_UNREST = 0.2, 0.12  # natural log, how far the hump may lie off the light, and its deviation at most
_MOST_FIT = 0.5  # of what is as light as the paper, that is of its hue at least


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

    def hue_range(self) -> float:
        """How much one channel to another differs over the sheet: natural log, the most of all pairs (98th to 2nd
        percentile)."""
        logs = np.log(np.maximum(self.grid, np.float32(1e-4)))
        low, high = np.percentile(logs - np.roll(logs, 1, axis=2), [2, 98], axis=(0, 1))
        return float((high - low).max())


@dataclass(frozen=True, eq=False)
class Seen:
    """A sheet without the shadows whose edges were found: ``logs`` (h, w, C) linear light, natural log, and ``guide`` (h, w)
    their grey. Toned and ``painted`` paper may have paint as light as itself; ``margin`` (h, w) is where paper is if it shows
    as one only: the most usual tone is no paper's then."""

    logs: Plane
    guide: Plane
    painted: bool
    margin: NDArray[np.bool_] | None


def refined(seen: Seen, surface: Plane, spread: float, size: int, paint: NDArray[np.bool_]) -> LightField | NoEstimate:
    """The field from single pixels that are paper and stand clear of marks, channel by channel; or why there is none.

    ``surface`` (gh, gw) the light at blocks of ``size`` px, natural log; ``spread`` the paper's deviation from it; ``paint``
    (h, w) what is no paper for sure.
    """
    logs, guide = seen.logs, seen.guide
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
    bare = None if seen.margin is None else ~paint
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
    if seen.painted:
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
