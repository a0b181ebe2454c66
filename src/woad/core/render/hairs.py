"""Hairs and dust of a sheet: looked for on the evened picture, and told from those that are strays on bare paper."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.paper.evening import even, make_gain
from woad.core.raster.codes import PAPER_CODE, encoded_of
from woad.core.raster.pyramid import halve
from woad.core.raster.tiles import Region
from woad.core.render.lighting import Evenly
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet
from woad.core.spotting.hairs import WORK_PPI, Hair, find_hairs
from woad.core.spotting.pieces import LEAST
from woad.core.units import mm_to_px

_LUMA = (0.299, 0.587, 0.114)
_PAGE_IN = 11.7  # longer side of A4
_BARE = 246.0  # encoded lightness from which the surroundings may be paper
_SHOWS_DARK, _SHOWS_LIGHT = (80.0, _BARE), (0.0, 200.0)  # of paint on which dust shows that is darker, and lighter
# So far around a gap between marks at least that share is as light as the gap; whose tone is that percentile of it.
_BEYOND_MM, _PAPER_BEYOND, _TONE = 1.0, 0.25, 70
_WHITE = 225.0  # encoded lightness that light dust does not reach
_OPAQUE = 200  # coverage, of 255, that only paint has
# Percentile of a speck that is deep inside it; and how much of what it is off its ground is hue in paint: dust is brownish at
# most.
_DEEP, _HUED = 75, 0.06
# Px beside a hair, beyond its own blur; and share of what is marked there, if it does not lie on bare paper all along.
_BESIDE, _OVER = 5, 0.1
_CLOSE = 2  # px around a hair that tell what it lies on


@dataclass(frozen=True, eq=False)
class Finds:
    """Hairs and dust on what is darker than paper, and on what is as light as paper, in full-size px."""

    on_paint: tuple[Hair, ...]
    on_light: tuple[Hair, ...]


def look_for_hairs(sheet: Sheet) -> Finds:
    """Everything on a sheet that could be a hair or dust lying on paint."""
    # Of a photo no size is known: were it taken for less than a whole page, a pen's lines would be as thin as hairs.
    ppi = sheet.ppi or min(WORK_PPI, max(sheet.full_size) / _PAGE_IN)
    level = max(0, int(np.floor(np.log2(ppi / WORK_PPI) + 0.05)))
    level = min(level, sheet.pyramid.deepest)
    evenly = Evenly(sheet.pyramid, make_gain(sheet.readings.light, 1.0, None), sheet.readings.cell_px)
    lightness = _lightness(evenly, level)
    kinds: tuple[list[Hair], list[Hair]] = ([], [])
    for hair in find_hairs(lightness, ppi / (1 << level)):
        if hair.lighter and (sheet.readings.one_tone or _between_marks(lightness, hair, ppi / (1 << level))):
            continue  # a cut, or a gap: paper between marks
        own = _at_full_size(hair, level, *sheet.pyramid.size(0))
        if hair.dust and (_is_white(lightness, hair) or _has_hue(evenly, own)):
            continue  # a dot of paint
        kinds[_on_light(lightness, hair)].append(own)
    on_paint, on_light = kinds
    on_paper = sum(hair.dust and not hair.lighter for hair in on_light)
    kept = [hair for hair in on_paint if not hair.dust]
    for lighter, ground in ((True, _SHOWS_LIGHT), (False, _SHOWS_DARK)):
        dust = [hair for hair in on_paint if hair.dust and hair.lighter == lighter]
        if _as_on_paper(lightness, ground, len(dust), on_paper):
            kept += dust
    return Finds(tuple(kept), tuple(on_light))


def _as_on_paper(lightness: NDArray[np.float32], ground: tuple[float, float], on_paint: int, on_paper: int) -> bool:
    """Whether so many specks ``on_paint``, where it is of a ``ground`` that they show on, can be dust: it falls on paper as on
    paint, and where paper has none or few dark ones, they were drawn. Of what falls by chance there may be that many more
    than were seen (about 95 %: Poisson)."""
    some = lightness[::4, ::4]
    paper = np.count_nonzero(some > _BARE)
    paint = np.count_nonzero((some > ground[0]) & (some <= ground[1]))
    return bool(on_paint * paper <= (on_paper + 2 * np.sqrt(on_paper) + 3) * paint)


def hairs_on_paint(sheet: Sheet, docket: Docket, finds: Finds) -> tuple[Hair, ...]:
    """Those that lie on paint, which may be a wash as light as paper, or reach over it from bare paper: only what lies on
    bare paper all along is a piece of its own. ``docket`` is that which strays are looked for with."""
    return (*finds.on_paint, *(hair for hair in finds.on_light if _over_marks(sheet, docket, hair)))


def _is_white(lightness: NDArray[np.float32], speck: Hair) -> bool:
    """Whether a light speck is nearly as light as paper, as no dust is: a highlight, a star, a flake of snow."""
    x, y, w, h = speck.box
    return speck.lighter and bool(lightness[y : y + h, x : x + w][speck.mask].max() > _WHITE)


def _has_hue(evenly: Evenly, speck: Hair) -> bool:
    """Whether a speck has a hue of its own: no mixture of its ground with any grey, as dust is one, is like it."""
    if evenly.pyramid.channels != 3:
        return False
    size = evenly.pyramid.size(0)
    box, ring = _ring(speck, *size)
    _, mask = _around(speck, *size)
    pixels = evenly.read(0, box)
    ground = np.median(pixels[ring], axis=0)
    off = pixels[mask > 0] - ground
    far = np.abs(off).sum(axis=1)
    off = off[far >= np.percentile(far, _DEEP)].mean(axis=0)
    # off = share * (grey - ground): of what varies over the channels, ground's part is dust's.
    varies, own = ground - ground.mean(), off - off.mean()
    share = float(np.clip(-(varies @ own) / max(float(varies @ varies), 1e-6), 0, 1))
    left = np.linalg.norm(own + share * varies)
    return bool(left > _HUED * np.linalg.norm(off))


def _on_light(lightness: NDArray[np.float32], hair: Hair) -> bool:
    """Whether nearly all around it is as light as bare paper: there it is a stray like others, and leaves nothing at all
    behind."""
    box, ring = _ring(hair, lightness.shape[1], lightness.shape[0])
    bare = lightness[box.y : box.bottom, box.x : box.right][ring] > _BARE
    # A dot of paint on paper is no dust on paint; a hair that lies on paint with one end only is mended all along.
    return bool(bare.mean() > (0.25 if hair.dust else 0.8))


def _between_marks(lightness: NDArray[np.float32], hair: Hair, ppi: float) -> bool:
    """Whether much around a light line is as light as it: then it is paper itself, between letters or strokes. Beside a hair
    that lies on paint there is more of the paint."""
    x, y, w, h = hair.box
    own = float(np.percentile(lightness[y : y + h, x : x + w][hair.mask], _TONE))
    reach = max(4, round(mm_to_px(_BEYOND_MM, ppi)))
    box, ring = _ring(hair, lightness.shape[1], lightness.shape[0], reach)
    around = lightness[box.y : box.bottom, box.x : box.right][ring]
    return bool((around > min(own, _BARE)).mean() > _PAPER_BEYOND)


def _over_marks(sheet: Sheet, docket: Docket, hair: Hair) -> bool:
    """Whether what is around it is paint that the knock-out keeps; of a hair, whether some of it is."""
    reach = _CLOSE if hair.dust else _BESIDE
    box, ring = _ring(hair, *sheet.pyramid.size(0), reach, 0 if hair.dust else reach - 2)
    alpha = render_region(sheet, docket, "knockout", 0, box).alpha
    if alpha is None:
        return False
    if hair.dust:
        return bool((alpha[ring] > _OPAQUE).mean() > 0.9)
    return bool((alpha[ring] >= LEAST).mean() > _OVER)


def _ring(hair: Hair, width: int, height: int, reach: int = _CLOSE, off: int = 0) -> tuple[Region, NDArray[np.bool_]]:
    """A box around a hair, and the pixels in it around the hair, from ``off`` px beside it on as far as ``reach``."""
    box, mask = _around(hair, width, height, reach)
    far, near = (cv2.dilate(mask, np.ones((2 * by + 1,) * 2, np.uint8)) > 0 for by in (reach, off))
    return box, np.asarray(far & ~near)


def _around(hair: Hair, width: int, height: int, reach: int = _CLOSE) -> tuple[Region, NDArray[np.uint8]]:
    """A box around a hair with all within ``reach`` px of it, and the hair's mask in it."""
    x, y, w, h = hair.box
    more = reach + 1
    box = Region(x - more, y - more, w + 2 * more, h + 2 * more).clip(width, height)
    mask = np.zeros((box.h, box.w), np.uint8)
    mask[y - box.y : y - box.y + h, x - box.x : x - box.x + w] = hair.mask
    return box, mask


