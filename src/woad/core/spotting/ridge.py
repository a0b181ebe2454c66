"""The ridge: how dense a thing of some size can be on this sheet.

Blur thins small things out: a dot of full ink that is as small as the blur reaches half the density of a line. So a thin
density alone does not say dust. But of all that hold as much, dots of full ink are the densest, and dust lies below.
"""

from __future__ import annotations

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from woad.core.spotting.pieces import Pieces

Floats = NDArray[np.float64]

_BESIDE = 40  # pieces of the next less and of the next greater mass that one is compared with
_DENSEST = 0.9  # quantile of their compactness that is the ridge
_FULL = 0.97  # peak from which no more can be told
_ROWS = 10_000


def against_ridge(pieces: Pieces) -> Floats:
    """Of each piece: the share of pieces of about its mass that are less compact, and how much less compact than the most
    compact of them it is (log), (n, 2).

    A dot of mass m (px), spread by a blur of area a (px squared), reaches a peak of 1 - exp(-m / a): all the smallest dots
    of full ink have one a, the blur's own, so that they can be compared even where none is smaller. Compactness is -log a.
    """
    n = len(pieces)
    peak = np.clip(pieces.peak.astype(np.float64), 1e-3, _FULL)
    mass = np.log(np.maximum(pieces.size_px, 0.5)) * 2 + np.log(peak)
    compact = np.log(-np.log1p(-peak)) - mass
    order = np.argsort(mass, kind="stable")
    many = min(2 * _BESIDE + 1, n)
    windows = sliding_window_view(compact[order], many)
    first = np.clip(np.arange(n) - _BESIDE, 0, n - many)
    out = np.empty((n, 2))
    for top in range(0, n, _ROWS):
        rows = order[top : top + _ROWS]
        beside = windows[first[top : top + _ROWS]]
        out[rows, 0] = (beside < compact[rows, None]).mean(axis=1)
        out[rows, 1] = compact[rows] - np.quantile(beside, _DENSEST, axis=1)
    return out
