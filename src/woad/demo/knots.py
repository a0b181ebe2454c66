"""The knot chart: an old copper-engraved plate of sailors' knots with lettered names, foxed, the reverse showing through."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas, Pen, Plane, Points, smooth_path
from woad.demo.lighthouse import roughen
from woad.demo.scanner import smooth_noise

WIDTH_MM, HEIGHT_MM = 150.0, 200.0
_NAMES = ("reef knot", "bowline", "figure of eight", "sheet bend", "clove hitch", "anchor bend")


@dataclass(frozen=True)
class Plate:
    """``ink`` coverage (h, w); ``spots`` (h, w) strength of foxing, ``back`` what shows through, both 0..1."""

    ink: Plane
    spots: Plane
    back: Plane


def _xy(*pairs: float) -> Points:
    return np.asarray(pairs, np.float64).reshape(-1, 2)


# Each knot: ropes as paths in a box of 40 x 34 mm, drawn one over the other in this order.
_KNOTS: tuple[tuple[Points, ...], ...] = (
    (_xy(0, 10, 10, 9, 20, 14, 28, 24, 36, 22, 37, 14, 28, 11, 20, 20, 12, 25, 2, 24),
     _xy(40, 10, 31, 9, 22, 13, 14, 23, 6, 22, 4, 14, 12, 11, 21, 19, 29, 25, 39, 24)),
    (_xy(20, 0, 20, 9, 16, 16, 10, 22, 10, 30, 18, 34, 28, 31, 30, 23, 24, 16, 17, 13, 15, 8, 21, 5, 26, 9, 24, 16, 22, 26),),
    (_xy(4, 32, 12, 24, 22, 18, 29, 11, 25, 4, 17, 5, 15, 12, 22, 19, 28, 25, 24, 32, 16, 31, 14, 24, 21, 17, 32, 9, 38, 3),),
    (_xy(0, 12, 14, 9, 27, 8, 33, 14, 28, 21, 14, 22, 0, 24),
     _xy(40, 24, 30, 25, 21, 27, 18, 18, 20, 6, 27, 4, 31, 11, 26, 16, 12, 15)),
    (_xy(20, 0, 20.4, 17, 20, 34),
     _xy(2, 26, 12, 22, 26, 14, 30, 9, 22, 6, 13, 11, 12, 16, 24, 22, 30, 26, 21, 29, 11, 24, 22, 17, 38, 12)),
    (_xy(8, 4, 16, 8, 25, 7, 31, 12, 29, 20, 20, 22, 12, 19, 11, 12, 19, 9, 28, 11, 32, 18, 27, 25, 18, 27, 10, 32, 3, 33),
     _xy(30, 3, 26, 11, 24, 18, 26, 27, 30, 33)),
)  # fmt: skip


def draw_knots(ppi: float, seed: int) -> Plate:
    """The plate's ink with its paper's stains, (h, w) each."""
    rng = np.random.default_rng(seed)
    canvas = Canvas(WIDTH_MM, HEIGHT_MM, ppi, 2)
    pen = Pen(canvas, rng, 0.26)
    _frame(pen)
    _title(canvas, "KNOTS & BENDS", WIDTH_MM / 2, 22.5, 7.4)
    _letters(canvas, "for the use of the Tidewrack pilots", WIDTH_MM / 2, 29.5, 3.1, 0.24, italic=True)
    for i, ropes in enumerate(_KNOTS):
        x, y = 22 + (i % 2) * 62, 38 + (i // 2) * 51
        for rope in ropes:
            _rope(pen, rope + [x, y], 3.1)
        _letters(canvas, _NAMES[i], x + 20, y + 43, 3.1, 0.25, italic=True)
    return Plate(roughen(canvas, rng), _foxing(canvas, rng), _reverse(ppi, rng))


def _frame(pen: Pen) -> None:
    for inset, width in ((8.0, 1.9), (9.6, 0.7)):
        w, h = WIDTH_MM - inset, HEIGHT_MM - inset
        box = [(inset, inset), (w, inset), (w, h), (inset, h), (inset, inset)]
        for a, b in pairwise(box):
            pen.canvas.stroke(np.linspace(a, b, 80), 0.26 * width)


def _rope(pen: Pen, path: Points, thick: float) -> None:
    """A rope: paper inside its two outlines, strands engraved across, shade along one side."""
    line = smooth_path(path, 0.35)
    tangent = np.gradient(line, axis=0)
    normal = (
        np.column_stack([-tangent[:, 1], tangent[:, 0]]) / np.maximum(np.linalg.norm(tangent, axis=1), 1e-9)[:, None]
    )
    # What lies under is wiped out first, a hair wider than the rope, as an engraver parts one rope from another.
    pen.canvas.stroke(line, thick + 0.75, 0)
    left, right = line + normal * thick / 2, line - normal * thick / 2
    for side, width in ((left, 1.0), (right, 1.45)):
        pen.curve(side[::5], width, 0.02, 0.02)
    along = np.cumsum(np.linalg.norm(np.diff(line, axis=0, prepend=line[:1]), axis=1))
    for at in np.arange(1.0, along[-1] - 1.0, 1.25):
        i = int(np.searchsorted(along, at))
        j = min(i + 4, len(line) - 1)
        a, b = line[i] + normal[i] * thick * 0.47, line[j] - normal[j] * thick * 0.47
        middle = (line[i] + line[j]) / 2 + tangent[i] * 0.6
        pen.curve(np.vstack([a, middle, b]), 0.85, 0.05, 0.015)
        c, d = line[i] - normal[i] * thick * 0.1, line[j] - normal[j] * thick * 0.46
        pen.curve(np.vstack([c + tangent[i] * 0.9, (c + d) / 2 + tangent[i], d + tangent[j] * 0.9]), 0.55, 0.05, 0.01)


def _letters(canvas: Canvas, text: str, x: float, y: float, size: float, thick: float, italic: bool = False) -> None:
    font = cv2.FONT_HERSHEY_COMPLEX | (cv2.FONT_ITALIC if italic else 0)
    s = canvas.scale
    scale, width = size * s / 22, max(1, round(thick * s))
    (tw, _), _ = cv2.getTextSize(text, font, scale, width)
    cv2.putText(canvas.ink, text, (round(x * s - tw / 2), round(y * s)), font, scale, 255, width, cv2.LINE_AA)


def _title(canvas: Canvas, text: str, x: float, y: float, size: float) -> None:
    """Letters as an engraver cuts them: an outline, and level lines inside."""
    s = canvas.scale
    plane = np.zeros_like(canvas.ink)
    scale = size * s / 22
    (tw, _), _ = cv2.getTextSize(text, cv2.FONT_HERSHEY_COMPLEX, scale, 1)
    at = (round(x * s - tw / 2), round(y * s))
    cv2.putText(plane, text, at, cv2.FONT_HERSHEY_COMPLEX, scale, 255, max(1, round(0.3 * s)), cv2.LINE_AA)
    side = max(3, round(0.24 * s)) | 1
    inner = cv2.erode(plane, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
    rows = (np.arange(plane.shape[0]) / s % 0.42 < 0.2).astype(np.uint8) * 255
    cut = cv2.subtract(plane, inner)
    canvas.ink[:] = cv2.max(canvas.ink, cv2.max(cut, cv2.min(plane, np.repeat(rows[:, None], plane.shape[1], axis=1))))


def _foxing(canvas: Canvas, rng: np.random.Generator) -> Plane:
    """Rusty spots, most of them small, some in clusters, with a soft rim and a darker heart."""
    h, w = canvas.height_px, canvas.width_px
    px = mm_to_px(1, canvas.ppi)
    spots: NDArray[np.float32] = np.zeros((h, w), np.float32)
    for _ in range(14):
        cx, cy = rng.uniform(0, w), rng.uniform(0, h)
        for _ in range(int(rng.integers(1, 9))):
            x, y = rng.normal(cx, 7 * px), rng.normal(cy, 7 * px)
            r = float(rng.gamma(2.0, 0.28)) * px
            part = np.zeros_like(spots)
            axes = (max(1, int(r)), max(1, int(r * rng.uniform(0.6, 1))))
            cv2.ellipse(part, (int(x), int(y)), axes, rng.uniform(0, 180), 0, 360, float(rng.uniform(0.25, 0.7)), -1)
            spots = np.maximum(spots, part)
    soft = cv2.GaussianBlur(spots, (0, 0), 0.35 * px) * 0.6 + cv2.GaussianBlur(spots, (0, 0), 1.1 * px) * 0.6
    return np.asarray(np.clip(soft * (1 + 0.25 * smooth_noise((h, w), 0.4 * px, rng)), 0, 1), np.float32)


def _reverse(ppi: float, rng: np.random.Generator) -> Plane:
    """Lines of letterpress on the other side, mirrored and soft."""
    side = Canvas(WIDTH_MM, HEIGHT_MM, ppi, 1)
    words = (
        "the",
        "rope",
        "is",
        "led",
        "round",
        "itself",
        "and",
        "drawn",
        "fast",
        "upon",
        "a",
        "spar",
        "or",
        "ring",
        "with",
    )
    for y in np.arange(30, 180, 6.4):
        line = " ".join(rng.choice(words) for _ in range(9))
        _letters(side, line, WIDTH_MM / 2 + rng.normal(0, 1), y, 3.3, 0.35)
    return np.asarray(cv2.GaussianBlur(side.coverage()[:, ::-1], (0, 0), mm_to_px(0.3, ppi)), np.float32)
