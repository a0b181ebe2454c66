"""Colours out of register: where a scanner or lens lays red and blue beside green, so that dark marks get coloured rims.

A scanner reads its colours a little apart along its way, the same all over the sheet; a lens draws them at slightly different
sizes. Both are told by comparing red and blue with green along edges, and both are undone by laying them back.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.raster.thinning import thinned

Plane = NDArray[np.float32]
Picture = TypeVar("Picture", Plane, NDArray[np.uint8] | NDArray[np.uint16])
Floats = NDArray[np.float64]

_FINE = 1.0  # sigma of the last blur that edges are compared in, px
_GLANCE, _ROUNDS = (1.6,), (2.5, 1.6, _FINE, _FINE)
_LOOKS_PX = 0.1  # apart at a first glance, from where on colours are looked at well
_MOST = 4000  # pixels of edges that are taken of a part
_EDGE = 0.02  # of full scale, from pixel to pixel, of an edge that tells
_FEWEST = 150  # pixels of edges in a part
_MOST_PX = 4.0  # farther apart colours never are
_LEAST_SHARE = 0.15  # of green's step, that the other colour makes at least
_TRUST_PX = 0.04  # how far a part may be off for reasons of its own
_LENS_PX = 1.0  # usual difference of the sizes a lens draws, in the corners
_SHOWS_PX = 0.1  # apart on a reduced picture, from where on that is worth laying back
_TELLS_PX = 0.2  # from here on colours are laid back
_AGREES_PX, _AGREE = 0.12, 0.6  # how near the whole sheet's register parts are, and how many of them
_HELPS = 0.85  # share of the rims' colour that is left at most


@dataclass(frozen=True)
class Offset:
    """How far a colour lies beside green, px: by ``x`` and ``y`` at the scan's centre, and by ``lens`` times the way from
    there."""

    x: float = 0.0
    y: float = 0.0
    lens: float = 0.0

    def at(self, place: Floats) -> Floats:
        """At places (..., 2) from the centre, (..., 2)."""
        return np.asarray(np.array([self.x, self.y]) + self.lens * place)

    def and_then(self, rest: Offset) -> Offset:
        """Of a colour that lies ``rest`` off once it was laid back by this; both are small."""
        return Offset(self.x + rest.x, self.y + rest.y, self.lens + rest.lens)


@dataclass(frozen=True)
class Register:
    """``red`` and ``blue`` beside green; ``apart_px`` the farthest that any two colours are apart on the sheet;
    ``out`` whether that is enough to be laid back."""

    red: Offset
    blue: Offset
    apart_px: float
    out: bool

    def shows_at(self, level: int) -> bool:
        """Whether a picture halved ``level`` times shows it."""
        return self.out and self.apart_px / (1 << level) >= _SHOWS_PX


def find_register(parts: Sequence[Plane], centres: Floats) -> Register | NoEstimate:
    """How a scan's colours lie, from full-size ``parts`` (h, w, 3) in 0..1, as encoded, rich in edges.

    ``centres`` (n, 2) of the parts, px from the scan's centre. Method: least squares along edges (Lucas and Kanade, An
    iterative image registration technique, 1981) with a gain for marks that have a colour, then a robust fit over the parts.
    """
    glance = _all_beside(parts, centres, _GLANCE)
    if isinstance(glance, NoEstimate) or glance.apart_px < _LOOKS_PX:
        return glance
    found = _all_beside(parts, centres, _ROUNDS)
    if isinstance(found, NoEstimate) or found.apart_px < _TELLS_PX:
        return found
    # A lens lays colours apart within a part as well: what is left once they are laid back tells the rest.
    rest = _all_beside(_laid(parts, centres, found), centres, (_FINE, _FINE))
    if isinstance(rest, Register):
        red, blue = found.red.and_then(rest.red), found.blue.and_then(rest.blue)
        found = Register(red, blue, _apart(red, blue, centres), False)
    if sum(map(_rims, _laid(parts, centres, found))) > _HELPS * sum(map(_rims, parts)):
        return NoEstimate("coloured rims beside marks are the marks' own")
    return replace(found, out=True)


def to_lay_back(found: Register | NoEstimate) -> Register | None:
    """What was found, if it is enough to be laid back."""
    return found if isinstance(found, Register) and found.out else None


def _laid(parts: Sequence[Plane], centres: Floats, was: Register) -> list[Plane]:
    middles = [np.array(part.shape[1::-1]) / 2 for part in parts]
    return [laid_back(part, was, 0, middle - at) for part, middle, at in zip(parts, middles, centres, strict=True)]


def _apart(red: Offset, blue: Offset, places: Floats) -> float:
    """How far any two of the colours lie apart at any of the places (n, 2), px."""
    ways = [red.at(places), blue.at(places), red.at(places) - blue.at(places)]
    return float(max(np.hypot(*way.T).max() for way in ways))


def laid_back(pixels: Picture, was: Register, level: int, centre: Floats) -> Picture:
    """Pixels (h, w, 3) of a picture halved ``level`` times with red and blue laid back on green, by bicubic interpolation
    (Keys 1981). ``centre`` (x, y) of the whole picture, px from the corner of these."""
    out = pixels.copy()
    for channel, own in ((0, was.red), (2, was.blue)):
        # The centre of pixel 0 lies half a pixel from the corner.
        first = own.at((0.5 - centre) * (1 << level)) / (1 << level)
        out[..., channel] = _moved(np.ascontiguousarray(pixels[..., channel]), first, own.lens)
    return out


def register_reach_px(was: Register, level: int) -> int:
    """How far away the pixels lie that one is made of."""
    return int(np.ceil(was.apart_px / (1 << level))) + 3


def _all_beside(parts: Sequence[Plane], centres: Floats, rounds: tuple[float, ...]) -> Register | NoEstimate:
    """How the colours lie by blurs of the sigmas of ``rounds``."""
    each = [_beside(part, rounds) for part in parts]
    fits = []
    for channel in (0, 1):
        some = [(own[channel], at) for own, at in zip(each, centres, strict=True)]
        told = [(one, at + one.middle) for one, at in some if one is not None]
        if not told:
            return NoEstimate("there are too few clear edges")
        fit = _fitted([one for one, _ in told], np.array([at for _, at in told]))
        if isinstance(fit, NoEstimate):
            return fit
        fits.append(fit)
    red, blue = fits
    return Register(red, blue, _apart(red, blue, centres), False)


def _moved(plane: NDArray[Any], by: Floats, lens: float = 0.0) -> NDArray[Any]:
    """A plane (h, w) whose picture lay ``by`` (x, y) off at its first pixel, and ``lens`` times the way from there more, laid
    back."""
    way = np.array([[1 + lens, 0, by[0]], [0, 1 + lens, by[1]]], np.float64)
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    moved: Any = cv2.warpAffine(plane, way, plane.shape[::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(moved, plane.dtype)


@dataclass(frozen=True, eq=False)
class _Beside:
    """``way`` (2,) px that a colour lies beside green in a part, and ``trust`` (2, 2), the inverse of its covariance; ``middle``
    (2,) of the edges that tell, px from the part's."""

    way: Floats
    trust: Floats
    middle: Floats


