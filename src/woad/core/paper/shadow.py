"""A shadow across the sheet as one edge with a penumbra: where it lies on paper tells where it lies under marks.

A straight or evenly bent edge of something that stands in the light, blurred by the light's own width: the shape of that
blur is taken for a Gaussian's integral. Found among paper blocks by a search over directions and places, then by robust
least squares.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.robust_fit import fitted
from woad.core.raster.bell import bell_integral
from woad.core.raster.surfaces import quadratic
from woad.core.raster.thinning import thinned

Plane = NDArray[np.float32]
Floats = NDArray[np.float64]

_NOISE = 0.012  # natural log, how far blocks of paper may lie from the model before they count less
_COLLAPSED = 0.3  # share of the softness tried first below which a fit is looked at with suspicion
_SOFTEST = 0.35  # the penumbra's sigma, half the longer side of the sheet being 1
_CALMED_PX2 = 0.5  # variance of the 3 x 3 px over which pixels are calmed
_CRISPEST_PX = 1.0  # of the sheet at reduced size: a paint's edge is crisper
_SHALLOW, _DEEP = 0.06, 0.75  # share of light lost: other light always falls into a shadow
_WORTH = 0.01  # share of the paper that must lie in the shadow and fit to it
_HELD = 0.7  # and of what lies behind its edge
_TINTED = 0.2  # how much more or less a channel loses, of the log depth; paint's hue goes along with far more
_SURE = 0.15  # blocks less surely paper are not asked
_FEWEST, _MANY = 200, 700  # blocks needed, and blocks that are enough
_ROUNDS, _TURNS = 12, 4  # in which weights are told, and edges fitted that bend one another's
_EDGES = (0.004, 0.012, 0.035)  # softness from which its edge is looked for
_HELD_NEAR = 0.5  # share of the pixels at its edge, marks and all, that must fit
_COARSE = 0.04  # what is softer is told by blocks, over more of the sheet
_NEAR, _MANY_NEAR = 0.06, 4000  # how far from its edge a shadow is looked at pixel by pixel, and how many of them
_PARTS, _PART = 8, 0.02  # areas that may have a tone of their own: how many, and of what share of the blocks
_STRAIGHT = 0.25  # bend up to which an edge is straight
_BETTER = 0.6  # what the model leaves, of what a plain surface leaves


@dataclass(frozen=True)
class Shadow:
    """An edge: its normal's direction in radians, its distance from the middle, its bend, the penumbra's sigma, all in
    halves of the sheet's longer side; the share of light lost behind it; and per channel how much more of it, 0 for none."""

    angle: float
    at: float
    bend: float
    sigma: float
    depth: float
    tint: tuple[float, ...]

    @property
    def bent(self) -> bool:
        """Whether its edge is bent, as a hand's is, before which its fingers may lie."""
        return abs(self.bend) > _STRAIGHT

    def log_light(self, shape: tuple[int, int], sheet: tuple[int, int]) -> Plane:
        """Natural log of what is left of the light, at the cells (h, w) of a grid laid over a ``sheet`` of (h, w) px, (h, w,
        C) float32."""
        u, v = _places(shape, sheet, (sheet[0] / shape[0], sheet[1] / shape[1]))
        grey = _log_left(u, v, self.angle, self.at, self.bend, self.sigma, self.depth)
        return np.asarray(grey[..., None] * (1 + np.asarray(self.tint)), np.float32)


def find_shadow(
    tone: Plane,
    hue: Plane,
    sure: Plane,
    extent: tuple[float, float],
    guide: Plane,
    parts: NDArray[np.int32] | None = None,
) -> Shadow | None:
    """Find the shadow that blocks of paper, and of even paint, show, and its edge as pixels do.

    Parameters: ``tone`` (gh, gw) natural log of the lightest tone per block, ``hue`` (gh, gw, C) of each channel less
    that; ``sure`` (gh, gw), 0..1, how surely a block is even; ``extent`` of the sheet in blocks, down and across (the last
    ones may reach beyond it); ``guide`` (h, w) natural log of the sheet, 700 to 1400 pixels long, marks and all; ``parts``
    (gh, gw) numbers of areas that crisp edges part, 0 for none: each may be of a tone of its own, the shadow goes on across
    all. Returns None when there is none, or when nothing shows its edge.
    """
    seen = _seen(tone, sure, extent)
    if len(seen.z) < _FEWEST:
        return None
    hues = hue.reshape(tone.size, -1)[seen.which].astype(np.float64)
    own = _tones_of(parts, seen.which)
    # An area of its own tone may be a wash; or the shadow's own, when its edge is crisp enough to part it off.
    for tones in (own, []) if own else ([],):
        found = _found(replace(seen, basis=np.column_stack([seen.basis, *tones])), hues)
        shadow = None if found is None else _refined(found, guide)
        if shadow is not None:
            return shadow
    return None


