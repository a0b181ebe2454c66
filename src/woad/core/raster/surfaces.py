"""Quadratic surfaces through planes, by weighted least squares."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]


def low_basis(shape: tuple[int, ...]) -> Plane:
    """Columns (h, w, 6) float32 of a quadratic surface over a grid, its sides at -1 and 1: one, x, y, xx, xy, yy."""
    y, x = np.mgrid[-1 : 1 : shape[0] * 1j, -1 : 1 : shape[1] * 1j].astype(np.float32)
    return np.asarray(quadratic(x, y), np.float32)


def quadratic(x: NDArray[np.floating], y: NDArray[np.floating]) -> NDArray[np.floating]:
    """Columns (..., 6) of a quadratic surface at places ``x``, ``y``: one, x, y, xx, xy, yy."""
    return np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1)


def solved(basis: Plane, values: Plane, weight: Plane) -> Plane:
    """Weighted least squares of ``values`` (h, w, C) on ``basis`` (h, w, K), (K, C): slopes and bends held back a little; zero
    where there is no weight at all."""
    many = basis.shape[2]
    flat = basis.reshape(-1, many)
    scaled = flat * weight.reshape(-1, 1)
    ridge = np.diag([1e-6, 1e-3, 1e-3, *[6e-3] * (many - 3)]) * max(float(weight.sum()), 1e-6)
    return np.asarray(np.linalg.solve(flat.T @ scaled + ridge, scaled.T @ values.reshape(len(flat), -1)), np.float32)
