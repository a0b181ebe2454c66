"""Edges of coverage moved, evened, made crisper or softer, by the signed distance from where coverage is half.

Distances are sub-pixel: at the edge itself from coverage and its slope, farther away from the nearest edge pixel's (after
Gustavson and Strand, Anti-aliased Euclidean distance transform, 2011). How wide a part is, is told by the largest disc
that fits in and covers the place (granulometry by openings: Serra, Image analysis and mathematical morphology, 1982), so
that a hairline that leaves a broad shape is still a hairline.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.edge.marks import REACH_PX, beside_open, find_marks
from woad.core.raster.nearest import nearest_of

Plane8 = NDArray[np.uint8]
Plane = NDArray[np.float32]

OWN_WIDTH = 1.5  # how wide an edge is when nothing else is asked for, px
_KEPT = 0.45  # share of a thin part's half width that a choke may take
_GIVEN = 0.6  # and evening may take, or give a gap
# A corner of 90 degrees moves by about half the scale of the smoothing: from how much of it on it is one.
_CORNER = 0.17
_HAIR = 0.5  # half the width, px, of a line that a choke takes nothing of


@dataclass(frozen=True)
class Moves:
    """What is done to edges, px of the picture at hand: ``move`` outwards (spread) or inwards (choke, below zero),
    ``thin`` parts kept, ``smooth`` size of bumps that are evened, ``crispness`` -1 soft to 1 crisp."""

    move: float
    thin: bool
    smooth: float
    crispness: float

    @property
    def reach_px(self) -> int:
        """How far around a pixel is looked."""
        return int(np.ceil(3.5 * abs(self.move) + 7 * self.smooth)) + REACH_PX

    @property
    def still(self) -> bool:
        """Whether nothing would be seen of it."""
        return abs(self.move) < 0.02 and self.smooth < 0.25 and abs(self.crispness) < 0.02


def reshape(alpha: Plane8, moves: Moves) -> Plane8:
    """Coverage (h, w) uint8 with its edges to bare paper as asked. Inside marks it stays what it was: texture, and darker
    marks on lighter ones."""
    if moves.still or not alpha.any():
        return alpha
    filled, grain, level = find_marks(alpha)
    inside = filled >= 0.5
    if not inside.any():
        return alpha
    far = signed_distance(filled)
    half = _half_width(far, max(-moves.move / _KEPT + _HAIR, 1.5 * moves.smooth, 2.0))
    moved = _evened(far, half, moves.smooth) if moves.smooth >= 0.25 else far
    moved = moved + _allowed(half, moves)
    width = edge_width(moves.crispness)
    # What an edge gains is as full as the mark it grows from.
    level = level.ravel()[nearest_of(inside)[1]]
    out = np.clip(0.5 + moved / width, 0, 1) * level * grain
    # Deep inside, in the narrow gaps of a dry brush, and far outside, nothing changes.
    deep = np.clip((np.minimum(far, moved) - width / 2 - 0.3) / 1.5, 0, 1)
    # Lines of a pixel or two have no inside to be trimmed: unless asked, they stay as they are.
    thin = np.clip((1.5 - half) / 0.6, 0, 1) * (half > 0) if moves.thin and moves.move <= 0 else np.float32(0)
    still = np.maximum(np.maximum(deep, thin), 1 - beside_open(~inside, abs(moves.move) + moves.smooth))
    out = out * (1 - still) + alpha * still
    out = np.where(far < -(abs(moves.move) + moves.smooth + 6), 0, out)
    return np.asarray(np.clip(np.rint(out), 0, 255), np.uint8)


def edge_width(crispness: float) -> float:
    """How wide edges become, px; never so narrow that stairs are seen."""
    return float(max(OWN_WIDTH * 2.0 ** (-1.4 * crispness), 1.0))


def signed_distance(share: Plane) -> Plane:
    """Distance from where ``share`` (h, w) is one half, px: above zero inside, exact to about a tenth near edges."""
    fine = _beside_edges(share)
    inside = share >= 0.5
    beside = cv2.dilate(inside.astype(np.uint8), _CROSS) != cv2.erode(inside.astype(np.uint8), _CROSS)
    edge = beside & (np.abs(fine) <= 0.8)
    if not edge.any():
        return np.where(inside, np.float32(1e3), np.float32(-1e3))
    gap, near = nearest_of(edge)
    # From the nearest edge pixel on along its normal, as far as that leads here; around a corner the way itself counts.
    calm = cv2.GaussianBlur(share, (0, 0), 0.8)
    gx, gy = cv2.Sobel(calm, cv2.CV_32F, 1, 0), cv2.Sobel(calm, cv2.CV_32F, 0, 1)
    steep = np.maximum(np.hypot(gx, gy), 1e-6)
    offset, nx, ny = (plane.ravel()[near] for plane in (fine, gx / steep, gy / steep))
    py, px = (one.astype(np.float32) for one in np.divmod(near, share.shape[1]))
    rows, columns = np.indices(share.shape, np.float32)
    along = (columns - px) * nx + (rows - py) * ny
    # Right beside the edge a place may lie sideways of its nearest pixel: there the normal counts in any case.
    away = np.where(np.abs(along) >= 0.75 * gap, np.abs(along), gap)
    way = np.where(gap < 2.2, along, np.where(inside, away, -away))
    return np.asarray(np.where(edge, fine, way + offset), np.float32)


def _beside_edges(share: Plane) -> Plane:
    """Distance from the half contour for pixels right beside it.

    Across an edge coverage adds up to where the edge lies, however soft it is: the sum over three pixels along the axis
    that crosses it most squarely, times how squarely. Where both sides of a thin line meet, its own slope must do.
    """
    calm = cv2.GaussianBlur(share, (0, 0), 0.6)
    gx, gy = np.abs(cv2.Sobel(calm, cv2.CV_32F, 1, 0)), np.abs(cv2.Sobel(calm, cv2.CV_32F, 0, 1))
    level = gx >= gy
    square = np.maximum(gx, gy) / np.maximum(np.hypot(gx, gy), 1e-6)
    padded = cv2.copyMakeBorder(share, 1, 1, 1, 1, cv2.BORDER_REPLICATE)
    left, right = padded[1:-1, :-2], padded[1:-1, 2:]
    up, down = padded[:-2, 1:-1], padded[2:, 1:-1]
    before, after = np.where(level, left, up), np.where(level, right, down)
    summed = (before + share + after - np.float32(1.5)) * square
    one_way = (after - share) * (share - before) >= 0
    slope = np.hypot(
        np.maximum(np.abs(share - left), np.abs(right - share)), np.maximum(np.abs(share - up), np.abs(down - share))
    )
    own = (share - np.float32(0.5)) / np.maximum(slope, 0.22)
    return np.asarray(np.where(one_way, summed, own), np.float32)


def _evened(far: Plane, half: Plane, size: float) -> Plane:
    """Distances smoothed along the edge, corners left alone: smoothing at a larger scale moves a bump no farther, but a
    corner farther. Neither a part (of ``half`` its width) nor a gap gives more than a share of its width to it."""
    sigma = 1.4 * size + 0.2
    held = np.clip(far, -6 * size - 4, 6 * size + 4)
    shift = cv2.GaussianBlur(held, (0, 0), sigma) - held
    more = cv2.GaussianBlur(held, (0, 0), 1.6 * sigma) - held
    corner = np.clip((np.abs(more) - np.abs(shift)) / (_CORNER * sigma) - 0.5, 0, 1).astype(np.float32)
    # The verdict holds for the corner's surroundings too: its flanks are not to be pulled in while its tip stays.
    corner = np.where(np.abs(far) < 2.5 * sigma, corner, 0).astype(np.float32)
    reach = int(np.ceil(2 * sigma)) | 1
    corner = cv2.blur(cv2.dilate(corner, np.ones((reach, reach), np.uint8)), (3, 3))
    gap = _half_width(-far, 1.5 * size)
    shift = np.clip(shift * (1 - corner), -_GIVEN * half, _GIVEN * np.where(far > 0, np.inf, gap))
    return np.asarray(far + shift, np.float32)


def _half_width(far: Plane, most: float) -> Plane:
    """Half the width of the part that each place belongs to, or lies beside, up to ``most`` px; 0 where there is none."""
    half = np.clip(far, 0, 0.5).astype(np.float32)
    for width in np.geomspace(0.6, most, 7):
        core = (far >= width - 0.05).astype(np.uint8)
        if not core.any():
            break
        away = cv2.distanceTransform(1 - core, cv2.DIST_L2, 5)
        half = np.where(away <= width + 0.6, np.float32(width), half)
    return np.asarray(cv2.blur(cv2.dilate(half, np.ones((3, 3), np.uint8)), (3, 3)), np.float32)


def _allowed(half: Plane, moves: Moves) -> Plane | float:
    """How far each place's edge moves: as asked, or less where the part is thin."""
    if moves.move >= 0 or not moves.thin:
        return moves.move
    return np.asarray(-np.minimum(-moves.move, _KEPT * np.maximum(half - _HAIR, 0)), np.float32)


