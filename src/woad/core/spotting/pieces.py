"""Small detached pieces of coverage: where each lies, how large, how dense, how long it is.

They are found on blocks of a few pixels, so that a sheet of any size can be looked over at once. A block remembers the
most coverage in it, so a single dense pixel is never missed.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.spotting.holes import binding_holes
from woad.core.spotting.lines import is_line
from woad.core.spotting.moments import PLACE, moments_of
from woad.core.spotting.parting import LEVELS, find_specks, paper_counts, parted
from woad.core.spotting.thin import mean_width
from woad.core.units import mm_to_px

Plane8 = NDArray[np.uint8]
Floats = NDArray[np.float32]

LEAST = 10  # coverage, of 255, from which a block holds something
GONE = -1  # label of what is too large to be a stray
_BLUR_PX2 = 0.6  # what a scan's blur adds to the spread across a line, px squared
_FARTHEST = 1e6  # blocks, and px: as far as a large mark can be; there may be none
_LONG_MM, _BROAD_MM, _THIN_MM = 16.0, 3.2, 0.2  # a stray is shorter; and less broad, or no thicker than a hair
_CURLED_MM = 32.0  # as long as a hair may be, laid straight
_CURLS, _SPARSE = 20, 0.5  # blocks: what is longer may curl; and share of its box that is covered then


@dataclass(frozen=True, eq=False)
class Pieces:
    """``labels`` (gh, gw) int32 over blocks of ``block_px``: 0 bare, 1..n small pieces, -1 large marks.

    Per piece, index 0 is the first: ``at`` (n, 2) centre, px; ``box`` (n, 4) x, y, w, h px; ``size_px`` diameter of a
    full disc of the same coverage; ``length_px``, ``width_px``; ``bow_px`` how far it swings from a straight line beyond
    its own width (standard deviation); ``turn`` direction of its length, radians; ``peak``
    most coverage 0..1; ``fill`` coverage over what its blocks could hold, 0..1; ``far_px`` from the nearest large mark;
    ``strong`` coverage that the large marks reach, 0..1, and ``stroke_px`` how wide their strokes are.
    """

    block_px: int
    labels: NDArray[np.int32]
    at: NDArray[np.float64]
    box: NDArray[np.int32]
    size_px: Floats
    length_px: Floats
    width_px: Floats
    bow_px: Floats
    turn: Floats
    peak: Floats
    fill: Floats
    far_px: Floats
    strong: float
    stroke_px: float

    def __len__(self) -> int:
        return len(self.size_px)


def block_for(width: int, height: int) -> int:
    """Size of a block for a sheet, px: a power of two that keeps the blocks below about ten million."""
    block = 1 if width * height <= 5_000_000 else 2
    while (width // block) * (height // block) > 10_000_000:
        block *= 2
    return block


def blocks_of(alpha: Plane8, block: int) -> tuple[Plane8, Plane8]:
    """Most and mean coverage in blocks of ``block`` px, (ceil(h / block), ceil(w / block)) each."""
    if block == 1:
        return alpha, alpha
    most, mean = alpha, alpha
    size = block
    while size > 1:
        h, w = most.shape
        if h % 2 or w % 2:
            most = np.asarray(cv2.copyMakeBorder(most, 0, h % 2, 0, w % 2, cv2.BORDER_CONSTANT, value=0.0))
            mean = np.asarray(cv2.copyMakeBorder(mean, 0, h % 2, 0, w % 2, cv2.BORDER_CONSTANT, value=0.0))
        top = cv2.max(most[0::2], most[1::2])
        most = np.asarray(cv2.max(np.ascontiguousarray(top[:, 0::2]), np.ascontiguousarray(top[:, 1::2])))
        mean = np.asarray(cv2.resize(mean, (mean.shape[1] // 2, mean.shape[0] // 2), interpolation=cv2.INTER_AREA))
        size //= 2
    return most, mean


def find_pieces(most: Plane8, mean: Plane8, block: int, ppi: float) -> Pieces:
    """Connected pieces of coverage (8 neighbours) that are small enough to be strays.

    Parameters: ``most``, ``mean`` as from :func:`blocks_of`; ``ppi`` of the full-size sheet.
    """
    mm = mm_to_px(1, ppi)
    with ThreadPoolExecutor(2) as beside:
        paper = paper_counts(most)
        specks = [beside.submit(find_specks, most, paper, level, block, mm) for level in LEVELS]
        _, labels, stats, _ = cv2.connectedComponentsWithStats((most >= LEAST).astype(np.uint8), connectivity=8)
        labels = np.asarray(labels, np.int32)
        wide, high = stats[:, cv2.CC_STAT_WIDTH] * block, stats[:, cv2.CC_STAT_HEIGHT] * block
        area = stats[:, cv2.CC_STAT_AREA].astype(np.float64) * block * block
        longest = np.maximum(np.hypot(wide, high), 1)  # a sheet that is all marks has no ground
        thick = _THIN_MM * mm + 2 * block
        small = (longest <= _LONG_MM * mm) & ((longest <= 1.42 * _BROAD_MM * mm) | (area / longest <= thick))
        boxes, sheet = stats[:, : cv2.CC_STAT_AREA] * block, (most.shape[1] * block, most.shape[0] * block)
        small |= is_line(boxes, *sheet, mm) | binding_holes(boxes, *sheet, mm)
        could = ~small & (longest <= _CURLED_MM * mm) & (area <= _CURLED_MM * mm * thick)
        could[0] = False
        small |= _curled(labels, stats, could, _CURLED_MM * mm / block, thick / block)
        small[0] = False
        usual = beside.submit(_usual, most, labels, small, area, longest, block)
        number = np.where(small, np.cumsum(small), GONE).astype(np.int32)
        number[0] = 0
        kept = number[labels]
        many = parted(most, kept, int(small.sum()), (found.result() for found in specks))
        far = cv2.distanceTransform((kept != GONE).astype(np.uint8), cv2.DIST_L2, 3)
        strong, stroke = usual.result()
    return _measured(kept, many, most, mean, block, np.asarray(far), strong, stroke)


def middles(pieces: Pieces, side: int) -> NDArray[np.int32]:
    """A place of each piece's own near its middle, px, (n, 2); of one within ``side`` px the middle of its box. The middle
    of a curled hair's box is not on the hair."""
    box, block = pieces.box, pieces.block_px
    out = box[:, :2] + box[:, 2:] // 2
    for index in np.flatnonzero((box[:, 2:] > side).any(axis=1)).tolist():
        at = box[index] // block
        own = np.argwhere(_own(pieces.labels, at, index + 1)) + at[1::-1]
        away = np.square(own - (pieces.at[index, ::-1] / block)).sum(axis=1)
        out[index] = own[np.argmin(away), ::-1] * block
    return np.asarray(out, np.int32)


