"""Sharpening that a scanner or phone did of its own: found by the light rims it leaves beside dark marks, and taken back.

Nearly all of them add to a picture what it differs by from a blurred copy of itself (unsharp masking). Of an edge between
paper and a mark that makes a rim lighter than the paper, as wide as that blur, as high as the amount makes it. Both are told
by the usual profile of the edges, and with them the filter can be turned round.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from itertools import product

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.raster.bell import bell_integral
from woad.core.raster.thinning import thinned

Plane = NDArray[np.float32]
Floats = NDArray[np.float64]

_STEPS = 0.2, 0.1  # contrast of edges that tell; lower ones only where there are no others
_FEWEST, _MANY = 60, 600  # profiles that tell, in all; and most of one part
# How far a profile reaches into the mark, a rim at most, and the profile, over the paper.
_DARK_PX, _NEAR_PX, _FAR_PX = 8, 7, 14
_CALM = 0.25  # of the contrast, that paper beyond the rim may vary by: no other mark is there
_SLOPE = 0.03  # of full scale, from pixel to pixel, of an edge
_TELLS = 0.06  # rims from which sharpening is taken back; less is left by any camera
_OFTEN = 0.5  # of the usual rim, that three quarters of the parts have: a white line drawn along a mark is none
_HELPS = 0.5  # of the rim, at most, is left when it is taken back
# What is tried: sigma of the scan's own blur and of the copy's, px; amounts; widths of the marks, px; places of the edge, px.
_BLURS = (0.5, 0.65, 0.8, 1.0, 1.25, 1.6, 2.0)
_RADII = (0.6, 0.8, 1.0, 1.25, 1.5, 2.0, 2.5, 3.2, 4.0)
_AMOUNTS = (0.2, 0.3, 0.45, 0.6, 0.8, 1.0, 1.3, 1.6, 2.0, 2.5, 3.0)
_WIDTHS = (2, 3, 4, 6, 9, 20)
_SHIFTS = np.linspace(-0.6, 0.6, 13)
_AT = np.arange(-_DARK_PX, _FAR_PX + 1, dtype=np.float64)
# The mark's far side is least alike from mark to mark.
_WEIGHT = np.where(_AT >= -1, 1.0, np.where(_AT >= -3, 0.3, 0.0))
_PARTS = 2  # separable ones that are within a code of the exact filter
_LEAST_RADIUS = 0.35  # px, below which a copy is hardly blurred


@dataclass(frozen=True)
class Sharpening:
    """``rims``: how much lighter than the paper its rims are, as a share of the step at the edge. ``radius_px``
    (sigma of the blurred copy) and ``amount`` (times the difference) are 0 where that is too little to be taken back."""

    rims: float
    radius_px: float = 0.0
    amount: float = 0.0

    def at_level(self, level: int) -> Sharpening | None:
        """The same for a picture halved ``level`` times; None where nothing of it is left."""
        radius = self.radius_px / (1 << level)
        return Sharpening(self.rims, radius, self.amount) if self.amount and radius >= _LEAST_RADIUS else None


def find_sharpening(parts: Sequence[Plane]) -> Sharpening | NoEstimate:
    """How a scan was sharpened, from full-size grey ``parts`` (h, w) in 0..1 that are rich in edges.

    Paper must be lighter than the marks: of dark paper give the negative. Method: the median profile across edges, compared
    with those that a blurred step or stroke has when it is sharpened; taken back, rims must be gone.
    """
    for least in _STEPS:
        each = [_profiles(part, least) for part in parts]
        profiles = np.concatenate(each)
        if len(profiles) >= _FEWEST:
            break
    else:
        return NoEstimate("there are too few clear edges beside bare paper")
    usual = np.median(profiles, axis=0)
    rims = _rim(usual)
    if rims < _TELLS:
        return Sharpening(rims)
    many = [_rim(np.median(own, axis=0)) for own in each if len(own) >= _FEWEST]
    found = Sharpening(rims, *_fitted(usual))
    # Edges are lower without it.
    after = np.concatenate([_profiles(without_sharpening(part, found), least / 2) for part in parts])
    often = not many or np.percentile(many, 25) >= _OFTEN * rims
    if often and len(after) >= _FEWEST and _rim(np.median(after, axis=0)) <= _HELPS * rims:
        return found
    return NoEstimate("rims beside marks are not a scanner's")


def to_take_back(found: Sharpening | NoEstimate) -> Sharpening | None:
    """What was found, if it is enough to be taken back."""
    return found if isinstance(found, Sharpening) and found.amount else None


def without_sharpening(picture: NDArray[np.generic], was: Sharpening) -> Plane:
    """A picture (h, w) or (h, w, C) of any type, as encoded, before it was sharpened, as float32; wrong where it had been
    clipped, and beyond the picture it goes on as at its border."""
    source = np.asarray(picture, np.float32)
    plain, rows, columns = _turned_round(was.radius_px, was.amount)
    out = source * np.float32(plain)
    for row, column in zip(rows, columns, strict=True):
        blurred = cv2.sepFilter2D(source, cv2.CV_32F, row, column, borderType=cv2.BORDER_REPLICATE)
        out += np.asarray(blurred).reshape(source.shape)
    return out


def reach_px(was: Sharpening) -> int:
    """How far a pixel has a part in what others become."""
    # Far out the filter falls off as exp(-x / (radius sqrt(amount / 2))).
    return int(np.ceil(was.radius_px * (2 + 4 * np.sqrt(was.amount / 2))))


@cache
def _turned_round(radius: float, amount: float) -> tuple[float, Floats, Floats]:
    """What turns the filter round: a pixel's own share, and the rows and columns (K, N) of separable blurs that are added.

    The filter passes ``1 + amount (1 - G)`` of each frequency, G a Gaussian's; one over that is a sum of ever broader Gaussians
    with ever less weight (the geometric series), and as a matrix next to one of few separable parts.
    """
    reach = reach_px(Sharpening(0.0, radius, amount))
    x = np.arange(-reach, reach + 1, dtype=np.float64)
    ratio = amount / (1 + amount)
    blur, power = np.zeros((len(x), len(x))), 1.0
    for n in range(1, 400):
        power *= ratio
        bell = np.exp(-x * x / (2 * n * radius * radius))
        blur += power * np.outer(bell, bell) / bell.sum() ** 2
        if power < 1e-4:
            break
    blur *= ratio / blur.sum()
    size, basis = np.linalg.eigh(blur)
    kept = np.argsort(np.abs(size))[-_PARTS:]
    rows = np.ascontiguousarray(basis[:, kept].T)
    columns = rows * size[kept][:, None]
    columns *= ratio / float((rows.sum(axis=1) * columns.sum(axis=1)).sum())  # even paper keeps its tone
    return 1 / (1 + amount), rows, columns


def _rim(profile: Floats) -> float:
    """How much lighter a profile gets beside its edge than it is farther out."""
    top = _DARK_PX + 1 + int(np.argmax(profile[_DARK_PX + 1 : _DARK_PX + _NEAR_PX]))
    return float(profile[top] - profile[top:].min())


def _profiles(part: Plane, least: float) -> Floats:
    """Profiles (n, P) across edges of a part, along the way to the light, its mark's darkest 0 and its paper 1."""
    reach = _FAR_PX + 2
    none = np.zeros((0, len(_AT)))
    if min(part.shape) < 3 * reach:
        return none
    calm = cv2.GaussianBlur(part, (0, 0), 0.7)
    across, down = (cv2.Sobel(calm, cv2.CV_32F, x, 1 - x, ksize=1, scale=0.5) for x in (1, 0))
    slope = np.asarray(cv2.magnitude(across, down))
    box = np.ones((9, 9), np.uint8)
    edge = (slope > _SLOPE) & (cv2.dilate(calm, box) - cv2.erode(calm, box) > least)
    edge &= slope >= cv2.dilate(slope, np.ones((3, 3), np.uint8))
    inner = np.zeros_like(edge)
    inner[reach:-reach, reach:-reach] = True
    some = thinned(np.flatnonzero(edge & inner), _MANY)
    if not len(some):
        return none
    y, x = np.divmod(some, part.shape[1])
    to_x, to_y = (plane.ravel()[some] / slope.ravel()[some] for plane in (across, down))
    at = _AT[:, None]
    lines = cv2.remap(
        part, (x + at * to_x).astype(np.float32), (y + at * to_y).astype(np.float32), cv2.INTER_LINEAR
    ).T.astype(np.float64)
    far = lines[:, _DARK_PX + _NEAR_PX + 1 :]
    paper, dark = np.median(far, axis=1), lines[:, _DARK_PX - 3 : _DARK_PX].min(axis=1)
    step = paper - dark
    good = (step > least) & (np.ptp(far, axis=1) < _CALM * step)
    return np.asarray((lines[good] - dark[good, None]) / step[good, None])


