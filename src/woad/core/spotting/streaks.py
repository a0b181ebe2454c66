"""Streaks: straight lines that dirt under a scanner's sensor draws along the whole of a scan.

A streak keeps its column from the first row to the last, whatever was drawn. So each column is compared with the columns
on both sides of it (second difference of log light) in many parts of the scan; the median over a part's rows does not
see marks that cover less than half of them, and what shows in nearly all parts, both ends among them, was not drawn.
Parts that are shaded or hatched all around it, more strongly than it shows, cannot tell.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.tiles import Region
from woad.core.raster.transfer import linear_light, srgb_encode
from woad.core.units import mm_to_px

Plane = NDArray[np.float32]
Pixels = NDArray[np.uint8] | NDArray[np.uint16]
Read = Callable[[Region], Pixels]

_PARTS, _MISSING = 18, 4  # parts along the scan; parts that a streak may hide in
_ORDER = (0, 17, 3, 6, 9, 12, 15, 1, 2, 4, 5, 7, 8, 10, 11, 13, 14, 16)  # in which the parts are looked at: ends first
_GLANCES = ((2, 0), (7, 2))  # how many of them tell that there is none, where a streak is missing in more than how many
_GROUPS, _GROUP_PX = 6, 4  # looked at in each part; neighbours cost little to read
_END = 0.012  # share of the scan that is an end: a line that was drawn hardly ever reaches both
_ASIDE_MM = 0.25  # what lies that far on both sides is compared with
_CLEAR, _LEAST = 5.0, 0.006  # noise of a column, and log light, from which it stands out
_AROUND_MM, _UNQUIET = 3.0, 3.0  # so far around a streak noise tells that it is hidden: from a third of the streak on
_TELLING, _STEP = 0.5, 0.02  # share of the parts that have to show it; log light of more than one 8-bit code on paper
_WIDEST_MM, _MOST = 0.35, 16  # what is broader, or what there are more of, is no streak
_LEAST_PX = 400  # a shorter scan cannot tell
_EVEN_PX = 96  # along a streak its strength changes no faster than that
_DARK = np.float32(0.004)  # below that a scan holds more noise than light
_DEEP = 1.2  # log light, from which what a streak hides is taken from both sides of it rather than lit up


@dataclass(frozen=True)
class Streak:
    """Columns (``upright``) or rows ``first`` up to but not including ``end`` of a scan; ``strength`` mean log light."""

    upright: bool
    first: int
    end: int
    strength: float

    def box(self, width: int, height: int) -> Region:
        """Where it lies on a scan of that size."""
        broad = self.end - self.first
        return Region(self.first, 0, broad, height) if self.upright else Region(0, self.first, width, broad)


def find_streaks(read: Read, width: int, height: int, ppi: float) -> tuple[Streak, ...]:
    """Streaks of a scan, upright and level ones.

    Parameters: ``read`` the encoded pixels (h, w, C) of a box of the whole scan of ``width`` x ``height`` px at ``ppi``.
    """
    return (*_along(read, width, height, ppi, True), *_along(read, width, height, ppi, False))


def _along(read: Read, width: int, height: int, ppi: float, upright: bool) -> list[Streak]:
    """Streaks along one side of the scan."""
    across, along = (width, height) if upright else (height, width)
    if min(across, along) < _LEAST_PX:
        return []
    aside = max(3, round(mm_to_px(_ASIDE_MM, ppi)))
    bounds = along * np.array([0, *np.linspace(_END, 1 - _END, _PARTS - 1), 1])

    def profiles(parts: Sequence[int]) -> Plane:
        return np.stack([
            _middle(_beside(_lines(read, bounds[i], bounds[i + 1], width, height, upright), aside)) for i in parts
        ])  # fmt: skip

    stack = np.zeros((_PARTS, across), np.float32)  # in the order in which they are looked at
    seen = 0
    around = round(mm_to_px(_AROUND_MM, ppi))
    for many, missing in (*_GLANCES, (_PARTS, _MISSING)):
        stack[seen:many] = profiles(_ORDER[seen:many])
        lasting = _lasting(stack[:many], missing, around)
        if not lasting.any():  # most scans have none, and few parts tell
            return []
        seen = many
    strength = _ends(stack)
    usual = float(np.median(np.abs(np.median(stack, axis=0)))) / 0.6745
    hit = lasting & (np.abs(strength) > _CLEAR * usual)
    hit[: 2 * aside] = hit[-2 * aside :] = False  # the edge of the glass is Trim's, or a line of its own
    found = [
        Streak(upright, x, x + w, float(strength[x : x + w].mean()))
        for sign in (-1, 1)
        for x, w in _runs(hit & (np.sign(strength) == sign))
        if w <= max(3, mm_to_px(_WIDEST_MM, ppi))
    ]
    kept: list[Streak] = []
    for one in sorted(found, key=lambda streak: -abs(streak.strength)):
        if not any(_echo(one, other, aside) for other in kept):
            kept.append(one)
    return kept if len(kept) <= _MOST else []


def _ends(stack: Plane) -> Plane:
    """How strong columns of profiles (parts, m) are at both ends of the scan, the first two, where hardly anything is
    drawn."""
    return np.asarray((stack[0] + stack[1]) / 2, np.float32)


def _lasting(stack: Plane, missing: int, around: int) -> NDArray[np.bool_]:
    """Columns of profiles (parts, m; both ends first) that stand out at both ends, and as much in all parts but so many
    ``missing`` ones: what is drawn beside a streak is stronger, or not there at all. Parts do not count where what lies
    ``around`` a column (px) is about as strong: it is hidden there."""
    noise = np.median(np.abs(stack), axis=1, keepdims=True) / 0.6745
    out = np.abs(stack) > np.maximum(_CLEAR * 0.6 * noise, _LEAST * 0.5)
    ends = _ends(stack)
    share = stack / np.where(np.abs(ends) > 1e-6, ends, np.inf)
    same = out & (share > 0.5) & (share < 2)
    at_ends = same[0] & same[1] & (np.abs(ends) > _LEAST)
    lasting = np.asarray(at_ends & (same.sum(axis=0) >= len(stack) - missing), np.bool_)
    # What is as faint as a step of one code may be nothing but that; nor is anything told where the ends are as unquiet.
    for x in np.flatnonzero(at_ends & ~lasting & (np.abs(ends) > _STEP)).tolist():
        near = np.abs(stack[:, max(x - around, 0) : x + around + 1])
        quiet = np.median(near, axis=1) / 0.6745 * _UNQUIET < abs(ends[x])
        shown, told = int(same[:, x].sum()), int((same[:, x] | quiet).sum())
        lasting[x] = quiet[:2].all() and shown >= _TELLING * len(stack) and told - shown <= missing // 4
    return lasting


def _runs(hit: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First place and length of every run."""
    count, _, stats, _ = cv2.connectedComponentsWithStats(hit[None].astype(np.uint8))
    return [(x, w) for x, _, w, _, _ in stats[1:count].tolist()]


