"""By-hand strokes of a docket laid over a squared sheet, ready to be sampled for any tile."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.touches import Place, Touch
from woad.core.paper.evening import sample_grid
from woad.core.paper.hand import BrushStroke, HandGrid, lay_strokes
from woad.core.raster.codes import PAPER_CODE, Codes
from woad.core.raster.tiles import Region
from woad.core.square.frame import Frame

Plane = NDArray[np.float32]

LIGHTEN_D, DEEPEN = 0.25, 1.5  # what full strength does: density taken off; by how much more density is multiplied


@dataclass(frozen=True, eq=False)
class Hand:
    """Strengths 0..1 of each kind of stroke, None where there are no strokes."""

    lighten: HandGrid | None
    darken: HandGrid | None
    strengthen: HandGrid | None


@lru_cache(maxsize=12)
def hand_of(touches: tuple[Touch, ...], frame: Frame) -> Hand:
    """Lay the touches, which are kept on the scan, over the squared sheet seen through ``frame``."""
    out = {}
    for kind in ("lighten", "darken", "strengthen"):
        some = [_stroke(t, frame) for t in touches if t.kind == kind]
        out[kind] = lay_strokes(some, frame.width, frame.height)
    return Hand(out["lighten"], out["darken"], out["strengthen"])


def _stroke(touch: Touch, frame: Frame) -> BrushStroke:
    size = np.array(frame.scan, np.float64)
    points = frame.from_scan(np.asarray(touch.points, np.float64) * size)
    return BrushStroke(points, touch.radius * max(frame.scan), touch.strength)


def on_sheet(places: Sequence[Place], frame: Frame) -> list[Place]:
    """Places kept on the scan as shares of the squared sheet; those trimmed away are left out."""
    if not places:
        return []
    at = frame.from_scan(np.asarray(places, np.float64) * np.array(frame.scan, np.float64))
    shares = at / [frame.width, frame.height]
    return [(float(x), float(y)) for x, y in shares if 0 <= x <= 1 and 0 <= y <= 1]


def _sampled(grid: HandGrid, box: Region, level: int) -> Plane:
    return sample_grid(grid.grid, grid.cell_px, box.x, box.y, box.w, box.h, level)[..., 0]


def lightened(codes: Codes, hand: Hand, box: Region, level: int) -> Codes:
    """Reflectance codes with the lightening strokes: density is taken off, paper cannot get lighter than paper."""
    if hand.lighten is None:
        return codes
    strength = _sampled(hand.lighten, box, level)
    if not strength.any():
        return codes
    gain = np.power(np.float32(10), strength * np.float32(LIGHTEN_D))
    brighter = codes * (gain if codes.ndim == 2 else gain[..., None])
    # Paper that is already bare stays as it is, noise and all.
    return np.asarray(np.maximum(codes, np.minimum(brighter, PAPER_CODE)), np.uint16)


def deepened(codes: Codes, grid: HandGrid | None, box: Region, level: int) -> Codes:
    """Reflectance codes with density multiplied under the strokes: bare paper stays bare, marks get darker."""
    if grid is None:
        return codes
    strength = _sampled(grid, box, level)
    if not strength.any():
        return codes
    power = 1 + DEEPEN * (strength if codes.ndim == 2 else strength[..., None])
    share = codes.astype(np.float32) * np.float32(1 / PAPER_CODE)
    darker = np.power(np.minimum(share, 1), power) * np.maximum(share, 1)
    return np.asarray(np.rint(np.minimum(darker, 1.6) * PAPER_CODE), np.uint16)
