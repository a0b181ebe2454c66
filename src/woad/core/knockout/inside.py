"""Where a painting is painted, whatever its tone: pale paint inside a shape is paint, bare paper inside it is not."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.fading import find_fading, read_rims, without_veils
from woad.core.knockout.tatters import find_tatters
from woad.core.raster.border import border_of
from woad.core.raster.means import mean_of
from woad.core.raster.nearest import nearest_of
from woad.core.raster.surfaces import low_basis, solved

Plane = NDArray[np.float32]

_LEAST = 0.014  # encoded difference from paper that is surely paint over a few pixels
_SMALL = 0.03  # by how much more in an area of a single cell; it falls with the root of the area
_PAINTED = 0.0035  # by how much more than paper outside an enclosed area lacks in the mean when it is pale paint
_WALLED, _PAINTED_IN_DEEP = 0.9, 0.01  # the same with deep paint around that share of it or more
_ABOVE = 0.05  # by how much lighter than paper an enclosed area is in the mean when it is white paint
_DEEP, _GAP = 0.12, 0.6  # difference of a deep stroke; share of its border that a gap between such strokes has at least
_NO_BLUR = 0.7  # share of the deepest beside it from which a cell is not just what blurs from there
_OVER = 1.2, 3.0  # cells (sigma) over which means are taken
_WIDE, _CLOSE = 0.9, 0.3  # share of the least difference in the wide mean, and in the other one with it
_BESIDE, _IN_REACH = 5.0, 0.01  # cells (sigma) over which paint's inside tells its depth, and the least weight of it
_LANE, _LANE_SHARE = 2.0, 0.3  # of the least difference, and of its sides', that a lane between washes may have
_BANKS = 4.0  # times the least difference that both sides of a bay of paper have
_CAST = 0.015  # difference between channels from which paper's colour is another one
_CAST_SHARE = 0.25  # and share of the difference that the sheet's own light has from end to end
_COARSE = 8  # cells of light to one that a smooth surface is put through
# Difference of a pale wash that has an edge; cells of a large opening; difference up to which it is bare paper.
_EDGE, _LARGE, _AS_BARE = 0.06, 60, 0.0025
_SOFT = 0.5  # how soft the border of an opening is where paint just thins out
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
_BOX7 = np.ones((7, 7), np.uint8)
_BOX9 = np.ones((9, 9), np.uint8)
_BOX13 = np.ones((13, 13), np.uint8)
_BOX17 = np.ones((17, 17), np.uint8)


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
    paint = _painted(missing, deep, least, lighter)
    rims = read_rims(missing, paint, least)
    clearer = without_veils(missing, paint, least, rims)
    if clearer is not paint:
        paint, rims = clearer, read_rims(missing, clearer, least)
    tatters = find_tatters(missing, paint, deep, least)
    count, labels, _, _ = cv2.connectedComponentsWithStats(1 - paint, connectivity=4)
    if count > 1:
        size, (mean, whiter) = _of_areas((missing, above), deep, 1 - paint, labels, count)
        outside = np.zeros(count, bool)
        outside[border_of(labels)] = True
        outside[0] = False
        bare = float(np.average(mean[outside], weights=size[outside] + 1)) if outside.any() else 0.0
        edged = _edged_by(deep, 1 - paint, labels, count, _BOX7)
        # A small area is darkened more by what encloses it, and its mean is less sure. Where deep paint lies all around, the
        # light in it is a guess from beyond, and a gap in the painting is likelier than paint of paper's very tone.
        differs = np.where(edged > _WALLED, _PAINTED_IN_DEEP, _PAINTED)
        darker = mean > bare + differs + _SMALL / np.sqrt(np.maximum(size, 1))
        held = (size > 8) & (darker | (whiter > _ABOVE) | _of_other_cast(light, outside[labels], labels, count))
        # A gap between deep strokes may be paper; an opening that pale paint surrounds is the paint's own, but for a large
        # one of paper's very tone with an edge all around: paint that thins out has none.
        walled = _edged_by((missing > _EDGE).astype(np.uint8), 1 - paint, labels, count, _BOX9) > _GAP
        held |= (edged < _GAP) & ~(walled & (size > _LARGE) & (mean < bare + _AS_BARE))
        # Where paint thins out on all sides, the light spot is its own as well: a cloud left open in a sky.
        held |= _mean_along(rims.soft, 1 - paint, labels, count) > _SOFT
        held[0] = False
        held &= ~outside
        if held.any():
            paint = np.maximum(paint, held[labels].astype(np.uint8))
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


def _half_as_deep(missing: Plane, paint: NDArray[np.uint8], inner: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Of pale paint what is half as deep as its inside close by, without its outermost cells: where paper beside it is
    darker than it was taken for, paint seems to go on."""
    told = inner.astype(np.float32)
    own, weight = mean_of(missing, told, _BESIDE)
    half = paint & (cv2.GaussianBlur(missing, (0, 0), _OVER[0]) > 0.5 * own) & (weight > _IN_REACH)
    half = cv2.morphologyEx(half, cv2.MORPH_CLOSE, _BOX5) & paint  # mottled paint has its holes
    return np.asarray(cv2.erode(half, _BOX3))


