"""Full-size parts of a scan that are looked at closely, chosen on a reduced level."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of
from woad.core.raster.pyramid import Pyramid
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import encoded_shares

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

LOOK_PX, PART_PX = 900, 256
_BUSY, _CALM = 8, 5  # parts that are taken
SPREAD_PX, _SPREAD = 192, 3  # side of parts that are spread over a scan, and how many each way


def inside_of(corners: NDArray[np.float64] | None, shape: tuple[int, int], px: float) -> Mask:
    """Where a sheet lies, a little within its sides, on a level of that ``shape`` whose pixels are ``px`` large; everywhere
    when no ``corners`` (4, 2) are known, in pixels of the scan."""
    if corners is None:
        return np.ones(shape, bool)
    points = corners / px
    centre = points.mean(axis=0)
    mask = np.zeros(shape, np.uint8)
    cv2.fillConvexPoly(mask, np.round(centre + (points - centre) * 0.97).astype(np.int32), 1)
    return mask > 0 if mask.any() else np.ones(shape, bool)


def busiest_parts(scan: Pyramid, corners: NDArray[np.float64] | None = None) -> list[Plane]:
    """Grey parts of the scan, or of the sheet between its ``corners``, 0..1, that are richest in edges."""
    level = scan.level_for(LOOK_PX)
    seen = encoded_shares(scan.whole(level))
    busy, _ = places_of(scan, seen, inside_of(corners, seen.shape[:2], float(1 << level)), level)
    return grey_parts(scan, busy)


def spread_parts(scan: Pyramid) -> list[Region]:
    """Full-size places that are rich in edges, one of each ninth of the scan."""
    level = scan.level_for(LOOK_PX)
    px = 1 << level
    slope = _slope(grey_of(encoded_shares(scan.whole(level))))
    step = max(1, SPREAD_PX // px)
    columns, rows = max(1, slope.shape[1] // step), max(1, slope.shape[0] // step)
    busy = np.asarray(cv2.resize(slope, (columns, rows), interpolation=cv2.INTER_AREA)).reshape(rows, columns)
    out = []
    for down in np.array_split(np.arange(rows), min(rows, _SPREAD)):
        for along in np.array_split(np.arange(columns), min(columns, _SPREAD)):
            row, column = divmod(int(busy[np.ix_(down, along)].argmax()), len(along))
            x, y = (int(i) * step * px for i in (along[column], down[row]))
            out.append(Region(x, y, SPREAD_PX, SPREAD_PX).clip(scan.width, scan.height))
    return out


def _slope(grey: Plane) -> Plane:
    return np.asarray(cv2.magnitude(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1)))


def grey_parts(scan: Pyramid, places: list[Region]) -> list[Plane]:
    """Full-size parts of the scan, grey, 0..1."""
    return [grey_of(encoded_shares(scan.read(0, box))) for box in places]


def places_of(scan: Pyramid, seen: Plane, inside: Mask, level: int) -> tuple[list[Region], list[Region]]:
    """Full-size places that are rich in edges, and of calm light paper; ``seen`` (h, w, C) is the scan's ``level``, ``inside``
    (h, w) where its sheet lies."""
    px = 1 << level
    grey = grey_of(seen)
    step = max(1, PART_PX // px)
    columns, rows = max(1, grey.shape[1] // step), max(1, grey.shape[0] // step)

    def cells(plane: Plane) -> Plane:
        return np.asarray(cv2.resize(plane, (columns, rows), interpolation=cv2.INTER_AREA)).reshape(rows * columns)

    busy, light, there = cells(_slope(grey)), cells(grey), cells(inside.astype(np.float32)) > 0.99
    on = np.nonzero(there)[0] if there.any() else np.array([rows // 2 * columns + columns // 2])
    by_edges = on[np.argsort(busy[on])]
    lighter = on[light[on] >= np.percentile(light[on], 50)]
    calm = lighter[np.argsort(busy[lighter])][: max(1, len(lighter) // 2)]
    calm = calm[:: max(1, len(calm) // _CALM)][:_CALM]

    def place(flat: int) -> Region:
        row, column = divmod(flat, columns)
        return Region(column * step * px, row * step * px, PART_PX, PART_PX).clip(scan.width, scan.height)

    return [place(i) for i in by_edges[-_BUSY:].tolist()], [place(i) for i in calm.tolist()]
