"""How many inks there are: whether all marks are mixtures of paper and one ink, or depths of one pigment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.ink.density import InkColour
from woad.core.raster.channels import folded, grey_of
from woad.core.raster.codes import PAPER_CODE, encoded_of, to_codes
from woad.core.raster.thinning import thinned
from woad.core.raster.transfer import srgb_encode

Plane = NDArray[np.float32]

_JUDGED = 100_000  # pixels of marks tell
# How far marks lie off the line from paper to ink, as encoded, on the sensor, and far off it there; and the shares of them
# from which that counts. Pale washes are seen on the sensor only.
_OFF_ENCODED, _OFF, _FAR_OFF = 0.06, 0.075, 0.3
_SEVERAL, _WASHES, _SEAL = 0.04, 0.15, 0.002
_A_LITTLE_OFF, _PALE = 0.05, 0.3  # the same of pale colours, as of pencils pressed lightly
_EDGE, _LOSSY = 0.04, 0.5  # step between pixels of an edge; share of the hue in it below which a file has lost it
_DARKEST = 98  # percentile of marks' depth
_MARK = 0.08  # darkness of a mark
_FAINT, _SURE = 0.06, 0.3  # of one that tells; and of one that does, however restless the paper is
# How far channels are apart in an ink with a hue, and the least cosine of two readings of one hue.
_COLOURED, _SAME_HUE = 0.15, 0.8
# Even areas of another tone than the ink's own: how wide they are at least, px; by how much of full ink they vary; the shares
# of it that are neither paper nor ink; and the share of marks in them from which they count.
_AREA_PX, _EVEN, _PAPER_TO, _INK_FROM, _DEEPER = 7, 0.15, 0.12, 0.75, 1.3
_TINTS = 0.008
# Areas of another hue than the ink's: their width at least, as a share of the sheet's longer side, how far off they are as
# encoded, by how much of that they vary, and their share of the marks.
_PATCH_WIDE, _PATCH_OFF, _PATCH_EVEN, _PATCH = 0.009, 0.06, 0.5, 0.005
_RIM = 40  # such a part of either side is not looked at


@dataclass(frozen=True)
class Inks:
    """Whether marks are ``several`` colours, mixtures of paper and ink being one; whether some lie ``far_off`` those; and
    whether all of them may be depths of ``one_pigment``; and whether one ink has ``tints``, areas of another tone than
    its own."""

    several: bool
    far_off: bool
    one_pigment: bool
    tints: bool = False


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
        return replace(ONE_INK, tints=_has_tints(reduced, ink))
    reduced = _inner(reduced)
    own, dark = np.asarray(ink.reflectance, np.float32), 1 - reduced
    full, shown, wide = 1 - own, 1 - srgb_encode(own), _marks(dark, 7, floor)
    several = _share(wide, [full], _OFF) > _WASHES or _share(wide, [full], _A_LITTLE_OFF) > _PALE
    if not several:  # a painting is told without
        encoded = 1 - encoded_of(np.minimum(to_codes(reduced), PAPER_CODE))
        several = _share(_marks(encoded, 5, floor), [shown], _OFF_ENCODED) > _SEVERAL
    tones = [full, -np.log(np.maximum(own, np.float32(1e-3)))] if several else [full]
    one_pigment = not several or _share(wide, tones, _OFF) <= _SEVERAL
    far_off = _share(_marks(dark, 3, floor), tones, _FAR_OFF) > _SEAL
    far_off = far_off or (not several and _has_patch(reduced, shown))
    return Inks(several, far_off, one_pigment, not (several or far_off) and _has_tints(reduced, ink))


def _inner(reduced: Plane) -> Plane:
    """A sheet without its rim, where a strip of what lies beneath it may show."""
    h, w = (side // _RIM for side in reduced.shape[:2])
    return reduced[h : reduced.shape[0] - h, w : reduced.shape[1] - w]


def _has_patch(reduced: Plane, full: Plane) -> bool:
    """Whether areas of ``reduced`` (h, w, 3) are coloured in: evenly of another hue than the ink, which lacks ``full`` (3,)
    to paper as encoded, and of none that a stain has. Pencil lines are too thin for that, and not even."""
    h, w = reduced.shape[0] // 2, reduced.shape[1] // 2  # for areas half the size tells as much
    if not h or not w:
        return False
    half = cv2.resize(reduced, (w, h), interpolation=cv2.INTER_AREA)
    seen = np.minimum(cv2.blur(half, (3, 3)), np.float32(1))  # noise is gone in the mean
    missing = 1 - encoded_of(np.minimum(to_codes(seen), PAPER_CODE))
    axis = full / max(float(np.linalg.norm(full)), 1e-6)
    along = np.maximum(folded(missing, axis.tolist()), 0)
    off = np.sqrt(np.maximum(folded(missing * missing, [1.0] * 3) - along * along, 0))
    red, green, blue = cv2.split(missing)
    marks = grey_of(missing) > _FAINT
    calm = cv2.morphologyEx(off, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) < _PATCH_EVEN * off
    patch = calm & (off > _PATCH_OFF) & ~((red <= green) & (green <= blue))
    inner = cv2.distanceTransform(patch.astype(np.uint8), cv2.DIST_L2, 3) > _PATCH_WIDE * max(patch.shape) / 2
    return float(inner.sum()) > _PATCH * float((marks | patch).sum())


def _has_tints(reduced: Plane, ink: InkColour) -> bool:
    """Whether areas of ``reduced`` (h, w, C) are evenly paler or deeper than the ``ink``: paint mixed with white, or a wash.
    Hatching, grain and edges are as pale in the mean, but not evenly."""
    full = 1 - np.asarray(ink.reflectance, np.float32)
    share = folded(1 - reduced, (full / max(float(full @ full), 1e-3)).tolist())
    calm = cv2.GaussianBlur(share, (0, 0), 0.8)
    even = cv2.morphologyEx(calm, cv2.MORPH_GRADIENT, np.ones((_AREA_PX, _AREA_PX), np.uint8)) < _EVEN
    marks = share > _PAPER_TO
    tints = even & marks & ((share < _INK_FROM) | (share > _DEEPER))
    return float(tints.sum()) > _TINTS * float(marks.sum())


def with_mean_hue(ink: InkColour, crops: Sequence[Plane], reduced: Plane, floor: float) -> InkColour:
    """An ink as dark as it was read. If the file is so lossy that hue does not follow single pixels, which makes those of a
    thin stroke in a coloured ink greyer than it, the ink has the hue of its darkest places in the mean.

    ``crops`` reflectance (h, w, C) at full size, ``reduced`` the same of the whole sheet; ``floor`` what noise does not reach.
    """
    missing = 1 - np.asarray(ink.reflectance, np.float32)
    own_size, own = _hue(missing)
    if own_size < _COLOURED or _kept(crops, own) > _LOSSY:
        return ink
    wide = _marks(1 - reduced, 7, floor)
    if not len(wide):
        return ink
    depth = wide.sum(axis=1)
    mean = wide[depth >= np.percentile(depth, _DARKEST)].mean(axis=0)
    size, hue = _hue(mean)
    if size <= own_size or float(own @ hue) < _SAME_HUE or mean.max() <= 0:
        return ink
    return replace(ink, reflectance=tuple(np.clip(1 - mean * (missing.max() / mean.max()), 0.002, 0.98).tolist()))


def _kept(crops: Sequence[Plane], hue: NDArray[np.float32]) -> float:
    """How much of an ink's ``hue`` (C,), for how dark it is, follows its edges, as a share of what there is around them."""
    fine, wide = np.zeros(2), np.zeros(2)
    for crop in crops:
        both = folded(1 - crop, hue.tolist()), 1 - grey_of(crop)
        steps = [plane - cv2.blur(plane, (3, 3)) for plane in both]
        edge = np.sign(steps[1]) * (np.abs(steps[1]) > _EDGE)
        fine += [float(np.vdot(step, edge)) for step in steps]
        around = [cv2.blur(plane, (15, 15)) for plane in both]
        marked = (around[1] > _MARK).astype(np.float32)
        wide += [float(np.vdot(plane, marked)) for plane in around]
    return float(fine[0] * wide[1] / max(fine[1] * wide[0], 1e-6)) if fine[1] else 1.0


