"""Light marks on a dark ground: what is light on such a sheet is no paper."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.thinning import thinned

Plane = NDArray[np.float32]

_ENOUGH_PX = 400  # long side on which a ground shows
_DARKER = np.log(4.0)  # how much darker than the lightest tone a ground is
_MOST, _BORDER = 0.7, 0.9  # share of the sheet, and of its border, that such a ground takes
_ONE_TONE = 0.4  # spread of a ground's tone (log light), from its 25th to its 75th percentile
_RIM, _BROAD = 0.02, 0.015  # share of the longer side: how wide the border is, and what is broader than strokes
_BROAD_SHARE = 0.15  # of what is light: a sheet on a dark table is broad, and so is paper that paint leaves


def on_dark_ground(guide: Plane, broad_from: float = _BROAD) -> bool:
    """Whether a sheet has a dark ground with light strokes on it, and no light paper. ``guide`` (h, w) log
    light; ``broad_from`` which share of the longer side no stroke is wider than."""
    step = max(1, max(guide.shape) // _ENOUGH_PX)
    guide = guide[::step, ::step]
    dark = guide < float(np.percentile(thinned(guide.ravel()), 99.5)) - _DARKER
    long = max(guide.shape)
    rim = max(1, round(_RIM * long))
    inner = np.zeros(dark.shape, bool)
    inner[rim:-rim, rim:-rim] = True
    if float(dark.mean()) < _MOST or inner.all() or float(dark[~inner].mean()) < _BORDER:
        return False
    low, high = np.percentile(guide[dark], [25, 75])
    if high - low > _ONE_TONE:
        return False
    side = max(3, round(broad_from * long))
    broad = cv2.morphologyEx((~dark).astype(np.uint8), cv2.MORPH_OPEN, np.ones((side, side), np.uint8))
    return float(broad.sum()) < _BROAD_SHARE * float((~dark).sum())
