"""Bent or missing corners of a sheet: where the table shows inside the sheet's four sides."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.outline import widened
from woad.core.raster.transfer import encoded_shares
from woad.core.square.frame import Outlines
from woad.core.square.lines import sample

Points = NDArray[np.float64]

_SIDE = 96  # px of the square that a corner is looked at in
_ZONE = 0.14  # how far from the corner, share of the side
_LEAST = 0.0015  # of the zone's area, from which on a corner counts as bent
# Taken away around it, shares of the zone: the fold's own shading.
_AROUND = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [0, 1.4], [1.4, 0]]) * 0.035


def find_bent(pixels: NDArray[np.uint8] | NDArray[np.uint16], corners: Points) -> tuple[Points, ...]:
    """Convex outlines (N, 2) of the places at the sheet's corners where there is table instead of paper.

    Parameters: ``pixels`` (h, w, C) encoded; ``corners`` (4, 2) px, going round. A pixel is table if its colour is nearer
    to what lies just outside the corner than to the paper along the two sides, and if table joins it to the corner.
    """
    image = encoded_shares(pixels)
    h, w = image.shape[:2]
    out = []
    for i in range(4):
        corner, before, after = corners[i], corners[i - 1], corners[(i + 1) % 4]
        u, v = (after - corner) * _ZONE, (before - corner) * _ZONE
        t = (np.arange(_SIDE) + 0.5) / _SIDE
        grid = corner + u * t[None, :, None] + v * t[:, None, None]
        zone = sample(image, grid)
        beyond = corner - u * t[None, :, None] * 0.25 - v * t[:, None, None] * 0.25
        seen = (beyond[..., 0] > 1) & (beyond[..., 1] > 1) & (beyond[..., 0] < w - 1) & (beyond[..., 1] < h - 1)
        if seen.mean() < 0.2:
            continue
        table = np.median(sample(image, beyond)[seen], axis=0)
        # Paper near the far ends of the two sides, a little inside.
        strip = np.concatenate(
            [zone[6:16, -24:].reshape(-1, zone.shape[2]), zone[-24:, 6:16].reshape(-1, zone.shape[2])]
        )
        paper = np.median(strip, axis=0)
        apart = float(np.linalg.norm(paper - table))
        if apart < 0.06:  # a table that near in tone leaves no mark worth the risk
            continue
        share = (zone - paper) @ (table - paper) / apart**2
        off = np.linalg.norm((zone - paper) - share[..., None] * (table - paper), axis=2)
        mask = ((share > 0.5) & (off < 0.35 * apart + 0.04)).astype(np.uint8)
        mask = np.asarray(cv2.morphologyEx(mask, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)))
        _, labels = cv2.connectedComponents(mask, connectivity=8)
        at = labels[1:5, 1:5]
        if not at.any():
            continue
        part = labels == int(np.bincount(at[at > 0]).argmax())
        reach = np.nonzero(part)
        if part.mean() < _LEAST or max(reach[0].max(), reach[1].max()) >= _SIDE - 3:
            continue
        spots = np.column_stack([reach[1], reach[0]]).astype(np.float32)
        hull = np.asarray(cv2.convexHull(spots), np.float64).reshape(-1, 2) / _SIDE
        # Never beyond the sheet's own sides: what lies there is seen and trimmed as it is.
        grown = np.maximum(widened(hull, _AROUND), -0.01)
        out.append(corner + grown[:, :1] * u + grown[:, 1:] * v)
    return tuple(out)


def inside_any(outlines: Outlines, at: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which points (..., 2) lie in one of the convex outlines."""
    out = np.zeros(at.shape[:-1], bool)
    for outline in outlines:
        p = np.asarray(outline)
        low, high = p.min(axis=0), p.max(axis=0)
        near = ((at >= low) & (at <= high)).all(axis=-1)
        if not near.any():
            continue
        q = at[near]
        side = np.roll(p, -1, axis=0) - p
        cross = side[:, 0] * (q[:, None, 1] - p[:, 1]) - side[:, 1] * (q[:, None, 0] - p[:, 0])
        out[near] |= (cross >= 0).all(axis=1) | (cross <= 0).all(axis=1)
    return out
