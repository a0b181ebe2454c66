"""A sheet cut along its crisp edges into even areas, on cells of a few pixels."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import reduce

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.border import border_of
from woad.core.raster.channels import grey_of, highest

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

BOX3 = np.ones((3, 3), np.uint8)
_TELLS = 3.2  # times as steep as the paper's noise
# Over what reach a slope is told: the mean of 9 px, twice.
_WIDER = np.convolve(np.full(9, 1 / 9), np.full(9, 1 / 9)).astype(np.float32)
_CRISP = 0.35  # share of an edge's steepness at half the size that it has at full size: a shadow's soft edge has less
_CELLS, _FEW = 300, 180  # cells along the longer side; for a first look


@dataclass(frozen=True, eq=False)
class Cells:
    """``tone`` (gh, gw, C) mean log light, ``top`` (gh, gw) the lightest grey in and beside a cell, ``labels``
    (gh, gw) of areas, 0 where an edge runs; ``count`` of labels; ``boxes`` (count, 4) x, y, w, h around each."""

    tone: Plane
    top: Plane
    labels: NDArray[np.int32]
    count: int
    boxes: NDArray[np.int32]


def cut(logs: Plane) -> Cells:
    """Cut the sheet into areas along its crisp edges."""
    h, w = logs.shape[:2]
    half = (w // 2, h // 2)
    with ThreadPoolExecutor(1) as beside:
        # A pale wash's edge is lost in the noise of single pixels, but not among pixels twice as large.
        halved = beside.submit(lambda: _steepness(_resized(logs, half)))
        fine = _steepness(logs)
        coarse = halved.result()
    edges = (fine > _least(fine)).astype(np.float32)
    here = cv2.resize(fine, half, interpolation=cv2.INTER_AREA)
    faint = (coarse > _least(coarse)) & (here > _CRISP * coarse)
    faint = cv2.resize(faint.astype(np.float32), (w, h), interpolation=cv2.INTER_NEAREST)
    edges = cv2.max(edges, faint)
    factor = max(1, round(max(h, w) / (_CELLS if max(h, w) > 700 else _FEW)))
    gh, gw = max(1, h // factor), max(1, w // factor)
    crisp = cv2.resize(edges, (gw, gh), interpolation=cv2.INTER_AREA) > 0.3
    tone = _resized(logs, (gw, gh))
    free = (~crisp).astype(np.uint8)
    # A faint edge has gaps: areas hang together only where the way is three cells wide.
    count, labels, stats, _ = cv2.connectedComponentsWithStats(cv2.erode(free, BOX3), connectivity=4)
    rim = cv2.dilate(labels.astype(np.float32), BOX3).astype(np.int32)
    labels = np.where((labels == 0) & (free > 0), rim, labels)
    calm = cv2.GaussianBlur(grey_of(logs), (0, 0), 0.9)[: gh * factor, : gw * factor]
    # Block by block is what NumPy is slow at: pixel by pixel of a block, over all blocks.
    parts = [np.ascontiguousarray(calm[y::factor, x::factor]) for y in range(factor) for x in range(factor)]
    top = cv2.dilate(reduce(cv2.max, parts), BOX3)
    boxes = np.asarray(stats[:, :4] + (-1, -1, 2, 2), np.int32)  # with the rim
    return Cells(tone, np.asarray(top, np.float32), np.asarray(labels, np.int32), count, boxes)


def _resized(logs: Plane, size: tuple[int, int]) -> Plane:
    small = cv2.resize(logs, size, interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.float32).reshape(size[1], size[0], logs.shape[2])


def _steepness(logs: Plane) -> Plane:
    """How steep the edges in ``logs`` (h, w, C) are, (h, w), natural log per pixel, in the steepest channel, which shows an
    edge best; noise is the same in all. Less the slope over a wider reach: a shadow's edge is as steep there, a wash's is
    not."""
    soft = cv2.subtract(cv2.GaussianBlur(logs, (0, 0), 1.2), cv2.sepFilter2D(logs, -1, _WIDER, _WIDER))
    dx, dy = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=0.125)
    return highest(cv2.magnitude(dx, dy).reshape(logs.shape))


def _least(steep: Plane) -> float:
    """How steep an edge is at least, by how ``steep`` the paper's noise is."""
    return float(np.clip(_TELLS * float(np.percentile(steep[::2, ::2], 40)), 0.007, 0.05))


def along_rim(cells: Cells) -> NDArray[np.float64]:
    """The share of the sheet's rim that each area runs along, (count,); that of edges, 0, as well."""
    rim = border_of(cells.labels)
    return np.asarray(np.bincount(rim, minlength=cells.count) / rim.size)


def relit(cells: Cells, light: Plane) -> Cells:
    """The same areas without a smooth log ``light`` (gh, gw, C)."""
    return replace(cells, tone=cells.tone - light, top=cells.top - grey_of(light))


def without(cells: Cells, foreign: Mask) -> Cells:
    """The same areas without what lies in ``foreign`` (any grid over the sheet), which belongs to none then."""
    if not foreign.any():
        return cells
    size = (cells.labels.shape[1], cells.labels.shape[0])
    there = cv2.resize(foreign.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    return replace(cells, labels=np.where(there, 0, cells.labels).astype(np.int32))


def quantile(cells: Cells, values: Plane, share: float) -> NDArray[np.float64]:
    """The given quantile of ``values`` per area, to a hundredth of a tolerance, from a histogram of each area."""
    bins, low, high = 640, -0.7, 0.1
    at = np.clip((values.ravel() - low) * (bins / (high - low)), 0, bins - 1).astype(np.int64)
    counts = np.bincount(cells.labels.ravel() * bins + at, minlength=cells.count * bins).reshape(cells.count, bins)
    total = np.cumsum(counts, axis=1)
    first = np.argmax(total >= np.maximum(share * total[:, -1:], 1), axis=1)
    return np.asarray(low + (first + 0.5) * ((high - low) / bins), np.float64)
