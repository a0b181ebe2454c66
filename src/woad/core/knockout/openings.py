"""Open areas that paint encloses: which of them are painted too, in about paper's own tone, and which are paper."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.border import border_of
from woad.core.raster.nearest import nearest_of
from woad.core.raster.surfaces import low_basis, solved

Plane = NDArray[np.float32]
Mask = NDArray[np.uint8]
Floats = NDArray[np.float64]

PAINTED_IN_DEEP = (
    0.01  # by how much more an area in deep paint lacks than paper outside, in the mean, when it is painted
)
_PAINTED, _WALLED = 0.0035, 0.9  # the same of others; share of its border that has deep paint from which it is in that
_SMALL = 0.03  # by how much more in an area of a single cell; it falls with the root of the area
_ABOVE = 0.05  # by how much lighter than paper an enclosed area is in the mean when it is white paint
_GAP = 0.6  # share of its border that a gap between deep strokes has at least
_CAST = 0.015  # difference between channels from which paper's colour is another one
_CAST_SHARE = 0.25  # and share of the difference that the sheet's own light has from end to end
_COARSE = 8  # cells of light to one that a smooth surface is put through
# Difference of a pale wash that has an edge; cells of a large opening; difference up to which it is bare paper.
_EDGE, _LARGE, _AS_BARE = 0.06, 60, 0.0025
_SOFT = 0.5  # how soft the border of an opening is where paint just thins out
_BOX3 = np.ones((3, 3), np.uint8)
_BOX5 = np.ones((5, 5), np.uint8)
_BOX7 = np.ones((7, 7), np.uint8)
_BOX9 = np.ones((9, 9), np.uint8)


def painted_openings(missing: Plane, above: Plane, paint: Mask, deep: Mask, light: Plane, soft: Plane) -> Mask | None:
    """1 in open areas (h, w) that are painted though no more than paper can be seen in them cell by cell; None without any.

    ``missing`` (h, w) encoded lightness that the darkest channel lacks to paper and ``above`` (h, w) by how much it is
    lighter; ``paint`` (h, w) 1 where paint is seen, ``deep`` (h, w) 1 where it is deep; ``light`` (h, w, C) paper's tone as it
    was estimated; ``soft`` (h, w) how surely paint fades out at its rims.
    """
    open_ = 1 - paint
    count, labels, _, _ = cv2.connectedComponentsWithStats(open_, connectivity=4)
    if count == 1:
        return None
    size, (mean, whiter) = _of_areas((missing, above), deep, open_, labels, count)
    outside = np.zeros(count, bool)
    outside[border_of(labels)] = True
    outside[0] = False
    bare = float(np.average(mean[outside], weights=size[outside] + 1)) if outside.any() else 0.0
    edged = _edged_by(deep, open_, labels, count, _BOX7)
    # A small area is darkened more by what encloses it, and its mean is less sure. Where deep paint lies all around, the
    # light in it is a guess from beyond, and a gap in the painting is likelier than paint of paper's very tone.
    differs = np.where(edged > _WALLED, PAINTED_IN_DEEP, _PAINTED)
    darker = mean > bare + least_in(size, differs)
    held = (size > 8) & (darker | (whiter > _ABOVE) | _of_other_cast(light, outside[labels], labels, count))
    # A gap between deep strokes may be paper; an opening that pale paint surrounds is the paint's own, but for a large
    # one of paper's very tone with an edge all around: paint that thins out has none.
    walled = _edged_by((missing > _EDGE).astype(np.uint8), open_, labels, count, _BOX9) > _GAP
    held |= (edged < _GAP) & ~(walled & (size > _LARGE) & (mean < bare + _AS_BARE))
    # Where paint thins out on all sides, the light spot is its own as well: a cloud left open in a sky.
    held |= _mean_along(soft, open_, labels, count) > _SOFT
    held[0] = False
    held &= ~outside
    return held[labels].astype(np.uint8) if held.any() else None


def least_in(size: NDArray[np.generic], least: float | Floats) -> Floats:
    """What an area of a ``size`` (n,) in cells has to lack in the mean, where a large one has to lack ``least``: the mean of
    few cells is less sure, and what lies around darkens them more."""
    return np.asarray(least + _SMALL / np.sqrt(np.maximum(size, 1)))


def _of_areas(
    planes: tuple[Plane, ...], deep: Mask, bare: Mask, labels: NDArray[np.int32], count: int
) -> tuple[NDArray[np.int64], list[Floats]]:
    """Size of each open area, and its mean of each of ``planes``, without what deep paint blurs into."""
    middle = ((bare > 0) & (cv2.dilate(deep, _BOX5) == 0)).ravel()
    flat = labels.ravel()[middle]
    size = np.bincount(flat, minlength=count)
    many = np.maximum(size, 1)
    return size, [np.bincount(flat, plane.ravel()[middle].astype(np.float64), count) / many for plane in planes]


def _of_other_cast(
    light: Plane, outside: NDArray[np.bool_], labels: NDArray[np.int32], count: int
) -> NDArray[np.bool_]:
    """Of which open areas paper has clearly another colour than the nearest paper outside: light changes its strength from
    place to place, its colour hardly across a stroke, unless it changes much over all the sheet. Where it changes slowly
    through a net of lines, the next mesh has nearly the same."""
    if not outside.any():
        return np.zeros(count, bool)
    colour = np.log(np.maximum(light, np.float32(1e-3)))
    colour -= colour.mean(axis=2, keepdims=True)
    spread = float(np.ptp(np.percentile(colour[outside][::16], (5, 95), axis=0), axis=0).max())
    colour -= _smooth_through(colour, outside)  # what lamps of two colours make of the whole sheet
    least = max(_CAST, _CAST_SHARE * spread)
    apart = _apart(colour, outside, (labels > 0) & ~outside, labels, count) > least
    if apart.any():
        apart &= _apart(colour, (labels > 0) & ~apart[labels], apart[labels], labels, count) > least
    return apart


def _apart(
    colour: Plane, paper: NDArray[np.bool_], asked: NDArray[np.bool_], labels: NDArray[np.int32], count: int
) -> Floats:
    """How far apart the channels of each area's mean ``colour`` are from those of the nearest ``paper``, where ``asked``."""
    _, nearest = nearest_of(paper)
    flat = labels[asked]
    away = colour[asked] - colour.reshape(-1, colour.shape[2])[nearest[asked]]
    size = np.maximum(np.bincount(flat, minlength=count), 1)
    mean = [np.bincount(flat, weights=own, minlength=count) / size for own in away.T]
    return np.asarray(np.max(mean, axis=0) - np.min(mean, axis=0))


