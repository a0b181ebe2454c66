"""Sheets with small true marks (stipple, dots, spatter, hatching) and with dirt (specks, hairs), each known by its place."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from media import Flat, draw
from nine import lights
from woad.demo.canvas import Canvas, Pen, smooth_path
from woad.demo.scanner import Capture, expose, light_field, smooth_noise

Plane = NDArray[np.float32]
Dot = tuple[float, float, float]  # x, y, radius, px

PAINT = ("watercolour", "gouache")


@dataclass(frozen=True)
class Dirty:
    """``encoded`` (h, w, 3) the picture; ``clean`` the same capture without dirt; ``marks`` small true marks;
    ``specks`` dirt on paper clear of marks; ``hairs`` (h, w) the amount of light hairs change, with one label each;
    ``on_paint`` for each hair the share of it that lies on paint."""

    flat: Flat
    seed: int
    encoded: NDArray[np.uint8]
    clean: NDArray[np.uint8]
    marks: tuple[Dot, ...]
    specks: tuple[Dot, ...]
    hairs: NDArray[np.uint8]
    on_paint: tuple[float, ...]
    field: Plane


def dirty(medium: str, seed: int, ppi: float = 300, photo: bool | None = None, tidy: bool = False) -> Dirty:
    """Draw a sheet, add small marks to its art, lay dirt on it (hardly any on a ``tidy`` one), capture it with and without
    the dirt."""
    rng = np.random.default_rng(seed * 7001 + sum(map(ord, medium)))
    flat = draw(medium, seed, ppi, bool(rng.random() < 0.6))
    flat, marks = _with_small_marks(flat, rng)
    photo = bool(rng.random() < 0.4) if photo is None else photo
    capture = (
        Capture(rng.uniform(0.7, 1.0), rng.uniform(0.004, 0.007), rng.uniform(0.1, 0.4), int(rng.integers(90, 96)), 0.8)
        if photo
        else Capture(rng.uniform(0.45, 0.7), rng.uniform(0.002, 0.005), 0.0, None, rng.uniform(0.85, 0.98))
    )
    shape = flat.linear.shape[:2]
    field = light_field(shape, lights("falloff" if photo else "flatbed", rng)) * np.float32(capture.exposure)
    spots, specks = _specks(flat, rng, int(rng.integers(0, 12) if tidy else rng.integers(40, 140)))
    hairs, lost, on_paint = _hairs(flat, rng, int(rng.integers(0, 2) if tidy else rng.integers(5, 10)))
    spoiled = flat.linear * (1 - spots) * (1 - lost[..., None]) + np.float32(0.75) * np.maximum(-lost, 0)[..., None]
    state = rng.bit_generator.state
    encoded, _ = expose([spoiled[..., c] for c in range(3)], field, capture, rng)
    rng.bit_generator.state = state  # the same noise without the dirt
    clean, _ = expose([flat.linear[..., c] for c in range(3)], field, capture, rng)
    lit = np.asarray(field * np.asarray(flat.tone, np.float32))
    return Dirty(flat, seed, encoded, clean, marks, specks, hairs, on_paint, lit)


# -- small true marks ------------------------------------------------------------------------------------------------


def _with_small_marks(flat: Flat, rng: np.random.Generator) -> tuple[Flat, tuple[Dot, ...]]:
    h, w = flat.marks.shape
    px = flat.ppi / 25.4
    canvas = Canvas(w / px, h / px, flat.ppi, 2)
    pen = Pen(canvas, rng, rng.uniform(0.2, 0.4))
    made: list[Dot] = []
    kinds = ["spatter"] if flat.medium in PAINT else ["stipple", "i-dots", "hatching", "spatter"]
    if flat.medium in PAINT and rng.random() < 0.6:
        kinds.append("stipple")
    if flat.medium not in PAINT:
        kinds += [kind for kind in ("dense", "sparse", "lines") if rng.random() < 0.6]
    if flat.medium == "pencil":
        kinds = [kind for kind in kinds if kind not in ("spatter", "sparse")]  # a pencil does not
    for kind in kinds:
        for _ in range(int(rng.integers(1, 4))):
            made += {
                "stipple": _stipple,
                "i-dots": _dots_on_i,
                "hatching": _hatching,
                "spatter": _spatter,
                "dense": _dense,
                "sparse": _sparse,
                "lines": _lines,
            }[kind](pen, flat, rng, px)
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


def _near_art(flat: Flat, rng: np.random.Generator, px: float) -> tuple[float, float]:
    """A place (mm) within a few mm of the artwork."""
    y, x = np.nonzero(flat.marks[::8, ::8])
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
    out: list[Dot] = []
    h, w = flat.marks.shape
    for _ in range(int(wide * high / gap**2 * 0.7)):
        x, y = x0 + rng.uniform(-0.5, 0.5) * wide, y0 + rng.uniform(-0.5, 0.5) * high
        if 2 < x < w / px - 2 and 2 < y < h / px - 2:
            radius = size * rng.uniform(0.8, 1.25)
            pen.stipple(x, y, radius)
            out.append((x * px, y * px, radius * px))
    return out


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


def _apart(made: list[Dot], marks: NDArray[np.bool_], w: int, h: int) -> tuple[Dot, ...]:
    """Those that lie on the sheet and clear of the artwork: only they are small and detached."""
    near = cv2.distanceTransform(np.asarray(~marks, np.uint8), cv2.DIST_L2, 3)
    out = []
    for x, y, r in made:
        if r + 4 < x < w - r - 4 and r + 4 < y < h - r - 4 and near[int(y), int(x)] > r + 2:
            out.append((x, y, r))
    return tuple(out)


# -- dirt ------------------------------------------------------------------------------------------------------------


def _specks(flat: Flat, rng: np.random.Generator, many: int) -> tuple[Plane, tuple[Dot, ...]]:
    """Share of light that ``many`` specks take, (h, w, 3), and those that lie clear of marks."""
    h, w = flat.marks.shape
    px = flat.ppi / 25.4
    plane = np.zeros((h, w, 3), np.float32)
    clear = cv2.distanceTransform(np.asarray(~flat.marks, np.uint8), cv2.DIST_L2, 3)
    out: list[Dot] = []
    for _ in range(many):
        x, y = rng.uniform(6, w - 6), rng.uniform(6, h - 6)
        r = float(np.clip(np.exp(rng.normal(np.log(0.06), 0.45)), 0.03, 0.2)) * px
        deep = rng.uniform(0.25, 0.75) if rng.random() < 0.85 else rng.uniform(0.75, 0.92)
        reach = int(np.ceil(2.5 * r)) + 2
        x0, y0 = int(x) - reach, int(y) - reach
        x1, y1 = x0 + 2 * reach + 1, y0 + 2 * reach + 1
        if x0 < 0 or y0 < 0 or x1 > w or y1 > h:
            continue
        grain = np.zeros((2 * reach + 1, 2 * reach + 1), np.uint8)
        for _ in range(int(rng.integers(1, 4))):
            at = ((x - x0 + rng.normal(0, 0.4) * r) * 16, (y - y0 + rng.normal(0, 0.4) * r) * 16)
            axes = (max(int(r * rng.uniform(0.6, 1.2) * 16), 8), max(int(r * rng.uniform(0.4, 0.9) * 16), 8))
            centre = (int(at[0]), int(at[1]))
            cv2.ellipse(grain, centre, axes, float(rng.uniform(0, 180)), 0.0, 360.0, 255, -1, cv2.LINE_AA, 4)
        share = cv2.GaussianBlur(grain, (0, 0), rng.uniform(0.3, 0.9)).astype(np.float32) / 255 * np.float32(deep)
        tint = np.array([1, rng.uniform(0.94, 1.02), rng.uniform(0.85, 1.03)], np.float32)
        part = plane[y0:y1, x0:x1]
        np.maximum(part, np.clip(share[..., None] * tint, 0, 0.97), out=part)
        if clear[int(y), int(x)] > 1.6 * r + 0.15 * px:
            out.append((x, y, r))
    return plane, tuple(out)


def _hairs(flat: Flat, rng: np.random.Generator, many: int) -> tuple[NDArray[np.uint8], Plane, tuple[float, ...]]:
    """Labels of ``many`` hairs, the share of light they take (below zero: give), and how much of each lies on paint."""
    h, w = flat.marks.shape
    px = flat.ppi / 25.4
    labels, lost = np.zeros((h, w), np.uint8), np.zeros((h, w), np.float32)
    on_paint = []
    broad = cv2.erode(flat.marks.astype(np.uint8), np.ones((int(2 * px), int(2 * px)), np.uint8))
    y, x = np.nonzero(broad[::4, ::4])
    for number in range(many):
        canvas = Canvas(w / px, h / px, flat.ppi, 2)
        if len(x) and flat.medium in PAINT and rng.random() < 0.7:
            i = int(rng.integers(0, len(x)))
            start = np.array([x[i] * 4 / px, y[i] * 4 / px])
        else:
            start = np.array([rng.uniform(8, w / px - 8), rng.uniform(8, h / px - 8)])
        length = rng.uniform(3, 12)
        turn = rng.uniform(0, 6.28) + np.cumsum(rng.normal(0, 0.2, 14))
        path = start + np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * length / 14, axis=0)
        canvas.stroke(smooth_path(np.clip(path, 3, [w / px - 3, h / px - 3]), 0.1), rng.uniform(0.05, 0.1))
        cover = canvas.coverage()[:h, :w]
        where = (cover > 0.25) & (labels == 0)
        if where.sum() < 20:
            continue
        share = float(flat.marks[where].mean())
        dark = (1 - flat.art).max(axis=2)[where].mean() > 0.55
        # A light hair shows on dark paint, a dark one on paper and on pale paint.
        amount = -rng.uniform(0.25, 0.6) if dark and share > 0.6 else rng.uniform(0.35, 0.8)
        lost = np.where(cover > np.abs(lost), cover * np.float32(amount), lost).astype(np.float32)
        labels[where] = number + 1
        on_paint.append(share)
    return labels, lost, tuple(on_paint)
