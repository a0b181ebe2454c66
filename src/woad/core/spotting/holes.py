"""Binding holes: the row of like things, at one pitch, that a spiral or stitched sketchbook leaves along one side of a scan."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

NEAR_MM, LEAST_MM, MOST_MM = 18.0, 1.5, 14.0  # from the sheet's side; how large a hole, with the wire in it, is
_MANY, _LONG = 8, 0.6  # of them at least, and over which share of the side
_ALIKE, _PITCH, _REGULAR = 0.25, 0.12, 0.8  # how much size and pitch may differ, and for which share of them
_IN_ROW_MM, _LEAN = 1.0, 0.05  # from one line, which may lean


def binding_holes(box: NDArray[np.int32], width: int, height: int, mm: float) -> NDArray[np.bool_]:
    """Which boxes (n, 4) x, y, w, h px hold binding holes of a sheet of ``width`` x ``height`` px, ``mm`` px to one.

    A row along one side only: rows on several sides are a drawn frame of dots.
    """
    out = np.zeros(len(box), bool)
    small, large = box[:, 2:].min(axis=1), box[:, 2:].max(axis=1)
    sized = np.flatnonzero((small >= LEAST_MM * mm) & (large <= MOST_MM * mm))
    if len(sized) < _MANY:
        return out
    rows = []
    for across, end in ((0, width), (1, height)):
        near, far = box[sized, across] + box[sized, across + 2], end - box[sized, across]
        for gap in (near, far):
            rows.append(_row(box, sized[gap <= NEAR_MM * mm], across, (height, width)[across], mm))
    found = [row for row in rows if len(row)]
    if len(found) == 1:
        out[found[0]] = True
    return out


def _row(box: NDArray[np.int32], at: NDArray[np.intp], across: int, long: int, mm: float) -> NDArray[np.intp]:
    """Those of the boxes ``at`` that make a row of like things at one pitch, or none; ``across`` 0 for an upright row."""
    none = at[:0]
    if len(at) < _MANY:
        return none
    size = box[at, 2:]
    at = at[(np.abs(size / np.median(size, axis=0) - 1) <= _ALIKE).all(axis=1)]
    if len(at) < _MANY:
        return none
    centre = box[at, :2] + box[at, 2:] / 2
    place, aside = centre[:, 1 - across], centre[:, across]
    slope, start = np.polyfit(place, aside, 1)
    straight = np.abs(aside - start - slope * place) <= _IN_ROW_MM * mm
    at, place = at[straight], np.sort(place[straight])
    if len(at) < _MANY or abs(slope) > _LEAN or place[-1] - place[0] < _LONG * long:
        return none
    step = np.diff(place)
    steps = step / np.median(step)  # where a mark hides one, twice the pitch
    return at if float((np.abs(steps - np.maximum(np.rint(steps), 1)) <= _PITCH).mean()) >= _REGULAR else none
