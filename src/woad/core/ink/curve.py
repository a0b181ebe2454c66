"""The Ink step's curve: from the scan's reflectance to the encoded coverage that full ink will have.

A scanner adds light, so coverage is linear in reflectance between paper and ink. Two readings of a half-covered pixel
are right, and each suits some art: *inked* takes half coverage as half ink (pen, lettering: crisp), *seen* keeps the
lightness the pixel had on the sheet (pencil, washes). The middle point bends either with a power that keeps every tone
in order and eases into solid black, so noise in blacks is not stretched.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from woad.core.raster.transfer import reflectance as of_density
from woad.core.raster.transfer import srgb_decode, srgb_encode

Reading = Literal["inked", "seen"]
Plane = NDArray[np.float32]


@dataclass(frozen=True)
class TonePoints:
    """Densities of the three flags: ``paper`` becomes bare, ``ink`` full, ``middle`` half covered. Of light ink on dark paper
    they are the negative's, whose paper is ``negative`` in linear light, 0..1; None of any other sheet."""

    paper: float
    middle: float
    ink: float
    negative: float | None = None


def encoded_share(share: NDArray[np.floating], ink_reflectance: float) -> Plane:
    """Alpha 0..1 of geometric coverage ``share`` that keeps the lightness seen.

    With ``a`` this alpha and ``k`` the encoded ink, ``1 - a (1 - k)`` is the encoded value of the linear mixture
    ``1 - share (1 - ink_reflectance)``: laid over white, the cut-out encodes to the picture that was seen.
    """
    seen = srgb_encode(1 - np.asarray(share, np.float32) * (1 - np.float32(ink_reflectance)))
    black = float(srgb_encode(np.array([ink_reflectance], np.float32))[0])
    alpha = np.clip((1 - seen) / max(1 - black, 1e-3), 0, 1).astype(np.float32)
    # Bare and full are exact, whatever rounding made of them: a power would make a rounding error visible.
    alpha[alpha < 1e-6], alpha[alpha > 1 - 1e-6] = 0, 1
    return np.asarray(alpha, np.float32)


def _share(paper: float, ink: float, r: NDArray[np.floating]) -> Plane:
    top, bottom = float(of_density(paper)), float(of_density(ink))
    return np.asarray(np.clip((top - np.asarray(r, np.float32)) / max(top - bottom, 1e-4), 0, 1), np.float32)


def light_given(paper: float, r: NDArray[np.floating]) -> Plane:
    """The linear light that was recorded where a negative has the reflectance ``r`` against a ``paper`` of that linear value."""
    return srgb_decode(1 - srgb_encode(np.clip(np.float32(paper) * np.asarray(r, np.float32), 0, 1)))


def _light_share(points: TonePoints, paper: float, r: NDArray[np.floating]) -> Plane:
    """Geometric coverage by light ink: light adds where it was recorded, and not on the negative of what encodes it."""
    low, high = light_given(paper, of_density(np.array([points.paper, points.ink])))
    return np.asarray(np.clip((light_given(paper, r) - low) / max(high - low, 1e-4), 0, 1), np.float32)


def resting_middle(
    paper: float, ink: float, reading: Reading, ink_reflectance: float, negative: float | None = None
) -> float:
    """The density that is half covered when the middle point does nothing; ``negative`` as in :class:`TonePoints`."""
    if reading == "inked" and negative is not None:
        ends = light_given(negative, of_density(np.array([paper, ink])))
        return float(-np.log10(max(float(light_given(1.0, ends.mean(keepdims=True))[0]) / negative, 1e-3)))
    half = 0.5
    if reading == "seen":
        black = float(srgb_encode(np.array([ink_reflectance], np.float32))[0])
        seen = float(srgb_decode(np.array([1 - 0.5 * (1 - black)], np.float32))[0])
        half = (1 - seen) / (1 - ink_reflectance)
    top, bottom = float(of_density(paper)), float(of_density(ink))
    return float(-np.log10(top - half * (top - bottom)))


def coverage_curve(points: TonePoints, reading: Reading, ink_reflectance: float, r: NDArray[np.floating]) -> Plane:
    """Encoded coverage 0..1 of scan reflectance ``r`` (any shape). Monotone: a darker scan never covers less.

    ``ink_reflectance`` is the linear reflectance that full ink gets.
    """

    def plain(values: NDArray[np.floating]) -> Plane:
        if reading == "inked" and points.negative is not None:
            return _light_share(points, points.negative, values)
        share = _share(points.paper, points.ink, values)
        return share if reading == "inked" else encoded_share(share, ink_reflectance)

    half = float(plain(of_density(np.array([points.middle])))[0])
    power = float(np.clip(np.log(0.5) / np.log(1 - np.clip(half, 0.02, 0.98)), 0.2, 5.0))
    base = plain(r)
    if abs(power - 1) < 5e-3:
        return base
    return (1 - np.power(1 - base, np.float32(power))).astype(np.float32)
