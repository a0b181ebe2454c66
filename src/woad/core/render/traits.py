"""What tells media apart: colour, density, stroke width, texture and paper of a sheet, as numbers."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.ink.density import InkColour
from woad.core.ink.flow import tone_runs
from woad.core.ink.pencils import Pencil, near_ink
from woad.core.ink.texture import Texture
from woad.core.raster.channels import grey_of, highest, lowest
from woad.core.raster.thinning import thinned
from woad.core.raster.transfer import srgb_decode, srgb_encode

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

# Grain from which areas are of coloured pencil, washes' stays below; with shares of half-tones or of what is not thin, as
# hatching has neither.
TOOTH, _TONES, _LINES = (0.17, 0.25), (0.35, 0.5), (0.4, 0.28)
BROWN = 0.2, 0.3  # warmth of paper from which stains and show-through have hues of their own, and from which surely
_WASHED, _WASHES_BROAD, _WASHES_EVEN = 0.25, 0.15, 0.6  # shares of the marks, see :class:`Traits`
_TINT_PX = 2.0  # sigma over which a pale wash's hue shows in the noise
_LEAST_CHROMA = 0.02  # difference of channels from which a broad mark has a hue,
_HUED = 0.3  # and share of its depth
# How far apart the channels of a coloured mark are, see :func:`_hue_of`; and what is next to black.
_COLOURED, _BLACK = 0.22, 0.2
_VIVID = 0.5  # the same of a mark whose hue is no stain's or show-through's
# A coloured ink: reflectance of its darkest channel, at most, and by how much the lightest is lighter, at least.
_INK = 0.3
_CRUMB, _SCRAP, _FEW = 0.2, 0.1, 0.25  # of the longest mark; of the largest; of all that is marked
# Shares of broad marks that are toned, and of broad ones, from which tones are meant; encoded, by how much these are lighter.
_TONED, _TONED_BROAD, _LIGHTER = 0.45, 0.05, 0.12
_PALEST, _ABOVE = 0.65, 1.15  # reflectance of marks that are hardly darker than paper, and surely lighter


@dataclass(frozen=True)
class Traits:
    """What tells media apart. Lengths are shares of the sheet's longer side, so that no ppi is needed.

    ``cover`` share of the sheet that is marked; ``coloured`` share of marks with a hue; ``tinted`` the same for broad
    marks however pale, those of a stain's hue as well; ``blue`` share of marks that are light blue; ``flat`` share of
    broad marks whose tone is even; ``broad`` share of marks wider than any stroke; ``pale`` share of broad marks
    lighter than half, ``palest`` of those hardly darker than paper; ``above`` share of marks that are lighter than
    paper in some channel, which no wash is; ``runs`` see :func:`tone_runs`; ``width`` typical stroke;
    ``width_spread`` how much it varies; ``density`` of the ink; ``half_tones`` and ``lost`` see :class:`InkColour`;
    ``toned`` share of broad marks that are even and clearly lighter than full ink; ``extent`` height of the marks'
    box, crumbs left out; ``pieces`` how many separate marks of some size; ``aspect`` width over height of the marks'
    box; ``blue_ink`` how much bluer than red the ink is; ``inks`` share of marks that are dark and of a strong hue;
    ``blue_lines`` share of marks that are light blue lines, looked for with all of the sheet; ``blue_tone`` mean
    reflectance of blue lines at their deepest, if any were found; ``blue_filled`` share of light blue marks that lie
    in broad, even areas; ``light_marks`` whether marks are lighter than the paper; ``thin`` and ``grain`` see
    :class:`Texture`; ``vivid`` share of marks of a strong hue; ``hued`` share of marks that are broad and of a hue
    that no stain has; ``browned`` whether time has toned the paper here and there; ``paper_l``, ``paper_warm`` the
    paper's lightness 0..1 and warmth (red over blue, log); ``mottle`` unrest of the paper at a hundredth of the
    sheet; ``blotched`` how much darker than the rest the darkest 4 % of it are there."""

    cover: float
    coloured: float
    tinted: float
    blue: float
    flat: float
    broad: float
    pale: float
    width: float
    width_spread: float
    density: float
    half_tones: float
    extent: float
    paper_l: float
    paper_warm: float
    mottle: float
    blotched: float
    dark_ink: float
    pieces: int
    aspect: float
    blue_ink: float
    inks: float = 0.0
    blue_lines: float = 0.0
    blue_tone: float = 1.0
    blue_filled: float = 0.0
    light_marks: bool = False
    thin: float = 0.0
    grain: float = 0.0
    vivid: float = 0.0
    hued: float = 0.0
    browned: bool = False
    runs: float = 0.0
    palest: float = 0.0
    above: float = 0.0
    lost: float = 0.0
    toned: float = 0.0

    @property
    def washed(self) -> bool:
        """Whether tone lies in broad, even, thinned ink: half-tones that are meant, and no edges or grain."""
        smooth = self.flat > _WASHES_EVEN and self.grain < TOOTH[1]
        return self.half_tones > _WASHED and self.broad > _WASHES_BROAD and smooth

    @property
    def tones_meant(self) -> bool:
        """Whether tones between paper and ink are meant: washes, grey markers, rubbed charcoal."""
        return self.washed or (self.toned > _TONED and self.broad > _TONED_BROAD)

    @property
    def crayon(self) -> float:
        """How surely marks are of pencils or crayons that let paper through their grain."""
        toned = max(ramp(self.half_tones, *_TONES), ramp(self.thin, *_LINES))
        return ramp(self.grain, *TOOTH) * toned


def read_traits(
    reduced: Plane,
    floor: float,
    ink: InkColour | NoEstimate,
    paper_rgb: tuple[int, int, int],
    light_marks: bool,
    texture: Texture,
    browned: bool = False,
) -> Traits | None:
    """Traits of an evened sheet, reflectance (h, w, C) about 500 to 1400 px long, with ``light_marks`` or not, and with
    a ``texture``; None without dark marks."""
    h, w = reduced.shape[:2]
    side = max(h, w)
    grey = np.asarray(cv2.GaussianBlur(grey_of(reduced), (0, 0), 0.6))
    dark = 1 - grey
    marks = dark > max(0.06, 2.5 * floor)
    smooth = np.asarray(cv2.blur(reduced, (3, 3)), np.float32).reshape(reduced.shape)
    if reduced.shape[2] == 3:
        marks |= highest(smooth) - lowest(smooth) > 0.09
    count = int(marks.sum())
    # A sheet without paper, like one without marks, shows no medium.
    if count < 30 or count > 0.995 * marks.size or isinstance(ink, NoEstimate):
        return None
    far = cv2.distanceTransform((~marks).astype(np.uint8), cv2.DIST_L2, 3) > 0.006 * side
    near = cv2.distanceTransform(marks.astype(np.uint8), cv2.DIST_L2, 3)
    crest = (near >= cv2.dilate(near, np.ones((3, 3), np.uint8))) & marks
    widths = 2 * near[crest] / side
    broad_at = near > 0.009 * side
    inner = near > max(2.0, 0.0035 * side)
    even = np.abs(grey - cv2.blur(grey, (5, 5))) < 0.02 + 0.05 * grey
    coloured = tinted = blue = filled = inks = vivid = own_hue = above = 0.0
    if reduced.shape[2] == 3:
        some = thinned(np.flatnonzero(marks))
        values, own = smooth.reshape(-1, 3).take(some, axis=0), ~near_ink(smooth).take(some)
        most, least = highest(values), lowest(values)
        hue = _hue_of(values)
        hued = hue > _COLOURED
        hued &= (most > _BLACK) | (_hue_of(values * _tone(paper_rgb)) > _COLOURED)
        coloured, vivid = float(hued.mean()), float((hued & (hue > _VIVID)).mean())
        inks = float(((least < _INK) & (most - least > _INK)).mean())
        blues = _light_blue(values) & own
        blue = float(blues.mean())
        filled = float((broad_at & even).take(some)[blues].mean()) if blue else 0.0
        tinted, stained = _tinted(reduced, marks, far, 0.009 * side)
        own_hue = tinted - stained
        coloured = max(coloured, own_hue)
        above = float((most > _ABOVE).mean())
    lighter = srgb_decode(srgb_encode(np.array(ink.reflectance, np.float32)) + _LIGHTER).mean()
    pieces, figure = _figure(marks, side)
    rows = np.nonzero(figure.sum(axis=1) > 0.002 * w)[0]
    clear = _band(grey, side)[far]
    return Traits(
        cover=count / marks.size,
        coloured=coloured,
        tinted=tinted,
        blue=blue,
        flat=float(even[inner].mean()) if inner.any() else 0.0,
        broad=float(broad_at.sum()) / count,
        pale=float((grey[broad_at] > 0.4).mean()) if broad_at.any() else 0.0,
        width=float(np.average(widths, weights=widths)),
        width_spread=float(np.std(widths) / max(float(np.mean(widths)), 1e-6)),
        density=float(-np.log10(max(float(np.mean(ink.reflectance)), 1e-3))),
        half_tones=ink.half_tones,
        lost=ink.lost,
        extent=float(rows[-1] - rows[0]) / side if len(rows) else 0.0,
        paper_l=sum(paper_rgb) / 765,
        paper_warm=_warmth(paper_rgb),
        mottle=float(np.std(clear)) if clear.size > 200 else 0.0,
        blotched=float(np.subtract(*np.percentile(thinned(clear), [50, 4]))) if clear.size > 200 else 0.0,
        dark_ink=float((grey[marks] < 0.3).mean()),
        pieces=pieces,
        aspect=_aspect(figure),
        blue_filled=filled,
        blue_ink=float(ink.reflectance[-1] - ink.reflectance[0]),
        inks=inks,
        light_marks=light_marks,
        thin=texture.thin,
        grain=texture.grain,
        vivid=vivid,
        hued=own_hue,
        browned=browned,
        runs=tone_runs(reduced),
        above=above,
        palest=float((grey[broad_at] > _PALEST).mean()) if broad_at.any() else 0.0,
        toned=float((even & (grey > lighter))[broad_at].mean()) if broad_at.any() else 0.0,
    )


def _warmth(rgb: tuple[int, int, int]) -> float:
    """Red over blue of an encoded colour, natural log."""
    return float(np.log((rgb[0] / 255 + 0.02) / (rgb[2] / 255 + 0.02)))


def is_brown(paper_rgb: tuple[int, int, int]) -> bool:
    """Whether paper is so brown that stains and what shows through it give marks hues of their own."""
    return _warmth(paper_rgb) > BROWN[0]


def _band(grey: Plane, side: int) -> Plane:
    """The unrest of a sheet at a hundredth of its longer ``side`` px, of the size of ``grey`` (h, w)."""
    h, w = grey.shape
    # So wide a blur is told from half the pixels each way as well.
    half = cv2.resize(grey, (max(w // 2, 1), max(h // 2, 1)), interpolation=cv2.INTER_AREA)
    band = cv2.GaussianBlur(half, (0, 0), 0.0015 * side) - cv2.GaussianBlur(half, (0, 0), 0.006 * side)
    return np.asarray(cv2.resize(band, (w, h), interpolation=cv2.INTER_LINEAR), np.float32)


def _hue_of(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """How far the channels of reflectances (..., 3) are apart, for how light they are."""
    most = highest(values)
    return np.asarray((most - lowest(values)) / np.maximum(most, 0.15), np.float32)


def _tone(paper_rgb: tuple[int, int, int]) -> NDArray[np.float32]:
    """The paper's colour, its lightest channel 1. Black beside yellow paper looks blue, as it gives back a little light that
    is the lamp's and not the paper's: it must have a hue without the paper, too."""
    tone = srgb_decode(np.array(paper_rgb, np.float32) / 255)
    return np.asarray(tone / max(float(tone.max()), 1e-3), np.float32)


def over_pencils(traits: Traits | None, pencils: tuple[Pencil, ...]) -> Traits | None:
    """Traits with light blue lines counted that are too thin to stand out from the paper pixel by pixel, and with how deep
    blue ones are at full size."""
    if traits is None:
        return None
    colours = np.array([one.colour for one in pencils], np.float32).reshape(-1, 3)  # none, too
    light = float(np.array([one.share for one in pencils])[_light_blue(colours)].sum())
    blues = colours[_blue(colours)]
    return replace(traits, blue_lines=light, blue_tone=float(blues.mean(axis=1).min()) if len(blues) else 1.0)


def _light_blue(values: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Which reflectances (..., 3) are light blue: no lighter than the paper, as white on cream is, which is bluer as well."""
    light = values @ np.full(3, 1 / 3, np.float32)
    return np.asarray(_blue(values) & (light > 0.45) & (light < 1))


