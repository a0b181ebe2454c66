"""Streaks along the scan: how many are found, what else is taken for one, and how much of them is left."""

from __future__ import annotations

import warnings
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import numpy as np
from numpy.typing import NDArray

from dirt import dirty
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.spotting.streaks import find_streaks, without_streak

Image = NDArray[np.uint8]
_KINDS = ((0.9, 0.98), (1.03, 1.1), (0.3, 0.85))  # light that comes through: a faint one, a light one, a deep one


def _with_streaks(clean: Image, rng: np.random.Generator) -> tuple[Image, list[tuple[bool, int, int]]]:
    """A scan with an upright streak of every kind, or level ones, 1 to 3 px broad."""
    upright = bool(rng.random() < 0.5)
    light = srgb_decode(clean.astype(np.float32) / 255)
    turned = light if upright else light.transpose(1, 0, 2)
    made: list[tuple[bool, int, int]] = []
    for low, high in _KINDS:
        first, width = int(rng.uniform(60, turned.shape[1] - 60)), int(rng.integers(1, 4))
        if all(abs(first - other) > 12 for _, other, _ in made):
            turned[:, first : first + width] *= np.float32(rng.uniform(low, high))
            made.append((upright, first, first + width))
    return np.rint(srgb_encode(np.clip(light, 0, 1)) * 255).astype(np.uint8), made


def _one(job: tuple[str, int]) -> tuple[str, int, int, int, int, float, float]:
    """Medium, streaks, found, others found, found where there are none, and steps of 255 off before and after."""
    warnings.simplefilter("ignore")
    sheet = dirty(*job)
    clean = sheet.encoded
    spoiled, made = _with_streaks(clean, np.random.default_rng(job[1] * 31 + len(job[0])))
    height, width = clean.shape[:2]
    none = find_streaks(lambda b: clean[b.y : b.bottom, b.x : b.right], width, height, sheet.flat.ppi)
    found = find_streaks(lambda b: spoiled[b.y : b.bottom, b.x : b.right], width, height, sheet.flat.ppi)
    out = spoiled
    for streak in found:
        out = np.asarray(without_streak(out, streak, 0), np.uint8)
    hits = sum(any(f.upright == up and f.first < end and f.end > first for f in found) for up, first, end in made)
    before = after = 0.0
    for up, first, end in made:
        part = np.s_[:, first - 1 : end + 1] if up else np.s_[first - 1 : end + 1]
        before += float(np.abs(spoiled[part].astype(int) - clean[part]).mean()) / len(made)
        after += float(np.abs(out[part].astype(int) - clean[part]).mean()) / len(made)
    return job[0], len(made), hits, len(found) - hits, len(none), before, after


def streaks_row(first: int, sheets: int, media: list[str]) -> list[str]:
    """Print a table per medium and return the misses."""
    jobs = [(m, first + i) for m in media for i in range(sheets)]
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        rows = list(pool.map(_one, jobs))
    misses = []
    print(f"  {'streaks':14s}{'found':>14s}{'others':>8s}{'on none':>9s}{'off before':>12s}{'after':>8s}")
    for medium in media:
        own = [row[1:] for row in rows if row[0] == medium]
        made, hits, others, none = (sum(row[i] for row in own) for i in range(4))
        before, after = (float(np.mean([row[i] for row in own])) for i in (4, 5))
        print(f"  {medium:14s}{hits:6.0f} of {made:4.0f}{others:8.0f}{none:9.0f}{before:12.2f}{after:8.2f}")
        if hits < 0.95 * made or others + none:
            misses.append(
                f"streaks, {medium}: {hits:.0f} of {made:.0f} found, {others + none:.0f} taken for one (95 %, 0)"
            )
        if after > 0.1 * before:
            misses.append(f"streaks, {medium}: {after:.2f} of {before:.2f} steps left (bar a tenth)")
    return misses
