"""What is white on toned paper: its lightest paint tells, and the paper, being darker, does not."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of

Plane = NDArray[np.float32]
Plane8 = NDArray[np.uint8]

_WHITEST, _AS_WHITE = 95, 0.93  # percentile of the lightness of light marks; the share of it that is the same paint's
_ENOUGH_PX = 40  # of marks that tell by themselves
_A_LAMPS = 0.3  # how far apart, natural log, the channels of a white are at most, for the lamp's sake
_LIGHTER = 1.1  # the same in each channel
_MOST = 50.0  # times the paper's light


@dataclass(frozen=True)
class White:
    """``reflectance`` (3,) of what is white, the paper's being 1."""

    reflectance: tuple[float, float, float]

    @property
    def lightness(self) -> float:
        """How many times as light as the paper it is."""
        return sum(self.reflectance) / 3


def read_white(reflectance: Plane, paper: Sequence[float], near: Plane8) -> White:
    """The white of a sheet with marks that are clearly lighter than its paper, or are so in some channel.

    ``reflectance`` (h, w, 3) evened, paper 1, about 700 to 1400 px long, not cut off above; ``paper`` (3,) linear, as it was
    scanned; ``near`` (h, w) 255 at those marks and close by. A light mark that looked white in the scan, or as if a lamp made
    it a little yellow, is white, if no channel of it is the paper's. Beside one of another colour, white is as light as the
    lightest channel of it or of the paper, and the lamp is taken for white.
    """
    inside = cv2.erode(near, np.ones((9, 9), np.uint8)) > 0  # away from their edges
    inside = inside if inside.any() else near > 0
    marks = reflectance[inside]
    grey = grey_of(marks)
    # The white itself may be a few strokes among much pale paint.
    white_from = max(float(np.percentile(grey, _WHITEST)), _lightest_piece(grey, inside))
    lightest = marks[grey >= _AS_WHITE * white_from].mean(axis=0)
    scanned = np.maximum(lightest * np.asarray(paper), 1e-4)
    is_white = np.ptp(np.log(scanned)) <= _A_LAMPS and lightest.min() > _LIGHTER
    white = lightest if is_white else max(scanned.max(), *paper) / np.maximum(paper, 1e-4)
    r, g, b = np.clip(white, 1, _MOST).tolist()
    return White((r, g, b))


def _lightest_piece(grey: Plane, where: NDArray[np.bool_]) -> float:
    """The middle lightness of the lightest marks that hang together, so that they make up enough; ``grey`` (n,) in the order
    of what is true of ``where`` (h, w)."""
    of = cv2.connectedComponents(where.astype(np.uint8), connectivity=8)[1][where] - 1
    size = np.bincount(of)
    middle = grey[np.lexsort((grey, of))][np.cumsum(size) - size + size // 2]
    lightest_first = np.argsort(-middle)
    enough = int(np.searchsorted(np.cumsum(size[lightest_first]), _ENOUGH_PX))
    return float(middle[lightest_first[min(enough, len(size) - 1)]])
