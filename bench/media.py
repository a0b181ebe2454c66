"""Simulated sheets of every medium, with or without level and upright cues: flat reflectance, ready to be recorded."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from art import WORDS, Linear, any_art, blob, caption, mottled, paper_of, sheet_mm
from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas, Pen, smooth_path
from woad.demo.lighthouse import roughen
from woad.demo.scanner import smooth_noise

ALL = ("pen", "pencil", "lettering", "tracing", "blue-pencil", "watercolour", "gouache", "print", "signature")


@dataclass(frozen=True)
class Flat:
    """``linear`` (h, w, 3) reflectance with the paper's colour and texture in it; ``marks`` (h, w) where art lies.

    The truth: ``art`` (h, w, 3) the marks on ideal white paper; ``tone`` the paper's plain colour; ``cover`` (h, w)
    coverage by ``ink`` (one-ink media); ``spoil`` (h, w) 0..1 what is on the paper and must go: pencil, foxing,
    show-through, creases; ``pale`` (h, w) light opaque paint inside a darker shape; ``under`` a pencil's reflectance;
    ``blotches`` (h, w) how light mottled paper is by place, around 1."""

    medium: str
    linear: Linear
    marks: NDArray[np.bool_]
    ppi: float
    art: Linear
    tone: tuple[float, float, float]
    cover: Linear | None = None
    ink: tuple[float, float, float] | None = None
    spoil: Linear | None = None
    pale: NDArray[np.bool_] | None = None
    under: tuple[float, float, float] | None = None
    blotches: Linear | None = None


def draw(medium: str, seed: int, ppi: float = 180, cue: bool = True, size_mm: tuple[float, float] = (148, 210)) -> Flat:
    """Draw one sheet. Without ``cue`` there is nothing level, upright, ruled or lettered on it."""
    rng = np.random.default_rng(seed * 104729 + ALL.index(medium))
    canvas = Canvas(*size_mm, ppi, 2)
    return {
        "pen": _pen, "pencil": _pencil, "lettering": _lettering, "tracing": _tracing, "blue-pencil": _blue,
        "watercolour": _watercolour, "gouache": _gouache, "print": _print, "signature": _signature,
    }[medium](canvas, rng, cue)  # fmt: skip


def _inked(
    medium: str,
    canvas: Canvas,
    cover: Linear,
    paper: Linear,
    ink: tuple[float, float, float],
    mottle: float,
    rng: np.random.Generator,
    colour: tuple[float, float, float],
    spoil: Linear | None = None,
    under: tuple[float, float, float] | None = None,
    blotches: Linear | None = None,
) -> Flat:
    tone = np.clip(1 + mottle * smooth_noise(cover.shape, mm_to_px(0.15, canvas.ppi), rng), 0.3, 2)[..., None]
    art = 1 - cover[..., None] + cover[..., None] * np.asarray(ink, np.float32) * tone
    linear = np.asarray(paper * art, np.float32)
    art = np.asarray(art, np.float32)
    return Flat(medium, linear, cover > 0.2, canvas.ppi, art, colour, cover, ink, spoil, under=under, blotches=blotches)


def _pen(canvas: Canvas, rng: np.random.Generator, cue: bool) -> Flat:
    any_art(canvas, rng, cue, rng.uniform(0.25, 0.5))
    k = rng.uniform(0.025, 0.07)
    warm = rng.uniform(0, 1)
    colour = (0.87, 0.86 - 0.05 * warm, 0.84 - 0.14 * warm)
    paper = paper_of((canvas.height_px, canvas.width_px), colour, rng.uniform(0.004, 0.01), canvas.ppi, rng)
    return _inked("pen", canvas, roughen(canvas, rng), paper, (k, k, k * 1.05), 0.12, rng, colour)


def _pencil(canvas: Canvas, rng: np.random.Generator, cue: bool) -> Flat:
    w, h = sheet_mm(canvas)
    any_art(canvas, rng, cue, rng.uniform(0.4, 0.8))
    line = canvas.coverage() * rng.uniform(0.65, 0.9)
    shape = line.shape
    shade = np.zeros(shape, np.float32)
    for _ in range(int(rng.integers(3, 7))):
        soft = Canvas(w, h, canvas.ppi, 1)
        soft.polygon(blob(rng, rng.uniform(0.25, 0.75) * w, rng.uniform(0.25, 0.75) * h, rng.uniform(10, 25)))
        plane = cv2.GaussianBlur(
            np.asarray(soft.ink, np.float32) / 255, (0, 0), mm_to_px(rng.uniform(2, 5), canvas.ppi)
        )
        shade = np.maximum(shade, plane * rng.uniform(0.25, 0.65))
    grain = 0.5 + 0.22 * smooth_noise(shape, mm_to_px(0.16, canvas.ppi), rng) + 0.1 * smooth_noise(shape, 1.2, rng)
    pressure = np.maximum(line * 1.1, shade)
    cover = np.clip((pressure - grain * 0.75) * 2.2 + 0.3 * pressure, 0, 1) * (pressure > 0.02)
    k = rng.uniform(0.12, 0.2)
    tone = rng.uniform(0.68, 0.84)
    colour = (tone, tone, tone * rng.uniform(0.93, 1.0))
    paper = paper_of(shape, colour, rng.uniform(0.008, 0.018), canvas.ppi, rng)
    return _inked("pencil", canvas, cover.astype(np.float32), paper, (k, k, k * 1.03), 0.06, rng, colour)


def _lettering(canvas: Canvas, rng: np.random.Generator, cue: bool) -> Flat:
    w, h = sheet_mm(canvas)
    if cue:
        rows = int(rng.integers(2, 5))
        for i in range(rows):
            size = rng.uniform(9, 17)
            caption(canvas, rng, (i + 1) * h / (rows + 1), size, size * rng.uniform(0.11, 0.18), str(rng.choice(WORDS)))
    else:
        for _ in range(6):
            path = np.array([rng.uniform(0.2, 0.8) * w, rng.uniform(0.2, 0.8) * h]) + np.cumsum(
                rng.normal(0, 12, (5, 2)), axis=0
            )
            Pen(canvas, rng, 3.0).curve(np.clip(path, 12, [w - 12, h - 12]), rng.uniform(0.7, 1.3))
    k = rng.uniform(0.025, 0.06)
    colour = (0.86, 0.82, rng.uniform(0.68, 0.8))
    paper = paper_of((canvas.height_px, canvas.width_px), colour, 0.008, canvas.ppi, rng)
    return _inked("lettering", canvas, roughen(canvas, rng), paper, (k, k, k * 1.1), 0.15, rng, colour)


def _tracing(canvas: Canvas, rng: np.random.Generator, cue: bool) -> Flat:
    any_art(canvas, rng, cue, rng.uniform(0.8, 1.5))
    tone = rng.uniform(0.48, 0.66)
    k = rng.uniform(0.09, 0.2)
    colour = (tone, tone * 1.01, tone * rng.uniform(0.96, 1.02))
    shape = (canvas.height_px, canvas.width_px)
    blotches = mottled(shape, rng.uniform(0.03, 0.06), canvas.ppi, rng)
    paper = paper_of(shape, colour, 0.01, canvas.ppi, rng, blotches)
    relief = _creases(canvas, rng) if rng.random() < 0.5 else np.zeros(shape, np.float32)
    paper = np.asarray(paper * (1 - relief[..., None]), np.float32)
    spoil = np.abs(relief) if relief.any() else None
    ink = (k, k, k * 1.1)
    return _inked("tracing", canvas, canvas.coverage(), paper, ink, 0.15, rng, colour, spoil, blotches=blotches)


def _creases(canvas: Canvas, rng: np.random.Generator) -> Linear:
    """Share of light that folds in the paper take: dark on one side, a little lighter on the other."""
    w, h = sheet_mm(canvas)
    out = np.zeros((canvas.height_px, canvas.width_px), np.float32)
    for _ in range(int(rng.integers(1, 4))):
        fold = Canvas(w, h, canvas.ppi, 1)
        ends = np.array([[rng.uniform(0, w), -2.0], [rng.uniform(0, w), h + 2.0]])
        if rng.random() < 0.5:
            ends = np.array([[-2.0, rng.uniform(0, h)], [w + 2.0, rng.uniform(0, h)]])
        middle = ends.mean(axis=0) + rng.normal(0, 3, 2)
        fold.stroke(smooth_path(np.array([ends[0], middle, ends[1]]), 0.5), rng.uniform(0.2, 0.6))
        band = cv2.GaussianBlur(fold.coverage(), (0, 0), mm_to_px(rng.uniform(0.1, 0.3), canvas.ppi))
        beside = np.roll(band, round(mm_to_px(0.5, canvas.ppi)), axis=(0, 1))
        out += np.float32(rng.uniform(0.06, 0.18)) * (band - np.float32(0.4) * beside)
    return out


def _blue(canvas: Canvas, rng: np.random.Generator, cue: bool) -> Flat:
    w, h = sheet_mm(canvas)
    under = Canvas(w, h, canvas.ppi, 1)
    pen = Pen(under, rng, 0.5)
    for _ in range(int(rng.integers(8, 16))):
        p = blob(rng, rng.uniform(0.25, 0.75) * w, rng.uniform(0.25, 0.75) * h, rng.uniform(8, 30))
        pen.curve(np.vstack([p, p[:1]]), rng.uniform(0.6, 1.3))
    any_art(canvas, rng, cue, rng.uniform(0.3, 0.55))
    grain = np.clip(0.75 + 0.3 * smooth_noise(under.coverage().shape, 1.3, rng), 0.1, 1)
    blue = under.coverage() * grain * rng.uniform(0.6, 1.0)
    tone = (0.87, 0.86, 0.83)
    paper = paper_of(blue.shape, tone, 0.007, canvas.ppi, rng)
    colour = (rng.uniform(0.35, 0.55), rng.uniform(0.62, 0.75), 0.93)
    paper = paper * (1 - blue[..., None] * (1 - np.asarray(colour, np.float32)))
    k = rng.uniform(0.03, 0.07)
    return _inked("blue-pencil", canvas, roughen(canvas, rng), paper, (k, k, k), 0.1, rng, tone, blue, colour)


def _patches(canvas: Canvas, rng: np.random.Generator, n: int, cue: bool, low: float, high: float) -> list[Linear]:
    w, h = sheet_mm(canvas)
    out = []
    for i in range(n):
        one = Canvas(w, h, canvas.ppi, 2)
        if cue and i < 2:
            x, y, a, b = 0.15 * w, rng.uniform(0.2, 0.6) * h, 0.7 * w, rng.uniform(0.1, 0.25) * h
            one.polygon(np.array([[x, y], [x + a, y], [x + a, y + b], [x, y + b]]))
        else:
            one.polygon(blob(rng, rng.uniform(0.3, 0.7) * w, rng.uniform(0.25, 0.75) * h, rng.uniform(low, high)))
        out.append(one.coverage())
    return out


def _watercolour(canvas: Canvas, rng: np.random.Generator, cue: bool) -> Flat:
    shape = (canvas.height_px, canvas.width_px)
    tone = (0.88, 0.87, 0.84)
    paper = paper_of(shape, tone, 0.012, canvas.ppi, rng)
    art, marks = np.ones((*shape, 3), np.float32), np.zeros(shape, bool)
    for cover in _patches(canvas, rng, int(rng.integers(4, 8)), cue, 10, 28):
        hue = np.array([rng.uniform(0.1, 1.2), rng.uniform(0.1, 1.2), rng.uniform(0.1, 1.2)])
        hue[rng.integers(0, 3)] *= 0.25
        pool = (
            1
            + 0.35 * smooth_noise(shape, mm_to_px(9, canvas.ppi), rng)
            + 0.12 * smooth_noise(shape, mm_to_px(0.3, canvas.ppi), rng)
        )
        rim = np.clip(cover - cv2.GaussianBlur(cover, (0, 0), mm_to_px(0.7, canvas.ppi)), 0, 1)
        depth = np.clip(cover * (0.65 * pool + 0.9 * rim), 0, 3)[..., None] * hue * rng.uniform(0.35, 0.8)
        art = art * np.exp(-depth).astype(np.float32)
        marks |= cover > 0.2
    return Flat("watercolour", np.asarray(paper * art, np.float32), marks, canvas.ppi, art, tone)


def _gouache(canvas: Canvas, rng: np.random.Generator, cue: bool) -> Flat:
    shape = (canvas.height_px, canvas.width_px)
    tone = (0.86, 0.84, 0.79)
    linear = paper_of(shape, tone, 0.01, canvas.ppi, rng)
    plain = np.tile(np.asarray(tone, np.float32), (*shape, 1))
    marks = np.zeros(shape, bool)
    pale = np.zeros(shape, bool)
    for i, cover in enumerate(_patches(canvas, rng, int(rng.integers(6, 11)), cue, 10, 26)):
        colour = rng.uniform(0.02, 0.7, 3) ** 1.4
        if i == 3:
            colour = np.array([0.78, 0.77, 0.72])
        brush = 1 + 0.03 * smooth_noise(shape, mm_to_px(0.8, canvas.ppi), rng)
        paint = cover[..., None] * (colour * brush[..., None]).astype(np.float32)
        linear, plain = linear * (1 - cover[..., None]) + paint, plain * (1 - cover[..., None]) + paint
        pale = (pale & (cover < 0.5)) if i != 3 else marks & (cover > 0.98)
        marks |= cover > 0.2
    art = np.asarray(plain / np.asarray(tone, np.float32), np.float32)
    return Flat("gouache", np.asarray(linear, np.float32), marks, canvas.ppi, art, tone, pale=pale)


def _print(canvas: Canvas, rng: np.random.Generator, cue: bool) -> Flat:
    w, h = sheet_mm(canvas)
    pen = Pen(canvas, rng, 0.22)
    for _ in range(int(rng.integers(3, 6))):
        p = blob(rng, rng.uniform(0.3, 0.7) * w, rng.uniform(0.25, 0.75) * h, rng.uniform(10, 22))
        pen.curve(np.vstack([p, p[:1]]), 1.4, hand=0.02)
        pen.hatch(p, rng.uniform(20, 70), rng.uniform(0.5, 0.8), 0.9, skip=0.0)
    if cue:
        m = 0.1 * w
        for a, b in (
            ((m, m), (w - m, m)),
            ((w - m, m), (w - m, h - m)),
            ((w - m, h - m), (m, h - m)),
            ((m, h - m), (m, m)),
        ):
            canvas.stroke(np.linspace(a, b, 60), 0.35)
        caption(canvas, rng, 0.88 * h, rng.uniform(4, 6), 0.35, str(rng.choice(WORDS)))
    shape = (canvas.height_px, canvas.width_px)
    colour = (rng.uniform(0.68, 0.78), rng.uniform(0.56, 0.64), rng.uniform(0.33, 0.45))
    blotches = mottled(shape, 0.02, canvas.ppi, rng)
    paper = paper_of(shape, colour, 0.012, canvas.ppi, rng, blotches)
    spots = np.zeros(shape, np.float32)
    for _ in range(int(rng.integers(6, 25))):
        x, y = int(rng.uniform(0, shape[1])), int(rng.uniform(0, shape[0]))
        cv2.circle(
            spots,
            (x, y),
            int(mm_to_px(rng.uniform(0.5, 2.2), canvas.ppi)),
            float(rng.uniform(0.2, 0.6)),
            -1,
            cv2.LINE_AA,
        )
    spots = cv2.GaussianBlur(spots, (0, 0), mm_to_px(0.5, canvas.ppi))
    paper = paper * (1 - spots[..., None] * np.array([0.2, 0.35, 0.5], np.float32))
    k = rng.uniform(0.06, 0.12)
    ink = (k * 1.2, k, k * 0.9)
    cover = roughen(canvas, rng)
    back = _reverse(canvas, np.random.default_rng(int(rng.integers(1 << 30))))
    paper = paper * (1 - back[..., None] * np.array([0.9, 0.95, 1.0], np.float32))
    spoil = np.asarray(np.maximum(spots, back * 4), np.float32)
    return _inked("print", canvas, cover, paper, ink, 0.2, rng, colour, spoil, blotches=blotches)


def _reverse(canvas: Canvas, rng: np.random.Generator) -> Linear:
    """What shows through from the other side: mirrored lines of print, faint and soft, share of light lost."""
    w, h = sheet_mm(canvas)
    side = Canvas(w, h, canvas.ppi, 1)
    for y in np.arange(0.15 * h, 0.85 * h, 7.0):
        caption(side, rng, y, 3.5, 0.4, str(rng.choice(WORDS)))
    soft = cv2.GaussianBlur(side.coverage()[:, ::-1], (0, 0), mm_to_px(0.25, canvas.ppi))
    return np.asarray(soft * rng.uniform(0.03, 0.1), np.float32)


def _signature(canvas: Canvas, rng: np.random.Generator, cue: bool) -> Flat:
    w, h = sheet_mm(canvas)
    x0, y0, s = rng.uniform(0.2, 0.4) * w, rng.uniform(0.35, 0.65) * h, rng.uniform(5, 9)
    t = np.linspace(0, 1, 30)
    path = np.column_stack(
        [x0 + t * rng.uniform(35, 60), y0 - s * np.abs(np.sin(t * rng.uniform(14, 26))) * rng.uniform(0.3, 1, 30)]
    )
    Pen(canvas, rng, rng.uniform(0.35, 0.6)).curve(path, 1.0)
    if cue:
        canvas.stroke(np.linspace((x0 - 8, y0 + 3), (x0 + 70, y0 + 3), 50), 0.25)
    blue = rng.random() < 0.5
    ink = (0.05, 0.07, rng.uniform(0.25, 0.4)) if blue else (0.04, 0.04, 0.045)
    colour = (0.88, 0.88, 0.87)
    paper = paper_of((canvas.height_px, canvas.width_px), colour, 0.004, canvas.ppi, rng)
    return _inked("signature", canvas, canvas.coverage(), paper, ink, 0.15, rng, colour)


def turned(flat: Flat, deg: float, bed: float | None = None) -> tuple[Linear, NDArray[np.bool_]]:
    """The sheet on a scanner's glass, tilted clockwise by ``deg``: (reflectance, marks).

    Without ``bed`` paper fills the glass; with it the sheet's edges show on a lid of that reflectance.
    """
    h, w = flat.linear.shape[:2]
    room = 1.0 if bed is None else 1.2
    size = (round(w * room), round(h * room))
    matrix = cv2.getRotationMatrix2D((w / 2 - 0.5, h / 2 - 0.5), -deg, 1.0)
    matrix[:, 2] += (np.array(size) - (w, h)) / 2
    if bed is None:
        big = cv2.warpAffine(flat.linear, matrix, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    else:
        mask = cv2.warpAffine(np.ones((h, w), np.float32), matrix, size, flags=cv2.INTER_LINEAR)[..., None]
        sheet = cv2.warpAffine(flat.linear, matrix, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        big = sheet * mask + np.float32(bed) * (1 - mask)
    marks = cv2.warpAffine(flat.marks.astype(np.uint8), matrix, size, flags=cv2.INTER_NEAREST) > 0
    return np.clip(big, 0, 1).astype(np.float32), marks
