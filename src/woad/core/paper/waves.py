"""Waves of light that go on under paint: buckled paper throws them, and even paint shows them as well as paper does.

Paint that varies as much as its paper is as even as that paper was lit; what it varies more is its own. Source: Wiener's
filter, which keeps the wanted signal's share of a variation.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.growth import smooth

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

_SLOW = 6.0  # blocks, sigma of what is no wave but the light's fall-off, or a wash's own grading
_WHOLE = 0.98  # share of a block that paint covers
_MIXED, _RIM = 1, 2  # blocks from paper within which one may show some of it; within which the light is known well
_FEWEST = 8  # blocks of rim that tell how deep a wash is
_NOISE = 0.0015  # natural log, waves of paper that are none


def under_paint(tone: Plane, surface: Plane, covered: Plane, parts: NDArray[np.int32]) -> Plane:
    """The light with the waves that show on paint.

    Parameters: ``tone`` (gh, gw) log tone per block; ``surface`` (gh, gw) the paper's log light, bridged under paint;
    ``covered`` (gh, gw) share of a block that is paint; ``parts`` (gh, gw) number of the even area a block lies in, 0 for
    none. Returns the log light (gh, gw).
    """
    paper, painted = covered < 1 - _WHOLE, covered > _WHOLE
    if not painted.any() or not paper.any():
        return surface
    height = _unrest(surface, paper) - _NOISE**2
    if height <= 0:
        return surface
    depth = cv2.distanceTransform(painted.astype(np.uint8), cv2.DIST_C, 3)
    off, waves, known = tone - surface, np.zeros_like(surface), paper.copy()
    for one in np.unique(parts[painted & (parts > 0)]).tolist():
        own = (depth > _MIXED) & (parts == one)
        rim = off[own & (depth <= _RIM)]
        if rim.size < _FEWEST:
            continue
        believed = height / max(height, _unrest(tone, own))
        waves[own] = np.float32(believed) * (off[own] - rim.mean())
        known |= own
    slow = smooth(waves, known.astype(np.float32), _SLOW, np.zeros_like(waves), 0.03)
    return np.asarray(surface + np.where(painted, waves - slow, 0), np.float32)


def _unrest(plane: Plane, where: Mask) -> float:
    """Variance of what is not slow in a ``plane``, over the blocks ``where``."""
    slow = smooth(plane, where.astype(np.float32), _SLOW, np.full_like(plane, plane[where].mean()), 1e-3)
    return float(np.var((plane - slow)[where]))
