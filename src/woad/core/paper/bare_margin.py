"""The margin that a wash leaves along the sheet's rim, where it covers all the rest: most of the sheet is of the wash's tone
and hue then, and would be taken for the paper. Paint takes light away and gives none, so that of two tones with an edge
between them the one that is lighter in every channel is paper; and paper is of one hue, where washes pool.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from woad.core.paper.cells import Cells, along_rim
from woad.core.raster.channels import grey_of, highest, lowest
from woad.core.raster.means import mean_of
from woad.core.raster.nearest import nearest_of
from woad.core.raster.surfaces import low_basis, solved

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

_TOUCHES, _ALL_AROUND = 0.02, 0.8  # shares of the rim that an area of the margin, and all of them, run along
_LEAST, _MOST, _WITHIN = 0.05, 0.5, 0.35  # shares of the sheet: the margin, and what it goes around
_SPANS = 0.6  # share of the sheet's sides that this reaches over
_BESIDE = 14.0  # cells over which both sides of an edge, or of a line, are compared: in nearly the same light
_PLACES = 60  # cells of the margin at its edge, at least, that are compared
# How much lighter in any channel, and less light in one, paint is than paper at each such place; and where most of them are.
_NO_LIGHTER, _DARKER, _MOSTLY, _AS_LIGHT = 0.03, 0.04, 0.75, 0.01
_HUED = 0.04  # how far the channels of such a step are apart from which it has a hue
_POOLS, _TIMES = 0.008, 3.0  # unrest of a wash; as a multiple of the paper's
_CALM, _WIDE = 2.0, 12.0  # cells (sigma) over which unrest is told, and beside the mean of which
_ABOVE, _FEW = 0.1, 0.05  # what is so much lighter than the margin's light is paint on paint, and the margin a wash


def find_bare_margin(cells: Cells) -> Mask | None:
    """Cells (gh, gw) of a margin of paper around a wash that covers all the rest; None where there is none, as on sheets
    with more paper than that, which tells by itself."""
    labels, tone = cells.labels, cells.tone
    along = along_rim(cells)
    along[0] = 0
    outer = along > _TOUCHES
    margin = outer[labels]
    within = (labels > 0) & ~margin
    if float(along[outer].sum()) < _ALL_AROUND or not _LEAST < float(margin.mean()) < _MOST:
        return None
    if float(within.mean()) < _WITHIN or min(within.any(axis=axis).mean() for axis in (0, 1)) < _SPANS:
        return None
    step = _step_down(tone, margin, within)
    if step is None:
        return None
    off, own = (_off_surface(tone, mask) for mask in (margin, within))
    # A sheet on a white table is as even as that, or its relief and its waves have no hue.
    if _unrest(own, within, step) < max(_POOLS, _TIMES * _unrest(off, margin, step)):
        return None
    return margin if float((lowest(off)[within] > _ABOVE).mean()) < _FEW else None


def _step_down(tone: Plane, margin: Mask, within: Mask) -> NDArray[np.float32] | None:
    """By how much (C,) what lies within is off the margin across its edge, where that is darker in every channel that
    differs; else None."""
    away, nearest = nearest_of(within)
    places = np.flatnonzero(margin & (away <= _BESIDE))
    if len(places) < _PLACES:
        return None
    flat = tone.reshape(-1, tone.shape[2])
    step = flat[nearest.ravel()[places]] - flat[places]
    most, least = highest(step), lowest(step)
    down = (most < _NO_LIGHTER) & (least < -_DARKER)
    if float(down.mean()) < _MOSTLY or float(np.median(most)) > _AS_LIGHT:
        return None
    return np.asarray(np.median(step, axis=0), np.float32)


def _off_surface(tone: Plane, mask: Mask) -> Plane:
    """By how much the sheet's tone (gh, gw, C) is off a low surface through what a mask holds."""
    basis = low_basis(mask.shape)
    return np.asarray(tone - basis @ solved(basis, tone, mask.astype(np.float32)))


def _unrest(off: Plane, mask: Mask, step: NDArray[np.float32]) -> float:
    """How much ``off`` (gh, gw, C) varies within a mask beside its mean over some cells, natural log: in hue, if the ``step``
    (C,) between paint and paper has one, else in grey."""
    hued = float(np.ptp(step)) > _HUED
    told = off[..., int(step.argmax())] - off[..., int(step.argmin())] if hued else grey_of(off)
    weight = mask.astype(np.float32)
    even = mean_of(told, weight, _CALM)[0] - mean_of(told, weight, _WIDE)[0]
    return float(np.subtract(*np.percentile(even[mask], (84, 16)))) / 2
