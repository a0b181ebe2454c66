"""Soft tones that are drawn on the sheet: smudged pencil, charcoal rubbed with a stump, a wash that runs out into wet paper.

They have no edge and no hue, so that from place to place they look like uneven light. But light comes from outside: where
it falls off or is kept off, a way leads out to the sheet's border that gets no lighter. A hollow all around which the paper
is lighter is drawn. Source: filling of hollows by reconstruction (Vincent, Morphological grayscale reconstruction in image
analysis, 1993).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.growth import low_order
from woad.core.raster.border import border_of

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

# Natural log: how deep a hollow is from which on it is drawn (buckled paper has hollows of 0.04, mottled tracing paper of
# 0.1), and how deep it is where it ends.
_DRAWN, _ENDS = 0.13, 0.02
_SOLID = 1.2  # from where no light is as deep: of itself that tells nothing
_WAVES = 0.05  # how deep hollows of buckled paper are at most
_PER_SPREAD = 2.0  # of the paper's spread, its least depth: rough paper is uneven in itself
_FEWEST = 4  # blocks as deep as that; a dark spot has fewer
_PART = 0.2  # share of a tone that is as deep as that; and that was a hollow before a shadow was taken out of it
# Of its border that may be darker, in per cent, where no shadow is left; and by how much.
_FEW_OF_BORDER, _CALM = 5, 0.04
_DEEPEST, _AS_DEEP = 5, 0.65  # of a hollow, in per cent; share of the shadows' depth that is as good as theirs
# Directions that are looked along, and in how many of them a tone that is drawn is enclosed, by how much.
_LINES, _MOST_LINES, _ENCLOSED = 8, 5, 0.06
_NOWHERE, _BACK = -9.0, cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
_BOX3 = np.ones((3, 3), np.uint8)


def shading_of(tone: Plane, lit: Plane, spread: float) -> Mask:
    """Blocks of soft shading, and of all else that hangs together with it or covers blocks as thinly.

    Parameters: ``tone`` (gh, gw) log tone of the lightest material per block; ``lit`` (gh, gw) first guess of the paper's
    log light; ``spread`` the paper's relative standard deviation.
    """
    depth = hollows(np.asarray(tone - lit, np.float32))
    ends = max(_ENDS, _PER_SPREAD * spread)
    deep = (depth > _DRAWN) & (depth < _SOLID)
    drawn = _holding(deep, depth > ends)
    waves = depth[(depth > ends) & ~drawn]
    usual = float(np.percentile(waves, 90)) if waves.size >= _FEWEST else 0.0
    if not drawn.any() or not 0 < usual < _WAVES:
        return drawn
    # Paper that has hollows of its own has them beside what is drawn as well.
    return _holding(deep, depth > usual)


def widened(drawn: Mask, tone: Plane, share: Plane, spread: float, taken: Plane, bent: bool) -> Mask:
    """``drawn`` blocks, those that hang together with them once shadows are out of the ``tone`` (gh, gw), and hollows that
    only their slopes had opened to the border; ``share`` (gh, gw) of a block that is even, ``taken`` (gh, gw) natural log of
    what the shadows left. A hollow nearly as deep as the shadows are, which reaches to where they are deep, is a part of
    them if their edge is ``bent``, as a finger's at a hand's; and where the border is dark yet, any new hollow may be a part
    of another shadow."""
    lit = low_order(tone, share * ~drawn)
    hollow = shading_of(tone, lit, spread)
    told = drawn | _holding(drawn, hollow)
    off = tone - lit
    if float(np.percentile(border_of(off), _FEW_OF_BORDER)) < -_CALM:
        return told
    count, numbers = cv2.connectedComponents((hollow & ~told).astype(np.uint8), connectivity=8)
    as_deep = _AS_DEEP * float(taken.min())
    for i in range(1, count):
        own = numbers == i
        beside = cv2.dilate(own.astype(np.uint8), _BOX3) > 0
        reaches = float(np.percentile(off[own], _DEEPEST)) <= as_deep and float(taken[beside].min()) <= as_deep
        if not (bent and reaches):
            told |= own
    return told


def enclosed(tone: Plane) -> Mask:
    """Blocks that are darker than both sides of them along most straight lines through them, (gh, gw): drawn tones, beside
    a shadow's edge as well, behind which all is dark up to the border. A shadow's own blocks have no such lines along its
    edge or across it. ``tone`` (gh, gw) natural log."""
    h, w = tone.shape
    side = int(np.ceil(np.hypot(h, w))) + 2
    depths = []
    for i in range(_LINES):
        turn = cv2.getRotationMatrix2D((w / 2 - 0.5, h / 2 - 0.5), i * 180 / _LINES, 1)
        turn[:, 2] += (side - w) / 2, (side - h) / 2
        level = cv2.warpAffine(tone, turn, (side, side), borderMode=cv2.BORDER_CONSTANT, borderValue=_NOWHERE)
        ahead = np.maximum.accumulate(level, axis=1)
        behind = np.maximum.accumulate(level[:, ::-1], axis=1)[:, ::-1]
        depths.append(cv2.warpAffine(np.minimum(ahead, behind) - level, turn, (w, h), flags=_BACK))
    return np.asarray((np.stack(depths) > _ENCLOSED).sum(axis=0) >= _MOST_LINES, np.bool_)


def hollows(plane: Plane) -> Plane:
    """How deep each place of a ``plane`` (h, w) lies below the lowest way from it to the border, (h, w), 0 or more."""
    level = plane.copy()
    level[1:-1, 1:-1] = plane.max()
    while True:
        lower = np.maximum(cv2.erode(level, _BOX3), plane)
        if np.array_equal(lower, level):
            return np.asarray(level - plane, np.float32)
        level = lower


def _holding(some: Mask, areas: Mask) -> Mask:
    """Those of the ``areas`` (gh, gw) that ``some`` blocks are a good part of, and more than a spot."""
    count, numbers = cv2.connectedComponents(areas.astype(np.uint8), connectivity=8)
    size = np.bincount(numbers.ravel(), minlength=count)
    held = np.bincount(numbers[some], minlength=count) >= np.maximum(_FEWEST, _PART * size)
    held[0] = False
    return np.asarray(held[numbers])