def _smooth_through(colour: Plane, outside: NDArray[np.bool_]) -> Plane:
    """A quadratic surface (h, w, C) through what is ``outside``."""
    h, w, channels = colour.shape
    few = (max(1, w // _COARSE), max(1, h // _COARSE))
    small, bare = (
        cv2.resize(plane, few, interpolation=cv2.INTER_AREA) for plane in (colour, outside.astype(np.float32))
    )
    basis = low_basis((few[1], few[0]))
    fitted = basis @ solved(basis, small.reshape(few[1], few[0], channels), (bare > 0.99).astype(np.float32))
    return np.asarray(cv2.resize(fitted, (w, h), interpolation=cv2.INTER_LINEAR)).reshape(h, w, channels)


def _edged_by(paint: Mask, bare: Mask, labels: NDArray[np.int32], count: int, near: Mask) -> Floats:
    """Of each open area the share of its border that has such paint ``near``, a box of cells around it."""
    return _mean_along((cv2.dilate(paint, near) > 0).astype(np.float32), bare, labels, count)


def _mean_along(plane: Plane, bare: Mask, labels: NDArray[np.int32], count: int) -> Floats:
    """Of each open area the mean of a plane along its border."""
    border = (bare > 0) & (cv2.erode(bare, _BOX3) == 0)
    at = labels[border]
    return np.bincount(at, plane[border], count) / np.maximum(np.bincount(at, minlength=count), 1)
