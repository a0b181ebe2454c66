"""The harbour crane, in marker on tracing paper: lattice jib, cabin, legs on rails, a crate on the hook."""

from __future__ import annotations

import numpy as np

from woad.demo.canvas import Canvas, Pen, Plane, Points


def _xy(*pairs: float) -> Points:
    return np.asarray(pairs, np.float64).reshape(-1, 2)


def draw_crane(ppi: float, seed: int) -> Plane:
    """Coverage of marker ink on a sheet of 130 x 170 mm, (h, w)."""
    rng = np.random.default_rng(seed)
    canvas = Canvas(130, 170, ppi, 2)
    pen = Pen(canvas, rng, 0.95)
    _jib(pen)
    _cabin(pen)
    _legs(pen)
    _quay(pen)
    return canvas.coverage()


def _jib(pen: Pen) -> None:
    low0, low1 = np.array([62.0, 66.0]), np.array([112.0, 24.0])
    top0, top1 = np.array([58.0, 59.0]), np.array([110.5, 20.5])
    pen.curve(np.vstack([low0, (low0 + low1) / 2 + [0.3, 0.3], low1]), 1.1)
    pen.curve(np.vstack([top0, (top0 + top1) / 2 + [-0.2, 0.2], top1]), 1.1)
    n = 9
    for i in range(n):
        a, b = low0 + (low1 - low0) * i / n, top0 + (top1 - top0) * (i + 0.55) / n
        c = low0 + (low1 - low0) * (i + 1) / n
        pen.line(a, b, 0.65, 0.15)
        pen.line(b, c, 0.65, 0.15)
    pen.line(top1, low1, 1.2, 0.2)
    # Stay from the mast to the jib's head, and the hoist rope.
    pen.line([52, 34], [110, 21.5], 0.5, 0.2)
    pen.line([112.4, 24], [112.2, 84], 0.5, 0.1)
    pen.curve(_xy(112.2, 84, 110.4, 87.5, 113.6, 88.6, 112.4, 91.4), 0.9)
    pen.line([112.2, 91.5], [104, 99], 0.5, 0.1)
    pen.line([112.2, 91.5], [120, 99], 0.5, 0.1)
    for a, b in (
        ((103, 99), (121, 99.2)),
        ((121, 99.2), (121, 113)),
        ((121, 113), (103, 113)),
        ((103, 113), (103, 99)),
    ):
        pen.line(list(a), list(b), 1.0, 0.4)
    pen.line([103.5, 112.4], [120.6, 99.8], 0.7, 0.1)
    pen.line([103.6, 99.8], [120.4, 112.4], 0.7, 0.1)


def _cabin(pen: Pen) -> None:
    pen.curve(_xy(38, 74, 38.4, 55, 46, 50, 62, 50.4, 66.4, 57, 66, 74), 1.2)
    pen.line([36, 74.2], [69, 74], 1.5)
    pen.canvas.polygon(_xy(56, 54, 62.4, 54.2, 63.6, 58.5, 63.4, 63, 56, 63))
    pen.canvas.stroke(_xy(59.6, 54.2, 59.8, 63), 0.7, 0)
    for x in (41.5, 45, 48.5):
        pen.line([x, 60], [x + 0.2, 69.5], 0.7, 0.2)
    # Mast and counterweight.
    pen.curve(_xy(45, 50, 49, 42, 52, 33.5), 1.1)
    pen.curve(_xy(58, 50, 55, 42, 52.4, 33.6), 1.1)
    pen.line([47.6, 44.6], [56, 44.6], 0.7, 0.2)
    pen.canvas.polygon(_xy(25, 60, 36.6, 59.4, 36.8, 73, 25.4, 73.4))
    pen.line([37, 58.6], [24, 59.4], 1.1)
    pen.canvas.polygon(_xy(44, 76, 61, 76, 58, 83.5, 47, 83.5))


def _legs(pen: Pen) -> None:
    for x0, x1 in ((46, 26), (50, 36), (56, 70), (60, 80)):
        pen.line([x0, 84], [x1, 136], 1.2, 0.3)
    for t in (0.3, 0.62):
        y = 84 + 52 * t
        pen.line([46 - 20 * t, y], [60 + 20 * t, y], 0.9, 0.4)
    for a, b in (
        ((40, 99.6), (66, 116.2)),
        ((66, 99.6), (34, 116.2)),
        ((33, 116.4), (77, 135)),
        ((73, 116.4), (30, 135)),
    ):
        pen.line(list(a), list(b), 0.6, 0.1)
    for x in (26, 36, 70, 80):
        pen.canvas.polygon(_xy(x - 4, 135.5, x + 4, 135.5, x + 4.6, 139.5, x - 4.6, 139.5))
        for dx in (-2.2, 2.2):
            ring = np.array([[x + dx + 1.7 * np.cos(a), 141.3 + 1.7 * np.sin(a)] for a in np.linspace(0, 6.6, 12)])
            pen.curve(ring, 0.8, hand=0.05)


def _quay(pen: Pen) -> None:
    pen.line([10, 143.6], [121, 143.8], 1.3, 1.0)
    pen.line([9, 147.4], [122, 147.6], 0.9, 1.0)
    for x in np.arange(14, 120, 7.4):
        pen.line([x, 147.6], [x + pen.rng.normal(0, 0.3), 154 + pen.rng.normal(0, 0.8)], 0.6, 0.2)
    for x0 in (12, 46, 88):
        pen.curve(_xy(x0, 158, x0 + 7, 156.6, x0 + 14, 158.4, x0 + 22, 157), 0.6)
    for x, y, s in ((88, 44, 1.0), (97, 52, 0.7), (79, 37, 0.6)):
        pen.curve(
            _xy(x - 5 * s, y - 1.6 * s, x - 2 * s, y - 2.4 * s, x, y, x + 2.2 * s, y - 2.6 * s, x + 5 * s, y - 1.4 * s),
            0.5,
        )
    pen.canvas.polygon(_xy(92, 136.5, 97, 136.5, 97.8, 143.4, 91.2, 143.4))
    pen.canvas.polygon(_xy(91, 134.6, 98, 134.6, 98, 137.4, 91, 137.4))
