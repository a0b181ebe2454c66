"""Where a wash fades out on bare paper instead of having an edge: there its coverage goes with its depth, or it would be cut
out as a white patch with a rim of its own."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.means import wide_mean_of
from woad.core.raster.nearest import nearest_of

Plane = NDArray[np.float32]
Places = NDArray[np.int64]

_FAR_OUTSIDE = (3.0, 5.0)  # where something may be left of a wash
_OUTSIDE = (1.2, 3.0)  # cells beyond paper's edge, and in from it: bands that tell how paint begins
_INWARDS = (2.0, 3.2), (3.2, 5.0), (5.0, 8.0), (8.0, 12.0), (12.0, 18.0)
# Share of what it has risen to some cells further in that paint gets deeper by over about five cells at its rim, with an edge
# and when it fades out; what such a rise over more cells counts.
_EDGED, _EVEN, _LONGER = 0.64, 0.5, 0.8
_PALE, _DEEP = 4.0, 7.0  # times what paper lacks beyond it that the rim lacks, when paint fades out and with an edge
_OF_PAPER = 0.6  # share of the least depth that paper beyond a rim lacks at least
# Twice as large cells from a place within which its wash may get deeper, and in how many directions; what is left to count
# of that depth at the farthest; how alike in hue that is at least, and from when fully.
_REACH, _WAYS, _FARTHEST, _ALIKE = (4.0, 8.0, 13.0, 19.0, 26.0, 34.0), 12, 0.65, (0.90, 0.96)
_BETWEEN = 2.0  # cells (sigma) between what lies at a rim with an edge and at a soft one
_HUED = 3.0  # times the least depth of paint that tells its hue
# Of a veil's depth, at least, that is left on paper further out; and times the least depth that a veil has at most.
_LEFT, _VEIL = 0.45, 1.8
_ALONG, _FAR_ALONG = 15, 35  # cells along paper's edge that are told together: its depth, and how it begins
# Cells along it that a rim is surely soft for, and how soft it is on them when that is chance and when it is not.
_STRETCH, _FEW, _MANY = 40, 0.2, 0.45
_CALM = 1.5  # cells (sigma) over which depth is told
_BAYS = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (9, 9))  # light spots at its rim
_LEVELS = 16  # of depth that light spots in a wash are told at
_BEGIN, _FULL = 1.6, 0.95  # the least depth times this, and the share of the wash's, between which coverage rises
_OVER = 10.0  # cells beyond its rim where something may be left of a wash
_WHOLE = 0.9  # coverage from which it is whole
_BODY = 0.1  # depth that a wash has at least where it covers all: a haze covers little


@dataclass(frozen=True, eq=False)
class Rims:
    """Paint's rims, (h, w): where one is ``told``, bool, whether paint ``fades`` out there by itself, and at each place of
    paper's edge and some cells around it how surely it is a ``veil``, hardly deeper than what is left on paper further out,
    as where the light was read a little wrong. 0..1, float32."""

    told: NDArray[np.bool_]
    fades: Plane
    veil: Plane

    @cached_property
    def soft(self) -> Plane:
        """How surely paint fades out at each place of paper's edge and some cells around it, 0..1, (h, w) float32: a short
        stretch of a rim that has an edge before and behind it has one, too."""
        lone = np.clip((wide_mean_of(self.fades, self.told, _STRETCH / 2) - _FEW) / (_MANY - _FEW), 0, 1)
        return np.asarray(wide_mean_of(self.fades, self.told, _ALONG / 2) * lone)

    def without(self, paint: NDArray[np.uint8]) -> Rims:
        """The same where more is ``paint`` than was, whose rims go."""
        return replace(self, told=self.told & (paint == 0))


def find_fading(
    missing: Plane, paint: NDArray[np.uint8], least: float, rims: Rims, evened: Plane | None = None
) -> Plane:
    """How much each place may cover where paint fades out, 0..1, (h, w) float32: 1 everywhere but towards paper that a wash
    runs out on.

    ``missing`` (h, w) encoded lightness that the darkest channel lacks to paper, ``paint`` (h, w) 1 where paint is, 0 on
    paper, ``least`` the difference that is surely paint; ``rims`` as :func:`read_rims` tells; ``evened`` (h, w, C)
    linear, paper 1, tells one wash from another by its hue. With an edge a wash is deep from its rim on; what fades has
    hardly the least there. Light spots in it do not count: what lies between is as deep as around them.
    """
    h, w = missing.shape
    if not rims.soft.any():
        return np.ones((h, w), np.float32)
    size = (-(-w // 2), -(-h // 2))  # what fades does so over many cells
    soft, depth = (cv2.resize(plane, size, interpolation=cv2.INTER_AREA) for plane in (rims.soft, missing))
    bare = cv2.resize(paint, size, interpolation=cv2.INTER_AREA) == 0
    away, edge = nearest_of(bare)
    depth = np.asarray(cv2.GaussianBlur(depth, (0, 0), _CALM))
    full = _full_depth(depth, least, evened)
    filled = cv2.morphologyEx(depth, cv2.MORPH_CLOSE, _BAYS)
    reach = _REACH[-1]
    near = np.flatnonzero((away > 0) & (away < reach))
    none = _BEGIN * least
    whole = np.maximum(_FULL * np.maximum(full.ravel()[near], _BODY) - none, none)
    share = np.where(bare, 1 - soft, 1).astype(np.float32)
    lets = np.clip((reach - away.ravel()[near]) / (0.25 * reach), 0, 1)
    lets *= cv2.GaussianBlur(soft.ravel()[edge], (0, 0), _BETWEEN).ravel()[near]
    share.ravel()[near] = 1 - lets * (1 - np.clip((filled.ravel()[near] - none) / whole, 0, 1))
    out = np.minimum(_let_in(share, bare) / _WHOLE, 1)  # paint's own unevenness is no fading
    beyond, beside = nearest_of(~bare)
    # What is left of a wash on paper goes with it.
    out = np.where(bare, np.where(beyond <= _OVER, out.ravel()[beside], 1), out)
    out = cv2.GaussianBlur(out, (0, 0), _CALM)
    return np.asarray(cv2.resize(out, (2 * size[0], 2 * size[1]), interpolation=cv2.INTER_LINEAR)[:h, :w])


def _full_depth(half: Plane, least: float, evened: Plane | None) -> Plane:
    """How deep the wash that each place belongs to gets around it, for the rest as in :func:`find_fading`: mean of the depths
    around, each of them counting by its square. ``half`` (h, w) depth. What has another hue is another wash."""
    size = half.shape[::-1]
    few = (-(-size[0] // 2), -(-size[1] // 2))
    depth = np.asarray(cv2.resize(half, few, interpolation=cv2.INTER_AREA))
    hue = np.ones((*depth.shape, 1), np.float32)
    if evened is not None and evened.shape[2] == 3:
        light = cv2.resize(evened, few, interpolation=cv2.INTER_AREA)
        density = -np.log(np.clip(cv2.GaussianBlur(light, (0, 0), 1), 0.01, 1))
        hue = density / np.maximum(np.linalg.norm(density, axis=2, keepdims=True), 1e-6)
        _, told = nearest_of(depth > _HUED * least)
        hue = hue.reshape(-1, 3)[told]
    h, w = depth.shape
    most = round(_REACH[-1] / 2)
    planes = (depth, *(np.ascontiguousarray(hue[..., c]) for c in range(hue.shape[2])))
    padded = [cv2.copyMakeBorder(plane, most, most, most, most, cv2.BORDER_REPLICATE) for plane in planes]
    full, weight = depth**3, depth**2
    for reach in _REACH:
        fades = np.float32(1 - (1 - _FARTHEST) * reach / _REACH[-1])
        for turn in np.arange(_WAYS) * (2 * np.pi / _WAYS):
            dy, dx = most + round(reach / 2 * float(np.sin(turn))), most + round(reach / 2 * float(np.cos(turn)))
            deep, *hues = (plane[dy : dy + h, dx : dx + w] for plane in padded)
            alike = sum(own * other for own, other in zip(planes[1:], hues, strict=True))
            there = fades * np.clip((alike - _ALIKE[0]) / (_ALIKE[1] - _ALIKE[0]), 0, 1) * deep * deep
            full += there * deep
            weight += there
    full = cv2.GaussianBlur(full / np.maximum(weight, 1e-6), (0, 0), _CALM)
    return np.asarray(cv2.resize(full, size, interpolation=cv2.INTER_LINEAR))


def _let_in(share: Plane, bare: NDArray[np.bool_]) -> Plane:
    """``share`` (h, w) 0..1 as it is reached from ``bare`` paper: of all ways there the one whose highest share is least. A
    light spot within a wash is as deep as what lies around it, and nothing fades behind an edge. (Reconstruction by erosion:
    Vincent, *Morphological grayscale reconstruction*, 1993, at some levels.)"""
    out = np.zeros(share.shape, np.float32)
    for level in np.linspace(0, 1, _LEVELS + 1)[1:]:
        lower = share < level
        count, pools = cv2.connectedComponents(lower.astype(np.uint8), connectivity=4)
        open_ = np.zeros(count, bool)
        open_[pools[bare & lower]] = True
        open_[0] = False
        reached = open_[pools]
        out = np.where(reached, out, np.maximum(out, np.float32(level)))
    return np.where(share > out - 1 / _LEVELS, np.minimum(share, out), out)


def read_rims(missing: Plane, paint: NDArray[np.uint8], least: float) -> Rims:
    """Rims of ``paint``, for the rest as in :func:`find_fading`: with an edge paint is within a few cells as deep as it is
    beside them, however much deeper further in; what fades out gets there by and by."""
    bare = paint == 0
    away, edge = nearest_of(bare)
    if not np.isfinite(away).all():
        none = np.zeros(missing.shape, np.float32)
        return Rims(none > 0, none, none)
    beyond, last = nearest_of(~bare)
    at_rim = np.flatnonzero(bare & (cv2.dilate(paint, np.ones((3, 3), np.uint8)) > 0))
    outside, rim, *inwards = (
        _mean_in(band, missing, gap, place, _FAR_ALONG, at_rim)
        for band, gap, place in ((_OUTSIDE, beyond, last), *((band, away, edge) for band in _INWARDS))
    )
    # What it has risen to some cells after each step; of a narrow wisp, as far in as it goes.
    after = [rim]
    for depth in inwards:
        after.append(np.where(depth > 0, depth, after[-1]))
    steps = ((rim - outside, 2, 1.0), (after[1] - outside, 2, _LONGER), (after[2] - rim, 4, 1.0))
    steepest = np.max([share * step / np.maximum(after[at], 1e-6) for step, at, share in steps], axis=0)
    left = _mean_in(_FAR_OUTSIDE, missing, beyond, last, _FAR_ALONG, at_rim) / least
    soft = np.clip((_EDGED - steepest) / (_EDGED - _EVEN), 0, 1)
    soft *= np.clip((_DEEP - rim / np.maximum(outside, _OF_PAPER * least)) / (_DEEP - _PALE), 0, 1)
    known = (rim > 0) & (inwards[0] > 0)
    veil = (left > _LEFT * rim / least) & (rim < _VEIL * least) & (rim > 0)
    told = np.zeros(bare.shape, bool)
    told.ravel()[at_rim] = known

    def plane_of(values: NDArray[np.generic]) -> Plane:
        out = np.zeros(bare.shape, np.float32)
        out.ravel()[at_rim] = values
        return out

    return Rims(told, plane_of(soft * known), wide_mean_of(plane_of(veil & known), told, _ALONG / 2))


def without_veils(missing: Plane, paint: NDArray[np.uint8], least: float, rims: Rims) -> NDArray[np.uint8]:
    """``paint`` without what reaches in from such a rim and is as pale as it."""
    if not rims.veil.any():
        return paint
    _, edge = nearest_of(paint == 0)
    pale = cv2.GaussianBlur(missing, (0, 0), _CALM) < _VEIL * least
    return np.asarray(np.where(pale & (rims.veil.ravel()[edge] > 0.5), 0, paint), np.uint8)


def _mean_in(band: tuple[float, float], depth: Plane, away: Plane, edge: Places, along: int, asked: Places) -> Plane:
    """Mean depth of what lies that far ``away`` from each place of paper's ``edge`` that is ``asked`` for (n,), ``along`` some
    cells of it, (n,); 0 where there is nothing."""
    at = np.flatnonzero((away >= band[0]) & (away < band[1]))
    place, own = edge.ravel()[at], depth.ravel()[at].astype(np.float64)
    total, many = (
        cv2.blur(one.astype(np.float32).reshape(depth.shape), (along, along)).take(asked)
        for one in (np.bincount(place, own, depth.size), np.bincount(place, minlength=depth.size))
    )
    return np.asarray(np.where(many > 1e-6, total / np.maximum(many, 1e-6), 0), np.float32)