def _painted(missing: Plane, deep: NDArray[np.uint8], floor: float, lighter: Plane | None) -> NDArray[np.uint8]:
    """Where paint is seen, 0 or 1: deep paint by itself; pale paint by the mean of a few cells that no deep paint blurs
    into. What lies too near deep paint to tell is as the nearest place that can be told, if that is not far: a tip of pale
    paint between deep strokes goes with its paint, a narrow gap between them stays open."""
    # Cells that are nearly as deep as the deepest beside them are no blur of it: even paint that is just as deep by its noise.
    blurred = (cv2.dilate(deep, _BOX3) > 0) & (missing < _NO_BLUR * cv2.dilate(missing, _BOX3))
    told = 1 - np.maximum(deep, blurred).astype(np.float32)
    least = np.float32(floor) if lighter is None else _over_noise(missing, lighter, told, floor)
    around, wide = (mean_of(missing, told, sigma)[0] / least for sigma in _OVER)
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
    beside_pale = pale.ravel()[nearest] & (away <= _FAR)
    # An opening in which nothing but pale paint can be told is a stroke of it, to its last tip; and a tip that dry brush
    # has cut off is one, too. A small opening is one thing: what most of it is.
    count, openings, stats, _ = cv2.connectedComponentsWithStats(1 - deep, connectivity=8)
    told_pale, told_paper = (np.bincount(openings[kind], minlength=count) for kind in (pale, paper))
    small = stats[:, cv2.CC_STAT_AREA] < _GAP_CELLS
    by_pale, by_paper = (
        np.bincount(openings[(away <= _FAR) & kind.ravel()[nearest]], minlength=count) for kind in (pale, paper)
    )
    bare = (by_paper > by_pale) & (np.bincount(openings[missing < _OPEN], minlength=count) > 0)
    # Where nothing pale is painted, as in a block print, flecks within deep paint are paper.
    has_pale = cv2.erode(pale.astype(np.uint8), _BOX5).sum() > _NO_PALE * deep.sum()
    tip = has_pale & (stats[:, cv2.CC_STAT_AREA] < _TIP) & ~bare
    stroke = (told_paper == 0) & ((told_pale > 0) | tip) | small & (told_pale > told_paper)
    stroke[0] = False
    # A small gap between deep strokes may hold too few cells of paper to hang together: their mean tells.
    tells = told > 0
    seen = np.bincount(openings[tells], minlength=count)
    mean = np.bincount(openings[tells], weights=missing[tells], minlength=count) / np.maximum(seen, 1)
    gap = small & (seen >= _FEW) & (mean < _PAINTED_IN_DEEP + _SMALL / np.sqrt(np.maximum(seen, 1)))
    gap |= small & (told_paper > told_pale)
    return np.asarray((deep > 0) | ((beside_pale | stroke[openings]) & ~gap[openings]), np.uint8)


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


def _bays(missing: Plane, paper: NDArray[np.bool_], least: np.float32 | Plane) -> NDArray[np.bool_]:
    """Where ``paper`` runs out between two strokes, too narrow for a mean: its cells are still of paper's own tone, which
    blur could only darken, while paint on both sides is not."""
    banks = cv2.morphologyEx(missing, cv2.MORPH_CLOSE, _BOX9) > _BANKS * least
    bare = (missing < least) & banks
    _, pieces = cv2.connectedComponents((bare | paper).astype(np.uint8), connectivity=8)
    goes_on = np.zeros(int(pieces.max()) + 1, bool)
    goes_on[pieces[paper]] = True
    return np.asarray(bare & goes_on[pieces])


