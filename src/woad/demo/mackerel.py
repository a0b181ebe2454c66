"""The mackerel, in watercolour: wet washes over one another, stripes on the back, a dark eye."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from woad.demo.canvas import Points
from woad.demo.paint import Painting


def _xy(*pairs: float) -> Points:
    return np.asarray(pairs, np.float64).reshape(-1, 2)


_BACK = _xy(24, 62, 40, 50, 66, 43, 96, 43, 124, 50, 146, 60)
_BELLY = _xy(146, 64, 124, 76, 96, 84, 66, 82, 42, 74, 24, 64)


def paint_mackerel(ppi: float, seed: int) -> NDArray[np.float32]:
    """Linear reflectance of the sheet, 190 x 125 mm, (h, w, 3)."""
    rng = np.random.default_rng(seed)
    p = Painting(190, 125, ppi, (0.87, 0.86, 0.83), rng)
    body = p.cover(np.vstack([_BACK, _BELLY]), edge_mm=0.5)
    p.wash(body, (0.16, 0.12, 0.1))
    back = p.cover(np.vstack([_BACK, _xy(140, 63, 118, 64, 92, 62, 62, 62, 38, 63)]), edge_mm=0.6)
    p.wash(back, (1.1, 0.5, 0.32))
    p.wash(p.cover(_xy(40, 57, 70, 50, 104, 51, 132, 58, 104, 60, 68, 60), edge_mm=0.8), (0.5, 0.16, 0.4), 0.5)
    p.wash(p.cover(_xy(52, 73, 80, 74, 112, 71, 96, 80, 68, 79), edge_mm=0.9), (0.1, 0.2, 0.28), 0.5)
    _fins(p)
    for i in range(17):
        x = 46 + i * 5.4
        y = float(np.interp(x, _BACK[:, 0], _BACK[:, 1])) + 1.5
        sway = rng.normal(0, 1.2)
        line = _xy(x, y, x - 2.4 + sway, y + 4.5, x + 1.2, y + 9, x - 1.6, y + 14)
        p.wash(p.stroke_cover(line, np.array([1.0, 2.3, 1.9, 0.5])), (1.5, 1.15, 0.85))
    _head(p)
    return p.linear


def _fins(p: Painting) -> None:
    tail = _xy(144, 60, 152, 58, 170, 40, 173, 42, 163, 62, 172, 84, 169, 86, 152, 67, 144, 64)
    p.wash(p.cover(tail, edge_mm=0.4), (0.8, 0.62, 0.42))
    for y in (46, 52, 72, 79):
        p.wash(p.stroke_cover(_xy(150, 62, 160, (62 + y) / 2, 168, y), np.array([1.2, 0.8, 0.3])), (0.7, 0.6, 0.5))
    p.wash(p.cover(_xy(72, 43, 78, 30, 86, 33, 90, 42), edge_mm=0.4), (0.6, 0.45, 0.3))
    for x in (126, 131, 136):
        top = float(np.interp(x, _BACK[:, 0], _BACK[:, 1]))
        p.wash(p.cover(_xy(x, top, x + 3, top - 4, x + 3.6, top + 0.6)), (0.7, 0.5, 0.35))
    p.wash(p.cover(_xy(58, 66, 74, 66, 78, 70, 62, 71), edge_mm=0.3), (0.7, 0.5, 0.3))
    p.wash(p.cover(_xy(84, 83, 92, 92, 96, 91, 98, 83), edge_mm=0.4), (0.35, 0.3, 0.3))


def _head(p: Painting) -> None:
    p.wash(p.cover(_xy(24, 62, 36, 54, 50, 50, 53, 62, 49, 74, 38, 71), edge_mm=0.5), (0.45, 0.3, 0.2))
    p.wash(p.stroke_cover(_xy(50, 51, 54, 60, 53, 67, 48, 74), np.array([0.4, 1.6, 1.5, 0.4])), (0.9, 0.75, 0.6))
    p.wash(p.stroke_cover(_xy(24, 63.5, 31, 65.5, 37, 65.6), np.array([1.0, 0.8, 0.4])), (1.2, 1.0, 0.9))
    ring = np.array([[37 + 3.4 * np.cos(a), 59.5 + 3.4 * np.sin(a)] for a in np.linspace(0, 2 * np.pi, 16)[:-1]])
    p.opaque(p.cover(ring, edge_mm=0.1), (0.72, 0.66, 0.42))
    pupil = np.array([[37 + 1.9 * np.cos(a), 59.4 + 1.9 * np.sin(a)] for a in np.linspace(0, 2 * np.pi, 14)[:-1]])
    p.opaque(p.cover(pupil, edge_mm=0.1), (0.015, 0.015, 0.02))
