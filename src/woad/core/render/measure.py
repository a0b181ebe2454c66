"""Measuring a sheet once: its light, its paper's noise, its ink."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.media import starting_docket
from woad.core.estimate import NoEstimate
from woad.core.ink.density import InkColour, find_ink, tone_histogram
from woad.core.ink.edge_softness import SOFT_MARKS, sharpening_for, sharpening_for_width
from woad.core.ink.pencils import Pencil, as_deep, find_pencils
from woad.core.ink.pigments import ONE_INK, Inks, tell_inks, with_mean_hue
from woad.core.ink.texture import Texture, read_texture
from woad.core.knockout.inside import find_inside
from woad.core.paper.evening import sample_grid
from woad.core.paper.lighter import LightMarks, find_light_marks
from woad.core.paper.refine import LightField
from woad.core.paper.reverse import find_reverse
from woad.core.paper.samples import read_place
from woad.core.paper.white import White, read_white
from woad.core.raster.channels import even_weights, folded, grey_of, highest, lowest
from woad.core.raster.codes import encoded_of, to_codes
from woad.core.raster.colour import lightness
from woad.core.raster.pyramid import Pyramid
from woad.core.raster.transfer import srgb_encode
from woad.core.render.hue_traits import over_pencils
from woad.core.render.lighting import NOTHING_SAID, Lit, Said, light_up, without_print
from woad.core.render.medium import Proposal, propose_medium
from woad.core.render.noise import Noise, close_parts
from woad.core.render.readings import NOT_LOOKED_FOR, Readings
from woad.core.render.traits import Traits, is_brown, read_traits
from woad.core.scan.sharpness import edge_width

Plane = NDArray[np.float32]

FIELD_PX, _QUICK_FIELD_PX = 1400, 360
_EDGE_CROPS = 3  # of the crops, where edges are looked at
# Share of their darkness that lies in thin lines, from which marks of one pigment, however deep, are one ink: washes of it
# are a painting.
_THIN = 0.38
_SURE = 0.5  # of an old print
_LIGHT_ONLY = Proposal("pencil", 0.3, "marks lighter than their paper only")
_PAINT = Proposal("gouache", 0.6, "even coats of paint lighter than the paper")
_PAINTED = 0.35  # share of all marks that lies in such coats, from which it is a painting, outlined or not
_LUMA = (0.299, 0.587, 0.114)


def measure(pyramid: Pyramid, quick: bool = False, said: Said = NOTHING_SAID) -> Readings:
    """Measure a sheet from its pyramid: whole-sheet readings on a reduced level, noise and ink at full size.

    ``quick`` is for a first look: a smaller level and fewer places. What is ``said`` is obeyed.
    """
    base = pyramid.level_for(_QUICK_FIELD_PX if quick else FIELD_PX)
    lit = light_up(pyramid, base, quick, said)
    if quick:  # a first look leaves what is printed on the paper
        return _measured(lit, base, quick, said)
    with ThreadPoolExecutor(1) as aside:  # most papers are plain: meanwhile it is read as if this one were
        unprinted = aside.submit(without_print, lit, base, said)
        plain = _measured(lit, base, quick, said)
        ruled = unprinted.result()
    return plain if ruled is None else _measured(ruled, base, quick, said)


@dataclass(frozen=True)
class _Told:
    """What ``inks`` the marks are of: of a few another one (``second_ink``), or all that are darker than the paper of one
    (``dark_ink``)."""

    inks: Inks
    second_ink: bool
    dark_ink: bool


def _measured(lit: Lit, base: int, quick: bool, said: Said) -> Readings:
    light, grid, evenly, reduced = lit.light, lit.grid, lit.evenly, lit.reduced
    pyramid = evenly.pyramid
    boxes = close_parts(pyramid, reduced, 2 if quick else 6)
    with ThreadPoolExecutor(2) as both:
        crops = list(both.map(partial(evenly.read, 0), boxes))
    rgb, paper_rgb = _paper_seen(light, grid)
    light_marks = None if lit.doubt is not None else find_light_marks(reduced, rgb)
    noise = Noise(lit, base, boxes, crops, light_marks)
    first_floor = noise.finest(_LUMA if pyramid.channels == 3 else (1.0,))
    with ThreadPoolExecutor(1) as beside:  # half of what is read of the marks, on the other core
        pencils = None if quick else beside.submit(_pencils, reduced, first_floor, evenly.close_by)
        ink = _ink(crops, reduced, first_floor, said)
        weights = _weights(ink, pyramid.channels)
        texture = Texture()
        if pyramid.channels == 3:
            texture = read_texture(crops, max(pyramid.width, pyramid.height))
        toned = light_marks is not None or pyramid.negative
        browned = isinstance(light, LightField) and light.toned
        reading = beside.submit(read_traits, reduced, first_floor, ink, paper_rgb, toned, texture, browned)
        sharpening = None if quick else beside.submit(_sharpness, crops, weights, ink, reading)
        told = _told(reduced, ink, first_floor, light_marks, texture.thin)
        if not (told.dark_ink or told.second_ink) and is_brown(paper_rgb) and _is_print(reading.result()):
            # Stains and what shows through an old print are no inks.
            told = replace(told, dark_ink=True)
        one_ink = told.dark_ink and light_marks is None
        # Colour is judged with equal shares of the channels, whose noise is another.
        floors = noise.floors(weights if one_ink else even_weights(pyramid.channels), quick)
        channel_noise = Readings.channel_noise
        if light_marks is not None and pyramid.channels == 3:  # kraft is dark in blue, and noisy there
            channel_noise = max(channel_noise, noise.noisiest_channel(floors[0]))
        in_one = folded(reduced, weights)
        histogram = tone_histogram(in_one)
        traits = reading.result()
        sharpness = 0.0 if sharpening is None else sharpening.result()
    ink_fold = float(np.dot(ink.reflectance, weights)) if isinstance(ink, InkColour) else 0.06
    reverse = 0.0
    washes = traits is not None and traits.washed
    if one_ink and not (quick or washes or isinstance(ink, NoEstimate)):
        full = max(1 - ink_fold, 0.1)
        reverse = find_reverse((1 - in_one) / np.float32(full), first_floor / full)
    washes |= traits is not None and traits.tones_meant and not reverse
    washes_meant = one_ink and (washes or told.inks.several)  # depths of one pigment are tones that are meant
    found = NOT_LOOKED_FOR if pencils is None else pencils.result()
    seen = traits
    if traits is not None and not isinstance(found, NoEstimate):
        seen = replace(traits, hues=over_pencils(traits.hues, found))
    proposal = _proposed(seen, one_ink, light_marks)
    inside = None
    if washes or not one_ink:
        floor = floors[min(base, len(floors) - 1)]
        inside = _inside(reduced, floor, grid, evenly.cell_px, base, light_marks is not None)
    return Readings(
        light=grid,
        cell_px=evenly.cell_px,
        light_doubt=lit.doubt,
        light_marks=light_marks,
        ruling=evenly.ruling,
        paper_rgb=paper_rgb,
        paper_lightness=lightness((rgb[0], rgb[1], rgb[2])),
        unevenness=light.unevenness() if isinstance(light, LightField) else 1.0,
        paper_share=light.paper_share if isinstance(light, LightField) else 0.0,
        floors=floors,
        one_ink=one_ink,
        second_ink=told.second_ink,
        washes=washes_meant,
        one_tone=one_ink and not (washes_meant or told.inks.tints),
        dark_ink=told.dark_ink and light_marks is not None,
        crayon=seen is not None and seen.crayon > 0.5 and proposal.medium == "pencil" and not one_ink,
        weights=weights,
        ink=ink,
        ink_fold=ink_fold,
        histogram=histogram,
        medium=proposal.medium,
        medium_sure=proposal.sure,
        medium_why=proposal.why,
        hue_share=0.0 if traits is None else max(traits.hues.coloured, traits.hues.tinted),
        sharpness=sharpness,
        reverse=reverse,
        pencils=found,
        inside=inside,
        inside_cell_px=1 << base,
        negative=pyramid.negative,
        white=_white(lit, base, light_marks),
        channel_noise=channel_noise,
    )


def _proposed(traits: Traits | None, one_ink: bool, light_marks: LightMarks | None) -> Proposal:
    """The medium by the traits of what is darker than the paper, and by what is lighter."""
    by_traits = propose_medium(traits, one_ink) if traits is not None or light_marks is None else _LIGHT_ONLY
    # Smudged charcoal stays that, however smooth the chalk beside it is.
    painted = light_marks is not None and light_marks.coated > _PAINTED
    return _PAINT if painted and (traits is None or by_traits.medium != "pencil") else by_traits


def _ink(crops: list[Plane], reduced: Plane, floor: float, said: Said) -> InkColour | NoEstimate:
    """The colour of full ink, from ``crops`` at full size, or as it was ``said``."""
    ink = find_ink(crops, floor)
    if said.ink:
        return _ink_as_said(ink, reduced, said)
    if isinstance(ink, InkColour) and reduced.shape[2] == 3:
        return with_mean_hue(ink, crops, reduced, floor)
    return ink


def _told(
    reduced: Plane, ink: InkColour | NoEstimate, floor: float, light_marks: LightMarks | None, thin: float
) -> _Told:
    """How many inks there are; ``thin`` is the share of the marks' darkness that lies in thin lines."""
    # Light marks are another ink than the dark ones, which may be one among themselves.
    dark = reduced if light_marks is None else np.where(light_marks.where[..., :1] > 0, np.float32(1), reduced)
    inks = ONE_INK if isinstance(ink, NoEstimate) else tell_inks(dark, ink, floor)
    # A red seal beside black lettering, however small, is another ink, and so is white on toned paper.
    second_ink = inks.far_off or light_marks is not None
    coloured = inks.far_off or (inks.several and not (inks.one_pigment and thin > _THIN))
    only_light = light_marks is not None and not ink  # pastels, in whatever colours
    return _Told(inks, second_ink, not (coloured or only_light))


