"""Removing by tone and by brush: what is near a picked tone, what looks like paper, and what lies under a stroke."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.fringe import marks_and_edges
from woad.core.raster.channels import highest, lowest

Plane8 = NDArray[np.uint8]
Plane = NDArray[np.float32]

_FULL = 250  # coverage of a pixel that no paper is mixed with
_EDGES = (9, 9)  # px around an edge pixel within which its marks are looked for


def unlike(shown: Plane8, colour: tuple[int, int, int], reach: float) -> Plane:
    """How far each pixel of ``shown`` (h, w, 3) is from a tone: 0 well within ``reach`` (steps of 255), 1 beyond it."""
    away = highest(np.abs(shown.astype(np.int16) - np.asarray(colour, np.int16))).astype(np.float32)
    low = 0.6 * reach
    return np.asarray(np.clip((away - low) / max(reach - low, 0.5), 0, 1), np.float32)


def with_edges(keep: Plane, alpha: Plane8) -> Plane:
    """``keep`` (h, w) 0..1 of what is removed by its tone, with edge pixels going as far as the marks do that they belong
    to: mixed with paper they have another tone, and would stay as an outline."""
    sure, edge = (plane > 0 for plane in marks_and_edges(alpha, 0, _FULL))
    marks = cv2.blur(sure.astype(np.float32), _EDGES)
    near = cv2.blur(keep * sure, _EDGES) / np.maximum(marks, 1e-3)
    return np.asarray(np.where(edge & (marks > 1e-3), np.minimum(keep, near), keep), np.float32)


def hangs_together(shown: Plane8, colour: tuple[int, int, int], reach: float, at: tuple[int, int]) -> Plane8:
    """255 over what is near a tone and hangs together with the place ``at`` (x, y), and a little beyond it."""
    near = (unlike(shown, colour, reach) < 0.9).astype(np.uint8)
    h, w = near.shape
    x, y = min(max(at[0], 0), w - 1), min(max(at[1], 0), h - 1)
    _, labels = cv2.connectedComponents(near, connectivity=8)
    own = labels[max(y - 1, 0) : y + 2, max(x - 1, 0) : x + 2]
    own = own[own > 0]
    if not own.size:
        return np.zeros((h, w), np.uint8)
    hit = (labels == np.bincount(own).argmax()).astype(np.uint8)
    return np.asarray(cv2.dilate(hit, np.ones((5, 5), np.uint8)) * 255, np.uint8)


def looks_like_paper(shown: Plane8) -> Plane:
    """How surely each pixel of the picture over white is paper, 0..1: light in every channel."""
    lightest = lowest(shown).astype(np.float32)
    share = np.clip((lightest - 178) / 45, 0, 1)
    return np.asarray(share * share * (3 - 2 * share), np.float32)


def less(alpha: Plane8, rgb: NDArray[np.uint8] | None, shown: Plane8, keep: Plane, tone: tuple[int, int, int]) -> tuple[
    Plane8, NDArray[np.uint8] | None
]:  # fmt: skip
    """Coverage with a tone removed to the share ``keep`` (h, w) 0..1, and colour without the tone's part in it.

    ``rgb`` straight colour (h, w, 3), or None for one ink, whose colour stays.
    """
    out = np.asarray(np.rint(alpha * keep), np.uint8)
    if rgb is None:
        return out, None
    part = (keep > 0) & (keep < 1)
    if not part.any():
        return out, rgb
    share = keep[part][:, None]
    own = (shown[part].astype(np.float32) - (1 - share) * np.asarray(tone, np.float32)) / np.maximum(share, 0.05)
    colour = rgb.copy()
    # Over white the pixel then shows the mark's own share; what lies beyond the range cannot be told.
    a = np.maximum(alpha[part].astype(np.float32)[:, None] / 255, 1 / 255)
    straight = 255 - (255 - np.clip(own, 0, 255)) / a
    colour[part] = np.where(a > 0.2, np.clip(np.rint(straight), 0, 255), rgb[part]).astype(np.uint8)
    return out, colour


def stroke_share(near: NDArray[np.float64], radius_px: float, hard: float) -> Plane:
    """Strength under a stroke from the squared distance to its path over its radius (0 at the path, 1 at the rim)."""
    soft = (1 - near) ** 2
    sharp = np.clip((1 - np.sqrt(near)) * radius_px + 0.5, 0, 1)
    return np.asarray(soft * (1 - hard) + sharp * hard, np.float32)
