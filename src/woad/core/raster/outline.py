"""Closed outlines: filled into tiles, so that a tile, cut anywhere, has exactly the pixels of the whole; and widened."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.tiles import Region

_ROWS = 256


def fill_outline(points: NDArray[np.float64], box: Region, level: int) -> NDArray[np.uint8] | None:
    """255 inside the outline (n, 2), px of level 0, over the pixel centres of a box of ``level``, (h, w) uint8; None when
    none lies inside. Even-odd rule: where an outline crosses itself, what it encloses twice is outside."""
    p = points / (1 << level) - [box.x, box.y] - 0.5
    low, high = p.min(axis=0), p.max(axis=0)
    if (high < 0).any() or low[0] > box.w or low[1] > box.h:
        return None
    x0, y0 = p[:, 0], p[:, 1]
    x1, y1 = np.roll(x0, -1), np.roll(y0, -1)
    slope = (x1 - x0) / np.where(y1 == y0, 1, y1 - y0)
    out = np.zeros((box.h, box.w), np.uint8)
    for top in range(0, box.h, _ROWS):
        rows = np.arange(top, min(top + _ROWS, box.h))[:, None]
        crossed = (y0[None] <= rows) != (y1[None] <= rows)
        row, edge = np.nonzero(crossed)
        if not row.size:
            continue
        at = np.ceil(x0[edge] + (rows[row, 0] - y0[edge]) * slope[edge])
        turns = np.zeros((len(rows), box.w + 1), np.int32)
        np.add.at(turns, (row, np.clip(at, 0, box.w).astype(int)), 1)
        inside = np.cumsum(turns, axis=1)[:, : box.w] % 2
        out[top : top + len(rows)] = inside.astype(np.uint8) * np.uint8(255)
    return out if out.any() else None


def filled(points: NDArray[np.float64], shape: tuple[int, int]) -> NDArray[np.bool_]:
    """What lies inside an outline (n, 2) px, to the nearest pixel, on a plane of that ``shape`` (h, w)."""
    plane = np.zeros(shape, np.uint8)
    cv2.fillPoly(plane, [np.rint(points).astype(np.int32)], 1)
    return plane > 0


def widened(hull: NDArray[np.float64], by: NDArray[np.float64]) -> NDArray[np.float64]:
    """A convex outline (n, 2) widened by the shape ``by`` (m, 2) around its every place: their Minkowski sum, (k, 2)."""
    spread = (hull[:, None] + by[None]).reshape(-1, 2).astype(np.float32)
    return np.asarray(cv2.convexHull(spread), np.float64).reshape(-1, 2)
