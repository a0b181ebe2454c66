"""Reflectance as 16-bit codes, so that every curve is one look-up.

Between Paper and Knock-out a pixel is a ``uint16`` code: 40000 is paper (reflectance 1), 0 is perfect black,
65535 is 1.638. One step is 0.000025, fine enough for density 3; a look-up costs a tenth of a float curve.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.transfer import srgb_encode

PAPER_CODE = 40000

Codes = NDArray[np.uint16]
Table8 = NDArray[np.uint8]


def to_codes(reflectance: NDArray[np.float32]) -> Codes:
    """Reflectance (any shape, float32) to codes, saturating at both ends."""
    shape = reflectance.shape
    out = cv2.addWeighted(reflectance, float(PAPER_CODE), reflectance, 0.0, 0.0, dtype=cv2.CV_16U)
    return np.asarray(out).reshape(shape)


def from_codes(codes: Codes) -> NDArray[np.float32]:
    """Codes to reflectance, float32."""
    return np.asarray(codes, np.float32) * np.float32(1 / PAPER_CODE)


def table_8bit(function: Callable[[NDArray[np.float32]], NDArray[np.floating]]) -> Table8:
    """Tabulate ``function`` of reflectance (65536,) -> 0..1 as 8-bit values for :func:`look_up`."""
    values = function(from_codes(np.arange(65536, dtype=np.uint16)))
    return np.clip(np.rint(np.asarray(values, np.float32) * 255), 0, 255).astype(np.uint8)


def look_up(codes: Codes, table: Table8) -> NDArray[np.uint8]:
    """Apply a table of 65536 entries to codes (H, W) or (H, W, C)."""
    return np.asarray(cv2.LUT(codes, table)).reshape(codes.shape)


def encoded_of(codes: Codes) -> NDArray[np.float32]:
    """Codes (H, W) or (H, W, C) to encoded sRGB, float32, paper 1 and what is lighter more."""
    return np.asarray(cv2.LUT(codes, _encoded_table()), np.float32).reshape(codes.shape)


@cache
def _encoded_table() -> NDArray[np.float32]:
    return srgb_encode(from_codes(np.arange(65536, dtype=np.uint16)))
