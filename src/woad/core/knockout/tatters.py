"""Where paint's border with paper is in tatters, as sprayed paint's is: it has no inside there, and thins out in specks."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Mask = NDArray[np.uint8]

_AROUND = 31  # cells, side of the box over which it is told how torn a border is
_TORN = 0.16  # share of those cells that lie on a border, from which it is in tatters
_LARGE = 3 * _AROUND**2  # cells of such a place: where lines meet, or cross a wash's border, is a smaller one
_OVER = 6.0  # cells (sigma) over which depth is told: specks and what is between them
_REACH = 45.0, 135.0  # cells from such a place between which paint is taken for whole more and more
_THIN, _WHOLE = 2.0, 0.3  # times the least depth of paint, and depth, between which it covers more and more
_BOX3 = np.ones((3, 3), np.uint8)
_BESIDE = np.ones((7, 7), np.uint8)


def find_tatters(missing: Plane, paint: Mask, deep: Mask, least: float) -> Plane | None:
    """How much each place may cover besides what it must, 0..1, (h, w) float32: less the thinner paint is in the mean where
    its border is in tatters, and around; 1 elsewhere. None where no border is.

    ``missing`` (h, w) encoded lightness that the darkest channel lacks to paper, ``paint`` (h, w) 1 where paint is, ``deep``
    (h, w) 1 where it is deep: its borders are true ones, however torn, where it is broader than a speck. ``least`` the
    difference that is surely paint.
    """
    border = (paint == 0) & (cv2.dilate(paint, _BOX3) > 0)
    border &= cv2.dilate(cv2.morphologyEx(deep, cv2.MORPH_OPEN, _BOX3), _BESIDE) == 0
    torn = _large(cv2.blur(border.astype(np.float32), (_AROUND, _AROUND)) > _TORN)
    if not torn.any():
        return None
    away = np.asarray(cv2.distanceTransform((~torn).astype(np.uint8), cv2.DIST_L2, 3))
    near = np.clip((_REACH[1] - away) / (_REACH[1] - _REACH[0]), 0, 1)
    depth = np.asarray(cv2.GaussianBlur(missing, (0, 0), _OVER))
    thin = _THIN * least
    covers = np.clip((depth - thin) / (max(_WHOLE, 2 * thin) - thin), 0, 1)
    return np.asarray(1 - near * (1 - covers), np.float32)


def _large(torn: NDArray[np.bool_]) -> NDArray[np.bool_]:
    _, places, stats, _ = cv2.connectedComponentsWithStats(torn.astype(np.uint8), connectivity=8)
    large = stats[:, cv2.CC_STAT_AREA] > _LARGE
    large[0] = False
    return np.asarray(large[places])
