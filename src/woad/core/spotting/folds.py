"""Folds: where a sheet was folded once and lies nearly flat again, its paper turns to the light on one side of the line and
away from it on the other, and its broken surface is darker or lighter.

A fold runs straight from border to border, is the same all along, has paper's own hue, and, unlike a drawn line, makes paper
lighter as well as darker. So what is paper in many parts of the sheet is laid over each other along every slight
slope (a Hough transform for one direction; Duda and Hart 1972), and what most parts show alike is looked at closely.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of
from woad.core.raster.profiles import correlations, medians, paper_of, strengths
from woad.core.spotting.streaks import Pixels, log_light
from woad.core.units import mm_to_px

Plane = NDArray[np.float32]

_PARTS, _SHOWN, _FEW = 18, 5, 3  # parts along the sheet; those that must show a fold, and a clear one
_END_MM = 3.0  # how much of the sheet at each end must show it, too
_SLOPE = 0.026  # how far it may lean
_BAND_MM = 2.0  # what is broader is light
REACH_MM, CORE_MM = 8.0, 3.0  # how far a fold's own light reaches; where it is told
_OFF_MM = 0.8  # how far from its line a fold may be strongest
_LEAST, _MOST, _CLEAR = 0.01, 0.4, 5.0  # log light of a fold; noise from which it stands out
_SIDES_MM, _LEAST_SIDES = (0.25, 2.0), 0.004  # the sides of a line, and how much they differ at least
_COARSE = 0.6  # pixels to the millimetre below which sides cannot be told from the line
_BESIDE = 0.04  # shares of the sheet at the borders where none is looked for
ALIKE = 0.6  # correlation of a part's profile with the whole fold's
_FAINT_END, _END_ALIKE = 0.2, 0.3  # at the sheet's ends: share of the fold's strength, correlation
_NEAR_WINGS_MM, _FAR_WINGS_MM = (0.6, 1.5), (1.5, 3.5)  # where paper is turned to the light, or away from it
_TURNED, _TURNED_PART = 0.012, 0.5  # log light by which both sides differ; how much of it three in four parts must show
# How light a dark fold is somewhere, or how dark a light one: log light, of its own strength, of how much parts differ; clear.
_BOTH_WAYS, _BOTH_WAYS_SHARE, _UNLIKE, _CLEARLY = 0.005, 0.1, 1.7, 5.0
_ASTRAY_MM = 0.6  # how far off the straight line its ends may lie
_HUE = 0.35  # share by which channels may differ
_STEP = 0.04  # log light by which the paper on both sides may differ
_FOLDED, _TRIED = 3, 16  # more lines than that are ruled; so many places are looked at
_STEEP = (0.35, 2.2)  # how strong a part may be beside the whole


@dataclass(frozen=True)
class Fold:
    """A line along all rows (``upright``) or columns of a sheet: its place across, px, at the ``first`` and the ``last`` of
    them, and its ``strength``, log light."""

    upright: bool
    first: float
    last: float
    strength: float

    def middle(self, width: int, height: int) -> tuple[float, float]:
        """Its middle on a sheet of that size, px."""
        across = (self.first + self.last) / 2
        return (across, height / 2) if self.upright else (width / 2, across)


def find_folds(encoded: Pixels, px: float, ppi: float) -> tuple[Fold, ...]:
    """Folds of a sheet, upright and level ones.

    Parameters: ``encoded`` (h, w, C) the sheet, reduced, about 1,000 px long; ``px`` pixels of the sheet in one of its;
    ``ppi`` of the sheet.
    """
    log = log_light(encoded)
    mm = mm_to_px(1, ppi) / px
    turned = np.ascontiguousarray(log.transpose(1, 0, 2))
    return (*_along(log, px, mm, True), *_along(turned, px, mm, False))


def _along(log: Plane, px: float, mm: float, upright: bool) -> list[Fold]:
    """Upright folds of log light (h, w, C)."""
    h, w = log.shape[:2]
    if min(h, w) < 200 or w < 6 * REACH_MM * mm or mm < _COARSE:
        return []
    grey = grey_of(log)
    bounds = np.linspace(0, h, _PARTS + 1).astype(int).tolist()
    parts = np.stack([paper_of(grey[a:b]) for a, b in pairwise(bounds)])
    edge = int(max(_BESIDE * w, (REACH_MM + _ASTRAY_MM) * mm) + _SLOPE * h / 2) + 3
    bare = np.ones(w, np.bool_)
    bare[:edge] = bare[w - edge :] = False
    found = []
    for seen, least in _seen(parts, mm):
        strength, lean = _strongest(seen, round(_SLOPE * h))
        usual = float(np.median(np.abs(strength))) / 0.6745
        untried = bare.copy()
        for _ in range(_TRIED):
            peak = np.abs(strength) * untried
            x = int(np.argmax(peak))
            if peak[x] < max(least, _CLEAR * usual):
                break
            amplitude = _as_fold(log, grey, parts, x, int(lean[x]), mm)
            if amplitude:
                # The parts' middles lie half a part inside the ends.
                half = lean[x] / 2 * _PARTS / (_PARTS - 1)
                found.append(Fold(upright, float((x - half + 0.5) * px), float((x + half + 0.5) * px), amplitude))
                aside = int(REACH_MM * mm)  # beside a fold lies its own light
                bare[max(x - aside, 0) : x + aside + 1] = False
                untried &= bare
            aside = int(CORE_MM * mm)
            untried[max(x - aside, 0) : x + aside + 1] = False
    return found if len(found) <= _FOLDED else []


def _seen(parts: Plane, mm: float) -> Iterator[tuple[Plane, float]]:
    """What may be folds in the parts (n, w), and how strong it must be at least: lines that are darker or lighter than what
    is beside them, and, once these are tried, places where only the two sides differ."""
    # A median keeps the edge of paint nearby where it is; a blur would lay its shadow over the fold.
    half = max(int(_BAND_MM * mm), 1)
    around = np.lib.stride_tricks.sliding_window_view(
        np.pad(parts, ((0, 0), (half, half)), mode="edge"), 2 * half + 1, 1
    )
    line = np.asarray(np.clip(parts - medians(around, 2), -0.15, 0.15), np.float32)
    yield line, _LEAST
    near, far = (max(int(v * mm), 1) for v in _SIDES_MM)
    kernel = np.zeros((1, 2 * far + 1), np.float32)
    kernel[0, : far - near + 1], kernel[0, far + near :] = -0.5, 0.5
    yield np.asarray(cv2.filter2D(line, -1, kernel / (far - near + 1)), np.float32), _LEAST_SIDES


def _shifts(lean: int) -> NDArray[np.intp]:
    """How far each part is shifted when a line leans by so many px from the first to the last."""
    return np.rint(lean * (np.arange(_PARTS) / (_PARTS - 1) - 0.5)).astype(np.intp)


def _strongest(band: Plane, most: int) -> tuple[Plane, NDArray[np.intp]]:
    """For each column the strongest median over the parts, of all slopes, and by how much that one leans."""
    w = band.shape[1]
    best, lean = np.zeros(w, np.float32), np.zeros(w, np.intp)
    wide = np.pad(band, ((0, 0), (most, most)))
    for tilt in range(-most, most + 1, 2):
        rows = np.stack([wide[i, most + s : most + s + w] for i, s in enumerate(_shifts(tilt).tolist())])
        own = medians(rows, 0)
        stronger = np.abs(own) > np.abs(best)
        best[stronger], lean[stronger] = own[stronger], tilt
    return best, lean


def _as_fold(log: Plane, grey: Plane, parts: Plane, x: int, lean: int, mm: float) -> float:
    """How strong the fold at a column is; 0 when what is there is none."""
    reach, shifts = int(REACH_MM * mm), _shifts(lean)
    wide = np.stack([row[x + s - reach : x + s + reach + 1] for row, s in zip(parts, shifts.tolist(), strict=True)])
    outer = max(reach // 4, 1)
    # Only where both sides are the same paper: an edge of a shadow, or of paint, does not come back to it.
    level = np.flatnonzero(np.abs(wide[:, -outer:].mean(axis=1) - wide[:, :outer].mean(axis=1)) <= _STEP)
    if len(level) < _FEW:
        return 0.0
    own = over_sides(wide[level])
    profile = np.median(own, axis=0)
    half = int(CORE_MM * mm)
    core = slice(reach - half, reach + half + 1)
    shown = level[alike(own[:, core], profile[core])]
    strongest = int(np.argmax(np.abs(profile[core])))
    amplitude = float(profile[core][strongest])
    least, most = sorted((max(float(profile[core].max()), 0.0), max(-float(profile[core].min()), 0.0)))
    near, far = (_sides_differ(profile[None], mm, *wings)[0] for wings in (_NEAR_WINGS_MM, _FAR_WINGS_MM))
    unlike = float(np.median(np.abs(own - profile).mean(axis=1)))
    by_part = _sides_differ(own, mm, *_NEAR_WINGS_MM) * np.sign(near)
    is_one = (
        _LEAST < abs(amplitude) < _MOST
        and abs(strongest - half) <= _OFF_MM * mm  # not seen from beside it
        and len(shown) >= (_FEW if least > _CLEARLY * unlike else _SHOWN)
        # A drawn line only takes light, but for how much parts differ by themselves.
        and least > max(_BOTH_WAYS, _BOTH_WAYS_SHARE * most, _UNLIKE * unlike)
        and abs(near) > _TURNED  # it is alike on both sides, too
        and float(np.quantile(by_part, 0.25)) > _TURNED_PART * abs(near)
        and near * far > 0
        and _at_both_ends(grey, (x + int(shifts[0]), x + int(shifts[-1])), profile, core, mm)
        and _neutral(log, x, shown, shifts, profile[core])
    )
    return amplitude if is_one else 0.0


def _sides_differ(profiles: Plane, mm: float, near_mm: float, far_mm: float) -> Plane:
    """By how much paper differs on both sides of a line in the middle of profiles (n, m), (n,)."""
    middle, near, far = profiles.shape[1] // 2, int(near_mm * mm), int(far_mm * mm)
    right, left = profiles[:, middle + near : middle + far], profiles[:, middle - far + 1 : middle - near + 1]
    return np.asarray(right.mean(axis=1) - left.mean(axis=1), np.float32)


def _at_both_ends(grey: Plane, at: tuple[int, int], profile: Plane, core: slice, mm: float) -> bool:
    """Whether the sheet's very ends show the profile (m,), too, there or close by: a fold is not quite straight."""
    h, deep, middle = len(grey), max(int(_END_MM * mm), 3), len(profile) // 2
    off = max(round(_ASTRAY_MM * mm), 1)
    for rows, x in zip((slice(0, deep), slice(h - deep, h)), at, strict=True):
        wide = paper_of(grey[rows, x - middle - off : x + middle + off + 1])
        moved = over_sides(np.lib.stride_tricks.sliding_window_view(wide, len(profile)))[:, core]
        if not (correlations(moved, profile[core])[strengths(moved, profile[core]) > _FAINT_END] > _END_ALIKE).any():
            return False
    return True


