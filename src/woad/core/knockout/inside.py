"""Where a painting is painted, whatever its tone: pale paint inside a shape is paint, bare paper inside it is not."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.fading import find_fading, read_rims, without_veils
from woad.core.knockout.openings import painted_openings
from woad.core.knockout.painted import OVER, find_painted
from woad.core.knockout.tatters import find_tatters
from woad.core.raster.means import mean_of

Plane = NDArray[np.float32]
Mask = NDArray[np.uint8]

_LEAST = 0.014  # encoded difference from paper that is surely paint over a few pixels
_DEEP = 0.12  # difference of a deep stroke
_BESIDE, _IN_REACH = 5.0, 0.01  # cells (sigma) over which paint's inside tells its depth, and the least weight of it
_BOX3 = np.ones((3, 3), np.uint8)
_BOX5 = np.ones((5, 5), np.uint8)
_BOX9 = np.ones((9, 9), np.uint8)
_BOX13 = np.ones((13, 13), np.uint8)


def find_inside(
    missing: Plane, floor: float, light: Plane, lighter: Plane | None = None, evened: Plane | None = None
) -> Plane:
    """How surely each place lies inside paint, away from its rim, how surely within reach of such a place, and how much it
    may cover where paint fades out: 0..1, (h, w, 3) float32.

    ``missing`` (h, w) encoded lightness that the darkest channel lacks to paper, reduced sheet, below 0 where that is
    lighter; ``floor`` what paper's noise does not reach there; ``light`` (h, w, C) paper's tone as it was estimated;
    ``lighter`` (h, w) by how much the lightest channel is lighter than paper, encoded: beside strong colours a lossy file
    makes paper unquiet, which shows on that side of its tone as well, where no paint lies; ``evened`` (h, w, C) linear, paper 1,
    tells washes by their hue. Areas that paint encloses count when their mean differs from paper at all, which shows far
    below the noise of single pixels, when it is clearly lighter, as white paint's on toned paper, or when what was taken for
    paper in them has another colour than outside.
    """
    above, missing = np.maximum(-missing, 0), np.maximum(missing, 0)
    deep = (missing > _DEEP).astype(np.uint8)
    least = max(_LEAST, 0.8 * floor)
    paint = find_painted(missing, deep, least, lighter)
    rims = read_rims(missing, paint, least)
    clearer = without_veils(missing, paint, least, rims)
    if clearer is not paint:
        paint, rims = clearer, read_rims(missing, clearer, least)
    tatters = find_tatters(missing, paint, deep, least)
    own = painted_openings(missing, above, paint, deep, light, rims.soft)
    if own is not None:
        paint = np.maximum(paint, own)
        rims = rims.without(paint)
    # Beside deep paint the rim is its blur, too, and wide; pale paint by itself begins right within its edge.
    inner = cv2.erode(paint, _BOX9)
    alone = _half_as_deep(missing, paint, inner) & (1 - cv2.dilate(deep, _BOX13))
    near = cv2.max(cv2.dilate(inner, _BOX13), cv2.dilate(alone, _BOX9))
    core = cv2.GaussianBlur(cv2.max(inner, alone).astype(np.float32), (0, 0), 0.8)
    fading = find_fading(missing, paint, least, rims, evened)
    if tatters is not None:
        fading = np.minimum(fading, tatters)
    return np.asarray(np.dstack([core, near.astype(np.float32), fading]), np.float32)


def _half_as_deep(missing: Plane, paint: Mask, inner: Mask) -> Mask:
    """Of pale paint what is half as deep as its inside close by, without its outermost cells: where paper beside it is
    darker than it was taken for, paint seems to go on."""
    told = inner.astype(np.float32)
    own, weight = mean_of(missing, told, _BESIDE)
    half = paint & (cv2.GaussianBlur(missing, (0, 0), OVER[0]) > 0.5 * own) & (weight > _IN_REACH)
    half = cv2.morphologyEx(half, cv2.MORPH_CLOSE, _BOX5) & paint  # mottled paint has its holes
    return np.asarray(cv2.erode(half, _BOX3))
