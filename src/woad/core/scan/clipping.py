"""Burnt-out paper: where the sensor ran out of white, so that faint strokes are gone for good."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Mask = NDArray[np.bool_]

_TOP = 254 / 255  # JPEG leaves burnt-out paper a code below white here and there


def clipped_pixels(encoded: NDArray[np.float32]) -> Mask:
    """Pixels that are at the top in every channel but one at most, of an (h, w, C) picture in 0..1: a yellow paper's
    blue is the last to burn."""
    top = encoded >= _TOP - 1e-4
    if encoded.shape[2] != 3:
        return np.asarray(top[..., 0])
    r, g, b = top[..., 0], top[..., 1], top[..., 2]
    return np.asarray((r & g) | (r & b) | (g & b))


def burnt_share(encoded: NDArray[np.float32], inside: Mask) -> tuple[float, Mask]:
    """Share of the paper near marks that is clipped, 0..1, and where.

    Parameters: ``encoded`` (h, w, C) in 0..1 at full size or reduced; ``inside`` (h, w) where the sheet lies. Near is a
    fortieth of the longer side. Without marks all paper counts: on a burnt sheet there may be none left.
    """
    clipped = clipped_pixels(encoded) & inside
    channels = encoded.shape[2]
    grey = np.asarray(cv2.transform(encoded, np.full((1, channels), 1 / channels, np.float32))).reshape(
        encoded.shape[:2]
    )
    light = float(np.percentile(grey[::2, ::2][inside[::2, ::2]], 75)) if inside[::2, ::2].any() else 1.0
    marks = (grey < light - 0.12) & inside
    reach = max(3, max(grey.shape) // 40)
    near = cv2.dilate(marks.astype(np.uint8), np.ones((reach | 1, reach | 1), np.uint8)) > 0
    paper = near & ~marks & inside if marks.sum() > 20 else inside
    rows = max(1, int(paper.sum()))
    return float((clipped & paper).sum() / rows), np.asarray(clipped)
