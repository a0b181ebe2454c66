"""What the hues of small pieces say of them: dust and hairs are grey or brownish, and seldom of the artwork's own colours."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.estimate import NoEstimate
from woad.core.paper.evening import sample_places
from woad.core.raster.channels import grey_of
from woad.core.raster.transfer import linear_light
from woad.core.render.recipe import make_recipe
from woad.core.render.sheet import Sheet
from woad.core.spotting.closeup import off_line, off_palette
from woad.core.spotting.judge import HUES
from woad.core.spotting.pieces import GONE, Pieces

Floats = NDArray[np.float64]

_PALETTE = 500  # places of the artwork whose colours are looked at
_AT_PX = 1400  # longer side of the picture they are looked at on
_DEEP, _FAINT = 95, 0.06  # percentile of the light that they take; what takes less has no hue to speak of


def hues_of(sheet: Sheet, docket: Docket, pieces: Pieces, taken: Floats) -> Floats:
    """What hues say of ``pieces``, (n, len(HUES)), as :func:`woad.core.spotting.judge.features` takes it. ``taken`` (n, C)
    light that each takes."""
    out = np.zeros((len(taken), len(HUES)))
    if taken.shape[1] != 3:
        return out
    ink = sheet.readings.ink
    if make_recipe(docket, sheet.readings).one_ink:
        line = 1 - (np.zeros(3) if isinstance(ink, NoEstimate) else np.asarray((ink.reflectance * 3)[:3]))
        out[:, 0], out[:, 2] = off_line(taken, line), off_line(np.ones((1, 3)), line)
    else:
        size = np.maximum(np.linalg.norm(taken, axis=1), 1e-3)
        out[:, 1] = 1 - np.minimum((taken.max(axis=1) - taken.min(axis=1)) / size * 2, 1.0)
    paint = _palette(sheet, pieces)
    if len(paint):
        out[:, 3] = off_palette(taken, paint)
        deep = float(np.percentile(grey_of(paint.astype(np.float32)), _DEEP))
        out[:, 4] = np.minimum(grey_of(taken.astype(np.float32)) / deep, 4.0)
    return out


def _palette(sheet: Sheet, pieces: Pieces) -> Floats:
    """Light that the artwork takes at places all over it, (k, 3)."""
    own = np.flatnonzero(pieces.labels.ravel() == GONE)
    own = own[:: max(1, len(own) // _PALETTE)]
    if not len(own):
        return np.zeros((0, 3))
    y, x = np.divmod(own, pieces.labels.shape[1])
    at = (np.column_stack([x, y]) + 0.5) * pieces.block_px
    pyramid, readings = sheet.pyramid, sheet.readings
    level = pyramid.level_for(_AT_PX)
    w, h = pyramid.size(level)
    place = np.clip((at / (1 << level)).astype(np.intp), 0, [w - 1, h - 1])
    paper = np.maximum(sample_places(readings.light, readings.cell_px, at), 1e-3)
    taken = 1 - linear_light(pyramid.whole(level)[place[:, 1], place[:, 0]]) / paper
    taken = np.maximum(taken, 0).astype(np.float64)
    return np.asarray(taken[taken.max(axis=1) > _FAINT])
