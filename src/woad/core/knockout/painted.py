"""Where paint is seen on a sheet, however pale: by single cells where it is deep, by the mean of a few where it is not."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.openings import PAINTED_IN_DEEP, least_in
from woad.core.raster.means import mean_of
from woad.core.raster.nearest import nearest_of

Plane = NDArray[np.float32]
Mask = NDArray[np.uint8]
Where = NDArray[np.bool_]

OVER = 1.2, 3.0  # cells (sigma) over which means are taken
_NO_BLUR = 0.7  # share of the deepest beside it from which a cell is not just what blurs from there
_WIDE, _CLOSE = 0.9, 0.3  # share of the least difference in the wide mean, and in the other one with it
_LANE, _LANE_SHARE = 2.0, 0.3  # of the least difference, and of its sides', that a lane between washes may have
_BANKS = 4.0  # times the least difference that both sides of a bay of paper have
_CROWD = 12  # cells of paper that must hang together to count: fewer are the thin spots of a brush stroke
_TIP = 24  # cells of an opening between deep strokes up to which it is no gap in a painting that has pale paint
_NO_PALE = 3e-4  # broad areas of pale paint, as a share of deep paint, up to which a sheet has none
_OPEN = 0.05  # difference of the lightest cell of a tiny opening up to which it may be paper, blurred
_GAP_CELLS, _FEW = 400, 6  # cells of a small gap between deep strokes at most; and of those in it that tell at least
_FAR = 15.0  # cells over which a place near deep paint takes after one that can be told
# Cells (sigma) over which noise beside paint is told; how many times its mean on paper's lighter side pale paint stands above
# it; and what is lighter by more than noise makes.
_AROUND, _ABOVE_NOISE, _NO_NOISE = 4.0, 3.0, 0.05
_OF_STEP = 0.3  # share of the deepest close by that this is at most
_NO_ROOM = 0.012  # of lightness above paper, that there is at most when that is pure white
# Mean of noise's one side over all, for its spread without the other (half a Gaussian).
_OF_SPREAD = 0.4 / 0.58
_BOX3 = np.ones((3, 3), np.uint8)
_BOX5 = np.ones((5, 5), np.uint8)
_BOX9 = np.ones((9, 9), np.uint8)
_BOX17 = np.ones((17, 17), np.uint8)


def find_painted(missing: Plane, deep: Mask, floor: float, lighter: Plane | None) -> Mask:
    """Where paint is seen, 0 or 1: deep paint by itself; pale paint by the mean of a few cells that no deep paint blurs
    into. What lies too near deep paint to tell is as the nearest place that can be told, if that is not far: a tip of pale
    paint between deep strokes goes with its paint, a narrow gap between them stays open."""
    # Cells that are nearly as deep as the deepest beside them are no blur of it: even paint that is just as deep by its noise.
    blurred = (cv2.dilate(deep, _BOX3) > 0) & (missing < _NO_BLUR * cv2.dilate(missing, _BOX3))
    told = 1 - np.maximum(deep, blurred).astype(np.float32)
    least = np.float32(floor) if lighter is None else _over_noise(missing, lighter, told, floor)
    around, wide = (mean_of(missing, told, sigma)[0] / least for sigma in OVER)
    # Streaks of thick white paint come down nearly to paper's tone; the mean over more cells tells it from paper all the
    # same, and what is paper beside a wash has none of it close by.
    pale = (told > 0) & ((around > 1) | ((wide > _WIDE) & (around > _CLOSE)))
    # A lane of paper between two washes takes on some of theirs.
    pale &= (around > _LANE) | (around > _LANE_SHARE * cv2.morphologyEx(around, cv2.MORPH_CLOSE, _BOX9))
    paper = (told > 0) & ~pale
    _, pieces, stats, _ = cv2.connectedComponentsWithStats(paper.astype(np.uint8), connectivity=8)
    paper &= stats[pieces, cv2.CC_STAT_AREA] >= _CROWD
    bay = _bays(missing, paper, least)
    paper, pale = paper | bay, pale & ~bay
    away, nearest = nearest_of(paper | pale)
    near = away <= _FAR
    close_to = tuple(near & kind.ravel()[nearest] for kind in (pale, paper))
    stroke, gap = _in_small_openings(missing, deep, told > 0, (pale, paper), close_to)
    return np.asarray((deep > 0) | ((close_to[0] | stroke) & ~gap), np.uint8)


def _in_small_openings(
    missing: Plane, deep: Mask, tells: Where, found: tuple[Where, Where], close_to: tuple[Where, ...]
) -> tuple[Where, Where]:
    """Where openings in ``deep`` paint are pale paint's as a whole, and where they are paper's. Of what was ``found`` pale
    paint and paper where it ``tells``, and of what lies ``close_to`` each of them."""
    count, openings, stats, _ = cv2.connectedComponentsWithStats(1 - deep, connectivity=8)
    size = stats[:, cv2.CC_STAT_AREA]
    small = size < _GAP_CELLS
    told_pale, told_paper, by_pale, by_paper = (
        np.bincount(openings[kind], minlength=count) for kind in (*found, *close_to)
    )
    # An opening in which nothing but pale paint can be told is a stroke of it, to its last tip; and a tip that dry brush
    # has cut off is one, too. A small opening is one thing: what most of it is.
    bare = (by_paper > by_pale) & (np.bincount(openings[missing < _OPEN], minlength=count) > 0)
    # Where nothing pale is painted, as in a block print, flecks within deep paint are paper.
    has_pale = cv2.erode(found[0].astype(np.uint8), _BOX5).sum() > _NO_PALE * deep.sum()
    tip = has_pale & (size < _TIP) & ~bare
    stroke = (told_paper == 0) & ((told_pale > 0) | tip) | small & (told_pale > told_paper)
    stroke[0] = False
    # A small gap between deep strokes may hold too few cells of paper to hang together: their mean tells.
    seen = np.bincount(openings[tells], minlength=count)
    mean = np.bincount(openings[tells], weights=missing[tells], minlength=count) / np.maximum(seen, 1)
    gap = small & (seen >= _FEW) & (mean < least_in(seen, PAINTED_IN_DEEP))
    gap |= small & (told_paper > told_pale)
    return stroke[openings], gap[openings]


def _over_noise(missing: Plane, lighter: Plane, told: Plane, least: float) -> Plane:
    """The ``least`` difference that pale paint stands out by, (h, w): more where paper is unquiet, as far as it can be
    ``told``."""
    noise = np.maximum(lighter, 0)
    noise[cv2.blur(noise, (3, 3)) > _NO_NOISE] = 0
    unquiet = mean_of(noise, told, _AROUND)[0]
    seen = told > 0
    if seen.any() and float(np.percentile(lighter[seen], 99)) < _NO_ROOM:
        # Paper that is white already has no lighter side: what a lossy file does beside edges is darker only, and as much
        # off its own mean as it is off the paper.
        mean, square = (mean_of(plane, told, _AROUND)[0] for plane in (missing, missing * missing))
        spread = np.sqrt(np.maximum(square - mean * mean, 0))
        beside = cv2.dilate(1 - told, _BOX17) > 0
        unquiet = np.where(beside, np.maximum(unquiet, np.float32(_OF_SPREAD) * spread), unquiet)
    # What a lossy file or sharpening makes of an edge is a small share of its step: pale paint makes little of either.
    most = _OF_STEP * cv2.dilate(missing, _BOX17)
    return np.asarray(np.maximum(np.minimum(_ABOVE_NOISE * unquiet, most), np.float32(least)), np.float32)


def _bays(missing: Plane, paper: Where, least: np.float32 | Plane) -> Where:
    """Where ``paper`` runs out between two strokes, too narrow for a mean: its cells are still of paper's own tone, which
    blur could only darken, while paint on both sides is not."""
    banks = cv2.morphologyEx(missing, cv2.MORPH_CLOSE, _BOX9) > _BANKS * least
    bare = (missing < least) & banks
    _, pieces = cv2.connectedComponents((bare | paper).astype(np.uint8), connectivity=8)
    goes_on = np.zeros(int(pieces.max()) + 1, bool)
    goes_on[pieces[paper]] = True
    return np.asarray(bare & goes_on[pieces])
