"""Telling marks from the paper's own noise: floors per scale, and how surely each place holds a mark.

A single threshold either lets grain through or kills faint strokes. Here the darkness is looked at over blocks
of 1, 2, 4 and 8 pixels; averaging lowers the paper's noise, so a faint stroke shows at a coarser scale. Where
nothing stands above the noise at any scale, the place is paper, exactly.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache, lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.codes import PAPER_CODE, Codes, look_up
from woad.core.raster.pyramid import halve

Gate = NDArray[np.uint8]

SCALES = 4
REACH_PX = 32  # how far a pixel's verdict can depend on others
ALIGN_PX = 8  # tiles start at multiples of this, so that blocks fall on the same pixels
_ZERO, _PER_UNIT = 128, 765  # 8-bit darkness: 128 is paper, 765 codes per unit of darkness


def darkness_codes(reflectance: Codes) -> NDArray[np.uint8]:
    """Darkness 1 - R as an 8-bit plane around 128; both signs of the paper's noise are kept."""
    return look_up(reflectance, _darkness_table())


@cache
def _darkness_table() -> NDArray[np.uint8]:
    r = np.arange(65536, dtype=np.float64) / PAPER_CODE
    return np.clip(np.rint(_ZERO + (1 - r) * _PER_UNIT), 0, 255).astype(np.uint8)


def measure_floors(crops: Sequence[Codes]) -> tuple[float, ...]:
    """Darkness that bare paper does not reach, at blocks of 1, 2, 4 and 8 pixels.

    Parameters: ``crops``, reflectance codes (h, w) of parts of the sheet, marks may be on them.
    The paper's *lighter* side is the mirror of its noise and holds no marks, whatever is drawn on it: the floor is
    read from there. Returns darkness (0..1) per scale, at least what 8-bit rounding alone makes.
    """
    lighter: list[list[NDArray[np.float32]]] = [[] for _ in range(SCALES)]
    for crop in crops:
        dark = (np.float32(1) - crop.astype(np.float32) / PAPER_CODE).astype(np.float32)
        for scale in range(SCALES):
            below = -dark[dark < 0]
            lighter[scale].append(below)
            dark = np.asarray(halve(dark), np.float32)
    floors = []
    for scale in range(SCALES):
        side = np.concatenate(lighter[scale]) if lighter[scale] else np.zeros(0, np.float32)
        least = 0.012 / 1.6**scale
        if side.size < 200:
            floors.append(max(least, 0.03 / 1.8**scale))
            continue
        # Half-normal: its 68th percentile is one standard deviation; the far tail tells of ringing and blotches.
        sigma = float(np.percentile(side, 68.3))
        tail = float(np.percentile(side, 100 - 0.02))
        floors.append(max(least, float(np.clip(1.15 * tail, 3.6 * sigma, 7 * sigma))))
    return tuple(floors)


def mark_gate(reflectance: Codes, floors: Sequence[float], softness: float = 0.5) -> Gate:
    """How surely each pixel holds a mark: 0 is paper, 255 a mark, (h, w) uint8.

    Parameters: ``reflectance`` codes (h, w); ``floors`` per scale as from :func:`measure_floors`, for this level;
    ``softness`` 0..1, the share of the floor over which marks fade in.
    """
    dark = darkness_codes(reflectance)
    h, w = dark.shape
    found: list[NDArray[np.uint8]] = []
    level = dark
    for scale in range(SCALES):
        found.append(_evidence(level, floors[scale]))
        if scale + 1 < SCALES:
            level = np.asarray(halve(level), np.uint8)
    around = cv2.dilate(found[-1], _BOX3)
    for scale in range(SCALES - 2, -1, -1):
        fh, fw = found[scale].shape
        up = cv2.resize(around, (around.shape[1] * 2, around.shape[0] * 2), interpolation=cv2.INTER_NEAREST)
        around = cv2.max(cv2.dilate(found[scale], _BOX5 if scale == 0 else _BOX3), up[:fh, :fw])
    # Beside a mark the paper's noise would be let through with it: a pixel must itself be darker than paper,
    # judged over its 3 x 3 neighbours.
    local = _evidence(cv2.GaussianBlur(dark, (3, 3), 0), floors[1] * 0.5)
    return np.asarray(cv2.LUT(cv2.min(around, local), _ramp_table(softness))).reshape(h, w)


_BOX3 = np.ones((3, 3), np.uint8)
_BOX5 = np.ones((5, 5), np.uint8)


def _evidence(dark: NDArray[np.uint8], floor: float) -> NDArray[np.uint8]:
    """Darkness over its floor: 128 at the floor, saturating."""
    code = np.arange(256, dtype=np.float32)
    table = np.clip((code - _ZERO) / (_PER_UNIT * floor) * 128, 0, 255).astype(np.uint8)
    return np.asarray(cv2.LUT(dark, table)).reshape(dark.shape)


@lru_cache(maxsize=64)
def _ramp_table(softness: float) -> NDArray[np.uint8]:
    width = 128 * float(np.clip(softness, 0.02, 0.98))
    x = np.clip((np.arange(256, dtype=np.float32) - (128 - width)) / width, 0, 1)
    return np.rint(x * x * (3 - 2 * x) * 255).astype(np.uint8)
