"""Simulated sheets with known truth for the quality bench: other seeds, papers, inks and lights than the demo's."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas, Pen
from woad.demo.lettering import draw_lettering
from woad.demo.lighthouse import Drawing, draw_lighthouse, roughen
from woad.demo.scanner import Capture, Light, Paper, Scan, record
from woad.demo.whelk import draw_whelk


@dataclass(frozen=True)
class Sheet:
    """A simulated scan, what it is, and where its stipple and faint marks lie."""

    name: str
    medium: str
    light: str
    scan: Scan
    dots: tuple[tuple[float, float, float], ...]
    faint: NDArray[np.bool_]


LIGHTS = {
    "flatbed": Light(falloff=0.04),
    "falloff": Light(falloff=0.35, vignette=0.25),
    "shadow": Light(falloff=0.15, vignette=0.15, shadow=0.45, shadow_at=0.72, penumbra=0.16),
}


def draw_study(ppi: float, seed: int, cover: float = 0.5) -> tuple[Drawing, NDArray[np.bool_]]:
    """A sheet of strokes of all weights, solid blacks, hatching, stipple and faint grey washes of dry pen."""
    rng = np.random.default_rng(seed)
    canvas = Canvas(140, 180, ppi, 2)
    pen = Pen(canvas, rng, rng.uniform(0.22, 0.45))
    for _ in range(int(60 * cover)):
        x, y = rng.uniform(10, 130), rng.uniform(10, 170)
        steps = rng.normal(0, 9, (int(rng.integers(3, 7)), 2))
        pen.curve(np.vstack([[[x, y]], [x, y] + np.cumsum(steps, axis=0)]), rng.uniform(0.4, 1.8))
    for _ in range(int(8 * cover) + 1):
        x, y, s = rng.uniform(15, 120), rng.uniform(15, 160), rng.uniform(4, 14)
        a = np.sort(rng.uniform(0, 2 * np.pi, 7))
        blob = np.column_stack([x + s * np.cos(a), y + s * np.sin(a)])
        if rng.random() < 0.5:
            canvas.polygon(blob)
        else:
            pen.hatch(blob, rng.uniform(0, 180), rng.uniform(0.5, 1.2))
            pen.hatch(blob, rng.uniform(0, 180), rng.uniform(0.7, 1.4))
    for _ in range(int(500 * cover)):
        pen.stipple(rng.uniform(20, 120), rng.uniform(120, 170) - 60 * rng.random(), rng.uniform(0.08, 0.2))
    coverage = roughen(canvas, rng)
    faint = np.zeros(coverage.shape, np.uint8)
    scale = canvas.height_px / 180
    for _ in range(10):
        x, y = rng.uniform(15, 110), rng.uniform(15, 165)
        p = np.round(np.array([[x, y], [x + rng.uniform(8, 20), y + rng.uniform(-6, 6)]]) * scale * 16).astype(np.int32)
        line = np.zeros_like(faint)
        cv2.line(line, p[0].tolist(), p[1].tolist(), 255, max(1, round(0.35 * scale)), cv2.LINE_AA, 4)
        level = rng.uniform(0.12, 0.3)
        fresh = (line > 0) & (cv2.dilate((coverage > 0).astype(np.uint8), np.ones((9, 9))) == 0)
        coverage = np.where(fresh, np.maximum(coverage, line / 255.0 * level), coverage).astype(np.float32)
        faint[fresh] = 1
    return Drawing(
        coverage, tuple((mm_to_px(x, ppi), mm_to_px(y, ppi), mm_to_px(r, ppi)) for x, y, r in pen.dots)
    ), faint > 0


def simulate(medium: str, light: str, seed: int, ppi: float = 300) -> Sheet:
    """One sheet: ``medium`` pen, study, dense, lettering or pencil; ``light`` a key of LIGHTS."""
    rng = np.random.default_rng(seed * 7919 + 13)
    faint = None
    if medium == "pen":
        drawing = draw_lighthouse(ppi, seed)
    elif medium == "lettering":
        drawing = draw_lettering(ppi, seed)
    elif medium == "pencil":
        drawing = draw_whelk(ppi, seed)
    else:
        drawing, faint = draw_study(ppi, seed, 2.2 if medium == "dense" else 0.5)
    warm = rng.uniform(0, 1)
    paper = Paper((0.88 - 0.1 * rng.random(), 0.86 - 0.1 * warm, 0.84 - 0.22 * warm), rng.uniform(0.004, 0.012))
    if medium == "pencil":
        k = rng.uniform(0.1, 0.2)
        paper = replace(paper, colour=(0.72, 0.72, 0.7), texture=rng.uniform(0.008, 0.02))
    else:
        k = rng.uniform(0.025, 0.09)
    ink = (k * rng.uniform(0.95, 1.05), k, k * rng.uniform(0.95, 1.12))
    photo = light != "flatbed"
    capture = (
        Capture(rng.uniform(0.7, 1.0), rng.uniform(0.004, 0.008), rng.uniform(0.1, 0.5), int(rng.integers(88, 95)), 0.8)
        if photo
        else Capture(rng.uniform(0.45, 0.7), rng.uniform(0.002, 0.005), 0.0, None, rng.uniform(0.85, 0.98))
    )
    scan = record(drawing.coverage, ink, ppi, paper, LIGHTS[light], capture, rng, 0.12)
    if faint is None:
        # Pencil has faint marks of its own: light strokes with nothing dark near.
        soft = cv2.GaussianBlur(drawing.coverage, (0, 0), 2.0)
        light_only = cv2.dilate(drawing.coverage, np.ones((9, 9))) < 0.45
        faint = (soft > 0.03) & light_only & (medium == "pencil")
    return Sheet(f"{medium}-{light}-{seed}", medium, light, scan, drawing.dots, faint)