def _fitted(profile: Floats) -> tuple[float, float]:
    """Radius and amount of the sharpening whose profile is most like this one."""
    tried, models = _models()
    moved = np.stack([np.interp(_AT + shift, _AT, profile) for shift in _SHIFTS])
    # |m - p|² without the part of p alone, which is the same for all models at a place of the edge.
    off = (models * models) @ _WEIGHT - 2 * (moved * _WEIGHT) @ models.T + ((moved * moved) @ _WEIGHT)[:, None]
    _, best = np.unravel_index(int(np.argmin(off)), off.shape)
    return tried[best]


@cache
def _models() -> tuple[list[tuple[float, float]], Floats]:
    """Radii and amounts that are tried, and the profiles (M, P) that they make of strokes of several widths and blurs."""
    tried, models = [], []
    for blur, radius, amount, width in product(_BLURS, _RADII, _AMOUNTS, _WIDTHS):
        sharp, copy = (
            bell_integral((_AT + width) / s) - bell_integral(_AT / s) for s in (blur, float(np.hypot(blur, radius)))
        )
        profile = 1 - ((1 + amount) * sharp - amount * copy)
        dark = profile[_DARK_PX - 3 : _DARK_PX].min()
        tried.append((radius, amount))
        models.append((profile - dark) / (1 - dark))
    return tried, np.array(models)