def over_sides(profiles: Plane) -> Plane:
    """Profiles (n, m) without the straight line through both their ends."""
    outer = profiles.shape[1] // 8
    left, right = (profiles[:, s].mean(axis=1, keepdims=True) for s in (slice(0, outer), slice(-outer, None)))
    share = np.linspace(0, 1, profiles.shape[1], dtype=np.float32)[None]
    return np.asarray(profiles - left * (1 - share) - right * share, np.float32)


def alike(profiles: Plane, model: Plane, least: float = ALIKE) -> NDArray[np.bool_]:
    """Which profiles (n, m) are the model, stronger or weaker: of that correlation at ``least``."""
    strong = strengths(profiles, model)
    low, high = _STEEP
    return np.asarray((strong > low) & (strong < high) & (correlations(profiles, model) > least), np.bool_)


def _neutral(log: Plane, x: int, shown: NDArray[np.intp], shifts: NDArray[np.intp], model: Plane) -> bool:
    """Whether all channels (h, w, C) show the model (m,) alike, in the parts that show it."""
    half, bounds = len(model) // 2, np.linspace(0, len(log), _PARTS + 1).astype(int)
    level = model - model.mean()
    shares = []
    for part, shift in zip(shown.tolist(), shifts[shown].tolist(), strict=True):
        own = paper_of(log[bounds[part] : bounds[part + 1], x + shift - half : x + shift + half + 1])
        shares.append((own - own.mean(axis=0)).T @ level / max(float(level @ level), 1e-9))
    share = np.median(np.stack(shares), axis=0)
    return float(np.ptp(share)) < _HUE * max(float(np.mean(share)), 1e-6)
