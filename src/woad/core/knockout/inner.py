"""Which pixels lie inside paint, at the size they are seen at: away from bare paper, and of the paint's own tone or colour."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]
Plane = NDArray[np.float32]

_REDUCED = 2  # up to this edge width, px, the picture is a reduced one: calm, and its edges too narrow for wide windows
_NOISE = 5  # least alpha, of 255, up to which paint is not told from noise
_BARE, _BARE_SHARE, _SIDES = 2, 0.12, 20  # least alpha of a lane of paper, by itself or of its sides'; that of these
_PEN_SHARE = 0.4  # of its sides' where nothing is known of paint: the blur of thin strokes meets between them
_PALE = 40  # least alpha up to which paint is pale
_EVEN, _EVEN_PX = 0.35, 15  # share of its depth by which even paint varies over a few pixels; how far it is looked for
_DEEP = 80.0  # depth from which even paint is deep
_RISES = 0.6  # share of its depth that a pixel close by does not reach where an edge only passes through that depth
_AS_DEEP = 0.85  # share of even paint's depth from which a pixel is as deep
_OWN_LEAST, _OWN_SHARE = 6.0, 0.25  # how far off a mixture a colour of its own is, in steps of 255 and of its depth


@dataclass(frozen=True, eq=False)
class Inside:
    """What the whole sheet shows of each pixel, (H, W) uint8: 255 where it lies inside paint (``core``), and where paint
    that has an inside is so ``near`` that the pixel may belong to it; and the most that it may cover where paint fades out
    (``fading``), 255 elsewhere."""

    core: Plane8
    near: Plane8
    fading: Plane8


@dataclass(frozen=True, eq=False)
class Extremes:
    """Of a reduced picture, the most (``deepest``) and the least (``palest``) that the least alpha is at full size around each
    pixel, (h, w) uint8."""

    deepest: Plane8
    palest: Plane8


def edge_width(edge_px: float) -> int:
    """The width of an edge in whole pixels."""
    return int(np.clip(round(edge_px), 1, 4))


def calmed(least: Plane8, r: int) -> Plane8:
    """Least alpha (H, W) without its finest noise, where edges are ``r`` px wide. A reduced picture is calm by itself, and a
    line of it no wider than a pixel."""
    return np.asarray(cv2.GaussianBlur(least, (3, 3), 0)) if r > _REDUCED else least


def inner_paint(
    least: Plane8, edge_px: float, inside: Inside | None, rgb: Plane8 | None, full_size: Extremes | None = None
) -> Plane8:
    """255 inside paint, 0 at its edges and on paper, (H, W) uint8; between them where it is not sure.

    ``least`` (H, W) uint8 the least alpha that explains a pixel, ``rgb`` (H, W, 3) the picture over white, ``edge_px`` how
    wide an edge is, ``inside`` what the whole sheet shows, ``full_size`` what a reduced picture is of.
    """
    r = edge_width(edge_px)
    full = r > _REDUCED
    inner = _away_from_paper(least, r, _PEN_SHARE if inside is None else _BARE_SHARE)
    if full_size is not None:
        # A line that is narrower than a pixel is no paint of that pixel's tone: paper shows in it.
        inner = np.asarray(cv2.min(inner, _no_line(full_size, inside)))
    if inside is not None:
        inner = np.asarray(cv2.max(inner, cv2.threshold(inside.core, 127, 255, cv2.THRESH_BINARY)[1]))
    calm = calmed(least, r)
    firm = _broad_and_pale(inner, calm, inside, edge_px)
    if rgb is not None and full:
        firm = cv2.max(firm, _of_own_colour(rgb, calm))
    return np.asarray(cv2.min(inner, _as_deep_as_beside(inner, calm, firm, edge_px)))


def _no_line(full_size: Extremes, inside: Inside | None) -> Plane8:
    """255 where no paper shows at full size, as it does beside a line; beside broad paint, where at most a lane of it does."""
    pen = cv2.convertScaleAbs(full_size.deepest, alpha=_PEN_SHARE)
    if inside is not None:
        lane = cv2.convertScaleAbs(full_size.deepest, alpha=_BARE_SHARE)
        pen = np.where(inside.near > 127, lane, pen)
    return np.asarray(cv2.compare(full_size.palest, np.maximum(pen, np.uint8(_NOISE)), cv2.CMP_GT))


def _away_from_paper(least: Plane8, r: int, share: float) -> Plane8:
    """255 where paint is that does not touch paper within ``r`` px; a lane of paper has ``share`` of its sides' depth at
    most."""
    # A few steps of noise beside a mark are not paint; over a few pixels pale paint stands above them.
    wide, most = (5, 7) if r > _REDUCED else (3, 3)
    calm = cv2.GaussianBlur(least, (wide, wide), 0)
    paint = cv2.blur(cv2.threshold(calm, _NOISE, 255, cv2.THRESH_BINARY)[1], (most, most))
    paint = cv2.threshold(paint, 127, 255, cv2.THRESH_BINARY)[1]  # what most pixels around are
    if r > _REDUCED:
        paint = cv2.min(paint, cv2.bitwise_not(_lanes(least, share)))
    return np.asarray(cv2.erode(paint, _box(2 * r + 1)))


def _lanes(least: Plane8, share: float) -> Plane8:
    """255 where bare paper runs between two washes, a few pixels wide: wide windows would close it."""
    sides = cv2.morphologyEx(least, cv2.MORPH_CLOSE, _box(9))
    bare = cv2.compare(cv2.GaussianBlur(least, (3, 3), 0), cv2.LUT(sides, _bare_beside(share)), cv2.CMP_LE)
    bare = cv2.bitwise_and(bare, cv2.threshold(sides, _SIDES, 255, cv2.THRESH_BINARY)[1])
    return np.asarray(cv2.morphologyEx(bare, cv2.MORPH_OPEN, _box(2)))


def _broad_and_pale(inner: Plane8, calm: Plane8, inside: Inside | None, edge_px: float) -> Plane8:
    """Pale paint (or paper, in a corner) that runs along deeper paint as a narrow band would, made opaque, be a white rim.
    255 where it is broad."""
    pale = cv2.bitwise_and(inner, cv2.threshold(calm, _PALE, 255, cv2.THRESH_BINARY_INV)[1])
    broad = cv2.morphologyEx(pale, cv2.MORPH_OPEN, _box(2 * max(1, round(2.4 * edge_px)) + 1))
    # What lies between broad pale paint and deep paint belongs to both.
    broad = cv2.dilate(broad, _box(5))
    if inside is not None:
        # Paper between strokes, darkened a little by their blur, looks as pale paint does; the sheet at large knows.
        broad = cv2.max(cv2.min(broad, inside.near), inside.core)
    return np.asarray(broad)


def _as_deep_as_beside(inner: Plane8, calm: Plane8, firm: Plane8, edge_px: float) -> Plane8:
    """255 where a pixel has the depth of paint beside it, or is ``firm`` for other reasons."""
    deepest = np.maximum(cv2.dilate(calm, _box(7)), np.uint8(28))
    share = _share_of(calm, deepest)
    # It belongs to the inside from about half the depth of the deepest there. A hollow between deeper paint on both sides,
    # as behind a rim where a wash has pooled, is no blur towards paper: it counts as its sides do.
    sides = cv2.morphologyEx(calm, cv2.MORPH_CLOSE, _box(9))
    hollow = cv2.compare(calm, cv2.LUT(sides, _at_least(_PEN_SHARE)), cv2.CMP_GE)
    filled = np.asarray(cv2.copyTo(sides, hollow, calm.copy()))
    deep = np.asarray(cv2.LUT(_share_of(filled, deepest), _ramp(0.35, 0.6)))
    side = _box(2 * max(1, round(0.7 * edge_px)) + 1)
    # Right beside paper more is asked for: a paler pixel there is mixed with paper.
    beside = cv2.threshold(cv2.erode(inner, side), 127, 255, cv2.THRESH_BINARY_INV)[1]
    deep = cv2.copyTo(cv2.LUT(share, _ramp(0.62, 0.92)), beside, deep)
    # A pixel as deep as even paint close by is that paint, however dark the strokes on it are.
    varies = cv2.morphologyEx(calm, cv2.MORPH_GRADIENT, _box(5))
    even = cv2.compare(varies, cv2.LUT(calm, _at_least(_EVEN)), cv2.CMP_LT)
    even = cv2.bitwise_and(even, cv2.threshold(inner, 127, 255, cv2.THRESH_BINARY)[1])
    depth = cv2.erode(cv2.max(calm, cv2.bitwise_not(even)), _box(_EVEN_PX))
    as_even = cv2.compare(calm, cv2.LUT(depth, _at_least(_AS_DEEP)), cv2.CMP_GE)
    # On its way from paper up to a deep rim an edge passes the depth that the paint has further in: it does not stay there.
    rises = cv2.compare(cv2.erode(calm, _box(5)), cv2.LUT(depth, _at_least(_RISES)), cv2.CMP_LT)
    deep = cv2.max(deep, cv2.bitwise_and(as_even, cv2.bitwise_not(cv2.bitwise_and(rises, beside))))
    # Where even paint is deep nearly all of its depth is asked for beside paper, be it in a narrow bay: mixed pixels would
    # be a light rim there on dark grounds.
    paint = cv2.min(inner, cv2.max(firm, deep))
    rim = np.flatnonzero((cv2.erode(paint, side) < 128) & (depth > _DEEP) & (depth < 255))
    if rim.size:
        total, of = (
            cv2.boxFilter(plane, cv2.CV_32F, (_EVEN_PX, _EVEN_PX), normalize=False).ravel()[rim]
            for plane in (cv2.bitwise_and(calm, even), even)
        )
        mean = np.maximum(255 * total / np.maximum(of, 1), 1)
        # Not OpenCV's division: beside a single value it takes another one for four.
        of_even = np.minimum(np.rint(np.float32(255) * calm.ravel()[rim] / mean), 255).astype(np.uint8)
        deep.ravel()[rim] = _ramp(0.82, 0.94)[np.maximum(share.ravel()[rim], of_even)]
    return np.asarray(cv2.max(firm, deep))


def _share_of(plane: Plane8, whole: Plane8) -> Plane8:
    """A plane as a share of another one, 255 for all of it or more."""
    return np.asarray(cv2.divide(plane, whole, scale=255.0, dtype=cv2.CV_8U))


@cache
def _bare_beside(share: float) -> Plane8:
    """The most alpha that bare paper has in a lane, by that of its sides, 0..255."""
    return np.asarray(np.maximum(_BARE, np.floor(share * np.arange(256))), np.uint8)


@cache
def _at_least(share: float) -> Plane8:
    """The least whole number that is not below a share of each of 0..255."""
    return np.asarray(np.ceil(np.float32(share) * np.arange(256, dtype=np.float32)), np.uint8)


@cache
def _ramp(low: float, high: float) -> Plane8:
    """Shares, of 255, to 0 up to ``low`` and 255 from ``high`` on."""
    return np.rint(np.clip((np.arange(256) / 255 - low) / (high - low), 0, 1) * 255).astype(np.uint8)


def _of_own_colour(rgb: Plane8, calm: Plane8) -> Plane8:
    """255 where a pixel's colour is no mixture of paper with the deeper paint beside it, and between it and that paint."""
    h, w = calm.shape
    half = (-(-w // 2), -(-h // 2))  # hue is told over a few pixels anyway
    depth = cv2.resize(calm.astype(np.float32), half, interpolation=cv2.INTER_AREA)
    planes = cv2.split(
        cv2.resize(cv2.blur(cv2.bitwise_not(rgb), (3, 3)), half, interpolation=cv2.INTER_AREA).astype(np.float32)
    )
    deeper = [cv2.blur(plane * depth * depth, (5, 5)) for plane in planes]
    size2 = _sum(plane * plane for plane in planes)
    along = _sum(plane * other for plane, other in zip(planes, deeper, strict=True))
    off2 = size2 - along * along / np.maximum(_sum(other * other for other in deeper), 1)
    own = (off2 > _OWN_LEAST**2) & (off2 > _OWN_SHARE**2 * size2)
    # What is narrower may be the coarser colour of a lossy file.
    wide = cv2.morphologyEx(own.astype(np.uint8) * np.uint8(255), cv2.MORPH_OPEN, _box(2))
    return np.asarray(cv2.resize(cv2.dilate(wide, _box(5)), (w, h), interpolation=cv2.INTER_NEAREST))


def _sum(planes: Iterable[Plane]) -> Plane:
    return np.asarray(sum(planes))


def _box(side: int) -> Plane8:
    return np.ones((side, side), np.uint8)
