"""Places that the user says are paper: the light field obeys them."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

_PATCH = 0.004  # half side of what a click reads, share of the longer side
_REACH = 0.14  # how far around it a click changes the light, share of the longer side
_GROUND = 0.6  # the same where it says that a ground of quite another tone is paper


def read_place(linear: Plane, x: float, y: float) -> NDArray[np.float64]:
    """Colour (C,) of a small patch of ``linear`` (h, w, C) around (x, y), shares of width and height 0..1: the mean of the
    middle half of its pixels, as a median would be one of the few codes that dark pixels have."""
    h, w = linear.shape[:2]
    half = max(1, round(_PATCH * max(h, w)))
    cx, cy = int(np.clip(x * w, 0, w - 1)), int(np.clip(y * h, 0, h - 1))
    part = linear[max(cy - half, 0) : cy + half + 1, max(cx - half, 0) : cx + half + 1]
    ranked = np.sort(part.reshape(-1, linear.shape[2]), axis=0)
    quarter = len(ranked) // 4
    return np.asarray(ranked[quarter : len(ranked) - quarter].mean(axis=0), np.float64)


def obey(field: Plane | None, linear: Plane, places: Sequence[tuple[float, float]]) -> Plane:
    """A light field (gh, gw, C) that is exactly the sheet's own value at the ``places`` said to be paper.

    ``field`` is the estimate, or None when there is none: then the places are all there is to go by. Between and around
    them the correction fades (Shepard 1968, weights falling with distance).
    """
    values = np.stack([read_place(linear, x, y) for x, y in places])
    logs = np.log(np.maximum(values, 1e-4))
    wide = field is None
    if field is None:
        field = np.tile(np.exp(logs.mean(axis=0)).astype(np.float32), (24, 24, 1))
    gh, gw = field.shape[:2]
    h, w = linear.shape[:2]
    longer = max(h, w)
    own = np.log(np.maximum(field, np.float32(1e-4)))
    at = np.array([[x * gw - 0.5, y * gh - 0.5] for x, y in places], np.float32)
    y, x = np.mgrid[0:gh, 0:gw].astype(np.float32)
    out = own
    first = np.abs(logs - np.stack([_at(own, ax, ay) for ax, ay in at])).mean(axis=1)
    reach = np.where(wide, 10.0, _REACH + (_GROUND - _REACH) * np.clip((first - 0.15) / 0.4, 0, 1))[:, None, None]
    squares = np.stack([((x - ax) * w / gw / longer) ** 2 + ((y - ay) * h / gh / longer) ** 2 for ax, ay in at])
    weight = np.exp(-squares / (2 * reach**2))
    near = 1 / (squares + 1e-5)
    share = near / near.sum(axis=0)
    # A few rounds: where places lie close together each moves the other's value.
    for _ in range(4):
        there = np.stack([_at(out, ax, ay) for ax, ay in at])
        out = out + np.einsum("nyx,nyx,nc->yxc", weight, share, logs - there).astype(np.float32)
    return np.asarray(np.exp(out), np.float32)


def _at(field: Plane, x: float, y: float) -> NDArray[np.float64]:
    """Bilinear sample of every channel."""
    planes = (np.ascontiguousarray(field[..., c]) for c in range(field.shape[2]))
    return np.array([float(cv2.getRectSubPix(p, (1, 1), (float(x), float(y)))[0, 0]) for p in planes], np.float64)
