"""The Ink step's curve: from the scan's density to the density it should have.

Coverage is linear in reflectance between paper and ink (a scanner adds light), so with the middle point at rest the
curve only replaces the scan's grey ink by the darker ink and leaves every share of coverage as it is. Moving the
middle point bends it with a power, which keeps all tones in order.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from woad.core.raster.transfer import reflectance as of_density


@dataclass(frozen=True)
class TonePoints:
    """Densities of the three flags: ``paper`` becomes bare, ``ink`` full, ``middle`` half covered."""

    paper: float
    middle: float
    ink: float


def resting_middle(paper: float, ink: float) -> float:
    """The density that is half covered when the middle point does nothing."""
    return float(-np.log10((10**-paper + 10**-ink) / 2))


def coverage_curve(points: TonePoints, r: NDArray[np.floating]) -> NDArray[np.float32]:
    """Geometric coverage 0..1 of reflectance ``r`` (any shape). Monotone: a darker scan never covers less."""
    top, bottom = float(of_density(points.paper)), float(of_density(points.ink))
    span = max(top - bottom, 1e-4)
    x = np.clip((top - np.asarray(r, np.float32)) / span, 0, 1)
    gamma = curve_power(points)
    return (x if gamma == 1.0 else np.power(x, np.float32(gamma))).astype(np.float32)


def curve_power(points: TonePoints) -> float:
    """The power that makes the middle point half covered, kept within 0.25 to 4."""
    top, bottom = float(of_density(points.paper)), float(of_density(points.ink))
    x = (top - float(of_density(points.middle))) / max(top - bottom, 1e-4)
    x = float(np.clip(x, 0.02, 0.98))
    power = float(np.clip(np.log(0.5) / np.log(x), 0.25, 4.0))
    return 1.0 if abs(power - 1) < 2e-3 else power
