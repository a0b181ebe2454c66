"""A whole sheet at full resolution: band by band on two threads, in bounded memory, with progress and stop."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from threading import Event

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.errors import Cancelled
from woad.core.raster.compositing import on_white, over_white
from woad.core.raster.pyramid import Pyramid
from woad.core.raster.tiles import Region, bands
from woad.core.render.clearing import Clearing, clearing_of
from woad.core.render.cut_readings import cutting_of
from woad.core.render.cutting import Cutting, cut
from woad.core.render.found import Found
from woad.core.render.hand import hand_of
from woad.core.render.mending import mended_pyramid
from woad.core.render.mix import Colour, mix_cut_outs, mix_planes
from woad.core.render.negative import as_seen
from woad.core.render.recipe import Recipe, make_recipe
from woad.core.render.sheet import Sheet
from woad.core.render.steps import aligned, cleared, fine_px, ink_step, knockout_step, paper_step, without
from woad.core.render.strays import ROWS_ALIGN, Blocks, begun, judged, looked_over, new_blocks, on_top

Plane8 = NDArray[np.uint8]
Progress = Callable[[float], None]

# Tall enough that the rows around a band, which are computed twice, are few; small enough to stop soon.
_BAND_PIXELS, _LEAST_ROWS = 2_500_000, 256
_THREADS = 2


@dataclass(frozen=True)
class Planes:
    """A finished sheet, full size.

    One ink: ``tone`` (H, W) encoded coverage before Knock-out, ``alpha`` after it (the same array when Knock-out takes
    nothing), ``ink_rgb`` the colour. Colour: ``rgb`` (H, W, 3) straight colour and ``alpha``; ``paper_rgb`` the picture
    with paper. ``alpha`` is None when Knock-out is off. ``light`` marks are those of dark paper. ``found`` what the sheet
    was looked over for, None when Spotting is off.
    """

    ink_rgb: tuple[int, int, int]
    tone: Plane8 | None
    alpha: Plane8 | None
    rgb: Plane8 | None
    paper_rgb: Plane8 | None
    light: bool = False
    found: Found | None = None


def render_whole(sheet: Sheet, docket: Docket, progress: Progress | None = None, stop: Event | None = None) -> Planes:
    """Compute every pixel of a sheet. Raises :class:`Cancelled` soon after ``stop`` is set."""
    planes = _whole(sheet, docket, progress, stop)
    return _turned(planes) if sheet.readings.negative else planes


def _turned(planes: Planes) -> Planes:
    """Planes of a negative as they are seen: light marks, on paper that is black."""
    paper = _on_paper(planes, slice(None))
    for plane in (planes.rgb, paper):
        if plane is not None:
            np.invert(plane, out=plane)  # its own: a large sheet has no room for another
    return Planes(as_seen(planes.ink_rgb, True), None, planes.alpha, planes.rgb, paper, True, planes.found)


def _whole(sheet: Sheet, docket: Docket, progress: Progress | None, stop: Event | None) -> Planes:
    other = docket.mixed_in()
    if other is None or docket.mix is None:
        return _render(sheet, docket, progress, stop)[0]

    def part(low: float) -> Progress | None:
        return None if progress is None else lambda share: progress(low + share / 2)

    first, sheet = _render(sheet, docket, part(0.0), stop)
    # The strays of the first take are taken off both, as in the view.
    second, _ = _render(sheet, other, part(0.5), stop, anew=sheet.strays is None)
    return replace(_mixed(first, second, docket.mix.share), found=first.found)


def _mixed(a: Planes, b: Planes, share: float) -> Planes:
    """Two finished sheets mixed, band by band into the first one's planes where they fit."""
    if a.tone is not None and b.tone is not None and a.ink_rgb == b.ink_rgb:
        tone = mix_planes(a.tone, b.tone, share)
        if a.alpha is None and b.alpha is None:
            return Planes(a.ink_rgb, tone, None, None, None)
        return Planes(a.ink_rgb, tone, mix_cut_outs(a.ink_rgb, a.alpha, a.ink_rgb, b.alpha, share)[1], None, None)
    shape = (a.tone if a.tone is not None else a.paper_rgb).shape[:2]  # type: ignore[union-attr]
    paper = np.empty((*shape, 3), np.uint8)
    cut = a.alpha is not None or b.alpha is not None
    rgb = np.empty((*shape, 3), np.uint8) if cut else None
    alpha = np.empty(shape, np.uint8) if cut else None
    for top in range(0, shape[0], _LEAST_ROWS):
        rows = slice(top, top + _LEAST_ROWS)
        papers = [_on_paper(p, rows) for p in (a, b)]
        paper[rows] = mix_planes(papers[0], papers[1], share)
        if rgb is not None and alpha is not None:
            one, two = (_cut_rows(p, rows, q) for p, q in zip((a, b), papers, strict=True))
            mixed, covered = mix_cut_outs(*one, *two, share)
            rgb[rows] = np.asarray(mixed, np.uint8)
            alpha[rows] = covered if covered is not None else 255
    return Planes(a.ink_rgb, None, alpha, rgb, paper)


