"""How deep and how pale it gets around each pixel of a reduced view at full size: there a line narrower than a pixel is mixed
with paper, and looks like pale paint."""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.inner import Extremes
from woad.core.paper.evening import even, make_gain, sample_grid
from woad.core.raster.channels import lowest
from woad.core.raster.codes import look_up
from woad.core.raster.pyramid import Pixels, Pyramid
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.recipe import Recipe, channel_table
from woad.core.render.sheet import Sheet
from woad.core.render.steps import Depths
from woad.core.render.taken_back import as_scanned
from woad.core.square.resample import warp

Plane8 = NDArray[np.uint8]

_FINE_PX = 10_000_000  # pixels of the level at most that is looked at: of a larger scan, one in four will do
_CELLS_PX = 1400  # longer side of what is kept
_ROWS = 512  # of a level, at a time
_BOX3 = np.ones((3, 3), np.uint8)


def depths_of(sheet: Sheet, recipe: Recipe) -> Depths | None:
    """Least alphas at full size around each pixel of a box of a level, as Ink leaves them; None where Ink takes hues away,
    so that nobody knows."""
    if recipe.one_ink or recipe.neutral:
        return None

    def read(level: int, box: Region) -> Extremes:
        cells = max(level, sheet.pyramid.level_for(_CELLS_PX))
        key = ("depths", cells, sheet.readings, recipe.evening, recipe.points, recipe.ink_linear)
        planes = sheet.held.made(key, partial(_after_ink, sheet, recipe, cells))
        some = sample_grid(planes, 1 << cells, box.x, box.y, box.w, box.h, level)
        return Extremes(*(np.asarray(plane) for plane in cv2.split(np.ascontiguousarray(some))))

    return read


def _after_ink(sheet: Sheet, recipe: Recipe, level: int) -> Plane8:
    """The most and the least alpha, (h, w, 2), around each pixel of a level."""
    light, cell = sheet.readings.light, sheet.readings.cell_px
    paper = light.mean(axis=(0, 1))
    paper = paper / paper.max()
    seen = sheet.held.made(("extremes", level, sheet.readings), partial(_extremes, sheet, level, paper))
    gain = make_gain((light / paper).mean(axis=2, keepdims=True), recipe.evening, None)
    table = channel_table(recipe.points, min(recipe.ink_linear))
    codes = (even(seen[..., which : which + 1], gain, cell, (0, 0, level)) for which in (0, 1))
    return np.asarray(cv2.merge([cv2.bitwise_not(look_up(one, table)) for one in codes]))


def _extremes(sheet: Sheet, level: int, paper: NDArray[np.float32]) -> Plane8:
    """The darkest and the lightest, (h, w, 2), that full-size pixels are in their darkest channel around each pixel of a level
    of the squared sheet, whose ``paper`` is of a tint (C,)."""
    scan = as_scanned(sheet.scan, sheet.back)
    pooled = _extremes_of(scan, level, paper, sheet.readings.negative)
    if sheet.frame.identity:
        return pooled
    # The scan is looked at as it lies: to square all of its pixels would cost many times as much.
    only = Pyramid((np.empty((0, 0, 2), np.uint8),) * level + (pooled,))
    return np.asarray(warp(only, sheet.frame, level, Region(0, 0, *sheet.pyramid.size(level))), np.uint8)


def _extremes_of(scan: Pyramid, level: int, paper: NDArray[np.float32], negative: bool) -> Plane8:
    """The same of a level of a scan."""
    fine = next(k for k in range(level + 1) if k == level or (scan.holds(k) and np.prod(scan.size(k)) <= _FINE_PX))
    steps = srgb_decode(np.arange(256, dtype=np.float32) / 255)[:, None] / paper
    untinted = np.rint(srgb_encode(np.clip(steps, 0, 1)) * 255).astype(np.uint8)
    if negative:
        untinted = untinted[::-1]
    w, h = scan.size(fine)
    dark, light = [], []
    for top in range(0, h, _ROWS):
        strip = _lowest(scan.read(fine, Region(0, top, w, min(_ROWS, h - top))), np.ascontiguousarray(untinted)[None])
        # Calm, as in the knock-out, that noise is not told for marks, nor in marks for paper.
        dark.append(_pooled(np.asarray(cv2.GaussianBlur(strip, (3, 3), 0)), level - fine, np.minimum))
        light.append(_pooled(np.asarray(cv2.GaussianBlur(strip, (5, 5), 0)), level - fine, np.maximum))
    return np.asarray(cv2.merge([cv2.erode(np.concatenate(dark), _BOX3), cv2.dilate(np.concatenate(light), _BOX3)]))


def _lowest(pixels: Pixels, table: Plane8) -> Plane8:
    """The darkest channel (h, w) of pixels (h, w, C) after a ``table`` (1, 256, C)."""
    if pixels.dtype == np.uint16:
        pixels = np.asarray(cv2.convertScaleAbs(pixels, alpha=255 / 65535)).reshape(pixels.shape)
    return np.ascontiguousarray(lowest(np.asarray(cv2.LUT(pixels, table)).reshape(pixels.shape)))


def _pooled(plane: Plane8, times: int, join: np.ufunc) -> Plane8:
    """Two rows and two columns of a plane (h, w) joined to one, so many ``times``."""
    by = 1 << times
    h, w = plane.shape
    plane = np.asarray(cv2.copyMakeBorder(plane, 0, -h % by, 0, -w % by, cv2.BORDER_REPLICATE))
    for _ in range(times):
        plane = join(plane[0::2], plane[1::2])
        plane = join(plane[:, 0::2], plane[:, 1::2])
    return plane
