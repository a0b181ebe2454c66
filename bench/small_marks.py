"""Small true marks added to a sheet's art: stipple, dots, spatter, hatching, dotted lines and tones, each known by its place."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from media import Flat
from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas, Pen, smooth_path
from woad.demo.scanner import smooth_noise

Plane = NDArray[np.float32]
Dot = tuple[float, float, float]  # x, y, radius, px

PAINT = ("watercolour", "gouache")


def with_small_marks(flat: Flat, rng: np.random.Generator, only: str = "") -> tuple[Flat, tuple[Dot, ...]]:
    """The sheet with small marks of the kinds that its medium has, or of ``only`` one; and where these lie, px."""
    h, w = flat.marks.shape
    px = mm_to_px(1, flat.ppi)
    canvas = Canvas(w / px, h / px, flat.ppi, 2)
    pen = Pen(canvas, rng, rng.uniform(0.2, 0.4))
    made: list[Dot] = []
    for kind in [only] if only else _kinds(flat.medium, rng, not flat.marks.any()):
        for _ in range(1 if kind in _WHOLE else int(rng.integers(1, 4))):
            made += _DRAWN[kind](pen, flat, rng, px)
    cover = canvas.coverage()[:h, :w]
    kept = _apart(made, flat.marks, w, h)
    if flat.medium not in PAINT and rng.random() < 0.6:
        faint = _faint_strokes(flat, rng, px)
        cover = np.maximum(cover, faint)
        flat = replace(flat, marks=flat.marks | (faint > 0.04))
    if flat.cover is not None and flat.ink is not None:
        ink = np.asarray(flat.ink, np.float32)
        if flat.medium == "pencil":
            grain = np.clip(0.85 + 0.25 * smooth_noise(cover.shape, 1.5, rng), 0, 1)
            cover = cover * grain * np.float32(rng.uniform(0.7, 0.95))
        mix = 1 - cover[..., None] + cover[..., None] * ink
        return replace(
            flat, linear=flat.linear * mix, art=flat.art * mix, cover=np.maximum(flat.cover, cover),
            marks=flat.marks | (cover > 0.2),
        ), kept  # fmt: skip
    if flat.medium == "gouache":
        paint = (rng.uniform(0.03, 0.5, 3) ** 1.3).astype(np.float32)
        tone = np.asarray(flat.tone, np.float32)
        c = cover[..., None]
        linear = flat.linear * (1 - c) + c * paint
        return replace(
            flat, linear=linear, art=flat.art * (1 - c) + c * paint / tone, marks=flat.marks | (cover > 0.2)
        ), kept
    hue = rng.uniform(0.3, 1.3, 3).astype(np.float32)
    wash = np.exp(-cover[..., None] * hue * np.float32(rng.uniform(0.5, 1.0)))
    return replace(flat, linear=flat.linear * wash, art=flat.art * wash, marks=flat.marks | (cover > 0.2)), kept


_WHOLE = ("fine", "storm", "tone", "strewn")  # fill so much of a sheet that one of them is enough


def _kinds(medium: str, rng: np.random.Generator, bare: bool) -> list[str]:
    """Which small marks a sheet of a medium has; ``bare`` when they are all there is."""
    if bare:
        many = int(rng.integers(2, 5))
        return [str(kind) for kind in rng.choice(["fine", "fine", "sparse", "stipple", "storm", "tone"], many)]
    if medium in PAINT:
        return ["spatter", *(kind for kind, odds in (("stipple", 0.6), ("storm", 0.3)) if rng.random() < odds)]
    kinds = ["stipple", "i-dots", "hatching", "spatter"]
    kinds += [kind for kind in ("dense", "sparse", "lines") if rng.random() < 0.6]
    kinds += [kind for kind in ("fine", "storm", "tone", "dotted", "strewn") if rng.random() < 0.25]
    if medium == "pencil":  # which neither spatters nor makes tones of dots
        kinds = [kind for kind in kinds if kind not in ("spatter", "sparse", "fine", "storm", "tone")]
    return kinds


def without_art(flat: Flat) -> Flat:
    """The bare paper of a one-ink sheet, for a drawing that is nothing but dots."""
    blank = np.zeros_like(flat.marks, np.float32)
    linear = np.asarray(flat.linear / np.maximum(flat.art, np.float32(0.02)), np.float32)
    return replace(flat, linear=linear, art=np.ones_like(flat.art), cover=blank, marks=blank > 0)


def with_pen_lines(flat: Flat, rng: np.random.Generator) -> Flat:
    """Art with a pen's lines over it (line and wash): swelling ones that thin out at both ends, in dark ink."""
    h, w = flat.marks.shape
    px = mm_to_px(1, flat.ppi)
    canvas = Canvas(w / px, h / px, flat.ppi, 2)
    t = np.linspace(0, 1, 60)[:, None]
    for _ in range(int(rng.integers(8, 25))):
        a, b, c, d = np.array(_near_art(flat, rng, px)) + rng.uniform(-35, 35, (4, 2))
        path = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d
        most, least = rng.uniform(0.15, 0.5), rng.uniform(0.04, 0.12)
        for i in range(59):
            canvas.stroke(path[i : i + 2], least + (most - least) * float(np.sin(np.pi * i / 59)))
    cover = canvas.coverage()[:h, :w, None]
    linear, art = (plane * (1 - cover) + cover * np.float32(0.03) for plane in (flat.linear, flat.art))
    return replace(flat, linear=linear, art=art, marks=flat.marks | (cover[..., 0] > 0.2))


