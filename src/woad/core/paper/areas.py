"""Washes told from light: even areas that a crisp edge or a hue sets apart from the paper.

Light changes gradually and alike in all channels; a wash ends in an edge or has a hue of its own. The sheet is cut
along its crisp edges into areas; those that carry on the paper's light are paper, the others are paint. This is
region growing (Adams and Bischof 1994) on areas instead of pixels, with the light as the model that grows.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.cells import BOX3, Cells, along_rim, quantile
from woad.core.paper.rims import jump_at, step_at, unrest_of
from woad.core.paper.smooth_light import HUE, hue_limit, light_through
from woad.core.raster.channels import grey_of, highest

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

_SAME = 0.022  # an area carries on the paper's light when it is no further from it, natural log
_ROUNDS = 8
_OPEN_RIM = 0.25  # share of a gap in paint that edges bound, at most, if no paper shows in it
_JUDGED = 60  # the largest areas are compared across their edges
_REST = 0.02  # of an area, how much other paper there has to be for that to lie a step below it
_ABOVE = 0.1  # share of the sheet that may lie above the light that was found: gouache's whites do
_DIP = 0.12  # natural log, darker than that beside its light no paper lies in a dip of its own
_OPEN = 0.015  # share of the sheet that is worth a second look
_NEAR, _FAR = 14.0, 120.0  # cells from sure paper within which its light is known, with little and much of it


@dataclass(frozen=True, eq=False)
class Areas:
    """``paint`` (h, w) bool, where even paint covers the paper; ``light`` (gh, gw) the paper's log light, coarse."""

    paint: Mask
    light: Plane


def find_areas(cells: Cells, surface: Plane, spread: float, follow: Callable[[], Plane]) -> Areas | None:
    """Tell even paint from paper.

    Parameters: ``cells`` of a sheet of about 500 to 1400 px, as from :func:`woad.core.paper.cells.cut`; ``surface`` (h, w)
    first guess of the paper's log light; ``spread`` the paper's relative standard deviation; ``follow`` gives the log
    light (any size) that goes along with every gradual change, paint's too: asked for where a soft shadow may lie.
    Returns None when the sheet has no even areas to judge (hatching all over), or they tell a wrong story: nothing is
    lighter than paper.
    """
    size = np.bincount(cells.labels.ravel(), minlength=cells.count)
    if cells.count < 2 or size[1:].sum() < 0.04 * cells.labels.size:
        return None
    gh, gw = cells.labels.shape
    guess = cv2.resize(surface, (gw, gh), interpolation=cv2.INTER_AREA)
    seeds = _seeds(cells, guess, size)
    if size[seeds].sum() < 0.02 * cells.labels.size:
        return None
    taken, light = _grown(cells, seeds, size, spread)
    off = cells.tone - light
    if float((grey_of(off) > 0.05 + 2 * spread).mean()) > _ABOVE:
        return None
    wider = _into_shadow(cells, off, follow, size, spread, taken)
    if wider is not taken:
        taken, light = wider, light_through(cells, wider)
    h, w = surface.shape
    paint = _painted(cells, taken, light).astype(np.uint8)
    large = cv2.resize(paint, (w, h), interpolation=cv2.INTER_NEAREST)
    return Areas(np.asarray(large > 0), grey_of(light))


def _grown(cells: Cells, taken: Mask, size: NDArray[np.int64], spread: float) -> tuple[Mask, Plane]:
    """Areas that carry on the light of those ``taken`` to begin with, and that light."""
    light = cells.tone
    for _ in range(_ROUNDS):
        light = light_through(cells, taken)
        off = cells.tone - light
        stepped = _stepped(cells, off, taken, size, unrest_of(cells, off, taken))
        new = (_carry_on(cells, off, size, spread) & ~stepped) | _shaded(cells, off, size)
        new &= taken | (size >= 4)
        if not new.any() or np.array_equal(new, taken):
            break
        taken = new
    return taken, light


