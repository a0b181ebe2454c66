"""Where a sheet is lighter than its paper as marks are: places with edges, and not sheen or a glare."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.border import border_of

Plane = NDArray[np.float32]

# Of the paper's light: what noise, sheen and light that was read a little wrong do not reach, in so much of a place or of the
# sheet; and what all of it has.
LIGHTER, _MUCH, _PLENTY, GOES_ON = 1.25, 0.3, 0.003, 1.12
_SURELY = 1.35  # the same for a place that shows no paper beside it
_STEP, _STEEP = 0.1, 0.3  # of the paper's light, across an edge of 5 px: glare has none, and hardly any in its middle
_EDGED, MOSTLY = 0.35, 0.6  # shares of a place's rim beside paper that have such edges
INKED, _TOLD = 0.8, 0.1  # of the paper's light, below which ink lies beside; share of a rim that must lie beside paper
_OUTSIDE = 0.2  # of a place's rim, that may lie on the sheet's border
_AS_LIGHT = 0.6  # of what the sure marks are lighter than paper, that another has to be
_LEAST_PX = 6  # area from which a place is no grain
# Shares of the sheet from which there are such marks: all of them have the first, or one the second, which no dust has.
_LEAST, _ONE = 0.001, 0.0004
_BOX5 = np.ones((5, 5), np.uint8)
_LINE = np.ones((11, 11), np.uint8)  # wider than an outline is


def light_places(own: Plane) -> tuple[NDArray[np.bool_], Plane] | None:
    """Where the lightness (h, w) of an evened sheet, paper 1, about 700 to 1400 px long, is clearly lighter than its paper as
    marks are, and that lightness calmed and without lines of ink; None when there is hardly anything.

    Only places with edges count, and none that lies along the sheet's border, beyond which a white table or lid may show.
    """
    grey = np.asarray(cv2.blur(own, (3, 3)), np.float32)
    if not (grey > LIGHTER).any():
        return None
    grey = without_lines(grey)
    # Uneven paint is one place, and its thin spots are no rims; but it may lie on other paint that is a little lighter as well.
    # Beside paint as light as the limit, whose border frays, only a higher one bounds it.
    found = [places_of(grey, GOES_ON), places_of(grey, LIGHTER, _STEEP, MOSTLY)]
    places = [place for place in found if place is not None]
    return (np.asarray(np.logical_or.reduce(places)), grey) if places else None


def without_lines(grey: Plane) -> Plane:
    """A sheet (h, w) without its lines of ink: what lies on both sides of one meets under it, so that paint that ends at its
    outline ends beside paper, and a glare that strokes cross goes on."""
    inked = cv2.dilate((grey < INKED).astype(np.uint8), _BOX5) > 0
    return np.where(inked, cv2.morphologyEx(grey, cv2.MORPH_CLOSE, _LINE), grey)


def places_of(
    grey: Plane, above: float, least: float = _STEP, edged: float = _EDGED, surely: float = LIGHTER
) -> NDArray[np.bool_] | None:
    """Where places of a sheet (h, w) that are lighter than ``above`` are marks, with such a share of their rim ``edged`` by a
    step of the ``least`` size; None when hardly any has much that is lighter than ``surely``."""
    light = (grey > above).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(light, connectivity=8)
    area = stats[:, cv2.CC_STAT_AREA]

    def lighter_than(limit: float) -> NDArray[np.intp]:
        return np.bincount(labels[grey > limit], minlength=count)

    rim = np.flatnonzero(cv2.subtract(light, cv2.erode(light, np.ones((3, 3), np.uint8))))
    low = cv2.erode(grey, _BOX5).ravel()[rim]
    step = cv2.dilate(grey, _BOX5).ravel()[rim] - low
    of = labels.ravel()[rim]
    rims = np.bincount(of, minlength=count)
    beside_paper = low > INKED  # an edge against ink is the ink's
    told = np.bincount(of[beside_paper], minlength=count)
    edges = np.bincount(of[beside_paper & (step > least)], minlength=count)
    # What solid ink encloses may be paper in light that was read a little wrong, but not in light that is far off.
    bounded = (edges >= edged * told) & ((told >= _TOLD * rims) | (lighter_than(_SURELY) > _MUCH * area))
    outer = np.bincount(border_of(labels), minlength=count)
    marks = bounded & (outer < _OUTSIDE * np.maximum(rims, 1)) & (area >= _LEAST_PX)
    marks[0] = False
    bright = lighter_than(surely)
    sure = marks & ((bright > _MUCH * area) | (bright > _PLENTY * light.size))
    if area[sure].sum() < _LEAST * light.size and area[sure].max(initial=0) < _ONE * light.size:
        return None
    # On paper that is toned, paler ones are marks as well: large ones, and those that are nearly as light as the sure ones.
    large = area >= _LEAST * light.size
    as_light = 1 + _AS_LIGHT * (float(np.median(grey[sure[labels]])) - 1)
    return np.asarray((sure | (marks & (large | (lighter_than(as_light) > _MUCH * area))))[labels])