def _echo(one: Streak, other: Streak, aside: int) -> bool:
    """Whether a streak only mirrors a stronger one, of the other sign, that it was compared with."""
    apart = abs(other.first + other.end - one.first - one.end) / 2
    return one.strength * other.strength < 0 and abs(apart - aside) <= 1 + (other.end - other.first)


def _lines(read: Read, low: float, high: float, width: int, height: int, upright: bool) -> Plane:
    """Log light across the scan, on some of the lines from ``low`` up to ``high`` along it, (n, m)."""
    size = max(1, min(_GROUP_PX, int(high - low)))
    out = []
    for at in np.unique(np.linspace(low, max(high - size, low), _GROUPS).astype(int)).tolist():
        box = Region(0, at, width, size) if upright else Region(at, 0, size, height)
        log = log_light(read(box))
        grey = np.asarray(cv2.transform(log, np.full((1, log.shape[2]), 1 / log.shape[2], np.float32)), np.float32)
        grey = grey.reshape(log.shape[:2])
        out.append(grey if upright else grey.T)
    return np.concatenate(out)


def _middle(lines: Plane) -> Plane:
    """Median over the lines, (m,)."""
    return np.asarray(np.median(np.ascontiguousarray(lines.T), axis=1), np.float32)


@cache
def _log_table() -> Plane:
    return np.asarray(np.log(linear_light(np.arange(256, dtype=np.uint8)).ravel() + _DARK), np.float32)


