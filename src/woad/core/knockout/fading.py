"""Where a wash fades out on bare paper instead of having an edge: there its coverage goes with its depth, or it would be cut
out as a white patch with a rim of its own."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.means import wide_blur
from woad.core.raster.nearest import nearest_of

Plane = NDArray[np.float32]
Places = NDArray[np.int64]

_FAR_OUTSIDE, _NOTHING, _SOME = (3.0, 5.0), 0.2, 0.4  # where something is left of a wash, as a share of the least depth
_OUTSIDE = (1.2, 3.0)  # cells beyond paper's edge, and in from it: bands that tell how paint begins
_INWARDS = (1.0, 2.0), (2.0, 3.2), (3.2, 5.0), (8.0, 12.0)
_EVEN, _STEEP = 2.2, 3.2  # how much steeper than further in it gets deeper there, when it fades out and with an edge
_PALE, _DEEP = 3.0, 5.0  # times the least depth of paint that its rim has, with the same
_DEPTHS = (5.0, 8.0), (8.0, 12.0), (12.0, 18.0), (18.0, 26.0)  # twice as large cells in from paper
# Of a veil's depth, at least, that is left on paper further out; and times the least depth that a veil has at most.
_LEFT, _VEIL = 0.45, 1.8
_RISES = 1.07  # times a band's depth from which the wash still gets deeper
_DEEPER = 1.3, 1.7  # times its rim's depth that a wash has further in, when it has an edge and when it fades out
_ALONG, _FAR_ALONG = 15, 35  # cells along paper's edge that are told together: its depth, and how it begins
_CALM = 1.5  # cells (sigma) over which depth is told
_BAYS = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (9, 9))  # light spots at its rim
_LEVELS = 8  # of depth that light spots in a wash are told at
_BEGIN, _FULL = 1.6, 0.85  # the least depth times this, and the share of the wash's, between which coverage rises
_OVER = 10.0  # cells beyond its rim where something may be left of a wash
_LEAST = 0.004  # of depth between none and full coverage


@dataclass(frozen=True, eq=False)
class Rims:
    """Paint's rims, told at each place of paper's edge and some cells around it, (h, w) float32: how surely paint fades out
    there, ``soft`` 0..1; how ``deep`` it is; and how surely it is a ``veil``, 0..1: hardly deeper than what is left on paper
    further out, as where the light was read a little wrong."""

    soft: Plane
    deep: Plane
    veil: Plane


def find_fading(missing: Plane, paint: NDArray[np.uint8], least: float, rims: Rims) -> Plane:
    """How much each place may cover where paint fades out, 0..1, (h, w) float32: 1 everywhere but towards paper that a wash
    runs out on.

    ``missing`` (h, w) encoded lightness that the darkest channel lacks to paper, ``paint`` (h, w) 1 where paint is, 0 on
    paper, ``least`` the difference that is surely paint; ``rims`` as :func:`read_rims` tells. With an edge a wash is deep
    from its rim on; what fades has hardly the least there. Light spots in it do not count: what lies between is as deep as
    around them.
    """
    h, w = missing.shape
    if not rims.soft.any():
        return np.ones((h, w), np.float32)
    size = (-(-w // 2), -(-h // 2))  # what fades does so over many cells
    soft, rim, depth = (
        np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA)) for plane in (rims.soft, rims.deep, missing)
    )
    bare = cv2.resize(paint, size, interpolation=cv2.INTER_AREA) == 0
    away, edge = nearest_of(bare)
    depth = np.asarray(cv2.GaussianBlur(depth, (0, 0), _CALM))
    full, told = _full_depth(depth, away, edge, rim)
    deeper = (full / np.maximum(rim, least) - _DEEPER[0]) / (_DEEPER[1] - _DEEPER[0])
    soft = _along([np.asarray(soft * np.clip(deeper, 0, 1), np.float32)], told)[0]
    filled = cv2.morphologyEx(depth, cv2.MORPH_CLOSE, _BAYS)
    reach = _DEPTHS[-1][1]
    near = np.flatnonzero((away > 0) & (away < reach))
    at, none = edge.ravel()[near], _BEGIN * least
    share = np.where(bare, 0, 1).astype(np.float32)
    whole = np.maximum(_FULL * full.ravel()[at] - none, _LEAST)
    share.ravel()[near] = np.clip((filled.ravel()[near] - none) / whole, 0, 1)
    share = _without_pores(share, bare)
    lacks = soft.ravel()[at] * (1 - share.ravel()[near])
    out = np.ones(bare.shape, np.float32)
    out.ravel()[near] = 1 - lacks * np.clip((reach - away.ravel()[near]) / (0.25 * reach), 0, 1)
    beyond, beside = nearest_of(~bare)
    out = np.where(bare & (beyond <= _OVER), out.ravel()[beside], out)  # what is left of a wash on paper goes with it
    out = cv2.GaussianBlur(out, (0, 0), _CALM)
    return np.asarray(cv2.resize(out, (2 * size[0], 2 * size[1]), interpolation=cv2.INTER_LINEAR)[:h, :w])


def _full_depth(depth: Plane, away: Plane, edge: Places, rim: Plane) -> tuple[Plane, NDArray[np.bool_]]:
    """How deep the wash at each place of paper's edge gets further in, as far as it keeps rising; and where that, and its
    ``rim``, is known."""
    full = _mean_in(_DEPTHS[0], depth, away, edge)
    rises = told = (full > 0) & (rim > 0)
    for band in _DEPTHS[1:]:
        deeper = _mean_in(band, depth, away, edge)
        rises = rises & (deeper > _RISES * full)
        full = np.where(rises, deeper, full)
    return np.maximum(full, _along([full], told)[0]), told  # one wash is about as deep along all of its rim


def _without_pores(share: Plane, bare: NDArray[np.bool_]) -> Plane:
    """Where a wash lets through less in steps from paper on; a light spot within it is as deep as what lies around."""
    out = share
    for level in np.linspace(0, 1, _LEVELS + 1)[1:]:
        count, spots = cv2.connectedComponents((share < level).astype(np.uint8), connectivity=4)
        open_ = np.zeros(count, bool)
        open_[spots[bare]] = True
        open_[0] = True
        out = np.where(open_[spots], out, np.maximum(out, np.float32(level)))
    return out


def read_rims(missing: Plane, paint: NDArray[np.uint8], least: float) -> Rims:
    """Rims of ``paint``, for the rest as in :func:`find_fading`: paint fades out where it gets deeper as evenly as it does
    further in, and not all at once."""
    bare = paint == 0
    away, edge = nearest_of(bare)
    if not np.isfinite(away).all():
        return Rims(np.zeros(missing.shape, np.float32), missing, np.zeros(missing.shape, np.float32))
    beyond, last = nearest_of(~bare)
    at_rim = np.flatnonzero(bare & (cv2.dilate(paint, np.ones((3, 3), np.uint8)) > 0))
    outside, *inwards = (
        _mean_in(band, missing, gap, place, _FAR_ALONG, at_rim)
        for band, gap, place in ((_OUTSIDE, beyond, last), *((band, away, edge) for band in _INWARDS))
    )
    profile = [outside, *inwards]
    at = [-sum(_OUTSIDE) / 2, *(sum(band) / 2 for band in _INWARDS)]
    *slopes, goes_on = ((profile[i + 1] - profile[i]) / (at[i + 1] - at[i]) for i in range(len(_INWARDS)))
    steepest = np.max(slopes, axis=0) / np.maximum(goes_on, 1e-6)
    left = _mean_in(_FAR_OUTSIDE, missing, beyond, last, _FAR_ALONG, at_rim) / least
    runs_on = 1 + np.clip((left - _NOTHING) / (_SOME - _NOTHING), 0, 1)
    deep = inwards[1]
    soft = np.clip((_STEEP - steepest / runs_on) / (_STEEP - _EVEN), 0, 1)
    soft *= np.clip((_DEEP - deep / least) / (_DEEP - _PALE), 0, 1)
    known = (deep > 0) & (inwards[-1] > 0)
    veil = (left > _LEFT * deep / least) & (deep < _VEIL * least) & (deep > 0)
    told = np.zeros(bare.shape, bool)
    told.ravel()[at_rim] = known

    def plane_of(values: NDArray[np.generic]) -> Plane:
        out = np.zeros(bare.shape, np.float32)
        out.ravel()[at_rim] = values
        return out

    return Rims(*_along([plane_of(soft), plane_of(deep), plane_of(veil & known)], told))


def without_veils(missing: Plane, paint: NDArray[np.uint8], least: float, rims: Rims) -> NDArray[np.uint8]:
    """``paint`` without what reaches in from such a rim and is as pale as it."""
    if not rims.veil.any():
        return paint
    _, edge = nearest_of(paint == 0)
    pale = cv2.GaussianBlur(missing, (0, 0), _CALM) < _VEIL * least
    return np.asarray(np.where(pale & (rims.veil.ravel()[edge] > 0.5), 0, paint), np.uint8)


def _mean_in(
    band: tuple[float, float],
    depth: Plane,
    away: Plane,
    edge: Places,
    along: int = _ALONG,
    asked: Places | None = None,
) -> Plane:
    """Mean depth of what lies that far ``away`` from each place of paper's ``edge``, along some cells of it; 0 where there
    is nothing. Of places that are ``asked`` for (n,), (n,)."""
    at = np.flatnonzero((away >= band[0]) & (away < band[1]))
    place, own = edge.ravel()[at], depth.ravel()[at].astype(np.float64)
    total, many = (
        cv2.blur(one.astype(np.float32).reshape(depth.shape), (along, along))
        for one in (np.bincount(place, own, depth.size), np.bincount(place, minlength=depth.size))
    )
    if asked is not None:
        total, many = total.take(asked), many.take(asked)
    return np.asarray(np.where(many > 1e-6, total / np.maximum(many, 1e-6), 0), np.float32)


def _along(planes: list[Plane], told: NDArray[np.bool_]) -> list[Plane]:
    """Means of planes over some cells, of those that are ``told``; 0 where there is none."""
    some = told.astype(np.float32)
    weight = wide_blur(some, _ALONG / 2)
    share = np.where(weight > 1e-3, 1 / np.maximum(weight, np.float32(1e-3)), 0).astype(np.float32)
    return [wide_blur(plane * some, _ALONG / 2) * share for plane in planes]
