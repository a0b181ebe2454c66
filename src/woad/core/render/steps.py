"""The steps as pure functions over tiles: Paper, Ink, Knock-out. Each states how far it looks around a pixel."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.ink import painting, sharpness, strokes
from woad.core.ink.curve import TonePoints
from woad.core.ink.density import InkColour
from woad.core.ink.dropout import Colour, Dropper, drop_out, make_dropper
from woad.core.knockout.coverage import BODY_REACH, body_alpha, unmix, unmix_from, with_light
from woad.core.knockout.fringe import held_to_marks
from woad.core.knockout.grain import grain_alpha
from woad.core.knockout.inner import Inside, edge_width
from woad.core.knockout.one_tone import one_tone_alpha
from woad.core.paper.evening import even, make_gain, sample_grid
from woad.core.paper.marks import ALIGN_PX, REACH_PX, SCALES, mark_gate
from woad.core.paper.ruling import without_ruling
from woad.core.raster.channels import even_weights, folded, lowest
from woad.core.raster.codes import Codes, encoded_of, look_up, to_codes
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import srgb_encode
from woad.core.render.full_size import FullSize
from woad.core.render.hand import Hand, deepened, lightened
from woad.core.render.readings import Readings
from woad.core.render.recipe import Recipe, Work, channel_table, ink_of, tone_table
from woad.core.units import mm_to_px

Plane8 = NDArray[np.uint8]
Encoded = NDArray[np.uint8] | NDArray[np.uint16]

STEPS = ("scan", "square", "before", "paper", "ink", "spotting", "knockout", "edge")

_UNSHARPENED = 2  # a level at which nothing is sharpened
_UNSEEN = 2  # coverage, of 255
_FAINTEST = 7  # coverage, of 255, that the faintest strokes reach somewhere
_NEARBY_PX = 3  # how far from a pixel its stroke may do so
_NEARBY = np.ones((2 * _NEARBY_PX + 1, 2 * _NEARBY_PX + 1), np.uint8)


@dataclass(frozen=True)
class Evened:
    """After Paper: reflectance codes, (h, w) for one ink or (h, w, 3), and the gate that tells marks from paper; with a
    ``paper_tone`` in the recipe ``toned`` (h, w, 3), codes for which the lightest paint is white and paper is of that tone."""

    codes: Codes
    gate: Plane8
    folded: Codes
    toned: Codes | None = None

    @property
    def pixels(self) -> int:
        return self.gate.size

    def rows(self, part: slice) -> Evened:
        """Some rows of it."""
        toned = None if self.toned is None else self.toned[part]
        return Evened(self.codes[part], self.gate[part], self.folded[part], toned)


@dataclass(frozen=True)
class Inked:
    """After Ink. One ink: ``tone`` (h, w), encoded coverage with the colour known; colour: ``rgb`` (h, w, 3), on white paper,
    and off toned paper ``laid`` (h, w, 3), on paper of its own tone, with the lightest paint white."""

    tone: Plane8 | None
    rgb: Plane8 | None
    laid: Plane8 | None = None

    @property
    def pixels(self) -> int:
        return sum(plane.size for plane in (self.tone, self.rgb, self.laid) if plane is not None) // 3

    def rows(self, part: slice) -> Inked:
        """Some rows of it."""
        return Inked(*(None if plane is None else plane[part] for plane in (self.tone, self.rgb, self.laid)))


@dataclass(frozen=True)
class CutOut:
    """After Knock-out: ``alpha`` (h, w); ``rgb`` (h, w, 3) straight colour, or None when it is the one ink."""

    alpha: Plane8
    rgb: Plane8 | None


def reach_px(recipe: Recipe) -> int:
    """How far a tile must be enlarged so that its inside equals the whole."""
    work = recipe.work
    own = REACH_PX + (sharpness.REACH_PX if work.sharpness else 0)
    if recipe.one_ink:
        own += _NEARBY_PX
        return own + (strokes.REACH_PX if (work.solid, work.boldness, work.two_tone) != (0, 0, "off") else 0)
    return own + BODY_REACH


def fine_px(ppi: float | None, level: int) -> float:
    """Half the width of a fine line, 0.4 mm, at a level, px."""
    return mm_to_px(0.2, ppi or 300.0) / (1 << level)


def level_floors(readings: Readings, level: int, scale: float) -> tuple[float, ...]:
    """Noise floors for a view at ``level``, multiplied by ``scale``."""
    last = len(readings.floors) - 1
    return tuple(max(readings.floors[min(level + i, last)] * scale, 1e-4) for i in range(SCALES))


def _grainy(recipe: Recipe, readings: Readings) -> bool:
    """Whether marks have grain of their own: half-tones wanted as they are seen, or so many of them on the sheet."""
    if recipe.one_ink and recipe.reading == "seen":
        return True
    return not isinstance(readings.ink, NoEstimate) and readings.ink.grainy


def paper_step(
    encoded: Encoded, box: Region, level: int, recipe: Recipe, readings: Readings, hand: Hand | None = None
) -> Evened:
    """Even the light of an encoded tile (h, w, C) lying at ``box`` of ``level``; drop colours out, lay by-hand strokes."""
    fold = readings.weights if recipe.one_ink else None
    place = (box.x, box.y, level)
    if recipe.dropped and encoded.shape[2] == 3:
        codes = _evened(encoded, recipe, readings, place, None)
        codes = drop_out(codes, dropper_for(recipe.dropped, ink_of(readings)))
        if fold is not None:
            codes = folded(codes, fold)
    else:
        codes = _evened(encoded, recipe, readings, place, fold)
    if not recipe.one_ink and codes.shape[2] == 1:
        codes = np.repeat(codes, 3, axis=2)
    if hand is not None:
        codes = deepened(lightened(codes, hand, box, level), hand.strengthen, box, level)
    # Equal shares, so that pale yellow counts as much as pale grey.
    one_plane = codes if recipe.one_ink else folded(codes, even_weights(3))
    floors = level_floors(readings, level, recipe.noise_scale)
    gate = mark_gate(one_plane, floors, recipe.softness, _grainy(recipe, readings), recipe.peak)
    if not recipe.one_ink and readings.light_marks is not None:
        # On toned paper pastel may be as light as the paper, and darker in one channel only, which has more noise.
        hued = mark_gate(lowest(codes), tuple(readings.channel_noise * floor for floor in floors), recipe.softness)
        gate = np.asarray(cv2.max(gate, hued))
    if hand is not None:
        # After the gate: what was paper stays paper, however dark the brush.
        codes = deepened(codes, hand.darken, box, level)
    return Evened(codes, gate, one_plane, _on_its_tone(encoded, box, level, recipe, readings, hand))


def _on_its_tone(
    encoded: Encoded, box: Region, level: int, recipe: Recipe, readings: Readings, hand: Hand | None
) -> Codes | None:
    """The tile on toned paper as it is beside its lightest paint, with all strokes that were laid by hand."""
    if recipe.paper_tone is None:
        return None
    gain = make_gain(readings.light, recipe.evening, None).times(recipe.paper_tone)
    codes = even(encoded, gain, readings.cell_px, (box.x, box.y, level))
    if hand is None:
        return codes
    codes = deepened(lightened(codes, hand, box, level), hand.strengthen, box, level)
    return deepened(codes, hand.darken, box, level)


def _evened(
    encoded: Encoded, recipe: Recipe, readings: Readings, place: tuple[int, int, int], fold: tuple[float, ...] | None
) -> Codes:
    """Reflectance codes of a tile at ``place`` (x, y, level), without what is printed on the paper."""
    codes = even(encoded, make_gain(readings.light, recipe.evening, fold), readings.cell_px, place)
    if readings.ruling is None or not recipe.ruling:
        return codes
    return without_ruling(codes, readings.ruling, place, fold)


@lru_cache(maxsize=8)
def dropper_for(colours: tuple[Colour, ...], ink: Colour) -> Dropper:
    """:func:`make_dropper`, made once."""
    return make_dropper(colours, ink)


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


def ink_step(evened: Evened, recipe: Recipe, fine_px: float = 1.0, level: int = 0) -> Inked:
    """Apply the curve and what the Ink step does to marks; paper texture is thinned to what ``grain`` keeps.

    ``fine_px`` half the width of a fine line at this level.
    """
    gate = texture_gate(evened.gate, recipe.grain)
    if recipe.one_ink:
        tone = look_up(evened.codes, tone_table(recipe.points, recipe.reading, min(recipe.ink_linear)))
        worked = _worked(scale_8(tone, gate), recipe.work, fine_px, level)
        return Inked(_settled(without_specks(worked, recipe, level), recipe), None)
    rgb = _coloured(evened.codes, recipe.points, recipe, level)
    kept = scale_8(np.asarray(cv2.bitwise_not(rgb)), cv2.merge([gate, gate, gate]))
    laid = None if evened.toned is None else _coloured(evened.toned, _plain(recipe), recipe, level)
    return Inked(None, np.asarray(cv2.bitwise_not(kept)), laid)


def _coloured(codes: Codes, points: TonePoints, recipe: Recipe, level: int) -> Plane8:
    """Colours (h, w, 3) after the curve, as crisp and as strong as is set."""
    table = channel_table(points, min(recipe.ink_linear))
    return _toned(_sharpened(look_up(codes, table), recipe.work, level), recipe)


def _plain(recipe: Recipe) -> TonePoints:
    """Points of the curve where paper is not white: paper's own point tells where marks begin, and lightens no colour."""
    return replace(recipe.points, paper=0.0)


