"""Colour: CIE L*a*b* of linear sRGB."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]],
    np.float64,
)
_WHITE = _TO_XYZ.sum(axis=1)


def lab(linear: NDArray[np.floating]) -> NDArray[np.float32]:
    """Linear sRGB (..., 3) in 0..1 to CIE L*a*b* (D65), float32. Source: CIE 15."""
    xyz = np.asarray(linear, np.float64) @ _TO_XYZ.T / _WHITE
    f = np.where(xyz > 216 / 24389, np.cbrt(np.maximum(xyz, 0)), (24389 / 27 * xyz + 16) / 116)
    out = np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)
    return out.astype(np.float32)


def lightness(linear: tuple[float, float, float]) -> float:
    """CIE L* of one linear sRGB colour, 0 to 100."""
    return float(lab(np.array([linear]))[0, 0])
