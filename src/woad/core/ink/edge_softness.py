"""How soft edges are, and how much sharpening makes them as steep as pixels can show.

Ink covers a place or it does not: at the edge of a mark a pixel is partly covered because the edge runs through it. Over
all ways in which an edge can run, such pixels hold every share from none to all alike, so that along a px of edge the
covered times the bare share adds up to 1/6, the integral of c (1 - c). The scan's blur makes it more: a Gaussian of sigma
s, s / sqrt(pi) besides. Thin lines and dense hatching have as much along each of their edges as large shapes, so that this
can be read where the width of an edge can not.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.ink.sharpness import sharpen

Plane8 = NDArray[np.uint8]

PERFECT_PX = 1 / 6
MOST = 2.0  # amount of sharpening beyond which noise gains more than edges do
# Amounts in colour by the width of the sharpest edges, px: a pixel's own area blurs by the first of them, whatever the lens;
# with more than the last halos show.
_WIDTHS, _AMOUNTS = (1.0, 1.6, 1.9), (0.5, 0.6, 0.95)
MOST_IN_COLOUR = _AMOUNTS[-1]
# The same for opaque paint: a brush's furrows are coarser than granulation, and a little blur takes hardly any of them.
_OPAQUE_WIDTHS, _OPAQUE_AMOUNTS = (1.0, 1.6, 2.1), (0.3, 0.35, 0.8)
SOFT_MARKS = 1.5  # amount at most for marks that are soft by nature, as pencil's are
_LENS, _NATURE = 2.0, 2.4  # times PERFECT_PX that MOST leaves of what a lens blurred, and of marks soft by nature
_STEP = 0.5  # of the highest steps' height, from which a place counts as an edge
_LEAST_STEP = 40  # height, of 255, below which a step is paper's grain as likely as an edge
_LEAST_EDGE_PX = 200.0  # length of edges that tell
_BOX = np.ones((5, 5), np.uint8)
_ACROSS = np.array([[-0.5, 0.5], [-0.5, 0.5]])  # over one px only, or a line of 1.5 px had hardly any slope
_TRIES, _NEAR = 4, 0.04


def edge_softness(pictures: Sequence[Plane8]) -> float | NoEstimate:
    """Partial coverage along edges, px: PERFECT_PX when nothing was blurred, more when it was.

    Parameters: ``pictures`` (h, w) coverage or tone, 0..255; steps of any height count, each as high as it is.
    """
    return _softness(pictures, _least_step(pictures))


def _least_step(pictures: Sequence[Plane8]) -> float:
    """Height of steps, of 255, that count as edges."""
    heights = [np.subtract(*_around(picture)) for picture in pictures if picture.size]
    return max(
        _STEP * max((float(np.percentile(height[::2, ::2], 99.5)) for height in heights), default=0), _LEAST_STEP
    )


def _around(picture: Plane8) -> tuple[Plane8, Plane8]:
    """The highest and the lowest tone about each pixel."""
    return np.asarray(cv2.dilate(picture, _BOX), np.uint8), np.asarray(cv2.erode(picture, _BOX), np.uint8)


def _softness(pictures: Sequence[Plane8], least: float) -> float | NoEstimate:
    partial = length = 0.0
    for picture in pictures:
        most, fewest = _around(picture)
        where = np.flatnonzero(cv2.subtract(most, fewest) >= least)
        low, high, tone = (plane.ravel()[where].astype(np.float32) for plane in (fewest, most, picture))
        slope = cv2.magnitude(*(cv2.filter2D(picture, cv2.CV_32F, across) for across in (_ACROSS, _ACROSS.T)))
        partial += float(((tone - low) * (high - tone) / (high - low) ** 2).sum())
        length += float((slope.ravel()[where] / (high - low)).sum())
    if length < _LEAST_EDGE_PX:
        return NoEstimate("there is no edge to measure sharpness on")
    return partial / length


def sharpening_for(pictures: Sequence[Plane8]) -> float | NoEstimate:
    """The least amount of :func:`sharpen`, 0..MOST, that makes the edges of ``pictures`` (h, w), coverage 0..255, as steep
    as pixels can show. Where MOST leaves them far softer, it was not the scan that made them soft, and less is taken.

    Source: regula falsi with halving (the Illinois method; Dowell and Jarratt 1971)."""

    least = _least_step(pictures)

    def excess(amount: float) -> float | NoEstimate:
        soft = _softness([sharpen(picture, amount) for picture in pictures], least)
        return soft if isinstance(soft, NoEstimate) else float(np.log(max(soft, 1e-6) / PERFECT_PX))

    at_none, at_most = excess(0.0), excess(MOST)
    if isinstance(at_none, NoEstimate) or at_none <= 0:
        return at_none if isinstance(at_none, NoEstimate) else 0.0
    if isinstance(at_most, NoEstimate):
        return at_most
    if at_most >= 0:
        return float(np.interp(np.exp(at_most), (_LENS, _NATURE), (MOST, SOFT_MARKS)))
    low, high = (0.0, at_none), (MOST, at_most)
    amount, side = 0.0, 0
    for _ in range(_TRIES):
        amount = low[0] + (high[0] - low[0]) * low[1] / (low[1] - high[1])
        now = excess(amount)
        if isinstance(now, NoEstimate) or abs(now) < _NEAR:
            break
        if now > 0:
            low, high = (amount, now), (high[0], high[1] / 2 if side > 0 else high[1])
        else:
            low, high = (low[0], low[1] / 2 if side < 0 else low[1]), (amount, now)
        side = 1 if now > 0 else -1
    return amount


def sharpening_for_width(width: float | NoEstimate, opaque: bool = False) -> float:
    """The amount for colour whose sharpest edges are ``width`` px wide; ``opaque`` if it is paint that covers."""
    widths, amounts = (_OPAQUE_WIDTHS, _OPAQUE_AMOUNTS) if opaque else (_WIDTHS, _AMOUNTS)
    return amounts[0] if isinstance(width, NoEstimate) else float(np.interp(width, widths, amounts))
