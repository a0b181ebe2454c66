"""Fringe: paper left in edge pixels. How much coverage a pixel may have before it must be lighter than its mark, and
where a cut-out has pixels that no mixture of mark and ground could make."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]

REACH_PX = 9
_NOISE = 3.0  # steps of 255 over a ground that are not seen
_SURE = 200  # coverage, of 255, from which a pixel shows its mark's own colour
_DARKER = 16  # the same for darker ones: scanners mix light, screens mix codes, and that alone darkens edges so much
_STEP = 6  # steps of 255 beyond any mixture that a pixel may show over a ground


def most_without_fringe(rgb: Plane8, least: Plane8, inner: Plane8) -> Plane8:
    """The most coverage (h, w) at which no channel of a pixel's own colour is lighter than the paint it belongs to.

    ``rgb`` (h, w, 3) over white; ``least`` the least coverage that explains it; ``inner`` 255 inside paint. Where no
    paint is near, the deepest pixel around stands for it.
    """
    reach = np.ones((REACH_PX, REACH_PX), np.uint8)
    deep = least >= cv2.dilate(least, _BOX5)
    sure = (inner > 127) | (deep & (least > 40))
    lightest = np.where(sure[..., None], rgb, 0).astype(np.uint8)
    most = np.full(least.shape, 255, np.float32)
    for c in range(3):
        paint = cv2.dilate(np.ascontiguousarray(lightest[..., c]), reach).astype(np.float32)
        # colour = 255 - missing * 255 / alpha must not exceed the paint's by more than noise makes of it.
        missing = 255 + _NOISE - rgb[..., c].astype(np.float32)
        most = np.minimum(most, np.where(paint > 0, missing * 255 / np.maximum(255 - paint, 1), 255))
    return np.asarray(np.clip(np.maximum(np.floor(most), least), 0, 255), np.uint8)


def fringe_pixels(rgb: NDArray[np.uint8], alpha: Plane8) -> tuple[Plane8, int]:
    """255 where an edge pixel's straight colour is lighter or darker than all marks near it, (h, w); and how many edge
    pixels there are."""
    sure = alpha >= _SURE
    edge = (alpha > 8) & ~sure & (cv2.erode(alpha, np.ones((7, 7), np.uint8)) == 0)
    if not edge.any():
        return np.zeros(alpha.shape, np.uint8), 0
    reach = np.ones((REACH_PX, REACH_PX), np.uint8)
    # A line too thin to be full anywhere is its own mark where it is fullest.
    sure |= (alpha >= cv2.dilate(alpha, _BOX5)) & (alpha > 40)
    known = cv2.dilate(sure.astype(np.uint8), reach) > 0
    off = np.zeros(alpha.shape, bool)
    for c in range(3):
        plane = np.ascontiguousarray(rgb[..., c])
        high = cv2.dilate(np.where(sure, plane, 0).astype(np.uint8), reach).astype(np.int16)
        low = cv2.erode(np.where(sure, plane, 255).astype(np.uint8), reach).astype(np.int16)
        # What counts is what shows over a ground: colour beyond the marks' own, by its coverage.
        share = alpha.astype(np.float32) / 255
        off |= ((plane - high) * share > _STEP) | ((low - plane) * share > _DARKER)
    return np.asarray(edge & known & off, np.uint8) * np.uint8(255), int(np.count_nonzero(edge & known))


_BOX5 = np.ones((5, 5), np.uint8)
