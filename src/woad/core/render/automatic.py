"""A region as the steps make it by themselves, up to the knock-out: what by-hand work and edges are then laid on."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.ink.dropout import REACH_PX as DROP_OUT_REACH_PX
from woad.core.paper.marks import ALIGN_PX
from woad.core.paper.marks import REACH_PX as PAPER_REACH_PX
from woad.core.raster.compositing import on_white, over_white
from woad.core.raster.pyramid import Pixels, Pyramid
from woad.core.raster.tiles import Region, inner_of
from woad.core.render.clearing import clearing_of
from woad.core.render.full_size import FullSize
from woad.core.render.halves import Tile, knock_out
from woad.core.render.hand import hand_of
from woad.core.render.mending import mended_pyramid
from woad.core.render.patches import Mended
from woad.core.render.recipe import Recipe, make_recipe
from woad.core.render.sheet import Sheet
from woad.core.render.steps import (
    Evened,
    Inked,
    aligned,
    cleared,
    fine_px,
    ink_step,
    paper_step,
    without,
)

Plane8 = NDArray[np.uint8]
_BYTES = 8  # of a pixel: three reflectance codes, the gate, and what is folded of them


@dataclass(frozen=True)
class Picture:
    """A rendered region: ``rgb`` (h, w, 3) straight encoded colour, or a single colour for the whole region;
    ``alpha`` (h, w), or None when opaque. ``reflectance`` (h, w) float32 under the pixels, if the step has it."""

    rgb: Plane8 | tuple[int, int, int]
    alpha: Plane8 | None


@dataclass(frozen=True, eq=False)
class SquaredTile:
    """A tile of a sheet that is turned, undistorted or mended, as it lies under the steps: ``plane`` (h, w, C)."""

    plane: Pixels

    @property
    def pixels(self) -> int:
        return self.plane.nbytes // _BYTES


class RegionCache:
    """The newest few results of squaring, Paper and Ink: moving a flag then costs only curves, and what Spotting shows of
    its work only a comparison. Bounded by pixels; thread safe."""

    def __init__(self, max_pixels: int = 12_000_000) -> None:
        self._max, self._held = max_pixels, 0
        self._items: OrderedDict[Any, SquaredTile | Evened | Inked] = OrderedDict()
        self._lock = Lock()

    @property
    def weight(self) -> int:
        """Bytes that are held, about."""
        return self._held * _BYTES

    def get(self, key: Any) -> SquaredTile | Evened | Inked | None:
        with self._lock:
            item = self._items.get(key)
            if item is not None:
                self._items.move_to_end(key)
            return item

    def put(self, key: Any, item: SquaredTile | Evened | Inked) -> None:
        with self._lock:
            if key in self._items:
                return
            self._items[key] = item
            self._held += item.pixels
            while self._held > self._max and len(self._items) > 1:
                self._held -= self._items.popitem(last=False)[1].pixels


def evened_tile(
    sheet: Sheet, recipe: Recipe, level: int, tile: Region, cache: RegionCache | None, pyramid: Pyramid | None = None
) -> Evened:
    pyramid = pyramid or sheet.pyramid
    key = (sheet.readings, pyramid, level, tile, recipe.paper_key)
    held = cache.get(key) if cache is not None else None
    if isinstance(held, Evened):
        return held
    out = None
    if cache is not None and isinstance(pyramid, Mended):
        held = cache.get((sheet.readings, pyramid.before_last(), level, tile, recipe.paper_key))
        if isinstance(held, Evened):
            out = _evened_anew(held, sheet, recipe, level, tile, pyramid)
    if out is None:
        out = _evened(sheet, recipe, level, tile, _squared(pyramid, level, tile, cache))
    if cache is not None:
        cache.put(key, out)
    return out


def _squared(pyramid: Pyramid, level: int, tile: Region, cache: RegionCache | None) -> Pixels:
    """The tile's own pixels; resampling a photo costs more than what is then done with it."""
    if cache is None or type(pyramid) is Pyramid:
        return pyramid.read(level, tile)
    held = cache.get((pyramid, level, tile))
    if not isinstance(held, SquaredTile):
        held = SquaredTile(pyramid.read(level, tile))
        cache.put((pyramid, level, tile), held)
    return held.plane