def _lightness(evenly: Evenly, level: int) -> NDArray[np.float32]:
    """Encoded lightness of the evened sheet at a level, (h, w) float32 0..255, band by band."""
    pyramid = evenly.pyramid
    full_w, full_h = pyramid.size(0)
    # A lean pyramid does not know the size of a level that it dropped.
    w, h = -(-full_w // (1 << level)), -(-full_h // (1 << level))
    out = np.empty((h, w), np.float32)
    rows = max(64, 2_000_000 // w // 8 * 8)
    weights = np.asarray([_LUMA if pyramid.channels == 3 else (1.0,)], np.float32)
    for y in range(0, h, rows):
        box = Region(0, y, w, min(rows, h - y))
        if pyramid.holds(level):
            tile = pyramid.read(level, box)
        else:
            top = y << level
            tile = pyramid.read(0, Region(0, top, full_w, min(box.h << level, full_h - top)))
            for _ in range(level):
                tile = halve(tile)  # type: ignore[assignment]
            tile = tile.reshape(box.h, w, pyramid.channels)
        codes = even(tile, evenly.gain, evenly.cell_px, (0, y, level))
        encoded = encoded_of(np.minimum(codes, PAPER_CODE)) * np.float32(255)
        out[y : y + box.h] = cv2.transform(encoded, weights).reshape(box.h, w)
    return out


def _at_full_size(hair: Hair, level: int, width: int, height: int) -> Hair:
    if level == 0:
        return hair
    step = 1 << level
    x, y, w, h = (v * step for v in hair.box)
    mask = cv2.resize(hair.mask.astype(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST) > 0
    mask = mask[: height - y, : width - x]
    return Hair((x, y, mask.shape[1], mask.shape[0]), mask, hair.length_px * step, hair.lighter, hair.dust)
