"""What the colours of a sheet's marks tell of its medium, as numbers."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.ink.pencils import Pencil, near_ink
from woad.core.raster.channels import grey_of, highest, lowest
from woad.core.raster.thinning import thinned
from woad.core.raster.transfer import srgb_decode

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

_TINT_PX = 2.0  # sigma over which a pale wash's hue shows in the noise
_LEAST_CHROMA = 0.02  # difference of channels from which a broad mark has a hue,
_HUED = 0.3  # and share of its depth
# How far apart the channels of a coloured mark are, see :func:`_hue_of`; and what is next to black.
_COLOURED, _BLACK = 0.22, 0.2
_VIVID = 0.5  # the same of a mark whose hue is no stain's or show-through's
# A coloured ink: reflectance of its darkest channel, at most, and by how much the lightest is lighter, at least.
_INK = 0.3
# Shares of the longer side: what the middle of a pencil's line seldom lies from its edge; how far a letter's shadow lies from
# it. Share of marks that tells.
_BAND, _BESIDE, _SOME_BLUE = 0.0025, 0.007, 0.03
_ABOVE = 1.15  # reflectance that is surely lighter than paper


@dataclass(frozen=True)
class Hues:
    """Shares of the marks. ``coloured`` with a hue; ``tinted`` broad and with a hue however pale, those of a stain's as well;
    ``own`` broad and of a hue that no stain has; ``vivid`` of a strong hue, ``inks`` dark besides; ``above`` lighter than
    paper in some channel, which no wash is; ``blue`` light blue; ``blue_lines`` light blue lines, looked for with all of the
    sheet. And of what is light blue, the shares that lie in broad, even areas (``blue_filled``), or beside ink inside of even
    bands that are broader than a pencil's lines (``blue_bands``); ``blue_tone`` mean reflectance of blue lines at their
    deepest, if any were found."""

    coloured: float = 0.0
    tinted: float = 0.0
    own: float = 0.0
    vivid: float = 0.0
    inks: float = 0.0
    above: float = 0.0
    blue: float = 0.0
    blue_lines: float = 0.0
    blue_filled: float = 0.0
    blue_bands: float = 0.0
    blue_tone: float = 1.0


def read_hues(
    reduced: Plane,
    smooth: Plane,
    marks: Mask,
    far: Mask,
    near: Plane,
    even: Mask,
    broad_px: float,
    paper_rgb: tuple[int, int, int],
) -> Hues:
    """Of ``marks`` (h, w) on an evened sheet, reflectance ``reduced`` (h, w, 3) and, a little blurred, ``smooth``; how far
    inside them each pixel lies, ``near``, px, from ``broad_px`` on of broad ones, and where tone is ``even``; ``far`` is bare
    paper, of colour ``paper_rgb``."""
    some = thinned(np.flatnonzero(marks))
    inked = near_ink(smooth)
    values, own = smooth.reshape(-1, 3).take(some, axis=0), ~inked.take(some)
    most, least = highest(values), lowest(values)
    hue = _hue_of(values)
    hued = hue > _COLOURED
    hued &= (most > _BLACK) | (_hue_of(values * _tone(paper_rgb)) > _COLOURED)
    blues = _light_blue(values) & own
    tinted, stained = _tinted(reduced, marks, far, broad_px)
    return Hues(
        coloured=max(float(hued.mean()), tinted - stained),
        tinted=tinted,
        own=tinted - stained,
        vivid=float((hued & (hue > _VIVID)).mean()),
        inks=float(((least < _INK) & (most - least > _INK)).mean()),
        above=float((most > _ABOVE).mean()),
        blue=float(blues.mean()),
        blue_filled=float(((near > broad_px) & even).take(some)[blues].mean()) if blues.any() else 0.0,
        blue_bands=_in_bands(_light_blue(smooth) & marks & ~inked, even, inked) if blues.mean() > _SOME_BLUE else 0.0,
    )


def _in_bands(blue: Mask, even: Mask, inked: Mask) -> float:
    """The share of ``blue`` pixels (h, w) that lie further from its edge than those of lines do, where tone is ``even``, and
    right beside what is ``inked``."""
    side = max(blue.shape)
    inside = cv2.distanceTransform(blue.astype(np.uint8), cv2.DIST_L2, 3) > _BAND * side
    beside = cv2.distanceTransform((~inked).astype(np.uint8), cv2.DIST_L2, 3) < _BESIDE * side
    return float((inside & even & beside).sum()) / max(int(blue.sum()), 1)


def over_pencils(hues: Hues, pencils: tuple[Pencil, ...]) -> Hues:
    """With light blue lines counted that are too thin to stand out from the paper pixel by pixel, and with how deep blue ones
    are at full size."""
    colours = np.array([one.colour for one in pencils], np.float32).reshape(-1, 3)  # none, too
    light = float(np.array([one.share for one in pencils])[_light_blue(colours)].sum())
    blues = colours[_blue(colours)]
    return replace(hues, blue_lines=light, blue_tone=float(blues.mean(axis=1).min()) if len(blues) else 1.0)


def _hue_of(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """How far the channels of reflectances (..., 3) are apart, for how light they are."""
    most = highest(values)
    return np.asarray((most - lowest(values)) / np.maximum(most, 0.15), np.float32)


def _tone(paper_rgb: tuple[int, int, int]) -> NDArray[np.float32]:
    """The paper's colour, its lightest channel 1. Black beside yellow paper looks blue, as it gives back a little light that
    is the lamp's and not the paper's: it must have a hue without the paper, too."""
    tone = srgb_decode(np.array(paper_rgb, np.float32) / 255)
    return np.asarray(tone / max(float(tone.max()), 1e-3), np.float32)


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
