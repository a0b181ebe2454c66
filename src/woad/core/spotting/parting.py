"""Specks that hang together with something else by a faint skirt only, parted from it.

What blurs a scan, and what a messenger's compression leaves around a line, joins a speck to a mark a few px away. At a
higher coverage the two are apart; a speck that has bare paper on most of its sides there is a piece of its own. One in
a wash or in a pencil's grain has not, and stays a part of it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]
Labels = NDArray[np.int32]
Places = NDArray[np.intp]

# Coverage, of 255, at which things are looked at again, and how much a speck reaches, so that a skirt's noise is none.
LEVELS = {24: 41, 60: 102, 150: 240}
_SPECK_MM = 0.6  # what hangs on is no larger than this
_SKIRT, _AROUND = 2, 3  # blocks: how much of the skirt goes with a speck, and how far around it is looked for paper
_FAINT = 20  # coverage, of 255, below which there may be a skirt, but no wash that a hole would show in
_BARE = 0.5  # share of what lies around a speck that has to be paper


@dataclass(frozen=True, eq=False)
class Specks:
    """Small things that are apart at coverage ``level``, n of them: ``where`` their blocks lie (flat), ``which`` of them
    each block belongs to, ``area`` blocks of each."""

    level: int
    where: Places
    which: Places
    area: NDArray[np.intp]


def paper_counts(most: Plane8) -> NDArray[np.int32]:
    """How many blocks with nothing but paper, or a skirt, lie above and left of each corner, (gh + 1, gw + 1)."""
    return np.asarray(cv2.integral((most < _FAINT).astype(np.uint8)), np.int32)


def find_specks(most: Plane8, paper: NDArray[np.int32], level: int, block: int, mm: float) -> Specks:
    """Specks with paper on most of their sides at one of :data:`LEVELS`.

    Parameters: ``most`` (gh, gw) most coverage in blocks of ``block`` px; ``paper`` as from :func:`paper_counts`; ``mm``
    px to the millimetre.
    """
    _, parts, stats, _ = cv2.connectedComponentsWithStats((most >= level).astype(np.uint8), connectivity=8)
    box = stats[:, : cv2.CC_STAT_AREA]
    small = box[:, 2:].max(axis=1) * block <= _SPECK_MM * mm
    small[0] = False
    own = np.flatnonzero(small)
    own = own[_paper_around(paper, box[own]) >= _BARE]
    where, which = _blocks_in(box[own], most.shape[1])
    held = parts.ravel()[where] == own[which]
    where, which = where[held], which[held]
    peak = np.zeros(len(own), np.uint8)
    np.maximum.at(peak, which, most.ravel()[where])
    dense = peak >= LEVELS[level]
    number = np.cumsum(dense) - 1
    held = dense[which]
    return Specks(level, where[held], number[which[held]], stats[own[dense], cv2.CC_STAT_AREA])


def parted(most: Plane8, labels: Labels, count: int, specks: Iterable[Specks]) -> int:
    """Give specks numbers of their own, in place; returns how many pieces there are then.

    Parameters: ``most`` (gh, gw) most coverage in blocks; ``labels`` (gh, gw) 0 bare, 1..``count`` pieces, below 0 what
    is too large to be one; ``specks`` of each level, the lowest first.
    """
    flat = labels.ravel()
    inside = np.flatnonzero(flat > 0)
    for found in specks:
        whole = np.zeros(len(found.area), np.int32)
        whole[found.which] = flat[found.where]
        held = np.bincount(flat[inside[most.ravel()[inside] >= found.level]], minlength=count + 1)
        leaves = (whole < 0) | ~_keep_number(whole, found.area, held)
        number = count + np.cumsum(leaves).astype(np.int32)
        count += int(leaves.sum())
        mine = leaves[found.which]
        which = found.which[mine]
        _leave(labels, most, found.level, found.where[mine], number[which], whole[which])
    return count


def _keep_number(whole: Labels, area: NDArray[np.intp], held: NDArray[np.intp]) -> NDArray[np.bool_]:
    """Which specks stay what the small piece is that they are of: its largest, when all the rest of it, of ``held``
    blocks in all, is less than that one."""
    out = np.zeros(len(whole), bool)
    small = np.flatnonzero(whole > 0)
    rest = held - np.bincount(whole[small], area[small], len(held)).astype(np.intp)
    largest = np.full(len(held), -1, np.intp)
    by_area = small[np.argsort(area[small], kind="stable")]
    largest[whole[by_area]] = by_area  # the last one, which is the largest, stays written
    own = np.flatnonzero(largest >= 0)
    out[largest[own]] = rest[own] < area[largest[own]]
    return out


def _blocks_in(box: NDArray[np.int32], width: int) -> tuple[Places, Places]:
    """Flat places of all blocks in boxes (n, 4), and which box each is of."""
    x, y, w, h = box.astype(np.intp).T
    which = np.repeat(np.arange(len(box)), w * h)
    step = np.arange(len(which)) - np.repeat(np.cumsum(w * h) - w * h, w * h)
    down, along = np.divmod(step, w[which])
    return (y[which] + down) * width + x[which] + along, which


def _paper_around(paper: NDArray[np.int32], box: NDArray[np.int32]) -> NDArray[np.float64]:
    """Share of bare blocks in a frame around each box (n, 4) x, y, w, h; what lies beyond the sheet does not count."""
    h, w = paper.shape[0] - 1, paper.shape[1] - 1
    x, y = box[:, 0], box[:, 1]
    right, bottom = x + box[:, 2], y + box[:, 3]
    x0, y0 = np.maximum(x - _AROUND, 0), np.maximum(y - _AROUND, 0)
    x1, y1 = np.minimum(right + _AROUND, w), np.minimum(bottom + _AROUND, h)

    def count(left: Labels, top: Labels, right: Labels, bottom: Labels) -> Labels:
        return paper[bottom, right] - paper[top, right] - paper[bottom, left] + paper[top, left]

    ring = (x1 - x0) * (y1 - y0) - box[:, 2] * box[:, 3]
    return np.asarray((count(x0, y0, x1, y1) - count(x, y, right, bottom)) / np.maximum(ring, 1), np.float64)


def _leave(labels: Labels, most: Plane8, level: int, where: Places, number: Labels, whole: Labels) -> None:
    """Give places (flat) their new ``number``, and with them the skirt around, below ``level``, that belonged to the
    same ``whole``, the nearest first; in place."""
    h, w = labels.shape
    flat, cover = labels.ravel(), most.ravel()
    flat[where] = number
    y, x = np.divmod(where, w)
    steps = [(i, j) for i in range(-_SKIRT, _SKIRT + 1) for j in range(-_SKIRT, _SKIRT + 1) if i or j]
    for dy, dx in sorted(steps, key=lambda step: step[0] ** 2 + step[1] ** 2):
        inside = (y + dy >= 0) & (y + dy < h) & (x + dx >= 0) & (x + dx < w)
        there = where[inside] + dy * w + dx
        mine = (flat[there] == whole[inside]) & (cover[there] < level)
        flat[there[mine]] = number[inside][mine]
