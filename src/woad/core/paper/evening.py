"""Evening: dividing the light field out, in linear light, so that bare paper becomes 1."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.codes import PAPER_CODE, Codes
from woad.core.raster.places import read_at
from woad.core.raster.transfer import linear_light

Plane = NDArray[np.float32]
Cells = TypeVar("Cells", NDArray[np.float32], NDArray[np.uint8])


@dataclass(frozen=True, eq=False)
class Gain:
    """What linear light is multiplied with so that bare paper becomes 1.

    ``grid`` (gh, gw, C) float32 on the light field's grid. With ``fold`` (1, C), for art of one ink, the channels are
    first added up with these weights and the grid has one channel.
    """

    grid: Plane
    fold: Plane | None

    def times(self, share: tuple[float, ...]) -> Gain:
        """With each channel (C,) to be a ``share`` of it."""
        return Gain(self.grid * np.asarray(share, np.float32), self.fold)


def make_gain(field: Plane, evening: float, weights: tuple[float, ...] | None) -> Gain:
    """The gain for a light field.

    ``field`` (gh, gw, C) linear value of paper; ``evening`` 0..1, the power of the field that is divided out;
    ``weights`` (C,) summing to 1 fold the channels into one reflectance, ``None`` keeps them apart.
    """
    field = np.maximum(field, np.float32(1e-4))
    power = np.float32(-evening)
    if weights is None:
        return Gain(np.ascontiguousarray(np.power(field, power), np.float32), None)
    # The sheet's mean cast goes into the weights; only the folded light still varies over the sheet. One plane instead
    # of three is then enlarged and multiplied, and bare paper comes out as exactly 1 all the same.
    mean = np.exp(np.log(field).mean(axis=(0, 1)))
    row = np.asarray(weights, np.float32)
    folded = ((field / mean) @ row)[..., None]
    fold = (row * np.power(mean, power))[None, :]
    return Gain(np.ascontiguousarray(np.power(folded, power), np.float32), np.ascontiguousarray(fold, np.float32))


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


def sample_grid(grid: Cells, cell_px: int, x: int, y: int, w: int, h: int, level: int) -> Cells:
    """Bilinear samples of a regular grid, float32 or uint8, for a region of a level; (h, w, C) of the same kind.

    ``cell_px`` is the cells' size in level-0 pixels, a power of two.
    """
    cell = cell_px >> level
    if grid.dtype != np.uint8 or cell < 2:
        return np.concatenate([patch for _, patch in _strips(grid, cell_px, (x, y, w, h), level, h)])
    rows, columns = _cells_around(y, h, cell, grid.shape[0]), _cells_around(x, w, cell, grid.shape[1])
    large = cv2.resize(grid[rows][:, columns], (len(columns) * cell, len(rows) * cell), interpolation=cv2.INTER_LINEAR)
    top, left = y - (y // cell - 1) * cell, x - (x // cell - 1) * cell
    return np.asarray(large).reshape(*large.shape[:2], grid.shape[2])[top : top + h, left : left + w]


def sample_places(grid: Plane, cell_px: int, at: NDArray[np.float64]) -> Plane:
    """Bilinear samples of a regular grid at places (n, 2) in level-0 pixels; (n, C) float32."""
    place = (np.asarray(at, np.float32) + 0.5) / cell_px - 0.5
    return read_at(grid, place[:, 0], place[:, 1])


def _cells_around(start: int, length: int, cell: int, count: int) -> NDArray[np.intp]:
    """Indices of the cells that a stretch of pixels lies on, with one more on each side, repeated past the edge, so that the
    samples never see the cut."""
    return np.clip(np.arange(start // cell - 1, (start + length - 1) // cell + 2), 0, count - 1)


def _strips(
    grid: Cells, cell_px: int, box: tuple[int, int, int, int], level: int, rows: int
) -> Iterator[tuple[slice, Cells]]:
    """The samples of :func:`sample_grid` for the box (x, y, w, h), ``rows`` rows at a time, with their place in it."""
    x, y, w, h = box
    cell = cell_px >> level
    gh, gw = grid.shape[:2]
    if cell < 2:
        columns = np.clip(((x + np.arange(w) + 0.5) * (1 << level) / cell_px).astype(int), 0, gw - 1)
        lines = np.clip(((y + np.arange(h) + 0.5) * (1 << level) / cell_px).astype(int), 0, gh - 1)
        yield slice(0, h), np.ascontiguousarray(grid[lines][:, columns])
        return
    # Down the rows by hand (the grid has few columns), along them by the fast resampler.
    at = (y + np.arange(h) + 0.5) / cell - 0.5
    upper = np.floor(at).astype(int)
    share = (at - upper).astype(np.float32)[:, None, None]
    part = grid[:, _cells_around(x, w, cell, gw)]
    low, high = part[np.clip(upper, 0, gh - 1)], part[np.clip(upper + 1, 0, gh - 1)]
    cells = np.asarray(low + (high - low) * share, grid.dtype)
    left = x - (x // cell - 1) * cell
    for top in range(0, h, rows):
        some = slice(top, min(top + rows, h))
        size = (part.shape[1] * cell, some.stop - top)
        large = cv2.resize(cells[some], size, interpolation=cv2.INTER_LINEAR).reshape(size[1], size[0], grid.shape[2])
        yield some, np.asarray(large[:, left : left + w])


_STRIP_VALUES = 240_000  # a strip's float planes stay in the processor's cache


def even(
    encoded: NDArray[np.uint8] | NDArray[np.uint16], gain: Gain, cell_px: int, place: tuple[int, int, int]
) -> Codes:
    """Reflectance codes of an encoded tile.

    Parameters: ``encoded`` (h, w, C); ``gain`` from :func:`make_gain` with cells of ``cell_px``; ``place``
    (x, y, level) of the tile.
    Returns (h, w) when the gain folds, else (h, w, C), uint16 codes.
    """
    h, w, channels = encoded.shape
    x, y, level = place
    out = np.empty((h, w) if gain.fold is not None else (h, w, channels), np.uint16)
    rows = max(8, _STRIP_VALUES // max(1, w * channels))
    for some, patch in _strips(gain.grid, cell_px, (x, y, w, h), level, rows):
        light = linear_light(encoded[some])
        if gain.fold is not None:
            light = np.asarray(cv2.transform(light, gain.fold))
        product = cv2.multiply(light.reshape(patch.shape), patch, scale=float(PAPER_CODE), dtype=cv2.CV_16U)
        out[some] = np.asarray(product).reshape(out[some].shape)
    return out