def _beside(part: Plane, rounds: tuple[float, ...]) -> list[_Beside | None]:
    """How red and blue lie; None for a colour that has no edges where green has."""
    edge = int(3 * max(_ROUNDS) + _MOST_PX)
    if min(part.shape[:2]) < 3 * edge:
        return [None, None]
    planes = [np.ascontiguousarray(part[..., channel]) for channel in range(3)]
    out: list[_Beside | None] = [_Beside(np.zeros(2), np.zeros((2, 2)), np.zeros(2))] * 2
    for sigma in rounds:
        calm, across, down = _edges(planes[1], sigma)
        inner = np.zeros(calm.shape, bool)
        inner[edge:-edge, edge:-edge] = True
        some = thinned(np.flatnonzero(inner & (cv2.magnitude(across, down) > _EDGE / sigma)), _MOST)
        if len(some) < _FEWEST:
            return [None, None]
        seen = [plane.ravel()[some] for plane in (across, down, calm, np.ones_like(calm))]
        columns = np.column_stack(seen).astype(np.float64)
        normal = columns.T @ columns + 1e-9 * np.eye(4)
        weight, places = np.square(columns[:, :2]).sum(axis=1), np.divmod(some, part.shape[1])[::-1]
        middle = np.array([np.average(at, weights=weight) + 0.5 for at in places]) - np.array(part.shape[1::-1]) / 2
        for i, plane in enumerate((planes[0], planes[2])):
            before = out[i]
            if before is None:
                continue
            laid = _moved(plane, before.way) if before.way.any() else plane
            value = cv2.GaussianBlur(laid, (0, 0), sigma).ravel()[some].astype(np.float64)
            solved = np.linalg.solve(normal, columns.T @ value)
            gain = float(solved[2])
            way = before.way - solved[:2] / max(gain, _LEAST_SHARE)
            if gain < _LEAST_SHARE or np.hypot(*way) > _MOST_PX:
                out[i] = None
                continue
            spread = float(np.mean(np.square(value - columns @ solved))) + 1e-8
            # What is left free by gain and ground; and neighbours in a blurred picture tell the same.
            own = normal[:2, :2] - normal[:2, 2:] @ np.linalg.solve(normal[2:, 2:], normal[2:, :2])
            out[i] = _Beside(way, own * gain * gain / spread / (4 * np.pi * sigma * sigma), middle)
    return out