def _of_areas(
    planes: tuple[Plane, ...], deep: NDArray[np.uint8], bare: NDArray[np.uint8], labels: NDArray[np.int32], count: int
) -> tuple[NDArray[np.int64], list[NDArray[np.float64]]]:
    """Size of each open area, and its mean of each of ``planes``, without what deep paint blurs into."""
    middle = ((bare > 0) & (cv2.dilate(deep, _BOX5) == 0)).ravel()
    flat = labels.ravel()[middle]
    size = np.bincount(flat, minlength=count)
    many = np.maximum(size, 1)
    return size, [np.bincount(flat, plane.ravel()[middle].astype(np.float64), count) / many for plane in planes]


def _of_other_cast(
    light: Plane, outside: NDArray[np.bool_], labels: NDArray[np.int32], count: int
) -> NDArray[np.bool_]:
    """Of which open areas paper has clearly another colour than the nearest paper outside: light changes its strength from
    place to place, its colour hardly across a stroke, unless it changes much over all the sheet. Where it changes slowly
    through a net of lines, the next mesh has nearly the same."""
    if not outside.any():
        return np.zeros(count, bool)
    colour = np.log(np.maximum(light, np.float32(1e-3)))
    colour -= colour.mean(axis=2, keepdims=True)
    spread = float(np.ptp(np.percentile(colour[outside][::16], (5, 95), axis=0), axis=0).max())
    colour -= _smooth_through(colour, outside)  # what lamps of two colours make of the whole sheet
    least = max(_CAST, _CAST_SHARE * spread)
    apart = _apart(colour, outside, (labels > 0) & ~outside, labels, count) > least
    if apart.any():
        apart &= _apart(colour, (labels > 0) & ~apart[labels], apart[labels], labels, count) > least
    return apart


def _apart(
    colour: Plane, paper: NDArray[np.bool_], asked: NDArray[np.bool_], labels: NDArray[np.int32], count: int
) -> NDArray[np.float64]:
    """How far apart the channels of each area's mean ``colour`` are from those of the nearest ``paper``, where ``asked``."""
    _, nearest = nearest_of(paper)
    flat = labels[asked]
    away = colour[asked] - colour.reshape(-1, colour.shape[2])[nearest[asked]]
    size = np.maximum(np.bincount(flat, minlength=count), 1)
    mean = [np.bincount(flat, weights=own, minlength=count) / size for own in away.T]
    return np.asarray(np.max(mean, axis=0) - np.min(mean, axis=0))


def _smooth_through(colour: Plane, outside: NDArray[np.bool_]) -> Plane:
    """A quadratic surface (h, w, C) through what is ``outside``."""
    h, w, channels = colour.shape
    few = (max(1, w // _COARSE), max(1, h // _COARSE))
    small, bare = (
        cv2.resize(plane, few, interpolation=cv2.INTER_AREA) for plane in (colour, outside.astype(np.float32))
    )
    basis = low_basis((few[1], few[0]))
    fitted = basis @ solved(basis, small.reshape(few[1], few[0], channels), (bare > 0.99).astype(np.float32))
    return np.asarray(cv2.resize(fitted, (w, h), interpolation=cv2.INTER_LINEAR)).reshape(h, w, channels)


def _edged_by(
    paint: NDArray[np.uint8], bare: NDArray[np.uint8], labels: NDArray[np.int32], count: int, near: NDArray[np.uint8]
) -> NDArray[np.float64]:
    """Of each open area the share of its border that has such paint ``near``, a box of cells around it."""
    return _mean_along((cv2.dilate(paint, near) > 0).astype(np.float32), bare, labels, count)


def _mean_along(plane: Plane, bare: NDArray[np.uint8], labels: NDArray[np.int32], count: int) -> NDArray[np.float64]:
    """Of each open area the mean of a plane along its border."""
    border = (bare > 0) & (cv2.erode(bare, _BOX3) == 0)
    at = labels[border]
    return np.bincount(at, plane[border], count) / np.maximum(np.bincount(at, minlength=count), 1)
