"""Lines that the edge of the scanner's glass or of the sheet leaves along the border of a scan."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from woad.core.units import mm_to_px

NEAR_MM, STRAIGHT_MM, LEAST_MM = 2.5, 1.2, 15.0  # from the border; how broad its box may be; how long at least


def is_line(box: NDArray[np.int32], width: int, height: int, mm: float) -> NDArray[np.bool_]:
    """Which boxes (n, 4) x, y, w, h px hold a long thin straight thing that runs beside the border of the sheet."""
    x, y, w, h = box.T
    upright = (w <= STRAIGHT_MM * mm) & (h >= LEAST_MM * mm) & (h >= 0.25 * height)
    level = (h <= STRAIGHT_MM * mm) & (w >= LEAST_MM * mm) & (w >= 0.25 * width)
    beside = (x + w <= NEAR_MM * mm) | (x >= width - NEAR_MM * mm)
    along = (y + h <= NEAR_MM * mm) | (y >= height - NEAR_MM * mm)
    return np.asarray((upright & beside) | (level & along))


def edge_lines(box: NDArray[np.int32], width: int, height: int, ppi: float) -> NDArray[np.bool_]:
    """Which pieces (by their boxes) are such lines, or broken-off parts of one: thin, and in line with it."""
    mm = mm_to_px(1, ppi)
    found = is_line(box, width, height, mm)
    out = found.copy()
    for x, y, w, h in box[found].tolist():
        if h > w:
            part = (box[:, 0] >= x - 0.2 * mm) & (box[:, 0] + box[:, 2] <= x + w + 0.2 * mm)
        else:
            part = (box[:, 1] >= y - 0.2 * mm) & (box[:, 1] + box[:, 3] <= y + h + 0.2 * mm)
        out |= part
    return out
