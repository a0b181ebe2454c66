"""Soft brush strokes laid on the sheet by hand, as a grid of strengths that every view samples."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]


@dataclass(frozen=True)
class BrushStroke:
    """``points`` (N, 2) px of the sheet at full size, ``radius_px``, ``strength`` 0..1."""

    points: NDArray[np.float64]
    radius_px: float
    strength: float


@dataclass(frozen=True, eq=False)
class HandGrid:
    """``grid`` (gh, gw, 1) float32 strength 0..1 at the centres of cells of ``cell_px`` (a power of two)."""

    grid: Plane
    cell_px: int


def lay_strokes(strokes: Sequence[BrushStroke], width: int, height: int) -> HandGrid | None:
    """Lay strokes over a sheet; None when none touches it. Overlapping strokes add up, to 1 at most.

    Along one stroke the strength depends on the distance from its path only, so a slow hand leaves no more than a
    quick one.
    """
    strokes = [s for s in strokes if s.strength > 0 and len(s.points)]
    if not strokes:
        return None
    least = min(s.radius_px for s in strokes)
    cell = 1
    # A soft brush is smooth: eight cells across its radius show it.
    while cell * 16 <= least or max(width, height) > 3000 * cell:
        cell *= 2
    gw, gh = -(-width // cell), -(-height // cell)
    total = np.zeros((gh, gw), np.float32)
    for stroke in strokes:
        _lay(total, stroke, cell)
    if not total.any():
        return None
    return HandGrid(np.minimum(total, 1)[..., None], cell)


def _lay(total: Plane, stroke: BrushStroke, cell: int) -> None:
    part = stroke_near(stroke, total.shape[1], total.shape[0], cell)
    if part is not None:
        where, share = part
        fall = 1 - share
        total[where] += (stroke.strength * fall * fall).astype(np.float32)


def stroke_strength(stroke: BrushStroke, width: int, height: int) -> Plane:
    """Strength of one stroke at every pixel of a picture of its own scale, (h, w) float32 0..1: full along its middle,
    nothing at its rim."""
    out = np.zeros((height, width), np.float32)
    part = stroke_near(stroke, width, height)
    if part is not None:
        where, share = part
        out[where] = stroke.strength * (1 - share)
    return out


def stroke_near(
    stroke: BrushStroke, gw: int, gh: int, cell: int = 1
) -> tuple[tuple[slice, slice], NDArray[np.float64]] | None:
    """Where on a grid of ``gw`` x ``gh`` cells a stroke reaches, and its squared distance there: 0 at its path, 1 at its
    rim. ``cell`` px of the stroke's picture."""
    radius = max(stroke.radius_px / cell, 1.0)
    points = np.asarray(stroke.points, np.float64) / cell
    pairs = pairwise(points) if len(points) > 1 else iter([(points[0], points[0])])
    x0, y0 = np.floor(points.min(axis=0) - radius).astype(int)
    x1, y1 = np.ceil(points.max(axis=0) + radius).astype(int) + 1
    x0, y0, x1, y1 = max(x0, 0), max(y0, 0), min(x1, gw), min(y1, gh)
    if x0 >= x1 or y0 >= y1:
        return None
    near = np.full((y1 - y0, x1 - x0), radius * radius, np.float64)
    for a, b in pairs:
        left, right = (int(v) for v in np.clip([min(a[0], b[0]) - radius, max(a[0], b[0]) + radius + 1], x0, x1))
        top, bottom = (int(v) for v in np.clip([min(a[1], b[1]) - radius, max(a[1], b[1]) + radius + 1], y0, y1))
        if left >= right or top >= bottom:
            continue
        y, x = np.mgrid[top:bottom, left:right] + 0.5
        along = b - a
        t = np.clip(((x - a[0]) * along[0] + (y - a[1]) * along[1]) / max(float(along @ along), 1e-9), 0, 1)
        square = (x - a[0] - t * along[0]) ** 2 + (y - a[1] - t * along[1]) ** 2
        part = near[top - y0 : bottom - y0, left - x0 : right - x0]
        np.minimum(part, square, out=part)
    return (slice(y0, y1), slice(x0, x1)), np.clip(near / (radius * radius), 0, 1)
