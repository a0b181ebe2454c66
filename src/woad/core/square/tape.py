"""Masking tape that holds a sheet down: straight strips of one tan, lighter than ink, that come in from its border.

Paint has that colour too, and anything may have straight sides; two or more pieces at the border with one tan, even all over,
straight and crisp where they end on the sheet, while nothing else on it has their colour, are tape. Where they hold three
corners, a wash in their colour that pools does not count.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of
from woad.core.raster.outline import widened
from woad.core.raster.transfer import encoded_shares, linear_light
from woad.core.square.frame import sheet_size
from woad.core.square.lines import sample

Pixels = NDArray[np.uint8] | NDArray[np.uint16]
Plane = NDArray[np.float32]
Points = NDArray[np.float64]

_LONG, _FEW = 700, 4  # px, longer side of the sheet that is looked at; of which every so manyth is looked at first
_TAN, _TANNEST = 0.08, 1.3  # natural log of red against blue, beside the paper's: from and up to which a colour is tan
_GREEN = (0.35, 0.95)  # share of that which green has against blue
_LIGHT = 0.28  # of the paper's, at least
_SMALL, _LARGE, _ALL = 0.0012, 0.1, 0.25  # shares of the sheet: of one piece, and of all together
_SOLID, _STRAIGHT = 0.9, 0.33  # of a piece's hull that is covered; of its rim on the sheet that is straight
_EVEN = 0.14  # natural log, deviation of its tone
_POOLS = 0.055  # natural log, deviation of a wash's tan away from its rim
_CRISP_PX = 2  # beyond its rim
_ALIKE_TAN, _ALIKE_GREY = 0.22, 0.3  # natural log, by which pieces may differ: one may lie in shadow
_APART = 0.25  # of the shorter side
_ELSEWHERE = 0.5  # how much of the same colour may lie elsewhere, beside the tape
_RIM = 0.005  # of the longer side, taken away around a piece: the shadow that it throws
_HELD, _BESIDE, _DARKER = 3, (0.97, 1.03), 0.04  # corners at least; how far a side's sides are looked at; encoded
_AROUND = np.column_stack([wave(np.arange(8) * np.pi / 4) for wave in (np.cos, np.sin)])  # about a circle
_BOX3, _BOX5 = np.ones((3, 3), np.uint8), np.ones((5, 5), np.uint8)


@dataclass(frozen=True, eq=False)
class _Piece:
    """``hull`` (n, 2) px, ``area`` px, ``tan`` and ``grey`` natural logs, of one candidate, its middle ``at``."""

    hull: Points
    area: int
    tan: float
    grey: float
    at: Points


def find_tape(pixels: Pixels, corners: Points | None) -> tuple[Points, ...]:
    """Convex outlines (n, 2) px of the strips of tape on a sheet, none where there is no tape.

    Parameters: ``pixels`` (h, w, C) encoded; ``corners`` (4, 2) px of the sheet in them, going round, None if it fills them.
    """
    if pixels.shape[2] < 3 or min(pixels.shape[:2]) < 64:
        return ()
    sheet, back = _flat(pixels, corners)
    if _tan(*_colours(sheet[::_FEW, ::_FEW])).mean() < 2 * _SMALL:  # as with most sheets
        return ()
    tan, green, grey = _colours(cv2.GaussianBlur(sheet, (0, 0), 1.0))
    mask = _tan(tan, green, grey)
    pieces = _pieces(mask, tan, grey)
    alike = max((_alike(one, pieces) for one in pieces), key=lambda group: sum(p.area for p in group), default=[])
    if len(alike) < 2 or sum(one.area for one in alike) > _ALL * tan.size:
        return ()
    if max(float(np.linalg.norm(a.at - b.at)) for a in alike for b in alike) < _APART * min(tan.shape):
        return ()
    held = len(_corners_held([one.at for one in alike], _corners_of(tan.shape[1], tan.shape[0]))) >= _HELD
    if _elsewhere(mask, tan, grey, alike, held) > _ELSEWHERE * sum(one.area for one in alike):
        return ()
    grown = (widened(one.hull, _AROUND * _RIM * max(tan.shape)) for one in alike)
    return tuple(np.asarray(cv2.perspectiveTransform(one[:, None], back), np.float64)[:, 0] for one in grown)


def holds_down(pixels: Pixels, corners: Points, tape: tuple[Points, ...]) -> bool:
    """Whether ``tape`` holds a sheet with such ``corners`` down at three of them or more, on something darker all round: then
    they are its corners, however much of its sides the tape hides."""
    if len(_corners_held([one.mean(axis=0) for one in tape], corners)) < _HELD:
        return False
    centre = corners.mean(axis=0)
    share = np.linspace(0.3, 0.7, 24)[:, None]
    image = encoded_shares(pixels)
    for start, end in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        side = start + (end - start) * share
        inner, outer = (np.median(grey_of(sample(image, centre + (side - centre) * by))) for by in _BESIDE)
        if inner - outer < _DARKER:
            return False
    return True


def _corners_held(middles: list[Points], corners: Points) -> NDArray[np.intp]:
    """Which of the ``corners`` (4, 2) are the nearest to one of the ``middles``."""
    at = np.array(middles).reshape(-1, 1, 2)
    return np.unique(np.linalg.norm(at - corners, axis=2).argmin(axis=1)) if len(middles) else np.zeros(0, np.intp)


def _corners_of(w: int, h: int) -> Points:
    return np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)


def _flat(pixels: Pixels, corners: Points | None) -> tuple[Plane, NDArray[np.float64]]:
    """The sheet laid flat, linear (h, w, C), at most so many px long, and the mapping from it back to the pixels."""
    h, w = pixels.shape[:2]
    if corners is None:
        corners = _corners_of(w, h)
    wide, high = sheet_size(corners, (w, h), "seen")
    scale = min(_LONG / max(wide, high, 1.0), 1.0)
    size = max(round(wide * scale), 1), max(round(high * scale), 1)
    flat = np.array([[0, 0], [size[0], 0], [size[0], size[1]], [0, size[1]]], np.float32)
    back = np.asarray(cv2.getPerspectiveTransform(flat, np.asarray(corners, np.float32)), np.float64)
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    smooth = cv2.blur(pixels, (max(round(1 / scale), 1),) * 2)
    seen = cv2.warpPerspective(
        smooth, np.linalg.inv(shift) @ back @ shift, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return linear_light(seen), back


def _colours(sheet: Plane) -> tuple[Plane, Plane, Plane]:
    """Natural logs of red and of green against blue, and of grey, all beside the paper's."""
    logs = np.log(np.maximum(sheet, np.float32(1e-3)))
    grey = np.log(np.maximum(grey_of(sheet), np.float32(1e-3)))
    light = grey >= np.median(grey)
    tan, green = logs[..., 0] - logs[..., 2], logs[..., 1] - logs[..., 2]
    return tan - np.median(tan[light]), green - np.median(green[light]), grey - np.float32(np.median(grey[light]))


