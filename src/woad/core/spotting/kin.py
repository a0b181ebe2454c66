"""Kin: pieces of one make, wherever on the sheet they lie. One pen makes dots of one size, density and hue; dust does not."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from woad.core.spotting.pieces import Pieces

Floats = NDArray[np.float64]

_SIZE, _PEAK, _HUE = 0.08, 0.06, 0.03  # log size, coverage and hue by which pieces of one make differ
_MOST, _ROWS = 2000, 500  # of many pieces every so-and-so-many-th is compared with; rows at once
_CLOSE, _WIDE, _JUDGED = 1.0, 6.0, 2.0  # spreads (variances) of kinship


def make_of(pieces: Pieces, mm: float, hue: Floats | None) -> Floats:
    """What each piece is like, in steps that pieces of one make differ by, (n, 3). ``mm`` px to the millimetre; ``hue``
    (n, 2) as for :func:`woad.core.spotting.judge.features`."""
    size = np.log(np.maximum(pieces.size_px, 0.5) / mm)
    other = np.zeros(len(pieces)) if hue is None else hue.max(axis=1)
    return np.column_stack([size / _SIZE, pieces.peak / _PEAK, other / _HUE])


def kin(make: Floats) -> Floats:
    """Of each piece: how many are very like it and how many somewhat (log), and which share of all those are, (n, 3)."""
    n = len(make)
    out = np.zeros((n, 3))
    for rows, apart, each in _compared(make):
        close, wide = (np.exp(-0.5 / spread * apart).sum(axis=1) * each for spread in (_CLOSE, _WIDE))
        out[rows] = np.column_stack([np.log1p(close), np.log1p(wide), wide / n])
    return out


def opinion_of_kin(make: Floats, dirt: Floats) -> Floats:
    """How much mark and how much dirt there is of each piece's own make, by a first judgement ``dirt`` (n,), (n, 2) log."""
    out = np.zeros((len(make), 2))
    step = _step(len(make))
    for rows, apart, each in _compared(make):
        weight = np.exp(-0.5 / _JUDGED * apart) * each
        out[rows] = np.log1p(np.column_stack([weight @ (1 - dirt[::step]), weight @ dirt[::step]]))
    return out


def _step(n: int) -> int:
    return max(1, -(-n // _MOST))


def _compared(make: Floats) -> Iterator[tuple[slice, Floats, float]]:
    """Some rows, how far (squared) each of them is from every one compared with, itself left out, and how many pieces
    each of those stands for."""
    step = _step(len(make))
    others = make[::step]
    squares = (others * others).sum(axis=1)
    for top in range(0, len(make), _ROWS):
        own = make[top : top + _ROWS]
        apart = np.maximum((own * own).sum(axis=1)[:, None] + squares - 2 * own @ others.T, 0)
        itself = np.arange(-top % step, len(own), step)
        apart[itself, (top + itself) // step] = np.inf
        yield slice(top, top + len(own)), apart, float(step)
