"""A painting's colour brought back: saturation and sharpness, with readings that tell when it is too much."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]

REACH_PX = 4
_GREY = np.array([0.2126, 0.7152, 0.0722], np.float32)  # Rec. 709


def sharpen(rgb: Plane8, amount: float, sigma_px: float = 0.9) -> Plane8:
    """Unsharp masking of encoded colour (h, w, 3); ``amount`` 0..2, held between the lightest and darkest neighbour
    give or take a little, so that edges get steep but no halo."""
    if amount <= 0:
        return rgb
    soft = cv2.GaussianBlur(rgb, (0, 0), sigma_px)
    sharp = cv2.addWeighted(rgb, 1 + amount, soft, -amount, 0)
    box = np.ones((3, 3), np.uint8)
    low, high = cv2.subtract(cv2.erode(rgb, box), (6, 6, 6, 0)), cv2.add(cv2.dilate(rgb, box), (6, 6, 6, 0))
    return np.asarray(cv2.min(cv2.max(sharp, low), high))


def saturate(rgb: Plane8, factor: float) -> Plane8:
    """Chroma times ``factor`` about each pixel's own grey (Rec. 709 weights), encoded (h, w, 3); grey stays grey."""
    if abs(factor - 1) < 1e-3:
        return rgb
    matrix = np.eye(3, dtype=np.float32) * factor + (1 - factor) * np.tile(_GREY, (3, 1))
    return np.asarray(cv2.transform(rgb, matrix))


def out_of_range(rgb: Plane8, factor: float) -> float:
    """Share of coloured pixels (N, 3) that :func:`saturate` would push beyond what the screen can show."""
    values = rgb.reshape(-1, 3).astype(np.float32)
    marked = values.min(axis=1) < 245
    if not marked.any():
        return 0.0
    values = values[marked]
    grey = values @ _GREY
    grown = grey[:, None] + (values - grey[:, None]) * factor
    return float(((grown < -0.5) | (grown > 255.5)).any(axis=1).mean())


def overshoot(before: Plane8, after: Plane8) -> float:
    """How far sharpening goes beyond what lay around an edge, 0..1 of full scale: mean over the steepest hundredth."""
    grey_0, grey_1 = (cv2.cvtColor(p, cv2.COLOR_RGB2GRAY) for p in (before, after))
    box = np.ones((3, 3), np.uint8)
    low, high = cv2.erode(grey_0, box), cv2.dilate(grey_0, box)
    beyond = np.maximum(cv2.subtract(grey_1, high), cv2.subtract(low, grey_1)).astype(np.float32)
    step = cv2.subtract(high, low)
    steep = step >= max(float(np.percentile(step, 99)), 8)
    return float(beyond[steep].mean() / 255) if steep.any() else 0.0
