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
WEAK = (0.4, 0.55)  # evidence, in floors, along which a sure mark is followed
FOLLOW_STEPS = 5  # of 2 pixels
LOCAL_GRAINY = 0.2
LOCAL = 0.9  # a pixel beside a mark counts from this share of the 2-pixel floor on
# What is lighter than paper by that share, alone and in the mean around it, is white paint on toned paper, and no noise.
_LIGHTER, _LIGHTER_AROUND = 0.5, 0.15
_WIDE, _LIGHTER_WIDELY = 17, 0.06  # px; and the same in the mean over so many, where light was read too dark
_ZERO = 128  # 8-bit darkness: 128 is paper
# Codes per unit of darkness, and up to which floors: a scale has to hold a good deal more than the floor.
_FINENESS = ((0.11, 765), (0.22, 382), (np.inf, 119))


def darkness_codes(reflectance: Codes, per_unit: int = _FINENESS[0][1]) -> NDArray[np.uint8]:
    """Darkness 1 - R as an 8-bit plane around 128; both signs of the paper's noise are kept."""
    return look_up(reflectance, _darkness_table(per_unit))


@cache
def _darkness_table(per_unit: int) -> NDArray[np.uint8]:
    r = np.arange(65536, dtype=np.float64) / PAPER_CODE
    return np.clip(np.rint(_ZERO + (1 - r) * per_unit), 0, 255).astype(np.uint8)


def measure_floors(crops: Sequence[Codes], scales: int = SCALES) -> tuple[float, ...]:
    """Darkness that bare paper does not reach, at blocks of 1, 2, 4 and 8 pixels, or the first ``scales`` of these.

    Parameters: ``crops``, reflectance codes (h, w) of parts of the sheet, marks may be on them.
    The paper's *lighter* side is the mirror of its noise and holds no marks, whatever is drawn on it: the floor is
    read from there. Returns darkness (0..1) per scale, at least what 8-bit rounding alone makes.
    """
    lighter: list[list[NDArray[np.float32]]] = [[] for _ in range(scales)]
    for crop in crops:
        dark = (np.float32(1) - crop.astype(np.float32) / PAPER_CODE).astype(np.float32)
        light = dark < -_LIGHTER
        light |= cv2.blur(dark, (5, 5)).reshape(dark.shape) < -_LIGHTER_AROUND
        widely = cv2.blur(dark, (_WIDE, _WIDE)).reshape(dark.shape) < -_LIGHTER_WIDELY
        if widely.any():  # up to its rim, where the mean holds paper beside it
            light |= cv2.dilate(widely.astype(np.uint8), np.ones((_WIDE, _WIDE), np.uint8)) > 0
        if light.any():
            dark[cv2.dilate(light.astype(np.uint8), _BOX7) > 0] = 0
        for scale in range(scales):
            if scale:
                dark = np.asarray(halve(dark), np.float32)
            lighter[scale].append(-dark[dark < 0])
    floors = []
    for scale in range(scales):
        side = np.concatenate(lighter[scale]) if lighter[scale] else np.zeros(0, np.float32)
        least = 0.012 / 1.6**scale
        if side.size < 200:
            floors.append(max(least, 0.03 / 1.8**scale))
            continue
        # Half-normal: its 68th percentile is one standard deviation; the far tail tells of ringing and blotches.
        sigma, tail = np.percentile(side, [68.3, 100 - 0.01]).tolist()
        floors.append(max(least, float(np.clip(1.15 * tail, 4.1 * sigma, 7 * sigma))))
    return tuple(floors)


