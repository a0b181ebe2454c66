"""Robust least squares with a model that is not linear: what lies far off counts less (Cauchy loss)."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

_ROUNDS = 40
_DAMPING, _LESS, _MORE, _MOST = 1e-3, 0.2, 4.0, 1e9  # at first, after a step that helps, after one that does not
_DONE = 1e-5  # share of the parameters' size, and of the loss, below which a step is the last


def fitted(left: Callable[[Floats], Floats], slopes: Callable[[Floats], Floats], start: Floats, scale: float) -> Floats:
    """Parameters (K,) near ``start`` with the least sum of ``ln(1 + (left / scale)²)``.

    ``left`` (n,) is what a model leaves with some parameters, ``slopes`` (n, K) how that changes with each of them. A damped
    Gauss-Newton search (Levenberg 1944, Marquardt 1963) with the loss's weights taken anew at each step (Holland and
    Welsch 1977): their parabolas lie above the loss, so that far starts lead to no wild steps.
    """
    here, damping = start, _DAMPING
    rest = left(here) / scale
    loss = float(np.log1p(rest * rest).sum())
    for _ in range(_ROUNDS):
        far, by = 1 + rest * rest, slopes(here) / scale
        down = by.T @ (rest / far)
        bend = by.T @ (by / far[:, None])
        size = np.diag(np.maximum(bend.diagonal(), 1e-12))
        while damping < _MOST:
            step = -np.linalg.solve(bend + damping * size, down)
            next_rest = left(here + step) / scale
            next_loss = float(np.log1p(next_rest * next_rest).sum())
            if next_loss < loss:
                break
            damping *= _MORE
        else:
            return here
        gain, here, rest, loss = loss - next_loss, here + step, next_rest, next_loss
        damping *= _LESS
        if gain < _DONE * loss or np.linalg.norm(step) < _DONE * (_DONE + np.linalg.norm(here)):
            return here
    return here
