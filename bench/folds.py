"""Folded sheets of every medium: what is left of their folds, what marks across them lose, and drawn lines taken for folds."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from media import ALL, Flat, draw
from nine import Recorded, captured
from nine_rows import opened
from woad.core.docket.media import starting_docket
from woad.core.render.strays import look_over
from woad.core.render.whole import render_whole
from woad.core.units import mm_to_px
from woad.demo.scanner import smooth_noise

Plane = NDArray[np.float32]
# Bars: coverage left, of 255, mean; share of folds found; coverage that marks across folds lose, mean.
_LEFT, _FOUND, _KEPT = 0.5, 0.9, 0.02


def _along(n: int, px: float, rng: np.random.Generator) -> NDArray[np.float64]:
    """Smooth noise along a line."""
    return np.asarray(smooth_noise((n, 8), px, rng)[:, 4], np.float64)


def _fold(shape: tuple[int, int], ppi: float, at: float, rng: np.random.Generator) -> tuple[Plane, Plane]:
    """Light (h, w) of an upright fold at a share of the width, and how far each pixel lies from it, mm."""
    h, w = shape
    mm = mm_to_px(1, ppi)
    rows = np.arange(h)
    line = at * w + np.tan(np.radians(rng.uniform(-0.5, 0.5))) * (rows - h / 2) + 0.12 * mm * _along(h, 15 * mm, rng)
    away = np.asarray((np.arange(w)[None] - line[:, None]) / mm, np.float32)
    strength = (1 + 0.25 * _along(h, 25 * mm, rng))[:, None]
    wing, reach = rng.uniform(0.02, 0.09) * rng.choice([-1, 1]), rng.uniform(1.0, 3.5)
    sides = np.where(away > 0, 1.0, -rng.uniform(0.4, 1.0)) * wing * np.exp(-np.abs(away) / reach)
    core, width = rng.uniform(-0.2, 0.06), rng.uniform(0.12, 0.3)
    speckled = core * np.exp(-((away / width) ** 2)) * (1 + 0.4 * smooth_noise(shape, 0.2 * mm, rng))
    return np.asarray(np.clip(1 + strength * (sides + speckled), 0.3, 1.3), np.float32), np.abs(away)


def folded(medium: str, seed: int) -> tuple[Recorded, Plane, int]:
    """A captured sheet folded once or twice; how far (h, w) each pixel lies from a fold, mm; and how many there are."""
    rng = np.random.default_rng(seed * 6007 + ALL.index(medium))
    ppi = float(rng.choice([200, 300]))
    flat = draw(medium, seed, ppi, bool(rng.random() < 0.6))
    shape = flat.linear.shape[:2]
    ways = (
        [(True, 0.5)] if rng.random() < 0.3 else [(False, 0.5)] if rng.random() < 0.4 else [(True, 0.5), (False, 0.5)]
    )
    if rng.random() < 0.25:
        ways = [(False, 1 / 3), (False, 2 / 3)]
    light, away = np.ones(shape, np.float32), np.full(shape, 99, np.float32)
    for upright, at in ways:
        own, off = _fold(shape if upright else shape[::-1], ppi, at + rng.uniform(-0.01, 0.01), rng)
        light *= own if upright else own.T
        away = np.minimum(away, off if upright else off.T)
    return _captured(flat, light[..., None], seed, rng), away, len(ways)


def _captured(flat: Flat, light: Plane | float, seed: int, rng: np.random.Generator) -> Recorded:
    """Every second sheet is a photo."""
    kind = str(rng.choice(["falloff", "shadow"])) if seed % 2 else "flatbed"
    return captured(flat, np.asarray(flat.linear * light, np.float32), kind, seed, rng)


def _crossed_out(flat: Flat, rng: np.random.Generator, ppi: float) -> Flat:
    """The sheet with pale lines drawn from border to border, by a ruler and by hand: none of them is a fold."""
    h, w = flat.linear.shape[:2]
    cover = np.zeros((h, w), np.float32)
    width = int(mm_to_px(0.5, ppi))
    for share in (0.45, 0.6):
        # In sixteenths of a pixel, as cv2 takes them.
        ends = np.rint(np.array([[0, share * h], [w, share * h + rng.uniform(-9, 9)]]) * 16).astype(int).tolist()
        cv2.line(cover, *ends, float(rng.uniform(0.3, 0.8)), width, cv2.LINE_AA, 4)
    art = 1 - 0.6 * cover[..., None]
    return replace(flat, linear=np.asarray(flat.linear * art, np.float32))


def _measured(medium: str, seeds: range) -> Iterator[tuple[int, int, float, float]]:
    """For each sheet: folds, those found, coverage left on bare folds, what marks across them lost or gained."""
    for seed in seeds:
        record, away, many = folded(medium, seed)
        docket = starting_docket(medium)  # type: ignore[arg-type]
        looked = look_over(opened(record, record.flat.ppi), docket)
        alpha = render_whole(looked, docket).alpha
        assert looked.strays is not None and alpha is not None
        flat = record.flat
        bare = cv2.dilate(flat.marks.astype(np.uint8), np.ones((15, 15), np.uint8)) == 0
        on = bare & (away < 3)
        left = float(alpha[on].mean()) if on.any() else 0.0
        marks = cv2.erode(flat.marks.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        crossing, beside = marks & (away < 1), marks & (away > 3) & (away < 8)
        lost = 0.0
        if crossing.sum() > 200 and beside.sum() > 200:
            # Beside what the drawing itself has there, where that is known.
            true = 1.0 if flat.cover is None else float(flat.cover[crossing].mean() / flat.cover[beside].mean())
            lost = 1 - float(alpha[crossing].mean()) / max(float(alpha[beside].mean()), 1) / true
        yield many, len(looked.strays.folds), left, lost


def folds_row(first: int, seeds: int, media: list[str]) -> list[str]:
    """Print the row and return the misses."""
    misses, wanted, got = [], 0, 0
    print("\nfolds: found; coverage left within 3 mm of them, of 255, mean and worst; what marks across them lose")
    for medium in media:
        rows = list(_measured(medium, range(first, first + seeds)))
        many, found = sum(r[0] for r in rows), sum(r[1] for r in rows)
        wanted, got = wanted + many, got + found
        left, lost = [r[2] for r in rows], float(np.mean([r[3] for r in rows]))
        print(f"  {medium:12s} {found} of {many}, left {np.mean(left):.2f}, {max(left):.2f}, marks lose {lost:.3f}")
        if np.mean(left) > _LEFT:
            misses.append(f"folds, {medium}: {np.mean(left):.2f} left (bar {_LEFT})")
        if lost > _KEPT:
            misses.append(f"folds, {medium}: marks across them lose {lost:.3f} (bar {_KEPT})")
    if got < _FOUND * wanted:
        misses.append(f"folds: {got} of {wanted} found (bar {_FOUND:.0%})")
    taken = 0
    for medium in media:
        for seed in range(first, first + seeds):
            rng = np.random.default_rng(seed)
            flat = draw(medium, seed, 200, True)
            plain = _captured(flat, 1.0, seed, rng)
            lined = _captured(_crossed_out(flat, rng, 200), 1.0, seed, rng)
            for one in (plain, lined):
                looked = look_over(opened(one, one.flat.ppi), starting_docket(medium))  # type: ignore[arg-type]
                assert looked.strays is not None
                taken += len(looked.strays.folds)
    print(f"  taken for folds on sheets without any, half of them with lines from border to border: {taken}")
    if taken:
        misses.append(f"folds: {taken} found where there are none")
    return misses
