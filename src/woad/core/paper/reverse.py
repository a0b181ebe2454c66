"""The reverse side showing through: faint marks that are softer than the ink's own, apart from it, and nowhere near as dark.

Light that comes from the other side is spread by the paper on its way. A pen's own pale lines are as crisp as its dark ones.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

_INK = 0.5  # darkness, of full ink, from which a mark is sure to be ink
_FAINTEST, _OVER_FLOOR = 0.02, 1.2  # of full ink, and of paper's noise, that a mark is darker
_LEAST_PX, _MANY = 15, 5  # of a piece; pieces that tell
_SHARE = 0.004  # of all marks that are there, at least
_SOFTER, _SOFTEST_ALL = 0.92, 1.0  # of the ink's own crispness: half of what is faint, and nine tenths, have less
_DARKEST = 0.36  # of full ink; what is darker may be ink
_SPARED, _MORE = 0.02, 1.5  # share of the pieces that may be darker; how much darker a place may be than was seen
_BROAD = 0.03  # of the sheet's longer side (half the width), from which a faint mark is a wash
_BOX7 = np.ones((7, 7), np.uint8)


def find_reverse(darkness: Plane, floor: float) -> float:
    """How dark what shows through is at most, as a share of full ink; 0 when nothing does.

    Parameters: ``darkness`` (h, w) float32 of the evened sheet, 700 to 1400 px long, paper 0, full ink 1; ``floor`` of it that
    paper does not reach.
    """
    soft = np.asarray(cv2.GaussianBlur(darkness, (0, 0), 0.8), np.float32)
    marks = soft > max(_FAINTEST, _OVER_FLOOR * floor)
    ink = darkness > _INK
    beside_ink = cv2.dilate(ink.astype(np.uint8), _BOX7) > 0
    if np.count_nonzero(marks & ~beside_ink) < max(_SHARE * np.count_nonzero(ink), _MANY * _LEAST_PX):
        return 0.0
    count, labels = cv2.connectedComponents(marks.astype(np.uint8), connectivity=8)
    own = labels[marks]
    size, touching = np.bincount(own, minlength=count), np.zeros(count, np.bool_)
    touching[labels[beside_ink & marks]] = True
    slope = cv2.magnitude(*(cv2.Scharr(soft, cv2.CV_32F, x, 1 - x, scale=1 / 32) for x in (0, 1)))
    peak, steepest = np.zeros(count, np.float32), np.zeros(count, np.float32)
    np.maximum.at(peak, own, soft[marks])
    np.maximum.at(steepest, own, slope[marks])
    crisp = steepest / np.maximum(peak, 1e-6)
    faint = np.flatnonzero(~touching & (size >= _LEAST_PX))
    inked = np.flatnonzero(touching & (size >= 3 * _LEAST_PX) & (peak > _INK))
    if len(faint) < _MANY or not len(inked) or size[faint].sum() < _SHARE * size.sum():
        return 0.0
    order = faint[np.argsort(crisp[faint])]
    half, most = np.searchsorted(np.cumsum(size[order]), (0.5 * size[faint].sum(), 0.9 * size[faint].sum()))
    usual = float(np.median(crisp[inked]))
    if crisp[order[half]] > _SOFTER * usual or crisp[order[most]] > _SOFTEST_ALL * usual:
        return 0.0
    apart = np.zeros(count, np.uint8)
    apart[faint] = 1
    if cv2.distanceTransform(apart[labels], cv2.DIST_L2, 3).max() > _BROAD * max(darkness.shape):
        return 0.0
    darkest = float(np.quantile(peak[faint], 1 - _SPARED))
    return min(_MORE * darkest, _DARKEST) if darkest < _DARKEST else 0.0