def _painted(cells: Cells, taken: Mask, light: Plane) -> Mask:
    """Cells that even paint covers, when the areas ``taken`` are paper in that ``light``."""
    off = cells.tone - light
    grey, edges = grey_of(off), cells.labels == 0
    even = ~taken[cells.labels] & ~edges
    paint = even & (grey < -0.6 * _SAME)
    paint |= _crests(even & ~paint, edges)
    hued = _hued(off, taken[cells.labels] & ~edges).astype(np.uint8)
    # A wash without an edge goes on beyond where its hue can be told.
    wide = cv2.dilate(cv2.erode(hued, np.ones((7, 7), np.uint8)), np.ones((15, 15), np.uint8))
    paint |= (taken[cells.labels] | edges) & ((hued | wide) > 0)
    # Edges all over an area, as in granulating washes and shading: paper is where its light is reached now and then.
    paper = taken[cells.labels] & ~edges
    far = cv2.distanceTransform((~paper).astype(np.uint8), cv2.DIST_L2, 3)
    paint |= edges & (cells.top - grey_of(light) < -1.4 * _SAME) & (far < _NEAR + _FAR * paper.mean())
    # Grain that the edges cut out of a painted area is part of it: what lies around tells.
    known = cv2.blur((~edges).astype(np.float32), (9, 9))
    around = cv2.blur((paint & ~edges).astype(np.float32), (9, 9))
    paint |= edges & (around > 0.6 * known) & (known > 0.1)
    # Its rim belongs to it: edge cells beside paint are paint as well.
    return np.asarray((cv2.dilate(paint.astype(np.uint8), BOX3) > 0) & (paint | edges))


def _crests(gaps: Mask, edges: Mask) -> Mask:
    """Of the ``gaps`` in a wash those without an edge around them: crests of buckled paper that reach up to the light."""
    count, numbers = cv2.connectedComponents(gaps.astype(np.uint8), connectivity=8)
    rim, crisp = (
        np.bincount(numbers[gaps & (cv2.dilate(beside.astype(np.uint8), BOX3) > 0)], minlength=count)
        for beside in (~gaps, edges)
    )
    return np.asarray(gaps & (crisp < _OPEN_RIM * rim)[numbers])


def _seeds(cells: Cells, guess: Plane, size: NDArray[np.int64]) -> Mask:
    """Areas to begin with: the largest that reach up to the first guess. Small ones have to agree with these."""
    off = grey_of(cells.tone) - guess
    taken = np.zeros(cells.count, bool)
    middle, upper = quantile(cells, off, 0.5), quantile(cells, off, 0.9)
    light = (upper > -0.05) & (size >= 12)
    light[0] = False
    if light.any():
        largest = int(np.argmax(np.where(light, size, 0)))
        taken |= light & (middle > -0.02) & (size > 0.25 * size[largest])
        taken[largest] = True
    return taken


def _hued(off: Plane, paper: Mask) -> Mask:
    """Cells whose hue is not the paper's, as far as that is one hue. A shadow's tint grows with its depth and stays small
    beside it."""
    if off.shape[2] == 1:
        return np.zeros(off.shape[:2], bool)
    grey = grey_of(off)
    hue = highest(np.abs(off - grey[..., None]))
    return np.asarray(hue > hue_limit(hue[paper]) + 0.2 * np.abs(grey))


def _hue(cells: Cells, off: Plane, grey: Plane) -> NDArray[np.float64]:
    """How far each area's hue is from the paper's: the channel that is furthest off, by its median."""
    hues = [quantile(cells, np.asarray(off[..., c] - grey, np.float32), 0.5) for c in range(off.shape[2])]
    return np.asarray(np.max(np.abs(hues), axis=0))


def _same_hue(cells: Cells, off: Plane, grey: Plane, middle: NDArray[np.float64]) -> Mask:
    """Areas whose hue may be the paper's; where they are darker, a shadow's tint is allowed for."""
    if off.shape[2] == 1:
        return np.ones(cells.count, bool)
    return np.asarray(_hue(cells, off, grey) < HUE + 0.1 * np.abs(middle))


def _give(size: NDArray[np.int64], spread: float) -> NDArray[np.float64]:
    """How far areas may be from the light: small ones are uncertain by the paper's own unrest."""
    return np.asarray(_SAME + 2.0 * spread / np.sqrt(np.maximum(size, 1) / 4))


