"""How many inks there are: whether all marks are mixtures of paper and one ink, or depths of one pigment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.ink.density import InkColour
from woad.core.raster.channels import grey_of
from woad.core.raster.codes import PAPER_CODE, encoded_of, to_codes
from woad.core.raster.thinning import thinned
from woad.core.raster.transfer import srgb_encode

Plane = NDArray[np.float32]

_JUDGED = 100_000  # pixels of marks tell
# How far marks lie off the line from paper to ink, as encoded, on the sensor, and far off it there; and the shares of them
# from which that counts. Pale washes are seen on the sensor only.
_OFF_ENCODED, _OFF, _FAR_OFF = 0.06, 0.075, 0.3
_SEVERAL, _WASHES, _SEAL = 0.04, 0.15, 0.002
_REACH = 0.004  # of the sheet's longer side: no lines that are hatched lie further apart
_FINE = 8  # px of it that tell as well as more
_TONED, _PAPER = 0.1, 0.12  # darkness of a toned place in the mean, and up to which a pixel may be paper
_CLEAR = 0.25  # of the darkest pixel around, that paper between lines has at most
_FEW = 0.005  # of what is looked at, that toned places must be


@dataclass(frozen=True)
class Inks:
    """Whether marks are ``several`` colours, mixtures of paper and ink being one; whether some lie ``far_off`` those; and
    whether all of them may be depths of ``one_pigment``."""

    several: bool
    far_off: bool
    one_pigment: bool


ONE_INK = Inks(False, False, True)


def tell_inks(reduced: Plane, ink: InkColour, floor: float) -> Inks:
    """How the colours of marks lie to an ink's. ``reduced`` (h, w, C) reflectance, paper 1; ``floor`` what noise does not reach.

    One ink, however thin, mixes linearly with the paper on the sensor; several colours, or a wash of varying
    depth (whose hue shifts by Beer-Lambert), leave that line. Pencils, stains and what noise does to hue are never far off.
    A lossy file keeps hues, as it encodes them, at half the size: along thin strokes on toned paper they are off the line,
    but in their mean across a stroke they are not. Whatever depths one pigment lies in, and whatever share of a pixel each of
    them covers, all lie in the plane between its full tone and its palest.
    """
    if reduced.shape[2] == 1:
        return ONE_INK
    own = np.asarray(ink.reflectance, np.float32)
    full, palest = 1 - own, -np.log(np.maximum(own, np.float32(1e-3)))
    dark = 1 - reduced

    def marks(across: int, of: Plane = dark) -> NDArray[np.float32]:
        smooth = cv2.blur(of, (across, across))
        at = np.flatnonzero(np.abs(grey_of(smooth)) > max(0.06, 2 * floor))
        return np.asarray(smooth.reshape(-1, smooth.shape[2]).take(thinned(at, _JUDGED), axis=0), np.float32)

    wide = marks(7)
    several, one_pigment = _share(wide, [full], _OFF) > _WASHES, True
    if not several:  # a painting is told without
        encoded = 1 - encoded_of(np.minimum(to_codes(reduced), PAPER_CODE))
        several = _share(marks(5, encoded), [1 - srgb_encode(own)], _OFF_ENCODED) > _SEVERAL
    if several:
        one_pigment = _share(wide, [full, palest], _OFF / 2) <= _SEVERAL
    return Inks(several, _share(marks(3), [full], _FAR_OFF) > _SEAL, one_pigment)


def _share(vectors: NDArray[np.float32], of: list[NDArray[np.float32]], limit: float) -> float:
    """The share of ``vectors`` (n, C) that is further than ``limit`` from what one or two vectors (C,) make, none taken off."""
    if not len(vectors):
        return 0.0
    axes = [one / max(float(np.linalg.norm(one)), 1e-6) for one in of]
    off = np.min(
        [np.linalg.norm(vectors - np.maximum(vectors @ one, 0)[:, None] * one, axis=1) for one in axes], axis=0
    )
    if len(axes) == 2:
        both = np.stack(axes, axis=1)
        parts = vectors @ np.linalg.pinv(both).T
        between = np.linalg.norm(vectors - parts @ both.T, axis=1)
        off = np.where((parts >= 0).all(axis=1), between, off)
    return float((off > limit).mean())


def open_share(crops: Sequence[Plane], long_px: int) -> float:
    """Of toned places, the share in which bare paper shows between lines or grain: next to none of a wash, nearly all of
    hatching. ``crops`` reflectance (h, w, C) at the full size of a sheet whose longer side has ``long_px``."""
    reach = _REACH * long_px
    finer = max(reach / _FINE, 1.0)
    r = max(2, round(reach / finer))
    box = np.ones((2 * r + 1, 2 * r + 1), np.uint8)
    toned = shows = total = 0
    for crop in crops:
        grey = grey_of(crop)
        size = max(1, round(grey.shape[1] / finer)), max(1, round(grey.shape[0] / finer))
        grey = cv2.GaussianBlur(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), (0, 0), 0.7)
        lightest, darkest = 1 - cv2.dilate(grey, box), 1 - cv2.erode(grey, box)
        tone = (cv2.blur(1 - grey, (2 * r + 1, 2 * r + 1)) > _TONED).astype(np.uint8)
        inner = cv2.erode(tone, box, iterations=2) > 0  # paper beside what is toned is none in it
        toned += int(inner.sum())
        shows += int((inner & (lightest < _CLEAR * darkest) & (lightest < _PAPER)).sum())
        total += grey.size
    return shows / toned if toned > _FEW * total else 0.0
