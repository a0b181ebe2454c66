"""The ridge: what a thing of full ink can be like on this sheet, at its size.

Blur thins small things out: a dot of full ink that is as small as the blur reaches half the density of a line. So a thin
density alone does not say dust, nor does a soft rim. But of all that hold as much, dots of full ink are the densest and the
sharpest, and all are alike; dust lies aside.
"""

from __future__ import annotations

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

Floats = NDArray[np.float64]

_BESIDE = 40  # pieces of the next less and of the next greater mass that one is compared with
_FULL = 0.97  # peak from which no more can be told
_ROWS = 10_000


def compactness(peak: Floats, mass: Floats) -> Floats:
    """How little room each piece takes for what it holds, log per px squared, (n,), from its peak 0..1 and its mass, px
    squared.

    A dot of mass m, spread by a blur of area a, reaches a peak of 1 - exp(-m / a): all the smallest dots of full ink have
    one a, the blur's own, so that they can be compared even where none is smaller. Compactness is -log a.
    """
    return np.asarray(np.log(-np.log1p(-np.clip(peak, 1e-3, _FULL))) - np.log(mass), np.float64)


def against(mass: Floats, value: Floats, quantile: float) -> Floats:
    """Of each piece: the share of pieces of about its ``mass`` that have less of ``value``, and how much more it has than a
    ``quantile`` of them, (n, 2)."""
    n = len(mass)
    order = np.argsort(mass, kind="stable")
    many = min(2 * _BESIDE + 1, n)
    windows = sliding_window_view(value[order], many)
    first = np.clip(np.arange(n) - _BESIDE, 0, n - many)
    out = np.empty((n, 2))
    for top in range(0, n, _ROWS):
        rows = order[top : top + _ROWS]
        beside = windows[first[top : top + _ROWS]]
        out[rows, 0] = (beside < value[rows, None]).mean(axis=1)
        out[rows, 1] = value[rows] - np.quantile(beside, quantile, axis=1)
    return out
