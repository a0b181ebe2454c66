"""What a sheet is: a medium proposed from colour, density, stroke width, texture and paper, with the reason in words."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Medium
from woad.core.estimate import NoEstimate
from woad.core.ink.density import InkColour
from woad.core.ink.flow import tone_runs
from woad.core.ink.pencils import Pencil, near_ink
from woad.core.ink.texture import Texture
from woad.core.raster.channels import grey_of, highest, lowest
from woad.core.raster.thinning import thinned
from woad.core.raster.transfer import srgb_decode

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

_WASHED, _WASHES_BROAD, _WASHES_EVEN = 0.25, 0.15, 0.6  # shares of the marks, see :class:`Traits`
# Shares of half-tones from which marks are grainy, and surely so, at densities of graphite and of ink: a photo's blur makes
# some of ink's as well.
_GRAPHITE, _GRAINY = (0.95, 1.15), ((0.09, 0.15), (0.15, 0.23))
_TINT_PX = 2.0  # sigma over which a pale wash's hue shows in the noise
_LEAST_CHROMA = 0.02  # difference of channels from which a broad mark has a hue,
_HUED = 0.3  # and share of its depth
# How far apart the channels of a coloured mark are, see :func:`_hue_of`; and what is next to black.
_COLOURED, _BLACK = 0.22, 0.2
_BROWN = 0.2, 0.3  # warmth of paper
_VIVID = 0.5  # the same of a mark whose hue is no stain's or show-through's
# Mean reflectance of blue lines at their deepest, up to which they are a pen's, and from which surely a pencil's.
_PEN, _PENCIL = 0.5, 0.58
# A coloured ink: reflectance of its darkest channel, at most, and by how much the lightest is lighter, at least.
_INK = 0.3
# Grain from which areas are of coloured pencil, washes' stays below; with shares of half-tones or of what is not thin, as
# hatching has neither.
_TOOTH, _TONES, _LINES = (0.17, 0.25), (0.35, 0.5), (0.4, 0.28)
# How much tone runs in paint and in washes, and shares of broad marks lighter than half.
_RUNS, _PALE = (0.08, 0.13), (0.2, 0.5)
_PALEST = 0.65  # reflectance
_RUBBED = (0.1, 0.18)  # half-tones of charcoal, which has such grain as well
_HATCHED = (0.75, 0.55)  # share of thin lines from which and up to which areas are hatched in ink and rubbed in


@dataclass(frozen=True)
class Traits:
    """What tells media apart. Lengths are shares of the sheet's longer side, so that no ppi is needed.

    ``cover`` share of the sheet that is marked; ``coloured`` share of marks with a hue; ``tinted`` the same for broad marks
    however pale, those of a stain's hue as well; ``blue`` share of marks that are light blue; ``flat`` share of broad marks
    whose tone is even; ``broad`` share of marks wider than any stroke; ``pale`` share of broad marks lighter than half,
    ``palest`` of those hardly darker than paper; ``runs`` see :func:`tone_runs`; ``width`` typical stroke; ``width_spread``
    how much it varies; ``density`` of the ink; ``half_tones`` see :class:`InkColour`; ``extent`` height of the marks' box;
    ``pieces`` how many separate marks of some size; ``aspect`` width over height of the marks' box; ``blue_ink`` how much
    bluer than red the ink is; ``inks`` share of marks that are dark and of a strong hue; ``blue_lines`` share of marks that
    are light blue lines, looked for with all of the sheet; ``blue_tone`` mean reflectance of blue lines at their deepest, if
    any were found; ``light_marks`` whether marks are lighter than the paper; ``thin`` and ``grain`` see :class:`Texture`;
    ``vivid`` share of marks of a strong hue; ``hued`` share of marks that are broad and of a hue that no stain has;
    ``browned`` whether time has toned the paper here and there; ``paper_l``, ``paper_warm`` the paper's lightness 0..1 and
    warmth (red over blue, log); ``mottle`` unrest of the paper at a hundredth of the sheet; ``blotched`` how much darker
    than the rest the darkest 4 % of it are there."""

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
    light_marks: bool = False
    thin: float = 0.0
    grain: float = 0.0
    vivid: float = 0.0
    hued: float = 0.0
    browned: bool = False
    runs: float = 0.0
    palest: float = 0.0

    @property
    def washed(self) -> bool:
        """Whether tone lies in broad, even, thinned ink: half-tones that are meant, and no edges or grain."""
        smooth = self.flat > _WASHES_EVEN and self.grain < _TOOTH[1]
        return self.half_tones > _WASHED and self.broad > _WASHES_BROAD and smooth

    @property
    def crayon(self) -> float:
        """How surely marks are of pencils or crayons that let paper through their grain."""
        toned = max(_ramp(self.half_tones, *_TONES), _ramp(self.thin, *_LINES))
        return _ramp(self.grain, *_TOOTH) * toned


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
    detail = np.abs(grey - cv2.blur(grey, (5, 5)))
    coloured = tinted = blue = inks = vivid = own_hue = 0.0
    if reduced.shape[2] == 3:
        some = thinned(np.flatnonzero(marks))
        values, own = smooth.reshape(-1, 3).take(some, axis=0), ~near_ink(smooth).take(some)
        most, least = highest(values), lowest(values)
        hue = _hue_of(values)
        hued = hue > _COLOURED
        hued &= (most > _BLACK) | (_hue_of(values * _tone(paper_rgb)) > _COLOURED)
        coloured, vivid = float(hued.mean()), float((hued & (hue > _VIVID)).mean())
        inks = float(((least < _INK) & (most - least > _INK)).mean())
        blue = float((_light_blue(values) & own).mean())
        tinted, stained = _tinted(reduced, marks, far, 0.009 * side)
        own_hue = tinted - stained
        coloured = max(coloured, own_hue)
    rows = np.nonzero(marks.sum(axis=1) > 0.002 * w)[0]
    clear = _band(grey, side)[far]
    return Traits(
        cover=count / marks.size,
        coloured=coloured,
        tinted=tinted,
        blue=blue,
        flat=float((detail[inner] < 0.02 + 0.05 * grey[inner]).mean()) if inner.any() else 0.0,
        broad=float(broad_at.sum()) / count,
        pale=float((grey[broad_at] > 0.4).mean()) if broad_at.any() else 0.0,
        width=float(np.average(widths, weights=widths)),
        width_spread=float(np.std(widths) / max(float(np.mean(widths)), 1e-6)),
        density=float(-np.log10(max(float(np.mean(ink.reflectance)), 1e-3))),
        half_tones=ink.half_tones,
        extent=float(rows[-1] - rows[0]) / side if len(rows) else 0.0,
        paper_l=sum(paper_rgb) / 765,
        paper_warm=_warmth(paper_rgb),
        mottle=float(np.std(clear)) if clear.size > 200 else 0.0,
        blotched=float(np.subtract(*np.percentile(thinned(clear), [50, 4]))) if clear.size > 200 else 0.0,
        dark_ink=float((grey[marks] < 0.3).mean()),
        pieces=_pieces(marks, side),
        aspect=_aspect(marks),
        blue_ink=float(ink.reflectance[-1] - ink.reflectance[0]),
        inks=inks,
        light_marks=light_marks,
        thin=texture.thin,
        grain=texture.grain,
        vivid=vivid,
        hued=own_hue,
        browned=browned,
        runs=tone_runs(reduced),
        palest=float((grey[broad_at] > _PALEST).mean()) if broad_at.any() else 0.0,
    )


def _warmth(rgb: tuple[int, int, int]) -> float:
    """Red over blue of an encoded colour, natural log."""
    return float(np.log((rgb[0] / 255 + 0.02) / (rgb[2] / 255 + 0.02)))


def is_brown(paper_rgb: tuple[int, int, int]) -> bool:
    """Whether paper is so brown that stains and what shows through it give marks hues of their own."""
    return _warmth(paper_rgb) > _BROWN[0]


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


def _pieces(marks: NDArray[np.bool_], side: int) -> int:
    _, _, stats, _ = cv2.connectedComponentsWithStats(marks.astype(np.uint8), connectivity=8)
    return int((np.maximum(stats[1:, cv2.CC_STAT_WIDTH], stats[1:, cv2.CC_STAT_HEIGHT]) > 0.012 * side).sum())


def _aspect(marks: NDArray[np.bool_]) -> float:
    h, w = marks.shape
    columns = np.nonzero(marks.sum(axis=0) > 0.002 * h)[0]
    rows = np.nonzero(marks.sum(axis=1) > 0.002 * w)[0]
    return float(np.ptp(columns) + 1) / float(np.ptp(rows) + 1) if len(columns) and len(rows) else 1.0


@dataclass(frozen=True)
class Proposal:
    """A ``medium``, ``sure`` 0..1, and ``why`` in a few words."""

    medium: Medium
    sure: float
    why: str


def propose_medium(traits: Traits | None, one_ink: bool = False) -> Proposal:
    """The medium whose traits fit best; how sure depends on the runner-up. That there is ``one_ink`` tells what a coloured
    pen drawing is called."""
    if traits is None:
        return Proposal("pen", 0.0, "no marks found; pen is the plainest start")
    t = traits
    # Of one ink, dense hatching still is; of several, crayons on rough paper may have as much grain.
    lined = _ramp(t.thin, *((0.3, 0.45) if one_ink else (0.4, 0.6)))
    # An ink that fills areas is full and even in all of them, as graphite never is; coloured ink draws as well as black.
    filled = (
        _ramp(t.broad, 0.05, 0.12) * _ramp(t.pale, 0.2, 0.05) * _ramp(t.flat, 0.5, 0.7) * _ramp(t.grain, 0.17, 0.08)
    )
    lined = max(lined, one_ink * filled)
    coloured, broad = _ramp(t.coloured, 0.1, 0.25), _ramp(t.broad, 0.08, 0.3) * (1 - lined)
    grainy = _ramp(t.half_tones, *(float(np.interp(t.density, _GRAPHITE, ends)) for ends in _GRAINY)) * (1 - filled)
    # A drawing in one ink is one in whatever hue; but a painting may be of one pigment.
    plain = 1 - coloured * (1 - lined * one_ink)
    small = _ramp(t.cover, 0.012, 0.007) * _ramp(t.extent, 0.22, 0.12)
    # On a slip of its own a signature is not small, but still one line of few, joined strokes.
    slip = (
        _ramp(t.pieces, 14, 8) * _ramp(t.aspect, 1.8, 2.4) * _ramp(t.cover, 0.06, 0.04) * _ramp(t.width, 0.009, 0.007)
    )
    small = max(small, slip * (1 - _ramp(t.broad, 0.02, 0.06)))
    thick = _ramp(t.width, 0.0102, 0.0135) * _ramp(t.dark_ink, 0.45, 0.6)
    # Washes are pale, and their tone runs; paint may be as pale, or modelled, but hardly both.
    fluid = _ramp(t.runs, *_RUNS) * _ramp(t.pale, *_PALE)
    # Nobody paints with nothing but the palest paint, and paint of one pigment is as deep wherever it lies.
    fluid = max(fluid, _ramp(t.palest, 0.8, 0.95), one_ink * _ramp(t.pale, 0.45, 0.85))
    # Cream paper is sold new, and lamps are warm: only spots and show-through besides tell of age.
    aged = _ramp(t.paper_warm, 0.115, 0.17) * max(_ramp(t.blotched, 0.008, 0.014), float(t.browned))
    # Tracing paper is grey, or mottled more than noise, creases and grain make any other.
    through = max(_ramp(t.paper_l, 0.8, 0.76), _ramp(t.blotched, 0.018, 0.03) * _ramp(t.paper_l, 0.94, 0.9))
    greyish = _ramp(t.density, 1.2, 1.02) * through * _ramp(t.paper_warm, 0.06, 0.035)
    # On paper as brown as that, stains and what shows through give marks hues of their own.
    old = _ramp(t.paper_warm, *_BROWN) * _ramp(t.density, 1.1, 1.4)
    old *= _ramp(t.vivid, 0.045, 0.025) * _ramp(t.hued, 0.08, 0.03)
    plain = max(plain, old * aged)
    coloured *= 1 - old * aged
    inks = _ramp(t.inks, 0.03, 0.08)
    blue = (
        _ramp(t.blue_ink, 0.12, 0.06)
        # Single pixels may be blue by noise; lines that were looked for are none by chance.
        * max(_ramp(t.blue, 0.12, 0.3), _ramp(t.blue_lines, 0.03, 0.08))
        * _ramp(t.density, 0.6, 0.85)
        * _ramp(t.dark_ink, 0.015, 0.05)
        # The rims of a blue ink are as light as a pencil's lines; beside inks of several colours nothing tells them apart.
        * (1 - inks)
        # A pen's lines are pale where a reduced sheet blurs them only.
        * _ramp(t.blue_tone, _PEN, _PENCIL)
    )
    washed = float(t.washed)
    # Charcoal is as dark as ink, but has tones, and they are in the paper's grain.
    charcoal = _ramp(t.grain, *_TOOTH) * _ramp(t.half_tones, *_RUBBED) * plain * (1 - washed)
    charcoal *= _ramp(t.thin, *_HATCHED)
    rough = max(grainy, charcoal)
    one = plain * max((1 - rough) * (1 - thick), washed)
    several = coloured * (1 - broad) * (1 - small) * max(inks, lined * (1 - blue))
    # Coloured pencils are that, be their areas broad or not.
    crayon = t.crayon * (1 - one_ink) * (1 - small) * (1 - blue)
    graphite = max(charcoal, grainy * plain * _ramp(t.density, 1.3, 1.08) * (1 - washed))
    if t.light_marks:  # on toned paper: neither yellowed, nor tracing paper, nor over a pencil
        aged = greyish = blue = 0.0
    seen_blue = max(t.blue, t.blue_lines)
    scores: dict[Medium, tuple[float, str]] = {
        "signature": (small, f"one piece of writing, {t.cover:.1%} of the sheet"),
        "blue-pencil": (
            blue * (1 - broad * _ramp(t.pale, 0.05, 0.25)) * (1 - small),  # solid blacks are a pen's
            f"{seen_blue:.0%} of the marks are light blue under dark ink",
        ),
        "watercolour": (coloured * broad * fluid * (1 - crayon), "broad, pale, see-through colour"),
        "gouache": (coloured * broad * (1 - fluid) * (1 - crayon), "broad areas of dense colour"),
        "print": (aged * plain * (1 - small) * (1 - blue), "one ink on yellowed, blotched paper"),
        "tracing": (
            greyish * plain * (1 - grainy) * _ramp(t.mottle, 0.022, 0.03) * (1 - aged),
            f"grey ink (D {t.density:.2f}) on grey, mottled paper",
        ),
        "pencil": (
            max(graphite, crayon) * (1 - aged),
            "colours in grain, with paper between"
            if crayon > graphite
            else f"half-tones make up {t.half_tones:.0%} of the marks",
        ),
        "lettering": (
            thick * plain * (1 - rough) * (1 - aged) * (1 - greyish) * (1 - blue),
            "heavy, even, solid strokes",
        ),
        "pen": (
            0.25 + 0.75 * (1 - crayon) * max(several, one * (1 - aged) * (1 - small) * (1 - greyish) * (1 - blue)),
            f"{'one coloured ink' if one_ink else 'inks of several colours'} in thin strokes"
            if several > one
            else f"ink of D {t.density:.2f} in {'washes' if washed else 'thin strokes'}",
        ),
    }
    ranked = sorted(scores.items(), key=lambda item: -item[1][0])
    (medium, (top, why)), (_, (second, _)) = ranked[0], ranked[1]
    sure = float(np.clip(top * (1 - 0.8 * (second / max(top, 1e-6)) ** 2), 0, 0.99))
    return Proposal(medium, sure, why)


def _ramp(value: float, low: float, high: float) -> float:
    """0 at ``low``, 1 at ``high`` (which may lie below ``low``), straight in between."""
    return float(np.clip((value - low) / (high - low), 0, 1))
