"""Sheets of dark paper with light marks are worked on as negatives, on which marks are dark and paper is light. What leaves the
pipeline is turned back: marks in their own light colours, on paper that is evenly black."""

from __future__ import annotations

from typing import overload

import numpy as np
from numpy.typing import NDArray

from woad.core.paper.dark_ground import on_dark_ground
from woad.core.raster.channels import grey_of
from woad.core.raster.pyramid import Negative, Pyramid
from woad.core.raster.transfer import linear_light

Plane8 = NDArray[np.uint8]
Colour8 = tuple[int, int, int]

_LOOK_PX, _LEAST_PX = 700, 24  # long side that is looked at; short side from which a ground can be told
_BROAD = 0.05  # of the longer side: what is broader than a stroke of chalk or a broad brush
_FAINTEST = 2e-4  # linear light, as noise


def for_work(pyramid: Pyramid, ground: str) -> Pyramid:
    """A squared sheet as it is worked on: its negative where its paper is ``dark``, or, ``auto``, looks as if it were."""
    if ground == "light" or (ground == "auto" and not looks_dark(pyramid)):
        return pyramid
    return Negative(pyramid)


def looks_dark(pyramid: Pyramid) -> bool:
    """Whether marks are light strokes on a dark ground that runs to the sheet's borders all around."""
    pixels = pyramid.whole(pyramid.level_for(_LOOK_PX))
    if min(pixels.shape[:2]) < _LEAST_PX:
        return False
    light = np.maximum(grey_of(linear_light(pixels)), np.float32(_FAINTEST))
    return on_dark_ground(np.asarray(np.log(light)), _BROAD)


@overload
def as_seen(colour: Colour8, negative: bool) -> Colour8: ...
@overload
def as_seen(colour: Plane8, negative: bool) -> Plane8: ...
@overload
def as_seen(colour: Colour8 | Plane8, negative: bool) -> Colour8 | Plane8: ...
def as_seen(colour: Colour8 | Plane8, negative: bool) -> Colour8 | Plane8:
    """One colour, or a picture (h, w, 3) uint8, turned back if it is of a ``negative``."""
    if not negative:
        return colour
    if isinstance(colour, tuple):
        r, g, b = colour
        return 255 - r, 255 - g, 255 - b
    return np.invert(colour)