def _hue(missing: NDArray[np.float32]) -> tuple[float, NDArray[np.float32]]:
    """How far the channels of what a colour lacks to paper (C,) are apart, for how deep it is, and which way, of length 1."""
    off = missing - missing.mean()
    size = float(np.ptp(missing)) / max(float(missing.max()), 1e-6)
    return size, np.asarray(off / max(float(np.linalg.norm(off)), 1e-6), np.float32)


def _marks(missing: Plane, across: int, floor: float) -> NDArray[np.float32]:
    """What marks lack to paper (n, C), in their mean ``across`` so many px of ``missing`` (h, w, C)."""
    smooth = cv2.blur(missing, (across, across)).reshape(missing.shape)
    at = np.flatnonzero(np.abs(grey_of(smooth)) > min(max(_FAINT, 2 * floor), _SURE))
    return np.asarray(smooth.reshape(-1, missing.shape[2]).take(thinned(at, _JUDGED), axis=0), np.float32)


def _share(vectors: NDArray[np.float32], of: list[NDArray[np.float32]], limit: float) -> float:
    """The share of ``vectors`` (n, C) that is further than ``limit`` from what one or two vectors (C,) make, none taken off."""
    if not len(vectors):
        return 0.0
    axes = [one / max(float(np.linalg.norm(one)), 1e-6) for one in of]
    # Squares of lengths: what is off a line is what is left without the part along it.
    whole = np.einsum("ij,ij->i", vectors, vectors)
    along = [vectors @ one for one in axes]
    off = whole - np.square(np.maximum(np.maximum(along[0], along[-1]), 0))
    if len(axes) == 2:
        parts = [vectors @ row for row in np.linalg.pinv(np.stack(axes, axis=1))]
        between = whole - parts[0] * along[0] - parts[1] * along[1]
        off = np.where((parts[0] >= 0) & (parts[1] >= 0), between, off)
    return float((off > limit * limit).mean())