def with_curls(flat: Flat, rng: np.random.Generator) -> Flat:
    """A one-ink drawing with loose thin strokes that swing and curl, all of one pen: waves, grass, locks, flourishes."""
    if flat.cover is None or flat.ink is None:
        return flat
    h, w = flat.marks.shape
    px = mm_to_px(1, flat.ppi)
    canvas = Canvas(w / px, h / px, flat.ppi, 2)
    x, y = _near_art(flat, rng, px)
    spread, thick, longest = rng.uniform(5, 25), rng.uniform(0.07, 0.3), rng.uniform(6, 30)
    way, curl = rng.uniform(0, 6.28), rng.normal(0, 0.2)
    for _ in range(int(rng.integers(1, 15))):
        start = np.array([x, y]) + rng.normal(0, spread, 2)
        turn = way + rng.normal(0, 0.5) + np.cumsum(rng.normal(curl, 0.12, 14))
        path = start + np.cumsum(
            np.column_stack([np.cos(turn), np.sin(turn)]) * longest * rng.uniform(0.4, 1) / 14, axis=0
        )
        path = smooth_path(np.clip(path, 3, [w / px - 3, h / px - 3]), 0.3)
        swell = 0.6 + 0.4 * np.sin(np.pi * np.linspace(0, 1, len(path))) if rng.random() < 0.7 else np.ones(len(path))
        for i in range(len(path) - 1):
            canvas.stroke(path[i : i + 2], thick * float(swell[i]))
    cover = canvas.coverage()[:h, :w]
    if flat.medium == "pencil":
        cover = cover * np.clip(0.75 + 0.3 * smooth_noise(cover.shape, 1.5, rng), 0, 1)
    mix = 1 - cover[..., None] + cover[..., None] * np.asarray(flat.ink, np.float32)
    return replace(
        flat, linear=flat.linear * mix, art=flat.art * mix, cover=np.maximum(flat.cover, cover),
        marks=flat.marks | (cover > 0.2),
    )  # fmt: skip


def _near_art(flat: Flat, rng: np.random.Generator, px: float) -> tuple[float, float]:
    """A place (mm) within a few mm of the artwork."""
    y, x = np.nonzero(flat.marks[::8, ::8])
    if not len(x):
        y, x = np.nonzero(np.ones_like(flat.marks[::8, ::8]))
    i = int(rng.integers(0, len(x)))
    at = np.array([x[i] * 8, y[i] * 8]) / px + rng.normal(0, 4, 2)
    h, w = flat.marks.shape
    return float(np.clip(at[0], 8, w / px - 8)), float(np.clip(at[1], 8, h / px - 8))