def _is_print(traits: Traits | None) -> bool:
    """Whether a sheet is surely an old print, if it is of one ink."""
    told = propose_medium(traits, True)
    return told.medium == "print" and told.sure > _SURE


def _white(lit: Lit, base: int, light_marks: LightMarks | None) -> White | None:
    """What is white, if something on the sheet is lighter than its paper, be it in one channel."""
    if lit.evenly.pyramid.channels != 3 or isinstance(lit.light, NoEstimate) or lit.doubt is not None:
        return None
    marks = light_marks or find_light_marks(highest(lit.reduced)[..., None])
    if marks is None:
        return None
    return read_white(lit.evenly.whole_uncut(base), lit.light.mean(), np.asarray(marks.where[..., 0]))


def _paper_seen(light: LightField | NoEstimate, grid: Plane) -> tuple[tuple[float, ...], tuple[int, int, int]]:
    """The paper's colour on the scan, linear R, G, B and encoded 0..255."""
    mean = light.mean() if isinstance(light, LightField) else tuple(float(v) for v in grid.mean(axis=(0, 1)))
    rgb = (mean * 3)[:3] if len(mean) == 1 else mean
    r, g, b = np.rint(srgb_encode(np.array(rgb, np.float32)) * 255).astype(int).tolist()
    return rgb, (r, g, b)


