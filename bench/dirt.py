"""Sheets with small true marks and with dirt (specks, hairs), each known by its place."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from media import Flat, draw
from nine import lights
from small_marks import PAINT, Dot, with_curls, with_pen_lines, with_small_marks, without_art
from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas, smooth_path
from woad.demo.scanner import Capture, expose, light_field

Plane = NDArray[np.float32]
Kind = Literal["usual", "tidy", "inked", "dotted", "strewn", "plain", "grimy"]
Range = tuple[float, float]


@dataclass(frozen=True)
class Make:
    """What dirt is like. Specks: usual ``radius`` (mm), ``spread`` of its log and the ``most`` of it, share of them that is
    nearly ``black``. Hairs: ``length`` and ``width`` (mm), how much they ``wander`` and ``curl`` (radians a step), share of
    light that they take (``deep``), how far they are from grey (``tint``)."""

    radius: float = 0.06
    spread: float = 0.45
    most: float = 0.2
    black: float = 0.15
    length: Range = (3, 12)
    width: Range = (0.05, 0.1)
    wander: float = 0.2
    curl: float = 0.0
    deep: Range = (0.35, 0.8)
    tint: float = 0.0


USUAL = Make()
# A desk's and a studio's: crumbs and grit besides dust, hairs of people and animals besides fibres.
GRIMY = Make(0.08, 0.6, 0.45, 0.4, (3, 30), (0.04, 0.14), 0.12, 0.3, (0.25, 0.9), 0.5)


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


def dirty(medium: str, seed: int, ppi: float = 300, photo: bool | None = None, kind: Kind = "usual") -> Dirty:
    """Draw a sheet, add small marks to its art, lay dirt on it, capture it with and without the dirt. A ``tidy`` sheet has
    hardly any dirt, an ``inked`` one a pen's lines over its art, a ``dotted`` one no art but small marks, a ``strewn`` one
    no small marks but dots of all sizes far apart, a ``plain`` one none at all; of the last three half have hardly any
    dirt. A ``grimy`` one has dirt of every size and long curled hairs, and most have curled thin strokes as well."""
    rng = np.random.default_rng(seed * 7001 + sum(map(ord, medium)))
    flat = draw(medium, seed, ppi, bool(rng.random() < 0.6))
    only = "strewn" if kind == "strewn" else ""
    marks: tuple[Dot, ...] = ()
    if kind != "plain":
        flat, marks = with_small_marks(without_art(flat) if kind == "dotted" else flat, rng, only)
    if kind == "inked":
        flat = with_pen_lines(flat, rng)
    make = GRIMY if kind == "grimy" else USUAL
    if kind == "grimy" and rng.random() < 0.75:
        flat = with_pen_lines(flat, rng) if medium in PAINT else with_curls(flat, rng)
    tidy = kind == "tidy" or (kind in ("dotted", "strewn", "plain") and rng.random() < 0.5)
    photo = bool(rng.random() < 0.4) if photo is None else photo
    capture = (
        Capture(rng.uniform(0.7, 1.0), rng.uniform(0.004, 0.007), rng.uniform(0.1, 0.4), int(rng.integers(90, 96)), 0.8)
        if photo
        else Capture(rng.uniform(0.45, 0.7), rng.uniform(0.002, 0.005), 0.0, None, rng.uniform(0.85, 0.98))
    )
    shape = flat.linear.shape[:2]
    field = light_field(shape, lights("falloff" if photo else "flatbed", rng)) * np.float32(capture.exposure)
    spots, specks = _specks(flat, rng, int(rng.integers(0, 12) if tidy else rng.integers(40, 140)), make)
    hairs, lost, on_paint = _hairs(flat, rng, int(rng.integers(0, 2) if tidy else rng.integers(5, 10)), make)
    spoiled = flat.linear * (1 - spots) * (1 - lost) + np.float32(0.75) * np.maximum(-lost, 0)
    state = rng.bit_generator.state
    encoded, _ = expose([spoiled[..., c] for c in range(3)], field, capture, rng)
    rng.bit_generator.state = state  # the same noise without the dirt
    clean, _ = expose([flat.linear[..., c] for c in range(3)], field, capture, rng)
    lit = np.asarray(field * np.asarray(flat.tone, np.float32))
    return Dirty(flat, seed, encoded, clean, marks, specks, hairs, on_paint, lit)


# -- dirt ------------------------------------------------------------------------------------------------------------


def _specks(flat: Flat, rng: np.random.Generator, many: int, make: Make) -> tuple[Plane, tuple[Dot, ...]]:
    """Share of light that ``many`` specks take, (h, w, 3), and those that lie clear of marks."""
    h, w = flat.marks.shape
    px = mm_to_px(1, flat.ppi)
    plane = np.zeros((h, w, 3), np.float32)
    clear = cv2.distanceTransform(np.asarray(~flat.marks, np.uint8), cv2.DIST_L2, 3)
    out: list[Dot] = []
    for _ in range(many):
        x, y = rng.uniform(6, w - 6), rng.uniform(6, h - 6)
        r = float(np.clip(np.exp(rng.normal(np.log(make.radius), make.spread)), 0.03, make.most)) * px
        deep = rng.uniform(0.25, 0.75) if rng.random() < 1 - make.black else rng.uniform(0.75, 0.92)
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


def _hairs(
    flat: Flat, rng: np.random.Generator, many: int, make: Make
) -> tuple[NDArray[np.uint8], Plane, tuple[float, ...]]:
    """Labels of ``many`` hairs, the share of light they take (below zero: give), (h, w, 3), and how much of each lies on
    paint."""
    h, w = flat.marks.shape
    px = mm_to_px(1, flat.ppi)
    labels, lost = np.zeros((h, w), np.uint8), np.zeros((h, w, 3), np.float32)
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
        length = rng.uniform(*make.length)
        turn = rng.uniform(0, 6.28) + np.cumsum(rng.normal(0, make.wander, 14))
        if make.curl:
            turn += np.arange(14) * rng.normal(0, make.curl)
        path = start + np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * length / 14, axis=0)
        canvas.stroke(smooth_path(np.clip(path, 3, [w / px - 3, h / px - 3]), 0.1), rng.uniform(*make.width))
        cover = canvas.coverage()[:h, :w]
        where = (cover > 0.25) & (labels == 0)
        if where.sum() < 20:
            continue
        share = float(flat.marks[where].mean())
        dark = (1 - flat.art[where]).max(axis=1).mean() > 0.55
        # A light hair shows on dark paint, a dark one on paper and on pale paint.
        light = dark and share > 0.6
        amount = -rng.uniform(0.25, 0.6) if light else rng.uniform(*make.deep)
        brown = 1 + np.array([-0.5, 0, 0.5]) * (rng.uniform(0, make.tint) if make.tint and not light else 0.0)
        takes = np.clip(amount * brown, -1, 0.97).astype(np.float32)
        more = cover > np.abs(lost[..., 1])
        lost[more] = cover[more, None] * takes
        labels[where] = number + 1
        on_paint.append(share)
    return labels, lost, tuple(on_paint)
