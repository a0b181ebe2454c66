"""Optical density of a sheet: the paper hump, the ink hump, and the colour of full ink.

The ink's colour is read where ink is deepest and flat (inside strokes), not from all dark pixels: most pixels of a
fine line are edges, and their average is a grey that no ink has.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate

Plane = NDArray[np.float32]

PLOT_MAX_D = 2.5
PLOT_BINS = 250


@dataclass(frozen=True)
class InkColour:
    """``reflectance`` (C,) of full ink relative to the paper; ``spread_d`` its spread in density;
    ``solid`` 0..1, how much of the marks is flat, full ink (pen near 1, pencil near 0)."""

    reflectance: tuple[float, ...]
    spread_d: float
    solid: float


def tone_histogram(reflectance: Plane) -> NDArray[np.int64]:
    """Counts of optical density 0 to 2.5 in 250 bins, of reflectance of any shape."""
    d = -np.log10(np.maximum(reflectance.ravel(), np.float32(1e-3)))
    counts, _ = np.histogram(np.clip(d, 0, PLOT_MAX_D - 1e-6), bins=PLOT_BINS, range=(0, PLOT_MAX_D))
    return counts.astype(np.int64)


def find_ink(crops: Sequence[Plane], floor: float) -> InkColour | NoEstimate:
    """The colour of full ink from full-resolution parts of the sheet.

    Parameters: ``crops`` reflectance (h, w, C) float32; ``floor`` darkness that paper does not reach.
    Ink is looked for in the depths of strokes: pixels no lighter than their neighbours by more than noise.
    """
    colours: list[Plane] = []
    flats: list[Plane] = []
    for crop in crops:
        grey = crop.mean(axis=2)
        mark = grey < 1 - max(2.5 * floor, 0.08)
        if not mark.any():
            continue
        lowest = cv2.erode(grey, _BOX3)
        highest = cv2.dilate(grey, _BOX3)
        # The core of a stroke: darkest of its neighbourhood, or on a plateau.
        core = mark & (grey <= lowest + 0.02 + 0.08 * lowest)
        colours.append(crop[core])
        # Full ink is flat on the scale of a stroke: even its lightest neighbour is dark.
        flats.append(np.column_stack([grey[core], highest[core]]))
    if not colours or sum(len(c) for c in colours) < 8:
        return NoEstimate("no marks stand out from the paper")
    return _deepest(np.concatenate(colours), np.concatenate(flats))


_BOX3 = np.ones((3, 3), np.uint8)


def _deepest(colour: Plane, flat: Plane) -> InkColour:
    grey, highest = flat[:, 0], flat[:, 1]
    dark = float(np.percentile(grey, 10))
    # Plateaus are measured by how little darkness their lightest neighbour lacks.
    depth = (1 - highest) / np.maximum(1 - grey, 1e-3)
    level = 1 - 0.85 * (1 - dark)
    plateau = (depth > 0.93) & (grey < level)
    solid = float(plateau.sum() / max(1, (grey < level).sum()))
    if plateau.sum() >= 50:
        chosen = colour[plateau]
        centre = np.median(chosen, axis=0)
        # The hump proper: within a band around the median, so that overlaps and specks do not pull.
        near = np.abs(chosen.mean(axis=1) - centre.mean()) < 0.35 * centre.mean() + 0.01
        centre = np.median(chosen[near], axis=0) if near.any() else centre
        d = -np.log10(np.maximum(chosen[near].mean(axis=1), 1e-3))
        spread = float(np.percentile(d, 84) - np.percentile(d, 16)) / 2
    else:
        # No flats: fine lines or grain. The deepest cores are the nearest thing to full ink.
        chosen = colour[grey <= np.percentile(grey, 8)]
        centre = np.median(chosen, axis=0)
        spread = 0.05
    return InkColour(tuple(float(max(v, 0.002)) for v in centre), spread, solid)
