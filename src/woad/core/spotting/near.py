"""Nearest neighbours of places."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

_KD_TREE, _LEAF = 4, 12  # one exact k-d tree; FLANN's other indexes are approximate
_ALL = {"checks": -1}


def neighbours(
    among: NDArray[np.float64], count: int, of: NDArray[np.float64] | None = None
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """The ``count`` places nearest to each, the nearest first.

    Parameters: ``among`` (n, 2), n at least ``count``; ``of`` (m, 2), without it the places themselves, each of which is
    then its own first neighbour (or another at the very same place).
    Returns distances (m, count) and indices (m, count). Source: k-d tree, Friedman, Bentley and Finkel 1977, as in
    FLANN (Muja and Lowe 2009), which comes with OpenCV.
    """
    tree = cv2.flann.Index(np.ascontiguousarray(among, np.float32), {"algorithm": _KD_TREE, "leaf_max_size": _LEAF})
    asked = np.ascontiguousarray(among if of is None else of, np.float32)
    index, squared = tree.knnSearch(asked, count, params=_ALL)
    return np.sqrt(np.maximum(squared, 0)).astype(np.float64), np.asarray(index, np.int64)
