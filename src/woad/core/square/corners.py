"""The sheet's four corners in a photo: the quadrilateral whose four sides all part one paper from what lies around it.

A faint edge counts as much as a strong one if it is there all along the side: tables may be nearly as light as the paper.
Corners are where lines through the middle parts of the sides meet, so a bent corner does not matter.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import combinations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.raster.transfer import encoded_shares
from woad.core.square.lines import Line, inner_lines, normal_towards, reduced, sample, steps_across
from woad.core.square.sides import follow_sides

Plane = NDArray[np.float32]
Points = NDArray[np.float64]

_COARSE_PX = 480
_MOST_LINES = 38
_MOST_GRADED = 30
_FOLLOWED = 4  # of the best, how many are followed to where their sides really run
_CLOSE = 0.08  # in score, that another one may be as good


@dataclass(frozen=True, eq=False)
class SheetCorners:
    """``points`` (4, 2) px, clockwise from the sheet's top left; ``sure`` 0..1; ``why`` in a few words."""

    points: Points
    sure: float
    why: str


@dataclass(frozen=True, eq=False)
class _Quad:
    points: Points
    support: float  # of the weakest side, 0..1
    clarity: float  # step over noise of the weakest side
    score: float
    darker: float  # by how much the sheet is darker than what lies around it, encoded
    odd: float  # by how much what lies around it differs from side to side, encoded


def find_corners(pixels: NDArray[np.uint8] | NDArray[np.uint16]) -> SheetCorners | NoEstimate:
    """Find the sheet in a reduced photo.

    Parameters: ``pixels`` (h, w, C) encoded, about 800 to 1500 pixels long.
    Returns corners in pixels of ``pixels``, or why there are none.
    """
    image = encoded_shares(pixels)
    h, w = image.shape[:2]
    if min(h, w) < 64:
        return NoEstimate("the scan is too small to find a sheet in it")
    closed = closed_small(image)
    size = closed.shape[1], closed.shape[0]
    noise = noise_of(closed)
    best = _best_quads(closed, noise)
    if not best:
        return NoEstimate("no sheet with four sides stands out; it may fill the scan or be cut by its frame")
    scale = np.array([w / size[0], h / size[1]])
    why = "the sheet's sides are too faint to follow"

    def followed(rough: _Quad) -> tuple[Points, float, _Quad | None] | None:
        refined = follow_sides(image, _clockwise(rough.points * scale))
        # Graded again where the sides really run: a side that is none shows now at the latest.
        return None if refined is None else (*refined, _grade(closed, refined[0] / scale, noise))

    for index, rough in enumerate(best[:_FOLLOWED]):
        found = followed(rough)
        if found is None:
            continue
        points, share, first = found
        if first is None:
            why = "the sheet runs on past one of its sides: it may be cut by the picture's frame"
            continue
        others = [*best[:index], *best[index + 1 :]]
        for place, rival in enumerate(others[: _FOLLOWED - 1]):
            if rival.score > first.score - _CLOSE:  # as it was found first; nearer is what it is worth itself
                again = followed(rival)
                others[place] = replace(rival, score=-1.0) if again is None or again[2] is None else again[2]
        sure, why = _sureness(first, others, points, share, (w, h), 1 / scale)
        return SheetCorners(_clockwise(points), sure, why)
    return NoEstimate(why)


# -- search --------------------------------------------------------------------------------------------------------


def _best_quads(image: Plane, noise: float) -> list[_Quad]:
    """Quadrilaterals by falling score; those that are the same but for a few pixels are left out."""
    h, w = image.shape[:2]
    lines = inner_lines(image, _MOST_LINES)
    if len(lines) < 4:
        return []
    pairs = [(a, b) for a, b in combinations(range(len(lines)), 2) if opposite(lines[a], lines[b], min(h, w))]
    quads, sides = _candidates(lines, pairs, w, h)
    if not len(quads):
        return []
    profiles = profiles_of(image, lines, noise)
    ends = np.roll(quads, -1, axis=1)
    support = np.stack([profiles.support(sides[:, i], quads[:, i], ends[:, i]) for i in range(4)]).min(axis=0)
    score = np.where(support > 0.45, support + 0.3 * np.sqrt(_areas(quads) / (w * h)), -1.0)
    found = np.argsort(-score, kind="stable")[: min(_MOST_GRADED, int((score >= 0).sum()))]
    graded: list[_Quad] = []
    for index in found:
        one = _grade(image, quads[index], noise)
        if one is not None:
            graded.append(one)
    graded.sort(key=lambda q: -q.score)
    return graded


