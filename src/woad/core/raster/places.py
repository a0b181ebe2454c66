"""A picture read at single places, between its pixels."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

_ROW = 4096  # OpenCV reads at no more than 32767 places in a row


def read_at(picture: Plane, x: NDArray[np.floating], y: NDArray[np.floating]) -> Plane:
    """Bilinear values of a float32 ``picture`` (h, w) or (h, w, C) at n places, (n,) or (n, C): columns ``x`` (n,) and rows
    ``y`` (n,), 0 in the centre of the first pixel. Beyond the rim it is as at the rim."""
    n = len(x)
    if n == 0:
        return np.zeros((0, *picture.shape[2:]), np.float32)
    row = min(n, _ROW)
    rows = -(-n // row)
    maps = np.zeros((2, rows * row), np.float32)
    maps[:, :n] = x, y
    at_x, at_y = maps.reshape(2, rows, row)
    out = cv2.remap(picture, at_x, at_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(out, np.float32).reshape(rows * row, *picture.shape[2:])[:n]