def _carry_on(cells: Cells, off: Plane, size: NDArray[np.int64], spread: float) -> Mask:
    """Areas that carry on the light: middle and hue are the paper's."""
    grey = grey_of(off)
    middle = quantile(cells, grey, 0.5)
    give = _give(size, spread)
    fits = (middle > -give) & (middle < give + 0.03)
    fits &= _same_hue(cells, off, grey, middle)
    fits[0] = False
    return np.asarray(fits)


def _stepped(cells: Cells, off: Plane, taken: Mask, size: NDArray[np.int64], unrest: float) -> Mask:
    """Areas that lie a small step below the paper on the other side of their edge: pale washes.

    Both sides of an edge lie in the same light, so a step of one percent tells, whatever is known of the light; but no
    step that the paper's own ``unrest`` makes between places like these.
    """
    out = np.zeros(cells.count, bool)
    order = np.argsort(size[1:])[::-1][:_JUDGED] + 1
    # Crests of a rough paper that its own relief cuts off are no paper that all the rest could lie below.
    others = size[taken].sum() - size * taken
    order = order[(size[order] >= 30) & (others[order] > _REST * size[order])]
    for one in order.tolist():
        step = step_at(cells, off, taken, one)
        out[one] = step is not None and step.down(unrest)
    return out


def _into_shadow(
    cells: Cells, off: Plane, follow: Callable[[], Plane], size: NDArray[np.int64], spread: float, taken: Mask
) -> Mask:
    """``taken`` and the areas that lie with it in a soft shadow: they are as light as the light that is followed, and
    across the marks that part them from paper there is no step. A wash that is followed has one at its rim. Where too little
    of the sheet, without a hue, is darker than paper yet no black, only dips of wavy paper are looked for: what follows
    every change costs time."""
    own = grey_of(off)
    depth = quantile(cells, own, 0.5)
    may = ~taken & _same_hue(cells, off, own, depth) & (size >= 4)
    may[0] = False
    unrest = unrest_of(cells, off, taken)
    if size[may & (depth < -_SAME) & (depth > -1.2) & (size >= 12)].sum() <= _OPEN * cells.labels.size:
        return _joined(taken, may & (depth < 0) & (depth > -_DIP), partial(_level, cells, off, unrest))
    followed = cv2.resize(follow(), cells.labels.shape[::-1], interpolation=cv2.INTER_LINEAR)
    beside = np.asarray(cells.tone - followed[..., None], np.float32)
    middle = quantile(cells, grey_of(beside), 0.5)
    fits = may & (np.abs(middle) < _give(size, spread))

    def goes_on(taken: Mask, one: int) -> bool:
        step = step_at(cells, beside, taken, one, far=True)
        if step is None or step.down(unrest):
            return False
        jump = jump_at(cells, off, taken, one)
        return jump is None or not jump.down(unrest)

    return _joined(taken, fits, goes_on)


def _level(cells: Cells, off: Plane, unrest: float, taken: Mask, one: int) -> bool:
    """Whether an area is as light as what is ``taken`` beyond its edges."""
    jump = jump_at(cells, off, taken, one)
    return jump is not None and not jump.down(unrest)


def _joined(taken: Mask, may: Mask, goes_on: Callable[[Mask, int], bool]) -> Mask:
    """``taken`` and those of the areas that ``may`` join it which go on from it, one after the other; itself if none does."""
    new, more = taken.copy(), True
    while more:
        more = False
        for one in np.flatnonzero(may & ~new).tolist():
            new[one] = goes_on(new, one)
            more |= bool(new[one])
    return taken if np.array_equal(new, taken) else new


def _shaded(cells: Cells, off: Plane, size: NDArray[np.int64]) -> Mask:
    """Areas of paper behind a hard shadow's edge: large, without a hue, running far along the sheet's rim."""
    labels = cells.labels
    along = along_rim(cells)
    grey = grey_of(off)
    middle = quantile(cells, grey, 0.5)
    shaded = (along > 0.1) & (size > 0.04 * labels.size) & (middle < 0) & (middle > -1.2)
    if off.shape[2] > 1:
        shaded &= _hue(cells, off, grey) < 0.015 + 0.1 * np.abs(middle)
    else:
        # Without colour a grey wash looks the same: only what runs along two sides is taken for shadow.
        shaded &= along > 0.25
    shaded[0] = False
    return np.asarray(shaded)
