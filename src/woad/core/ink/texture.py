"""What marks are made of, seen closely: thin lines, grain, or even areas."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of

Plane = NDArray[np.float32]

_WIDE = 0.0056  # of the sheet's longer side, that no pen's line is wider than
_FINE = 11  # px of it that tell as well as more; and over which grain is told, on a small sheet too
_MARK = 0.08  # darkness of a mark
_COVERED = 0.035  # mean darkness there, where marks cover the paper more or less
_BARE = 0.02  # the same on bare paper
_AREAS = 0.1  # share of the marks' darkness that covered areas make up at least


@dataclass(frozen=True)
class Texture:
    """``thin``: of the darkness of marks, the share in lines and grain, with paper between them; next to none of a wash's,
    nearly all of hatching's. ``grain``: by how much of its mean the darkness of covered areas varies over a line's width, in
    their middle; up to 0.15 of washes and paint, some 0.3 to 0.6 of crayon on a paper's tooth."""

    thin: float = 0.0
    grain: float = 0.0


def read_texture(crops: Sequence[Plane], long_px: int) -> Texture:
    """Texture of the marks in ``crops``, reflectance (h, w, C) at the full size of a sheet whose longer side has ``long_px``.

    Source: opening as a sieve of sizes (Matheron 1975); the coefficient of variation, without the paper's share in it.
    """
    wide = _WIDE * long_px
    finer = max(wide / _FINE, 1.0)
    box = np.ones((2 * max(1, round(wide / finer / 2)) + 1,) * 2, np.uint8)
    total = broad = 0.0
    means, spreads, still = [np.zeros(0, np.float32)], [np.zeros(0, np.float32)], [np.zeros(0, np.float32)]
    for crop in crops:
        grey = grey_of(crop)
        size = max(1, round(grey.shape[1] / finer)), max(1, round(grey.shape[0] / finer))
        dark = 1 - cv2.GaussianBlur(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), (0, 0), 0.7)
        marks = dark > _MARK
        total += float(dark[marks].sum())
        broad += float(np.maximum(cv2.morphologyEx(dark, cv2.MORPH_OPEN, box)[marks], 0).sum())
        mean, square = (np.asarray(cv2.blur(plane, (_FINE, _FINE))) for plane in (dark, dark * dark))
        spread = np.maximum(square - mean * mean, 0)
        # Away from the edges of what is covered, whose step is no grain.
        within = cv2.erode((mean > _COVERED).astype(np.uint8), np.ones((2 * _FINE + 1,) * 2, np.uint8)) > 0
        means.append(mean[within])
        spreads.append(spread[within])
        still.append(spread[np.abs(mean) < _BARE])
    if not total:
        return Texture()
    mean, spread, bare = (np.concatenate(each) for each in (means, spreads, still))
    # Where single lines happen to meet is no area.
    grain = _grain(mean, spread, bare) if float(mean.sum()) > _AREAS * total else 0.0
    return Texture(1 - broad / total, grain)


def _grain(mean: Plane, spread: Plane, still: Plane) -> float:
    """The middle, by darkness, of what places of a ``mean`` darkness vary by, beyond the paper's own variance ``still``."""
    if not mean.size:
        return 0.0
    noise = float(np.median(still)) if still.size else 0.0
    varies = np.sqrt(np.maximum(spread - noise, 0)) / mean
    order = np.argsort(varies)
    upto = np.cumsum(mean[order], dtype=np.float64)
    return float(varies[order[np.searchsorted(upto, upto[-1] / 2)]])