def _curled(
    labels: NDArray[np.int32], stats: NDArray[np.int32], could: NDArray[np.bool_], longest: float, thick: float
) -> NDArray[np.bool_]:
    """Which of those that ``could`` be are as thin as a hair all along, however they curl; all in blocks."""
    out = np.zeros(len(could), bool)
    for index in np.flatnonzero(could).tolist():
        width = mean_width(_own(labels, stats[index], index))
        out[index] = width <= thick and stats[index, cv2.CC_STAT_AREA] / width <= longest
    return out


def _own(labels: NDArray[np.int32], box: NDArray[np.int32], number: int) -> NDArray[np.bool_]:
    """Which blocks of a ``box`` x, y, w, h are of the piece of that ``number``, (h, w)."""
    x, y, w, h = box[:4].tolist()
    return np.asarray(labels[y : y + h, x : x + w] == number)


def _usual(
    most: Plane8, labels: NDArray[np.int32], small: NDArray[np.bool_], area: NDArray[np.float64],
    longest: NDArray[np.float64], block: int,
) -> tuple[float, float]:  # fmt: skip
    """Coverage that large marks reach, and how wide their strokes are, px."""
    large = ~small
    large[0] = False
    if not large.any():
        return 1.0, 8.0 * block
    step = max(1, labels.size // 2_000_000)
    some = large[labels.ravel()[::step]]
    values = most.ravel()[::step][some]
    strong = float(np.percentile(values, 80)) / 255 if values.size else 1.0
    near = np.asarray(cv2.distanceTransform(large[labels[:2000, :2000]].astype(np.uint8), cv2.DIST_L2, 3))
    inner = near[(near > 0) & (near < _FARTHEST)]
    width = 4 * float(np.median(inner)) * block if inner.size > 50 else float(np.median(area[large] / longest[large]))
    return max(strong, 0.1), max(width, 2.0)


def _measured(
    labels: NDArray[np.int32], n: int, most: Plane8, mean: Plane8, block: int, far: Floats, strong: float, stroke: float
) -> Pieces:  # fmt: skip
    where = np.flatnonzero(labels.ravel() > 0)
    which = labels.ravel()[where] - 1
    y, x = np.divmod(where, labels.shape[1])
    weight = mean.ravel()[where].astype(np.float64) + 0.5
    cells = np.maximum(np.bincount(which, minlength=n), 1)
    m = moments_of(which, weight, x, y, n)
    peak = np.zeros(n, np.float32)
    np.maximum.at(peak, which, most.ravel()[where].astype(np.float32) / 255)
    nearest = np.full(n, np.inf, np.float32)
    np.minimum.at(nearest, which, np.minimum(far.ravel()[where], _FARTHEST) * np.float32(block))
    mass = m.total / 255 * block * block
    both = m.xx + m.yy + 2 * PLACE
    box = _boxes(which, x, y, n)
    length = np.maximum(np.sqrt(6 * (both + m.apart)), _laid_straight(labels, box, cells)) * block
    width = mass / np.maximum(length, 1)
    bow = np.sqrt(np.maximum((both - m.apart) / 2 * block * block - width * width / 12 - _BLUR_PX2, 0))
    return Pieces(
        block, labels, np.column_stack([(m.x + 0.5) * block, (m.y + 0.5) * block]), box * block,
        np.sqrt(mass / np.maximum(peak, 0.04) * 4 / np.pi).astype(np.float32),
        length.astype(np.float32), width.astype(np.float32), bow.astype(np.float32),
        (0.5 * np.arctan2(2 * m.xy, m.xx - m.yy)).astype(np.float32), peak,
        (mass / (cells * block * block * np.maximum(peak, 0.04))).astype(np.float32),
        np.minimum(nearest, _FARTHEST), strong, stroke,
    )  # fmt: skip


def _laid_straight(labels: NDArray[np.int32], box: NDArray[np.int32], cells: NDArray[np.intp]) -> NDArray[np.float64]:
    """Length of each piece that is long and thin, along its curls, blocks; 0 of others."""
    out = np.zeros(len(box))
    longest = np.hypot(box[:, 2], box[:, 3])
    for index in np.flatnonzero((longest >= _CURLS) & (cells < _SPARSE * box[:, 2] * box[:, 3])).tolist():
        out[index] = cells[index] / mean_width(_own(labels, box[index], index + 1))
    return out


def _boxes(which: NDArray[np.int32], x: NDArray[np.intp], y: NDArray[np.intp], n: int) -> NDArray[np.int32]:
    """x, y, w, h of each of ``n`` pieces, from the blocks that belong to ``which``."""
    low, high = np.full((2, n), np.iinfo(np.int32).max, np.int32), np.zeros((2, n), np.int32)
    for axis, places in enumerate((x.astype(np.int32), y.astype(np.int32))):
        np.minimum.at(low[axis], which, places)
        np.maximum.at(high[axis], which, places)
    return np.asarray(np.concatenate([low, high - low + 1]).T, np.int32)
