"""What can be done to marks of one ink: blacks filled, fine lines bolder or finer, two tones with smooth edges."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]
Plane = NDArray[np.float32]

REACH_PX = 28  # how far these look around a pixel at most


def fill_solid(tone: Plane8, amount: float) -> Plane8:
    """Fill the noise inside blacks. ``tone`` (h, w) coverage; ``amount`` 0..1 of what is missing to full is added.

    A pixel is inside when it is mostly covered and so is everything around it: edges and the gaps of dry brush, which
    go down to the paper, keep their shape.
    """
    if amount <= 0:
        return tone
    around = cv2.blur(tone, (7, 7))
    inside = cv2.multiply(cv2.LUT(tone, _ramp(0.42, 0.75)), cv2.LUT(around, _ramp(0.66, 0.86)), scale=1 / 255)
    missing = cv2.multiply(cv2.bitwise_not(tone), inside, scale=amount / 255)
    return np.asarray(cv2.add(tone, missing)).reshape(tone.shape)


def _ramp(start: float, full: float) -> Plane8:
    x = np.clip((np.arange(256, dtype=np.float32) / 255 - start) / (full - start), 0, 1)
    return np.rint(x * x * (3 - 2 * x) * 255).astype(np.uint8)


def embolden(tone: Plane8, amount: float, reach_px: float) -> Plane8:
    """Fine lines bolder (``amount`` up to 1) or finer (down to -1) in tone.

    ``reach_px`` is the half width of what counts as fine: where more than half of the neighbourhood is covered, tones
    stay. Bare paper stays bare and full ink full: the curve runs through both.
    """
    if abs(amount) < 1e-3:
        return tone
    side = 2 * int(np.clip(round(2.5 * reach_px), 1, REACH_PX - 4)) + 1
    fine = 1 - np.clip(cv2.blur(tone, (side, side)).astype(np.float32) * np.float32(2 / 255), 0, 1)
    t = tone.astype(np.float32) * np.float32(1 / 255)
    bent = 1 - np.power(1 - t, np.float32(2.6 ** abs(amount))) if amount > 0 else np.power(t, np.float32(2.6**-amount))
    return np.asarray(np.rint((t + (bent - t) * fine) * 255), np.uint8)


def two_tone(tone: Plane8) -> Plane8:
    """Pure black and white with edges as smooth as pixels can show them.

    The edge runs where coverage is half of what the mark has at its middle; a pixel that it crosses is covered by its
    signed distance from it, which is coverage over its gradient. Source: the distance estimate of implicit curves,
    Taubin (1994).
    """
    t = cv2.GaussianBlur(tone.astype(np.float32) * np.float32(1 / 255), (0, 0), 0.55)
    half = np.clip(0.5 * cv2.dilate(t, np.ones((5, 5), np.uint8)), 0.3, 0.5)
    dx, dy = cv2.Sobel(t, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(t, cv2.CV_32F, 0, 1, scale=0.125)
    distance = (t - half) / np.maximum(cv2.magnitude(dx, dy), np.float32(0.1))
    return np.asarray(np.rint(np.clip(distance + 0.5, 0, 1) * 255), np.uint8)


def where_only(tone: Plane8) -> Plane8:
    """The two-tone shape says where marks are; inside, the texture they had stays."""
    shape = two_tone(tone)
    # At the edge the texture's own softness would be counted twice: the shape alone fades it out.
    inner = cv2.dilate(tone, np.ones((3, 3), np.uint8))
    return np.where(shape == 255, tone, np.minimum(shape, inner)).astype(np.uint8)