def log_light(encoded: Pixels) -> Plane:
    """Log of the linear light of encoded pixels (h, w, C), float32; dark noise is lifted a little, so that it stays small."""
    if encoded.dtype == np.uint8:
        return np.asarray(cv2.LUT(np.ascontiguousarray(encoded), _log_table()), np.float32).reshape(encoded.shape)
    return np.asarray(np.log(linear_light(encoded) + _DARK), np.float32)


def from_log_light(log: Plane, kind: np.dtype[Any]) -> Pixels:
    """Encoded pixels of :func:`log_light` again, of a ``kind`` with 8 or 16 bits."""
    top = np.float32(np.iinfo(kind).max)
    codes = np.rint(srgb_encode(np.clip(np.exp(log) - _DARK, 0, 1)) * top)
    return np.asarray(np.clip(codes, 0, top).astype(kind))


def _beside(lines: Plane, aside: int) -> Plane:
    """How much lighter each place is than both its sides (n, m), 0 next to the ends."""
    out = np.zeros_like(lines)
    inner = slice(aside, -aside)
    out[:, inner] = lines[:, inner] - (lines[:, : -2 * aside] + lines[:, 2 * aside :]) / 2
    return out


def without_streak(picture: Pixels, streak: Streak, at: int) -> Pixels:
    """A part of the scan without a streak that runs through all of it.

    Parameters: ``picture`` (h, w, C) encoded, with more than ``_ASIDE_MM`` on both sides; ``at`` the column (row) of the
    scan that the picture begins with. Returns a new picture; nothing changes outside the streak and a px on both sides.
    """
    turned: Any = picture if streak.upright else picture.transpose(1, 0, 2)
    first, end = max(streak.first - 1 - at, 1), min(streak.end + 1 - at, turned.shape[1] - 1)
    log = log_light(np.ascontiguousarray(turned))
    left = log[:, max(first - 3, 0) : first].mean(axis=1, keepdims=True)
    right = log[:, end : end + 3].mean(axis=1, keepdims=True)
    share = ((np.arange(first, end) - first + 1) / (end - first + 1)).astype(np.float32)[None, :, None]
    sides = left * (1 - share) + right * share
    off = _steady(log[:, first:end] - sides)
    deep = np.clip((np.abs(off) - _DEEP) / 0.2, 0, 1)
    mended = (log[:, first:end] - off) * (1 - deep) + sides * deep
    out: Any = turned.copy()
    out[:, first:end] = from_log_light(mended, picture.dtype)
    return np.ascontiguousarray(out if streak.upright else out.transpose(1, 0, 2))


def _steady(off: Plane) -> Plane:
    """Running median of ``off`` (h, w, C) along the streak: what marks add to it does not last; and where a drawn line
    runs beside the streak for long, what the streak is elsewhere holds."""
    step = max(1, min(_EVEN_PX, off.shape[0] // 2) // 2)
    centres = np.arange(0, off.shape[0], step)
    knots = np.stack([np.median(off[max(c - _EVEN_PX, 0) : c + _EVEN_PX + 1], axis=0) for c in centres])
    flat = knots.reshape(len(centres), -1)
    rows = np.arange(off.shape[0])
    steady = np.stack([np.interp(rows, centres, column) for column in flat.T], axis=1).reshape(off.shape)
    usual = np.median(off, axis=0)
    ends = np.stack([0.4 * usual, 1.8 * usual])
    return np.asarray(np.clip(steady, ends.min(axis=0), ends.max(axis=0)), np.float32)