def _on_paper(planes: Planes, rows: slice) -> Plane8:
    if planes.paper_rgb is not None:
        return planes.paper_rgb[rows]
    assert planes.tone is not None
    return on_white(np.ascontiguousarray(planes.tone[rows]), planes.ink_rgb)


def _cut_rows(planes: Planes, rows: slice, paper: Plane8) -> tuple[Colour, Plane8 | None]:
    if planes.alpha is None:
        return paper, None
    return (planes.ink_rgb if planes.rgb is None else planes.rgb[rows]), planes.alpha[rows]


def _render(
    sheet: Sheet, docket: Docket, progress: Progress | None, stop: Event | None, anew: bool = True
) -> tuple[Planes, Sheet]:
    """First everything up to the knock-out; what Spotting finds is found on that (``anew`` unless it is this docket's
    already), and taken off; then what looks at the finished coverage. With the sheet as it was looked over."""
    look = anew and docket.spotting.on and not looked_over(sheet, docket)
    if look:
        sheet = begun(sheet, docket)
    recipe = make_recipe(docket, sheet.readings)
    w, h = sheet.pyramid.size(0)
    planes = _empty_planes(recipe, w, h)
    blocks = new_blocks(w, h) if look and recipe.knockout else None
    work = _Work(sheet, recipe, mended_pyramid(sheet, docket), planes, blocks, stop)
    rows = max(_LEAST_ROWS, _BAND_PIXELS // w)
    _in_bands(list(bands(w, h, rows // ROWS_ALIGN * ROWS_ALIGN)), lambda box: _band(work, box), progress)
    known = sheet.strays
    if blocks is not None and known is not None:
        sheet = judged(sheet, docket, blocks, on_top(known))
    clearing = clearing_of(sheet.strays, docket.spotting, sheet.frame)
    if clearing is not None:
        _in_bands(list(bands(w, h, _LEAST_ROWS)), lambda box: _clear(planes, clearing, box), None)
    planes = replace(planes, found=sheet.strays if docket.spotting.on else None)
    cutting = None if planes.alpha is None else cutting_of(sheet, docket)
    return planes if cutting is None else _cut_whole(planes, cutting, w, h, rows, stop), sheet


def _cut_whole(planes: Planes, cutting: Cutting, w: int, h: int, rows: int, stop: Event | None) -> Planes:
    """By-hand work and edges, from the finished planes into new ones."""
    assert planes.alpha is not None
    alpha = np.empty_like(planes.alpha)
    coloured = planes.rgb is not None or cutting.colours
    rgb = np.empty((h, w, 3), np.uint8) if coloured else None

    def one(box: Region) -> None:
        if stop is not None and stop.is_set():
            raise Cancelled
        assert planes.alpha is not None
        tile = box.grown(cutting.reach_px(0), 1, w, h)
        part = slice(tile.y, tile.bottom)
        own: Colour = planes.ink_rgb if planes.rgb is None else planes.rgb[part]
        colour, covered = cut(cutting, own, planes.alpha[part], lambda: _on_paper(planes, part), tile, 0, True)
        inner, at = slice(box.y - tile.y, box.bottom - tile.y), slice(box.y, box.bottom)
        alpha[at] = covered[inner]
        if rgb is not None:
            rgb[at] = colour if isinstance(colour, tuple) else colour[inner]

    _in_bands(list(bands(w, h, rows)), one, None)
    return replace(planes, alpha=alpha, rgb=rgb)


def _empty_planes(recipe: Recipe, w: int, h: int) -> Planes:
    tone = np.empty((h, w), np.uint8) if recipe.one_ink else None
    alpha: Plane8 | None = None
    if recipe.knockout:
        alpha = tone if recipe.one_ink and not recipe.clears_more else np.empty((h, w), np.uint8)
    rgb = np.empty((h, w, 3), np.uint8) if not recipe.one_ink and recipe.knockout else None
    paper = np.empty((h, w, 3), np.uint8) if not recipe.one_ink else None
    return Planes(recipe.ink_rgb, tone, alpha, rgb, paper)


def _in_bands(boxes: list[Region], run: Callable[[Region], None], progress: Progress | None) -> None:
    """Run over bands on two threads; the first error stops the rest."""
    done = 0
    # One cv2 thread each: two bands side by side beat two threads inside every small call.
    before = cv2.getNumThreads()
    cv2.setNumThreads(1)
    try:
        with ThreadPoolExecutor(_THREADS) as pool:
            jobs = [pool.submit(run, box) for box in boxes]
            try:
                for job in jobs:
                    job.result()
                    done += 1
                    if progress is not None:
                        progress(done / len(boxes))
            except BaseException:
                for job in jobs:
                    job.cancel()
                raise
    finally:
        cv2.setNumThreads(before)


@dataclass(frozen=True)
class _Work:
    """What every band of the first pass needs."""

    sheet: Sheet
    recipe: Recipe
    pyramid: Pyramid
    planes: Planes
    blocks: Blocks | None
    stop: Event | None


def _band(work: _Work, box: Region) -> None:
    if work.stop is not None and work.stop.is_set():
        raise Cancelled
    sheet, recipe, planes = work.sheet, work.recipe, work.planes
    tile = aligned(box, recipe, *work.pyramid.size(0))
    hand = hand_of(recipe.touches, sheet.frame) if recipe.touches else None
    evened = paper_step(work.pyramid.read(0, tile), tile, 0, recipe, sheet.readings, hand)
    inked = ink_step(evened, recipe, fine_px(sheet.ppi, 0))
    inner = slice(box.y - tile.y, box.bottom - tile.y)
    rows = slice(box.y, box.bottom)
    if planes.tone is not None and inked.tone is not None:
        planes.tone[rows] = inked.tone[inner]
    if planes.paper_rgb is not None and inked.rgb is not None:
        planes.paper_rgb[rows] = inked.rgb[inner]
    alpha = None if planes.alpha is planes.tone else planes.alpha
    if alpha is not None or inked.laid is not None:
        cut = knockout_step(evened, inked, recipe, sheet.readings, 0, tile)
        if alpha is not None:
            alpha[rows] = cut.alpha[inner]
        if planes.rgb is not None and cut.rgb is not None:
            planes.rgb[rows] = cut.rgb[inner]
        if inked.laid is not None and planes.paper_rgb is not None and cut.rgb is not None:
            planes.paper_rgb[rows] = over_white(cut.rgb[inner], cut.alpha[inner])  # off toned paper, and on white
    if work.blocks is not None and planes.alpha is not None:
        work.blocks.fill(planes.alpha[rows], box.y)


def _clear(planes: Planes, clearing: Clearing, box: Region) -> None:
    """Take off what Spotting takes, in place."""
    gone = clearing.tile(box, 0)
    if gone is None:
        return
    rows = slice(box.y, box.bottom)
    for plane in (planes.tone, planes.alpha):
        if plane is not None:
            plane[rows] = cleared(plane[rows], gone)
    if planes.paper_rgb is not None:
        planes.paper_rgb[rows] = without(planes.paper_rgb[rows], gone)
