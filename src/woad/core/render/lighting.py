"""The light of a sheet, and the sheet evened by it, as all else is measured on it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.paper.evening import Gain, even, make_gain, regular_grid
from woad.core.paper.light_field import estimate_light
from woad.core.paper.margins import find_margins
from woad.core.paper.refine import LightField
from woad.core.paper.ruling import Ruling, find_ruling, without_ruling
from woad.core.paper.samples import obey
from woad.core.raster.codes import from_codes
from woad.core.raster.pyramid import Pyramid
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import linear_light

Plane = NDArray[np.float32]

_CLOSE_PX = 320
_LOW = 0.1  # of the gain, for tones up to ten times as light as codes hold
_LEAST_PX = 24  # of the shorter side, for light to be read


@dataclass(frozen=True)
class Said:
    """What the user has said by clicking: places (shares of the sheet) that are ``paper``, ``only`` which there is paper
    to go by, and the darkest ``ink``."""

    paper: tuple[tuple[float, float], ...] = ()
    ink: tuple[tuple[float, float], ...] = ()
    only: bool = False


NOTHING_SAID = Said()


@dataclass(frozen=True, eq=False)
class Evenly:
    """A pyramid evened in full, by a gain on cells of ``cell_px``, without the paper's ``ruling``."""

    pyramid: Pyramid
    gain: Gain
    cell_px: int
    ruling: Ruling | None = None

    def read(self, level: int, box: Region) -> Plane:
        """Reflectance per channel (h, w, C) of a box of a level."""
        place = (box.x, box.y, level)
        codes = even(self.pyramid.read(level, box), self.gain, self.cell_px, place)
        return from_codes(codes if self.ruling is None else without_ruling(codes, self.ruling, place))

    def whole(self, level: int) -> Plane:
        return self.read(level, Region(0, 0, *self.pyramid.size(level)))

    def whole_uncut(self, level: int) -> Plane:
        """The same with what is much lighter than paper, which codes of reflectance do not hold."""
        low = replace(self, gain=replace(self.gain, grid=self.gain.grid * np.float32(_LOW)), ruling=None)
        return low.whole(level) * np.float32(1 / _LOW)

    def close_by(self, x: float, y: float) -> Plane:
        """Reflectance at full size around a place, in shares of the sheet."""
        half, width, height = _CLOSE_PX // 2, self.pyramid.width, self.pyramid.height
        box = Region(int(x * width) - half, int(y * height) - half, _CLOSE_PX, _CLOSE_PX)
        return self.read(0, box.clip(width, height))


@dataclass(frozen=True, eq=False)
class Lit:
    """``light`` as it was read, ``doubt`` why it could not be; ``grid`` (gh, gw, C) that is divided out; the sheet
    ``evenly`` lit, and ``reduced`` (h, w, C) a level of it."""

    light: LightField | NoEstimate
    doubt: NoEstimate | None
    grid: Plane
    evenly: Evenly
    reduced: Plane


def light_up(pyramid: Pyramid, base: int, quick: bool, said: Said) -> Lit:
    """Read the light on a level of a sheet; ``quick`` for a first look."""
    return _lit(pyramid, base, linear_light(pyramid.whole(base)), quick, said)


def without_print(lit: Lit, base: int, said: Said) -> Lit | None:
    """The same without what is printed on the paper; None where nothing is."""
    pyramid = lit.evenly.pyramid
    if lit.doubt is not None:
        return None
    size = pyramid.width, pyramid.height
    ruling = find_ruling(lit.reduced, base, size, lit.evenly.cell_px, partial(lit.evenly.read, 0))
    if ruling is None:
        return None
    unruled = replace(lit.evenly, ruling=ruling)
    reduced = unruled.whole(base)
    margins = find_margins(reduced, base, size, ruling, partial(unruled.read, 0))
    if margins:
        ruling = replace(ruling, margins=margins)
        reduced = replace(unruled, ruling=ruling).whole(base)
    # Light that falls off within millimetres is read better without lines across it.
    plain = reduced / np.maximum(lit.reduced, np.float32(1e-4))
    linear = np.asarray(linear_light(pyramid.whole(base)) * plain, np.float32)
    return _lit(pyramid, base, linear, False, said, ruling)


def _lit(pyramid: Pyramid, base: int, linear: Plane, quick: bool, said: Said, ruling: Ruling | None = None) -> Lit:
    light = estimate_light(linear, quick) if min(linear.shape[:2]) >= _LEAST_PX else NoEstimate("too few pixels")
    if said.paper:
        light = _as_said(light, linear, said)
    field, doubt = _grid_or_flat(light, linear)
    cell = _cell_px(pyramid, field)
    span = (float(linear.shape[1] << base), float(linear.shape[0] << base))
    grid = regular_grid(field, cell, pyramid.width, pyramid.height, span)
    evenly = Evenly(pyramid, make_gain(grid, 1.0, None), cell, ruling)
    return Lit(light, doubt, grid, evenly, evenly.whole(base))


def _as_said(light: LightField | NoEstimate, linear: Plane, said: Said) -> LightField:
    grid = obey(light.grid if isinstance(light, LightField) and not said.only else None, linear, said.paper)
    if isinstance(light, LightField):
        return replace(light, grid=grid)
    return LightField(grid, 0.0, 0.01)


def _grid_or_flat(light: LightField | NoEstimate, linear: Plane) -> tuple[Plane, NoEstimate | None]:
    if isinstance(light, LightField):
        return light.grid, None
    # No paper to go by: take full white, so that a dark sheet stays dark and nothing is invented.
    top = np.maximum(np.percentile(linear.reshape(-1, linear.shape[2]), 99, axis=0), 0.02)
    if float(top.max()) < 0.05:
        top = np.ones_like(top)
    return np.tile(top.astype(np.float32), (2, 2, 1)), light


def _cell_px(pyramid: Pyramid, field: Plane) -> int:
    """Size of the light grid's cells: a power of two, about 64 to 128 along the longer side, or as fine as ``field``."""
    long, cell = max(pyramid.width, pyramid.height), 4
    while long > 128 * cell:
        cell *= 2
    while cell > 2 and cell * max(field.shape[:2]) >= 2 * long:
        cell //= 2
    return cell
