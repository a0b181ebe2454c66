"""The knock-out of coloured art in two halves side by side: it costs many times what an ink drawing's does."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from woad.core.paper.marks import ALIGN_PX
from woad.core.raster.tiles import Region
from woad.core.render.full_size import FullSize
from woad.core.render.readings import Readings
from woad.core.render.recipe import Recipe
from woad.core.render.steps import CutOut, Evened, Inked, knockout_step, reach_px

_WORTH = 150_000  # pixels from which a second thread pays


@dataclass(frozen=True, eq=False)
class Tile:
    """A tile at ``box`` of ``level`` as Paper and Ink leave it, a reduced one with what it is of at ``full_size``."""

    evened: Evened
    inked: Inked
    recipe: Recipe
    readings: Readings
    level: int
    box: Region
    full_size: FullSize | None = None


def knock_out(tile: Tile, inner: tuple[slice, slice], split: bool) -> CutOut:
    """Coverage and straight colour over the rows and columns ``inner`` of a tile that has all the reach around it that is
    needed; ``split`` for a view, which somebody waits for."""
    rows, columns = inner
    height = rows.stop - rows.start
    if not split or tile.inked.rgb is None or height * tile.box.w < _WORTH or height < 2 * reach_px(tile.recipe):
        return _of_rows(tile, rows, columns)
    middle = rows.start + height // 2
    with ThreadPoolExecutor(1) as beside:
        lower = beside.submit(_of_rows, tile, slice(middle, rows.stop), columns)
        above = _of_rows(tile, slice(rows.start, middle), columns)
        below = lower.result()
    assert above.rgb is not None and below.rgb is not None
    return CutOut(np.concatenate([above.alpha, below.alpha]), np.concatenate([above.rgb, below.rgb]))


def _of_rows(tile: Tile, rows: slice, columns: slice) -> CutOut:
    """The knock-out of some rows of a tile, made with what lies within reach of them."""
    reach = -(-reach_px(tile.recipe) // ALIGN_PX) * ALIGN_PX
    top = max(0, rows.start // ALIGN_PX * ALIGN_PX - reach)  # blocks of noise fall on the same pixels as the tile's
    part = slice(top, min(rows.stop + reach, tile.box.h))
    made = tile.evened
    some = made.rows(part)
    own = tile.inked.rows(part)
    box = Region(tile.box.x, tile.box.y + top, tile.box.w, part.stop - top)
    cut = knockout_step(some, own, tile.recipe, tile.readings, tile.level, box, tile.full_size)
    where = slice(rows.start - top, rows.stop - top), columns
    rgb = None if cut.rgb is None else np.ascontiguousarray(cut.rgb[where])
    return CutOut(np.ascontiguousarray(cut.alpha[where]), rgb)
