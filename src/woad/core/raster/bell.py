"""A Gaussian's integral: what blur makes of a step."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Real = TypeVar("Real", np.float32, np.float64)


def bell_integral(x: NDArray[Real]) -> NDArray[Real]:
    """The integral of a Gaussian of sigma 1 up to ``x`` (any shape), 0..1, to 0.0004 (the tanh form that neural networks use;
    Hendrycks and Gimpel 2016)."""
    return np.asarray(0.5 + 0.5 * np.tanh(0.7978845608 * (x + 0.044715 * x * x * x)))