def _found(seen: _Seen, hues: Floats) -> Shadow | None:
    """The shadow that blocks show, of ``hues`` (n, C)."""
    plain = seen.plain()
    if (seen.w * (np.abs(plain) > 2 * _NOISE)).sum() < _WORTH * seen.w.sum():
        return None
    start = _search(seen)
    if start is None:
        return None
    best = seen.fit(start)
    if abs(best[-2]) < _COLLAPSED * start[-2]:  # towards a crisp edge lies many a dead end
        softer = start.copy()
        softer[-2] *= 2
        best = min(best, seen.fit(softer), key=lambda p: _cauchy(seen, seen.left(p)))
    if not _holds(seen, best, plain):
        beside = _beside_another(seen, best)
        if beside is None:
            return None
        best = beside
    angle, at, bend, sigma, depth = (float(x) for x in best[-5:])
    tint = _robust(np.column_stack([seen.basis, seen.shade(best)]), hues, seen.w, 0.5 * _NOISE)[-1]
    if np.abs(tint).max() > _TINTED:
        return None  # a graded wash, as of a sky
    return Shadow(angle, at, bend, abs(sigma), depth, tuple(tint.tolist()))


@dataclass(frozen=True, eq=False)
class _Seen:
    """Blocks that are asked: ``which`` of all, where (``u``, ``v``), tones ``z`` and weights ``w``, (n,) each; ``basis``
    (n, K) of what their tones are without a shadow. Parameters of a fit: K of the basis, then five of the shadow."""

    which: NDArray[np.int64]
    u: Floats
    v: Floats
    z: Floats
    w: Floats
    basis: Floats

    def plain(self) -> Floats:
        """What a surface without any shadow leaves."""
        return np.asarray(self.z - self.basis @ _robust(self.basis, self.z, self.w, _NOISE))

    def without(self, p: Floats) -> _Seen:
        """The same once a shadow is out."""
        return replace(self, z=self.z - self.shade(p))

    def shade(self, p: Floats) -> Floats:
        return _log_left(self.u, self.v, *p[-5:])

    def left(self, p: Floats) -> Floats:
        return np.asarray(self.z - self.basis @ p[:-5] - self.shade(p))

    def _slopes(self, p: Floats) -> Floats:
        """How :meth:`left` changes with each parameter, (n, K + 5): only the shadow's have to be tried."""
        here, out = self.shade(p), np.empty((len(self.z), len(p)))
        out[:, :-5] = -self.basis
        for i in range(-5, 0):
            moved, step = p.copy(), 1e-6 * max(abs(p[i]), 0.01)
            moved[i] += step
            out[:, i] = (here - self.shade(moved)) / step
        return out

    def fit(self, start: Floats) -> Floats:
        """The parameters near ``start`` that leave least."""
        root = np.sqrt(self.w)
        return fitted(lambda p: root * self.left(p), lambda p: root[:, None] * self._slopes(p), start, _NOISE)


def _beside_another(seen: _Seen, edge: Floats) -> Floats | None:
    """A fit whose ``edge`` was bent by another shadow's, once that one is out; None if there is no other. Each is fitted to
    what the other leaves, in turn (backfitting: Friedman and Stuetzle, Projection pursuit regression, 1981)."""
    rest = seen.without(edge)
    other = _search(rest) if _SHALLOW < edge[-1] < _DEEP else None
    if other is None or other[-1] < _SHALLOW or _cauchy(seen, rest.left(other)) > _cauchy(seen, seen.left(edge)):
        return None
    for _ in range(_TURNS):
        other = seen.without(edge).fit(other)
        edge = seen.without(other).fit(edge)
    own, beside = seen.without(other), seen.without(edge)
    hold = _holds(own, edge, own.plain()) and _holds(beside, other, beside.plain())
    return edge if hold else None


