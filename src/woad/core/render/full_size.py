"""What a reduced view is of: how deep, how pale and how light it gets around each of its pixels at full size. A line narrower
than a pixel is mixed with paper there, and looks like a paint of that tone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.inner import Extremes
from woad.core.paper.evening import even, make_gain, sample_grid
from woad.core.raster.channels import folded, lowest
from woad.core.raster.codes import Codes, encoded_of, look_up
from woad.core.raster.pyramid import Pyramid, as_8bit
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.recipe import Recipe, channel_table
from woad.core.render.sheet import Sheet
from woad.core.render.taken_back import as_scanned
from woad.core.square.resample import warp

Plane = NDArray[np.float32]
Plane8 = NDArray[np.uint8]

_FINE_PX = 10_000_000  # pixels of the level at most that is looked at: of a larger scan, one in four will do
_CELLS_PX = 1400  # longer side of what is kept
_ROWS = 512  # of a level, at a time
_BOX3 = np.ones((3, 3), np.uint8)


@dataclass(frozen=True)
class _Pool:
    """What is looked at of pixels (h, w, C): ``of`` one plane, and of that, without noise over so many px, the ``ends``."""

    of: Callable[[Plane8], Plane8]
    ends: tuple[tuple[int, np.ufunc], ...]

    def read(self, pixels: Plane8, times: int) -> list[Plane8]:
        """The ends over two rows and two columns, so many ``times``."""
        plane = np.ascontiguousarray(self.of(pixels))
        return [_pooled(np.asarray(cv2.GaussianBlur(plane, (px, px), 0)), times, join) for px, join in self.ends]

    def around(self, planes: list[Plane8]) -> Plane8:
        """The same with each pixel's neighbours, (h, w, n)."""
        wide = [
            (cv2.erode if end is np.minimum else cv2.dilate)(p, _BOX3)
            for p, (_, end) in zip(planes, self.ends, strict=True)
        ]
        return np.asarray(np.dstack(wide))


@dataclass(frozen=True)
class _Folded:
    """Pixels (h, w, C) folded by ``weights``; two of the same are equal, so that what is pooled of them is kept."""

    weights: tuple[float, ...]

    def __call__(self, pixels: Plane8) -> Plane8:
        return folded(pixels, self.weights)


# As the knock-out does: noise is not to be told for marks, nor in marks for paper.
_DARK = _Pool(lowest, ((3, np.minimum), (5, np.maximum)))
_LIGHT_ENDS = ((3, np.maximum),)


@dataclass(frozen=True, eq=False)
class FullSize:
    """A sheet at full size, as ``recipe`` treats it."""

    sheet: Sheet
    recipe: Recipe

    def extremes(self, level: int, box: Region) -> Extremes | None:
        """Least alphas around each pixel of a box of a level, as Ink leaves them; None where Ink takes hues away, so that
        nobody knows."""
        recipe = self.recipe
        if recipe.one_ink or recipe.neutral:
            return None
        some = self._sampled(level, box, _alphas, (recipe.points, recipe.ink_linear))
        return Extremes(*(np.asarray(plane) for plane in cv2.split(np.ascontiguousarray(some))))

    def lightest(self, level: int, box: Region) -> Plane | None:
        """The most that light is around each pixel of a box of a level, (h, w) encoded, where the lightest paint is white;
        None on paper that is."""
        if self.recipe.paper_tone is None or self.sheet.readings.light_marks is None:
            return None
        return np.asarray(self._sampled(level, box, _lights, self.recipe.paper_tone)[..., 0])

    def _sampled(
        self, level: int, box: Region, make: Callable[..., NDArray[np.generic]], *of: object
    ) -> NDArray[np.generic]:
        sheet = self.sheet
        cells = max(level, sheet.pyramid.level_for(_CELLS_PX))
        key = make, cells, sheet.readings, self.recipe.evening, of
        planes = sheet.held.made(key, partial(make, sheet, self.recipe, cells))
        return np.asarray(sample_grid(planes, 1 << cells, box.x, box.y, box.w, box.h, level))


