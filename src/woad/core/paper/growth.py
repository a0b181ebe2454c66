"""Light followed from sure paper outwards, block by block: into soft shadows, and across what marks hide."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.surfaces import low_basis, solved

Plane = NDArray[np.float32]

_BORNE = 2.2  # blocks of paper around that bear a surface
_BOLD = 0.02  # natural log, how far a slope may rise without them
_STILL = 1.5e-4  # natural log, of the most that a round moves, from which the next ones would do no more


def low_order(tone: Plane, share: Plane) -> Plane:
    """Quadratic surface through the paper, fitted from the lighter side."""
    usual = float(np.percentile(tone[share >= np.percentile(share, 50)], 85))
    surface = _from_above(tone, share, usual)
    # Where most of the sheet is ink, the usual start takes ink for paper. Nothing lies above paper, so if a part of the
    # sheet does, begin at the light end instead.
    if float((tone - surface > 0.2).mean()) > 0.015:
        surface = _from_above(tone, share, float(np.percentile(tone, 97)))
    return surface


def _from_above(tone: Plane, share: Plane, start: float) -> Plane:
    """Asymmetric least squares from a constant ``start``: what lies below loses its weight as the fit tightens."""
    basis = low_basis(tone.shape).reshape(-1, 6).astype(np.float64)
    z, base = tone.reshape(-1).astype(np.float64), share.reshape(-1).astype(np.float64)
    # All that the sums are of, once: every round weights it anew.
    first, other = np.triu_indices(6)
    products = np.vstack([basis.T[first] * basis.T[other], basis.T * z])
    surface = np.full(z.shape, start)
    for step in range(24):
        give = 0.35 * 0.82**step + 0.03
        below = np.clip((z - surface) / give, -8, 0)
        sums = products @ (base * np.exp(-below * below))
        a = np.zeros((6, 6))
        a[first, other] = a[other, first] = sums[:-6]
        # A whisper of ridge on slopes keeps sheets with little paper from bending wildly.
        ridge = np.diag([1e-6, 1e-3, 1e-3, 4e-3, 4e-3, 4e-3]) * sums[0]
        surface = basis @ np.linalg.solve(a + ridge, sums[-6:])
    return np.asarray(surface.reshape(tone.shape), np.float32)


def smooth(values: Plane, weight: Plane, sigma: float, prior: Plane, trust: float) -> Plane:
    """Normalised convolution of residuals from ``prior``; falls back to the prior where there is no weight."""
    # Residuals rather than values: the border of the sheet is then not pulled inwards along a slope.
    num = cv2.GaussianBlur(((values - prior) * weight).astype(np.float32), (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    den = cv2.GaussianBlur(weight.astype(np.float32), (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    return np.asarray(prior + num / (den + trust), np.float32)


def _local_plane(values: Plane, weight: Plane, sigma: float, prior: Plane) -> Plane:
    """Plane fitted around every cell by Gaussian-weighted least squares on residuals from ``prior``.

    A local plane carries a slope on beyond its support, so the field can follow a shadow's soft edge outwards,
    which a local mean cannot. Source: Cleveland, Locally weighted regression (1979), degree 1.
    """

    gh, gw = values.shape
    y, x = np.mgrid[0:gh, 0:gw].astype(np.float32)
    z = values - prior
    # All sums in one call: on so few cells a call costs more than its work.
    terms = np.stack([np.ones_like(x), x, y, x * x, y * y, x * y, z, x * z, y * z], axis=2)
    blurred = cv2.GaussianBlur(terms * weight[..., None], (0, 0), sigma, borderType=cv2.BORDER_CONSTANT)
    w0 = blurred[..., 0]
    # Second moments about the cell itself, with the slope held back where the support is thin.
    cx, cy, mxx, myy, mxy, mz, mxz, myz = (blurred[..., i] / np.maximum(w0, 1e-6) for i in range(1, 9))
    sxx, syy, sxy = mxx - cx * cx, myy - cy * cy, mxy - cx * cy
    sxz, syz = mxz - cx * mz, myz - cy * mz
    sxx, syy = sxx + 0.15 * sigma, syy + 0.15 * sigma
    det = np.maximum(sxx * syy - sxy * sxy, 1e-6)
    slope_x, slope_y = (sxz * syy - syz * sxy) / det, (syz * sxx - sxz * sxy) / det
    dx, dy = np.clip(x - cx, -1.5 * sigma, 1.5 * sigma), np.clip(y - cy, -1.5 * sigma, 1.5 * sigma)
    plane = mz + slope_x * dx + slope_y * dy
    trust = w0 / (w0 + 0.01)
    return np.asarray(prior + plane * trust, np.float32)


def grow(
    tone: Plane,
    share: Plane,
    surface: Plane,
    spread: float,
    growth: tuple[tuple[float, float, int], ...],
    painted: Plane | None = None,
) -> Plane:
    """Follow the paper from where it is certain into soft shadows, block by block, then settle. ``painted`` is the share
    of a block that is known to be paint: light is bridged there and not followed."""
    # Blocks that are mostly marks have only tips of paper left, a little dark: they count for far less.
    sure = share * share
    for sigma, give, rounds in growth:
        tolerance = max(give, 2.5 * spread, 0.02)
        for _ in range(rounds):
            residual = tone - surface
            dark = np.clip(1 - (-residual / tolerance), 0, 1) ** 0.5 * (residual > -tolerance)
            weight = sure * np.where(residual > 0, 1.0, dark)
            before, surface = surface, _local_plane(tone, weight.astype(np.float32), sigma, surface)
            if float(np.abs(surface - before).max()) < _STILL:
                break
    return _bridged(surface, sure * np.exp(-(((tone - surface) / tolerance) ** 2)), painted)


def _lens_basis(shape: tuple[int, ...]) -> Plane:
    """Columns (h, w, 7) of a surface that follows a lens's fall-off, too: an even polynomial of the distance from the middle
    (Goldman, Vignette and exposure calibration, 2010), of which the fourth power is not quadratic."""
    basis = low_basis(shape)
    h, w = shape
    square = (basis[..., 3] * w**2 + basis[..., 5] * h**2) / (h**2 + w**2)
    return np.dstack([basis, square * square])


def _bridged(surface: Plane, sure: Plane, painted: Plane | None) -> Plane:
    """``surface``, but where marks hide all of the paper no lighter than a smooth continuation of what is ``sure``.

    A slope that planes carry out into a wide hole from one of its rims need not meet the other; down it may be a shadow's,
    but not where the hole is ``painted``.
    """
    sure, basis = sure.astype(np.float32), _lens_basis(surface.shape)
    held = cv2.GaussianBlur(sure, (0, 0), _BORNE, borderType=cv2.BORDER_REFLECT)
    bridge = np.asarray((basis @ solved(basis, surface[..., None], sure))[..., 0], np.float32)
    for sigma in (10.0, 5.0, 2.5):
        bridge = smooth(surface, sure, sigma, bridge, 0.03)
    above = (surface - bridge) * (np.float32(0.1) / (held**2 + np.float32(0.1)))
    capped = surface - np.maximum(above - np.float32(_BOLD), 0)
    if painted is not None:
        capped = capped + (surface - above - capped) * painted
    return np.asarray(capped, np.float32)
