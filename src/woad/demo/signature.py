"""A made-up signature with a fountain pen: pressure on the down strokes, a flourish under it, ink pooling at turns."""

from __future__ import annotations

import numpy as np

from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas, Plane, Points, smooth_path, wobble
from woad.demo.lighthouse import roughen
from woad.demo.scanner import smooth_noise


def _xy(*pairs: float) -> Points:
    return np.asarray(pairs, np.float64).reshape(-1, 2)


_STROKES = (
    # A tall initial, a run of small letters, a second initial, a run that flattens, a flourish back under all.
    _xy(22, 44, 27, 34, 34, 20, 37, 15, 38, 18, 33, 34, 29, 46, 27, 50, 29, 44, 36, 36, 40, 38, 38, 44, 42, 43, 45, 38, 47, 39,
        46, 44, 50, 42, 53, 37, 55, 39, 53, 44, 57, 42, 60, 38, 63, 38, 61, 44, 66, 42),
    _xy(31, 33, 38, 31, 45, 30),
    _xy(74, 18, 72, 30, 69, 44, 67, 48),
    _xy(69, 24, 76, 16, 86, 15, 89, 21, 83, 29, 73, 32, 80, 36, 86, 44, 91, 42, 94, 37, 97, 38, 96, 43, 100, 41, 103, 37, 106, 39,
        105, 43, 112, 40, 124, 38, 134, 40),
    _xy(131, 47, 104, 51, 70, 54, 44, 57, 38, 55, 48, 51, 80, 50, 116, 52),
)  # fmt: skip


def draw_signature(ppi: float, seed: int) -> Plane:
    """Coverage of ink on a slip of 150 x 75 mm, (h, w)."""
    rng = np.random.default_rng(seed)
    canvas = Canvas(150, 75, ppi, 3)
    for control in _STROKES:
        path = wobble(smooth_path(control, 0.12), 0.1, 4.0, rng)
        step = np.gradient(path, axis=0)
        down = step[:, 1] / np.maximum(np.linalg.norm(step, axis=1), 1e-9)
        # A nib spreads when it is drawn towards the hand, and is thinnest where it flies.
        width = 0.34 + 0.34 * np.clip(down, -0.3, 1)
        width = np.convolve(np.pad(width, 12, mode="edge"), np.ones(25) / 25, mode="valid")
        ends = np.minimum(np.linspace(0.3, 9, len(path)), np.linspace(12, 0.25, len(path)))
        canvas.stroke(path, width * np.clip(ends, 0, 1))
    cover = roughen(canvas, rng)
    # Ink runs dry and pools: full where the pen was slow, a little see-through where it flew.
    depth = 0.93 + 0.06 * smooth_noise(cover.shape, mm_to_px(1.6, ppi), rng)
    return np.asarray(np.clip(cover * np.clip(depth, 0.75, 1), 0, 1), np.float32)