def _edges(green: Plane, sigma: float) -> tuple[Plane, Plane, Plane]:
    """A plane blurred, and its slopes across and down, per px."""
    calm = np.asarray(cv2.GaussianBlur(green, (0, 0), sigma))
    across, down = (cv2.Sobel(calm, cv2.CV_32F, x, 1 - x, ksize=1, scale=0.5) for x in (1, 0))
    return calm, np.asarray(across), np.asarray(down)


def _fitted(parts: list[_Beside], places: Floats) -> Offset | NoEstimate:
    """The offset that most parts agree on, whose edges lie at ``places`` (n, 2) from the scan's centre."""
    ways = np.array([part.way for part in parts])
    spread = np.array([np.linalg.inv(part.trust + 1e-3 * np.eye(2)) for part in parts]) + _TRUST_PX**2 * np.eye(2)
    inverse = np.linalg.inv(spread)
    reach = max(float(np.hypot(*places.T).max()), 1.0)
    model = np.zeros((len(parts), 2, 3))
    model[:, 0, 0] = model[:, 1, 1] = 1
    model[:, :, 2] = places / reach
    weight, solved = np.ones(len(parts)), np.zeros(3)
    for _ in range(12):
        left = np.einsum("n,nji,njk,nkl->il", weight, model, inverse, model) + np.diag([0, 0, 1 / _LENS_PX**2])
        solved = np.linalg.solve(left + 1e-9 * np.eye(3), np.einsum("n,nji,njk,nk->i", weight, model, inverse, ways))
        off = ways - model @ solved
        weight = 1 / (1 + np.einsum("ni,nij,nj->n", off, inverse, off) / 4)
    # Along an edge nothing is told: only as far as a part is sure it can disagree.
    sure = np.sqrt(np.einsum("ni,nij,nj->n", off, inverse, off)) * _TRUST_PX
    if np.mean(sure < _AGREES_PX) < _AGREE:
        return NoEstimate("parts of the sheet do not agree")
    return Offset(float(solved[0]), float(solved[1]), float(solved[2] / reach))


def _rims(part: Plane) -> float:
    """How much colour lies along the edges of a part: what green does not explain."""
    green = np.ascontiguousarray(part[..., 1])
    _, across, down = _edges(green, _FINE)
    some = thinned(np.flatnonzero(cv2.magnitude(across, down) > _EDGE), _MOST)
    if len(some) < _FEWEST:
        return 0.0
    own = green.ravel()[some].astype(np.float64)
    total = 0.0
    for channel in (0, 2):
        other = part[..., channel].ravel()[some].astype(np.float64)
        total += float(np.abs(other - np.polyval(np.polyfit(own, other, 1), own)).sum())
    return total
