"""Kin: pieces of one make, wherever on the sheet they lie, and whether they flock together. One pen makes dots of one
size, density and hue, and sets them where the drawing is; dust does neither."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from woad.core.spotting.pieces import Pieces

Floats = NDArray[np.float64]
Singles = NDArray[np.float32]

_SIZE, _PEAK, _HUE = 0.08, 0.06, 0.03  # log size, coverage and hue by which pieces of one make differ
_MOST, _ROWS = 2000, 500  # of many pieces every so-and-so-many-th is compared with; rows at once
_PAIRS = 16_000_000  # compared at most: a sheet of 200,000 specks must not take minutes
_CLOSE, _WIDE, _JUDGED = 1.0, 6.0, 2.0  # spreads (variances) of kinship
_FLOCK_MM, _LEAST_MM = 6.0, 10.0  # how far a flock reaches; the least side of the area that pieces are strewn over


def make_of(pieces: Pieces, mm: float, hue: Floats | None) -> Floats:
    """What each piece is like, in steps that pieces of one make differ by, (n, 3). ``mm`` px to the millimetre; ``hue``
    (n, 5) as for :func:`woad.core.spotting.judge.features`."""
    size = np.log(np.maximum(pieces.size_px, 0.5) / mm)
    other = np.zeros(len(pieces)) if hue is None else hue[:, :2].max(axis=1)
    return np.column_stack([size / _SIZE, pieces.peak / _PEAK, other / _HUE])


def kin(make: Floats, at: Floats) -> Floats:
    """Of each piece: how many are very like it and how many somewhat (log), which share of all those are, how many
    somewhat like it lie around it (log), and how much more than if they were strewn evenly (log), (n, 5). ``at`` (n, 2)
    places, mm."""
    n = len(make)
    out = np.zeros((n, 5))
    if not n:
        return out
    low, high = np.percentile(at, [2, 98], axis=0)
    flock = 2 * np.pi * _FLOCK_MM**2 / float(np.prod(np.maximum(high - low, _LEAST_MM)))
    for rows, apart, beside, each in _compared(make, at):
        alike = np.exp(-0.5 / _WIDE * apart)
        close, wide = np.exp(-0.5 / _CLOSE * apart).sum(axis=1) * each, alike.sum(axis=1) * each
        here = (alike * beside).sum(axis=1) * each
        out[rows] = np.column_stack([
            np.log1p(close), np.log1p(wide), wide / n, np.log1p(here), np.log((here + 0.3) / (wide * flock + 0.3)),
        ])  # fmt: skip
    return out


def opinion_of_kin(make: Floats, at: Floats, dirt: Floats) -> Floats:
    """How much mark and how much dirt there is, by a first judgement ``dirt`` (n,): of each piece's own make, of that
    around it, and of any make around it, (n, 6) log."""
    out = np.zeros((len(make), 6))
    step = _step(len(make))
    judged = np.column_stack([1 - dirt[::step], dirt[::step]]).astype(np.float32)
    for rows, apart, beside, each in _compared(make, at):
        alike = np.exp(-0.5 / _JUDGED * apart)
        weights = (alike, alike * beside, np.where(np.isinf(apart), 0, beside))
        out[rows] = np.log1p(np.column_stack([weight @ judged for weight in weights]) * each)
    return out


def _step(n: int) -> int:
    return max(1, -(-n // min(_MOST, max(_PAIRS // max(n, 1), 50))))


def _compared(make: Floats, at: Floats) -> Iterator[tuple[slice, Singles, Singles, float]]:
    """Some rows, how far (squared) each of them is in make from every one compared with, itself left out, how much that
    one lies beside it (0..1), and how many pieces each of those stands for."""
    step = _step(len(make))
    likeness, places = make.astype(np.float32), at.astype(np.float32)  # half the time, and as fine as steps of either
    for top in range(0, len(make), _ROWS):
        rows = slice(top, top + _ROWS)
        apart = _squares(likeness[rows], likeness[::step])
        itself = np.arange(-top % step, len(apart), step)
        apart[itself, (top + itself) // step] = np.inf
        yield rows, apart, np.exp(-0.5 / _FLOCK_MM**2 * _squares(places[rows], places[::step])), float(step)


def _squares(a: Singles, b: Singles) -> Singles:
    """Squared distances, (len(a), len(b))."""
    sums = (a * a).sum(axis=1)[:, None] + (b * b).sum(axis=1)
    return np.asarray(np.maximum(sums - 2 * a @ b.T, 0), np.float32)
