"""The steps as pure functions over tiles: Paper, Ink, Knock-out. Each states how far it looks around a pixel."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.knockout.coverage import body_alpha, body_reach, unmix
from woad.core.paper.evening import even, make_gain
from woad.core.paper.marks import ALIGN_PX, REACH_PX, SCALES, mark_gate
from woad.core.raster.codes import Codes, look_up
from woad.core.raster.tiles import Region
from woad.core.render.readings import Readings
from woad.core.render.recipe import MM_BODY, Recipe, channel_table, tone_table

Plane8 = NDArray[np.uint8]
Encoded = NDArray[np.uint8] | NDArray[np.uint16]

STEPS = ("scan", "square", "before", "paper", "ink", "knockout")


@dataclass(frozen=True)
class Evened:
    """After Paper: reflectance codes, (h, w) for one ink or (h, w, 3), and the gate that tells marks from paper."""

    codes: Codes
    gate: Plane8
    folded: Codes


@dataclass(frozen=True)
class Inked:
    """After Ink. One ink: ``tone`` (h, w), encoded coverage with the colour known; colour: ``rgb`` (h, w, 3)."""

    tone: Plane8 | None
    rgb: Plane8 | None


@dataclass(frozen=True)
class CutOut:
    """After Knock-out: ``alpha`` (h, w); ``rgb`` (h, w, 3) straight colour, or None when it is the one ink."""

    alpha: Plane8
    rgb: Plane8 | None


def reach_px(recipe: Recipe, body_px: float) -> int:
    """How far a tile must be enlarged so that its inside equals the whole."""
    return REACH_PX + (0 if recipe.one_ink else body_reach(body_px))


def body_px(ppi: float | None, level: int) -> float:
    """The reach of a coloured mark's body at a level, px."""
    return max(0.6, MM_BODY * (ppi or 300.0) / 25.4 / (1 << level))


def level_floors(readings: Readings, level: int, scale: float) -> tuple[float, ...]:
    """Noise floors for a view at ``level``, multiplied by ``scale``."""
    last = len(readings.floors) - 1
    return tuple(max(readings.floors[min(level + i, last)] * scale, 1e-4) for i in range(SCALES))


def _grainy(readings: Readings) -> bool:
    return not isinstance(readings.ink, NoEstimate) and readings.ink.grainy


def paper_step(encoded: Encoded, box: Region, level: int, recipe: Recipe, readings: Readings) -> Evened:
    """Even the light of an encoded tile (h, w, C) lying at ``box`` of ``level``."""
    weights = readings.weights if recipe.one_ink else None
    gain = make_gain(readings.light, recipe.evening, weights)
    codes = even(encoded, gain, readings.cell_px, (box.x, box.y, level))
    if recipe.one_ink:
        folded = codes
    else:
        if codes.shape[2] == 1:
            codes = np.repeat(codes, 3, axis=2)
        # Equal shares, so that pale yellow counts as much as pale grey.
        folded = np.asarray(cv2.transform(codes, np.full((1, 3), 1 / 3, np.float32))).reshape(codes.shape[:2])
    gate = mark_gate(folded, level_floors(readings, level, recipe.noise_scale), recipe.softness, _grainy(readings))
    return Evened(codes, gate, folded)


def texture_gate(gate: Plane8, grain: float) -> Plane8:
    """What is kept of each pixel's darkness when ``grain`` (0..1) of the paper's texture stays."""
    if grain <= 0:
        return gate
    table = np.rint(255 * grain + np.arange(256) * (1 - grain)).astype(np.uint8)
    return look_up_8(gate, table)


def look_up_8(plane: Plane8, table: Plane8) -> Plane8:
    """Apply a 256-entry table to an 8-bit plane of any number of channels."""
    return np.asarray(cv2.LUT(plane, table)).reshape(plane.shape)


def scale_8(plane: Plane8, by: Plane8) -> Plane8:
    """plane * by / 255, rounded."""
    return np.asarray(cv2.multiply(plane, by, scale=1 / 255)).reshape(plane.shape)


def ink_step(evened: Evened, recipe: Recipe) -> Inked:
    """Apply the curve; paper texture is thinned to what ``grain`` keeps."""
    gate = texture_gate(evened.gate, recipe.grain)
    if recipe.one_ink:
        tone = look_up(evened.codes, tone_table(recipe.points, recipe.reading, min(recipe.ink_linear)))
        return Inked(scale_8(tone, gate), None)
    table = channel_table(recipe.points, min(recipe.ink_linear))
    missing = cv2.bitwise_not(look_up(evened.codes, table))
    kept = scale_8(np.asarray(missing), cv2.merge([gate, gate, gate]))
    return Inked(None, np.asarray(cv2.bitwise_not(kept)))


def knockout_step(evened: Evened, inked: Inked, recipe: Recipe, readings: Readings, level: int, body: float) -> CutOut:
    """Coverage and straight colour."""
    strict: Plane8 | None = None
    if recipe.clears_more:
        floors = level_floors(readings, level, recipe.clearing_scale)
        strict = mark_gate(evened.folded, floors, recipe.softness, _grainy(readings))
    if inked.tone is not None:
        alpha = inked.tone if strict is None else scale_8(inked.tone, strict)
        return CutOut(alpha, None)
    assert inked.rgb is not None
    rgb = inked.rgb
    if strict is not None:
        missing = scale_8(np.asarray(cv2.bitwise_not(rgb)), cv2.merge([strict, strict, strict]))
        rgb = np.asarray(cv2.bitwise_not(missing))
    r, g, b = cv2.split(rgb)
    least = np.asarray(cv2.bitwise_not(cv2.min(cv2.min(r, g), b)))
    alpha = body_alpha(least, body)
    return CutOut(alpha, unmix(rgb, alpha))


def aligned(box: Region, recipe: Recipe, body: float, width: int, height: int) -> Region:
    """The tile to compute for ``box``: enlarged by the steps' reach and aligned to noise blocks."""
    return box.grown(reach_px(recipe, body), ALIGN_PX, width, height)
