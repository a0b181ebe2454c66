"""Counts behind the overlays, over the whole sheet: strokes the settings lose, paper they keep."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from woad.core.docket.model import Docket
from woad.core.raster.tiles import Region
from woad.core.render.region import RegionCache, overlay_region
from woad.core.render.sheet import Sheet

_CHECK_PX = 1800


@dataclass(frozen=True)
class Checks:
    """``lost`` pieces of strokes and ``lost_share`` of the sheet's area; ``kept_share`` of paper not yet gone."""

    lost: int
    lost_share: float
    kept_share: float


def check_sheet(sheet: Sheet, docket: Docket) -> Checks:
    """Count on a reduced level: lost strokes as connected components, paper kept as a share of the area."""
    level = sheet.pyramid.level_for(_CHECK_PX)
    w, h = sheet.pyramid.size(level)
    cache = RegionCache()
    box = Region(0, 0, w, h)
    lost = overlay_region(sheet, docket, "lost", level, box, cache)
    kept = overlay_region(sheet, docket, "kept", level, box, cache)
    count, _, stats, _ = cv2.connectedComponentsWithStats(lost, connectivity=8)
    # A single pixel at this level is as likely the paper's noise as a stroke.
    large = int((stats[1:, cv2.CC_STAT_AREA] >= 12).sum()) if count > 1 else 0
    return Checks(large, float(np.count_nonzero(lost)) / lost.size, float(np.count_nonzero(kept)) / kept.size)