def _tan(tan: Plane, green: Plane, grey: Plane) -> NDArray[np.bool_]:
    """Where a tape's colour is."""
    hue = (tan > _TAN) & (tan < _TANNEST) & (green > _GREEN[0] * tan) & (green < _GREEN[1] * tan)
    return np.asarray(hue & (grey > np.log(_LIGHT)))


def _pieces(mask: NDArray[np.bool_], tan: Plane, grey: Plane) -> list[_Piece]:
    """What in the ``mask`` touches the border and is shaped like a strip's end."""
    h, w = mask.shape
    filled = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_CLOSE, _BOX5)
    out = []
    # A rim as thin as a line, where the table's colour runs into the paper's, would join them.
    broad = cv2.morphologyEx(filled, cv2.MORPH_OPEN, _BOX5)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(broad, connectivity=4)
    for k in range(1, count):
        x, y, bw, bh, area = stats[k].tolist()
        if not _SMALL * mask.size < area < _LARGE * mask.size or (
            x > 1 and y > 1 and x + bw < w - 1 and y + bh < h - 1
        ):
            continue
        own = (cv2.dilate((labels == k).astype(np.uint8), _BOX5) & filled) > 0
        level = float(np.median(tan[own]))
        piece = _shaped(own & (tan > level / 2), tan, grey, level)
        if piece is not None:
            out.append(piece)
    return out


