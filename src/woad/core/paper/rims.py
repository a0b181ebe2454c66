"""What an area's rim tells: by how much it is lighter or darker than the paper on the other side."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.cells import BOX3, Cells
from woad.core.raster.channels import grey_of

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]
Bits = NDArray[np.uint8]

_RING = 5  # cells on either side of an edge that are compared
_BROAD = 12  # how broad the marks may be across which sides are compared
_DEEP = 8  # cells behind a rim that tell how the light runs up to it
_STEP = 0.014  # natural log
_PLACE = 5  # cells, side of the squares between which paper's unrest is measured
_CHANCE = 4.0  # times the unrest that a step must be higher than: neighbouring squares are much alike


@dataclass(frozen=True, eq=False)
class Step:
    """``height`` (C,) by how much an area is lighter than paper beyond its edge; ``places`` that tell, on both sides."""

    height: NDArray[np.float32]
    places: float

    def down(self, unrest: float) -> bool:
        """Whether it is one, down from the paper, which varies by ``unrest`` from place to place."""
        least = max(_STEP, _CHANCE * unrest / max(self.places, 0.5) ** 0.5)
        return bool(self.height.min() < -least and self.height.mean() < -0.4 * least)


def unrest_of(cells: Cells, off: Plane, taken: Mask) -> float:
    """How much the ``taken`` paper varies from place to place, natural log, places being squares of _PLACE cells: mottled
    paper does ten times as much as other."""
    paper = (taken[cells.labels] & (cells.labels > 0)).astype(np.float32)
    held = cv2.blur(paper, (_PLACE, _PLACE))
    places = held > 0.8
    mean = cv2.blur(grey_of(off) * paper, (_PLACE, _PLACE))[places] / held[places]
    return float(np.subtract(*np.percentile(mean, (84, 16)))) / 2 if mean.size else 0.0


def step_at(cells: Cells, off: Plane, taken: Mask, one: int, far: bool = False) -> Step | None:
    """How much lighter an area is, in ``off`` (gh, gw, C), than what is ``taken`` on the other side of its edges; None when
    too little is near enough. ``far``: on the other side of broad marks, too."""
    reach, least = (_BROAD, 4) if far else (_RING, 20)
    around, own, other, marks = _sides(cells, taken, one, reach)
    box = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    # Along marks only, so that nothing is compared across another area.
    grown = cv2.dilate(_grown(own, own | marks, reach - 1), BOX3) if far else cv2.dilate(own, box)
    outer = (other & grown) > 0
    inner = (own & cv2.dilate(outer.astype(np.uint8), box)) > 0
    outside, inside = int(outer.sum()), int(inner.sum())
    if min(outside, inside) < least:
        return None
    here = off[around]
    return Step(np.asarray(here[inner].mean(axis=0) - here[outer].mean(axis=0), np.float32), _places(inside, outside))


def jump_at(cells: Cells, off: Plane, taken: Mask, one: int) -> Step | None:
    """How much lighter an area is, in ``off`` (gh, gw, C), than what is ``taken``, at the very place where both meet and
    whatever the light's slope and bend are there: both sides are carried on to the middle of the marks between them (a
    regression discontinuity, Thistlethwaite and Campbell 1960). None when too little is near enough."""
    around, own, other, marks = _sides(cells, taken, one, _BROAD + _DEEP)
    beyond = cv2.dilate(_grown(own, own | marks, _BROAD - 1), BOX3) & other
    facing = cv2.dilate(_grown(beyond, beyond | marks, _BROAD - 1), BOX3) & own
    if not beyond.any() or not facing.any():
        return None
    here, ends, many = off[around], [], []
    for side, rim, opposite in ((own, facing, beyond), (other, beyond, facing)):
        away = cv2.distanceTransform(1 - opposite, cv2.DIST_L2, 5)
        middle = float(away[rim > 0].mean()) / 2
        near = _grown(rim, side, _DEEP - 1) > 0
        at = away[near] - middle
        if at.size < 12:
            return None
        ends.append(np.polynomial.polynomial.polyfit(at, here[near], 2 if np.ptp(at) > 3 else 1)[0])
        many.append(int(near.sum()))
    # What is carried on is less sure than what is read.
    return Step(np.asarray(ends[0] - ends[1], np.float32), _places(*many) / 4)


def _places(inside: int, outside: int) -> float:
    """How many places tell, from the cells on both sides."""
    return outside * inside / (outside + inside) / _PLACE**2


def _sides(cells: Cells, taken: Mask, one: int, reach: int) -> tuple[tuple[slice, slice], Bits, Bits, Bits]:
    """Where an area and all within ``reach`` cells lies; there the area, other ``taken`` ones, and marks, 0 and 1."""
    x, y, w, h = cells.boxes[one].tolist()
    around = slice(max(y - reach, 0), y + h + reach), slice(max(x - reach, 0), x + w + reach)
    part = cells.labels[around]
    own, marks = part == one, part == 0
    other = taken[part] & ~marks & ~own
    return around, own.astype(np.uint8), other.astype(np.uint8), marks.astype(np.uint8)


def _grown(seed: Bits, within: Bits, many: int) -> Bits:
    """``seed`` grown by so many cells ``within`` a mask."""
    for _ in range(many):
        seed = np.asarray(cv2.dilate(seed, BOX3) & within, np.uint8)
    return seed
