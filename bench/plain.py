"""What the speed bench compares with: the same formulas in plain NumPy, the fastest decoders and encoders here."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.marks import SCALES


def view_formulas(path: Path, width: int, height: int) -> float:
    """Seconds for paper, ink, knock-out and backing of ``width`` x ``height`` pixels, written plainly in NumPy."""
    image = cv2.cvtColor(cv2.imread(str(path), cv2.IMREAD_REDUCED_COLOR_4), cv2.COLOR_BGR2RGB)
    tile = np.ascontiguousarray(image[:height, :width])
    tile = np.pad(tile, ((0, height - tile.shape[0]), (0, width - tile.shape[1]), (0, 0)), mode="reflect")
    grid = np.full((96, 128, 3), 0.8, np.float32)
    out = []
    for _ in range(3):
        start = time.perf_counter()
        _formulas(tile, grid)
        out.append(time.perf_counter() - start)
    return min(out)


def _formulas(tile: NDArray[np.uint8], grid: NDArray[np.float32]) -> NDArray[np.uint8]:
    h, w = tile.shape[:2]
    e = tile.astype(np.float32) / 255
    linear = np.where(e <= 0.04045, e / 12.92, ((e + 0.055) / 1.055) ** 2.4)
    reflectance = (linear / _bilinear(grid, h, w)) @ np.array([0.299, 0.587, 0.114], np.float32)
    dark = 1 - reflectance
    gate = _gate(dark)
    share = np.clip(dark / 0.95, 0, 1)
    alpha = np.rint(share * gate * 255).astype(np.uint8)
    a = alpha.astype(np.float32)[..., None] / 255
    mixed = np.array([0, 0, 0], np.float32) * a + np.array([201, 70, 56], np.float32) * (1 - a)
    shown = np.empty((h, w, 4), np.uint8)
    shown[..., :3] = np.rint(mixed)[..., ::-1]
    shown[..., 3] = 255
    return shown


def _bilinear(grid: NDArray[np.float32], h: int, w: int) -> NDArray[np.float32]:
    gh, gw = grid.shape[:2]
    y, x = np.linspace(0, gh - 1.001, h), np.linspace(0, gw - 1.001, w)
    yi, xi = y.astype(int), x.astype(int)
    fy, fx = (y - yi)[:, None, None].astype(np.float32), (x - xi)[None, :, None].astype(np.float32)
    top = grid[yi][:, xi] * (1 - fx) + grid[yi][:, xi + 1] * fx
    bottom = grid[yi + 1][:, xi] * (1 - fx) + grid[yi + 1][:, xi + 1] * fx
    return np.asarray(top * (1 - fy) + bottom * fy)


def _gate(dark: NDArray[np.float32]) -> NDArray[np.float32]:
    """Evidence over blocks, widened, and the pixel's own neighbourhood."""
    h, w = dark.shape
    level, found = dark, []
    for _ in range(SCALES):
        found.append(level)
        lh, lw = level.shape[0] // 2 * 2, level.shape[1] // 2 * 2
        level = level[:lh, :lw].reshape(lh // 2, 2, lw // 2, 2).mean(axis=(1, 3))
    around = found[-1] / 0.01
    for one, floor in zip(reversed(found[:-1]), (0.02, 0.03, 0.04), strict=True):
        up = np.repeat(np.repeat(around, 2, axis=0), 2, axis=1)
        wide = _max3(one / floor)
        wide[: up.shape[0], : up.shape[1]] = np.maximum(
            wide[: up.shape[0], : up.shape[1]], up[: wide.shape[0], : wide.shape[1]]
        )
        around = wide
    padded = np.pad(dark, 1, mode="edge")
    mean = sum(padded[i : i + h, j : j + w] for i in range(3) for j in range(3)) / 9
    return np.clip(np.minimum(around, mean / 0.02), 0, 1)


def _max3(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    h, w = plane.shape
    padded = np.pad(plane, 1, mode="edge")
    return np.maximum.reduce([padded[i : i + h, j : j + w] for i in range(3) for j in range(3)])


def fastest_decode(path: Path) -> Any:
    """Decode in full with the fastest decoder found for the kind."""
    data = path.read_bytes()
    if path.suffix == ".jpg":
        import simplejpeg

        return simplejpeg.decode_jpeg(data)
    if path.suffix == ".png":
        import imagecodecs

        return imagecodecs.png_decode(data)
    import pyvips

    return pyvips.Image.new_from_buffer(data, "", access="sequential").numpy()


def fastest_encode(picture: NDArray[np.uint8]) -> float:
    """Seconds of the fastest lossless PNG encode of a picture, of all encoders and row filters at hand."""
    import imagecodecs
    import pyvips

    image = pyvips.Image.new_from_array(picture)
    ways: list[Callable[[], object]] = [
        lambda: image.pngsave_buffer(compression=1, filter="none"),
        lambda: image.pngsave_buffer(compression=1, filter="sub"),
        lambda: cv2.imencode(".png", picture, [cv2.IMWRITE_PNG_COMPRESSION, 1]),
        lambda: imagecodecs.png_encode(picture, level=1),
    ]
    times = []
    for way in ways:
        start = time.perf_counter()
        way()
        times.append(time.perf_counter() - start)
    return min(times)