_CROSS = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], np.uint8)


def lost_parts(before: Plane8, after: Plane8, choke_px: float) -> Plane8:
    """255 where a part of a mark is gone as a whole, (h, w): no trimmed edge, but something that nothing is left of."""
    was = (before >= 90).astype(np.uint8)
    left = cv2.dilate((after >= 40).astype(np.uint8), np.ones((2 * int(np.ceil(abs(choke_px))) + 3,) * 2, np.uint8))
    return np.asarray(was & (left == 0), np.uint8) * np.uint8(255)


def carried_colour(rgb: NDArray[np.uint8], before: Plane8, after: Plane8, reach: float) -> NDArray[np.uint8]:
    """Straight colour (h, w, 3) of marks whose coverage (h, w) has grown from ``before`` to ``after``: what is gained has
    the colour of the marks within ``reach`` px, the fuller ones above all. A faint edge pixel's own is little but noise."""
    gained = cv2.subtract(after, before)
    if not gained.any():
        return rgb
    weight = (before.astype(np.float32) / 255) ** 3
    sigma = max(reach, 1.0)
    around = cv2.GaussianBlur(weight, (0, 0), sigma)
    near = cv2.GaussianBlur(rgb * weight[..., None], (0, 0), sigma) / np.maximum(around, 1e-6)[..., None]
    share = (gained / np.maximum(after, 1).astype(np.float32) * (around > 1e-5))[..., None]
    return np.asarray(np.clip(np.rint(rgb + (near - rgb) * share), 0, 255), np.uint8)
