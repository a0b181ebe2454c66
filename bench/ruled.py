"""Ruled, squared and dotted paper under ink, scanned and photographed: what is left of its print, found by itself."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from media import Flat, draw
from nine import Recorded, captured
from nine_rows import opened
from woad.core.docket.media import starting_docket
from woad.core.render.whole import render_whole
from woad.core.units import mm_to_px
from woad.demo.scanner import smooth_noise

Plane = NDArray[np.float32]
PAPERS = ((0.87, 0.86, 0.84), (0.85, 0.8, 0.68), (0.85, 0.78, 0.42))
LINED, MARGIN, SQUARED, GREY, DOTTED = "lined", "with a margin", "squared", "grey squared", "dotted"
HEADED, MARGINED = "with head, margins", "squared, a margin"
_LEFT, _INK = 1.0, 0.98  # bars: of 255 on the lines, mean; coverage of the ink's inside


@dataclass(frozen=True, eq=False)
class Ruled:
    """A recorded ``sheet``, its drawing, and where its lines are, (h, w)."""

    sheet: Recorded
    flat: Flat
    lines: Plane


def _lines(shape: tuple[int, int], at: NDArray[np.float64], across: bool, width_px: float) -> Plane:
    """Coverage of straight lines at rows, or ``across`` at columns."""
    along = np.arange(shape[across])
    one = np.zeros(len(along))
    for place in at:
        one = np.maximum(one, np.clip(width_px / 2 + 0.5 - np.abs(along - place), 0, 1))
    return np.asarray(np.broadcast_to(one if across else one[:, None], shape), np.float32)


def _leaning(lines: Plane, deg: float) -> Plane:
    """The lines as they lie on a scanner's glass: no sheet lies quite straight."""
    h, w = lines.shape
    turn = cv2.getRotationMatrix2D((w / 2, h / 2), deg, 1.0)
    return np.asarray(cv2.warpAffine(lines.copy(), turn, (w, h), borderMode=cv2.BORDER_REFLECT), np.float32)


def _dot(size_px: float) -> NDArray[np.uint8]:
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * round(size_px / 2) + 1,) * 2).astype(np.uint8)


def _ruled(seed: int, kind: str, photo: bool) -> Ruled:
    rng = np.random.default_rng(seed * 7919 + 5 + len(kind))
    ppi = float(rng.choice([200, 300]))
    flat = draw(str(rng.choice(["pen", "lettering"])), seed, ppi, True)
    assert flat.cover is not None
    shape = flat.cover.shape
    texture = 1 + smooth_noise(shape, 0.8, rng) * 0.008 + smooth_noise(shape, 6, rng) * 0.004
    linear = np.array(PAPERS[rng.integers(len(PAPERS))], np.float32) * texture[..., None]
    width, depth, one_mm = mm_to_px(rng.uniform(0.12, 0.3), ppi), rng.uniform(0.5, 0.9), mm_to_px(1, ppi)
    tint = (rng.uniform(0.35, 0.6), rng.uniform(0.6, 0.75), rng.uniform(0.82, 0.93))
    red = (0.9, *rng.uniform(0.4, 0.6, 2))
    if kind in (GREY, DOTTED):
        tint = tuple(rng.uniform(0.6, 0.78) + rng.normal(0, 0.006, 3))
    if kind in (SQUARED, GREY, DOTTED, MARGINED):
        across, down = (_lines(shape, np.arange(2 * one_mm, shape[a], 5 * one_mm), bool(a), width) for a in (0, 1))
        # A print's dots are as large as two or three of its lines are wide.
        ruling = cv2.dilate(np.minimum(across, down), _dot(2.5 * width)) if kind == DOTTED else np.maximum(across, down)
    else:
        ruling = _lines(shape, np.arange(20 * one_mm, shape[0], 7 * one_mm), False, width)
    lean = float(rng.uniform(0.15, 0.6) * rng.choice([-1, 1]))
    ruling = _leaning(ruling, lean)
    linear = linear * (1 - depth * ruling[..., None] * (1 - np.array(tint, np.float32)))
    if kind in (MARGIN, HEADED, MARGINED):
        margin = _lines(shape, np.array([25 * one_mm]), True, width)
        if kind == HEADED:
            right = _lines(shape, shape[1] - np.array([10, 11.5]) * one_mm, True, width)
            margin = np.maximum.reduce([margin, right, _lines(shape, np.array([13 * one_mm]), False, width)])
        margin = _leaning(margin, lean)
        linear = linear * (1 - depth * margin[..., None] * (1 - np.array(red, np.float32)))
        ruling = np.maximum(ruling, margin)
    linear = np.asarray(linear * flat.art, np.float32)
    quality = 90 if rng.random() < 0.5 else None
    return Ruled(captured(flat, linear, "falloff" if photo else "flatbed", seed, rng, quality), flat, ruling)


def ruled_row(first: int, seeds: int) -> list[str]:
    """Print the row and return the misses."""
    misses = []
    print(f"\nruled paper: left of its lines, of 255, worst of {seeds}; ink kept; sheets whose print was found")
    for kind in (LINED, MARGIN, HEADED, SQUARED, MARGINED, GREY, DOTTED):
        for capture in ("scan", "photo"):
            left, kept, found = [], [], 0
            for seed in range(first, first + seeds):
                one = _ruled(seed, kind, capture == "photo")
                sheet = opened(one.sheet)
                found += sheet.readings.ruling is not None
                alpha = render_whole(sheet, starting_docket(sheet.readings.medium)).alpha
                assert alpha is not None and one.flat.cover is not None
                bare = cv2.dilate(one.flat.cover, np.ones((9, 9), np.uint8)) < 0.02
                left.append(float(alpha[bare & (one.lines > 0.3)].mean()))
                inner = cv2.erode(one.flat.cover, np.ones((3, 3), np.uint8)) > 0.95
                kept.append(float(alpha[inner].mean()) / 255)
            print(f"  {kind:18s} {capture:6s} left {max(left):.2f}, ink kept {min(kept):.3f}, found {found} of {seeds}")
            if max(left) >= _LEFT:
                misses.append(f"ruled paper, {kind}, {capture}: {max(left):.2f} left (bar {_LEFT})")
            if min(kept) < _INK:
                misses.append(f"ruled paper, {kind}, {capture}: ink kept {min(kept):.3f} (bar {_INK})")
    return misses