def _paper_in(recipe: Recipe) -> tuple[int, int, int]:
    """What the Ink step makes of paper that is toned."""
    codes = to_codes(np.array([[recipe.paper_tone]], np.float32))
    r, g, b = _coloured(codes, _plain(recipe), recipe, _UNSHARPENED)[0, 0].tolist()
    return r, g, b


def _toned(rgb: Plane8, recipe: Recipe) -> Plane8:
    """Colours (h, w, 3) as strong as is set, or none."""
    rgb = painting.saturate(rgb, recipe.work.saturation)
    if recipe.neutral:
        rgb = np.asarray(cv2.cvtColor(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), cv2.COLOR_GRAY2RGB))
    return rgb


def _full_tone(ink: InkColour, recipe: Recipe) -> Plane8:
    """What the Ink step makes of an ink that keeps its colour, (3,)."""
    codes = to_codes(np.asarray([[(ink.reflectance * 3)[:3]]], np.float32))
    return np.asarray(_toned(look_up(codes, channel_table(recipe.points, min(recipe.ink_linear))), recipe)[0, 0])


def _settled(coverage: Plane8, recipe: Recipe) -> Plane8:
    """Coverage (h, w) without what nobody sees: the last of noise that came through on paper, which is clear then. Where
    the paper's grain is to stay, it stays."""
    if recipe.grain > 0:
        return coverage
    return np.asarray(cv2.threshold(coverage, _UNSEEN, 0, cv2.THRESH_TOZERO)[1], np.uint8)


