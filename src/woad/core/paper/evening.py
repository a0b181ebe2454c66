"""Evening: dividing the light field out, in linear light, so that bare paper becomes 1."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.codes import Codes, to_codes
from woad.core.raster.transfer import linear_of_8bit, linear_of_16bit

Plane = NDArray[np.float32]


def gain_grid(field: Plane, evening: float, weights: tuple[float, ...] | None) -> Plane:
    """What each channel is multiplied with, on the light field's grid, (gh, gw, C) float32.

    ``field`` linear value of paper; ``evening`` 0..1, the power of the field that is divided out; ``weights``
    (C,) summing to 1 fold the channels into one reflectance for art of one ink, ``None`` keeps them apart.
    """
    gain = np.power(np.maximum(field, np.float32(1e-4)), np.float32(-evening))
    if weights is not None:
        gain = gain * np.asarray(weights, np.float32)
    return np.ascontiguousarray(gain, np.float32)


def sample_grid(grid: Plane, span_px: tuple[float, float], x: int, y: int, w: int, h: int, scale: float) -> Plane:
    """Bilinear samples of a grid laid over ``span_px`` (width, height in level-0 pixels).

    ``x``, ``y``, ``w``, ``h`` is a region in pixels of a level whose pixels are ``scale`` level-0 pixels wide.
    Returns (h, w, C) float32.
    """
    gh, gw = grid.shape[:2]
    fx, fy = gw / span_px[0], gh / span_px[1]
    # Pixel centre (x + 0.5) * scale maps to grid coordinate * f - 0.5.
    matrix = np.array(
        [[scale * fx, 0, (x + 0.5) * scale * fx - 0.5], [0, scale * fy, (y + 0.5) * scale * fy - 0.5]]
    )
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    out = cv2.warpAffine(grid, matrix, (w, h), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(out).reshape(h, w, grid.shape[2])


def linear_light(encoded: NDArray[np.uint8] | NDArray[np.uint16]) -> Plane:
    """Encoded sRGB (8 or 16 bit, any shape) to linear light, float32."""
    table = linear_of_8bit() if encoded.dtype == np.uint8 else linear_of_16bit()
    return np.asarray(cv2.LUT(encoded, table)).reshape(encoded.shape)


def even(encoded: NDArray[np.uint8] | NDArray[np.uint16], gain: Plane, fold: bool) -> Codes:
    """Reflectance codes of an encoded tile.

    Parameters: ``encoded`` (h, w, C); ``gain`` (h, w, C) from :func:`sample_grid`; ``fold`` adds the channels up
    (the gains then hold the weights). Returns (h, w) when folded, else (h, w, C), uint16 codes.
    """
    product = cv2.multiply(linear_light(encoded), gain)
    if fold and encoded.shape[2] > 1:
        product = cv2.transform(product, np.ones((1, encoded.shape[2]), np.float32))
    codes = to_codes(np.asarray(product))
    return codes.reshape(encoded.shape[:2]) if fold else codes.reshape(encoded.shape)
