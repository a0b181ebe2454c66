"""The knock-out of coloured art in two halves side by side: it costs many times what an ink drawing's does."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np

from woad.core.paper.marks import ALIGN_PX
from woad.core.raster.tiles import Region
from woad.core.render.readings import Readings
from woad.core.render.recipe import Recipe
from woad.core.render.steps import CutOut, Evened, Inked, knockout_step, reach_px

_WORTH = 150_000  # pixels from which a second thread pays


def knock_out(
    evened: Evened,
    inked: Inked,
    recipe: Recipe,
    readings: Readings,
    level: int,
    tile: Region,
    inner: tuple[slice, slice],
) -> CutOut:
    """Coverage and straight colour over ``inner`` (rows, columns) of a ``tile`` at ``level`` that the steps before have
    made with all the reach that is needed around it."""
    rows, columns = inner
    height, reach = rows.stop - rows.start, reach_px(recipe)
    if inked.rgb is None or height * tile.w < _WORTH or height < 2 * reach:
        return _of_rows(evened, inked, recipe, readings, level, tile, rows, columns)
    middle = rows.start + height // 2
    with ThreadPoolExecutor(1) as beside:
        parts = [slice(rows.start, middle), slice(middle, rows.stop)]
        lower = beside.submit(_of_rows, evened, inked, recipe, readings, level, tile, parts[1], columns)
        above = _of_rows(evened, inked, recipe, readings, level, tile, parts[0], columns)
        below = lower.result()
    assert above.rgb is not None and below.rgb is not None
    return CutOut(np.concatenate([above.alpha, below.alpha]), np.concatenate([above.rgb, below.rgb]))


def _of_rows(
    evened: Evened,
    inked: Inked,
    recipe: Recipe,
    readings: Readings,
    level: int,
    tile: Region,
    rows: slice,
    columns: slice,
) -> CutOut:
    """The knock-out of some rows of a tile, made with what lies within reach of them."""
    reach = -(-reach_px(recipe) // ALIGN_PX) * ALIGN_PX
    top = max(0, rows.start // ALIGN_PX * ALIGN_PX - reach)  # blocks of noise fall on the same pixels as the tile's
    part = slice(top, min(rows.stop + reach, tile.h))
    some = Evened(evened.codes[part], evened.gate[part], evened.folded[part])
    own = Inked(*(None if plane is None else plane[part] for plane in (inked.tone, inked.rgb)))
    box = Region(tile.x, tile.y + top, tile.w, part.stop - top)
    cut = knockout_step(some, own, recipe, readings, level, box)
    where = slice(rows.start - top, rows.stop - top), columns
    rgb = None if cut.rgb is None else np.ascontiguousarray(cut.rgb[where])
    return CutOut(np.ascontiguousarray(cut.alpha[where]), rgb)
