"""Colour: CIE L*a*b*, CIEDE2000, chroma of reflectance."""

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


def ciede2000(a: NDArray[np.floating], b: NDArray[np.floating]) -> NDArray[np.float32]:
    """Colour difference of two L*a*b* arrays (..., 3). Source: Sharma, Wu, Dalal (2005)."""
    l1, a1, b1 = np.moveaxis(np.asarray(a, np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(b, np.float64), -1, 0)
    c_mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7)))
    a1, a2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    dh = (h2 - h1 + 180) % 360 - 180
    dh = np.where(c1 * c2 == 0, 0, dh)
    d_h = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    l_mean, c_mean = (l1 + l2) / 2, (c1 + c2) / 2
    h_mean = np.where(c1 * c2 == 0, h1 + h2, (h1 + dh / 2) % 360)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )
    s_l = 1 + 0.015 * (l_mean - 50) ** 2 / np.sqrt(20 + (l_mean - 50) ** 2)
    s_c, s_h = 1 + 0.045 * c_mean, 1 + 0.015 * c_mean * t
    r_c = 2 * np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7))
    r_t = -r_c * np.sin(np.radians(60 * np.exp(-(((h_mean - 275) / 25) ** 2))))
    l_, c_, h_ = (l2 - l1) / s_l, (c2 - c1) / s_c, d_h / s_h
    return np.asarray(np.sqrt(np.maximum(l_**2 + c_**2 + h_**2 + r_t * c_ * h_, 0)), np.float32)
