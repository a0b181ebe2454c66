"""What simulated sheets are made of: outlines, scenes, captions, paper."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.units import mm_to_px, px_to_mm
from woad.demo.canvas import Canvas, Pen
from woad.demo.scanner import smooth_noise

WORDS = ("low water", "Tidewrack press", "the harbour crane", "knots and bends", "spring tide", "whelk and limpet")

Linear = NDArray[np.float32]


def blob(rng: np.random.Generator, x: float, y: float, s: float) -> NDArray[np.float64]:
    a = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    r = s * (1 + sum(rng.normal(0, 0.22 / k) * np.cos(k * a + rng.uniform(0, 6)) for k in (2, 3, 4, 5)))
    return np.column_stack([x + r * np.cos(a), y + r * np.sin(a)])


def organic(pen: Pen, rng: np.random.Generator, w: float, h: float, n: int, width: float = 1.0) -> None:
    for _ in range(n):
        p = blob(rng, rng.uniform(0.25 * w, 0.75 * w), rng.uniform(0.22 * h, 0.78 * h), rng.uniform(5, 22))
        pen.curve(np.vstack([p, p[:1]]), rng.uniform(0.7, 1.6) * width)
        for _ in range(int(rng.integers(1, 5))):
            q = p.mean(axis=0) + np.cumsum(rng.normal(0, 5, (5, 2)), axis=0)
            pen.curve(np.clip(q, 12, [w - 12, h - 12]), rng.uniform(0.5, 1.2) * width)


def scene(pen: Pen, rng: np.random.Generator, w: float, h: float, width: float = 1.0) -> None:
    """Quay, houses, masts, a horizon: drawn by hand, but level and upright."""
    base = rng.uniform(0.6, 0.72) * h
    pen.line([0.12 * w, base], [0.88 * w, base], 1.2 * width, 0.15)
    if rng.random() < 0.7:
        pen.line([0.1 * w, base + 0.09 * h], [0.9 * w, base + 0.09 * h], 0.8 * width, 0.15)
    x = 0.14 * w
    while x < 0.78 * w:
        bw, bh = rng.uniform(0.1, 0.2) * w, rng.uniform(0.12, 0.4) * h
        for a, b in (
            ((x, base), (x, base - bh)),
            ((x + bw, base), (x + bw, base - bh)),
            ((x, base - bh), (x + bw, base - bh)),
        ):
            pen.line(list(a), list(b), rng.uniform(0.8, 1.3) * width, 0.12)
        for _ in range(int(rng.integers(1, 4))):
            wx, wy = x + rng.uniform(0.15, 0.6) * bw, base - rng.uniform(0.2, 0.85) * bh
            pen.canvas.polygon(
                np.array([[wx, wy], [wx + 0.2 * bw, wy], [wx + 0.2 * bw, wy + 0.05 * h], [wx, wy + 0.05 * h]])
            )
        x += bw + rng.uniform(0.01, 0.08) * w
    organic(pen, rng, w, h * 0.4, int(rng.integers(1, 3)), width)


def caption(canvas: Canvas, rng: np.random.Generator, y_mm: float, size_mm: float, thick_mm: float, text: str) -> None:
    s = canvas.scale
    scale = size_mm * s / 21.0
    font = cv2.FONT_HERSHEY_DUPLEX if rng.random() < 0.5 else cv2.FONT_HERSHEY_TRIPLEX
    (tw, _), _ = cv2.getTextSize(text, font, scale, 1)
    room = canvas.ink.shape[1] * 0.8
    if tw > room:
        scale *= room / tw
        tw = int(room)
    x = int((canvas.ink.shape[1] - tw) / 2)
    cv2.putText(canvas.ink, text, (x, int(y_mm * s)), font, scale, 255, max(1, round(thick_mm * s)), cv2.LINE_AA)


def paper_of(
    shape: tuple[int, int],
    colour: tuple[float, float, float],
    texture: float,
    ppi: float,
    rng: np.random.Generator,
    blotches: Linear | None = None,
) -> Linear:
    tooth = smooth_noise(shape, mm_to_px(0.12, ppi), rng) * 0.7 + smooth_noise(shape, mm_to_px(0.5, ppi), rng) * 0.5
    tone = 1 + texture * tooth
    if blotches is not None:
        tone = tone * blotches
    return np.asarray(np.clip(tone[..., None] * np.asarray(colour, np.float32), 0, 1), np.float32)


def mottled(shape: tuple[int, int], amount: float, ppi: float, rng: np.random.Generator) -> Linear:
    return np.asarray(1 + amount * smooth_noise(shape, mm_to_px(2.2, ppi), rng), np.float32)


def sheet_mm(canvas: Canvas) -> tuple[float, float]:
    return px_to_mm(canvas.width_px, canvas.ppi), px_to_mm(canvas.height_px, canvas.ppi)


def any_art(canvas: Canvas, rng: np.random.Generator, cue: bool, nib_mm: float) -> None:
    w, h = sheet_mm(canvas)
    pen = Pen(canvas, rng, nib_mm)
    if not cue:
        organic(pen, rng, w, h, int(rng.integers(5, 11)))
        return
    kind = rng.integers(0, 3)
    if kind == 0:
        m = rng.uniform(0.08, 0.14) * w
        for a, b in (
            ((m, m), (w - m, m)),
            ((w - m, m), (w - m, h - m)),
            ((w - m, h - m), (m, h - m)),
            ((m, h - m), (m, m)),
        ):
            canvas.stroke(np.linspace(a, b, 60), rng.uniform(0.3, 0.6))
        organic(pen, rng, w, h, int(rng.integers(4, 8)))
    else:
        scene(pen, rng, w, h)
    if kind == 2:
        caption(canvas, rng, 0.9 * h, rng.uniform(4, 7), 0.4, str(rng.choice(WORDS)))
