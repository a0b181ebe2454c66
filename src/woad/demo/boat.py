"""The sail boat: construction in light-blue pencil, inked over with a nib that does not follow it slavishly."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas, Pen, Plane, Points
from woad.demo.lighthouse import roughen
from woad.demo.scanner import smooth_noise


@dataclass(frozen=True)
class BoatDrawing:
    """``ink`` and ``pencil`` coverage (h, w), the pencil with the paper's tooth in it."""

    ink: Plane
    pencil: Plane


def _xy(*pairs: float) -> Points:
    return np.asarray(pairs, np.float64).reshape(-1, 2)


_HULL_TOP = _xy(26, 122, 48, 125.5, 76, 126, 104, 122.5, 123, 116)
_KEEL = _xy(26, 122, 31, 134, 44, 141, 74, 143, 100, 140, 114, 130, 123, 116)
_MAIN = _xy(72, 20, 65, 54, 50, 86, 30, 110)
_FOOT = _xy(30, 110, 48, 113.5, 72, 114.6)
_JIB = _xy(75, 28, 88, 62, 102, 92, 118, 113)
_JIB_FOOT = _xy(118, 113, 98, 113.6, 79, 109)


def draw_boat(ppi: float, seed: int) -> BoatDrawing:
    """A sheet of 148 x 178 mm."""
    rng = np.random.default_rng(seed)
    under = Canvas(148, 178, ppi, 2)
    _construction(Pen(under, rng, 0.5), rng)
    canvas = Canvas(148, 178, ppi, 2)
    pen = Pen(canvas, rng, 0.42)
    _hull(pen)
    _rig(pen)
    _sails(pen)
    _sea(pen, rng)
    cover = under.coverage()
    tooth = (
        0.78 + 0.24 * smooth_noise(cover.shape, mm_to_px(0.13, ppi), rng) + 0.12 * smooth_noise(cover.shape, 1.3, rng)
    )
    pressure = 0.92 + 0.16 * smooth_noise(cover.shape, mm_to_px(9, ppi), rng)
    return BoatDrawing(roughen(canvas, rng), np.asarray(np.clip(cover * tooth * pressure, 0, 1), np.float32))


def _construction(pen: Pen, rng: np.random.Generator) -> None:
    """Axes, guessed outlines drawn two or three times, a horizon, measuring ticks."""
    pen.line([73, 10], [72, 150], 0.8, 3.0)
    pen.line([12, 128], [138, 125], 0.8, 4.0)
    pen.line([10, 146], [140, 146], 0.7, 4.0)
    for outline in (_HULL_TOP, _KEEL, _MAIN, _JIB, _FOOT, _JIB_FOOT):
        for _ in range(int(rng.integers(2, 4))):
            shift = rng.normal(0, 1.1, 2)
            pen.curve(outline + shift + rng.normal(0, 0.8, outline.shape), rng.uniform(0.7, 1.2), 0.2, 0.25)
    for y in (20, 50, 80, 110):
        pen.line([68, y], [77, y + 0.4], 0.7, 1.0)
    for r in (7.5, 8.4):
        ring = np.linspace(0, 6.6, 30)
        pen.curve(np.column_stack([116 + r * np.cos(ring), 34 + r * np.sin(ring)]), 0.8, 0.3, 0.3)
    for x in range(30, 124, 8):
        pen.line([x, 122 + (x - 30) * -0.03], [x + 3, 141], 0.6, 1.0)


def _hull(pen: Pen) -> None:
    pen.curve(_HULL_TOP, 1.5)
    pen.curve(_KEEL, 1.7)
    pen.curve(_HULL_TOP + [0.6, 2.4], 0.9)
    for k in (0.28, 0.5, 0.7):
        strake = _xy(
            28 + 3 * k,
            124 + 12 * k,
            48,
            127 + 11 * k,
            76,
            127.5 + 11.5 * k,
            103,
            124 + 11 * k,
            120 - 4 * k,
            118 + 9 * k,
        )
        pen.curve(strake, 0.75)
    shade = _xy(44, 135, 74, 138, 100, 134, 108, 130, 112, 131, 100, 140, 74, 143, 44, 141, 34, 136)
    pen.hatch(shade, 62, 1.0, 0.75)
    pen.hatch(_xy(90, 128, 120, 120, 114, 130, 100, 139, 88, 141), 40, 1.3, 0.65)
    # Cabin with two round windows, tiller, cleats.
    pen.curve(_xy(56, 125.6, 57, 119.5, 66, 118, 88, 118.2, 92, 124.6), 1.2)
    for x in (65.5, 79):
        ring = np.linspace(0, 6.5, 16)
        pen.curve(np.column_stack([x + 1.9 * np.cos(ring), 121.8 + 1.7 * np.sin(ring)]), 0.9, 0.1, 0.04)
    pen.curve(_xy(28, 121, 36, 116.4, 44, 116), 1.0)
    pen.canvas.polygon(_xy(56.6, 124.6, 57.6, 120.2, 61.5, 119.2, 61.2, 125))


def _rig(pen: Pen) -> None:
    pen.curve(_xy(72.6, 14, 72.2, 60, 71.6, 118), 1.7)
    pen.curve(_xy(74.2, 14, 74.0, 60, 73.6, 118), 1.2)
    pen.curve(_xy(28, 111.6, 50, 115.2, 72, 116.4), 1.5)
    pen.line([74, 15], [123, 115.4], 0.6, 0.2)
    pen.line([72.4, 15], [26.4, 121], 0.5, 0.2)
    pen.curve(_xy(73.4, 13.6, 79, 11.4, 84, 13.6, 89, 12), 0.9)
    pen.curve(_xy(73.4, 17.4, 79, 15.4, 84, 17.2, 89, 12.2), 0.9)


def _sails(pen: Pen) -> None:
    pen.curve(_MAIN, 1.4)
    pen.curve(_FOOT, 1.2)
    pen.curve(_JIB, 1.3)
    pen.curve(_xy(75.6, 30, 76.4, 70, 79, 109), 1.1)
    pen.curve(_JIB_FOOT, 1.2)
    for y in (44, 66, 88):
        left = float(np.interp(y, _MAIN[:, 1], _MAIN[:, 0]))
        pen.curve(_xy(left, y, (left + 71) / 2, y + 2.4, 71.4, y + 1.6), 0.6)
    for y in (56, 82):
        right = float(np.interp(y, _JIB[:, 1], _JIB[:, 0]))
        pen.curve(_xy(76.6, y, (right + 77) / 2, y + 1.8, right, y), 0.55)
    pen.hatch(_xy(66, 62, 71.4, 60, 71.4, 112, 58, 111, 62, 88), 78, 1.5, 0.6)
    pen.hatch(_xy(77, 70, 84, 72, 90, 108, 80, 108), 84, 1.6, 0.55)


def _sea(pen: Pen, rng: np.random.Generator) -> None:
    for row in range(7):
        y = 139 + row * 4.4
        x = rng.uniform(8, 18)
        while x < 138:
            long = rng.uniform(7, 17)
            if not (28 < x < 116 and y < 143.5):
                lift = rng.uniform(0.7, 1.5)
                wave = _xy(x, y, x + long * 0.3, y - lift, x + long * 0.62, y + 0.3, x + long, y - lift * 0.6)
                pen.curve(wave, rng.uniform(0.6, 1.1))
            x += long + rng.uniform(2, 8)
    for x, y in ((112, 30), (122, 40), (27, 47)):
        pen.curve(_xy(x - 6, y - 1.5, x - 3, y - 3.4, x, y, x + 3, y - 3.6, x + 6.4, y - 1.8), 0.8)
