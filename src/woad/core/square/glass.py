"""A sheet smaller than the scanner's glass, pushed into a corner of it: what it leaves free shows the lid, or the dark behind.

Photos of a table have four sides to go by (:mod:`woad.core.square.corners`); here some of the sheet's sides are the scan's own.
What tells the lid is that it is one even material without a mark that runs along two sides of the scan or more, and ends at
straight lines, all along. White lids are told with more care than dark ones, as paper is light itself: the paper has to be bare
along it and of another tone, or lie behind a faint shadow, and nearer to one corner of the glass than to the others.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import product
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import highest
from woad.core.raster.outline import filled
from woad.core.raster.transfer import encoded_shares
from woad.core.square.insets import Inset, corners_between, insets_of, sides_of
from woad.core.square.lines import reduced
from woad.core.square.surround import Surround

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]
Points = NDArray[np.float64]

# Px to which a scan is reduced, and sigma of the blur that takes its noise.
_LOOKS = (250, 0.6), (500, 1.0)
# Share of the shorter side that is looked at in each corner, and how even a lid is there, encoded.
_PATCH, _CALM = 0.012, 0.03
# How alike corners of a dark lid are, and how far it may lie off its smooth tone, encoded; a white lid, from strict to lax: the
# step to the paper has to be larger than that.
_DARK_ALIKE, _DARK_GIVES = 0.08, 0.035
_LIGHT_GIVES = 0.01, 0.025
# Rounds in which the smooth tone is told, from places so many px apart, and how many at least.
_ROUNDS, _SPARSE, _FEWEST = 3, 5, 20
# Px along an edge over which its slope is averaged; the steepest that counts, per px, encoded; from which on it is an edge.
_ALONG, _STEEPEST, _OVER, _FAINTEST = 21, 0.006, 6.0, 0.0012
# Share of the scan that it runs along, of a sheet in a corner and of one beside it, within so many px; how near to the rim one
# edge of the latter lies each way.
_RUNS, _LEANS, _ASIDE = (0.25, 0.45), 11, 0.2
_SPECK = 0.012  # of the longer side, up to which dust on the glass is bridged
# From which tone on a lid may be paper, and by how much one that is dark is darker than the sheet, encoded.
_LIGHT, _DARKER = 0.6, 0.2
_BROAD = 0.12  # share of the scan that a white lid takes at least
_WHOLE, _FREE = 0.03, 0.95  # share of lid within the sheet, at most, and outside of it, at least
# How far paper may lie off its tone, encoded; share of what lies along the edge that is paper.
_EVEN, _BARE = 0.05, 0.65
_SHADE = 0.02, 0.25  # how deep an edge's shadow is, encoded
_FILLED = 0.6  # share of its box that a sheet fills
_LOPSIDED = 0.25, 0.5  # the narrower of two margins beside the broader one, at most: one way, and the other
_SMALLEST, _LEAST = 0.1, 0.02  # share of the scan that a sheet takes at least, and free glass
_FADES = 0.03  # of the longer side, over which the edge's shadow gives way to the sheet


def find_free_glass(pixels: NDArray[Any]) -> Surround | None:
    """The part of a reduced scan that the sheet takes, None when it fills the scan or lies otherwise.

    Parameters: ``pixels`` (h, w, C) encoded, uint8 or uint16, 500 px long or more.
    """
    if min(pixels.shape[:2]) < 64 or _look(pixels, *_LOOKS[0]) is None:  # most sheets have none, which few pixels tell
        return None
    return _look(pixels, *_LOOKS[1])


def _look(pixels: NDArray[Any], longest: int, sigma: float) -> Surround | None:
    h, w = pixels.shape[:2]
    few = reduced(pixels, longest)
    calm = np.asarray(cv2.GaussianBlur(encoded_shares(few), (0, 0), sigma)).reshape(few.shape)
    for lid in _lids(calm):
        insets = _insets_beside(calm, lid)
        if insets is not None:
            return Surround(_between(insets, calm) * (w / few.shape[1], h / few.shape[0]), sides_of(insets))
    return None


@dataclass(frozen=True, eq=False)
class _Lid:
    """``free`` (h, w) glass, the lid's smooth ``tone`` (h, w, C) and how far it ``gives`` way from that, encoded; whether it is
    ``dark`` beside the sheet."""

    free: Mask
    tone: Plane
    gives: float
    dark: bool


def _insets_beside(image: Plane, lid: _Lid) -> list[Inset | None] | None:
    """How far in the sheet begins on each side, behind its shadow; None when what the lid leaves is no sheet."""
    sheet = _largest(~lid.free)
    box = cv2.boundingRect(sheet.astype(np.uint8))
    if float(sheet.sum()) < _FILLED * box[2] * box[3]:
        return None
    insets = insets_of(sheet, torn=lid.dark)
    left, top, right, bottom = insets
    if not any(insets) or not (lid.dark or _to_one_side(_evenness(left, right), _evenness(top, bottom))):
        return None
    inside = filled(_between(insets, image), (image.shape[0], image.shape[1]))
    if float(lid.free[inside].mean()) > _WHOLE or float(lid.free[~inside].mean()) < _FREE:
        return None
    into_corner = sum(inset is not None for inset in insets) == 2
    for turns, inset in enumerate(insets):
        if inset is None:
            continue
        beside = _beside(np.rot90(image, turns), inset)
        off = beside - _beside(np.rot90(lid.tone, turns), inset)
        if not lid.dark and not _is_bare(off, lid.gives, shaded=into_corner):
            return None
        insets[turns] = inset.moved(max(inset.dents, _shadow(beside)))
    return insets


def _between(insets: list[Inset | None], image: Plane) -> Points:
    return corners_between([None if one is None else one.ends for one in insets], (image.shape[1], image.shape[0]))


def _corners(image: Plane) -> tuple[Points, Plane, Mask]:
    """Where the corners of a picture are looked at, clockwise from its top left (4, 2), px; their tones (4, C); and whether
    each is even."""
    h, w = image.shape[:2]
    side = max(3, round(_PATCH * min(h, w)))
    low, far_x, far_y = slice(0, side), slice(-side, None), slice(-side, None)
    parts = [image[at].reshape(-1, image.shape[2]) for at in ((low, low), (low, far_x), (far_y, far_x), (far_y, low))]
    tones = np.array([np.median(part, axis=0) for part in parts], np.float32)
    even = [float(np.percentile(highest(np.abs(p - t)), 80)) < _CALM for p, t in zip(parts, tones, strict=True)]
    half = side / 2
    return np.array([(half, half), (w - half, half), (w - half, h - half), (half, h - half)]), tones, np.array(even)


def _lids(image: Plane) -> Iterator[_Lid]:
    """What may be the lid, one after the other: a dark one seen in three corners or all, then white ones in three."""
    at, tones, even = _corners(image)
    for i in range(4):
        alike = even & (np.abs(tones - tones[i]).max(axis=1) < _DARK_ALIKE)
        if even[i] and alike.sum() >= 3 and not (alike.all() and float(tones.mean()) > _LIGHT):
            lid = _grown(image, None, at[alike], tones[alike], (_DARK_ALIKE, _DARK_GIVES), anywhere=True)
            if lid is not None and lid.dark:
                yield lid
            break
    told = _walls(image)
    if told is None:
        return
    walls, apart, beside = told
    # Four corners that do not lie in a plane show the sheet in one of them.
    off_plane = [_off_plane(at, tones, i) if even[i] else np.inf for i in range(4)]
    for give, behind in product(_LIGHT_GIVES, (None, walls)):
        off = [one > give for one in off_plane]
        places = [np.ones(4, bool)] if beside and not any(off) else []
        for seen in places + [np.arange(4) != i for i in range(4) if apart[i] and off[i]]:
            if even[seen].all():
                lid = _grown(image, behind, at[seen], tones[seen], (give, give), anywhere=False)
                if lid is not None and not lid.dark:
                    yield lid


def _walls(image: Plane) -> tuple[Mask, Mask, bool] | None:
    """Where a level or upright edge runs on for long, however faint, (h, w): a lid does not go on behind it; and which of the
    four corners, clockwise from the top left, lie between two that reach the rim; and whether one runs near the rim each way.
    None when there is none long enough for either."""
    walls, reach, beside = np.zeros(image.shape[:2], np.bool_), [], []
    for dx, dy in ((1, 0), (0, 1)):
        steep = np.asarray(cv2.Scharr(image, cv2.CV_32F, dx, dy, scale=1 / 32))
        # Clipped, so that a speck tells no more than a faint edge.
        mean = cv2.blur(np.clip(steep, -_STEEPEST, _STEEPEST), (1, _ALONG) if dx else (_ALONG, 1))
        most = highest(np.abs(mean).reshape(image.shape))
        found = most > max(_OVER * float(np.median(most[::3, ::3])), _FAINTEST)
        leaning = cv2.dilate(found.astype(np.uint8), np.ones((1, _LEANS) if dx else (_LEANS, 1), np.uint8))
        along = leaning.mean(axis=dy)
        if float(along.max()) < _RUNS[0]:
            return None
        aside = round(_ASIDE * len(along))
        beside.append(float(max(along[:aside].max(), along[-aside:].max())) > _RUNS[1])
        walls |= found
        upright = found if dx else found.T
        reach.append([bool(upright[3:-3, 3:-3][rows].all(axis=0).any()) for rows in (slice(None, 3), slice(-3, None))])
    (top, bottom), (left, right) = reach
    apart = np.array([top and left, top and right, bottom and right, bottom and left])
    return (walls, apart, all(beside)) if apart.any() or all(beside) else None


def _off_plane(at: Points, tones: Plane, i: int) -> float:
    """How far the tone at one of four places (4, 2) lies off the plane through the ``tones`` (4, C) at the others."""
    others = np.arange(4) != i
    ways = np.column_stack([np.ones(4), at])
    plane = np.linalg.lstsq(ways[others], tones[others], rcond=None)[0]
    return float(np.abs(ways[i] @ plane - tones[i]).max())


@lru_cache(4)
def _ways(h: int, w: int) -> Plane:
    """The ways in which a tone changes smoothly over a picture: (h, w, 6), read only."""
    y, x = np.mgrid[-0.5 : 0.5 : 1 / h, -0.5 : 0.5 : 1 / w].astype(np.float32)[:, :h, :w]
    ways = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1)
    ways.setflags(write=False)
    return ways


def _grown(
    image: Plane, walls: Mask | None, at: Points, tones: Plane, gives: tuple[float, float], anywhere: bool
) -> _Lid | None:
    """The material that has these ``tones`` (n, C) at ``at`` (n, 2) px, as far as it goes on without a gap but for specks and,
    but for the first round, lies off a smooth tone by no more than ``gives``; from there, or ``anywhere`` along the rim."""
    h, w = image.shape[:2]
    ways = _ways(h, w)
    sparse = (slice(None, None, _SPARSE), slice(None, None, _SPARSE))
    told, said = np.column_stack([np.ones(len(at)), at / (w, h) - 0.5]), tones
    bridge = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * round(_SPECK * max(h, w) / 2) + 1,) * 2)
    cols, rows = np.asarray(at, np.intp).T
    free, tone = np.zeros((h, w), np.bool_), image
    for turn in range(_ROUNDS):
        fit = np.linalg.lstsq(told, said, rcond=None)[0]
        tone = np.asarray(ways[..., : len(fit)] @ fit, np.float32).reshape(image.shape)
        near = (highest(np.abs(image - tone)) < gives[min(turn, 1)]).astype(np.uint8)
        near = cv2.morphologyEx(near, cv2.MORPH_CLOSE, bridge)
        if walls is not None:
            near[walls] = 0
        count, labels = cv2.connectedComponents(near, connectivity=4)
        ours = np.zeros(count, bool)
        for rim in (labels[0], labels[-1], labels[:, 0], labels[:, -1]) if anywhere else (labels[rows, cols],):
            ours[rim] = True
        ours[0] = False
        free = ours[labels]
        told, said = ways[sparse][free[sparse]], image[sparse][free[sparse]]
        if len(told) < _FEWEST:
            return None
    if walls is not None:  # but for those around specks
        free = cv2.morphologyEx(free.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8)) > 0
    if not _SMALLEST < 1 - float(free.mean()) < 1 - _LEAST:
        return None
    step = float(np.median(image[~free]) - tone.mean())
    if step <= _DARKER and float(free.mean()) < _BROAD:
        return None  # a white margin, which may be the sheet's own
    return _Lid(free, tone, gives[1], step > _DARKER)


def _largest(there: Mask) -> Mask:
    """The largest part of (h, w) that hangs together: hairs and streaks on the glass are none."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(there.astype(np.uint8), connectivity=4)
    return np.asarray(labels == 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA])), np.bool_)


