"""Marks lighter than their paper: white ink, paint or chalk on toned paper, which would go with the paper."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.light_places import GOES_ON, INKED, LIGHTER, MOSTLY, light_places, places_of, without_lines
from woad.core.paper.tint import telling_weights
from woad.core.raster.border import border_of
from woad.core.raster.channels import even_weights, folded, highest, lowest
from woad.core.raster.transfer import srgb_encode

Plane = NDArray[np.float32]
Plane8 = NDArray[np.uint8]

# In the lightest channel, what its noise does not reach in the mean of 5 x 5 px, and an edge's step there.
_PALE, _PALE_STEP = 1.05, 0.03
_FULL_PERCENTILE, _FULL = 60, 0.9  # how light marks are where they are full, and the share of that which counts as full
_MOST = 1.6  # codes of reflectance end a little above
_BOX2 = np.ones((2, 2), np.uint8)
_BOX5 = np.ones((5, 5), np.uint8)
_FROM = 0.2  # share of full light up to which it is the paper's tooth or an edge's blur
# Of a place's inside, the share that is light from which it is an even coat; chalk on a paper's tooth has less.
_COATED = 0.9
_THIN = 1.04  # mean of a spot in light paint from which it is paint laid thinly, and no paper
_DARKER = 0.92  # reflectance in the darkest channel, up to which paint is surely darker than paper
_FLAT = 0.07  # of its light, by which paper without marks lies off 1 at most
_ROUND9 = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (9, 9))
_BOX7 = np.ones((7, 7), np.uint8)
_SMOOTH = 0.03  # of their mean, by which tones in 5 x 5 px spread at most in smooth paint


@dataclass(frozen=True, eq=False)
class LightMarks:
    """``where`` (h, w, 2) uint8: 255 where the reduced sheet has light marks and close by, and the same well inside an even
    coat of paint; ``share`` of the sheet that they cover, 0..1; ``full`` reflectance from which they cover all; ``coated`` share
    of all marks, dark ones as well, that is light paint laid smoothly. All are told in light folded by ``weights`` (C,)."""

    where: Plane8
    share: float
    full: float
    coated: float
    weights: tuple[float, ...]

    def coverage(
        self, light: Plane, paper: float, where: Plane8, opaque: bool, r: int, peak: Plane | None = None
    ) -> Plane8:
        """Coverage (h, w) of light marks in a tile of encoded ``light`` (h, w), in which ``paper`` is of that tone, held to
        ``where`` (h, w, 2) they are. ``opaque`` paint is whole inside, however much thinner it lies here and there. ``r`` is the
        width of an edge, px, which ends in the mark's own light, not where it is as light as most marks are; of a
        reduced tile ``peak`` (h, w) is the most light around each pixel at full size."""
        near, coat = cv2.split(where)
        start, full = (
            paper * float(srgb_encode(np.array(1 + share * (self.full - 1), np.float32))) for share in (_FROM, 1)
        )
        if peak is None:
            peak = cv2.dilate(cv2.GaussianBlur(light, (3, 3), 0), np.ones((2 * r + 3, 2 * r + 3), np.uint8))
        most = np.maximum(paper + np.float32(_FULL) * (peak - paper), np.float32(full))
        share = cv2.convertScaleAbs(np.clip((light - start) / (most - start), 0, 1), alpha=255)
        cover = cv2.min(share, near)
        return np.asarray(cv2.max(cover, coat) if opaque else cover, np.uint8)


@dataclass(frozen=True, eq=False)
class _Bare:
    """255 ``there``, where bare paper shows flat (h, w): the blur between light and dark paint has its tone only in passing;
    and the ``lightest`` channel of all."""

    there: Plane8
    lightest: Plane


def find_light_marks(reflectance: Plane, paper: Sequence[float] = ()) -> LightMarks | None:
    """What on a sheet is clearly lighter than its paper, as marks are; None when there is hardly anything.

    ``reflectance`` (h, w, C) float32, paper 1, about 700 to 1400 px long; ``paper`` (3,) its linear colour, if it may have one.
    """
    weights = even_weights(reflectance.shape[2])
    own = folded(reflectance, weights)
    found = light_places(own)
    if found is None and (telling := telling_weights(paper)) is not None:
        weights = telling
        own = folded(reflectance, weights)
        found = light_places(own)
    if found is None:
        return None
    there, lineless = found
    share = float(np.count_nonzero(there)) / there.size
    full = min(_FULL * float(np.percentile(own[there & (own > 1)], _FULL_PERCENTILE)), _MOST)
    full = max(full, LIGHTER)
    # Paint that is as light as toned paper, in another hue, is lighter in one channel.
    bare = _bare(reflectance)
    lightest = without_lines(_calm(bare.lightest))
    hued = places_of(lightest, GOES_ON)
    paint = (there if hued is None else there | hued).astype(np.uint8) * np.uint8(255)
    painted = _painted(reflectance)
    coats = _coats(paint, lightest, 1 + _FROM * (full - 1), painted, bare)
    coats = cv2.max(coats, _pale_coats(lightest, paint, painted, bare))
    where = np.dstack([cv2.dilate(there.astype(np.uint8) * np.uint8(255), _BOX5), coats])
    return LightMarks(where, share, full, _coated(own, coats, lineless < INKED), weights)


def _calm(plane: Plane) -> Plane:
    return np.asarray(cv2.blur(plane, (3, 3)), np.float32).reshape(plane.shape)


def _pale_coats(lightest: Plane, paint: Plane8, darker: Plane8, bare: _Bare) -> Plane8:
    """Coats of paint as light as the paper and nearly of its hue, by the ``lightest`` channel (h, w), beside other light
    ``paint`` and what is ``darker``; none on ``bare`` paper."""
    calm = np.asarray(cv2.blur(lightest, (5, 5)), np.float32)
    # A blurred edge is paint to half its height, also that of stronger paint, beside which a strip is left.
    there = (calm > np.maximum((1 + cv2.dilate(calm, _ROUND9)) / 2, _PALE)).astype(np.uint8)
    there = cv2.morphologyEx(cv2.morphologyEx(there, cv2.MORPH_OPEN, _ROUND9), cv2.MORPH_CLOSE, _ROUND9)
    flat = np.where(there > 0, np.maximum(calm, _PALE), np.float32(1))
    pale = places_of(flat, _PALE - 0.01, _PALE_STEP, MOSTLY, surely=1.0)
    if pale is None:
        return np.zeros_like(paint)
    marks = pale.astype(np.uint8) * np.uint8(255)
    others = np.asarray(cv2.max(paint, darker), np.uint8)
    within = cv2.morphologyEx(cv2.max(marks, darker), cv2.MORPH_CLOSE, _ROUND9)
    return np.asarray(cv2.min(_coats(marks, calm, _PALE, others, bare), within), np.uint8)


def _painted(reflectance: Plane) -> Plane8:
    """255 where paint darker than paper lies, (h, w)."""
    return np.asarray((lowest(_calm(reflectance)) < _DARKER) * np.uint8(255), np.uint8)


def _bare(reflectance: Plane) -> _Bare:
    lightest = highest(reflectance)
    flat = (lowest(reflectance) > 1 - _FLAT) & (lightest < 1 + _FLAT)
    return _Bare(np.asarray(cv2.morphologyEx(flat * np.uint8(255), cv2.MORPH_OPEN, _BOX2), np.uint8), lightest)


def _coated(own: Plane, coats: Plane8, inked: NDArray[np.bool_]) -> float:
    """The share of marks, ``coats`` and what is ``inked``, that is even from pixel to pixel of lightness (h, w): paint is,
    chalk on a paper's tooth is not."""
    mean = cv2.blur(own, (5, 5))
    spread = cv2.blur(own * own, (5, 5)) - mean * mean
    coat = coats > 0
    told = coat & (cv2.dilate(inked.astype(np.uint8), _BOX7) == 0)  # not across an outline
    smooth = np.count_nonzero(told & (spread < _SMOOTH**2 * mean * mean)) / max(int(np.count_nonzero(told)), 1)
    return float(smooth * np.count_nonzero(coat)) / max(int(np.count_nonzero(coat | inked)), 1)


