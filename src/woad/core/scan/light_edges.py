"""Edges of light on the blocks of a sheet, put together again where paint hides a stretch of them."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]
Vector = NDArray[np.float64]

_RUN = 0.2  # of the sheet's longer side: what is shorter is no edge of a shadow
_STRETCH = 0.06  # the same of one of several stretches
_PARALLEL = 0.94  # cosine between the ways that two stretches of one edge darken
_ASIDE = 0.25  # sine of how far the one may lie off the other's own line
_ALIKE = 0.6  # ratio of their depths


@dataclass(frozen=True, eq=False)
class _Stretch:
    where: Mask
    depth: float
    down: Vector  # unit, towards the dark
    centre: Vector  # x, y


def edge_pieces(edge: Mask, step: Plane, gx: Plane, gy: Plane) -> list[Mask]:
    """Every edge that runs on for a while, (gh, gw) bool each.

    Parameters: ``edge`` (gh, gw) blocks with a step of light; ``step`` its height, natural log; ``gx``, ``gy`` with its
    sign along both axes. Stretches of one line, with something that is not paper between them, are one edge.
    """
    count, labels, stats, _ = cv2.connectedComponentsWithStats(edge.astype(np.uint8), connectivity=8)
    least = _STRETCH * max(edge.shape)
    stretches = []
    for i in range(1, count):
        if float(np.hypot(stats[i, cv2.CC_STAT_WIDTH], stats[i, cv2.CC_STAT_HEIGHT])) >= least:
            stretches.append(_stretch(labels == i, step, gx, gy))
    groups: list[list[_Stretch]] = []
    for one in sorted(stretches, key=lambda s: -int(s.where.sum())):
        home = next((group for group in groups if any(_go_on(one, other) for other in group)), None)
        if home is None:
            groups.append([one])
        else:
            home.append(one)
    joined = [np.logical_or.reduce([one.where for one in group]) for group in groups]
    return [np.asarray(mask) for mask in joined if _run(mask) >= _RUN * max(edge.shape)]


def _stretch(where: Mask, step: Plane, gx: Plane, gy: Plane) -> _Stretch:
    y, x = np.nonzero(where)
    down = -np.array([float(gx[where].mean()), float(gy[where].mean())])
    size = max(float(np.linalg.norm(down)), 1e-6)
    return _Stretch(where, float(np.percentile(step[where], 80)), down / size, np.array([x.mean(), y.mean()]))


def _go_on(a: _Stretch, b: _Stretch) -> bool:
    """Whether one is the other's continuation: as deep, darkening the same way, and on its line."""
    if min(a.depth, b.depth) < _ALIKE * max(a.depth, b.depth) or float(a.down @ b.down) < _PARALLEL:
        return False
    way = b.centre - a.centre
    off = max(abs(float(way @ a.down)), abs(float(way @ b.down)))
    return off < _ASIDE * float(np.linalg.norm(way))


def _run(mask: Mask) -> float:
    y, x = np.nonzero(mask)
    return float(np.hypot(np.ptp(x) + 1, np.ptp(y) + 1))
