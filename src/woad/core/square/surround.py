"""A narrow black surround along some sides of a scan: the lid was open, or the sheet laid askew on the glass."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import highest
from woad.core.square.insets import corners_between, sides_of

Pixels = NDArray[Any]  # uint8 or uint16
Points = NDArray[np.float64]

_BLACK, _PAPER = 0.3, 0.85  # encoded light up to which a surround is black; share of the sheet's tone that is the sheet
_BROADEST, _LEAST_PX = 0.08, 2.0  # of the scan's side, and px at its narrowest
_LONG, _STRAIGHT, _ON_LINE = 0.12, 0.8, 2.0  # share of a side that is black; that ends within so many px of one line
_UPRIGHT = 0.96  # cosine of how far that line may lean
_FADES = 0.03  # of the scan's side, over which the shadow beside a surround gives way to the sheet


@dataclass(frozen=True, eq=False)
class Surround:
    """``corners`` (4, 2) px of the part of a scan inside its surround, clockwise from the top left; ``sides`` which of its top,
    right, bottom and left side have one: another is the scan's own."""

    corners: Points
    sides: tuple[bool, ...]

    def scaled(self, by: float) -> Surround:
        """The same on the same picture ``by`` times as large."""
        return Surround(self.corners * by, self.sides)


def find_surround(pixels: Pixels) -> Surround | None:
    """The black surround of a reduced scan, None when no side has one.

    Parameters: ``pixels`` (h, w, C) encoded, about 800 to 1500 px long. Each side is looked at by itself: unlike the four sides
    of a sheet on a table, one alone is cut away as well.
    """
    h, w = pixels.shape[:2]
    if min(h, w) < 64:
        return None
    black = _BLACK * float(np.iinfo(pixels.dtype).max)
    sheet = _PAPER * float(np.median(highest(pixels[::8, ::8])))
    found = [_inner_edge(np.rot90(pixels, turns), black, sheet) for turns in range(4)]
    if all(edge is None for edge in found):
        return None
    return Surround(corners_between(found, (w, h)), sides_of(found))


def _inner_edge(pixels: Pixels, black: float, sheet: float) -> tuple[float, float] | None:
    """How far in the sheet begins from the left of ``pixels`` (h, w, C) behind a black surround, at the top and at the
    bottom: a band or, beside a sheet laid askew, a wedge. Up to which code it is ``black``, and from which it is ``sheet``."""
    h, w = pixels.shape[:2]
    reach = round(_BROADEST * w)
    if float((highest(pixels[:, 1]) < black).mean()) < _LONG:
        return None
    near = highest(pixels[:, : reach + round(_FADES * w)])
    broad = _first(near >= black)
    open_ = broad < reach  # elsewhere another side's surround, or a mark, goes on
    rows = np.flatnonzero(open_ & (broad >= _LEAST_PX))
    if len(rows) < _LONG * h:
        return None
    points = np.stack([broad[rows], rows], axis=1).astype(np.float32)
    vx, vy, x, y = cv2.fitLine(points, cv2.DIST_WELSCH, 0, 0.01, 0.01).ravel().tolist()
    if abs(vy) < _UPRIGHT:
        return None
    slope = vx / vy
    ends = np.maximum(x + (np.arange(h) - y) * slope, 0)
    if float((np.abs(broad - ends) < _ON_LINE)[open_].mean()) < _STRAIGHT:
        return None
    fades = float(np.median((_first(near > sheet) - broad)[rows]))
    return x - y * slope + fades, x + (h - y) * slope + fades


def _first(there: NDArray[np.bool_]) -> NDArray[np.intp]:
    """In each row of (h, w) the first place that is ``there``, w without."""
    return np.asarray(np.where(there.any(axis=1), np.argmax(there, axis=1), there.shape[1]), np.intp)
