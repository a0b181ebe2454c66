"""The picture with paper, from finished planes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from woad.core.raster.compositing import on_white
from woad.core.render.whole import Planes


def paper_picture(planes: Planes, rows: slice = slice(None)) -> NDArray[np.uint8]:
    """The sheet on its white paper, (h, w, 3) uint8, of the given rows."""
    if planes.paper_rgb is not None:
        return planes.paper_rgb[rows]
    assert planes.tone is not None
    tone = np.ascontiguousarray(planes.tone[rows])
    return on_white(tone, planes.ink_rgb)
