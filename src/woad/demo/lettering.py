"""The words "low water" in brush lettering, with dry-brush streaks where the brush ran out of ink."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from woad.demo.canvas import Canvas, Points, slow_noise, smooth_path, wobble
from woad.demo.lighthouse import Drawing, roughen

WIDTH_MM, HEIGHT_MM = 210.0, 140.0

# Each stroke: control points x, y, pressure. The x height is 1, y grows downwards, the baseline is 0.
_Stroke = tuple[tuple[float, float, float], ...]
_LETTERS: dict[str, tuple[float, tuple[_Stroke, ...]]] = {
    "l": (0.62, (((0.10, -0.15, 0.25), (0.38, -0.9, 0.4), (0.52, -1.7, 0.55), (0.40, -2.0, 0.5), (0.24, -1.6, 0.9),
                  (0.16, -0.8, 1.1), (0.18, -0.18, 1.0), (0.36, 0.02, 0.6), (0.60, -0.25, 0.3)),)),
    "o": (0.86, (((0.55, -0.92, 0.6), (0.24, -0.86, 0.95), (0.08, -0.45, 1.1), (0.24, -0.04, 0.9), (0.52, -0.10, 0.7),
                  (0.68, -0.48, 0.8), (0.56, -0.86, 0.6), (0.50, -0.74, 0.35), (0.72, -0.62, 0.3), (0.92, -0.72, 0.25)),)),
    "w": (1.32, (((0.02, -0.82, 0.5), (0.14, -0.94, 0.8), (0.18, -0.5, 1.1), (0.26, -0.08, 1.0), (0.44, -0.12, 0.6),
                  (0.60, -0.62, 0.5), (0.66, -0.9, 0.7)),
                 ((0.66, -0.94, 0.9), (0.66, -0.45, 1.1), (0.76, -0.06, 0.9), (0.96, -0.16, 0.6), (1.10, -0.62, 0.6),
                  (1.08, -0.96, 0.75), (1.18, -0.80, 0.35), (1.40, -0.78, 0.25)))),
    "a": (0.98, (((0.66, -0.80, 0.6), (0.42, -0.96, 0.7), (0.14, -0.72, 1.0), (0.10, -0.26, 1.1), (0.30, -0.02, 0.8),
                  (0.56, -0.34, 0.5), (0.72, -0.86, 0.5)),
                 ((0.74, -0.94, 0.8), (0.66, -0.44, 1.1), (0.72, -0.06, 0.9), (0.88, -0.06, 0.5), (1.06, -0.32, 0.3)))),
    "t": (0.70, (((0.40, -1.72, 0.7), (0.32, -1.0, 1.1), (0.24, -0.36, 1.15), (0.34, -0.02, 0.8), (0.56, -0.10, 0.5),
                  (0.74, -0.34, 0.3)),
                 ((-0.06, -1.02, 0.55), (0.30, -1.10, 0.9), (0.74, -1.16, 0.7), (0.92, -1.26, 0.3)))),
    "e": (0.78, (((0.08, -0.46, 0.35), (0.34, -0.52, 0.5), (0.58, -0.74, 0.6), (0.44, -0.96, 0.7), (0.16, -0.74, 1.0),
                  (0.12, -0.26, 1.1), (0.36, 0.0, 0.8), (0.64, -0.14, 0.5), (0.84, -0.36, 0.3)),)),
    "r": (0.80, (((0.06, -0.78, 0.4), (0.16, -0.96, 0.8), (0.18, -0.5, 1.15), (0.14, 0.02, 1.0)),
                 ((0.18, -0.52, 0.5), (0.34, -0.86, 0.6), (0.56, -0.96, 0.95), (0.72, -0.80, 0.8)))),
}  # fmt: skip


def draw_lettering(ppi: float, seed: int, supersample: int = 2) -> Drawing:
    """Draw the two words and a dry flourish at ``ppi``."""
    rng = np.random.default_rng(seed)
    canvas = Canvas(WIDTH_MM, HEIGHT_MM, ppi, supersample)
    _word(canvas, "low", 26, 60, 22.0, rng)
    _word(canvas, "water", 50, 108, 22.0, rng)
    swash = np.array([[40, 124, 0.9], [75, 119.5, 1.0], [112, 121, 0.85], [150, 117, 0.7], [182, 119.5, 0.4]])
    brush_stroke(canvas, swash[:, :2], swash[:, 2] * 5.2, rng, ink_mm=42, ragged=1.0)
    for _ in range(22):  # spatter thrown off by a quick brush
        x, y = rng.normal(172, 13), rng.normal(102, 14)
        r = rng.uniform(0.12, 0.55)
        canvas.stroke(np.array([[x, y], [x + rng.normal(0, r * 0.6), y + rng.normal(0, r * 0.4)]]), r * 2)
    return Drawing(roughen(canvas, rng), ())


def _word(canvas: Canvas, word: str, x: float, y: float, size: float, rng: np.random.Generator) -> None:
    for letter in word:
        advance, strokes = _LETTERS[letter]
        lift = rng.normal(0, 0.02)
        for stroke in strokes:
            p = np.array(stroke)
            # Brush scripts lean forward; the hand never makes the same letter twice.
            px = p[:, 0] - 0.22 * p[:, 1] + rng.normal(0, 0.012, len(p))
            py = p[:, 1] + lift + rng.normal(0, 0.012, len(p))
            path = np.column_stack([x + px * size, y + py * size])
            brush_stroke(canvas, path, p[:, 2] * size * 0.19, rng, ink_mm=rng.uniform(30, 95))
        x += advance * size * rng.uniform(0.97, 1.03)


def brush_stroke(
    canvas: Canvas,
    control: Points,
    widths_mm: NDArray[np.float64],
    rng: np.random.Generator,
    ink_mm: float,
    ragged: float = 0.5,
) -> None:
    """A stroke of many bristles. Each carries its own ink, spent after about ``ink_mm`` of travel."""
    path = wobble(smooth_path(np.asarray(control, float), 0.22), 0.12, 9.0, rng)
    n = len(path)
    at = np.linspace(0, 1, n)
    widths = np.interp(at, np.linspace(0, 1, len(widths_mm)), widths_mm)
    widths = np.convolve(np.pad(widths, 8, mode="edge"), np.ones(17) / 17, mode="valid")
    tangent = np.gradient(path, axis=0)
    step = np.linalg.norm(tangent, axis=1)
    normal = np.column_stack([-tangent[:, 1], tangent[:, 0]]) / np.maximum(step, 1e-9)[:, None]
    travelled = np.cumsum(step)
    bristles = max(12, int(widths.max() / 0.085))
    # A fast pull (long straight run) leaves less ink than a slow turn.
    heading = np.unwrap(np.arctan2(tangent[:, 1], tangent[:, 0]))
    turn = np.abs(np.gradient(heading)) / np.maximum(step, 1e-9)
    turn = np.convolve(np.pad(turn, 10, mode="edge"), np.ones(21) / 21, mode="valid")
    for v in np.linspace(-1, 1, bristles):
        load = ink_mm * np.exp(rng.normal(0, 0.55)) * (1 - 0.35 * v * v * ragged)
        skip = slow_noise(n, 26, rng) * 0.55 + slow_noise(n, 6, rng) * 0.35
        wet = load * (1 + 1.6 * np.clip(turn, 0, 0.8)) / np.maximum(travelled, 1.0) - 1.0
        touch = wet * 1.6 + skip
        width = 0.17 * np.clip(0.45 + touch * 0.7, 0, 1)
        start = int(abs(rng.normal(0, 3)) * ragged)
        stop = n - int(abs(rng.normal(0, 6)) * ragged)
        line = path + normal * (widths / 2 * v)[:, None]
        for a, b in _runs(width[start:stop] > 0.045):
            piece = slice(start + a, start + b)
            if b - a > 2:
                canvas.stroke(line[piece][::2], width[piece][::2])


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(np.int8), [0]])))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))
