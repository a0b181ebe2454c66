"""Mending a spot from its surroundings: small tiles of the picture nearby are laid over it, so that its texture goes on.

The hole is filled tile by tile from its rim inwards, each tile with the place nearby whose rim fits best. Source of the
idea: Criminisi, Perez and Toyama, Region filling and object removal by exemplar-based image inpainting (2004); the tone
at the seam is evened by spreading its differences inwards (cf. Perez, Gangnet and Blake, Poisson image editing, 2003).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Mask = NDArray[np.bool_]
Plane = NDArray[np.float32]

REACH_PX = 48  # how far around a hole its surroundings must be known for a good mend
_CONTEXT, _FEATHER = 6, 1.2


def mend(picture: NDArray[np.generic], hole: Mask, avoid: Mask | None = None, tile_px: int = 20) -> NDArray[np.generic]:
    """The picture (h, w, C) uint8 or uint16 with ``hole`` (h, w) filled; nothing outside the hole's soft rim changes.

    ``avoid`` (h, w) is not to be copied from either: other hairs, other holes. A hole without surroundings stays.
    """
    if not hole.any() or hole.all():
        return picture
    top = 255.0 if picture.dtype == np.uint8 else 65535.0
    work = picture.astype(np.float32)
    unknown = hole.copy()
    bad = hole if avoid is None else hole | avoid
    depth = cv2.distanceTransform(hole.astype(np.uint8), cv2.DIST_L2, 3)
    for y, x in _order(depth, hole, tile_px):
        _fill(work, unknown, bad, y, x, tile_px)
    soft = cv2.GaussianBlur(hole.astype(np.float32), (0, 0), _FEATHER)
    share = np.clip(np.maximum(soft * 2, hole), 0, 1)[..., None]
    out = picture * (1 - share) + work * share
    return np.asarray(np.clip(np.rint(out), 0, top), picture.dtype)


def _order(depth: Plane, hole: Mask, tile: int) -> list[tuple[int, int]]:
    """Corners of the tiles that touch the hole, those nearest to its rim first."""
    out = []
    h, w = hole.shape
    for y in range(0, h, tile):
        for x in range(0, w, tile):
            part = depth[y : y + tile, x : x + tile]
            inside = part[part > 0]
            if inside.size:
                out.append((float(inside.min() + 0.2 * inside.mean()), y, x))
    return [(y, x) for _, y, x in sorted(out)]


def _fill(work: Plane, unknown: Mask, bad: Mask, y: int, x: int, tile: int) -> None:
    """Fill the unknown pixels of one tile, in place."""
    h, w = unknown.shape
    y0, x0 = max(y - _CONTEXT, 0), max(x - _CONTEXT, 0)
    y1, x1 = min(y + tile + _CONTEXT, h), min(x + tile + _CONTEXT, w)
    todo = np.zeros((y1 - y0, x1 - x0), bool)
    inner = (slice(y - y0, min(y + tile, h) - y0), slice(x - x0, min(x + tile, w) - x0))
    todo[inner] = unknown[y : y + tile, x : x + tile]
    if not todo.any():
        return
    known = ~unknown[y0:y1, x0:x1]
    ring = known & (cv2.dilate(todo.astype(np.uint8), np.ones((2 * _CONTEXT + 1,) * 2, np.uint8)) > 0)
    if ring.sum() < 8:
        ring = known
    source = _best(work, bad, (y0, x0, y1, x1), todo, ring)
    if source is None:
        spread = _spread(work[y0:y1, x0:x1], known if known.any() else ~todo)
        work[y0:y1, x0:x1][todo] = spread[todo]
    else:
        sy, sx = source
        patch = work[sy : sy + y1 - y0, sx : sx + x1 - x0]
        # What the seam is off by is spread over the tile, so that neither a step nor a smear is seen.
        off = _spread(work[y0:y1, x0:x1] - patch, ring)
        work[y0:y1, x0:x1][todo] = (patch + off)[todo]
    unknown[y0:y1, x0:x1][todo] = False


def _best(work: Plane, bad: Mask, box: tuple[int, int, int, int], todo: Mask, ring: Mask) -> tuple[int, int] | None:
    """Where nearby the picture fits the tile's ring best, and what would be copied is good; None when nowhere."""
    y0, x0, y1, x1 = box
    h, w = bad.shape
    reach = REACH_PX
    top, left = max(y0 - reach, 0), max(x0 - reach, 0)
    area = work[top : min(y1 + reach, h), left : min(x1 + reach, w)]
    spoiled = bad[top : min(y1 + reach, h), left : min(x1 + reach, w)].astype(np.float32)
    use = todo.astype(np.float32)
    blocked = cv2.matchTemplate(spoiled, use, cv2.TM_CCORR) > 0.5
    if blocked.all():
        return None
    weight = ring.astype(np.float32)
    tile = work[y0:y1, x0:x1]
    cost = np.zeros(blocked.shape, np.float32)
    free = 1 - spoiled
    for c in range(work.shape[2]):
        plane = np.ascontiguousarray(area[..., c])
        goal = np.ascontiguousarray(tile[..., c]) * weight
        # Sum over the ring of (area - goal)^2, with spoiled pixels left out of account.
        masked = plane * free
        cost += cv2.matchTemplate(masked * masked, weight, cv2.TM_CCORR)
        cost -= 2 * cv2.matchTemplate(masked, goal, cv2.TM_CCORR)
        cost += cv2.matchTemplate(free, goal * goal, cv2.TM_CCORR)
    seen = cv2.matchTemplate(free, weight, cv2.TM_CCORR)
    cost = cost / np.maximum(seen, 1)
    cost[blocked | (seen < 0.6 * weight.sum())] = np.inf
    if not np.isfinite(cost).any():
        return None
    sy, sx = np.unravel_index(int(np.argmin(cost)), cost.shape)
    return top + int(sy), left + int(sx)


def _spread(values: Plane, known: Mask) -> Plane:
    """Values (h, w, C) smoothed, and carried from where they are ``known`` to everywhere else."""
    weight = known.astype(np.float32)
    out = np.zeros_like(values)
    left = np.ones(known.shape, bool)
    for sigma in (2.5, 8.0, 24.0):
        den = cv2.GaussianBlur(weight, (0, 0), sigma)
        num = cv2.GaussianBlur(values * weight[..., None], (0, 0), sigma).reshape(values.shape)
        fresh = left & (den > 0.02)
        out[fresh] = (num / np.maximum(den, 1e-6)[..., None])[fresh]
        left &= ~fresh
    if left.any() and known.any():
        out[left] = values[known].mean(axis=0)
    return out
