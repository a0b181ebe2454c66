"""How far in a sheet begins on each side of a scan: straight edges, torn ones, and wedges where it lies askew."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.square.sides import crossing

Mask = NDArray[np.bool_]
Ends = tuple[float, float]

# Share of the sheet's side that is free: beside an edge, in a wedge; how broad that is at least.
_MOST, _WEDGE, _BROAD_PX = 0.6, 0.06, 2.0
# Px off the edge's line, share of the longer side that a torn edge is off, and the share of the edge that is not.
_ON_LINE, _TORN, _STRAIGHT = 1.5, 0.012, 0.8
_UPRIGHT = 0.97  # cosine of how far an edge may lean


@dataclass(frozen=True, eq=False)
class Inset:
    """How far in a sheet begins on the left, px, at both ``ends`` of the scan, top and bottom, and how much farther from row to
    row; the ``rows`` that it has there, and how deep its ``dents`` may be, px: a torn edge is cut along them."""

    ends: Ends
    slope: float
    rows: tuple[int, int]
    dents: float

    @property
    def broad(self) -> float:
        """How broad it is in the mean, px."""
        return max(sum(self.ends) / 2, 0.0)

    def moved(self, by: float) -> Inset:
        return replace(self, ends=(self.ends[0] + by, self.ends[1] + by))


def insets_of(sheet: Mask, torn: bool) -> list[Inset | None]:
    """How far in a ``sheet`` (h, w) begins on the left, top, right and bottom of a scan, each as seen with that side turned to
    the left; None where it begins with the scan.

    Edges are straight, or ``torn``. Two that meet are told by themselves, or there are none at all; the others may be wedges,
    too short for that, and lean as those do.
    """
    seen = [_Profile.of(np.rot90(sheet, turns)) for turns in range(4)]
    edges = [None if one is None else one.edge(torn) for one in seen]
    if not any(edges[i] is not None and edges[i - 1] is not None for i in range(4)):
        return [None] * 4
    slope = max((edge for edge in edges if edge is not None), key=lambda edge: edge.rows[1] - edge.rows[0]).slope
    return [edge or (None if one is None else one.wedge(slope)) for edge, one in zip(edges, seen, strict=True)]


@dataclass(frozen=True, eq=False)
class _Profile:
    """How far in a sheet begins on the left of a scan (h,), px, at the ``rows`` (n,) that it has; how long the longer side
    of the scan is."""

    first: NDArray[np.intp]
    rows: NDArray[np.intp]
    longest: int

    @classmethod
    def of(cls, sheet: Mask) -> _Profile | None:
        first, rows = np.argmax(sheet, axis=1), np.flatnonzero(sheet.any(axis=1))
        return cls(first, rows, max(sheet.shape)) if (first[rows] > 0).any() else None

    def edge(self, torn: bool) -> Inset | None:
        """A straight line along most of the sheet's side."""
        free = self.rows[self.first[self.rows] > 0]
        if len(free) < _MOST * len(self.rows) or np.percentile(self.first[free], 90) < _BROAD_PX:
            return None
        points = np.stack([self.first[free], free], axis=1).astype(np.float32)
        vx, vy, x, y = cv2.fitLine(points, cv2.DIST_WELSCH, 0, 0.01, 0.01).ravel().tolist()
        if abs(vy) < _UPRIGHT:
            return None
        slope = vx / vy
        off = np.abs(self.first - np.maximum(x + (np.arange(len(self.first)) - y) * slope, 0))[self.rows]
        straight = float((off < _ON_LINE).mean()) > _STRAIGHT
        if not straight and (not torn or float((off < _TORN * self.longest + 1).mean()) < _STRAIGHT):
            return None
        return self._line(x - y * slope, slope, 0.0 if straight else _TORN * self.longest)

    def wedge(self, slope: float) -> Inset | None:
        """A line of that slope along what is free of the sheet's side, None when there is less than a wedge."""
        free = self.rows[self.first[self.rows] > 0]
        if len(free) < max(3, _WEDGE * len(self.rows)):
            return None
        # Where the sheet's next side begins, and leans, it lies much farther in.
        return self._line(float(np.percentile(self.first[free] - free * slope, 40)) + 0.5, slope, 0.0)

    def _line(self, start: float, slope: float, dents: float) -> Inset:
        rows = int(self.rows[0]), int(self.rows[-1]) + 1
        return Inset((start, start + len(self.first) * slope), slope, rows, dents)


def sides_of(insets: Sequence[object | None]) -> tuple[bool, ...]:
    """Which of the top, right, bottom and left side have an inset, from those on the left, top, right and bottom."""
    return tuple(insets[i] is not None for i in (1, 2, 3, 0))


def corners_between(insets: Sequence[Ends | None], size: tuple[int, int]) -> NDArray[np.float64]:
    """Corners (4, 2) px of a sheet on a scan of ``size`` (w, h), clockwise from the top left.

    Parameters: ``insets`` how far in it begins on the left, top, right and bottom, each at the top and at the bottom as seen
    with that side turned to the left; None where it begins with the scan.
    """
    w, h = size
    left, top, right, bottom = (inset or (0.0, 0.0) for inset in insets)
    lines = (
        (np.array([left[0], 0.0]), np.array([left[1], h])),
        (np.array([0.0, top[1]]), np.array([w, top[0]])),
        (np.array([w - right[1], 0.0]), np.array([w - right[0], h])),
        (np.array([0.0, h - bottom[0]]), np.array([w, h - bottom[1]])),
    )
    return np.array([crossing(lines[i], lines[k]) for i, k in ((0, 1), (2, 1), (2, 3), (0, 3))])
