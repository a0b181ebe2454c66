"""The picture with paper, from finished planes."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.render.whole import Planes


def paper_picture(planes: Planes, rows: slice = slice(None)) -> NDArray[np.uint8]:
    """The sheet on its white paper, (h, w, 3) uint8, of the given rows."""
    if planes.paper_rgb is not None:
        return planes.paper_rgb[rows]
    assert planes.tone is not None
    tone = np.ascontiguousarray(planes.tone[rows])
    return np.asarray(cv2.LUT(cv2.merge([tone] * 3), paper_table(planes.ink_rgb).reshape(1, 256, 3)))


def paper_table(ink_rgb: tuple[int, int, int]) -> NDArray[np.uint8]:
    """One ink: encoded picture on white for each encoded coverage, (256, 3) uint8."""
    a = np.arange(256, dtype=np.float64)[:, None] / 255
    return np.rint(255 - a * (255 - np.asarray(ink_rgb, np.float64)[None, :])).astype(np.uint8)
