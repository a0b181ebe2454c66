"""A photo in which the sheet runs out of the picture on one side or more, and a table shows on the others.

Nothing is known of the sides that are cut off, so keystone cannot be told; but where the table lies can: beyond two or three
straight edges that part paper from it, which meet at a corner of the sheet, or run on both sides of it from rim to rim. One edge
alone may be drawn, unless it leans a little, as photos do.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import combinations, product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import highest
from woad.core.raster.outline import filled
from woad.core.raster.transfer import encoded_shares
from woad.core.square.corners import Profiles, closed_small, crosswise, meetings, noise_of, opposite, profiles_of
from woad.core.square.lines import Line, inner_lines, normal_towards, sample, steps_across
from woad.core.square.sides import crossing, follow_side

Plane = NDArray[np.float32]
Points = NDArray[np.float64]

_MOST_LINES, _MOST_GRADED = 38, 300
_SUPPORT, _RUNS_ON = 0.8, 0.6  # share of an edge along which it is seen, at least; and beyond its end, at most
_AS_STRONG = 0.4  # share of an edge's step
# Share of an edge that is seen if it is the only one, and how far it leans, degrees: what is ruled in a scan is level or upright.
_ALONE, _LEANS = 0.9, (0.7, 30.0)
_CHANGES = 0.1  # encoded, along the picture's rim, where a table comes in
_RIM = 0.04  # of the picture, within which no corner lies
_STEP = 0.05  # encoded, by how much paper is lighter than the table
_ALIKE, _BARE = 0.06, 0.55  # encoded, how far paper lies off its tone; share of what lies along the edges that is paper
_UNEVEN, _ONE_TABLE = 0.14, 0.25  # encoded, how much paper may change from edge to edge, and the table
_ELSEWHERE, _PAPER = 0.08, 0.3  # share of the table that is as light as paper, at most; and of the sheet, at least
_LEAST, _SMALLEST = 0.02, 0.2  # share of the picture that the table takes at least, and the sheet
_INSET = 0.004  # of the picture's side, that is cut off the sheet with the table
_FOLLOWED = 0.5  # share of an edge's places that lie on its line


@dataclass(frozen=True, eq=False)
class SheetPart:
    """Outlines, px: the part of a ``sheet`` (n, 2) that the picture shows, and the ``table`` beyond each of its edges."""

    sheet: Points
    table: tuple[Points, ...]

    def scaled(self, by: float) -> SheetPart:
        """The same on the same picture ``by`` times as large."""
        return SheetPart(self.sheet * by, tuple(one * by for one in self.table))


@dataclass(frozen=True, eq=False)
class _Edges:
    """Edges of a sheet (k, 2, 2) px from end to end, a point ``inside`` of it, and the share that is seen of the weakest."""

    ends: Points
    inside: Points
    support: float


def find_sheet_part(pixels: NDArray[np.uint8] | NDArray[np.uint16]) -> SheetPart | None:
    """The part of a sheet that a reduced photo shows beside a table; None if there is no table, or it cannot be told.

    Parameters: ``pixels`` (h, w, C) encoded, about 800 to 1500 px long.
    """
    h, w = pixels.shape[:2]
    if min(h, w) < 64 or _alike_all_around(pixels):
        return None
    image = encoded_shares(pixels)
    small = closed_small(image)
    if _alike_all_around(small):
        return None
    scale = np.array([w / small.shape[1], h / small.shape[0]])
    noise = noise_of(small)
    lines = _Lines.of(small, noise)
    if lines is None:
        return None
    for edges in sorted(_candidates(lines), key=lambda one: (-len(one.ends), -one.support))[:_MOST_GRADED]:
        if not _parts_paper(small, edges, noise):
            continue
        ends = [follow_side(image, *(pair * scale)) for pair in edges.ends]
        if any(end is None or end[2] < _FOLLOWED for end in ends):
            continue
        refined = np.array([end[:2] for end in ends if end is not None])
        # Looked at again where the edges really run.
        if (len(refined) > 1 or _leans(refined[0])) and _parts_paper(
            small, replace(edges, ends=refined / scale), noise
        ):
            return _cut(_inwards(refined, edges.inside * scale, _INSET * (w + h) / 2), edges.inside * scale, (w, h))
    return None


def _alike_all_around(image: NDArray[Any]) -> bool:
    """Whether the rim of (h, w, C) has one tone, so that no table comes in; marks that run off the sheet have others."""
    rim = np.concatenate([image[2], image[-3], image[:, 2], image[:, -3]])
    rim = rim if rim.dtype == np.float32 else encoded_shares(rim)
    return float(np.ptp(np.percentile(rim.mean(axis=1), [2, 98]))) < _CHANGES


@dataclass(frozen=True, eq=False)
class _Lines:
    """Straight lines of a picture, each with where it enters and leaves that, (2, 2) px, and how they are seen along it."""

    image: Plane
    size: tuple[int, int]
    lines: list[Line]
    spans: list[Points]
    profiles: Profiles

    @classmethod
    def of(cls, image: Plane, noise: float) -> _Lines | None:
        h, w = image.shape[:2]
        found = inner_lines(image, _MOST_LINES)
        spanned = [(line, span) for line in found if (span := _span(line, w, h)) is not None]
        if not spanned:
            return None
        profiles = profiles_of(image, [line for line, _ in spanned], noise)
        kept = [i for i, (_, span) in enumerate(spanned) if _somewhere(image, profiles, i, span)]
        lines, spans = [spanned[i][0] for i in kept], [spanned[i][1] for i in kept]
        return cls(image, (w, h), lines, spans, profiles.of_lines(kept)) if kept else None

    def seen(self, i: int, p: Points, q: Points) -> float:
        """The share of line i that is seen between two places on it."""
        return float(self.profiles.support(np.array([i]), p[None], q[None])[0])

    def runs_on(self, i: int, far: Points, at: Points, end: Points) -> bool:
        """Whether the edge from ``far`` to ``at`` on line i runs on to ``end``, about as strong as it is: a table's own
        pattern is seen along any line."""
        if self.seen(i, at, end) < _RUNS_ON:
            return False
        own, beyond = (
            steps_across(self.image, p, q, self.lines[i].normal, 2, 6, 48)
            for p, q in ((far, at), (at + 0.05 * (end - at), end))
        )
        typical = np.median(own, axis=0)
        return float((beyond @ typical > _AS_STRONG * float(typical @ typical)).mean()) > _RUNS_ON

    def opposite(self, i: int, k: int) -> bool:
        return opposite(self.lines[i], self.lines[k], min(self.size))

    def corners(self) -> NDArray[np.float64]:
        """Where each two lines may meet at a sheet's corner, (n, n, 2) px, NaN where they do not."""
        at = meetings(self.lines)
        inner = ((at > _RIM * np.array(self.size)) & (at < (1 - _RIM) * np.array(self.size))).all(axis=2)
        return np.where((inner & crosswise(self.lines))[..., None], at, np.nan)


