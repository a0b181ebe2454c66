"""Transfer curves between encoded sRGB and linear light (IEC 61966-2-1), and density."""

from __future__ import annotations

from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]


def srgb_decode(encoded: NDArray[np.floating]) -> Float:
    """Encoded sRGB (0..1, any shape) to linear light (0..1), float32. Source: IEC 61966-2-1."""
    e = np.asarray(encoded, np.float32)
    low = e / np.float32(12.92)
    high = ((np.maximum(e, 0) + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)
    return np.where(e <= 0.04045, low, high).astype(np.float32)


def srgb_encode(linear: NDArray[np.floating]) -> Float:
    """Linear light (0..1, any shape) to encoded sRGB (0..1), float32. Source: IEC 61966-2-1."""
    v = np.asarray(linear, np.float32)
    high = np.float32(1.055) * np.maximum(v, np.float32(1e-12)) ** np.float32(1 / 2.4) - np.float32(0.055)
    return np.where(v <= 0.0031308, v * np.float32(12.92), high).astype(np.float32)


def encoded_shares(pixels: NDArray[np.unsignedinteger[Any]]) -> Float:
    """Codes of 8 or 16 bits (any shape) as shares of the highest, 0..1, float32."""
    return np.asarray(pixels, np.float32) / np.float32(np.iinfo(pixels.dtype).max)


def density(reflectance: NDArray[np.floating]) -> Float:
    """Optical density -log10 R of reflectance relative to the paper, float32, limited to 4."""
    return (-np.log10(np.maximum(np.asarray(reflectance, np.float32), np.float32(1e-4)))).astype(np.float32)


def reflectance(density_d: NDArray[np.floating] | float) -> Float:
    """Reflectance 10^-D, float32."""
    return np.power(np.float32(10), -np.asarray(density_d, np.float32)).astype(np.float32)


@cache
def linear_of_8bit() -> Float:
    """Look-up table: linear light of every 8-bit code, (256,) float32. Read only."""
    table = srgb_decode(np.arange(256, dtype=np.float32) / 255)
    table.setflags(write=False)
    return table


@cache
def linear_of_16bit() -> Float:
    """Look-up table: linear light of every 16-bit code, (65536,) float32. Read only."""
    table = srgb_decode(np.arange(65536, dtype=np.float32) / 65535)
    table.setflags(write=False)
    return table


def linear_light(encoded: NDArray[np.uint8] | NDArray[np.uint16]) -> Float:
    """Encoded sRGB (8 or 16 bit, any shape) to linear light, float32."""
    table = linear_of_8bit() if encoded.dtype == np.uint8 else linear_of_16bit()
    return np.asarray(cv2.LUT(np.ascontiguousarray(encoded), table), np.float32).reshape(encoded.shape)
