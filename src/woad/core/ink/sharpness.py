"""Edges as sharp as they were drawn: the blur that every lens and sensor adds is taken back."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]

REACH_PX = 4
_BOX = np.ones((3, 3), np.uint8)
# Difference from what lies around, of 255, that counts half: less is the scan's grain as likely as detail. Washes have
# detail that is fainter than a line's.
_NOISE = {2: 6.0, 3: 1.0}
# The edges of an ink are as fine as pixels; of a painting the texture counts as much, which is coarser than sensor noise.
_SIGMA_PX = {2: 0.9, 3: 1.2}
# How far an edge may go beyond its neighbours, of 255, and less next to what is clear. Coverage may go further: blur takes
# the middle of a line that is thinner than itself, which no neighbour has. In colour that would be a halo.
_GIVE = {2: 24, 3: 6}
# How much darker faint coverage may get, of 255: what sharpening takes beside a faint stroke is clear already and cannot be
# taken, so that the stroke would come out heavier than it was.
_SURE = np.minimum(np.arange(256) * 2, 255).astype(np.uint8)


def _limits(give: int) -> tuple[Plane8, Plane8]:
    """What the darkest and the lightest neighbour (0..255) let a pixel fall and rise to, (256,) each."""
    steps = np.arange(256)
    more = np.minimum(give, steps // 8)
    return (steps - more[::-1]).clip(0).astype(np.uint8), np.minimum(steps + more, 255).astype(np.uint8)


_LIMITS = {depth: _limits(give) for depth, give in _GIVE.items()}


def _gain(amount: float, noise: float) -> Plane8:
    """What a difference of 0..255 from what lies around is raised by, (256,)."""
    off = np.arange(256, dtype=np.float64)
    return np.rint(amount * off**3 / (off * off + noise * noise)).clip(0, 255).astype(np.uint8)


def sharpen(picture: Plane8, amount: float) -> Plane8:
    """Unsharp masking of encoded colour (h, w, 3) or coverage (h, w); ``amount`` 0..2. It is held between the lightest and
    the darkest neighbour give or take a little, so that edges get steep but no halo, and what is clear stays clear; faint
    differences, which are noise as likely as not, are raised less."""
    if amount <= 0:
        return picture
    soft = cv2.GaussianBlur(picture, (0, 0), _SIGMA_PX[picture.ndim])
    more = _gain(amount, _NOISE[picture.ndim])
    above, below = (cv2.LUT(cv2.subtract(*pair), more) for pair in ((picture, soft), (soft, picture)))
    if picture.ndim == 2:
        above = cv2.multiply(above, cv2.LUT(picture, _SURE), scale=1 / 255)
    sharp = cv2.subtract(cv2.add(picture, above), below)
    least, most = _LIMITS[picture.ndim]
    low, high = cv2.LUT(cv2.erode(picture, _BOX), least), cv2.LUT(cv2.dilate(picture, _BOX), most)
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
