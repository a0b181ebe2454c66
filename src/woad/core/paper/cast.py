"""Shadows of a hand or a phone: they come in from outside the sheet, have soft edges of any shape, and no hue of their own.

Within one the light is read from the bare paper around each place. What is drawn does not look like that: a wash begins on
the sheet, or ends in an edge, or has a hue; shading has a grain.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.blocks import spanning
from woad.core.raster.border import border_of
from woad.core.raster.channels import grey_of, highest, lowest
from woad.core.raster.means import mean_of

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

_ENOUGH_PX = 700  # long side on which such a shadow is read
_LOST, _RIM_SHARE = 0.08, 0.04  # light (natural log) that is lost in one; share of the sheet's rim that it takes
_LEAST, _BORDER = 0.03, 0.1  # share of the sheet that it covers; of the sheet's shorter side, along the border
_HARD, _SOFT_SHARE = 0.05, 0.3  # light per px from which an edge is hard; share of its rim that is soft at least
# Px (sigma) over which steepness is told, closely and from afar; by how much it falls where an edge is crisp.
_SEEN, _CRISP = (1.5, 5.0), 1.8
_BARE = 0.75  # share of it that is bare paper at least
_TINTED, _HUED = 0.1, 0.04  # how much channels may differ in it from the light outside, and within it
_STROKE = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (13, 13))
_GRAIN, _PER_SPREAD, _DEEP = 0.05, 4.0, 0.9  # what is that much darker than around, and than the sheet, is a mark
_AROUND, _TOLD = (2.5, 6.0, 15.0, 40.0), 0.02  # px (sigma) that paper is read over; least weight of it
_SURE, _OFF = 0.15, 0.012  # weight from which it is; how far off (natural log) the light that was found may lie
_WANTS, _WANTED = 0.025, 0.06  # light that is wanted, natural log, and from which share of a shadow on
_BESIDE = 24.0  # px beyond its rim over which it passes into the light outside
_CELL = 3  # px of a cell of light
_BOX3, _BOX5, _BOX9 = (np.ones((side, side), np.uint8) for side in (3, 5, 9))


def with_cast(
    grid: Plane, logs: Plane, tone: Plane, lit: Plane, block: int, spread: float, drawn: Mask, crisp: Mask
) -> Plane:
    """Light (gh, gw, C), linear, with what such shadows take that ``grid``, the light as it was found, has not.

    ``logs`` (h, w, C) log light of a reduced sheet; of its blocks of ``block`` px the paper's ``tone`` and how light it would
    be without shadow, ``lit``, and which show soft shading, ``drawn``, (bh, bw) all; ``spread`` the paper's; where edges are
    ``crisp``, any grid over the sheet, as a pale wash's are that is no steeper than a soft shadow's. The cells get as fine
    as these shadows ask for.

    Source: normalized convolution (Knutsson and Westin 1993), from wide to close.
    """
    off = tone - lit
    if float((border_of(off) < -_LOST).mean()) < _RIM_SHARE:
        return grid
    h, w = logs.shape[:2]
    step = max(1, round(max(h, w) / _ENOUGH_PX))
    size = (max(1, w // step), max(1, h // step))
    small = np.asarray(cv2.resize(logs, size, interpolation=cv2.INTER_AREA)).reshape(size[1], size[0], -1)
    grey = grey_of(small)
    surface = cv2.resize(spanning(lit, block, h, w), size, interpolation=cv2.INTER_AREA)
    closed = cv2.morphologyEx(cv2.GaussianBlur(grey, (0, 0), 0.7), cv2.MORPH_CLOSE, _STROKE)
    marks = (grey < closed - max(_GRAIN, _PER_SPREAD * spread)) | (grey < surface - _DEEP)
    shaded = cv2.resize(spanning(drawn.astype(np.float32), block, h, w), size, interpolation=cv2.INTER_AREA) > 0
    told = (1 - cv2.dilate(marks.astype(np.uint8), _BOX3).astype(np.float32)) * ~shaded
    light, weight = mean_of(small, told, _AROUND[0])
    paper = np.where(weight > _TOLD, grey_of(light), closed)
    # Lines are bridged: crisp edges that are left are washes' rims.
    rims = (cv2.resize(crisp.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0) & _crisper(grey)
    rims &= cv2.dilate(marks.astype(np.uint8), _STROKE) == 0
    shadow, other = _shadows(paper - surface, told, light - paper[..., None], shaded, rims)
    if not shadow.any():
        return grid
    away = np.asarray(cv2.distanceTransform((~shadow).astype(np.uint8), cv2.DIST_L2, 3))
    # Under what is drawn, the shadow goes on from the paper around it.
    share = np.maximum(np.clip(1 - away / _BESIDE, 0, 1), other).astype(np.float32)
    found = np.log(cv2.resize(grid, size, interpolation=cv2.INTER_LINEAR)).reshape(small.shape)
    # Beside what is drawn, its blur darkens the paper.
    told = told * (cv2.dilate(other.astype(np.uint8), _BOX9) == 0)
    lacks = _bridged(small - found, told)
    seen = shadow & (told > 0)
    if (np.abs(grey_of(lacks)) > _WANTS)[seen].sum() <= _WANTED * seen.sum():
        return grid  # it is evened well enough, and under marks better than could be told from beside them
    lacks *= share[..., None]
    cells = (max(2, size[0] // _CELL, grid.shape[1]), max(2, size[1] // _CELL, grid.shape[0]))
    fine = cv2.resize(grid, cells, interpolation=cv2.INTER_LINEAR).reshape(cells[1], cells[0], -1)
    more = cv2.resize(lacks, cells, interpolation=cv2.INTER_AREA).reshape(fine.shape)
    return np.asarray(fine * np.exp(more), np.float32)


def _crisper(grey: Plane) -> Mask:
    """Where an edge is much steeper seen closely than from afar, however high it is: a soft one hardly is."""
    close, afar = (cv2.GaussianBlur(grey, (0, 0), sigma) for sigma in _SEEN)
    return np.asarray(_steepness(close) > _CRISP * _steepness(afar))


def _steepness(plane: Plane) -> Plane:
    return np.asarray(np.hypot(*(cv2.Sobel(plane, cv2.CV_32F, x, 1 - x, scale=1 / 8) for x in (1, 0))))


def _bridged(off: Plane, told: Plane) -> Plane:
    """What the paper is ``off`` (h, w, C) the light that was found, where it is ``told``, and across marks; nothing where it
    is hardly off."""
    out = np.zeros_like(off)
    for sigma in reversed(_AROUND):
        mean, weight = mean_of(off, told, sigma)
        out += np.clip(weight / _SURE, 0, 1)[..., None] * (mean - out)
    wants = (np.abs(grey_of(out)) > _OFF).astype(np.float32)
    near = cv2.GaussianBlur(cv2.dilate(wants, _BOX3, iterations=round(2 * _AROUND[0])), (0, 0), _AROUND[0])
    return np.asarray(out * near[..., None], np.float32)


def _shadows(off: Plane, bare: Plane, hue: Plane, shaded: Mask, rims: Mask) -> tuple[Mask, Mask]:
    """Which places lie in such shadows: by how much the paper is ``off`` the light outside, where it is ``bare``, 0..1, and
    its ``hue`` (h, w, C), the channels' difference from grey; not where it is ``shaded`` by hand, nor beyond the ``rims`` of
    washes. And which are something else as dark, or the edge of it."""
    hard = (cv2.dilate((_steepness(off) > _HARD).astype(np.uint8), _BOX5) > 0) | rims
    dark = off < -_LOST
    outside = hue[~dark]
    usual = np.median(outside.reshape(-1, hue.shape[2]), axis=0) if len(outside) else 0
    tint = np.asarray(hue - usual, np.float32)
    # What is drawn in a shadow has edges, and is cut out of it by them.
    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        (dark & ~hard & ~shaded).astype(np.uint8), connectivity=4
    )
    out = np.zeros(off.shape, bool)
    for i in range(1, count):
        if stats[i, cv2.CC_STAT_AREA] < _LEAST * off.size:
            continue
        own = labels == i
        beyond = (cv2.dilate(own.astype(np.uint8), _BOX3) > 0) & ~own
        soft = float((beyond & ~hard).sum()) > _SOFT_SHARE * max(float(beyond.sum()), 1)
        cast = np.median(tint[own], axis=0)
        plain = float(bare[own].mean()) > _BARE and float(np.ptp(cast)) < _TINTED
        if border_of(own).sum() > _BORDER * min(off.shape) and soft and plain:
            apart = np.asarray(tint - cast, np.float32)
            out |= own & (highest(apart) - lowest(apart) < _HUED)  # a pale wash in it has another hue
    return out, hard | shaded | (dark & ~out)
