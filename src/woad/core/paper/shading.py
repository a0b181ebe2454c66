"""Soft tones that are drawn on the sheet: smudged pencil, charcoal rubbed with a stump, a wash that runs out into wet paper.

They have no edge and no hue, so that from place to place they look like uneven light. But light comes from outside: where
it falls off or is kept off, a way leads out to the sheet's border that gets no lighter. A hollow all around which the paper
is lighter is drawn. Source: filling of hollows by reconstruction (Vincent, Morphological grayscale reconstruction in image
analysis, 1993).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

# Natural log: how deep a hollow is from which on it is drawn (buckled paper has hollows of 0.04, mottled tracing paper of
# 0.1), and how deep it is where it ends.
_DRAWN, _ENDS = 0.13, 0.02
_PER_SPREAD = 2.0  # of the paper's spread, its least depth: rough paper is uneven in itself
_EVEN = 0.5  # share of a block that is even, where it shows a tone and no strokes
_FEWEST = 4  # blocks as deep as that; a dark spot has fewer
_BOX3 = np.ones((3, 3), np.uint8)


def shading_of(tone: Plane, share: Plane, lit: Plane, spread: float) -> Mask:
    """Blocks of soft shading.

    Parameters: ``tone`` (gh, gw) log tone of the lightest material per block and ``share`` (gh, gw) of it that is even;
    ``lit`` (gh, gw) first guess of the paper's log light; ``spread`` the paper's relative standard deviation.
    """
    depth = hollows(np.asarray(tone - lit, np.float32))
    deep = (depth > _DRAWN) & (share > _EVEN)
    if int(deep.sum()) < _FEWEST:
        return np.zeros(tone.shape, bool)
    around = (depth > max(_ENDS, _PER_SPREAD * spread)).astype(np.uint8)
    count, numbers = cv2.connectedComponents(around, connectivity=8)
    drawn = np.bincount(numbers[deep], minlength=count) >= _FEWEST
    drawn[0] = False
    return np.asarray(drawn[numbers])


def hollows(plane: Plane) -> Plane:
    """How deep each place of a ``plane`` (h, w) lies below the lowest way from it to the border, (h, w), 0 or more."""
    level = plane.copy()
    level[1:-1, 1:-1] = plane.max()
    while True:
        lower = np.maximum(cv2.erode(level, _BOX3), plane)
        if np.array_equal(lower, level):
            return np.asarray(level - plane, np.float32)
        level = lower
