"""Coverage (alpha) of coloured pencils and crayons: pigment lies on the hills of the paper's tooth, and paper shows between."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.coverage import blurred
from woad.core.knockout.inner import edge_width

Plane8 = NDArray[np.uint8]

_AROUND = 5 / 3  # edge widths (sigma) over which the colour of a place's pigment is told
_LEAST = 45.0  # depth that pigment has at least, of 255: a trace of it is no pale paint
# Shares of the pigment's colour from which a pixel is full of it, and up to which it is bare.
_FULL_AT, _NONE_TO = 0.92, 0.03


def grain_alpha(rgb: Plane8, least: Plane8, body: float, edge_px: float) -> Plane8:
    """Alpha of marks with grain, as the share of the pigment around that each pixel has.

    ``rgb`` (H, W, 3) the picture over white, ``least`` (H, W) the least alpha that explains a pixel, 0 on bare paper; ``body``
    0..0.5 as in :func:`woad.core.knockout.coverage.body_alpha`; ``edge_px`` how wide an edge is. The colour of the pigment at
    a place is the mean around by the cube of the depth, which what lies on hills makes up nearly alone.

    Source: unmixing as in alpha estimation from known foreground and background (Smith and Blinn, Blue screen matting, 1996).
    """
    if body <= 0:
        return least
    depth = least.astype(np.float32)
    by = depth * depth * depth
    whole = np.maximum(blurred(by, _AROUND * edge_px), 1.0)
    along, own2, deepest = np.zeros_like(depth), np.zeros_like(depth), np.zeros_like(depth)
    for plane in cv2.split(cv2.bitwise_not(rgb)):
        missing = plane.astype(np.float32)
        own = blurred(missing * by, _AROUND * edge_px) / whole
        along += missing * own
        own2 += own * own
        deepest = np.maximum(deepest, own)
    # Of a deeper colour of that hue a pixel is a smaller share: a grain's edge is one of the grain.
    grain = cv2.dilate(cv2.GaussianBlur(least, (3, 3), 0), _grain_beside(edge_px))
    full = np.maximum(cv2.GaussianBlur(grain.astype(np.float32), (0, 0), edge_px / 2), _LEAST)
    share = along / np.maximum(own2, 1) * np.minimum(deepest / full, 1)
    share = (share / _FULL_AT - _NONE_TO) / (1 - _NONE_TO)
    mixed = 2 * body * 255 * np.clip(share, 0, 1) + (1 - 2 * body) * depth
    return np.asarray(np.maximum(np.rint(mixed).astype(np.uint8), least))


def _grain_beside(edge_px: float) -> Plane8:
    """As far around as the scan's blur carries a grain's colour."""
    side = 2 * edge_width(edge_px) + 5
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)), np.uint8)
