"""Lines that somebody drew, told from hairs: a hair ends where it ends; a thin piece of a pen's line goes on beyond.

Where a pen's line thins out it is as thin, sharp and curved as a hair. But at one end or the other the line itself goes
on, broader or straighter than a hair would be.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.spotting.lengthwise import ends_of

Plane = NDArray[np.float32]
Points = NDArray[np.float64]
Box = tuple[int, int, int, int]

_AHEAD_MM = (0.3, 0.5, 0.7, 0.9, 1.1)  # looked at beyond an end
_FAN_DEG = (-40, -30, -20, -10, 0, 10, 20, 30, 40)
_END_MM, _ASIDE_MM = 1.4, (0.45, 0.9)  # what belongs to an end; how far a line's sides may lie
_DARK, _ON = 0.45, 4  # what share of a hair's contrast goes on, and at how many of the places ahead
_TOO_LONG_MM, _MANY = 25.0, 3  # no hair is that long; so many lines that go on are a drawing


def drawn(lightness: Plane, lines: Sequence[tuple[Box, NDArray[np.bool_]]], mm: float) -> NDArray[np.bool_]:
    """Which of thin ``lines`` (box and mask each, as of a :class:`woad.core.spotting.hairs.Hair`) are parts of drawn ones.

    Parameters: ``lightness`` (h, w) float32 encoded 0..255 of the evened sheet; ``mm`` px to the millimetre.
    A line that goes on as another of them is drawn when that one is. They are all lighter than their ground, or all darker.
    """
    calm = cv2.GaussianBlur(lightness, (0, 0), max(0.07 * mm, 0.7))
    owner = np.full(lightness.shape, -1, np.int32)
    for i, ((x, y, w, h), mask) in enumerate(lines):
        owner[y : y + h, x : x + w][mask] = i
    out, lengths = np.zeros(len(lines), bool), np.zeros(len(lines))
    links: list[tuple[int, int]] = []
    for i, (box, mask) in enumerate(lines):
        ends, lengths[i] = ends_of(mask)
        out[i] = lengths[i] > _TOO_LONG_MM * mm
        for end in ends:
            ahead = _ahead(calm, owner, i, box, mask, end, mm)
            if ahead >= 0:
                links.append((i, ahead))
            out[i] |= ahead == _BARE
    for _ in range(len(lines)):
        before = out.copy()
        for a, b in links:
            out[a] = out[b] = out[a] | out[b]
        if (out == before).all():
            break
    # A hair found in part goes on too, where it passes from one paint to the next. But where that many lines go on, they
    # are a drawing's, and so are those that end like hairs.
    if out.sum() < min(_MANY, len(lines) / 2):
        return lengths > _TOO_LONG_MM * mm
    if lengths[out].sum() >= lengths[~out].sum():
        out[:] = True
    return out


_NOTHING, _BARE = -1, -2


def _ahead(
    calm: Plane, owner: NDArray[np.int32], own: int, box: Box, mask: NDArray[np.bool_], steps: NDArray[np.int32], mm: float
) -> int:  # fmt: skip
    """What a line runs into beyond its end: the number of another line, _BARE for one that is none of them, _NOTHING."""
    x0, y0, w, h = box
    part = mask & (steps >= 0) & (steps < _END_MM * mm)
    inner = calm[y0 : y0 + h, x0 : x0 + w]
    pad = max(2, round(0.2 * mm))
    wide = cv2.copyMakeBorder(part.astype(np.uint8), pad, pad, pad, pad, cv2.BORDER_CONSTANT, value=0.0)
    ring = (cv2.dilate(wide, np.ones((2 * pad + 1,) * 2, np.uint8)) > 0)[pad:-pad, pad:-pad] & ~mask
    if part.sum() < 6 or ring.sum() < 6:
        return _NOTHING
    ground = float(np.median(inner[ring]))
    off = np.abs(inner[part] - ground)
    core = part.copy()
    core[part] = off >= np.percentile(off, 60)
    sign = float(np.sign(np.mean(inner[core]) - ground))
    contrast = abs(float(np.mean(inner[core])) - ground)
    y, x = np.nonzero(core)
    far = steps[core].astype(np.float64)
    tip = np.array([x[far <= np.percentile(far, 15)].mean(), y[far <= np.percentile(far, 15)].mean()])
    back = np.array([x[far >= np.percentile(far, 70)].mean(), y[far >= np.percentile(far, 70)].mean()])
    way = tip - back
    if not np.hypot(*way):
        return _NOTHING
    turn = np.arctan2(way[1], way[0]) + np.deg2rad(np.array(_FAN_DEG))[:, None]
    reach = np.array(_AHEAD_MM)[None] * mm
    px = x0 + tip[0] + np.cos(turn) * reach
    py = y0 + tip[1] + np.sin(turn) * reach
    here = (_read(calm, px, py) - ground) * sign
    # Broad areas as dark as the line say nothing: it must be a line that goes on, standing out from both its sides.
    on = np.zeros(here.shape, bool)
    for aside in _ASIDE_MM:
        sides = [
            (_read(calm, px - np.sin(turn) * side * mm, py + np.cos(turn) * side * mm) - ground) * sign
            for side in (-aside, aside)
        ]
        on |= here - np.maximum(*sides) >= _DARK * contrast
    counts = on.sum(axis=1)
    best = int(counts.argmax())
    if counts[best] < _ON:
        return _NOTHING
    ys, xs = (np.clip(np.rint(v[best]).astype(int), 0, n - 1) for v, n in ((py, calm.shape[0]), (px, calm.shape[1])))
    others = owner[ys, xs][on[best]]
    others = others[others != own]
    if (others >= 0).sum() >= 2:
        return int(np.bincount(others[others >= 0]).argmax())
    return _BARE if len(others) >= _ON - 1 else _NOTHING


def _read(plane: Plane, x: Points, y: Points) -> Plane:
    """Values at places; beyond the rim those of the rim."""
    return np.asarray(
        cv2.remap(plane, x.astype(np.float32), y.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE),
        np.float32,
    )
