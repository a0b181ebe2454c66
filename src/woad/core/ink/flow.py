"""How much the tone of broad marks runs from place to place: a wash's does, even within one area of it, paint's does not."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of

Plane = NDArray[np.float32]

_DARKEST = 0.03  # reflectance below which tones tell of gloss and of the scanner's own light
_MARK = 0.05  # density, natural log, of what is marked
_CALM, _INNER = 0.005, 0.015  # of the longer side: over which tone is told (sigma); how far in it is not an edge's blur
_OVER = 0.02  # of the longer side, over which tone is compared
_FEW = 50  # cells of half the size, of broad marks, from which they tell
_CALMEST = 30  # percentile: where areas of several paints meet, or forms are modelled, tone runs in paint as well


def tone_runs(reduced: Plane) -> float:
    """By how much of itself the density of broad marks changes over a fiftieth of a sheet's longer side, in their calmer
    parts: about 0.03 to 0.1 of opaque paint, 0.12 to 0.5 of washes, which pool, settle and thin out; 0 without broad marks.

    ``reduced`` (h, w, C) evened reflectance, paper 1, about 500 to 1400 px long.
    """
    half = reduced.shape[1] // 2, reduced.shape[0] // 2
    if min(half) < 3:
        return 0.0
    small = cv2.resize(reduced, half, interpolation=cv2.INTER_AREA).reshape(half[1], half[0], -1)
    side = max(half)
    smooth = cv2.GaussianBlur(small, (0, 0), max(_CALM * side, 0.5)).reshape(small.shape)
    density = grey_of(-np.log(np.clip(smooth, _DARKEST, 1)))
    near = cv2.distanceTransform((density > _MARK).astype(np.uint8), cv2.DIST_L2, 3)
    inner = near > _INNER * side
    if np.count_nonzero(inner) < _FEW:
        return 0.0
    across, down = (cv2.Sobel(density, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1)))
    slope = np.hypot(across[inner], down[inner]) / np.maximum(density[inner], _MARK)
    return float(np.percentile(slope, _CALMEST)) * float(_OVER * side)
