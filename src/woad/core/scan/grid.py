"""The grid of blocks that heavy JPEG compression leaves, when scaling down and up has smoothed its steps since.

Along either axis the step from pixel to pixel is largest where blocks meet, every 8 px. Steps that nobody smoothed are one
pixel wide, so the second harmonic of that rhythm is about as strong as the first; scaling leaves the first alone. A grid
that lies anywhere else than on multiples of 8 px is no block grid but something drawn.
Source: the rhythm of block borders, after Wang, Bovik and Evans (2000), Blind measurement of blocking artifacts in images.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

_MOST_PX = 1536  # of each area, along; more says no more
_LEAST_COUNT = 10_000  # px
_SMOOTHED, _OFF_PX = 0.5, 0.5  # second harmonic against the first; how far off a multiple of 8 px the steps may lie
_SOFT = 0.5  # steps of 255 that are no unrest
_AROUND = np.ones((3, 3), np.uint8)


def smoothed_grid(areas: Sequence[Plane]) -> float:
    """How strongly the steps between pixels follow a smoothed grid of blocks on both axes: the first harmonic as a share of
    the mean step; 0 without such a grid, 0.1 and more where there was heavy compression.

    Parameters: ``areas`` full-size luma (h, w) in 0..255, each beginning at a multiple of 8 px on both axes.
    """
    total, count = np.zeros((2, 8)), np.zeros(2)
    for area in areas:
        part = np.ascontiguousarray(area[: min(len(area), _MOST_PX) // 8 * 8, : min(area.shape[1], _MOST_PX) // 8 * 8])
        blocks = part.reshape(part.shape[0] // 8, 8, -1)
        most, least = (_by_block(rows.T) for rows in (blocks.max(axis=1), -blocks.min(axis=1)))
        reach = cv2.dilate(most, _AROUND) + cv2.dilate(least, _AROUND)
        used = (reach > 6) & (reach < 80)  # bare paper says nothing, and beside a bold mark nothing else is seen
        for axis, (plane, here) in enumerate(((part, used), (np.ascontiguousarray(part.T), used.T))):
            step = np.zeros(plane.shape, np.float32)
            np.abs(plane[:, 1:] - plane[:, :-1], out=step[:, 1:])
            by_place = step.reshape(here.shape[0], 8, -1).sum(axis=1).reshape(*here.shape, 8) / 8
            # Against the steps around it: grain and pencil do not drown the grid.
            usual = cv2.blur(by_place.mean(axis=2), (3, 3)) + np.float32(_SOFT)
            total[axis] += (by_place / usual[..., None])[here].sum(axis=0, dtype=np.float64)
            count[axis] += here.sum()
    return min(_of_axis(*both) for both in zip(total, count, strict=True))


def _by_block(columns: Plane) -> Plane:
    """Most of every 8 rows of ``columns`` (w, h / 8), turned back: (h / 8, w / 8)."""
    return np.ascontiguousarray(columns.reshape(-1, 8, columns.shape[1]).max(axis=1).T)


def _of_axis(total: NDArray[np.float64], count: float) -> float:
    if count * 64 < _LEAST_COUNT or not total.any():
        return 0.0
    _, first, second, *_ = np.fft.rfft(total / count) / 8
    at = (-np.angle(first) / (2 * np.pi) * 8 + 4) % 8 - 4
    if abs(at) > _OFF_PX or abs(second) > _SMOOTHED * abs(first):
        return 0.0
    return float(2 * abs(first) / (total.mean() / count))
