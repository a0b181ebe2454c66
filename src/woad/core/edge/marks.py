"""Which part of each pixel its own mark fills: a line over a wash ends in the wash, and only the wash ends in bare paper."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.nearest import nearest_of

Plane8 = NDArray[np.uint8]
Plane = NDArray[np.float32]

REACH_PX = 24  # how far around a pixel is looked
_FAINT = 4  # coverage, of 255, up to which nothing is a mark
_EDGE_PX = 4.0  # from a pixel of an edge its mark's even tone lies within this
_PEAK_PX = 3  # and in a line too thin to have one, its darkest pixel
_HOLE_PX, _HOLE_WIDTH = 12, 5  # what is narrower than this is texture, not an edge; holes up to this long, wholly
_BOX5 = np.ones((5, 5), np.uint8)


def find_marks(alpha: Plane8) -> tuple[Plane, Plane, Plane]:
    """``filled`` 0..1, how much of each pixel its mark fills, with the small holes of its texture closed; ``grain`` 0..1,
    what those holes leave of it; ``level``, of 255, the coverage the mark has where it is full. All (h, w) float32.

    Parameters: ``alpha`` (h, w) uint8 coverage.
    """
    even = _evenness(alpha)
    level = np.maximum(_levels(alpha, even > 0.5), alpha).astype(np.float32)
    own = np.where(level > _FAINT, np.minimum(alpha / np.maximum(level, 1), 1), 0).astype(np.float32)
    own = np.maximum(own, even)
    filled = np.where(_holes(own < 0.5), np.float32(1), own)
    return filled, np.where(filled > own, own, np.float32(1)), level


def _evenness(alpha: Plane8) -> Plane:
    """0..1: whether the tone goes on around a pixel, in whatever depth; at an edge to bare paper it does not."""
    lowest = cv2.erode(alpha, _BOX5).astype(np.float32)
    even = np.clip((lowest / np.maximum(alpha, 1) - 0.45) / 0.25, 0, 1)
    return np.asarray(np.where(alpha > _FAINT, even, 0), np.float32)


def _levels(alpha: Plane8, even: NDArray[np.bool_]) -> Plane:
    """The tone of the nearest even place, or where none is near the darkest pixel around."""
    calm = cv2.GaussianBlur(alpha, (3, 3), 0)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _PEAK_PX + 1,) * 2)
    peak = np.asarray(cv2.blur(cv2.dilate(calm, kernel), (3, 3)), np.float32)
    gap, near = nearest_of(even)
    return np.where(gap <= _EDGE_PX, calm.ravel()[near], peak).astype(np.float32)


def beside_open(bare: NDArray[np.bool_], reach: float) -> Plane:
    """0..1, (h, w): near which pixels a wide ``bare`` place lies, within ``reach`` px and a little; gaps that are narrower
    than a few px, as in dry brush, are texture, and their sides no edges."""
    wide = cv2.morphologyEx(bare.astype(np.uint8), cv2.MORPH_OPEN, np.ones((_HOLE_WIDTH, _HOLE_WIDTH), np.uint8))
    away = cv2.distanceTransform(1 - wide, cv2.DIST_L2, 5) if wide.any() else np.full(bare.shape, 1e3)
    return np.asarray(np.clip(reach + 4.0 - away, 0, 1), np.float32)


def _holes(bare: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Bare places that are small holes of a texture: all of a hole or nothing, so that it does not get an edge of its own
    across its narrows."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(bare.astype(np.uint8), connectivity=8)
    small = (stats[:, cv2.CC_STAT_WIDTH] <= _HOLE_PX) & (stats[:, cv2.CC_STAT_HEIGHT] <= _HOLE_PX)
    wide = cv2.erode(bare.astype(np.uint8), np.ones((_HOLE_WIDTH, _HOLE_WIDTH), np.uint8)) > 0
    small &= np.bincount(labels[wide], minlength=count) == 0
    h, w = bare.shape
    # What the picture's border cuts may be larger than it looks.
    left, top = stats[:, cv2.CC_STAT_LEFT], stats[:, cv2.CC_STAT_TOP]
    small &= (left > 0) & (top > 0)
    small &= (left + stats[:, cv2.CC_STAT_WIDTH] < w) & (top + stats[:, cv2.CC_STAT_HEIGHT] < h)
    small[0] = False
    return np.asarray(small[labels])
