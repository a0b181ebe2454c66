"""A painting's colour brought back, with a reading that tells when it is too much."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import lowest

Plane8 = NDArray[np.uint8]

_GREY = np.array([0.2126, 0.7152, 0.0722], np.float32)  # Rec. 709


def saturate(rgb: Plane8, factor: float) -> Plane8:
    """Chroma times ``factor`` about each pixel's own grey (Rec. 709 weights), encoded (h, w, 3); grey stays grey."""
    if abs(factor - 1) < 1e-3:
        return rgb
    matrix = np.eye(3, dtype=np.float32) * factor + (1 - factor) * np.tile(_GREY, (3, 1))
    return np.asarray(cv2.transform(rgb, matrix))


def out_of_range(rgb: Plane8, factor: float) -> float:
    """Share of coloured pixels (N, 3) that :func:`saturate` would push beyond what the screen can show."""
    values = rgb.reshape(-1, 3).astype(np.float32)
    marked = lowest(values) < 245
    if not marked.any():
        return 0.0
    values = values[marked]
    grey = values @ _GREY
    grown = grey[:, None] + (values - grey[:, None]) * factor
    return float(((grown < -0.5) | (grown > 255.5)).any(axis=1).mean())