def _seen(tone: Plane, sure: Plane, extent: tuple[float, float]) -> _Seen:
    even = np.flatnonzero(sure.ravel() > _SURE)
    # Every second or third block shows an edge that is several blocks wide as well as all.
    which = thinned(even, _MANY) if len(even) >= _FEWEST else even[:0]
    u, v = (plane.ravel()[which] for plane in _places(tone.shape, extent))
    z, w = (plane.ravel()[which].astype(np.float64) for plane in (tone, sure))
    return _Seen(which, u, v, z, w, np.asarray(quadratic(u, v), np.float64))


def _holds(seen: _Seen, p: Floats, plain: Floats) -> bool:
    """Whether the fit ``p`` is a shadow's, explains much that the ``plain`` one left, and what lies behind it fits."""
    if not (_SHALLOW < p[-1] < _DEEP and abs(p[-2]) < _SOFTEST):
        return False
    left = seen.left(p)
    if not _cauchy(seen, left) < _BETTER * _cauchy(seen, plain):
        return False
    behind = seen.shade(p) < -3 * _NOISE
    fit = float((seen.w * (behind & (np.abs(left) < 2 * _NOISE))).sum())
    return fit >= max(_WORTH * float(seen.w.sum()), _HELD * float((seen.w * behind).sum()))


def _refined(shadow: Shadow, guide: Plane) -> Shadow | None:
    """The shadow with its edge as pixels of ``guide`` show it, where blocks are too coarse for it; None if it is as crisp
    as paint's."""
    if shadow.sigma > _COARSE:
        return shadow
    half = max(guide.shape) / 2
    u, v = _places(guide.shape, guide.shape)
    own = (shadow.angle, shadow.at, shadow.bend, shadow.sigma)
    near = np.abs(_beyond(u, v, *own[:3])) < max(4 * shadow.sigma, _NEAR)
    which = [np.flatnonzero(near), np.flatnonzero(~near)]
    which = [thinned(some, most) for some, most in zip(which, (_MANY_NEAR, _MANY), strict=True)]
    every = np.concatenate(which)
    calm = cv2.GaussianBlur(guide, (3, 3), 0).ravel()[every].astype(np.float64)
    u, v = (np.asarray(plane.ravel()[every], np.float64) for plane in (u, v))
    seen = _Seen(every, u, v, calm, np.ones(len(every), np.float64), np.asarray(quadratic(u, v), np.float64))
    plain = _robust(seen.basis, calm - _log_left(u, v, *own, shadow.depth), seen.w, _NOISE)
    starts = [np.array([*plain, *own[:3], sigma, shadow.depth]) for sigma in _EDGES]
    best = min(map(seen.fit, starts), key=lambda p: _cauchy(seen, seen.left(p)))
    angle, at, bend, sigma, depth = (float(x) for x in best[-5:])
    fits = float((np.abs(seen.left(best)[: len(which[0])]) < 3 * _NOISE).mean())
    blur = float(np.sqrt(max((sigma * half) ** 2 - _CALMED_PX2, 0)))  # without what calming the pixels added
    if fits < _HELD_NEAR or not (_CRISPEST_PX < blur < 2 * _COARSE * half and _SHALLOW < depth < _DEEP):
        return None
    return Shadow(angle, at, bend, blur / half, depth, shadow.tint)


def _robust(basis: Floats, values: Floats, w: Floats, noise: float) -> Floats:
    """Least squares of ``values`` (n,) or (n, C) on ``basis`` (n, K) with Cauchy weights of that width, (K,) or (K, C)."""
    columns = values.reshape(len(values), -1).T
    found = []
    for one in columns:
        weight = w
        for _ in range(_ROUNDS):
            scaled = basis * weight[:, None]
            ridge = 1e-6 * weight.sum() * np.eye(basis.shape[1])
            solved = np.linalg.solve(basis.T @ scaled + ridge, scaled.T @ one)
            weight = w / (1 + ((one - basis @ solved) / noise) ** 2)
        found.append(solved)
    return np.asarray(found[0] if values.ndim == 1 else np.stack(found, axis=1))