def _blue(values: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Which reflectances (..., 3) are of a blue, be it light or deep."""
    red, green, blue = (values[..., c] for c in range(3))
    return np.asarray((blue - red > 0.06) & (green >= red - 0.03))


def _tinted(reduced: Plane, marks: Mask, far: Mask, broad_px: float) -> tuple[float, float]:
    """Share of marks and pale washes that are broad and have a hue for their depth; and of those in a stain's yellow or
    brown, which tells of no paint."""
    # Over so many pixels half the size tells as much.
    h, w = reduced.shape[0] // 2, reduced.shape[1] // 2
    if not h or not w:
        return 0.0, 0.0  # a single line of pixels
    half = cv2.resize(reduced, (w, h), interpolation=cv2.INTER_AREA)
    smooth = np.asarray(cv2.GaussianBlur(half, (0, 0), _TINT_PX / 2), np.float32)
    marks, far = marks[1::2, 1::2], far[1::2, 1::2]
    lightest, darkest = highest(smooth), lowest(smooth)
    chroma = lightest - darkest
    noise = float(np.median(thinned(chroma[far]))) if far.any() else 0.0
    hued = (chroma > max(_LEAST_CHROMA, 4 * noise)) & (chroma > _HUED * (1 - darkest))
    hued &= grey_of(smooth) < 1 - _LEAST_CHROMA / 2  # glare has a hue as well
    broad = cv2.distanceTransform(hued.astype(np.uint8), cv2.DIST_L2, 3) > broad_px / 2
    r, g, b = cv2.split(smooth)
    all_marks = max(1, int((marks | hued).sum()))
    return float(broad.sum()) / all_marks, float((broad & (r >= g) & (g >= b)).sum()) / all_marks


def _figure(marks: Mask, side: int) -> tuple[int, Mask]:
    """How many separate marks of some size there are; and the marks without crumbs, which dust and hairs are: they say
    nothing of where the artwork lies."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(marks.astype(np.uint8), connectivity=8)
    wide, high, area = (stats[:, i] for i in (cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT, cv2.CC_STAT_AREA))
    longest = np.maximum(wide, high)
    pieces = int((longest[1:] > 0.012 * side).sum())
    crumbs = (longest < _CRUMB * longest[1:].max(initial=0)) | (area < _SCRAP * area[1:].max(initial=0))
    crumbs[0] = False
    if not crumbs.any() or area[crumbs].sum() > _FEW * area[1:].sum():  # as many as that are the artwork
        return pieces, marks
    return pieces, marks & ~crumbs[labels]


def _aspect(marks: NDArray[np.bool_]) -> float:
    h, w = marks.shape
    columns = np.nonzero(marks.sum(axis=0) > 0.002 * h)[0]
    rows = np.nonzero(marks.sum(axis=1) > 0.002 * w)[0]
    return float(np.ptp(columns) + 1) / float(np.ptp(rows) + 1) if len(columns) and len(rows) else 1.0


def ramp(value: float, low: float, high: float) -> float:
    """0 at ``low``, 1 at ``high`` (which may lie below ``low``), straight in between."""
    return float(np.clip((value - low) / (high - low), 0, 1))
