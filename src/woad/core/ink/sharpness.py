"""Edges as sharp as they were drawn: the blur that every lens and sensor adds is taken back."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]

REACH_PX = 4
_BOX = np.ones((3, 3), np.uint8)
# How far an edge may go beyond its neighbours, of 255: a little, and not at all next to what is clear.
_GIVE = np.minimum(6, np.arange(256) // 8)
_HIGH = (np.minimum(np.arange(256) + _GIVE, 255)).astype(np.uint8)
_LOW = (np.arange(256) - _GIVE[::-1]).clip(0).astype(np.uint8)


def sharpen(picture: Plane8, amount: float, sigma_px: float = 0.9) -> Plane8:
    """Unsharp masking of encoded colour (h, w, 3) or coverage (h, w); ``amount`` 0..2. It is held between the lightest and
    the darkest neighbour give or take a little, so that edges get steep but no halo, and what is clear stays clear."""
    if amount <= 0:
        return picture
    soft = cv2.GaussianBlur(picture, (0, 0), sigma_px)
    sharp = cv2.addWeighted(picture, 1 + amount, soft, -amount, 0)
    low, high = cv2.LUT(cv2.erode(picture, _BOX), _LOW), cv2.LUT(cv2.dilate(picture, _BOX), _HIGH)
    return np.asarray(cv2.min(cv2.max(sharp, low), high)).reshape(picture.shape)


def overshoot(before: Plane8, after: Plane8) -> float:
    """How far sharpening goes beyond what lay around an edge, 0..1 of full scale: mean over the steepest hundredth.

    Parameters: two pictures, each (h, w, 3) or (h, w).
    """
    grey_0, grey_1 = (p if p.ndim == 2 else np.asarray(cv2.cvtColor(p, cv2.COLOR_RGB2GRAY)) for p in (before, after))
    low, high = cv2.erode(grey_0, _BOX), cv2.dilate(grey_0, _BOX)
    beyond = np.maximum(cv2.subtract(grey_1, high), cv2.subtract(low, grey_1)).astype(np.float32)
    step = cv2.subtract(high, low)
    steep = step >= max(float(np.percentile(step, 99)), 8)
    return float(beyond[steep].mean() / 255) if steep.any() else 0.0
