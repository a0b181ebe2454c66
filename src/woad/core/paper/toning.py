"""Old paper that time has toned: browner towards its borders and in broad stains, deeper in blue than in red, without an edge.

On the page of an old book that goes much farther than light's own hue ever does, and would pass for paint. It is told by what
else there is: warm paper, print of a depth of its own all over it, and between the print one material that changes gradually.
Paint on such paper has edges, or lies in hollows all around which the paper is lighter.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.blocks import spanning
from woad.core.paper.growth import low_order
from woad.core.paper.shading import hollows

Plane = NDArray[np.float32]

_WARM = 0.3  # natural log, red over blue, of paper that is old
_PRINTED, _DARK = 0.08, 1.0  # share of the sheet that print takes, and how dark it is beside its paper, natural log
_CHANGES = 0.15  # natural log, of the tone or the hue, from which on it is worth taking out
_GRADUAL, _ONE_HUE = 0.12, 0.1  # how far nine blocks in ten may lie off the smooth tone, and off its hue
_HOLLOW = 0.1  # natural log, in which something may have been painted
_EVEN = 0.3  # share of a block, at least, that tells
_FEWEST = 0.1  # of the blocks, that tell
_FARTHEST = 0.4, 0.2  # how much deeper red may be than blue where the paper is darker, and green off their mean
# Sigma in blocks, and how far below a block may lie to count, natural log: from the sheet's slope to its stains.
_ROUNDS = ((8.0, 0.4), (5.0, 0.3), (2.5, 0.2), (2.5, 0.12), (2.5, 0.1), (2.5, 0.1))


@dataclass(frozen=True, eq=False)
class Toning:
    """``tone`` (gh, gw, C) float32 natural log of the light that is left beside the lightest paper, on a grid over the whole
    sheet."""

    tone: Plane

    def log_light(self, shape: tuple[int, int]) -> Plane:
        """The same at the cells (h, w) of another grid, (h, w, C)."""
        large = cv2.resize(self.tone, shape[::-1], interpolation=cv2.INTER_LINEAR)
        return np.asarray(large, np.float32).reshape(*shape, self.tone.shape[2])


def find_toning(guide: Plane, tone: Plane, share: Plane, hue: Plane, size: int) -> Toning | None:
    """How the paper of an old page is toned; None for any other sheet.

    Parameters: ``guide`` (h, w) natural log of the sheet's grey, ``tone`` and ``share`` (gh, gw) of its blocks of ``size`` px
    and their ``hue`` (gh, gw, C), as from :mod:`woad.core.paper.blocks`.
    """
    even = share > _EVEN
    if hue.shape[2] < 3 or even.mean() < _FEWEST:
        return None
    level, weight = _upper(tone, share)
    hues = _blurred(hue * weight[..., None], 2.5) / (_blurred(weight, 2.5) + np.float32(1e-3))[..., None]
    lightest = level >= np.percentile(level, 80)
    own = np.median(hues[lightest], axis=0)
    depth, off = float(np.percentile(level, 95)) - level, hues - own
    brown = off[..., 0] - off[..., 2]
    if own[0] - own[2] < _WARM or max(*(np.percentile(depth, 98), np.ptp(np.percentile(brown, [2, 98])))) < _CHANGES:
        return None
    green = off[..., 1] - (off[..., 0] + off[..., 2]) / 2
    gradual = np.percentile(np.abs(tone - level)[even], 90) < _GRADUAL
    one_hue = np.percentile(np.abs(hue - hues).max(axis=2)[even], 90) < _ONE_HUE
    one_hue &= np.percentile(-brown, 98) < _FARTHEST[0] and np.percentile(np.abs(green), 98) < _FARTHEST[1]
    if not (gradual and one_hue) or np.percentile(hollows(level), 99) > _HOLLOW:
        return None
    if (guide < spanning(level, size, *guide.shape) - _DARK).mean() < _PRINTED:
        return None
    h, w = guide.shape
    # Blocks reach beyond the sheet; a grid of as many cells that ends with it.
    full = np.asarray(off - depth[..., None], np.float32)
    large = np.dstack([spanning(np.ascontiguousarray(full[..., c]), size, h, w) for c in range(3)])
    return Toning(np.asarray(cv2.resize(large, tone.shape[::-1], interpolation=cv2.INTER_AREA), np.float32))


def _upper(tone: Plane, share: Plane) -> tuple[Plane, Plane]:
    """The smooth tone that blocks reach up to (gh, gw), and how much each has told of it."""
    level, weight = np.asarray(low_order(tone, share), np.float32), share
    for sigma, below in _ROUNDS:
        off = tone - level
        weight = np.asarray(share * np.exp(-np.square(np.minimum(off, 0) / below)), np.float32)
        level = level + _blurred(weight * off, sigma) / (_blurred(weight, sigma) + np.float32(1e-3))
    return np.asarray(level, np.float32), weight


def _blurred(plane: Plane, sigma: float) -> Plane:
    return np.asarray(cv2.GaussianBlur(np.asarray(plane, np.float32), (0, 0), sigma), np.float32)
