"""Phases of waves over a sheet: where exactly what repeats lies, on paper that is bent before a lens."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Waves = NDArray[np.complex64]
Doubles = NDArray[np.float64]

_AGAIN = (1.0, 1.5)  # times the spread, over which the course is read once more
_LAST, _WIDER, _LESS = 4.0, 8.0, 0.05  # times it at last, and a wider one besides, with what that counts
_STRONG = 1.4  # times the usual, from which waves are something else
_ROUNDS, _FAR = 4, 3.0  # of weighing what turns otherwise, and times the usual, from which it counts a quarter
_COARSE = 8.0  # px of a Gaussian, from twice which on it is told from larger pixels


def smooth(waves: Waves, spread: float) -> Waves:
    """Waves (h, w) averaged by a Gaussian of so many px."""
    h, w = waves.shape
    parts = np.ascontiguousarray(waves).view(np.float32).reshape(h, w, 2)
    times = min(int(spread / _COARSE), h, w)
    if times > 1:
        parts = cv2.resize(parts, (w // times, h // times), interpolation=cv2.INTER_AREA)
        spread /= times
    blurred = cv2.GaussianBlur(parts, (0, 0), spread)
    if times > 1:
        blurred = cv2.resize(blurred, (w, h), interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(blurred, np.float32).reshape(h, w, 2).view(np.complex64)[..., 0]


def phases(waves: Waves, spread: float) -> Plane:
    """Phases of ``waves`` (h, w), which are told over a ``spread`` of so many px, in cycles and without jumps, (h, w) float32.

    A bent sheet's broad course comes first, a cubic surface, as its slopes tell it: these do not jump from one cycle to the
    next. What is left of it is then steady enough to be told over wide windows.
    """
    h, w = waves.shape
    y, x = np.meshgrid(np.linspace(-1, 1, h), np.linspace(-1, 1, w), indexing="ij")
    terms = np.stack([x**i * y**j for i in range(4) for j in range(4 - i)], axis=2)
    strong = np.abs(smooth(waves, spread))
    # A frame that is drawn as pale as what repeats is stronger than that, and in step with nothing.
    waves = np.where(strong < _STRONG * np.median(strong), waves, np.complex64(0))
    course = _fitted_to_slopes(terms, smooth(waves, spread))
    for times in _AGAIN:
        left = smooth(_without(waves, course), times * spread)
        turn = np.angle(left.sum())
        rest = np.angle(left * np.exp(-1j * turn)) / (2 * np.pi)
        course += turn / (2 * np.pi) + _fitted(terms, terms, rest, np.abs(left))
    left = _without(waves, course)
    # Where there are marks only, a wider window tells.
    last = smooth(left, _LAST * spread) + np.float32(_LESS) * smooth(left, _WIDER * spread)
    return np.asarray(course + np.angle(last) / (2 * np.pi), np.float32)


def _without(waves: Waves, course: Doubles) -> Waves:
    return np.asarray(waves * np.exp(-2j * np.pi * course), np.complex64)


def _fitted_to_slopes(terms: Doubles, waves: Waves) -> Doubles:
    """The surface of ``terms`` (h, w, n) that turns from cell to cell as the waves do."""
    turned = [waves[:, 1:] * np.conj(waves[:, :-1]), waves[1:] * np.conj(waves[:-1])]
    slopes = [np.diff(terms, axis=axis).reshape(-1, terms.shape[2]) for axis in (1, 0)]
    steps = np.concatenate([one.ravel() for one in turned])
    return _fitted(terms, np.concatenate(slopes), np.angle(steps) / (2 * np.pi), np.abs(steps))


def _fitted(terms: Doubles, at: Doubles, values: NDArray[np.floating], weight: NDArray[np.floating]) -> Doubles:
    """The surface of ``terms`` (h, w, n) whose terms ``at`` places (…, n) come nearest to most of the ``values`` there: a
    frame that is drawn as pale as what repeats is in step with nothing.

    Source: iteratively reweighted least squares, the weights those of Geman and McClure (1987)."""
    rows, wanted, heavy = at.reshape(-1, at.shape[-1]), values.ravel(), weight.ravel()
    telling, trust = heavy > np.median(heavy), np.ones_like(heavy)
    for _ in range(_ROUNDS):
        weighed = rows * (heavy * trust)[:, None]
        # Over the sheet from -1 to 1, few terms: normal equations are as exact as phases are, and many times as quick.
        found = np.linalg.lstsq(weighed.T @ rows, weighed.T @ wanted, rcond=None)[0]
        off = np.abs(wanted - rows @ found)
        trust = 1 / (1 + np.square(off / (_FAR * float(np.median(off[telling])) + 1e-9))) ** 2
    return np.asarray(terms @ found)
