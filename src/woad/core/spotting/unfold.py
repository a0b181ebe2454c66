"""The light of a fold, divided out: one profile across it times a strength along it (a rank-1 model), under marks too.

Where exactly it runs is read block by block: no sheet is flat, and no fold quite straight.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of
from woad.core.raster.profiles import strengths
from woad.core.spotting.folds import CORE_MM, REACH_MM, Fold, alike, over_sides
from woad.core.spotting.streaks import Pixels, from_log_light, log_light
from woad.core.units import mm_to_px

Plane = NDArray[np.float32]

_BLOCK_MM, _READ = 4.0, 24  # rows that are read together, and how many of them
_ASIDE_MM = 1.2  # how far a fold may lie off its straight line
_MATCHES = 0.7  # correlation from which a block tells where, and how strong, the fold is
_FINE_MM, _BROKEN_MM = 0.5, 0.45  # what is finer is its broken surface; how far that reaches
_EVENEST, _AS_EVEN = 8, 1.5  # one in so many is sure to lie on bare paper; how much less even others may be
_AT_ONCE = 1_500_000  # pixels that are worked on together
_SPECKLED = 1.3  # times its mean that the specks of it are strong


def without_fold(picture: Pixels, fold: Fold, at: int, ppi: float) -> Pixels:
    """A band of the sheet along all of a fold, without the fold's light.

    Parameters: ``picture`` (h, w, C) encoded, the whole length of the sheet, with more than :func:`reach_px` on both sides
    of the fold; ``at`` the column (row) of the sheet that the picture begins with. Returns a new picture.
    """
    turned: Any = picture if fold.upright else picture.transpose(1, 0, 2)
    model = _modelled(turned, fold.first - at, fold.last - at, ppi)
    out: Any = turned.copy()
    rows = max(_AT_ONCE // turned.shape[1], 1)
    for top in range(0, len(turned), rows):
        some = slice(top, min(top + rows, len(turned)))
        _take_off(out[some], model, np.arange(some.start, some.stop))
    return np.ascontiguousarray(out if fold.upright else out.transpose(1, 0, 2))


def _take_off(picture: Any, model: _Model, rows: NDArray[np.intp]) -> None:
    """Take the fold's light off some rows of the sheet, (n, w, C) encoded, in place."""
    line = np.interp(rows, model.rows, model.places)
    strong = np.interp(rows, model.rows, model.strength).astype(np.float32)[:, None]
    reach = len(model.profile) // 2
    near = slice(max(int(line.min()) - reach, 0), min(int(line.max()) + reach + 2, picture.shape[1]))
    log = log_light(np.ascontiguousarray(picture[:, near]))
    away = np.asarray(np.arange(near.start, near.stop)[None] + 0.5 - line[:, None] + reach, np.float32)
    level = np.zeros_like(away)
    light = [_sampled(model.profile[:, c], away, level) for c in range(log.shape[2])]
    plain = log - np.stack(light, axis=2) * strong[..., None]
    fine = _sampled(model.fine, away, level) * strong
    at = line - near.start
    broken = slice(max(int(at.min()) - model.broken - 4, 0), int(at.max()) + model.broken + 5)
    plain[:, broken] = _calmed(plain[:, broken], fine[:, broken], at - broken.start, model.broken)
    picture[:, near] = from_log_light(plain, picture.dtype)


def _calmed(log: Plane, fine: Plane, line: NDArray[np.float64], broken: int) -> Plane:
    """Log light (h, w, C) around a fold's broken surface, which is speckled: up to what the fold itself is there, ``fine``
    (h, w), that is no mark."""
    beside, unlike = _across(log, line, broken)
    off = log - beside
    # Between sides that differ a mark ends, or grain lies.
    kept = np.clip(np.maximum(np.abs(off).max(axis=2), unlike) / np.maximum(fine, 1e-6) - 1, 0, 1)[..., None]
    return np.where(fine[..., None] > 0.003, beside + off * kept, log)


