"""Readings of the finished edges, taken at full size on a few places rich in edges."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.edge.shape import lost_parts
from woad.core.knockout.fringe import fringe_pixels
from woad.core.raster.tiles import Region
from woad.core.render.automatic import automatic_cut
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet

_CROP_PX, _CROPS = 320, 4


@dataclass(frozen=True)
class EdgeReading:
    """``fringe`` share of edge pixels that no mixture of mark and ground makes, ``lost`` parts that the choke takes
    whole, ``move_px`` mean move of edges (outwards above zero) and ``width_px`` their width, at full size."""

    fringe: float = 0.0
    lost: int = 0
    move_px: float = 0.0
    width_px: float = 0.0


def read_edges(sheet: Sheet, docket: Docket) -> EdgeReading:
    """The finished edges, read on the sheet's edge-rich places."""
    if not docket.knockout.on:
        return EdgeReading()
    edge = fringe = lost = 0
    moved = length = steep = count = 0.0
    reshaped = docket.edge.acts() or bool(docket.edge.touches)
    choke = max(-docket.edge.move_px(sheet.ppi), 0.0)
    for box in _places(sheet, docket):
        before = render_region(sheet, docket, "knockout", 0, box)
        after = render_region(sheet, docket, "edge", 0, box) if reshaped else before
        if before.alpha is None or after.alpha is None:
            continue
        if not isinstance(after.rgb, tuple):
            hit, near = fringe_pixels(after.rgb, after.alpha)
            fringe += int(np.count_nonzero(hit))
            edge += near
        if reshaped:
            lost += cv2.connectedComponents(lost_parts(before.alpha, after.alpha, choke))[0] - 1
            moved += (float(after.alpha.sum(dtype=np.float64)) - float(before.alpha.sum(dtype=np.float64))) / 255
            length += _length(before.alpha)
        slope = _slopes(after.alpha)
        steep += float(slope.sum())
        count += slope.size
    width = count / steep if steep else 0.0
    return EdgeReading(fringe / edge if edge else 0.0, lost, moved / length if length else 0.0, width)


def _places(sheet: Sheet, docket: Docket) -> list[Region]:
    """Boxes of the full-size sheet where edges are most."""
    level = sheet.pyramid.level_for(700)
    w, h = sheet.pyramid.size(level)
    alpha = automatic_cut(sheet, docket, level, Region(0, 0, w, h)).alpha
    if alpha is None:
        return []
    edges = cv2.morphologyEx(alpha, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)).astype(np.float32)
    full_w, full_h = sheet.pyramid.size(0)
    columns, rows = max(1, full_w // _CROP_PX), max(1, full_h // _CROP_PX)
    cells = cv2.resize(edges, (columns, rows), interpolation=cv2.INTER_AREA).reshape(rows, columns)
    out = []
    for flat in np.argsort(cells, axis=None)[::-1][:_CROPS].tolist():
        row, column = divmod(flat, columns)
        out.append(Region(column * _CROP_PX, row * _CROP_PX, _CROP_PX, _CROP_PX).clip(full_w, full_h))
    return out


def _length(alpha: NDArray[np.uint8]) -> float:
    """Length of the edges, px: the total variation of coverage."""
    a = alpha.astype(np.float32) / 255
    return float(np.hypot(np.diff(a, axis=1)[:-1], np.diff(a, axis=0)[:, :-1]).sum())


def _slopes(alpha: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Steepest change per px at each edge, taken where coverage passes one half."""
    a = alpha.astype(np.float32) / 255
    dx, dy = np.abs(np.diff(a, axis=1)[:-1]), np.abs(np.diff(a, axis=0)[:, :-1])
    inside = a[:-1, :-1] >= 0.5
    crossing = (inside != (a[:-1, 1:] >= 0.5)) | (inside != (a[1:, :-1] >= 0.5))
    slope = np.hypot(dx, dy)[crossing]
    return np.asarray(np.minimum(slope[slope > 0.25], 1), np.float32)