def _evenness(one: Inset | None, other: Inset | None) -> float:
    """The narrower of two margins across from each other, share of the broader one."""
    narrow, broad = sorted(0.0 if inset is None else inset.broad for inset in (one, other))
    return narrow / max(broad, 1e-6)


def _to_one_side(across: float, along: float) -> bool:
    """Whether a sheet lies in or near a corner of the glass; a painted panel has like margins."""
    return min(across, along) <= _LOPSIDED[0] and max(across, along) <= _LOPSIDED[1]


def _beside(image: Plane, inset: Inset) -> Plane:
    """Tones along an edge on the left of ``image`` (h, w, C), row by row from the edge inwards, (n, 2 * reach, C)."""
    h, w = image.shape[:2]
    reach = max(4, round(_FADES * max(h, w)))
    first, last = inset.rows
    margin = round(0.05 * (last - first))
    rows = np.arange(first + margin, last - margin)
    at = np.rint(inset.ends[0] + inset.slope * rows).astype(np.intp)
    cols = np.clip(at[:, None] + np.arange(2 * reach), 0, w - 1)
    return np.asarray(image[rows[:, None], cols], np.float32)


def _shadow(beside: Plane) -> int:
    """Over how many px the shadow along an edge gives way to the sheet, from the tones beside it."""
    typical = np.median(beside, axis=0).mean(axis=1)
    reach = len(typical) // 2
    off = np.abs(typical[:reach] - np.median(typical[reach:]))
    dim = np.flatnonzero(off > max(0.012, 0.15 * float(off.max())))
    return int(dim[-1]) + 1 if len(dim) else 0


def _is_bare(off: Plane, gives: float, shaded: bool) -> bool:
    """Whether what lies along an edge is even, as paper without marks, and no more of the lid; or lies behind the shadow of an
    edge, which no pen draws as pale.

    Parameters: ``off`` how far the tones beside the edge lie off the lid that was told there, and how far that ``gives``;
    whether edges that are no more than ``shaded`` will do: a drawn frame hardly ever runs off two sides of the scan.
    """
    reach = off.shape[1] // 2
    inner = off[:, reach:].reshape(-1, off.shape[2])
    step = np.median(inner, axis=0)
    if float((highest(np.abs(inner - step)) < _EVEN).mean()) < _BARE:
        return False
    shade = float((step - np.median(off[:, :reach], axis=0).min(axis=0)).mean())
    return float(np.abs(step).max()) > gives or (shaded and _SHADE[0] < shade < _SHADE[1])
