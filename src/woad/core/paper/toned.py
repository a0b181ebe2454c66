"""Toned paper with light marks on it: they are taken out before the light is looked for, which else would rise to them."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.light_places import light_places
from woad.core.raster.means import mean_of
from woad.core.raster.surfaces import low_basis, solved

Plane = NDArray[np.float32]

_ENOUGH_PX = 160  # long side on which the paper's tone shows
_RIM = 0.03  # share of the longer side
_GIVE = (0.4, 0.25, 0.15, 0.1, 0.08, 0.08)  # natural log, how far paper may lie off its tone, round by round
_MOST, _RIM_MOST, _EVEN = 0.5, 0.7, 0.03  # share of the sheet, and of its rim, that has it; its deviation, natural log
# Share of the rim where paper is hardly seen elsewhere, and of the sheet that is lighter then, at most.
_BORDER, _FRAMED = 0.9, 0.2
_LIGHTER, _SPECK = 0.2, 0.0005  # natural log that a share of the sheet lies above it, if there are light marks
_AROUND = 0.1  # of the longer side (sigma): paper that tells what light lies on a mark
_AROUND_PX, _ENCLOSED = np.ones((11, 11), np.uint8), 0.6  # what is around a place, and the share of it that is paint
_GROWN = np.ones((5, 5), np.uint8)


def without_light_marks(logs: Plane, guide: Plane) -> Plane:
    """Log light (h, w, C) of a reduced sheet, and its ``guide`` (h, w), with its light marks filled with the paper around
    them; the very same without any.

    Paper is what most of the sheet and most of its rim are, in one even tone: paint that covers all of a sheet is not as
    even, and paper that it leaves open is not all inside. Nearly all of the rim alone is the border of a painting, unless so
    much is lighter that it is a sheet on a table.
    """
    toned = _paper_tone(guide)
    if toned is None:
        return logs
    tone, border_only = toned
    above = guide - tone
    found = None if border_only else light_places(np.exp(above))
    if found is not None:
        where = cv2.dilate(found[0].astype(np.uint8), _GROWN)
    else:  # other paint may lie all around its whites: they are known by being lighter than paper alone
        where = (cv2.blur(above, (5, 5)) > _GIVE[-1]).astype(np.uint8)
        if not border_only:
            where = _within_paint(where, above)
            if not where.any():
                return logs
    marks = cv2.dilate(where, _GROWN)
    step = max(1, max(marks.shape) // _ENOUGH_PX)
    small = np.asarray(above[::step, ::step], np.float32)
    told = ((np.abs(small) < _GIVE[-1]) & (marks[::step, ::step] == 0)).astype(np.float32)
    around, _ = mean_of(logs[::step, ::step] - tone[::step, ::step, None], told, _AROUND * max(small.shape))
    wide = cv2.resize(around, marks.shape[::-1], interpolation=cv2.INTER_LINEAR).reshape(logs.shape)
    return np.where(marks[..., None] > 0, tone[..., None] + wide, logs)


def _within_paint(light: NDArray[np.uint8], above: Plane) -> NDArray[np.uint8]:
    """What of the ``light`` places has other paint all around, (h, w) 0 or 1; ``above`` (h, w) natural log over paper. It
    touches no paper that could tell it from glare, but glare ends in no such edge."""
    count, labels = cv2.connectedComponents(light, connectivity=8)
    around = cv2.dilate(labels.astype(np.float32), _AROUND_PX).astype(np.int32)
    around[light > 0] = 0
    ring = np.bincount(around.ravel(), minlength=count)
    paint = np.bincount(around[cv2.blur(above, (3, 3)) < -_GIVE[-1]], minlength=count)
    inside = paint > _ENCLOSED * ring
    inside[0] = False
    return np.asarray(inside[labels], np.uint8)


def rim_colour(logs: Plane) -> tuple[float, ...]:
    """The usual colour of a reduced sheet's rim, linear (C,), from its log light (h, w, C)."""
    small = _sampled(logs)
    return tuple(float(v) for v in np.exp(np.median(small[_rim(small)], axis=0)))


def _sampled(plane: Plane) -> Plane:
    """A plane (h, w, ...) on as many pixels as tell the paper's tone."""
    step = max(1, max(plane.shape[:2]) // _ENOUGH_PX)
    return np.ascontiguousarray(plane[::step, ::step])


def _rim(plane: Plane) -> NDArray[np.bool_]:
    """Where the rim of a plane (h, w, ...) is, (h, w)."""
    rim = np.ones(plane.shape[:2], bool)
    edge = max(1, round(_RIM * max(rim.shape)))
    rim[edge:-edge, edge:-edge] = False
    return rim


def _paper_tone(guide: Plane) -> tuple[Plane, bool] | None:
    """The paper's tone (h, w) as a smooth surface, and whether it is that of a border only, if the sheet is toned paper with
    something lighter on it, else None."""
    h, w = guide.shape
    small = _sampled(guide)
    rim = _rim(small)
    middle = float(np.median(small[rim]))
    lighter = float((small > middle + _LIGHTER).mean())
    if lighter < _SPECK:
        return None
    everywhere = np.ones(small.shape, bool)
    for border_only, told, most, held in ((False, everywhere, _MOST, _RIM_MOST), (True, rim, _BORDER, _BORDER)):
        off = None if border_only and lighter > _FRAMED else _off_tone(small, middle, told, most)
        if off is None:
            continue
        paper = (np.abs(off) < _GIVE[-1]) & told
        if float(paper[rim].mean()) >= held and float(off[paper].std()) <= _EVEN:
            return np.asarray(cv2.resize(small - off, (w, h), interpolation=cv2.INTER_LINEAR), np.float32), border_only
    return None


def _off_tone(small: Plane, middle: float, told: NDArray[np.bool_], most: float) -> Plane | None:
    """How far a sheet (h, w) lies off a smooth surface through what is near ``middle`` of the places ``told``; None if that
    is less than ``most`` of them."""
    basis = low_basis(small.shape)
    off = small - middle
    for give in _GIVE:
        near = (np.abs(off) < give) & told
        if float(near[told].mean()) < most:
            return None
        off = small - (basis @ solved(basis, small, near.astype(np.float32)))[..., 0]
    return np.asarray(off, np.float32)