def mark_gate(
    reflectance: Codes, floors: Sequence[float], softness: float = 0.5, grainy: bool = False, peak: float = 0.0
) -> Gate:
    """How surely each pixel holds a mark: 0 is paper, 255 a mark, (h, w) uint8.

    Parameters: ``reflectance`` codes (h, w); ``floors`` per scale as from :func:`measure_floors`, for this level;
    ``softness`` 0..1, the share of the floor over which marks fade in; ``grainy`` for pencil and the like, whose own
    faint grain goes down to the paper's; ``peak`` darkness that a mark must reach somewhere near, 0 for any: blotches
    of mottled or foxed paper and the other side's print are broad and dark enough, but never as dark as ink.
    """
    per_unit = next(codes for up_to, codes in _FINENESS if max(floors) <= up_to)
    dark = darkness_codes(reflectance, per_unit)
    h, w = dark.shape
    found = _pyramid_evidence(dark, floors, per_unit)
    sure = _ramp_table(1 - softness / 4, 1 + softness / 4)
    near = cv2.LUT(_upwards(found[1:]), sure)
    near = _follow(near, cv2.LUT(cv2.max(found[1], _enlarge(found[2], found[1])), _ramp_table(*WEAK)))
    near = cv2.max(cv2.dilate(cv2.LUT(found[0], sure), _BOX5), _enlarge(cv2.dilate(near, _BOX3), found[0]))
    # Beside a mark the paper's noise would be let through with it: a pixel must itself be darker than paper,
    # judged over its 3 x 3 neighbours.
    local = _evidence(cv2.GaussianBlur(dark, (3, 3), 0), floors[1] * (LOCAL_GRAINY if grainy else LOCAL), per_unit)
    gate = np.asarray(cv2.min(near, cv2.LUT(local, _ramp_table(0.4, 1.0)))).reshape(h, w)
    return gate if peak <= 0 else np.asarray(cv2.min(gate, _reaches(reflectance, peak)))


def _reaches(reflectance: Codes, peak: float) -> Gate:
    """255 where something as dark as ``peak`` lies within about 3 px, judged over 3 x 3 so that noise does not count."""
    top = (1 - peak) * PAPER_CODE
    depth = cv2.GaussianBlur(reflectance, (3, 3), 0)
    deep = cv2.convertScaleAbs(
        cv2.subtract(np.full_like(depth, round(top * 1.05)), depth), alpha=255 / (0.05 * top + 1)
    )
    return np.asarray(cv2.blur(cv2.dilate(deep, _BOX5), (3, 3)), np.uint8)


def _pyramid_evidence(dark: Gate, floors: Sequence[float], per_unit: int) -> list[Gate]:
    found = [_evidence(dark, floors[0], per_unit)]
    # Coarser averages take no more from a pixel than a little over the floor: a deep stroke then does not make all
    # the paper around it look like a mark.
    level = np.asarray(np.minimum(dark, min(round(_ZERO + 1.3 * per_unit * floors[0]), 255)))
    for scale in range(1, SCALES):
        level = np.asarray(halve(level), np.uint8)
        found.append(_evidence(level, floors[scale], per_unit))
    return found


def _upwards(found: list[Gate]) -> Gate:
    """The strongest evidence of all scales, at the finest of them, each a little widened."""
    around = found[-1]
    for one in reversed(found[:-1]):
        around = np.asarray(cv2.max(cv2.dilate(one, _BOX3), _enlarge(around, one)))
    return around


def _enlarge(coarse: NDArray[np.generic], like: NDArray[np.generic]) -> Gate:
    """Twice the size, cut to the shape of ``like``."""
    size = (coarse.shape[1] * 2, coarse.shape[0] * 2)
    return np.asarray(cv2.resize(coarse, size, interpolation=cv2.INTER_NEAREST))[: like.shape[0], : like.shape[1]]


def _follow(seed: NDArray[np.generic], weak: NDArray[np.generic]) -> Gate:
    """Let sure marks run on along weak evidence that hangs together with them, for a limited way.

    Grey-scale reconstruction by dilation (Vincent 1993), stopped after a few steps so that tiles agree.
    """
    for _ in range(FOLLOW_STEPS):
        seed = cv2.max(seed, cv2.min(cv2.dilate(seed, _BOX3), weak))
    return np.asarray(seed)


_BOX3 = np.ones((3, 3), np.uint8)
_BOX5 = np.ones((5, 5), np.uint8)
_BOX7 = np.ones((7, 7), np.uint8)


def _evidence(dark: NDArray[np.uint8], floor: float, per_unit: int) -> NDArray[np.uint8]:
    """Darkness over its floor: 128 at the floor, saturating."""
    code = np.arange(256, dtype=np.float32)
    table = np.clip((code - _ZERO) / (per_unit * floor) * 128, 0, 255).astype(np.uint8)
    return np.asarray(cv2.LUT(dark, table)).reshape(dark.shape)


@lru_cache(maxsize=64)
def _ramp_table(start: float, full: float) -> NDArray[np.uint8]:
    """Evidence (128 at the floor) to gate, from 0 at ``start`` floors to 255 at ``full`` floors."""
    x = np.clip((np.arange(256, dtype=np.float32) / 128 - start) / max(full - start, 1e-3), 0, 1)
    return np.rint(x * x * (3 - 2 * x) * 255).astype(np.uint8)