def _candidates(seen: _Lines) -> Iterator[_Edges]:
    """Sets of one to three straight edges that are seen all along."""
    count, corners = len(seen.lines), seen.corners()
    whole = [seen.seen(i, *span) for i, span in enumerate(seen.spans)]
    for i, span in enumerate(seen.spans):
        if whole[i] > _ALONE and _leans(span):
            for way in (0.1, -0.1):
                yield _Edges(span[None], span.mean(axis=0) + way * min(seen.size) * seen.lines[i].normal, whole[i])
    for i, k in combinations(range(count), 2):
        support = min(whole[i], whole[k])
        if support > _SUPPORT and seen.opposite(i, k):
            ends = np.array([seen.spans[i], seen.spans[k]])
            yield _Edges(ends, ends.mean(axis=(0, 1)), support)
        if np.isfinite(corners[i, k]).all():
            yield from _meeting(seen, i, k, corners[i, k])
    for middle in range(count):
        met = [i for i in range(count) if np.isfinite(corners[middle, i]).all()]
        for one, other in combinations(met, 2):
            if seen.opposite(one, other):
                yield from _three(seen, middle, one, other, corners)


def _meeting(seen: _Lines, i: int, k: int, at: Points) -> Iterator[_Edges]:
    """Two edges that end where they meet, each with either of its ends."""
    for a, b in product((0, 1), repeat=2):
        far, away = seen.spans[i][a], seen.spans[k][b]
        support = min(seen.seen(i, at, far), seen.seen(k, at, away))
        if support > _SUPPORT:
            past = seen.spans[i][1 - a], seen.spans[k][1 - b]
            if not (seen.runs_on(i, far, at, past[0]) or seen.runs_on(k, away, at, past[1])):
                yield _Edges(np.array([(at, far), (at, away)]), (at + far + away) / 3, support)


def _three(seen: _Lines, middle: int, one: int, other: int, corners: Points) -> Iterator[_Edges]:
    """An edge between two corners, and those that run from there to the rim on one side of it."""
    first, last = corners[middle, one], corners[middle, other]
    between = seen.seen(middle, first, last)
    if between < _SUPPORT:
        return
    for a, b in product((0, 1), repeat=2):
        far, away = seen.spans[one][a], seen.spans[other][b]
        if (far - first) @ (away - last) > 0:
            support = min(between, seen.seen(one, first, far), seen.seen(other, last, away))
            if support > _SUPPORT:
                ends = np.array([(first, far), (first, last), (last, away)])
                yield _Edges(ends, (first + last + far + away) / 4, support)


def _leans(ends: Points) -> bool:
    """Whether an edge from end to end (2, 2) leans a little."""
    x, y = ends[1] - ends[0]
    lean = float(np.rad2deg(np.arctan2(abs(y), abs(x))))
    return _LEANS[0] < min(lean, 90 - lean) < _LEANS[1]


