"""Coverage (alpha) of coloured pencils and crayons: pigment lies on the hills of the paper's tooth, and paper shows between."""

from __future__ import annotations

from functools import reduce

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.coverage import blurred
from woad.core.knockout.inner import edge_width

Plane8 = NDArray[np.uint8]
Plane = NDArray[np.float32]
Colour = list[Plane]  # what a colour takes of white, (h, w) per channel

_AROUND = 5 / 3  # edge widths (sigma) over which the colour of a place's pigment is told
_LEAST = 45.0  # depth that pigment has at least, of 255: a trace of it is no pale paint
# Shares of the pigment's colour from which a pixel is full of it, and up to which it is bare.
_FULL_AT, _NONE_TO = 0.92, 0.03
# How far apart hues around are that are two pigments; a pixel is of one of them with so little of the other.
_HUES, _PURE = (0.03, 0.08), 0.25


def grain_alpha(rgb: Plane8, least: Plane8, body: float, edge_px: float) -> Plane8:
    """Alpha of marks with grain, as the share of the pigment around that each pixel has.

    ``rgb`` (H, W, 3) the picture over white, ``least`` (H, W) the least alpha that explains a pixel, 0 on bare paper; ``body``
    0..0.5 as in :func:`woad.core.knockout.coverage.body_alpha`; ``edge_px`` how wide an edge is. The colour of the pigment at
    a place is the mean around by the cube of the depth, which what lies on hills makes up nearly alone; where there are two,
    as a black line over a colour, a pixel is a mixture of both.

    Source: unmixing as in alpha estimation from known foreground and background (Smith and Blinn, Blue screen matting, 1996).
    """
    if body <= 0:
        return least
    depth = least.astype(np.float32)
    cube = depth * depth * depth
    missing = [plane.astype(np.float32) for plane in cv2.split(cv2.bitwise_not(rgb))]
    one = _pigment(missing, cube, edge_px)
    share = np.asarray(_dot(missing, one) / np.maximum(_dot(one, one), 1) * _of_full(one, least, edge_px), np.float32)
    share = _beside_another(missing, cube, least, one, share, edge_px)
    share = (share / _FULL_AT - _NONE_TO) / (1 - _NONE_TO)
    mixed = 2 * body * 255 * np.clip(share, 0, 1) + (1 - 2 * body) * depth
    return np.asarray(np.maximum(np.rint(mixed).astype(np.uint8), least))


def _beside_another(missing: Colour, cube: Plane, least: Plane8, one: Colour, share: Plane, edge_px: float) -> Plane:
    """``share`` (h, w) of the pigment ``one`` around, and where another hue lies there as well, as black lines do over
    colours, the sum of the shares that a pixel has of both: by itself the deeper of them would tell for the paler."""
    other = _pigment(missing, cube * _apart(missing, one), edge_px)
    one = _pigment(missing, cube * _apart(missing, other), edge_px)  # what was the mean of both before
    told = np.clip((_apart(one, other) - _HUES[0]) / (_HUES[1] - _HUES[0]), 0, 1)
    at = np.flatnonzero((told > 0) & (least > 0))
    if not at.size:
        return share
    own, first, second = ([plane.ravel()[at] for plane in colour] for colour in (missing, one, other))
    a, b = _shares(own, first, second)
    of_first, of_second = np.sqrt(_dot(first, first)) * a, np.sqrt(_dot(second, second)) * b
    both = np.zeros(at.size, np.float32)
    for pigment, part, mine, others in ((one, a, of_first, of_second), (other, b, of_second, of_first)):
        pure = np.zeros_like(least)
        pure.ravel()[at] = np.where(others < _PURE * mine, least.ravel()[at], 0)
        both += part * _of_full(pigment, pure, edge_px).ravel()[at]
    out = share.copy()
    out.ravel()[at] += told.ravel()[at] * (both - share.ravel()[at])
    return out


def _shares(own: Colour, first: Colour, second: Colour) -> tuple[Plane, Plane]:
    """How much of two colours mixes to ``own`` colours (n,), no less than nothing (Lawson and Hanson, Solving least squares
    problems, 1974; for two, the one that would be negative is left out)."""
    s11, s22 = (np.maximum(_dot(one, one), 1) for one in (first, second))
    s12, m1, m2 = _dot(first, second), _dot(own, first), _dot(own, second)
    det = np.maximum(s11 * s22 - s12 * s12, 1)
    a, b = (s22 * m1 - s12 * m2) / det, (s11 * m2 - s12 * m1) / det
    return np.where(b < 0, m1 / s11, np.maximum(a, 0)), np.where(a < 0, m2 / s22, np.maximum(b, 0))


def _pigment(missing: Colour, by: Plane, edge_px: float) -> Colour:
    """The mean colour around each pixel by such weights (h, w)."""
    whole = np.maximum(blurred(by, _AROUND * edge_px), np.float32(1))
    return [np.asarray(blurred(plane * by, _AROUND * edge_px) / whole, np.float32) for plane in missing]


def _of_full(pigment: Colour, least: Plane8, edge_px: float) -> Plane:
    """How full the grains near each pixel are of a ``pigment``, (h, w), 0..1: of a deeper colour of that hue a pixel is a
    smaller share, and a grain's edge is one of the grain."""
    grain = cv2.dilate(cv2.GaussianBlur(least, (3, 3), 0), _grain_beside(edge_px))
    full = np.maximum(cv2.GaussianBlur(grain.astype(np.float32), (0, 0), edge_px / 2), _LEAST)
    return np.asarray(np.minimum(reduce(np.maximum, pigment) / full, 1), np.float32)


def _apart(one: Colour, other: Colour) -> Plane:
    """How far apart the hues of two colours are, (h, w): the squared sine of the angle between them."""
    across, sizes = _dot(one, other), _dot(one, one)
    sizes *= _dot(other, other)
    across *= across
    across /= np.maximum(sizes, 1, out=sizes)
    return np.maximum(np.subtract(1, across, out=across), 0, out=across)


def _dot(one: Colour, other: Colour) -> Plane:
    out = one[0] * other[0]
    for a, b in zip(one[1:], other[1:], strict=True):
        out += a * b
    return out


def _grain_beside(edge_px: float) -> Plane8:
    """As far around as the scan's blur carries a grain's colour."""
    side = 2 * edge_width(edge_px) + 5
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)), np.uint8)