def _stipple(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    x0, y0 = _near_art(flat, rng, px)
    size, gap = rng.uniform(0.08, 0.2), rng.uniform(0.6, 1.4)
    out: list[Dot] = []
    for _ in range(int(rng.integers(15, 60))):
        a, r = rng.uniform(0, 2 * np.pi), abs(rng.normal(0, 5))
        x, y = x0 + r * np.cos(a), y0 + r * np.sin(a)
        if all((x - q / px) ** 2 + (y - s / px) ** 2 > (gap * 0.6) ** 2 for q, s, _ in out):
            radius = size * rng.uniform(0.8, 1.25)
            pen.stipple(x, y, radius)
            out.append((x * px, y * px, radius * px))
    return out


def _dots_on_i(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    x, y = _near_art(flat, rng, px)
    out: list[Dot] = []
    for _ in range(int(rng.integers(2, 5))):
        height, r = rng.uniform(1.5, 4), rng.uniform(0.15, 0.4)
        pen.canvas.stroke(np.array([[x, y], [x + 0.1, y + height]]), 2 * r * 0.8)
        pen.stipple(x, y - 2.2 * r - rng.uniform(0.3, 0.9), r)
        out.append((pen.dots[-1][0] * px, pen.dots[-1][1] * px, r * px))
        x += rng.uniform(2, 4)
    return out


def _hatching(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    x, y = _near_art(flat, rng, px)
    a, gap = rng.uniform(0, np.pi), rng.uniform(0.5, 1.0)
    along, across = np.array([np.cos(a), np.sin(a)]), np.array([-np.sin(a), np.cos(a)])
    out: list[Dot] = []
    for i in range(int(rng.integers(5, 14))):
        length = rng.uniform(0.7, 2.2)
        middle = np.array([x, y]) + across * gap * i + along * rng.normal(0, 0.3)
        path = np.array([middle - along * length / 2, middle + along * length / 2])
        pen.canvas.stroke(path, pen.width_mm * rng.uniform(0.5, 0.9))
        out.append((float(middle[0] * px), float(middle[1] * px), length / 2 * px))
    return out


def _dense(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    """Dense hatching both ways, that breaks into bits between its gaps; none of them is counted by itself."""
    x, y = _near_art(flat, rng, px)
    a = np.linspace(0, 2 * np.pi, 9)[:-1]
    r = rng.uniform(3, 8) * rng.uniform(0.6, 1.3, 8)
    shape = np.column_stack([x + r * np.cos(a), y + r * np.sin(a)])
    turn = rng.uniform(0, 180)
    for more in (0, rng.uniform(20, 90)) if rng.random() < 0.6 else (0,):
        pen.hatch(shape, turn + more, rng.uniform(0.25, 0.6), rng.uniform(0.6, 1.2), skip=0.08)
    return []


def _sparse(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    """Stipple strewn wide: a tone so light that its dots stand millimetres apart."""
    x0, y0 = _near_art(flat, rng, px)
    size, gap = rng.uniform(0.08, 0.2), rng.uniform(1.5, 7.0)
    wide, high = rng.uniform(20, 100), rng.uniform(20, 100)
    dots = [
        (x0 + rng.uniform(-0.5, 0.5) * wide, y0 + rng.uniform(-0.5, 0.5) * high, size * rng.uniform(0.8, 1.25))
        for _ in range(int(wide * high / gap**2 * 0.7))
    ]
    return _dots(pen, flat, np.array(dots).reshape(-1, 3), px)


def _strewn(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    """Dots of all sizes strewn over much of a sheet, millimetres apart, by a hand that presses as it likes."""
    x0, y0 = _near_art(flat, rng, px)
    wide, high = rng.uniform(50, 140), rng.uniform(50, 140)
    least = rng.uniform(0.05, 0.1)
    radii = rng.uniform(least, least * rng.uniform(1.8, 3.0), int(rng.integers(40, 320)))
    places = np.array([x0, y0]) + rng.uniform(-0.5, 0.5, (len(radii), 2)) * (wide, high)
    return _dots(pen, flat, np.column_stack([places, radii]), px)


def _lines(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    """Thin lines that stand alone, as of rigging, grass or whiskers: ruled or swung, and now and then crossing."""
    x, y = _near_art(flat, rng, px)
    out: list[Dot] = []
    for _ in range(int(rng.integers(2, 9))):
        turn, length = rng.uniform(0, np.pi), rng.uniform(3, 14)
        middle = np.array([x, y]) + rng.normal(0, 6, 2)
        along, across = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
        t = np.linspace(-0.5, 0.5, 12)[:, None]
        swing = rng.choice([0.0, 0.0, 0.08]) * length * (0.25 - t * t) * 4
        path = middle + along * length * t + across * swing
        pen.canvas.stroke(path, rng.uniform(0.08, 0.25))
        at = path[6] * px
        out.append((float(at[0]), float(at[1]), 0.1 * px))
    return out


def _faint_strokes(flat: Flat, rng: np.random.Generator, px: float) -> Plane:
    """Coverage of single strokes of a pen that ran dry, or of a light hand, here and there; whole or in bits."""
    h, w = flat.marks.shape
    out = np.zeros((h, w), np.float32)
    for _ in range(int(rng.integers(3, 12))):
        start = np.array([rng.uniform(10, w / px - 10), rng.uniform(10, h / px - 10)])
        turn = rng.uniform(0, 6.28) + np.cumsum(rng.normal(0, rng.choice([0.0, 0.03, 0.12]), 14))
        path = start + np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * rng.uniform(2, 20) / 14, axis=0)
        line = np.zeros((h, w), np.uint8)
        points = np.rint(np.clip(path, 3, [w / px - 3, h / px - 3]) * px * 16).astype(np.int32)
        cv2.polylines(line, [points], False, 255, max(1, round(rng.uniform(0.15, 0.6) * px)), cv2.LINE_AA, 4)
        cover = line.astype(np.float32) * np.float32(rng.uniform(0.1, 0.35) / 255)
        if rng.random() < 0.4:
            # A dry pen skips: the stroke is left in bits.
            cover = cover * (smooth_noise(cover.shape, rng.uniform(1, 3), rng) > rng.uniform(-0.9, 0.3))
        out = np.maximum(out, cover)
    return out


def _spatter(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    x0, y0 = _near_art(flat, rng, px)
    a = rng.uniform(0, 2 * np.pi)
    out: list[Dot] = []
    for _ in range(int(rng.integers(12, 40))):
        far, turn = abs(rng.normal(0, 9)) + 1, a + rng.normal(0, 0.5)
        radius = float(np.clip(np.exp(rng.normal(np.log(0.16), 0.5)), 0.07, 0.7))
        x, y = x0 + far * np.cos(turn), y0 + far * np.sin(turn)
        pen.stipple(x, y, radius)
        out.append((x * px, y * px, radius * px))
    return out


def _fine(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    """Stipple with a fine point: hundreds of dots of all sizes, down to what the scan just resolves."""
    x0, y0 = _near_art(flat, rng, px)
    wide, high = rng.uniform(6, 35, 2)
    least, most = rng.uniform(0.035, 0.08), rng.uniform(0.1, 0.22)
    many = int(min(wide * high * rng.uniform(0.3, 2.0), 900))
    dots = np.column_stack([
        x0 + rng.normal(0, 0.5, many) * wide, y0 + rng.normal(0, 0.5, many) * high,
        np.exp(rng.uniform(np.log(least), np.log(most), many)),
    ])  # fmt: skip
    return _dots(pen, flat, _together(dots), px)


def _storm(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    """Spatter as from a toothbrush: drops of all sizes, most of them tiny, densest in the middle."""
    x0, y0 = _near_art(flat, rng, px)
    many = int(rng.integers(60, 500))
    wide, usual, spread = rng.uniform(6, 30), rng.uniform(0.06, 0.14), rng.uniform(0.5, 0.8)
    dots = np.column_stack([
        x0 + rng.normal(0, wide, many), y0 + rng.normal(0, wide, many) * rng.uniform(0.4, 1.2),
        np.clip(np.exp(rng.normal(np.log(usual), spread, many)), 0.03, 1.2),
    ])  # fmt: skip
    return _dots(pen, flat, _together(dots), px)


def _tone(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    """A tone of dots in rows, even or swelling to one side."""
    x0, y0 = _near_art(flat, rng, px)
    pitch, turn = rng.uniform(0.45, 1.1), rng.uniform(0, np.pi / 2)
    side = int(rng.uniform(6, 22) / pitch / 2)
    i, j = (v.ravel() * pitch for v in np.mgrid[-side:side, -side:side])
    swell = 1 + rng.uniform(0, 0.5) * i / (side * pitch)
    dots = np.column_stack([
        x0 + i * np.cos(turn) - j * np.sin(turn), y0 + i * np.sin(turn) + j * np.cos(turn),
        pitch * rng.uniform(0.1, 0.3) * swell,
    ])  # fmt: skip
    return _dots(pen, flat, dots, px)


def _dotted(pen: Pen, flat: Flat, rng: np.random.Generator, px: float) -> list[Dot]:
    """Lines of dots, or of dots and dashes, as on plans, patterns and charts."""
    x, y = _near_art(flat, rng, px)
    length, gap, radius = rng.uniform(15, 70), rng.uniform(0.5, 1.3), rng.uniform(0.06, 0.15)
    along = np.arange(0, length, gap)
    turn = rng.uniform(0, 2 * np.pi) + np.cumsum(rng.normal(0, rng.choice([0.0, 0.02]), len(along)))
    path = np.array([x, y]) + np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * gap, axis=0)
    dashed = rng.random() < 0.3
    dots = []
    for i, place in enumerate(path):
        if dashed and i % 2:
            step = np.array([np.cos(turn[i]), np.sin(turn[i])]) * gap * 0.3
            pen.canvas.stroke(np.array([place - step, place + step]), 2 * radius)
        else:
            dots.append((*place, radius))
    return _dots(pen, flat, np.array(dots), px)


def _together(dots: NDArray[np.float64], reach: float = 2.5) -> NDArray[np.float64]:
    """Those with another one within ``reach`` mm: a tiny drop all by itself nobody can tell from a speck."""
    gap = np.hypot(*(dots[:, None, :2] - dots[None, :, :2]).transpose(2, 0, 1))
    np.fill_diagonal(gap, np.inf)
    return dots[gap.min(axis=1) < reach]


def _dots(pen: Pen, flat: Flat, dots: NDArray[np.float64], px: float) -> list[Dot]:
    """Dots (x, y, radius mm) set where they fall on the sheet."""
    h, w = flat.marks.shape
    out: list[Dot] = []
    for x, y, radius in dots.tolist():
        if 2 < x < w / px - 2 and 2 < y < h / px - 2:
            pen.stipple(x, y, radius)
            out.append((x * px, y * px, radius * px))
    return out


def _apart(made: list[Dot], marks: NDArray[np.bool_], w: int, h: int) -> tuple[Dot, ...]:
    """Those that lie on the sheet and clear of the artwork: only they are small and detached."""
    near = cv2.distanceTransform(np.asarray(~marks, np.uint8), cv2.DIST_L2, 3)
    out = []
    for x, y, r in made:
        if r + 4 < x < w - r - 4 and r + 4 < y < h - r - 4 and near[int(y), int(x)] > r + 2:
            out.append((x, y, r))
    return tuple(out)


_DRAWN = {
    "stipple": _stipple, "i-dots": _dots_on_i, "hatching": _hatching, "spatter": _spatter, "dense": _dense,
    "sparse": _sparse, "lines": _lines, "fine": _fine, "storm": _storm, "tone": _tone, "dotted": _dotted,
    "strewn": _strewn,
}  # fmt: skip