def _coats(marks: Plane8, light: Plane, lit: float, paint: Plane8, bare: _Bare) -> Plane8:
    """255 well inside those places of ``marks`` (h, w) that are of more ``light`` than ``lit`` nearly throughout: away from
    ``bare`` paper, not from other ``paint``, which no paper shows beside, nor from spots in them that are lighter than it as
    well."""
    covered = cv2.morphologyEx(cv2.max(marks, paint), cv2.MORPH_CLOSE, _BOX7)
    covered = cv2.min(covered, cv2.bitwise_not(bare.there))
    count, labels = cv2.connectedComponents(cv2.bitwise_not(covered), connectivity=4)
    flat = labels.ravel()
    mean = np.bincount(flat, bare.lightest.ravel(), count) / np.maximum(np.bincount(flat, minlength=count), 1)
    thin = mean > _THIN
    thin[border_of(labels)] = thin[0] = False
    covered = cv2.max(covered, thin[labels] * np.uint8(255))
    inside = cv2.min(cv2.erode(covered, _BOX5), cv2.dilate(marks, _BOX5))
    count, labels = cv2.connectedComponents(inside, connectivity=8)
    own = marks > 0
    size, full = (np.bincount(labels[which], minlength=count) for which in (own, own & (light > lit)))
    even = full > _COATED * size
    even[0] = False
    return np.asarray(even[labels] * np.uint8(255), np.uint8)
