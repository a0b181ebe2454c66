"""Hairs and dust lying on paint: thin, sharp, curved, lighter or darker than both sides of them; or small and alone.

A ridge filter (eigenvalues of the second derivatives: Steger, An unbiased detector of curvilinear structures, 1998) tells
where a line could be and which way it runs; along that way the picture is averaged and compared with what lies on both
sides, which tells a line from grain and from the edge of a shape.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.places import read_at
from woad.core.raster.transfer import srgb_decode
from woad.core.spotting.drawn import drawn
from woad.core.spotting.lengthwise import evenness
from woad.core.spotting.near import neighbours
from woad.core.spotting.thin import mean_width
from woad.core.units import mm_to_px

Plane = NDArray[np.float32]

WORK_PPI = 300.0  # hairs are looked for at about this resolution: thinner than that nothing shows
_LEAST_MM, _ALONG_MM, _ASIDE_MM = 1.9, 1.1, 0.24  # length; averaged along; the sides looked at
_WIDE_MM = 0.3  # what is broader is a stroke
_FAR_MM, _UNLIKE = 0.5, 0.75  # farther out to both sides; how unlike sides may be, share of what it stands out by
_RIM_MM, _STEEP = 0.12, 0.38  # so far from its middle a hair has lost that share of what it stands out by
_DEEPEST = 0.056  # of a pixel that a black hair, a tenth of a millimetre wide, covers in a blurred scan, per px to the millimetre
_EVEN, _UNEVEN, _SOME = 0.75, 0.7, 2  # how evenly hairs cover: most of them, every one; so many lines tell of others
_FEW_ALONE = 0.15  # share of specks that lie alone, up to which all of them are of a print's, or of grain
_MOST = 400_000  # candidate places looked at closely


@dataclass(frozen=True, eq=False)
class Hair:
    """``box`` x, y, w, h and ``mask`` (h, w) of what is to be mended, px of the picture looked at; ``length_px``;
    ``lighter`` than what it lies on; ``dust`` when it is a speck."""

    box: tuple[int, int, int, int]
    mask: NDArray[np.bool_]
    length_px: float
    lighter: bool
    dust: bool = False


def find_hairs(lightness: Plane, ppi: float, where: NDArray[np.bool_] | None = None) -> list[Hair]:
    """Hairs and specks on a picture.

    Parameters: ``lightness`` (h, w) float32 encoded 0..255 of the evened sheet; ``ppi`` of that picture, about 300;
    ``where`` (h, w) they are looked for.
    """
    mm = mm_to_px(1, ppi)
    texture = _texture(lightness, mm)
    strength = _lines(lightness, texture, mm)
    if where is not None:
        strength *= where
    lines: list[Hair] = []
    hairs: list[Hair] = []
    for sign in (1.0, -1.0):
        found = _linked(np.maximum(strength * np.float32(sign), 0), mm, sign > 0)
        meant = drawn(lightness, [(one.box, one.mask) for one in found], mm)
        left = [one for one, own in zip(found, meant, strict=True) if not own]
        hairs += [one for one in _even(lightness, left, mm) if _covers(lightness, one) < _DEEPEST * mm]
        lines += found
    return hairs + _dust(lightness, texture, mm, where, lines)


def _even(lightness: Plane, lines: list[Hair], mm: float) -> list[Hair]:
    """Those of ``lines`` that cover evenly. Where most do not, they are a drawing's in grain, or the gaps in one, and so are
    those among them that do."""
    even = np.array([evenness(lightness, one.box, one.mask, one.lighter, mm) for one in lines])
    if np.count_nonzero(even < _EVEN) > max(_SOME, len(lines) / 2):
        return []
    return [one for one, own in zip(lines, even.tolist(), strict=True) if own > _UNEVEN]


def _texture(lightness: Plane, mm: float) -> Plane:
    """How much the picture varies from pixel to pixel around each place, edges left out: what a line must stand out of."""
    fine = np.abs(lightness - cv2.GaussianBlur(lightness, (0, 0), 0.13 * mm))
    # A low percentile of the neighbourhood, by averaging roots: a hair or an edge adds little to it.
    root = cv2.blur(np.sqrt(fine), (max(3, int(3 * mm)),) * 2)
    return np.asarray(root * root * np.float32(1.6), np.float32)


def _lines(lightness: Plane, texture: Plane, mm: float) -> Plane:
    """How much each place stands out as part of a line, in multiples of what texture makes; above zero lighter."""
    calm = cv2.GaussianBlur(lightness, (0, 0), max(0.07 * mm, 0.7))
    xx = cv2.Sobel(calm, cv2.CV_32F, 2, 0, ksize=3)
    yy = cv2.Sobel(calm, cv2.CV_32F, 0, 2, ksize=3)
    xy = cv2.Sobel(calm, cv2.CV_32F, 1, 1, ksize=3) * np.float32(2)
    half = np.sqrt((xx - yy) ** 2 + xy * xy)
    trace = xx + yy
    ridge = np.abs(trace) + half  # twice the larger eigenvalue, for either sign
    least = np.float32(5) + 3 * texture
    y, x = np.nonzero((ridge > least * 3) & (half > 0.3 * np.abs(trace)))
    out = np.zeros_like(lightness)
    if not len(x):
        return out
    if len(x) > _MOST:
        best = np.argpartition(ridge[y, x] / least[y, x], -_MOST)[-_MOST:]
        y, x = y[best], x[best]
    # Across the line the second derivative is largest: the eigenvector of the larger eigenvalue.
    turn = 0.5 * np.arctan2(xy[y, x], xx[y, x] - yy[y, x])
    turn = np.where(trace[y, x] < 0, turn + np.pi / 2, turn)
    nx, ny = np.cos(turn), np.sin(turn)
    middle = _along(calm, x, y, nx, ny, 0.0, mm)
    aside = _ASIDE_MM * mm
    one, two = _along(calm, x, y, nx, ny, aside, mm), _along(calm, x, y, nx, ny, -aside, mm)
    light = middle - np.maximum(one, two)
    dark = np.minimum(one, two) - middle
    value = np.where(light > dark, light, -np.maximum(dark, 0))
    value = np.where(np.maximum(light, dark) <= 0, 0, value)
    rim = (_along(calm, x, y, nx, ny, _RIM_MM * mm, mm) + _along(calm, x, y, nx, ny, -_RIM_MM * mm, mm)) / 2
    # A pen's stroke is broader than a hair: beside its middle it is still itself.
    value = np.where(np.abs(middle - rim) < _STEEP * np.abs(value), 0, value)
    # Sides that differ belong to an edge; sides that go on changing farther out, to a stroke's tapered end.
    far = (_along(calm, x, y, nx, ny, _FAR_MM * mm, mm) + _along(calm, x, y, nx, ny, -_FAR_MM * mm, mm)) / 2
    value = np.where(np.abs(one - two) > _UNLIKE * np.abs(value), 0, value)
    value = np.where(np.abs(far - (one + two) / 2) > _UNLIKE * np.abs(value), 0, value)
    out[y, x] = value / (np.float32(3.2) + 1.1 * texture[y, x])
    return out


def _along(
    calm: Plane, x: NDArray[np.int64], y: NDArray[np.int64], nx: Plane, ny: Plane, aside: float, mm: float
) -> Plane:
    """Mean of the picture along the line's way at each place, moved ``aside`` across it."""
    reach = _ALONG_MM * mm / 2
    total = np.zeros(len(x), np.float32)
    steps = np.linspace(-reach, reach, 9)
    for step in steps:
        total += read_at(calm, x + nx * aside - ny * step, y + ny * aside + nx * step)
    return np.asarray(total / len(steps), np.float32)