def without_specks(coverage: Plane8, recipe: Recipe, level: int) -> Plane8:
    """Coverage (h, w) without traces that are nowhere, at full size, darker than the faintest stroke: the paper's tooth."""
    if recipe.grain > 0 or level > 1:
        return coverage
    peak = cv2.dilate(coverage, _NEARBY)
    stroke = cv2.threshold(peak, _FAINTEST >> level, 255, cv2.THRESH_BINARY)[1]
    return np.asarray(cv2.bitwise_and(coverage, stroke), np.uint8)


def cleared(coverage: Plane8, gone: Plane8 | None) -> Plane8:
    """Spotting on coverage (h, w): nothing is left where ``gone`` (h, w) is 255."""
    return coverage if gone is None else np.asarray(cv2.bitwise_and(coverage, cv2.bitwise_not(gone)))


def without(rgb: Plane8, gone: Plane8 | None) -> Plane8:
    """Spotting on the picture with paper (h, w, 3): white where ``gone`` is 255."""
    return rgb if gone is None else np.asarray(cv2.bitwise_or(rgb, cv2.merge([gone, gone, gone])))


def _sharpened(picture: Plane8, work: Work, level: int) -> Plane8:
    """What the scan blurred shows at full size; half a size down, half as much of it."""
    return sharpness.sharpen(picture, work.sharpness / (1 << level)) if level < 2 else picture


