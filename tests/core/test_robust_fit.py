"""Robust least squares of models that are not linear."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from woad.core.paper.robust_fit import fitted

Floats = NDArray[np.float64]
X = np.linspace(0, 4, 200)
TRUE = np.array([0.9, 1.3, 0.2])  # height, rate and foot of a decay


def model(p: Floats) -> Floats:
    return np.asarray(p[0] * np.exp(-p[1] * X) + p[2])


def slopes(p: Floats) -> Floats:
    fall = np.exp(-p[1] * X)
    return -np.stack([fall, -p[0] * X * fall, np.ones_like(X)], axis=1)


@pytest.mark.parametrize("start", [(0.5, 1.0, 0.0), (2.0, 3.0, 0.5)])
def test_the_curve_is_found_among_values_that_are_not_of_it(start: tuple[float, float, float]) -> None:
    """A quarter of the values, all too high, leave the fit at the true curve; least squares would be far off."""
    rng = np.random.default_rng(5)
    seen = model(TRUE) + rng.normal(0, 0.01, X.size)
    seen[::4] += rng.uniform(0.2, 0.8, X[::4].size)
    found = fitted(lambda p: seen - model(p), slopes, np.array(start), 0.01)
    np.testing.assert_allclose(found, TRUE, atol=0.02)


def test_what_fits_already_stays() -> None:
    """From the truth itself no step helps, and none is taken; a slope that tells nothing is no fault."""
    seen = model(TRUE)
    np.testing.assert_array_equal(fitted(lambda p: seen - model(p), slopes, TRUE, 0.01), TRUE)
    flat = fitted(lambda p: np.ones(3), lambda p: np.zeros((3, 2)), np.array([1.0, 2.0]), 0.1)
    np.testing.assert_array_equal(flat, [1.0, 2.0])
