"""How sharp a scan is: the width of its sharpest edges."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate

Plane = NDArray[np.float32]

_REACH = 9
_STEPS = 0.12, 0.06, 0.03  # how high steps are that tell; lower ones only where there are no others


def edge_width(crops: Sequence[Plane]) -> float | NoEstimate:
    """Width in px of the sharpest edges: the height of the step over its steepest slope, sharpest tenth of all edges.

    Parameters: ``crops`` full-size grey parts (h, w) in 0..1. A step blurred by a Gaussian of sigma s has 2.5 s;
    a thin line or dense hatching has less, and is counted as the step that the same blur would make.
    Drawn marks have soft edges too; only the sharpest ones tell the scan's own blur.
    """
    for least in _STEPS:
        widths = [w for w in (_widths(crop, least) for crop in crops) if len(w) >= 20]
        if widths:
            break
    else:
        return NoEstimate("there is no edge to measure sharpness on")
    # A quarter of the crops may have had only soft marks.
    per_crop = np.sort([float(np.percentile(w, 12)) for w in widths])
    return float(np.percentile(per_crop, 25))


def _widths(crop: Plane, least: float) -> NDArray[np.float64]:
    """Widths, px, of all edges whose step is ``least`` or more high."""
    h, w = crop.shape
    if min(h, w) < 4 * _REACH:
        return np.zeros(0)
    # Noise makes slopes of its own: a touch of smoothing, whose width is taken off again below.
    smooth = np.asarray(cv2.GaussianBlur(crop, (0, 0), _SMOOTH))
    gx = (np.roll(smooth, -1, 1) - np.roll(smooth, 1, 1)) / 2
    gy = (np.roll(smooth, -1, 0) - np.roll(smooth, 1, 0)) / 2
    slope = np.asarray(cv2.magnitude(gx, gy))
    inner = np.zeros((h, w), bool)
    inner[_REACH:-_REACH, _REACH:-_REACH] = True
    contrast = cv2.dilate(smooth, _BOX) - cv2.erode(smooth, _BOX)
    y, x = np.nonzero(
        inner
        & (slope > 1e-6)
        & (contrast > 1.25 * least)
        & (slope >= cv2.dilate(slope, np.ones((3, 3), np.uint8)) - 1e-9)
    )
    if len(x) < 20:
        return np.zeros(0)
    nx, ny = gx[y, x] / slope[y, x], gy[y, x] / slope[y, x]
    # The step's height: as far as the tone keeps rising (falling) along the slope.
    t = np.arange(-_REACH + 1, _REACH)[:, None]
    px, py = (x + t * nx).astype(np.float32), (y + t * ny).astype(np.float32)
    line = np.asarray(cv2.remap(smooth, px, py, cv2.INTER_LINEAR))
    middle = _REACH - 1
    up = np.maximum.accumulate(line[middle:], axis=0)
    down = np.minimum.accumulate(line[middle::-1], axis=0)
    rising = np.cumprod(line[middle:] >= up - 0.01, axis=0).astype(bool)
    falling = np.cumprod(line[middle::-1] <= down + 0.01, axis=0).astype(bool)
    high = np.where(rising, line[middle:], -1).max(axis=0)
    low = np.where(falling, line[middle::-1], 2).min(axis=0)
    step = high - low
    above = (rising & (line[middle:] >= low + 0.9 * step)).sum(axis=0)
    below = (falling & (line[middle::-1] <= low + 0.1 * step)).sum(axis=0)
    good = step > least
    sigma = step[good] / slope[y, x][good] / _OF_STEP
    thin = np.maximum(above, below)[good] < np.minimum(_LEVEL * sigma, _LEVEL_PX)
    sigma = np.where(thin, sigma * (_OF_STEP / _OF_LINE), sigma)
    return np.asarray(np.sqrt(np.maximum(sigma**2 - _SMOOTH**2 - 0.2, 0.01)) * _OF_STEP, np.float64)


_SMOOTH = 0.7
# Height over steepest slope of a Gaussian's integral, sqrt(2 pi) sigma, and of a Gaussian, sqrt(e) sigma: what blur makes of
# a step, and of a line that is thinner than itself, which is on neither side level for long: not for _LEVEL sigma, nor for
# as long as is seen of a step however blurred.
_OF_STEP, _OF_LINE = 2.507, 1.649
_LEVEL, _LEVEL_PX = 2.5, 4.0
_BOX = np.ones((9, 9), np.uint8)