def _worked(tone: Plane8, work: Work, fine_px: float, level: int) -> Plane8:
    if work.two_tone != "shape":
        tone = _sharpened(tone, work, level)
    tone = strokes.embolden(strokes.fill_solid(tone, work.solid), work.boldness, fine_px)
    if work.two_tone == "shape":
        return strokes.two_tone(tone)
    return strokes.where_only(tone) if work.two_tone == "where" else tone


def knockout_step(
    evened: Evened,
    inked: Inked,
    recipe: Recipe,
    readings: Readings,
    level: int,
    box: Region,
    full_size: FullSize | None = None,
) -> CutOut:
    """Coverage and straight colour of a tile lying at ``box`` of ``level``; a reduced one's with what it is of at
    ``full_size``."""
    strict: Plane8 | None = None
    if recipe.clears_more:
        floors = level_floors(readings, level, recipe.clearing_scale)
        strict = mark_gate(evened.folded, floors, recipe.softness, _grainy(recipe, readings), recipe.peak)
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
    alpha = _settled(_colour_alpha(rgb, least, recipe, readings, level, box, full_size), recipe)
    light = light_coverage(evened, recipe, readings, level, box, full_size)
    if light is not None:
        alpha = with_light(alpha, light, _edge_px(level))
    own = unmix(rgb, alpha) if inked.laid is None else unmix_from(inked.laid, alpha, _paper_in(recipe))
    return CutOut(alpha, held_to_marks(own, alpha))


def _edge_px(level: int) -> float:
    """How wide a mark's edge is at a level, px."""
    return 3 / (1 << level)


def _colour_alpha(
    rgb: Plane8, least: Plane8, recipe: Recipe, readings: Readings, level: int, box: Region, full_size: FullSize | None
) -> Plane8:
    """Coverage (h, w) of marks that keep their colours, from the least that explains each pixel of a tile."""
    edge_px = _edge_px(level)
    if recipe.body > 0.5 and readings.one_tone and isinstance(readings.ink, InkColour):
        return one_tone_alpha(rgb, _full_tone(readings.ink, recipe), least, edge_px)
    if recipe.body <= 0.5 and readings.dark_ink:
        return least
    if recipe.body <= 0.5 and readings.crayon:
        return grain_alpha(rgb, least, recipe.body, edge_px)
    inside: Inside | None = None
    if readings.inside is not None and recipe.body > 0.5:
        part = sample_grid(readings.inside, readings.inside_cell_px, box.x, box.y, box.w, box.h, level)
        inside = Inside(*(np.asarray(plane) for plane in cv2.split(part)))
    extremes = None if full_size is None else full_size.extremes(level, box)
    return body_alpha(least, recipe.body, edge_px, inside, rgb, extremes)


def light_coverage(
    evened: Evened, recipe: Recipe, readings: Readings, level: int, box: Region, full_size: FullSize | None = None
) -> Plane8 | None:
    """Coverage (h, w) of marks lighter than their paper in a tile lying at ``box`` of ``level``, or None without any."""
    marks = readings.light_marks
    if marks is None:
        return None
    near = sample_grid(marks.where, readings.inside_cell_px, box.x, box.y, box.w, box.h, level)
    # Codes of what is much lighter than its paper end below it; beside the lightest paint they do not.
    seen, paper, peak = evened.codes, 1.0, None
    if evened.toned is not None and recipe.paper_tone is not None:
        seen = evened.toned
        paper = float(srgb_encode(np.array(np.dot(marks.weights, recipe.paper_tone), np.float32)))
        peak = None if full_size is None else full_size.lightest(level, box)
    light = encoded_of(seen if seen.ndim == 2 else folded(seen, marks.weights))
    return marks.coverage(light, paper, near, recipe.body > 0.5, edge_width(_edge_px(level)), peak)


def aligned(box: Region, recipe: Recipe, width: int, height: int) -> Region:
    """The tile to compute for ``box``: enlarged by the steps' reach and aligned to noise blocks."""
    return box.grown(reach_px(recipe), ALIGN_PX, width, height)
