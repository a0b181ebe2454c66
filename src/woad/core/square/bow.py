"""Bow: a line of lettering that sags or rises is bent straight, smoothly, and its surroundings give way with it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]

_BAND = 0.10  # half the height that moves as one piece, share of the line's length
_GIVE = 2.5  # the surroundings give way over this many times the largest bend, so that nothing is squeezed hard


@dataclass(frozen=True)
class Bow:
    """A curve through ``points`` (at least three, (x, y) on the plane, px) that becomes its chord.

    With ``level`` the line is laid level through the middle of its chord instead of along it.
    """

    points: tuple[tuple[float, float], ...]
    level: bool = False

    @cached_property
    def _shape(self) -> tuple[Points, Points, float, Points, Points]:
        p = np.asarray(self.points, np.float64)
        start, end = p[0], p[-1]
        chord = end - start
        length = float(np.hypot(*chord))
        if self.level:
            middle = (start + end) / 2
            along = np.array([1.0 if chord[0] >= 0 else -1.0, 0.0])
            length = abs(float(chord[0]))
            start = middle - along * length / 2
        else:
            along = chord / max(length, 1e-9)
        across = np.array([-along[1], along[0]])
        u, v = (p - start) @ along, (p - start) @ across
        order = np.argsort(u)
        return start, along, max(length, 1e-6), u[order], v[order]

    def shift(self, points: Points) -> Points:
        """By how much each point (..., 2) of the straightened plane lies from its place on the bent one, px."""
        start, along, length, knots, heights = self._shape
        across = np.array([-along[1], along[0]])
        offset = points - start
        u, v = offset @ along, offset @ across
        bend = _spline(knots, heights, u, 0.15 * length)
        largest = float(np.abs(heights).max())
        band, give = _BAND * length, _BAND * length + _GIVE * largest
        far = np.clip((np.abs(v) - band) / max(give, 1e-6), 0, 1)
        share = 1 - far * far * far * (far * (far * 6 - 15) + 10)
        return np.asarray((bend * share)[..., None] * across)


def _spline(knots: Points, values: Points, at: Points, fade: float) -> Points:
    """Natural cubic spline; beyond its ends it runs on along its end slope and fades to 0 over about ``fade``.

    Source: de Boor, A practical guide to splines (1978), chapter IV.
    """
    n = len(knots)
    h = np.maximum(np.diff(knots), 1e-9)
    slope = np.diff(values) / h
    matrix, right = np.eye(n), np.zeros(n)
    for i in range(1, n - 1):
        matrix[i, i - 1 : i + 2] = h[i - 1], 2 * (h[i - 1] + h[i]), h[i]
        right[i] = 6 * (slope[i] - slope[i - 1])
    second = np.linalg.solve(matrix, right)
    index = np.clip(np.searchsorted(knots, at) - 1, 0, n - 2)
    t = np.clip(at, knots[0], knots[-1]) - knots[index]
    hi = h[index]
    first = slope[index] - hi * (2 * second[index] + second[index + 1]) / 6
    value = (
        values[index] + t * first + t * t * second[index] / 2 + t**3 * (second[index + 1] - second[index]) / (6 * hi)
    )
    start_slope = slope[0] - h[0] * (2 * second[0] + second[1]) / 6
    end_slope = slope[-1] + h[-1] * (second[-2] + 2 * second[-1]) / 6
    past = np.maximum(at - knots[-1], 0) + np.maximum(knots[0] - at, 0)
    run = np.where(at > knots[-1], end_slope * past, np.where(at < knots[0], -start_slope * past, 0.0))
    return np.asarray((value + run) * np.exp(-((past / max(fade, 1e-6)) ** 2)))
