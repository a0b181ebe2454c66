"""Moments of many groups of weighted places at once: how much each holds, where its middle is, how it is spread."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Indices = NDArray[np.int32] | NDArray[np.intp]

PLACE = 1 / 12  # variance of one place by itself, which is as wide as its step


@dataclass(frozen=True, eq=False)
class Moments:
    """Of n groups, (n,) each: ``total`` weight; ``x``, ``y`` middle; ``xx``, ``yy``, ``xy`` (co)variance about it, in steps
    of places, without :data:`PLACE`; ``apart`` what the largest variance of any direction has over the least."""

    total: Floats
    x: Floats
    y: Floats
    xx: Floats
    yy: Floats
    xy: Floats
    apart: Floats


def moments_of(which: Indices, weight: Floats, x: Indices, y: Indices, n: int) -> Moments:
    """Moments of ``n`` groups, from places ``x``, ``y`` of a ``weight`` each that belong to the group ``which``."""
    total = np.maximum(np.bincount(which, weight, n), 1e-6)
    cx, cy = np.bincount(which, weight * x, n) / total, np.bincount(which, weight * y, n) / total
    dx, dy = x - cx[which], y - cy[which]
    xx, yy, xy = (np.bincount(which, weight * product, n) / total for product in (dx * dx, dy * dy, dx * dy))
    return Moments(total, cx, cy, xx, yy, xy, np.sqrt((xx - yy) ** 2 + 4 * xy * xy))
