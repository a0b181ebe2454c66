"""Counts behind the overlays, over the whole sheet: strokes the settings lose, paper they keep."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from woad.core.docket.model import Docket
from woad.core.ink.dropout import shares
from woad.core.ink.painting import out_of_range
from woad.core.ink.sharpness import overshoot, sharpen
from woad.core.paper.evening import even, make_gain
from woad.core.raster.channels import highest
from woad.core.raster.codes import from_codes
from woad.core.raster.tiles import Region
from woad.core.render.automatic import RegionCache
from woad.core.render.edge_readings import EdgeReading, read_edges
from woad.core.render.recipe import Recipe, ink_of, make_recipe, resting_sharpness
from woad.core.render.region import overlay_region, render_region
from woad.core.render.sheet import Sheet
from woad.core.render.steps import dropper_for

_CHECK_PX = 1800
_TOO_SHARP = 1.3, 0.2  # times the sheet's own amount of sharpening, and so much besides


@dataclass(frozen=True)
class Checks:
    """``lost`` pieces of strokes and ``lost_share`` of the sheet's area; ``kept_share`` of paper not yet gone.

    ``pencil_left`` mean coverage, steps of 255, where a drop-out colour lay, None without one; ``out_of_range`` share of
    colours that saturation pushes too far, 0 for one ink; ``overshoot`` of sharpened edges (share of full scale), and
    ``too_sharp`` whether they are sharpened by far more than the scan's blur took; ``edges`` is None while nobody looks at
    the finished edges.
    """

    lost: int
    lost_share: float
    kept_share: float
    pencil_left: float | None = None
    out_of_range: float = 0.0
    overshoot: float = 0.0
    too_sharp: bool = False
    edges: EdgeReading | None = None


def check_sheet(sheet: Sheet, docket: Docket, edges: bool = True, cache: RegionCache | None = None) -> Checks:
    """Count on a reduced level: lost strokes as connected components, paper kept as a share of the area.

    ``edges`` are read at full size, which takes as long again. What a ``cache`` holds of the level is not made anew."""
    level = sheet.pyramid.level_for(_CHECK_PX)
    w, h = sheet.pyramid.size(level)
    cache = RegionCache() if cache is None else cache
    box = Region(0, 0, w, h)
    lost = overlay_region(sheet, docket, "lost", level, box, cache)
    kept = overlay_region(sheet, docket, "kept", level, box, cache)
    count, _, stats, _ = cv2.connectedComponentsWithStats(lost, connectivity=8)
    # A single pixel at this level is as likely the paper's noise as a stroke.
    large = int((stats[1:, cv2.CC_STAT_AREA] >= 12).sum()) if count > 1 else 0
    recipe = make_recipe(docket, sheet.readings)
    far, beyond = _overdone(sheet, docket, recipe, level, box, cache)
    return Checks(
        large,
        float(np.count_nonzero(lost)) / lost.size,
        float(np.count_nonzero(kept)) / kept.size,
        _pencil_left(sheet, docket, recipe, level, box, cache),
        far,
        beyond,
        _too_sharp(recipe, sheet),
        read_edges(sheet, docket) if edges else None,
    )


def _pencil_left(
    sheet: Sheet, docket: Docket, recipe: Recipe, level: int, box: Region, cache: RegionCache
) -> float | None:
    if not recipe.dropped:
        return None
    gain = make_gain(sheet.readings.light, 1.0, None)
    codes = even(sheet.pyramid.read(level, box), gain, sheet.readings.cell_px, (box.x, box.y, level))
    before = from_codes(codes)
    parts = shares(codes, dropper_for(recipe.dropped, ink_of(sheet.readings)))
    lines = (np.max(parts, axis=0) > 0.3) & (highest(before) > 0.5)
    # Ink beside or across a line is not what is left of it.
    ink = cv2.dilate((highest(before) < 0.45).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    lines &= ~ink
    picture = render_region(sheet, docket, "knockout", level, box, cache)
    if picture.alpha is None or not lines.any():
        return 0.0
    return float(picture.alpha[lines].mean())


def _too_sharp(recipe: Recipe, sheet: Sheet) -> bool:
    """Sharpening is held at an edge's neighbours, so how far edges overshoot says little of how hard it presses: steps and
    grain alike get harder than they were drawn. What the scan's blur took does tell."""
    own = resting_sharpness(sheet.readings, recipe.one_ink)
    return recipe.work.sharpness > _TOO_SHARP[0] * own + _TOO_SHARP[1]


def _overdone(
    sheet: Sheet, docket: Docket, recipe: Recipe, level: int, box: Region, cache: RegionCache
) -> tuple[float, float]:
    work = recipe.work
    if work.saturation <= 1 and not work.sharpness:
        return 0.0, 0.0
    plain = docket.model_copy(
        update={"ink": docket.ink.model_copy(update={"saturation": 1.0, "sharpness": 0.0}), "mix": None}
    )
    before = np.asarray(render_region(sheet, plain, "ink", level, box, cache).rgb)
    if recipe.one_ink:
        # Its coverage is what is sharpened.
        before, far = np.asarray(cv2.bitwise_not(cv2.cvtColor(before, cv2.COLOR_RGB2GRAY))), 0.0
    else:
        far = out_of_range(before, work.saturation)
    return far, overshoot(before, sharpen(before, work.sharpness))