def _cauchy(seen: _Seen, left: Floats) -> float:
    return float(np.log1p(seen.w * (left / _NOISE) ** 2).sum())


def _tones_of(parts: NDArray[np.int32] | None, which: NDArray[np.int64]) -> list[Floats]:
    """Columns (n,), 1 in one of the larger areas, without the largest, which is taken for the paper."""
    if parts is None:
        return []
    own = parts.ravel()[which]
    size = np.bincount(own, minlength=1)
    size[0] = 0
    order = np.argsort(size)[::-1]
    return [np.asarray(own == one, np.float64) for one in order[1 : _PARTS + 1] if size[one] > _PART * len(own)]


def _places(
    shape: tuple[int, ...], extent: tuple[float, float], cell: tuple[float, float] = (1.0, 1.0)
) -> tuple[Floats, Floats]:
    """Where cells of a size, down and across, lie from the middle of ``extent``, in halves of its longer side."""
    y, x = np.mgrid[: shape[0], : shape[1]] + 0.5
    half = max(extent) / 2
    return (x * cell[1] - extent[1] / 2) / half, (y * cell[0] - extent[0] / 2) / half


def _log_left(u: Floats, v: Floats, angle: float, at: float, bend: float, sigma: float, depth: float) -> Floats:
    beyond = _beyond(u, v, angle, at, bend)
    return np.asarray(np.log1p(-min(max(depth, -0.5), 0.95) * bell_integral(beyond / max(abs(sigma), 1e-3))))


def _beyond(u: Floats, v: Floats, angle: float, at: float, bend: float) -> Floats:
    along = v * np.cos(angle) - u * np.sin(angle)
    return np.asarray(u * np.cos(angle) + v * np.sin(angle) - at + bend * along * along)


def _search(seen: _Seen) -> Floats | None:
    """The straight edge, of those tried, that leaves least when the rest is fitted with it."""
    u, v, basis, z, w = seen.u, seen.v, seen.basis, seen.z, seen.w
    tried = [
        (angle, at, sigma)
        for angle in np.arange(24) * (2 * np.pi / 24)
        for at in np.quantile(u * np.cos(angle) + v * np.sin(angle), np.linspace(0.1, 0.97, 14))
        for sigma in (0.03, 0.08, 0.18)
    ]
    where = np.array([(np.cos(a) / s, np.sin(a) / s, -d / s) for a, d, s in tried])
    # A thousand edges at a thousand places: in single precision, which tells as well which of them is best.
    steps = np.asarray(-bell_integral((where @ np.stack([u, v, np.ones_like(u)])).astype(np.float32)))
    held = np.array([1e-6, 1e-3, 1e-3, *[4e-3] * (basis.shape[1] - 3)])
    single = basis.T.astype(np.float32)
    best, weight = -1, w
    for _ in range(4):
        scaled = basis * weight[:, None]
        inverse = np.linalg.inv(basis.T @ scaled + np.diag(held) * weight.sum())
        rest = z - basis @ (inverse @ (scaled.T @ z))
        fit = (scaled @ inverse).astype(np.float32)
        own = steps - (steps @ fit) @ single
        size = (own * own) @ weight.astype(np.float32)
        height = (own @ (weight * rest).astype(np.float32)) / np.maximum(size, 1e-9)
        gain = np.where(height > 0.5 * _SHALLOW, height * height * size, -1)
        best = int(np.argmax(gain))
        if gain[best] <= 0:
            return None
        left = rest - height[best] * own[best]
        weight = w / (1 + (left / (2 * _NOISE)) ** 2)
    angle, at, sigma = tried[best]
    depth = -np.expm1(-height[best])
    bare = inverse @ (scaled.T @ (z - height[best] * steps[best]))
    return np.array([*bare, angle, at, 0.0, sigma, depth])
