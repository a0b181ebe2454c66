"""The harbour buoy, in opaque paint on cream paper: a banded float with a cage, riding on a choppy sea."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from woad.demo.canvas import Points
from woad.demo.paint import Painting

RED, DEEP_RED, CREAM, SHADE = (0.46, 0.045, 0.03), (0.24, 0.02, 0.025), (0.78, 0.74, 0.63), (0.45, 0.42, 0.38)
NAVY, BLUE, PALE_BLUE, IRON = (0.02, 0.045, 0.11), (0.05, 0.14, 0.27), (0.25, 0.42, 0.52), (0.035, 0.04, 0.05)


def _xy(*pairs: float) -> Points:
    return np.asarray(pairs, np.float64).reshape(-1, 2)


def paint_buoy(ppi: float, seed: int) -> NDArray[np.float32]:
    """Linear reflectance of the sheet, 148 x 210 mm, (h, w, 3)."""
    rng = np.random.default_rng(seed)
    p = Painting(148, 210, ppi, (0.84, 0.81, 0.73), rng)
    _sea(p, behind=True)
    _float(p)
    _cage(p)
    _sea(p, behind=False)
    return p.linear


def _sea(p: Painting, behind: bool) -> None:
    rng = p.rng
    if behind:
        far = _xy(22, 139, 44, 134, 74, 137, 104, 133, 126, 138, 128, 160, 120, 176, 74, 181, 30, 177, 21, 160)
        p.opaque(p.cover(far, edge_mm=0.9), BLUE, 2, 0.12)
        for _ in range(7):
            x, y = rng.uniform(28, 100), rng.uniform(142, 152)
            p.opaque(p.stroke_cover(_xy(x, y, x + 8, y - 2, x + 20, y), np.array([0.6, 2.2, 0.5])), PALE_BLUE, 3, 0.25)
        return
    p.opaque(
        p.cover(_xy(44, 157, 58, 152.5, 72, 156, 88, 152, 106, 157, 104, 170, 74, 175, 46, 170), edge_mm=0.7),
        BLUE,
        4,
        0.1,
    )
    for _ in range(9):
        x, y = rng.uniform(28, 98), rng.uniform(158, 174)
        p.opaque(p.stroke_cover(_xy(x, y, x + 9, y - 2.4, x + 21, y + 0.6), np.array([0.5, 2.4, 0.5])), NAVY, 2, 0.2)
    for x, y, n in ((50, 157, 20), (72, 158.5, 26), (38, 165, 18), (84, 166, 22)):
        p.opaque(p.stroke_cover(_xy(x, y, x + n / 2, y - 1.8, x + n, y), np.array([0.4, 1.5, 0.4])), CREAM, 1, 0.3)


def _flank(y: float, right: bool) -> list[float]:
    t = (y - 88) / 72
    half = 15 + 17 * np.sin(np.clip(t, 0, 1) * 1.75) ** 1.2
    return [74 + (half if right else -half), y]


def _band(y0: float, y1: float) -> Points:
    ys = np.linspace(y0, y1, 6)
    left, right = [_flank(y, False) for y in ys], [_flank(y, True) for y in ys[::-1]]
    sag = 3.2
    bottom = [[74 + dx, y1 + sag * (1 - (dx / 34) ** 2)] for dx in (-16, 0, 16)]
    top = [[74 + dx, y0 + sag * (1 - (dx / 34) ** 2)] for dx in (12, 0, -12)]
    return np.array([*left, *bottom, *right, *top])


def _float(p: Painting) -> None:
    for i, (y0, y1) in enumerate(((88, 106), (106, 124), (124, 142), (142, 164))):
        colour, shade = ((RED, DEEP_RED), (CREAM, SHADE))[i % 2]
        band = _band(y0, y1)
        p.opaque(p.cover(band, smooth=False, edge_mm=0.4), colour, 86)
        lee = np.array([_flank(y, True) for y in np.linspace(y0, y1, 5)])
        inner = lee - [11, 0]
        inner[:, 0] += np.linspace(0, 1.5, 5)
        p.opaque(p.cover(np.vstack([lee, inner[::-1]]), smooth=False, edge_mm=0.6), shade, 84, 0.18)
    p.opaque(
        p.stroke_cover(_xy(60, 96, 55, 112, 53, 130, 56, 146), np.array([0.6, 2.6, 2.8, 0.7])),
        (0.82, 0.6, 0.5),
        88,
        0.45,
    )
    p.opaque(p.cover(_xy(56, 86, 74, 83, 92, 86, 92, 90.5, 74, 93.5, 56, 90.5), edge_mm=0.3), IRON, 4)


def _cage(p: Painting) -> None:
    for x0, x1 in ((60, 67.5), (69.5, 71.8), (79, 76.6), (88, 80.8)):
        p.opaque(
            p.stroke_cover(_xy(x0, 86, (x0 + x1) / 2 - 0.3, 66, x1, 45), np.array([1.9, 1.6, 1.4])), IRON, 80, 0.08
        )
    for y, half in ((74, 11.6), (60, 9.2)):
        p.opaque(p.stroke_cover(_xy(74 - half, y, 74, y + 2.0, 74 + half, y), 1.3), IRON, 2, 0.08)
    p.opaque(p.stroke_cover(_xy(63, 73, 74, 62, 81, 61), 0.9), IRON, 2, 0.1)
    p.opaque(p.cover(_xy(66, 45, 74, 43, 82, 45, 82, 48, 74, 49.5, 66, 48), edge_mm=0.2), IRON, 2)
    p.opaque(p.cover(_xy(68.5, 44, 68.6, 33, 74, 30.5, 79.4, 33, 79.5, 44), edge_mm=0.25), (0.75, 0.5, 0.06), 88)
    p.opaque(p.stroke_cover(_xy(71, 42, 70.8, 35), 1.2), (0.85, 0.75, 0.4), 88, 0.3)
    for x in (68.3, 74, 79.6):
        p.opaque(p.stroke_cover(_xy(x, 45, x, 32), 0.8), IRON, 88)
    p.opaque(p.cover(_xy(66.6, 33, 70, 27.5, 74, 25.5, 78, 27.5, 81.4, 33, 74, 34.4), edge_mm=0.25), DEEP_RED, 5)
    p.opaque(p.stroke_cover(_xy(74, 26, 74.2, 19.5), 1.0), IRON, 88)
    p.opaque(p.stroke_cover(_xy(84, 94, 90, 90, 96, 98, 93, 105, 87, 101), 1.5), IRON, 40, 0.1)
