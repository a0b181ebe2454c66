"""Thin shapes from end to end: how far along them each pixel lies, and how evenly they cover what they lie on."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.transfer import srgb_decode

Plane = NDArray[np.float32]

_BIN_MM = 0.25  # along a line, over which its deepest pixel tells
_BESIDE_MM = 0.35  # beside it, where its ground is told
_FEWEST = 5  # such lengths tell at least


def ends_of(mask: NDArray[np.bool_]) -> tuple[tuple[NDArray[np.int32], NDArray[np.int32]], int]:
    """How far each pixel of a thin shape lies from its one end and from its other one, px along it (-1 outside), and
    how long it is."""
    y, x = np.nonzero(mask)
    first = _steps(mask, int(y[0]), int(x[0]))
    one = _steps(mask, *_farthest(first))
    two = _steps(mask, *_farthest(one))
    return (one, two), int(one.max())


def _farthest(steps: NDArray[np.int32]) -> tuple[int, int]:
    y, x = np.unravel_index(int(steps.argmax()), steps.shape)
    return int(y), int(x)


def _steps(mask: NDArray[np.bool_], y: int, x: int) -> NDArray[np.int32]:
    """Steps from a pixel to every other one inside a shape, -1 outside it.

    Source: breadth-first search; only the front is looked at in each step, as a net of drawn lines may be as large as the
    sheet and thousands of steps long."""
    wide = np.pad(mask, 1)
    across = wide.shape[1]
    around = np.array([dy * across + dx for dy in (-1, 0, 1) for dx in (-1, 0, 1) if dx or dy])
    left, out = wide.ravel(), np.full(wide.size, -1, np.int32)
    front = np.array([(y + 1) * across + x + 1])
    left[front] = False
    step = 0
    while front.size:
        out[front] = step
        step += 1
        ahead = np.add.outer(front, around).ravel()
        ahead = ahead[left[ahead]]
        left[ahead] = False
        out[ahead] = order = np.arange(len(ahead))
        front = ahead[out[ahead] == order]  # each once
    return out.reshape(wide.shape)[1:-1, 1:-1]


def evenness(
    lightness: Plane, box: tuple[int, int, int, int], mask: NDArray[np.bool_], lighter: bool, mm: float
) -> float:
    """How evenly a thin shape covers what it lies on, 0..1: where it covers least, as a share of where it covers most. A hair
    is nearly as dense all along, whatever it lies on; a line in grain, or a gap between strokes, is not.

    Parameters: ``lightness`` (h, w) float32 encoded 0..255; the shape's ``box`` x, y, w, h and ``mask`` (h, w), widened by its
    own blur; whether it is ``lighter`` than its ground; ``mm`` px to the millimetre.
    """
    beside = max(2, round(_BESIDE_MM * mm))
    left, top = max(box[0] - beside, 0), max(box[1] - beside, 0)
    part = lightness[top : box[1] + box[3] + beside, left : box[0] + box[2] + beside]
    own = np.zeros(part.shape, np.uint8)
    own[box[1] - top : box[1] - top + box[3], box[0] - left : box[0] - left + box[2]] = mask
    light = srgb_decode(np.clip(part / np.float32(255), 0, 1))
    ring = (cv2.dilate(own, np.ones((2 * beside + 1,) * 2, np.uint8)) - own).astype(np.float32)
    weight = cv2.GaussianBlur(ring, (0, 0), beside)
    ground = cv2.GaussianBlur(light * ring, (0, 0), beside) / np.maximum(weight, 1e-3)
    covers = (light - ground) / np.maximum(1 - ground, 0.02) if lighter else 1 - light / np.maximum(ground, 0.02)
    core = cv2.erode(own, np.ones((3, 3), np.uint8)) > 0
    (steps, _), length = ends_of(own > 0)
    each = max(_BIN_MM * mm, 1)
    deepest = np.full(int(length / each) + 1, -np.inf)
    np.maximum.at(deepest, (steps[core] / each).astype(np.intp), covers[core])
    deepest = deepest[np.isfinite(deepest)][1:-1]  # ends taper
    if len(deepest) < _FEWEST:
        return 1.0
    least, most = np.percentile(deepest, (10, 75))
    return float(np.clip(least / max(most, 1e-3), 0, 1))
