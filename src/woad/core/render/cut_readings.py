"""Whole-sheet readings behind a cutting: which paper is enclosed, what hangs together with a picked tone."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.knocking import EdgeSettings, KnockoutSettings, TonePick
from woad.core.docket.model import Docket
from woad.core.knockout.enclosed import find_enclosed
from woad.core.knockout.removing import hangs_together
from woad.core.raster.compositing import over_white
from woad.core.raster.tiles import Region
from woad.core.render.automatic import automatic_cut
from woad.core.render.cutting import Cutting, cut, make_cutting
from woad.core.render.hand import on_sheet
from woad.core.render.negative import as_seen
from woad.core.render.sheet import Sheet
from woad.core.units import mm_to_px

Plane8 = NDArray[np.uint8]
_CELLS_PX = 1600


def cutting_of(sheet: Sheet, docket: Docket) -> Cutting | None:
    """What is done to the cut-out beyond the automatic knock-out; None when that is nothing."""
    knockout, edge = docket.knockout, docket.edge
    plain = not (knockout.tones or knockout.subject or knockout.touches) and knockout.see_through
    if not knockout.on or (plain and not edge.acts() and not edge.touches):
        return None
    level = sheet.pyramid.level_for(_CELLS_PX)
    source = _upstream(sheet, docket)
    cells: Plane8 | None = None
    if not knockout.see_through:
        cells = sheet.held.made(("enclosed", source, knockout.gap_mm), partial(_cells, sheet, docket, level))
    together: list[Plane8 | None] = []
    for number, tone in enumerate(knockout.tones):
        key = ("tone", source, knockout.tones[: number + 1])
        make = partial(_together, sheet, docket, level, number)
        together.append(sheet.held.made(key, make) if tone.together else None)
    knockout = knockout.model_copy(update={"tones": _at_work(knockout.tones, sheet)})
    whole = partial(make_cutting, knockout, edge, sheet.frame, sheet.ppi, cells, 1 << level, tuple(together))
    return sheet.held.made(("cutting", source, knockout, edge, sheet.ppi), whole)  # type: ignore[no-any-return]


def _upstream(sheet: Sheet, docket: Docket) -> object:
    """What the automatic cut-out depends on."""
    return sheet.readings, sheet.strays, docket.paper, docket.ink, docket.spotting, docket.knockout.by_itself()


def _at_work(tones: tuple[TonePick, ...], sheet: Sheet) -> tuple[TonePick, ...]:
    """Picked tones as the steps see them."""
    if not sheet.readings.negative:
        return tones
    return tuple(tone.model_copy(update={"colour": as_seen(tone.colour, True)}) for tone in tones)


def _cells(sheet: Sheet, docket: Docket, level: int) -> Plane8:
    w, h = sheet.pyramid.size(level)
    alpha = automatic_cut(sheet, docket, level, Region(0, 0, w, h)).alpha
    mm = mm_to_px(1, sheet.ppi or 300.0) / (1 << level)
    coverage = np.full((h, w), 255, np.uint8) if alpha is None else alpha
    return find_enclosed(coverage, docket.knockout.gap_mm * mm)


def _together(sheet: Sheet, docket: Docket, level: int, number: int) -> Plane8:
    """Where the picked tone hangs together with its place, on what the tones before it have left."""
    tones = _at_work(docket.knockout.tones, sheet)
    w, h = sheet.pyramid.size(level)
    box = Region(0, 0, w, h)
    picture = automatic_cut(sheet, docket, level, box)
    alpha = np.full((h, w), 255, np.uint8) if picture.alpha is None else picture.alpha
    before = KnockoutSettings(tones=tones[:number])
    cutting = make_cutting(before, EdgeSettings(), sheet.frame, sheet.ppi, None, 1 << level, (None,) * number)
    colour = picture.rgb
    if cutting is not None:
        colour, alpha = cut(cutting, colour, alpha, lambda: np.zeros((h, w, 3), np.uint8), box, level, False)
    at = on_sheet([tones[number].at], sheet.frame)
    if not at:
        return np.zeros((h, w), np.uint8)
    own, (x, y) = tones[number], at[0]
    return hangs_together(over_white(colour, alpha), own.colour, own.reach, (int(x * w), int(y * h)))
