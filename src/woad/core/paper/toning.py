"""Pages full of print: between it lies one material, however much it changes from place to place.

Time tones old paper, browner towards its borders and in broad stains, deeper in blue than in red and without an edge; and
where a page bends towards the binding the light falls off by more than could be followed on so little bare paper. Both would
pass for paint. They are told by what else there is: print of a depth of its own all over the page, in its darkest parts as
well. Paint has edges, or lies in hollows all around which the paper is lighter.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.blocks import spanning, to_blocks
from woad.core.paper.growth import low_order
from woad.core.paper.shading import hollows

Plane = NDArray[np.float32]

_WARM = 0.3  # natural log, red over blue, of paper that is old
_PRINTED, _DARK = 0.08, 1.0  # share of the sheet that print takes, and how dark it is beside its paper, natural log
# Share of a block that print takes, where there is some and where it is solid; of blocks that have some, where light falls off,
# at least, and of those that are solid, at most.
_SOME, _SOLID, _ALL_OVER, _FEW_SOLID = 0.02, 0.5, 0.4, 0.3
# Natural log, of the tone or the hue, from which on it is worth taking out; and of light, which is followed for less.
_CHANGES, _FALLS = 0.15, 0.3
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
    sheet; whether that paper is ``brown``, so that time has toned it."""

    tone: Plane
    brown: bool

    def log_light(self, shape: tuple[int, int]) -> Plane:
        """The same at the cells (h, w) of another grid, (h, w, C)."""
        large = cv2.resize(self.tone, shape[::-1], interpolation=cv2.INTER_LINEAR)
        return np.asarray(large, np.float32).reshape(*shape, self.tone.shape[2])


def find_toning(guide: Plane, tone: Plane, share: Plane, hue: Plane, size: int) -> Toning | None:
    """How the paper between print changes; None for any other sheet.

    Parameters: ``guide`` (h, w) natural log of the sheet's grey, ``tone`` and ``share`` (gh, gw) of its blocks of ``size`` px
    and their ``hue`` (gh, gw, C), as from :mod:`woad.core.paper.blocks`.
    """
    even = share > _EVEN
    if even.mean() < _FEWEST:
        return None
    level, weight = _upper(tone, share)
    depth = float(np.percentile(level, 95)) - level
    hues = _blurred(hue * weight[..., None], 2.5).reshape(hue.shape)
    hues = hues / (_blurred(weight, 2.5) + np.float32(1e-3))[..., None]
    own = np.median(hues[level >= np.percentile(level, 80)], axis=0)
    off = hues - own
    # Age changes the hue as well; without that, or on paper that is not brown, it can only be light.
    old = hue.shape[2] == 3 and own[0] - own[2] > _WARM
    old = old and float(np.ptp(np.percentile(off[..., 0] - off[..., 2], [2, 98]))) > _CHANGES
    changes = old or float(np.percentile(depth, 98)) > _FALLS
    gradual = np.percentile(np.abs(tone - level)[even], 90) < _GRADUAL
    if not (changes and gradual and _browner(hue, hues, off, even)) or np.percentile(hollows(level), 99) > _HOLLOW:
        return None
    printed = guide < spanning(level, size, *guide.shape) - _DARK
    if printed.mean() < _PRINTED:
        return None
    if not old:
        # Light falls on print as well, which has gaps everywhere; a sky that was drawn has none in it, a drawing solid parts.
        in_blocks = to_blocks(printed.astype(np.float32), size)[depth > _CHANGES]
        some = float((in_blocks > _SOME).mean())
        if some < _ALL_OVER or (in_blocks > _SOLID).mean() > _FEW_SOLID * some:
            return None
    h, w = guide.shape
    # Blocks reach beyond the sheet; a grid of as many cells that ends with it.
    full = np.asarray(off - depth[..., None], np.float32)
    large = np.dstack([spanning(np.ascontiguousarray(full[..., c]), size, h, w) for c in range(full.shape[2])])
    few = cv2.resize(large, tone.shape[::-1], interpolation=cv2.INTER_AREA)
    return Toning(np.asarray(few, np.float32).reshape(*tone.shape, full.shape[2]), bool(old))


def _browner(hue: Plane, smooth: Plane, off: Plane, even: NDArray[np.bool_]) -> bool:
    """Whether blocks have one hue that changes smoothly, and is off its own as age or lamps make it."""
    if hue.shape[2] != 3:
        return True
    red, green, blue = (off[..., channel] for channel in range(3))
    return bool(
        np.percentile(np.abs(hue - smooth).max(axis=2)[even], 90) < _ONE_HUE
        and np.percentile(blue - red, 98) < _FARTHEST[0]
        and np.percentile(np.abs(green - (red + blue) / 2), 98) < _FARTHEST[1]
    )


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