def _linked(strength: Plane, mm: float, lighter: bool) -> list[Hair]:
    """Places that hang together to a line: sure ones, and weak ones that go on from them (hysteresis, Canny 1986)."""
    weak = cv2.dilate((strength > 0.7).astype(np.uint8), np.ones((3, 3), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(weak, connectivity=8)
    if count < 2:
        return []
    sure = np.bincount(labels[strength > 1.3], minlength=count)
    longest = np.hypot(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT])
    good = (sure >= 0.6 * mm) & (longest >= _LEAST_MM * mm)
    good[0] = False
    out = []
    for index in np.flatnonzero(good):
        x, y, w, h, area = stats[index].tolist()
        mask = labels[y : y + h, x : x + w] == index
        length = _length(mask)
        # Dilation by 3 made it two pixels wider. A hair is thin, and long for its area; a net of grain is neither.
        if length < _LEAST_MM * mm or area / length > _WIDE_MM * mm + 3 or area > 0.45 * w * h + 12 * length:
            continue
        out.append(_hair(mask, (x, y), length, lighter, strength.shape))
    return out


def _covers(lightness: Plane, hair: Hair) -> float:
    """Which share of its pixels a dark line would cover if it were black: a pen's line is as thin as a hair may look, but
    broader than one, and so deeper. (Light from a hair is no measure of its width: it may shine.)"""
    x, y, w, h = hair.box
    around = srgb_decode(np.clip(lightness[y : y + h, x : x + w] / np.float32(255), 0, 1))
    ring = ~hair.mask & (cv2.dilate(hair.mask.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0)
    if hair.lighter or not ring.any():
        return 0.0
    ground = float(np.median(around[ring]))
    return 1 - float(np.percentile(around[hair.mask], 20)) / max(ground, 0.01)


def _length(mask: NDArray[np.bool_]) -> float:
    """Length of a thin shape: its area over its mean width, with the pixel that a hair's blur adds to it."""
    return float(mask.sum()) / (mean_width(mask) + 1)


def _hair(
    mask: NDArray[np.bool_], at: tuple[int, int], length: float, lighter: bool, shape: tuple[int, ...], dust: bool = False
) -> Hair:  # fmt: skip
    """Widened by a pixel: what is mended must reach beyond the hair's own blur."""
    x, y = at
    wide = cv2.dilate(np.pad(mask, 2).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    left, top = max(x - 2, 0), max(y - 2, 0)
    right, bottom = min(x - 2 + wide.shape[1], shape[1]), min(y - 2 + wide.shape[0], shape[0])
    part = wide[top - y + 2 : bottom - y + 2, left - x + 2 : right - x + 2]
    return Hair((left, top, right - left, bottom - top), part, length, lighter, dust)


def _dust(
    lightness: Plane, texture: Plane, mm: float, where: NDArray[np.bool_] | None, hairs: list[Hair]
) -> list[Hair]:
    """Specks: small sharp dots that stand far out of the texture around them, with no others of their kind near."""
    size = int(0.45 * mm) | 1
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    taken = np.zeros(lightness.shape, np.uint8)
    for hair in hairs:
        x, y, w, h = hair.box
        taken[y : y + h, x : x + w] |= hair.mask.astype(np.uint8)
    taken = cv2.dilate(taken, np.ones((5, 5), np.uint8))
    out = []
    above, below = (cv2.morphologyEx(lightness, how, kernel) for how in (cv2.MORPH_TOPHAT, cv2.MORPH_BLACKHAT))
    for lighter, stands, other in ((True, above, below), (False, below, above)):
        hit = ((stands > 22 + 9 * texture) & (taken == 0)).astype(np.uint8)
        if where is not None:
            hit &= where.astype(np.uint8)
        hit = cv2.dilate(hit, np.ones((3, 3), np.uint8))
        _, labels, stats, centre = cv2.connectedComponentsWithStats(hit, connectivity=8)
        longest = np.maximum(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT])
        small = np.flatnonzero(longest[1:] <= 0.45 * mm + 3) + 1
        for index in small[_alone(centre[small], 4 * mm)]:
            x, y, w, h, _ = stats[index].tolist()
            mask = labels[y : y + h, x : x + w] == index
            if not _on_plain(lightness, stands, other, (x, y, w, h), mask, mm):
                continue
            out.append(_hair(mask, (x, y), float(longest[index]), lighter, lightness.shape, True))
    return out


def _on_plain(
    lightness: Plane, stands: Plane, other: Plane, box: tuple[int, int, int, int], mask: NDArray[np.bool_], mm: float
) -> bool:
    """Whether a speck lies on plain ground: a gap between lines, or the end of one, is none; nor is one between specks that
    stand out of it the ``other`` way, and more."""
    x, y, w, h = box
    pad = max(4, round(0.45 * mm))
    top, left = max(y - pad, 0), max(x - pad, 0)
    around = lightness[top : y + h + pad, left : x + w + pad]
    own = np.zeros(around.shape, np.uint8)
    own[y - top : y - top + h, x - left : x - left + w] = mask
    ground = cv2.GaussianBlur(around, (0, 0), 0.8)[cv2.dilate(own, np.ones((5, 5), np.uint8)) == 0]
    own_most = float(stands[y : y + h, x : x + w][mask].max())
    if other[top : y + h + pad, left : x + w + pad].max() > own_most:
        return False
    return ground.size > 0 and float(np.ptp(np.percentile(ground, (2, 98)))) < 0.6 * own_most


def _alone(at: NDArray[np.float64], reach: float) -> NDArray[np.bool_]:
    """Which places have at most two others within ``reach``: many of a kind are texture or meant, and where nearly all have
    more, the rest are as well."""
    if len(at) < 4:
        return np.ones(len(at), bool)
    gap, _ = neighbours(at, 4)
    out = np.asarray(gap[:, 3] > reach)
    return out if out.mean() > _FEW_ALONE else np.zeros(len(at), bool)