def reach_px(ppi: float) -> int:
    """How far from its line a fold's light, and what it is compared with, reaches, px."""
    return int(mm_to_px(REACH_MM + _ASIDE_MM, ppi)) + 2


@dataclass(frozen=True, eq=False)
class _Model:
    """At ``rows`` (n,): the line's ``places`` and the ``strength`` of the ``profile`` (m, C); ``fine`` (m,) how strong the
    broken surface is, which ends ``broken`` px from the line."""

    rows: NDArray[np.float64]
    places: NDArray[np.float64]
    strength: NDArray[np.float64]
    profile: Plane
    fine: Plane
    broken: int


def _modelled(picture: Any, first: float, last: float, ppi: float) -> _Model:
    h, w = picture.shape[:2]
    mm = mm_to_px(1, ppi)
    reach, aside = int(REACH_MM * mm), max(int(_ASIDE_MM * mm), 2)
    step = max(int(_BLOCK_MM / 2 * mm), 4)
    rows = np.arange(min(step, h // 2), max(h - step, h // 2 + 1), step).astype(np.float64)
    straight = np.floor(first + (last - first) * rows / max(h - 1, 1)) + 0.5  # a pixel's middle, as blocks are read
    blocks = []
    for row, x in zip(rows.tolist(), straight.tolist(), strict=True):
        a, b = max(int(row) - step, 0), min(int(row) + step, h)
        columns = np.clip(int(x) + np.arange(-reach - aside, reach + aside + 1), 0, w - 1)
        block = np.ascontiguousarray(picture[a : b : max((b - a) // _READ, 1)][:, columns])
        blocks.append(np.median(log_light(block), axis=0))
    wide = np.asarray(np.stack(blocks), np.float32)  # (n, m + 2 aside, C)
    grey = grey_of(wide)
    offsets = np.zeros(len(rows))
    core = slice(reach - int(CORE_MM * mm), reach + int(CORE_MM * mm) + 1)
    sharp = grey - cv2.GaussianBlur(grey, (0, 0), sigmaX=_FINE_MM * mm, sigmaY=1e-6)  # what tells its place best
    near = slice(reach - int(mm), reach + int(mm) + 1)
    for _ in range(4):
        offsets = _offsets(sharp, np.median(_aligned(sharp, offsets, aside), axis=0), near, aside)
    along = _aligned(grey, offsets, aside)
    even = _evenest(along, core)
    own = over_sides(along)
    model = np.median(own[even], axis=0)
    told = alike(own[:, core], model[core], _MATCHES)
    each = strengths(own[:, core], model[core])
    strength = np.interp(rows, rows[told], each[told]) if told.any() else np.ones(len(rows))
    strength = cv2.GaussianBlur(np.clip(strength, 0.3, 2.2)[None], (0, 0), 1.0)[0]
    planes = [_aligned(wide[..., c], offsets, aside) for c in range(wide.shape[2])]
    profile = np.stack([np.median(over_sides(p[even]), axis=0) for p in planes], axis=1)
    # Away from its line a fold is no stronger than on it, whatever lies there.
    most = np.abs(profile[core]).max(axis=0)
    profile = np.clip(profile, -most, most)
    ends = np.clip((1 - np.abs(np.linspace(-1, 1, 2 * reach + 1))) / 0.25, 0, 1).astype(np.float32)
    fine, broken = _broken(_aligned(sharp, offsets, aside), mm)
    return _Model(rows, straight + offsets, strength, profile * ends[:, None], fine, broken)


def _evenest(along: Plane, core: slice) -> NDArray[np.bool_]:
    """Which of profiles (n, m) have hardly more beside the fold itself than the evenest ones: where marks lie beside it, its
    light is not to be read."""
    smooth = cv2.GaussianBlur(along, (0, 0), sigmaX=max(along.shape[1] / 40, 1), sigmaY=1e-6)
    uneven = np.ptp(np.delete(smooth, np.arange(core.start, core.stop), axis=1), axis=1)
    least = np.partition(uneven, len(uneven) // _EVENEST)[len(uneven) // _EVENEST]
    return np.asarray(uneven <= _AS_EVEN * least, np.bool_)


def _broken(sharp: Plane, mm: float) -> tuple[Plane, int]:
    """How strong the broken surface of profiles (n, m) is, (m,), and how far from the middle it ends: at each place along
    the fold it lies a little elsewhere."""
    away = np.abs(np.arange(sharp.shape[1]) - sharp.shape[1] // 2)
    near = away <= _BROKEN_MM * mm
    fine = np.median(np.abs(sharp), axis=0) * near
    broken = int(away[fine > 0.3 * fine.max()].max()) + 1 if fine.any() else 1
    most = float(np.median(np.abs(sharp[:, near]).max(axis=1)))
    return np.where(away <= broken, np.float32(_SPECKLED * most), np.float32(0)), broken


def _aligned(wide: Plane, offsets: NDArray[np.float64], aside: int) -> Plane:
    """Profiles (n, m + 2 aside) moved by their offsets, (n, m)."""
    at = np.arange(aside, wide.shape[1] - aside)
    columns = np.arange(wide.shape[1])
    return np.stack([np.interp(at + off, columns, row) for row, off in zip(wide, offsets, strict=True)]).astype(
        np.float32
    )


def _offsets(sharp: Plane, model: Plane, core: slice, aside: int) -> NDArray[np.float64]:
    """How far off the straight line each block's fold lies: where it matches the model best, held steady along it."""
    halves = np.empty((len(sharp), 2 * sharp.shape[1] - 1), np.float32)
    halves[:, ::2], halves[:, 1::2] = sharp, (sharp[:, 1:] + sharp[:, :-1]) / 2
    tries = np.arange(-2 * aside, 2 * aside + 1) / 2
    matches = []
    for first in range(2 * core.start, 2 * core.start + len(tries)):
        own = halves[:, first : first + 2 * (core.stop - core.start) - 1 : 2]
        matches.append(own @ model[core] / np.maximum(np.linalg.norm(own, axis=1) * np.linalg.norm(model[core]), 1e-9))
    all_matches = np.stack(matches, axis=1)
    best = np.argmax(all_matches, axis=1)
    sure = all_matches[np.arange(len(best)), best] > _MATCHES
    if sure.sum() < 3:
        return np.zeros(len(sharp))
    rows = np.arange(len(sharp))
    off = np.interp(rows, rows[sure], tries[best][sure])
    padded = np.pad(off, 2, mode="edge")
    return np.asarray(np.median(np.stack([padded[i : i + len(off)] for i in range(5)]), axis=0), np.float64)


def _sampled(line: Plane, at: Plane, level: Plane) -> Plane:
    """Samples of a line (m,) at places, 0 beyond its ends."""
    out = cv2.remap(
        np.ascontiguousarray(line[None], np.float32), at, level, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT
    )
    return np.asarray(out, np.float32)


def _across(log: Plane, line: NDArray[np.float64], broken: int) -> tuple[Plane, Plane]:
    """What lies on both sides of the broken surface (h, w, C), straight across it, and twice how much they differ (h, 1)."""
    h, w = log.shape[:2]
    rows = np.arange(h)[:, None]
    # Halves upwards, wherever the picture begins: rint rounds them to even numbers.
    left, right = (np.floor(line + 0.5).astype(int) + sign * (broken + 2) for sign in (-1, 1))
    ends = [
        log[rows, np.clip(at[:, None] + np.arange(-1, 2)[None], 0, w - 1)].mean(axis=1, keepdims=True)
        for at in (left, right)
    ]
    share = np.clip((np.arange(w)[None] - left[:, None]) / np.maximum(right - left, 1)[:, None], 0, 1)[..., None]
    between = np.asarray(ends[0] * (1 - share) + ends[1] * share, np.float32)
    return between, 2 * np.abs(ends[0] - ends[1]).max(axis=2)