def _alphas(sheet: Sheet, recipe: Recipe, level: int) -> Plane8:
    """The most and the least alpha, (h, w, 2), around each pixel of a level."""
    seen = _evened(sheet, recipe, level, _DARK, (1.0, 1.0, 1.0))
    table = channel_table(recipe.points, min(recipe.ink_linear))
    return np.asarray(cv2.merge([cv2.bitwise_not(look_up(codes, table)) for codes in seen]))


def _lights(sheet: Sheet, recipe: Recipe, level: int) -> Plane:
    """The most light, (h, w, 1), around each pixel of a level."""
    marks = sheet.readings.light_marks
    assert recipe.paper_tone is not None and marks is not None
    (codes,) = _evened(sheet, recipe, level, _Pool(_Folded(marks.weights), _LIGHT_ENDS), recipe.paper_tone)
    return encoded_of(codes)[..., None]


def _evened(sheet: Sheet, recipe: Recipe, level: int, pool: _Pool, tone: tuple[float, ...]) -> list[Codes]:
    """Reflectance codes (h, w) of what is pooled of full-size pixels around each pixel of a level, with paper of a ``tone``."""
    readings = sheet.readings
    mean = readings.light.mean(axis=(0, 1))
    tint = mean**recipe.evening / np.asarray(tone[: mean.size], np.float32)
    most = float(tint.max())
    key = ("pooled", pool, level, readings, recipe.evening, tone)
    seen = sheet.held.made(key, partial(_on_sheet, sheet, level, pool, tint / most))
    relative = (readings.light / mean).mean(axis=2, keepdims=True)
    gain = make_gain(relative, recipe.evening, None).times((1 / most,))
    return [even(seen[..., i : i + 1], gain, readings.cell_px, (0, 0, level))[..., 0] for i in range(seen.shape[2])]


def _on_sheet(sheet: Sheet, level: int, pool: _Pool, tint: Plane) -> Plane8:
    """What is pooled around each pixel of a level of the squared sheet, (h, w, n), of light of a ``tint`` (C,)."""
    planes = _of_scan(as_scanned(sheet.scan, sheet.back), level, pool, tint, sheet.readings.negative)
    if sheet.frame.identity:
        return planes
    # The scan is looked at as it lies: to square all of its pixels would cost many times as much.
    only = Pyramid((np.empty((0, 0, planes.shape[2]), np.uint8),) * level + (planes,))
    return np.asarray(warp(only, sheet.frame, level, Region(0, 0, *sheet.pyramid.size(level))), np.uint8)


def _of_scan(scan: Pyramid, level: int, pool: _Pool, tint: Plane, negative: bool) -> Plane8:
    """The same of a level of a scan."""
    fine = next(k for k in range(level + 1) if k == level or (scan.holds(k) and np.prod(scan.size(k)) <= _FINE_PX))
    steps = srgb_decode(np.arange(256, dtype=np.float32) / 255)[:, None] / tint
    untinted = np.rint(srgb_encode(np.clip(steps, 0, 1)) * 255).astype(np.uint8)
    table = np.ascontiguousarray(untinted[::-1] if negative else untinted)[None]
    w, h = scan.size(fine)
    strips = []
    for top in range(0, h, _ROWS):
        pixels = as_8bit(scan.read(fine, Region(0, top, w, min(_ROWS, h - top))))
        strips.append(pool.read(np.asarray(cv2.LUT(pixels, table)).reshape(pixels.shape), level - fine))
    return pool.around([np.concatenate(planes) for planes in zip(*strips, strict=True)])


def _pooled(plane: Plane8, times: int, join: np.ufunc) -> Plane8:
    """Two rows and two columns of a plane (h, w) joined to one, so many ``times``."""
    by = 1 << times
    h, w = plane.shape
    plane = np.asarray(cv2.copyMakeBorder(plane, 0, -h % by, 0, -w % by, cv2.BORDER_REPLICATE))
    for _ in range(times):
        plane = join(plane[0::2], plane[1::2])
        plane = join(plane[:, 0::2], plane[:, 1::2])
    return plane
