"""Means around each pixel of those that tell."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]


def mean_of(plane: Plane, told: Plane, sigma: float) -> tuple[Plane, Plane]:
    """Mean of a plane (h, w) or (h, w, C) around each pixel, Gaussian of ``sigma`` px, by how much each is ``told`` (h, w),
    0..1; and how much of them tells there (h, w).

    Source: normalized convolution (Knutsson and Westin 1993)."""
    weight = np.asarray(cv2.GaussianBlur(told, (0, 0), sigma), np.float32)
    each, all_of = (told, weight) if plane.ndim == 2 else (told[..., None], weight[..., None])
    total = np.asarray(cv2.GaussianBlur(plane * each, (0, 0), sigma)).reshape(plane.shape)
    return np.asarray(total / np.maximum(all_of, 1e-6), np.float32), weight


def wide_blur(plane: Plane, sigma: float) -> Plane:
    """About a Gaussian of ``sigma`` px, by two box filters: their cost does not grow with their width."""
    side = 2 * max(1, round(1.22 * sigma)) + 1
    once = cv2.blur(np.asarray(plane, np.float32), (side, side), borderType=cv2.BORDER_REFLECT)
    return np.asarray(cv2.blur(once, (side, side), borderType=cv2.BORDER_REFLECT))


def wide_mean_of(plane: Plane, told: NDArray[np.bool_], sigma: float) -> Plane:
    """As :func:`mean_of` with :func:`wide_blur`, of the places that are ``told``; 0 where there is none around."""
    if not plane.any():
        return plane
    some = told.astype(np.float32)
    weight = wide_blur(some, sigma)
    share = np.where(weight > 1e-3, 1 / np.maximum(weight, np.float32(1e-3)), 0).astype(np.float32)
    return np.asarray(wide_blur(plane * some, sigma) * share)