def _evened(sheet: Sheet, recipe: Recipe, level: int, tile: Region, pixels: Pixels) -> Evened:
    hand = hand_of(recipe.touches, sheet.frame) if recipe.touches else None
    return paper_step(pixels, tile, level, recipe, sheet.readings, hand)


def _evened_anew(
    before: Evened, sheet: Sheet, recipe: Recipe, level: int, tile: Region, pyramid: Mended
) -> Evened | None:
    """What was evened before the newest patch came, evened anew where that patch can tell; None when that is most of it."""
    changed = pyramid.patches[-1].changed(level)
    if changed is None:
        return before
    reach = PAPER_REACH_PX + DROP_OUT_REACH_PX
    inside = Region(changed.x - tile.x, changed.y - tile.y, changed.w, changed.h).grown(reach, 1, tile.w, tile.h)
    if inside.w <= 0 or inside.h <= 0:
        return before
    around = inside.grown(reach, ALIGN_PX, tile.w, tile.h)
    if 2 * around.w * around.h > tile.w * tile.h:
        return None
    part = Region(tile.x + around.x, tile.y + around.y, around.w, around.h)
    new = _evened(sheet, recipe, level, part, pyramid.read(level, part))
    at, own = inner_of(inside, Region(0, 0, tile.w, tile.h)), inner_of(inside, around)
    codes, gate, folded = before.codes.copy(), before.gate.copy(), before.folded.copy()
    codes[at], gate[at], folded[at] = new.codes[own], new.gate[own], new.folded[own]
    toned = None if before.toned is None else before.toned.copy()
    if toned is not None and new.toned is not None:
        toned[at] = new.toned[own]
    return Evened(codes, gate, folded, toned)


def automatic_picture(
    sheet: Sheet,
    docket: Docket,
    step: str,
    level: int,
    box: Region,
    cache: RegionCache | None = None,
    shown: bool = False,
) -> Picture:
    """The sheet as it leaves ``ink``, ``spotting`` or, cut out, ``knockout`` without what is done to it by hand. Where it is
    ``shown``, thin lines of a reduced level cover as much as they do at full size."""
    recipe = make_recipe(docket, sheet.readings)
    tile = aligned(box, recipe, *sheet.pyramid.size(level))
    pyramid = sheet.pyramid if step == "ink" else mended_pyramid(sheet, docket)
    evened = evened_tile(sheet, recipe, level, tile, cache, pyramid)
    inner = inner_of(box, tile)
    clearing = None if step == "ink" else clearing_of(sheet.strays, docket.spotting, sheet.frame)
    key = (sheet.readings, pyramid, level, box, recipe, sheet.ppi)
    inked = cache.get(key) if cache is not None else None
    if not isinstance(inked, Inked):
        inked = ink_step(evened, recipe, fine_px(sheet.ppi, level), level)
        if cache is not None:
            cache.put(key, inked)
    gone = None if clearing is None else clearing.tile(box, level)
    whole = step in ("ink", "spotting") or not recipe.knockout
    if whole and inked.laid is None:
        return Picture(without(shown_inked(inked, recipe, inner), gone), None)
    full_size = FullSize(sheet, recipe) if shown and level > 0 else None
    cut = knock_out(Tile(evened, inked, recipe, sheet.readings, level, tile, full_size), inner, split=cache is not None)
    if whole and cut.rgb is not None:  # off toned paper, and on white
        return Picture(without(over_white(cut.rgb, cut.alpha), gone), None)
    return Picture(recipe.ink_rgb if cut.rgb is None else cut.rgb, cleared(cut.alpha, gone))


def automatic_cut(
    sheet: Sheet, docket: Docket, level: int, box: Region, cache: RegionCache | None = None, shown: bool = False
) -> Picture:
    """:func:`automatic_picture` of the knock-out."""
    return automatic_picture(sheet, docket, "knockout", level, box, cache, shown)


def shown_inked(inked: Inked, recipe: Recipe, inner: tuple[slice, slice]) -> Plane8:
    """What is inked, on white paper."""
    if inked.rgb is not None:
        return np.ascontiguousarray(inked.rgb[inner])
    assert inked.tone is not None
    return on_white(np.ascontiguousarray(inked.tone[inner]), recipe.ink_rgb)
