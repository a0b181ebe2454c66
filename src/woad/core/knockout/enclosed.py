"""Paper that marks enclose: which it is, told on the whole sheet; and keeping it as opaque white, told per pixel."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]

_BARRIER = 60  # coverage, of 255, from which a cell of the reduced sheet holds paper back
_CLEAN = 6  # and up to which it holds nothing but paper
OUTSIDE, ENCLOSED = 1, 2


def find_enclosed(coverage: Plane8, gap_cells: float) -> Plane8:
    """Which cells are surely paper reached from outside (1) or surely enclosed (2), else 0; (h, w) uint8.

    ``coverage`` (h, w) of the whole sheet, reduced; gaps up to ``gap_cells`` wide count as closed.
    """
    marks = (coverage >= _BARRIER).astype(np.uint8)
    reach = gap_cells / 2
    size = 2 * int(np.ceil(reach)) + 1
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    walls = cv2.dilate(marks, kernel) if reach > 0 else marks
    open_ = np.pad(1 - walls, 1, constant_values=1)
    _, labels = cv2.connectedComponents(open_, connectivity=4)
    outside = (labels == labels[0, 0])[1:-1, 1:-1].astype(np.uint8)
    # What the widened walls took of the outside belongs to it again, as far as no mark lies between.
    free = 1 - marks
    for _ in range(int(np.ceil(reach)) + 1):
        outside = cv2.dilate(outside, _CROSS) & free
    clean = coverage <= _CLEAN
    out = np.where(outside > 0, OUTSIDE, ENCLOSED).astype(np.uint8)
    out[~clean] = 0
    return out


_CROSS = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], np.uint8)


def enclosed_pixels(alpha: Plane8, cells: Plane8) -> Plane8:
    """255 for pixels on the enclosed side, (h, w): paper there, and marks up to the middle of the stroke around it.

    ``cells`` (h, w) what :func:`find_enclosed` says at each pixel. A pixel belongs to the nearer of both kinds of paper.
    """
    paper = alpha < 64
    inner = paper & (cells == ENCLOSED)
    if not inner.any():
        return np.zeros(alpha.shape, np.uint8)
    outer = paper & (cells == OUTSIDE)
    if not outer.any():
        return np.full(alpha.shape, 255, np.uint8)
    to_inner = cv2.distanceTransform((~inner).astype(np.uint8), cv2.DIST_L2, 5)
    to_outer = cv2.distanceTransform((~outer).astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray(to_inner < to_outer, np.uint8) * np.uint8(255)
