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


def regular_grid(field: Plane, cell_px: int, width: int, height: int, over_px: tuple[float, float]) -> Plane:
    """Resample a field laid over ``over_px`` (width, height) to square cells of ``cell_px`` (a power of two).

    The result covers ``width`` x ``height`` pixels, the last cells reaching past the edge; (gh, gw, C) float32 at cell
    centres. Cells of whole pixels at every level let tiles be enlarged by the fastest resampler there is.
    """
    gh, gw = -(-height // cell_px), -(-width // cell_px)
    fx, fy = field.shape[1] / over_px[0] * cell_px, field.shape[0] / over_px[1] * cell_px
    matrix = np.array([[fx, 0, 0.5 * fx - 0.5], [0, fy, 0.5 * fy - 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    out = cv2.warpAffine(field, matrix, (gw, gh), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(out).reshape(gh, gw, field.shape[2])


def sample_grid(grid: Plane, cell_px: int, x: int, y: int, w: int, h: int, level: int) -> Plane:
    """Bilinear samples of a regular grid for a region of a level; (h, w, C) float32.

    ``cell_px`` is the cells' size in level-0 pixels, a power of two.
    """
    cell = cell_px >> level
    gh, gw = grid.shape[:2]
    if cell < 2:
        columns = np.clip(((x + np.arange(w) + 0.5) * (1 << level) / cell_px).astype(int), 0, gw - 1)
        rows = np.clip(((y + np.arange(h) + 0.5) * (1 << level) / cell_px).astype(int), 0, gh - 1)
        return np.ascontiguousarray(grid[rows][:, columns])
    # Down the rows by hand (a strip has few of them and the grid few columns), along them by the fast resampler.
    at = (y + np.arange(h) + 0.5) / cell - 0.5
    upper = np.floor(at).astype(int)
    share = (at - upper).astype(np.float32)[:, None, None]
    # One cell more on each side, repeated past the edge, so that the samples never see the cut.
    i0, i1 = x // cell - 1, (x + w - 1) // cell + 2
    part = grid[:, np.clip(np.arange(i0, i1), 0, gw - 1)]
    low, high = part[np.clip(upper, 0, gh - 1)], part[np.clip(upper + 1, 0, gh - 1)]
    rows_of_cells = low + (high - low) * share
    size = ((i1 - i0) * cell, h)
    large = cv2.resize(rows_of_cells, size, interpolation=cv2.INTER_LINEAR).reshape(h, size[0], grid.shape[2])
    left = x - i0 * cell
    return np.asarray(large[:, left : left + w])


def linear_light(encoded: NDArray[np.uint8] | NDArray[np.uint16]) -> Plane:
    """Encoded sRGB (8 or 16 bit, any shape) to linear light, float32."""
    table = linear_of_8bit() if encoded.dtype == np.uint8 else linear_of_16bit()
    return np.asarray(cv2.LUT(np.ascontiguousarray(encoded), table), np.float32).reshape(encoded.shape)


_STRIP_ROWS = 32  # a strip's float planes stay in the processor's cache


def even(
    encoded: NDArray[np.uint8] | NDArray[np.uint16],
    gain: Plane,
    cell_px: int,
    place: tuple[int, int, int],
    fold: bool,
) -> Codes:
    """Reflectance codes of an encoded tile.

    Parameters: ``encoded`` (h, w, C); ``gain`` the grid from :func:`gain_grid` with cells of ``cell_px``; ``place``
    (x, y, level) of the tile; ``fold`` adds the channels up (the gains then hold the weights).
    Returns (h, w) when folded, else (h, w, C), uint16 codes.
    """
    h, w, channels = encoded.shape
    x, y, level = place
    out = np.empty((h, w) if fold else (h, w, channels), np.uint16)
    ones = np.ones((1, channels), np.float32)
    for top in range(0, h, _STRIP_ROWS):
        rows = min(_STRIP_ROWS, h - top)
        patch = sample_grid(gain, cell_px, x, y + top, w, rows, level)
        product = cv2.multiply(linear_light(encoded[top : top + rows]), patch).reshape(rows, w, channels)
        if fold and channels > 1:
            product = cv2.transform(product, ones)
        out[top : top + rows] = to_codes(np.asarray(product)).reshape(out[top : top + rows].shape)
    return out