def closed_small(image: Plane) -> Plane:
    """A picture (h, w, C) reduced, without thin dark marks: closing takes them away and leaves the sheet's outline."""
    small = reduced(image, _COARSE_PX)
    side = max(5, round(0.02 * max(small.shape[:2])) | 1)
    return np.asarray(cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((side, side), np.uint8))).reshape(small.shape)


def noise_of(image: Plane) -> float:
    """Standard deviation of band means within one material, from second differences at the bands' distance."""
    smooth = cv2.blur(image, (4, 4)).reshape(image.shape)
    second = smooth[:, 16:] - 2 * smooth[:, 8:-8] + smooth[:, :-16]
    return max(0.0015, float(np.median(np.abs(second[::3, ::3]))) / 0.6745 / 6**0.5)


def opposite(a: Line, b: Line, side: int) -> bool:
    """Whether two lines can be opposite sides: nearly parallel and well apart."""
    turn = abs(a.angle - b.angle)
    if min(turn, np.pi - turn) > np.deg2rad(24):
        return False
    flip = -1.0 if turn > np.pi / 2 else 1.0
    return abs(a.rho - flip * b.rho) > 0.2 * side


def crosswise(lines: list[Line]) -> NDArray[np.bool_]:
    """Whether each two lines cross steeply enough to be neighbouring sides of a sheet."""
    angle = np.array([line.angle for line in lines])
    turn = np.abs(angle[:, None] - angle[None, :]) % np.pi
    return np.asarray(np.minimum(turn, np.pi - turn) >= np.deg2rad(58), np.bool_)


def meetings(lines: list[Line]) -> Points:
    """Where each two lines cross, (n, n, 2); far away when they hardly do."""
    normals = np.array([line.normal for line in lines])
    rho = np.array([line.rho for line in lines])
    nx, ny = normals[:, 0], normals[:, 1]
    det = nx[:, None] * ny[None, :] - ny[:, None] * nx[None, :]
    det = np.where(np.abs(det) < 1e-6, 1e-9, det)
    x = (rho[:, None] * ny[None, :] - ny[:, None] * rho[None, :]) / det
    y = (nx[:, None] * rho[None, :] - rho[:, None] * nx[None, :]) / det
    return np.stack([x, y], axis=-1)


def _candidates(lines: list[Line], pairs: list[tuple[int, int]], w: int, h: int) -> tuple[Points, NDArray[np.intp]]:
    """All quadrilaterals of two pairs of opposite lines that could be a sheet, (n, 4, 2), and the lines that their four
    sides lie on, (n, 4)."""
    sides = np.array(pairs, np.intp).reshape(-1, 2)
    one, other = np.triu_indices(len(sides), 1)
    chosen = np.hstack([sides[one], sides[other]])
    a, b, c, d = chosen.T
    across = crosswise(lines)
    chosen = chosen[across[a, c] & across[a, d] & across[b, c] & across[b, d]]
    a, b, c, d = chosen.T
    meet = meetings(lines)
    quads = np.stack([meet[c, a], meet[a, d], meet[d, b], meet[b, c]], axis=1)
    good = _plausible(quads, w, h)
    return quads[good], np.stack([a, d, b, c], axis=1)[good]


def _areas(quads: Points) -> NDArray[np.float64]:
    """Areas of quadrilaterals (n, 4, 2)."""
    ends = np.roll(quads, -1, axis=1)
    return np.asarray(np.abs((quads[..., 0] * ends[..., 1] - quads[..., 1] * ends[..., 0]).sum(axis=1)) / 2, np.float64)


def _plausible(quads: Points, w: int, h: int) -> NDArray[np.bool_]:
    """Which are inside the picture, convex, and neither a sliver nor tiny."""
    slack = 0.01 * max(w, h)
    low, high = quads.min(axis=(1, 2)), quads.max(axis=1)
    inside = (low >= -slack) & (high[:, 0] <= w + slack) & (high[:, 1] <= h + slack)
    along = np.roll(quads, -1, axis=1) - quads
    after = np.roll(along, -1, axis=1)
    turn = along[..., 0] * after[..., 1] - along[..., 1] * after[..., 0]
    convex = (turn >= 0).all(axis=1) | (turn <= 0).all(axis=1)
    return np.asarray(inside & convex & (_areas(quads) > 0.12 * w * h), np.bool_)