def _somewhere(image: Plane, profiles: Profiles, i: int, span: Points) -> bool:
    """Whether a line parts light from dark all along a quarter of it, at either end or in the middle."""
    parts = span[0] + (span[1] - span[0]) * np.array([(0, 0.25), (0.75, 1), (0.375, 0.625)])[..., None]
    seen = profiles.support(np.full(3, i), parts[:, 0], parts[:, 1])
    normal = normal_towards(span[0], span[1], span[0])  # either will do
    steps = [np.median(steps_across(image, p, q, normal, 2, 6, 24), axis=0).mean() for p, q in parts]
    return bool(((seen > _SUPPORT) & (np.abs(steps) > _STEP)).any())


def _span(line: Line, w: int, h: int) -> Points | None:
    """Where a line enters and leaves the picture, (2, 2); None when it hardly crosses it."""
    base, along = line.normal * line.rho, line.along
    low, high = -np.inf, np.inf
    for axis, size in ((0, w), (1, h)):
        if abs(along[axis]) < 1e-9:
            continue
        t = sorted(((0 - base[axis]) / along[axis], (size - base[axis]) / along[axis]))
        low, high = max(low, t[0]), min(high, t[1])
    return np.array([base + along * low, base + along * high]) if high - low > 0.2 * min(w, h) else None


def _parts_paper(image: Plane, edges: _Edges, noise: float) -> bool:
    """Whether bare paper lies along all edges, lighter than what lies beyond them, and only there."""
    h, w = image.shape[:2]
    tones, beyond, shares = [], [], []
    for p, q in edges.ends:
        normal = normal_towards(p, q, edges.inside)
        start, end = p + 0.06 * (q - p), q - 0.06 * (q - p)
        step = steps_across(image, start, end, normal, 2, 6, 72)
        typical = np.median(step, axis=0)
        size = float(np.linalg.norm(typical))
        part = step @ (typical / max(size, 1e-9))
        if float(typical.mean()) < _STEP or float((part > max(_AS_STRONG * size, 1.2 * noise)).mean()) < _SUPPORT:
            return False
        places = start + (end - start) * np.linspace(0, 1, 48)[:, None]
        inner = sample(image, places + normal * 5)
        tones.append(np.median(inner, axis=0))
        beyond.append(np.median(sample(image, places - normal * 9), axis=0))
        shares.append(float((highest(np.abs(inner - tones[-1])) < _ALIKE).mean()))
    if min(shares) < _BARE or float(np.ptp(np.array(tones).mean(axis=1))) > _UNEVEN:
        return False
    if float(np.ptp(np.array(beyond), axis=0).max()) > _ONE_TABLE:
        return False
    outline = _cut(edges.ends, edges.inside, (w, h)).sheet
    sheet = filled(outline, (h, w))
    near = np.min([highest(np.abs(image - tone)) for tone in tones], axis=0) < _ALIKE
    share = float(sheet.mean())
    if not _SMALLEST < share < 1 - _LEAST:
        return False
    return float(near[~sheet].mean()) < _ELSEWHERE and float(near[sheet].mean()) > _PAPER


def _cut(ends: Points, inside: Points, size: tuple[int, int]) -> SheetPart:
    """The picture of ``size`` (w, h) cut along edges (k, 2, 2), with a point ``inside`` of the sheet."""
    w, h = size
    picture = np.array([(0, 0), (w, 0), (w, h), (0, h)], np.float64)
    centre = picture.mean(axis=0)
    beyond = centre + (picture - centre) * 1.01  # no pixel of its rim is left over
    sheet, table = picture, []
    for p, q in ends:
        sheet = _half(sheet, p, q, inside)
        table.append(_half(beyond, p, q, 2 * p - inside))  # its point reflection lies on the other side
    return SheetPart(sheet, tuple(table))


def _inwards(ends: Points, inside: Points, by: float) -> Points:
    """Edges (k, 2, 2) moved by so many px towards a point: what shines or shades along the cut edge of paper is no drawing."""
    return np.array([(p + by * normal, q + by * normal) for p, q in ends for normal in [normal_towards(p, q, inside)]])


def _half(outline: Points, p: Points, q: Points, inside: Points) -> Points:
    """The part of a convex ``outline`` (n, 2) on that side of the line through p and q (Sutherland and Hodgman, 1974)."""
    off = (outline - p) @ normal_towards(p, q, inside)
    out: list[Points] = []
    for i, here in enumerate(outline):
        there, further = outline[(i + 1) % len(outline)], off[(i + 1) % len(outline)]
        if off[i] >= 0:
            out.append(here)
        if (off[i] >= 0) != (further >= 0):
            at = crossing((here, there), (p, q))
            if at is not None:
                out.append(at)
    return np.array(out).reshape(-1, 2)
