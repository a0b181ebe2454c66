"""Any region of any step at any level: what the view asks for. Costs what its pixels cost."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.edge.shape import lost_parts
from woad.core.estimate import NoEstimate
from woad.core.ink.curve import TonePoints, resting_middle
from woad.core.knockout.fringe import fringe_pixels
from woad.core.paper.evening import sample_grid
from woad.core.paper.marks import mark_gate
from woad.core.raster.channels import highest
from woad.core.raster.codes import from_codes
from woad.core.raster.pyramid import Pyramid, as_8bit
from woad.core.raster.tiles import Region, inner_of
from woad.core.render.automatic import (
    Picture,
    RegionCache,
    automatic_cut,
    automatic_picture,
    evened_tile,
    shown_inked,
)
from woad.core.render.cut_readings import cutting_of
from woad.core.render.cutting import Cutting, cut
from woad.core.render.mix import mix_cut_outs
from woad.core.render.negative import as_seen
from woad.core.render.recipe import Recipe, Work, make_recipe
from woad.core.render.sheet import Sheet
from woad.core.render.squaring import plane_of, squared_pyramid
from woad.core.render.steps import (
    Evened,
    aligned,
    ink_step,
    level_floors,
    light_coverage,
)

Plane8 = NDArray[np.uint8]
PLAIN = ("scan", "square", "before")


def step_pyramid(sheet: Sheet, docket: Docket, step: str) -> Pyramid:
    """The pixels a step is shown on: the scan itself, the untrimmed plane in the Square step, else the squared sheet."""
    if step == "scan":
        return sheet.scan
    if step == "square":
        return squared_pyramid(sheet.scan, plane_of(docket, sheet.scan, sheet.found))
    return sheet.pyramid


def plain_region(pyramid: Pyramid, level: int, box: Region) -> Plane8:
    """Pixels as they are, (h, w, 3) uint8."""
    tile = as_8bit(pyramid.read(level, box))
    if tile.shape[2] == 1:
        tile = np.asarray(cv2.cvtColor(np.ascontiguousarray(tile), cv2.COLOR_GRAY2RGB))
    return np.ascontiguousarray(tile)


def render_region(
    sheet: Sheet, docket: Docket, step: str, level: int, box: Region, cache: RegionCache | None = None
) -> Picture:
    """The sheet as it leaves ``step`` (one of STEPS, or ``editions``, which shows the knock-out).

    ``box`` lies on ``level`` of :func:`step_pyramid` and must be on the image. Tiles equal the whole. ``before`` is the
    squared sheet before Paper. A take that is mixed in is part of the picture from Paper on.
    """
    picture = region_at_work(sheet, docket, step, level, box, cache)
    turned = sheet.readings.negative and step not in ("scan", "square")
    return Picture(as_seen(picture.rgb, turned), picture.alpha)


def region_at_work(
    sheet: Sheet, docket: Docket, step: str, level: int, box: Region, cache: RegionCache | None = None
) -> Picture:
    """The same as the steps see it: of dark paper, from Paper on, its negative."""
    other = None if step in PLAIN else docket.mixed_in()
    own = _render(sheet, docket, step, level, box, cache)
    if other is None or docket.mix is None:
        return own
    second = _render(sheet, other, step, level, box, cache)
    return Picture(*mix_cut_outs(own.rgb, own.alpha, second.rgb, second.alpha, docket.mix.share))


def _render(sheet: Sheet, docket: Docket, step: str, level: int, box: Region, cache: RegionCache | None) -> Picture:
    if step in PLAIN:
        return Picture(plain_region(step_pyramid(sheet, docket, step), level, box), None)
    if step == "paper":
        recipe = make_recipe(docket, sheet.readings)
        tile = aligned(box, recipe, *sheet.pyramid.size(level))
        evened = evened_tile(sheet, recipe, level, tile, cache)
        return Picture(_paper_picture(evened, sheet, recipe, inner_of(box, tile)), None)
    cutting = None if step in ("ink", "spotting") else cutting_of(sheet, docket)
    if cutting is None:
        return automatic_picture(sheet, docket, step, level, box, cache, shown=True)
    return _cut(sheet, docket, cutting, step, level, box, cache)


def _cut(
    sheet: Sheet, docket: Docket, cutting: Cutting, step: str, level: int, box: Region, cache: RegionCache | None
) -> Picture:
    """The cut-out with what is done to it by hand and, from Edge on, its edges."""
    tile = box.grown(cutting.reach_px(level), 1, *sheet.pyramid.size(level))
    own = automatic_cut(sheet, docket, level, tile, cache, shown=True)
    if own.alpha is None:
        return Picture(own.rgb if isinstance(own.rgb, tuple) else own.rgb[inner_of(box, tile)], None)

    def before() -> Plane8:
        return np.asarray(automatic_picture(sheet, docket, "spotting", level, tile, cache, shown=True).rgb)

    colour, alpha = cut(cutting, own.rgb, own.alpha, before, tile, level, step != "knockout")
    inner = inner_of(box, tile)
    return Picture(
        colour if isinstance(colour, tuple) else np.ascontiguousarray(colour[inner]), np.ascontiguousarray(alpha[inner])
    )


def _paper_picture(evened: Evened, sheet: Sheet, recipe: Recipe, inner: tuple[slice, slice]) -> Plane8:
    """Paper white, ink still as it was scanned: the Ink step's curve with the scan's own ink."""
    own = sheet.readings.ink
    linear = (0.06,) * 3 if isinstance(own, NoEstimate) else (own.reflectance * 3)[:3]
    deep = max(sheet.readings.ink_density or 1.2, 0.2) if recipe.one_ink else 3.0
    dark = min(linear) if recipe.one_ink else 0.0
    points = TonePoints(0.0, resting_middle(0.0, deep, "seen", dark), deep)
    ink = (linear[0], linear[1], linear[2]) if recipe.one_ink else (0.0, 0.0, 0.0)
    plain = replace(recipe, points=points, reading="seen", ink_linear=ink, work=Work(), paper_tone=None)
    return shown_inked(ink_step(evened, plain), plain, inner)


# The overlay of strays: a change of up to _UNSEEN codes is none; the least that is one is shown as strong as this.
_UNSEEN, _LEAST_SHOWN = 2, 90


@dataclass(frozen=True)
class Spot:
    """Readings at one pixel: colour, density against paper, coverage 0..1 after Knock-out (None where a step has none)."""

    rgb: tuple[int, int, int]
    density: float | None
    coverage: float | None


def read_spot(sheet: Sheet, docket: Docket, step: str, level: int, x: int, y: int, cache: RegionCache) -> Spot:
    """Readings under the pointer: colour as it leaves ``step`` over white (light marks over black), density after Paper,
    coverage."""
    box = Region(x, y, 1, 1)
    if step in ("scan", "square"):
        # Before the sheet is squared and measured there is colour, but no paper to read density against.
        own = np.asarray(render_region(sheet, docket, step, level, box, cache).rgb).reshape(-1, 3)[0]
        return Spot((int(own[0]), int(own[1]), int(own[2])), None, None)
    cut = render_region(sheet, docket, "knockout", level, box, cache)
    shows_cut = step in ("knockout", "edge", "editions")
    picture = cut if shows_cut else render_region(sheet, docket, step, level, box, cache)
    rgb = np.asarray(picture.rgb, np.float32).reshape(-1, 3)[0]
    covered = 1.0 if cut.alpha is None else float(cut.alpha[0, 0]) / 255
    if picture.alpha is not None:
        rgb = rgb * covered + (0 if sheet.readings.negative else 255) * (1 - covered)
    recipe = make_recipe(docket, sheet.readings)
    tile = aligned(box, recipe, *sheet.pyramid.size(level))
    folded = evened_tile(sheet, recipe, level, tile, cache).folded
    r = float(from_codes(folded[y - tile.y : y - tile.y + 1, x - tile.x : x - tile.x + 1])[0, 0])
    code = np.rint(rgb).astype(int)
    return Spot((int(code[0]), int(code[1]), int(code[2])), float(-np.log10(max(r, 1e-3))), covered)


def overlay_region(sheet: Sheet, docket: Docket, kind: str, level: int, box: Region, cache: RegionCache) -> Plane8:
    """An overlay (h, w) uint8, 255 where it holds: ``lost`` strokes or ``kept`` paper; ``light`` is graded, 255 where
    all light is lost, with a line for every twentieth; ``strays`` is how much Spotting changes.

    Lost: something stands above the paper's noise, the finest threshold at which a mark can be told from grain, and
    hardly any of it is left. Kept: a little coverage stays where nothing stands clearly above the noise.
    """
    if kind == "light":
        return _light_overlay(sheet, level, box)
    if kind == "strays":
        before = np.asarray(render_region(sheet, docket, "ink", level, box, cache).rgb)
        after = np.asarray(render_region(sheet, docket, "spotting", level, box, cache).rgb)
        change = highest(np.asarray(cv2.absdiff(before, after)))
        # In its own form, so that one can tell what it is; lifted, as a pale speck hardly shows on white.
        lifted = np.minimum(_LEAST_SHOWN + 1.2 * np.arange(256), 250).astype(np.uint8)
        lifted[: _UNSEEN + 1] = 0
        return np.asarray(cv2.LUT(change, lifted), np.uint8)
    if kind in ("fringe", "tones", "edge-lost"):
        return _cut_overlay(sheet, docket, kind, level, box, cache)
    recipe = make_recipe(docket, sheet.readings)
    tile = aligned(box, recipe, *sheet.pyramid.size(level))
    evened = evened_tile(sheet, recipe, level, tile, cache)
    whole = render_region(sheet, docket, "knockout", level, tile, cache)
    alpha = np.full(evened.gate.shape, 255, np.uint8) if whole.alpha is None else whole.alpha
    if kind == "lost":
        # Blotches that stay far below what a mark must reach are meant to go; what comes near it is a stroke lost.
        finer = mark_gate(evened.folded, level_floors(sheet.readings, level, 1.15), 0.1, peak=0.75 * recipe.peak)
        # What is left of a stroke hides its own rim: only places with no surviving mark near them are lost.
        dark = np.clip((1 - from_codes(evened.folded)) * 255, 0, 255)
        alive = ((alpha > 4) & (alpha > 0.15 * dark)).astype(np.uint8)
        hit = (finer > 127) & (cv2.dilate(alive, np.ones((11, 11), np.uint8)) == 0)
    else:
        clear = mark_gate(evened.folded, level_floors(sheet.readings, level, 1.5), 0.1)
        light = light_coverage(evened, recipe, sheet.readings, level, tile)
        clear = clear if light is None else np.asarray(cv2.max(clear, light))
        # The soft rim of a mark is not paper that was kept.
        hit = (cv2.dilate(clear, np.ones((7, 7), np.uint8)) < 128) & (alpha > 2)
    return np.asarray(hit[inner_of(box, tile)], np.uint8) * np.uint8(255)


def _cut_overlay(sheet: Sheet, docket: Docket, kind: str, level: int, box: Region, cache: RegionCache) -> Plane8:
    """``fringe``: edge pixels that no mixture makes; ``tones``: what picked tones reach; ``edge-lost``: parts that the
    choke takes whole."""
    tile = box.grown(12, 1, *sheet.pyramid.size(level))
    inner = inner_of(box, tile)
    bare = np.zeros((box.h, box.w), np.uint8)
    if kind == "tones":
        plain = docket.model_copy(update={"knockout": docket.knockout.by_itself(), "edge": type(docket.edge)()})
        before = render_region(sheet, plain, "knockout", level, box, cache).alpha
        left = docket.model_copy(update={"edge": type(docket.edge)()})
        after = render_region(sheet, left, "knockout", level, box, cache).alpha
        if before is None or after is None or not docket.knockout.tones:
            return bare
        return np.asarray((before > 12) & (after < 0.5 * before), np.uint8) * np.uint8(255)
    after_edge = render_region(sheet, docket, "edge", level, tile, cache)
    if after_edge.alpha is None:
        return bare
    if kind == "edge-lost":
        before = render_region(sheet, docket, "knockout", level, tile, cache).alpha
        assert before is not None
        choke = max(-docket.edge.move_px(sheet.ppi), 0.0) / (1 << level)
        return np.ascontiguousarray(lost_parts(before, after_edge.alpha, choke)[inner])
    if isinstance(after_edge.rgb, tuple):
        return bare  # one ink has one colour: no pixel can be lighter than it
    return np.ascontiguousarray(fringe_pixels(after_edge.rgb, after_edge.alpha)[0][inner])


def _light_overlay(sheet: Sheet, level: int, box: Region) -> Plane8:
    light = sheet.readings.light.mean(axis=2, keepdims=True)
    most = float(np.percentile(light, 99))
    part = sample_grid(light, sheet.readings.cell_px, box.x, box.y, box.w, box.h, level)[..., 0] / max(most, 1e-4)
    lost = np.clip(1 - part, 0, 1)
    steps = np.floor(lost * 20)
    line = (steps != np.roll(steps, 1, 0)) | (steps != np.roll(steps, 1, 1))
    line[0], line[:, 0] = False, False
    return np.asarray(np.where(line, 255, np.minimum(lost * 255, 250)), np.uint8)
