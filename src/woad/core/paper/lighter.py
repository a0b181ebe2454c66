"""Marks lighter than their paper: white paint or chalk on toned paper, which would go with it unsaid."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of

Plane = NDArray[np.float32]

_LIGHTER = 1.25  # of the paper's light: what noise, sheen and light that was read a little wrong do not reach
_STEP = 0.15  # of the paper's light, across an edge of 5 px: glare has none
_EDGED = 0.5  # share of a place's rim that has such an edge
_LEAST_PX = 6  # a place's area from which it is no grain


def lighter_share(reflectance: Plane) -> float:
    """Share of a sheet (0..1) that is clearly lighter than its paper, as marks are.

    ``reflectance`` (h, w, C) float32, paper 1, about 700 to 1400 px long. Only places with edges count that do not reach
    the sheet's border, beyond which a white table or lid may show.
    """
    grey = np.asarray(cv2.blur(grey_of(reflectance), (3, 3)), np.float32)
    light = (grey > _LIGHTER).astype(np.uint8)
    if not light.any():
        return 0.0
    count, labels, stats, _ = cv2.connectedComponentsWithStats(light, connectivity=8)
    box = np.ones((5, 5), np.uint8)
    rim = np.flatnonzero(cv2.subtract(light, cv2.erode(light, np.ones((3, 3), np.uint8))))
    step = cv2.subtract(cv2.dilate(grey, box), cv2.erode(grey, box)).ravel()[rim]
    of = labels.ravel()[rim]
    edged = np.bincount(of, step > _STEP, count) >= _EDGED * np.maximum(np.bincount(of, minlength=count), 1)
    height, width = light.shape
    x, y, w, h, area = stats.T
    inner = (x > 0) & (y > 0) & (x + w < width) & (y + h < height)
    marks = edged & inner & (area >= _LEAST_PX)
    marks[0] = False
    return float(area[marks].sum()) / light.size
