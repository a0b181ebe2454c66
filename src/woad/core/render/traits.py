"""What tells media apart: colour, density, stroke width, texture and paper of a sheet, as numbers."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.ink.density import InkColour
from woad.core.ink.flow import tone_runs
from woad.core.ink.texture import Texture
from woad.core.raster.channels import grey_of, highest, lowest
from woad.core.raster.thinning import thinned
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.hue_traits import Hues, read_hues

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

# Grain from which areas are of coloured pencil, washes' stays below; with shares of half-tones or of what is not thin, as
# hatching has neither.
TOOTH, _TONES, _LINES = (0.17, 0.25), (0.35, 0.5), (0.4, 0.28)
BROWN = 0.2, 0.3  # warmth of paper from which stains and show-through have hues of their own, and from which surely
# Shares of the marks, see :class:`Traits`; and of broad ones that are lighter than ink: half-tones beside nothing but solid
# ones are thin lines, blurred.
_WASHED, _WASHES_BROAD, _WASHES_EVEN, _WASHES_LIGHT = 0.25, 0.15, 0.6, 0.15
# Share of the sheet's longer side, from a mark's edge, that no stroke is as broad as; and inside.
_BROAD, _INNER = 0.009, 0.0035
_CRUMB, _SCRAP, _FEW = 0.2, 0.1, 0.25  # of the longest mark; of the largest; of all that is marked
# Shares of broad marks that are toned, and of broad ones, from which tones are meant; encoded, by how much these are lighter.
_TONED, _TONED_BROAD, _LIGHTER = 0.45, 0.05, 0.12
_LIGHT, _PALEST = 0.4, 0.65  # reflectance of marks lighter than half, and of those that are hardly darker than paper


@dataclass(frozen=True)
class Shape:
    """Lengths are shares of the sheet's longer side, so that no ppi is needed.

    ``cover`` share of the sheet that is marked; ``broad`` share of marks wider than any stroke; ``width`` typical stroke;
    ``extent`` height of the marks' box, crumbs left out, and ``aspect`` its width over its height; ``pieces`` how many
    separate marks of some size; ``thin`` and ``grain`` see :class:`Texture`."""

    cover: float
    broad: float
    width: float
    extent: float
    aspect: float
    pieces: int
    thin: float = 0.0
    grain: float = 0.0


@dataclass(frozen=True)
class Tones:
    """``density`` of the ink, and ``blue_ink``, how much bluer than red it is; ``half_tones`` and ``lost`` see
    :class:`InkColour`; ``dark_ink`` share of marks as dark as ink; of broad marks, shares whose tone is even (``flat``), that
    are lighter than half (``pale``), hardly darker than paper (``palest``), even and clearly lighter than full ink
    (``toned``); ``runs`` see :func:`tone_runs`."""

    density: float
    dark_ink: float
    half_tones: float
    flat: float
    lost: float = 0.0
    pale: float = 0.0
    palest: float = 0.0
    toned: float = 0.0
    runs: float = 0.0
    blue_ink: float = 0.0


@dataclass(frozen=True)
class PaperTraits:
    """``lightness`` 0..1 and warmth (``warm``: red over blue, natural log) of the paper; ``mottle`` its unrest at a hundredth
    of the sheet; ``blotched`` how much darker than the rest the darkest 4 % of it are there; ``browned`` whether time has
    toned it here and there."""

    lightness: float
    warm: float
    mottle: float
    blotched: float
    browned: bool = False


@dataclass(frozen=True)
class Traits:
    """What tells media apart; ``light_marks`` whether marks are lighter than the paper."""

    shape: Shape
    tones: Tones
    paper: PaperTraits
    hues: Hues
    light_marks: bool = False

    @property
    def washed(self) -> bool:
        """Whether tone lies in broad, even, thinned ink: half-tones that are meant, and no edges or grain."""
        tones = self.tones
        light = max(tones.pale, tones.toned) > _WASHES_LIGHT
        smooth = tones.flat > _WASHES_EVEN and self.shape.grain < TOOTH[1]
        return tones.half_tones > _WASHED and self.shape.broad > _WASHES_BROAD and light and smooth

    @property
    def tones_meant(self) -> bool:
        """Whether tones between paper and ink are meant: washes, grey markers, rubbed charcoal."""
        return self.washed or (self.tones.toned > _TONED and self.shape.broad > _TONED_BROAD)

    @property
    def crayon(self) -> float:
        """How surely marks are of pencils or crayons that let paper through their grain."""
        toned = max(ramp(self.tones.half_tones, *_TONES), ramp(self.shape.thin, *_LINES))
        return ramp(self.shape.grain, *TOOTH) * toned


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
    side = max(reduced.shape[:2])
    grey = np.asarray(cv2.GaussianBlur(grey_of(reduced), (0, 0), 0.6))
    marks = 1 - grey > max(0.06, 2.5 * floor)
    smooth = np.asarray(cv2.blur(reduced, (3, 3)), np.float32).reshape(reduced.shape)
    if reduced.shape[2] == 3:
        marks |= highest(smooth) - lowest(smooth) > 0.09
    count = int(marks.sum())
    # A sheet without paper, like one without marks, shows no medium.
    if count < 30 or count > 0.995 * marks.size or isinstance(ink, NoEstimate):
        return None
    far = cv2.distanceTransform((~marks).astype(np.uint8), cv2.DIST_L2, 3) > 0.006 * side
    near = np.asarray(cv2.distanceTransform(marks.astype(np.uint8), cv2.DIST_L2, 3))
    even = np.abs(grey - cv2.blur(grey, (5, 5))) < 0.02 + 0.05 * grey
    hues = Hues()
    if reduced.shape[2] == 3:
        hues = read_hues(reduced, smooth, marks, far, near, even, _BROAD * side, paper_rgb)
    return Traits(
        _shape(marks, near, texture),
        _tones(reduced, grey, marks, near, even, ink),
        _paper(grey, far, paper_rgb, browned),
        hues,
        light_marks,
    )


def _shape(marks: Mask, near: Plane, texture: Texture) -> Shape:
    """Of ``marks`` (h, w) with how far inside each pixel lies, ``near``, px."""
    side, count = max(marks.shape), int(marks.sum())
    crest = (near >= cv2.dilate(near, np.ones((3, 3), np.uint8))) & marks
    widths = 2 * near[crest] / side
    pieces, figure = _figure(marks, side)
    rows = np.nonzero(figure.sum(axis=1) > 0.002 * marks.shape[1])[0]
    return Shape(
        cover=count / marks.size,
        broad=float((near > _BROAD * side).sum()) / count,
        width=float(np.average(widths, weights=widths)),
        extent=float(rows[-1] - rows[0]) / side if len(rows) else 0.0,
        aspect=_aspect(figure),
        pieces=pieces,
        thin=texture.thin,
        grain=texture.grain,
    )


def _tones(reduced: Plane, grey: Plane, marks: Mask, near: Plane, even: Mask, ink: InkColour) -> Tones:
    """Of ``marks`` (h, w) in ``grey``, with how far inside each pixel lies, ``near``, px, and where tone is ``even``."""
    side = max(marks.shape)
    broad = near > _BROAD * side
    inner = near > max(2.0, _INNER * side)
    lighter = srgb_decode(srgb_encode(np.array(ink.reflectance, np.float32)) + _LIGHTER).mean()
    return Tones(
        density=float(-np.log10(max(float(np.mean(ink.reflectance)), 1e-3))),
        dark_ink=float((grey[marks] < 0.3).mean()),
        half_tones=ink.half_tones,
        flat=_share(even[inner]),
        lost=ink.lost,
        pale=_share(grey[broad] > _LIGHT),
        palest=_share(grey[broad] > _PALEST),
        toned=_share((even & (grey > lighter))[broad]),
        runs=tone_runs(reduced),
        blue_ink=float(ink.reflectance[-1] - ink.reflectance[0]),
    )


def _paper(grey: Plane, far: Mask, rgb: tuple[int, int, int], browned: bool) -> PaperTraits:
    """Of the paper that lies ``far`` from marks, (h, w)."""
    clear = _band(grey, max(grey.shape))[far]
    known = clear.size > 200
    return PaperTraits(
        lightness=sum(rgb) / 765,
        warm=_warmth(rgb),
        mottle=float(np.std(clear)) if known else 0.0,
        blotched=float(np.subtract(*np.percentile(thinned(clear), [50, 4]))) if known else 0.0,
        browned=browned,
    )


def _share(which: Mask) -> float:
    return float(which.mean()) if which.size else 0.0


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
