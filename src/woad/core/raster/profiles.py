"""Profiles across a line that runs over the sheet: what its parts show of it, and how much alike they are."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

_PAPER = 0.75  # share of the lines next to each other that may be darker than paper


def paper_of(lines: Plane) -> Plane:
    """What is paper rather than marks of ``lines`` (n, m) next to each other, (m,)."""
    at = int(_PAPER * (len(lines) - 1))
    return np.asarray(np.partition(lines, at, axis=0)[at], np.float32)


def medians(values: Plane, axis: int) -> Plane:
    """Medians along an axis of a few hundred values at most: there sorting them is several times as fast as NumPy's own way."""
    many = values.shape[axis]
    ranked = np.sort(values, axis=axis)
    return np.asarray((ranked.take((many - 1) // 2, axis) + ranked.take(many // 2, axis)) / 2, np.float32)


def strengths(profiles: Plane, model: Plane) -> Plane:
    """How much of the ``model`` (m,) each of ``profiles`` (n, m) is, by least squares, (n,)."""
    return np.asarray(profiles @ model / (float(model @ model) + 1e-12), np.float32)


def correlations(profiles: Plane, model: Plane) -> Plane:
    """How alike the ``model`` (m,) and ``profiles`` (n, m) are, whatever their strength, (n,), -1 to 1."""
    size = np.maximum(np.linalg.norm(profiles, axis=1), 1e-6)
    return np.asarray(strengths(profiles, model) * np.linalg.norm(model) / size, np.float32)
