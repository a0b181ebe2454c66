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
_FAINT = 8  # coverage, of 255, up to which nothing is seen of a pixel
_STEP = 6  # steps of 255 beyond any mixture that a pixel may show over a ground
_DARKER = 16  # the same for darker ones: scanners mix light, screens mix codes, and that alone darkens edges so much


def without_fringe(alpha: Plane8, rgb: Plane8, least: Plane8, inner: Plane8) -> Plane8:
    """Coverage (h, w) so far lowered that no channel of a pixel's own colour is lighter than the paint it belongs to.

    ``rgb`` (h, w, 3) over white; ``least`` the least coverage that explains it; ``inner`` 255 inside paint, where nothing
    is lowered. Where no paint is near, the deepest pixel around stands for it.
    """
    deep = least >= cv2.dilate(least, _BOX5)
    sure = ((inner > 127) | (deep & (least > 40))).view(np.uint8) * np.uint8(255)
    paint = cv2.dilate(cv2.bitwise_and(rgb, cv2.merge([sure, sure, sure])), _REACH)
    out = alpha.copy()
    asked = np.flatnonzero((alpha > 0) & (inner < 255))
    lightest = paint.reshape(-1, 3)[asked].astype(np.float32)
    # colour = 255 - missing * 255 / alpha must not exceed the paint's by more than noise makes of it.
    missing = 255 + _NOISE - rgb.reshape(-1, 3)[asked].astype(np.float32)
    each = np.where(lightest > 0, missing * 255 / np.maximum(255 - lightest, 1), 255)
    most = np.minimum(np.floor(each.min(axis=1)), 255).astype(np.uint8)
    own, low, held = (plane.ravel()[asked] for plane in (alpha, least, inner))
    out.ravel()[asked] = np.minimum(own, np.maximum(np.maximum(most, low), held))
    return out


def held_to_marks(rgb: Plane8, alpha: Plane8) -> Plane8:
    """Straight colour (h, w, 3) of which no edge pixel is, in any channel, lighter than all marks near it, nor darker than
    mixing makes it: what a lossy file's coarse colour, or a sharpened edge, leaves there belongs to no mark."""
    sure, edge = marks_and_edges(alpha)
    if not edge.any():
        return rgb
    high, low, known = _range_near(rgb, sure)
    asked = np.flatnonzero(cv2.bitwise_and(edge, known))  # few
    by = 255 / alpha.ravel()[asked].astype(np.float32)  # what a step over a ground is, of a pixel's own colour
    lighter, darker = (np.rint(by[:, None] * step - 0.5).astype(np.int16) for step in (_NOISE, _DARKER))
    own, most, least = (plane.reshape(-1, 3)[asked].astype(np.int16) for plane in (rgb, high, low))
    out = rgb.copy()
    out.reshape(-1, 3)[asked] = np.minimum(np.maximum(own, least - darker), np.minimum(most + lighter, 255))
    return out


def fringe_pixels(rgb: NDArray[np.uint8], alpha: Plane8) -> tuple[Plane8, int]:
    """255 where an edge pixel's straight colour is lighter or darker than all marks near it, (h, w); and how many edge
    pixels there are."""
    sure, edge = marks_and_edges(alpha)
    if not edge.any():
        return np.zeros(alpha.shape, np.uint8), 0
    high, low, known = _range_near(rgb, sure)
    # What counts is what shows over a ground: colour beyond the marks' own, by its coverage.
    share = (alpha.astype(np.float32) / 255)[..., None]
    off = (cv2.subtract(rgb, high) * share > _STEP) | (cv2.subtract(low, rgb) * share > _DARKER)
    asked = (edge > 0) & (known > 0)
    return np.asarray(asked & off.any(axis=2), np.uint8) * np.uint8(255), int(np.count_nonzero(asked))


def marks_and_edges(alpha: Plane8, faint: int = _FAINT, full: int = _SURE) -> tuple[Plane8, Plane8]:
    """255 at pixels (h, w) that show their mark's own colour, from a coverage of ``full`` on, and at edge pixels of marks,
    from above ``faint``."""
    sure = alpha >= full
    edge = (alpha > faint) & ~sure & (cv2.erode(alpha, np.ones((7, 7), np.uint8)) == 0)
    # A line too thin to be full anywhere is its own mark where it is fullest.
    sure |= (alpha >= cv2.dilate(alpha, _BOX5)) & (alpha > 40)
    return sure.view(np.uint8) * np.uint8(255), edge.view(np.uint8) * np.uint8(255)


def _range_near(rgb: Plane8, sure: Plane8) -> tuple[Plane8, Plane8, Plane8]:
    """The lightest and the darkest, (h, w, 3), that sure pixels around each pixel are, and 255 where there are any."""
    mask = cv2.merge([sure, sure, sure])
    high = cv2.dilate(cv2.bitwise_and(rgb, mask), _REACH)
    low = cv2.erode(cv2.bitwise_or(rgb, cv2.bitwise_not(mask)), _REACH)
    return np.asarray(high), np.asarray(low), np.asarray(cv2.dilate(sure, _REACH))


_REACH = np.ones((REACH_PX, REACH_PX), np.uint8)
_BOX5 = np.ones((5, 5), np.uint8)
