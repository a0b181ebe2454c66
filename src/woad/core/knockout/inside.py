"""Where a painting is painted, whatever its tone: pale paint inside a shape is paint, bare paper inside it is not."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

_LEAST = 0.014  # encoded difference from paper that is surely paint over a few pixels
_SMALL = 0.03  # by how much more in an area of a single cell; it falls with the root of the area
_PAINTED = 0.0035  # mean difference from which an enclosed area is pale paint, not paper
_DEEP, _GAP = 0.12, 0.6  # difference of a deep stroke; share of its border that a gap between such strokes has at least
_BOX5 = np.ones((5, 5), np.uint8)


def find_inside(missing: Plane, floor: float) -> Plane:
    """How surely each place lies inside paint, away from its rim: 0..1, (h, w) float32.

    ``missing`` (h, w) encoded lightness that the darkest channel lacks to paper, reduced sheet; ``floor`` what paper's
    noise does not reach there. Areas that paint encloses count when their mean differs from paper at all, which shows
    far below the noise of single pixels.
    """
    calm = cv2.GaussianBlur(missing, (0, 0), 1.2)
    paint = (calm > max(_LEAST, 0.8 * floor)).astype(np.uint8)
    count, labels, _, _ = cv2.connectedComponentsWithStats(1 - paint, connectivity=4)
    if count > 1:
        size, mean = _of_middles(missing, 1 - paint, labels, count)
        # A small area is darkened more by what encloses it, and its mean is less sure.
        held = (mean > _PAINTED + _SMALL / np.sqrt(np.maximum(size, 1))) & (size > 8)
        # A gap between deep strokes may be paper; an opening that pale paint surrounds is the paint's own.
        held |= _edged_by_deep(missing, 1 - paint, labels, count) < _GAP
        held[0] = False
        rim = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
        held[np.unique(rim)] = False
        paint = np.maximum(paint, held[labels].astype(np.uint8))
    inner = cv2.erode(paint, np.ones((9, 9), np.uint8)).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(inner, (0, 0), 0.8), np.float32)


def _of_middles(
    missing: Plane, bare: NDArray[np.uint8], labels: NDArray[np.int32], count: int
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Size and mean difference from paper of the middle of each open area: the blur of what encloses it says nothing of it."""
    middle = cv2.erode(bare, _BOX5).ravel() > 0
    flat = labels.ravel()[middle]
    size = np.bincount(flat, minlength=count)
    total = np.bincount(flat, weights=missing.ravel()[middle].astype(np.float64), minlength=count)
    return size, total / np.maximum(size, 1)


def _edged_by_deep(
    missing: Plane, bare: NDArray[np.uint8], labels: NDArray[np.int32], count: int
) -> NDArray[np.float64]:
    """Of each open area the share of its border that has deep paint within a few cells."""
    border = (bare > 0) & (cv2.erode(bare, np.ones((3, 3), np.uint8)) == 0)
    deep = cv2.dilate(missing, np.ones((7, 7), np.uint8)) > _DEEP
    total = np.bincount(labels[border], minlength=count)
    return np.bincount(labels[border & deep], minlength=count) / np.maximum(total, 1)