@dataclass(frozen=True, eq=False)
class Profiles:
    """Steps across the whole of each line, counted up every second pixel from ``-reach``, so that the support of any part
    of it is a look-up: ``along`` (n, 2), ``plus`` and ``minus`` (n, m)."""

    along: Points
    reach: int
    plus: NDArray[np.int64]
    minus: NDArray[np.int64]

    def of_lines(self, which: list[int]) -> Profiles:
        """Those of some of the lines."""
        return Profiles(self.along[which], self.reach, self.plus[which], self.minus[which])

    def support(self, line: NDArray[np.intp], p: Points, q: Points) -> NDArray[np.float64]:
        """For each line and part p..q of it: the share of its middle nine tenths where the step has one and the same
        sign."""
        ends = np.stack([(p * self.along[line]).sum(axis=1), (q * self.along[line]).sum(axis=1)])
        t0, t1 = ends.min(axis=0), ends.max(axis=0)
        cut = 0.05 * (t1 - t0)
        last = self.plus.shape[1] - 1
        low = np.clip(((t0 + cut + self.reach) / 2).astype(np.intp), 0, last - 1)
        high = np.minimum(np.maximum(((t1 - cut + self.reach) / 2).astype(np.intp), low + 1), last)
        counts = np.maximum(*(sums[line, high] - sums[line, low] for sums in (self.plus, self.minus)))
        return np.asarray(counts / (high - low), np.float64)


def profiles_of(image: Plane, lines: list[Line], noise: float) -> Profiles:
    """Profiles of all lines, in one look-up of the picture."""
    h, w = image.shape[:2]
    reach = int(np.hypot(h, w)) + 2
    t = np.arange(-reach, reach, 2) + 1.0
    along = np.array([line.along for line in lines])
    normal = np.array([line.normal for line in lines])
    base = normal * np.array([line.rho for line in lines])[:, None]
    points = base[:, None] + along[:, None] * t[:, None]
    inside = (points[..., 0] > 0) & (points[..., 1] > 0) & (points[..., 0] < w) & (points[..., 1] < h)
    which, _ = np.nonzero(inside)
    on = points[inside]
    across = normal[which]
    step = sum(sample(image, on + across * o) - sample(image, on - across * o) for o in (2.5, 5.5)) / 2
    parts = np.zeros(inside.shape)
    for i in range(len(lines)):
        mine = np.asarray(step)[which == i]
        strong = mine[np.linalg.norm(mine, axis=1) > 2.2 * noise]
        # Both signs are counted: the sheet may lie on either side of the line.
        direction = strong.sum(axis=0) if len(strong) else np.ones(image.shape[2])
        direction = direction / max(float(np.linalg.norm(direction)), 1e-9)
        parts[i, inside[i]] = mine @ direction
    nothing = np.zeros((len(lines), 1), bool)
    plus, minus = (np.hstack([nothing, hit]).cumsum(axis=1) for hit in (parts > 1.6 * noise, parts < -1.6 * noise))
    return Profiles(along, reach, plus, minus)


def _grade(image: Plane, quad: Points, noise: float) -> _Quad | None:
    """Grade a quadrilateral by its weakest side."""
    quad = _clockwise(quad)
    h, w = image.shape[:2]
    centre = quad.mean(axis=0)
    supports, clarities, inner = [], [], []
    sides, lighter = [], []
    for i in range(4):
        p, q = quad[i], quad[(i + 1) % 4]
        normal = normal_towards(p, q, centre)
        start, end = p + 0.09 * (q - p), q - 0.09 * (q - p)
        step = steps_across(image, start, end, normal, 2, 6, 72)
        typical = np.median(step, axis=0)
        lighter.append(float(typical.mean()))
        size = float(np.linalg.norm(typical))
        part = step @ (typical / max(size, 1e-9))
        supports.append(float((part > max(0.4 * size, 1.2 * noise)).mean()))
        spread = max(noise, float(np.median(np.abs(part - np.median(part)))))
        clarities.append(size / spread)
        if supports[-1] < 0.5:
            return None
        sides.append((p, q, normal, typical, size))
        t = np.linspace(0, 1, 24)[:, None]
        inner.append(np.median(sample(image, start + (end - start) * t + normal * 4.5), axis=0))
    support, clarity = min(supports), min(clarities)
    # A side is none if the sides at both its ends run on past it: the sheet goes on there, cut by the picture's frame. If
    # only one does, it may be a shadow's edge that begins in a corner.
    past = [(_runs_on(image, sides[i - 1], True), _runs_on(image, sides[(i + 1) % 4], False)) for i in range(4)]
    if any(before and after for before, after in past):
        return None
    uneven = float(np.ptp(np.array(inner).mean(axis=1)))
    area = float(cv2.contourArea(quad.astype(np.float32))) / (w * h)
    score = support + 0.25 * float(np.mean(supports)) + 0.5 * (1 - np.exp(-clarity / 3)) + 0.35 * np.sqrt(area)
    score -= 0.1 * sum(map(sum, past))
    outer = np.array(inner).mean(axis=1) - lighter
    odd = float(np.abs(outer - np.median(outer)).max())
    # Lighter than the table on one side, much darker on another: that side is the rim of something painted.
    middle = float(np.median(lighter))
    odd = max(odd, *(3.0 * abs(step) for step in lighter if step * middle < 0 and abs(step) > 0.06), 0.0)
    return _Quad(quad, support, clarity, float(score - 0.8 * max(uneven - 0.12, 0)), -float(np.median(lighter)), odd)