def _shaped(own: NDArray[np.bool_], tan: Plane, grey: Plane, level: float) -> _Piece | None:
    """A candidate as a piece of tape, None if it is not shaped like one, not even, or not crisp."""
    h, w = own.shape
    whole = cv2.morphologyEx(own.astype(np.uint8), cv2.MORPH_OPEN, _BOX3)
    outlines, _ = cv2.findContours(whole, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not outlines:
        return None
    outline = max(outlines, key=cv2.contourArea)
    area = float(cv2.contourArea(outline))
    hull = cv2.approxPolyDP(cv2.convexHull(outline), 1.0, True)  # few sides are quickly filled
    if area < _SMALL * own.size or area < _SOLID * cv2.contourArea(hull):
        return None
    inner = np.zeros(own.shape, np.uint8)
    cv2.drawContours(inner, [outline], -1, 1, cv2.FILLED)
    core = cv2.erode(inner, _BOX5, borderValue=1) > 0
    if not core.any() or grey[core].std() > _EVEN or tan[core].std() > _EVEN:
        return None
    if _straight(outline[:, 0].astype(np.float64), w, h, area) < _STRAIGHT:
        return None
    size = 2 * _CRISP_PX + 3
    beyond = (cv2.dilate(inner, np.ones((size, size), np.uint8)) > 0) & (cv2.dilate(inner, _BOX3) == 0)
    if not beyond.any() or float(np.median(tan[beyond])) > 0.4 * level:
        return None
    middle = np.argwhere(inner).mean(axis=0)[::-1]
    return _Piece(hull[:, 0].astype(np.float64) + 0.5, int(area), level, float(np.median(grey[core])), middle)


def _straight(outline: Points, w: int, h: int, area: float) -> float:
    """Which share of an outline (n, 2), as far as it lies on the sheet, runs straight for long."""
    poly = np.asarray(cv2.approxPolyDP(outline.astype(np.float32)[:, None], 1.6, True), np.float64)[:, 0]
    ends = np.roll(poly, -1, axis=0)
    long = np.linalg.norm(ends - poly, axis=1)
    on_border = np.zeros(len(poly), bool)
    for axis, last in ((0, w - 1), (1, h - 1)):
        for edge in (0, last):
            on_border |= (np.abs(poly[:, axis] - edge) <= 2) & (np.abs(ends[:, axis] - edge) <= 2)
    on_sheet = long[~on_border]
    if not len(on_sheet):
        return 0.0
    return float(on_sheet[on_sheet > max(12.0, 0.4 * area**0.5)].sum() / on_sheet.sum())


def _alike(one: _Piece, pieces: list[_Piece]) -> list[_Piece]:
    return [
        other
        for other in pieces
        if abs(np.log(other.tan / one.tan)) < _ALIKE_TAN and abs(other.grey - one.grey) < _ALIKE_GREY
    ]


def _elsewhere(mask: NDArray[np.bool_], tan: Plane, grey: Plane, pieces: list[_Piece], even: bool) -> int:
    """How many px elsewhere on the sheet have the pieces' colour; of areas only that are as ``even``, if so."""
    own = np.zeros(mask.shape, np.uint8)
    for one in pieces:
        cv2.fillConvexPoly(own, np.rint(one.hull).astype(np.int32), 1)
    level, tone = float(np.mean([one.tan for one in pieces])), float(np.mean([one.grey for one in pieces]))
    beside = mask & (cv2.dilate(own, np.ones((9, 9), np.uint8)) == 0)
    same = beside & (np.abs(np.log(np.maximum(tan, 1e-3) / level)) < _ALIKE_TAN) & (np.abs(grey - tone) < _ALIKE_GREY)
    if even:
        same &= ~_uneven(beside, tan)
    return int(cv2.countNonZero(cv2.morphologyEx(same.astype(np.uint8), cv2.MORPH_OPEN, _BOX3)))


def _uneven(mask: NDArray[np.bool_], tan: Plane) -> NDArray[np.bool_]:
    """Of the areas in a ``mask`` those whose tan varies away from their rims more than any tape's does."""
    own = mask.astype(np.uint8)
    count, labels = cv2.connectedComponents(own, connectivity=4)
    inner = cv2.erode(own, _BOX5) > 0
    which, values = labels[inner], tan[inner]
    many = np.maximum(np.bincount(which, minlength=count), 1)
    mean, square = (np.bincount(which, each, count) / many for each in (values, values * values))
    out = np.sqrt(np.maximum(square - mean * mean, 0)) > _POOLS
    out[0] = False
    return np.asarray(out[labels])