def _pencils(reduced: Plane, floor: float, close: Callable[[float, float], Plane]) -> tuple[Pencil, ...] | NoEstimate:
    found = find_pencils(reduced, floor)
    return found if isinstance(found, NoEstimate) else tuple(as_deep(pencil, close) for pencil in found)


def _inside(
    reduced: Plane, floor: float, light: Plane, cell_px: int, level: int, light_marks: bool
) -> NDArray[np.uint8]:
    missing = 1 - encoded_of(to_codes(lowest(reduced)))
    lighter = None if light_marks else encoded_of(to_codes(highest(reduced))) - 1
    at_cells = sample_grid(light, cell_px, 0, 0, reduced.shape[1], reduced.shape[0], level)
    return np.rint(find_inside(missing, 0.5 * floor, at_cells, lighter, reduced) * 255).astype(np.uint8)


def _ink_as_said(ink: InkColour | NoEstimate, reduced: Plane, said: Said) -> InkColour:
    """Full ink is as light as the lightest of the places said to be darkest: all of them come out black."""
    places = [read_place(reduced, x, y) for x, y in said.ink]
    own = max(places, key=lambda colour: float(colour.mean()))
    full = tuple(float(np.clip(v, 0.002, 0.98)) for v in own)
    return replace(ink, reflectance=full, flank_d=0.0) if isinstance(ink, InkColour) else InkColour(full, 0.0, 0.0)


def _sharpness(
    crops: list[Plane], weights: tuple[float, ...], ink: InkColour | NoEstimate, reading: Future[Traits | None]
) -> float:
    """Amount of unsharp masking that gives edges back about what the scan's blur took. An ink covers a place or does not,
    and tells by that; in a painting, where a soft edge may be meant, only the sharpest edges tell."""
    found: float | NoEstimate = NoEstimate("there is no ink to go by")
    if isinstance(ink, InkColour):  # while the traits are still being read, which tell whether it is one
        full = max(1 - float(np.dot(ink.reflectance, weights)), 0.05)
        shares = [np.clip((1 - folded(crop, weights)) / full, 0, 1) for crop in crops]
        telling = sorted(shares, key=lambda share: -float(share.std()))[:_EDGE_CROPS]
        found = sharpening_for([np.rint(share * 255).astype(np.uint8) for share in telling])
    medium = propose_medium(reading.result()).medium
    usual = starting_docket(medium)
    if isinstance(ink, NoEstimate) or usual.knockout.colour == "keep":
        return sharpening_for_width(edge_width([grey_of(crop) for crop in crops[::2]]), medium == "gouache")
    if isinstance(found, NoEstimate):
        return sharpening_for_width(found)
    by_nature = usual.ink.halftones == "seen" or (ink.grainy and usual.ink.drop_out == "off")
    return min(found, SOFT_MARKS) if by_nature else found


def _weights(ink: InkColour | NoEstimate, channels: int) -> tuple[float, ...]:
    """How channels are folded for one ink: luma (cameras and JPEG keep it sharpest) times what the ink absorbs."""
    if channels == 1:
        return (1.0,)
    absorbs = np.ones(3) if isinstance(ink, NoEstimate) else np.clip(1 - np.array(ink.reflectance), 0.05, 1)
    w = np.array(_LUMA) * absorbs
    return tuple(float(v) for v in w / w.sum())
