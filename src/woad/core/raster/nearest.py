"""The nearest of some places, for every pixel."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def nearest_of(places: NDArray[np.bool_]) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """For every pixel of (h, w) how far the nearest of the ``places`` is, px, and its index in the flattened plane; when
    there is none, infinitely far and 0."""
    if not places.any():
        return np.full(places.shape, np.inf, np.float32), np.zeros(places.shape, np.int64)
    gap, labels = cv2.distanceTransformWithLabels(
        1 - places.astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    index = np.zeros(int(labels.max()) + 1, np.int64)
    index[labels[places]] = np.flatnonzero(places)
    return np.asarray(gap, np.float32), index[labels]
