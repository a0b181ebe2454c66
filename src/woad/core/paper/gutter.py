"""Light that falls off towards a straight line from border to border: a book's gutter, in the middle of a spread or along
one side of a page, or the side of a sheet that does not lie flat.

It is the same all along, grows towards its line from either side, has paper's own hue, and runs out without an edge. So
what is paper in many parts of the sheet is laid over each other along every slight slope (a Hough transform for one
direction; Duda and Hart 1972); what the parts show alike is the profile, how strong each shows it the strength: a rank-1
model of the light.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of
from woad.core.raster.profiles import correlations, paper_of, strengths

Plane = NDArray[np.float32]

_SMALLEST = 100  # pixels along the shorter side
_PX = 2  # pixels of the sheet in one of those looked at
_PARTS, _ROWS = 18, 24  # parts along the sheet, and how many of its lines are read in each
_REACHES = (0.1, 0.2)  # of the longer side, how far the line's light may reach
_LEAN, _STEP_PX = 0.03, 2  # how far the line may lean, of its length, and how finely that is tried
_SHALLOW, _DEEP = 0.1, 1.8  # natural log of the light lost
_ALIKE, _MOST_PARTS = 0.85, 0.65  # correlation of a part with the model; share of the parts that must have it
_STEEP = (0.4, 2.0)  # how strong a part may be beside the whole
_BACK = (0.15, 0.02)  # how far the profile may go back on its way to the line, of its depth and at least
_EDGE = 0.006  # of the longer side, over which it must fall off, at least: paint's edge is crisper
_FULL, _HALFWAY = 0.9, 0.45  # shares of the reach: of a side that is all there; within which half of it is back
_GRADUAL = 5.0  # natural log per longer side: what falls off no faster is followed with the rest of the light
_CRISP = 0.5  # share of its depth that it falls off within an edge's width, at most
_CUSP = 0.3  # of its half width, how soft it is right at its line
_TINTED = 0.2  # how much more or less a channel loses, of the log depth


@dataclass(frozen=True, eq=False)
class Gutter:
    """A line along all rows (``upright``) or columns: its place across at the ``first`` and the ``last`` of them, px of the
    sheet; ``profile`` (n,) natural log of the light left at every second px across, its middle on the line; ``strength``
    (m,) of it in as many parts along; ``tint`` how much more of it each channel loses; ``sigma`` how soft it is, in halves
    of the longer side."""

    upright: bool
    first: float
    last: float
    profile: Plane
    strength: Plane
    tint: tuple[float, ...]
    sigma: float

    def log_light(self, shape: tuple[int, int], sheet: tuple[int, int]) -> Plane:
        """Natural log of what is left of the light, at the cells (h, w) of a grid laid over a ``sheet`` of (h, w) px, (h, w,
        C) float32."""
        (h, w), (_, across) = (shape, sheet) if self.upright else (shape[::-1], sheet[::-1])
        rows = (np.arange(h) + 0.5) / h
        line = self.first + (self.last - self.first) * rows
        middle = len(self.profile) // 2
        away = (np.arange(w) + 0.5)[None] * (across / w) - line[:, None]
        left = np.interp(away, (np.arange(len(self.profile)) - middle) * _PX, self.profile)
        left *= np.interp(rows, (np.arange(len(self.strength)) + 0.5) / len(self.strength), self.strength)[:, None]
        plane = left if self.upright else left.T
        return np.asarray(plane[..., None] * (1 + np.asarray(self.tint)), np.float32)


def find_gutter(logs: Plane, guide: Plane) -> Gutter | None:
    """Find the deepest of such lines.

    Parameters: ``logs`` (h, w, C) natural log of the sheet, 700 to 1400 px long, marks and all; ``guide`` (h, w) its grey.
    Returns None when there is none.
    """
    if min(guide.shape) < _SMALLEST:
        return None
    size = (guide.shape[1] // _PX, guide.shape[0] // _PX)
    small = cv2.resize(guide, size, interpolation=cv2.INTER_AREA)
    both = [_along(small, upright) for upright in (True, False)]
    for share in _REACHES:
        found = [one for along in both if (one := along.line(round(share * max(size)))) is not None]
        if found:
            deepest = max(found, key=lambda line: line.depth)
            channels = cv2.resize(logs, size, interpolation=cv2.INTER_AREA).reshape(*small.shape, -1)
            return deepest.gutter(channels)
    return None


def _along(small: Plane, upright: bool) -> _Along:
    """What parts of a sheet show along its rows, or columns."""
    lines = small if upright else np.ascontiguousarray(small.T)
    parts = _paper_in_parts(lines)
    across = np.arange(lines.shape[1])
    most = round(_LEAN * len(lines))
    leans = list(range(-most, most + 1, _STEP_PX))
    shifted = (np.clip(across[None] + _shifts(lean)[:, None], 0, len(across) - 1) for lean in leans)
    middles = [np.partition(np.take_along_axis(parts, at, axis=1), _PARTS // 2, axis=0)[_PARTS // 2] for at in shifted]
    return _Along(upright, parts, leans, np.asarray(np.stack(middles), np.float32), max(small.shape))


@dataclass(frozen=True, eq=False)
class _Along:
    """``parts`` (n, w) of the paper along a sheet, and their ``middles`` (m, w) when they are shifted by each of ``leans``;
    ``longer`` side of the sheet."""

    upright: bool
    parts: Plane
    leans: list[int]
    middles: Plane
    longer: int

    def line(self, reach: int) -> _Line | None:
        """The deepest line that light falls off to within ``reach``."""
        if self.parts.shape[1] < 2.5 * reach:
            return None
        x, lean = self._deepest(reach)
        full = (x >= _FULL * reach, self.parts.shape[1] - 1 - x >= _FULL * reach)
        own = _level(_aligned(self.parts, x, lean, reach), full)
        model = np.median(own, axis=0)
        depth = -float(model[reach])
        sides = model[reach::-1], model[reach:]
        # Where it goes on to fall beyond its line, be it on a side that ends too soon to tell of more, that is none.
        if not _SHALLOW < depth < _DEEP or any(_goes_back(side, depth) for side in sides):
            return None
        if not all(_runs_out(side, depth, self.longer) for side, whole in zip(sides, full, strict=True) if whole):
            return None
        profile = np.minimum(_towards(model, reach), 0)
        span = max(round(_EDGE * self.longer), 1)
        if float(np.abs(profile[span:] - profile[:-span]).max()) < _GRADUAL * span / self.longer:
            return None
        strength = strengths(own, model)
        shown = (correlations(own, model) > _ALIKE) & (strength > _STEEP[0]) & (strength < _STEEP[1])
        if shown.mean() < _MOST_PARTS or not (shown[:2].any() and shown[-2:].any()):
            return None
        # Part by part: all along, a painted edge wavers.
        if float(np.median(np.abs(own[:, span:] - own[:, :-span]).max(axis=1))) > _CRISP * depth:
            return None
        return _Line(self, x, lean, full, depth, model, profile, strength, shown)

    def _deepest(self, reach: int) -> tuple[int, int]:
        """Where most parts are darkest beside what lies at ``reach``, and by how much that line leans."""
        w = self.parts.shape[1]
        outer = reach - int(0.7 * reach)
        far = outer // 2
        mean = cv2.blur(np.pad(self.middles, ((0, 0), (reach, reach)), mode="edge"), (outer, 1))
        left, right = mean[:, far : far + w], mean[:, 2 * reach - far : 2 * reach - far + w]
        at = np.arange(w)
        whole = at >= _FULL * reach, at <= w - 1 - _FULL * reach
        beside = np.where(whole[0] & whole[1], np.minimum(left, right), np.where(whole[0], left, right))
        lean, x = np.unravel_index(int(np.argmax(beside - self.middles)), self.middles.shape)
        return int(x), self.leans[int(lean)]


@dataclass(frozen=True, eq=False)
class _Line:
    """A line at ``x``, leaning by ``lean`` px, of the parts ``along`` it: which sides are ``full``, its ``depth``, the
    ``model`` of what lies across it, the ``profile`` made of that, its ``strength`` in each part, and which have ``shown``
    it."""

    along: _Along
    x: int
    lean: int
    full: tuple[bool, bool]
    depth: float
    model: Plane
    profile: Plane
    strength: Plane
    shown: NDArray[np.bool_]

    def gutter(self, channels: Plane) -> Gutter | None:
        """The light that falls off there, by the ``channels`` (h, w, C) of the sheet; None when it is a graded wash."""
        lines = channels if self.along.upright else channels.transpose(1, 0, 2)
        reach, losses = len(self.model) // 2, []
        for c in range(lines.shape[2]):
            parts = _paper_in_parts(lines[..., c])
            own = _level(_aligned(parts, self.x, self.lean, reach), self.full)
            losses.append(np.median(strengths(own, self.model)[self.shown]))
        tint = np.array(losses) / float(grey_of(np.array([losses], np.float32))[0]) - 1
        if np.abs(tint).max() > _TINTED:
            return None
        at = np.flatnonzero(self.shown)
        strength = np.asarray(np.interp(np.arange(_PARTS), at, self.strength[at]), np.float32)
        sides = self.profile[reach::-1], self.profile[reach:]
        half = min(
            int(np.argmax(side > -self.depth / 2)) for side, whole in zip(sides, self.full, strict=True) if whole
        )
        first, last = ((self.x + 0.5 + sign * self.lean / 2) * _PX for sign in (-1, 1))
        sigma = _CUSP * 2 * max(half, 1) / self.along.longer
        return Gutter(self.along.upright, first, last, self.profile, strength, tuple(tint.tolist()), sigma)


def _paper_in_parts(lines: Plane) -> Plane:
    """What is paper rather than marks in each of so many parts along (h, w), (n, w)."""
    bounds = pairwise(np.linspace(0, len(lines), _PARTS + 1).astype(int).tolist())
    return np.stack([paper_of(np.ascontiguousarray(lines[a : b : max((b - a) // _ROWS, 1)])) for a, b in bounds])


def _shifts(lean: int) -> NDArray[np.intp]:
    """How far each part is shifted when a line leans by so many px over the whole length."""
    return np.rint(lean * ((np.arange(_PARTS) + 0.5) / _PARTS - 0.5)).astype(np.intp)


def _aligned(parts: Plane, x: int, lean: int, reach: int) -> Plane:
    """What lies within ``reach`` of a line, in each part, (n, 2 reach + 1); beyond the sheet what lies at its side."""
    at = np.clip(x + _shifts(lean)[:, None] + np.arange(-reach, reach + 1)[None], 0, parts.shape[1] - 1)
    return np.asarray(np.take_along_axis(parts, at, axis=1), np.float32)


def _level(own: Plane, full: tuple[bool, bool]) -> Plane:
    """Profiles (n, m) less the paper that lies at their ends, as far as they reach plain paper there."""
    outer = max(own.shape[1] // 16, 1)
    left, right = own[:, :outer].mean(axis=1, keepdims=True), own[:, -outer:].mean(axis=1, keepdims=True)
    if not full[0]:
        left = right
    elif not full[1]:
        right = left
    share = np.linspace(0, 1, own.shape[1], dtype=np.float32)[None]
    return np.asarray(own - left * (1 - share) - right * share, np.float32)


def _towards(model: Plane, reach: int) -> Plane:
    """The profile that falls all the way from both ends to its line, midway between the closest below and above."""
    out = []
    for side in (model[reach::-1], model[reach:]):
        above, below = np.maximum.accumulate(side), np.minimum.accumulate(side[::-1])[::-1]
        out.append((above + below) / 2)
    return np.concatenate([out[0][:0:-1], out[1]])


def _goes_back(side: Plane, depth: float) -> bool:
    """Whether a side of the profile, from its line outwards, gets darker again by more than paper does."""
    return float((np.maximum.accumulate(side) - side).max()) >= max(_BACK[0] * depth, _BACK[1])


def _runs_out(side: Plane, depth: float, longer: int) -> bool:
    """Whether a side of the profile, from its line outwards, is the light's: it comes back to paper all the way, most of that
    near the line, but has no edge."""
    half, faint = (int(np.argmax(side > -share * depth)) for share in (0.5, 0.15))
    return half < _HALFWAY * len(side) and faint - half > _EDGE * longer