_Side = tuple[Points, Points, Points, Plane, float]


def _runs_on(image: Plane, side: _Side, past_end: bool) -> bool:
    """Whether a side's step goes on beyond its end (or its start), as far as the picture lets one see."""
    p, q, normal, typical, size = side
    corner, outwards = (q, q - p) if past_end else (p, p - q)
    h, w = image.shape[:2]
    start, end = corner + 0.02 * outwards, corner + 0.09 * outwards
    way = np.linspace(0, 1, 15)
    places = start + way[:, None] * (end - start)
    inside = way[((places > 4) & (places < (w - 4, h - 4))).all(axis=1)]
    if len(inside) < 3:
        return False
    step = steps_across(image, start, start + inside[-1] * (end - start), normal, 2, 6, 16)
    part = step @ (typical / max(size, 1e-9))
    return float(np.median(part)) > 0.33 * size and float(part.mean()) > 0.33 * size


# -- sureness -----------------------------------------------------------------------------------------------------


def _sureness(
    first: _Quad, others: list[_Quad], points: Points, share: float, size: tuple[int, int], to_coarse: Points
) -> tuple[float, str]:
    """How sure, and why not."""
    w, h = size
    diagonal = float(np.hypot(w, h))
    edge = min(points.min(), w - points[:, 0].max(), h - points[:, 1].max())
    if edge < 0.002 * diagonal:
        return 0.2, "a corner lies outside the picture: the sheet is cut by its frame"
    moved = float(np.abs(_clockwise(points) * to_coarse - first.points).max()) / float(np.hypot(*(to_coarse * size)))
    if moved > 0.02:
        return 0.3, "the sides cannot be followed to their ends"
    rivals = [q for q in others if np.abs(q.points - first.points).max() > 0.02 * float(np.hypot(*(to_coarse * size)))]
    lead = first.score - max(q.score for q in rivals) if rivals else 1.0
    good = np.clip((first.support - 0.62) / 0.25, 0, 1) * np.clip((share - 0.4) / 0.3, 0, 1)
    good *= np.clip((first.clarity - 1.0) / 1.5, 0.0, 1)
    # A painted rectangle is darker than the paper around it; a sheet is hardly ever darker than its table.
    good *= np.clip(1.3 - first.darker / 0.025, 0.3, 1)
    # A dark shape along most of a line inside the sheet is no table.
    good *= np.clip(2.2 - first.odd / 0.17, 0.3, 1)
    sure = float(np.clip(good * np.clip(0.35 + lead / _CLOSE, 0, 1), 0, 0.99))
    if sure >= 0.5:
        return sure, "all four sides part the paper from what lies around it"
    return sure, "the table is nearly as light as the paper, or other edges look like the sheet's"


def _clockwise(points: Points) -> Points:
    """Corners clockwise from the one nearest to the picture's top left, as the sheet lies."""
    centre = points.mean(axis=0)
    angle = np.arctan2(points[:, 1] - centre[1], points[:, 0] - centre[0])
    ordered = points[np.argsort(angle)]
    start = int(np.argmin(ordered.sum(axis=1)))
    return np.roll(ordered, -start, axis=0)
