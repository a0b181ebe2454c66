"""Optical density of a sheet: the paper hump, the ink hump, and the colour of full ink.

The ink's colour is read where ink is deepest and flat (inside strokes), not from all dark pixels: most pixels of a
fine line are edges, and their average is a grey that no ink has.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.raster.channels import grey_of
from woad.core.raster.thinning import thinned

Plane = NDArray[np.float32]

PLOT_FROM_D, PLOT_TO_D = -0.1, 2.5
PLOT_BINS = 260
GRAINY = 0.2  # share of half-tones from which tone is made of them


@dataclass(frozen=True)
class InkColour:
    """``reflectance`` (C,) of full ink relative to the paper; ``flank_d`` how much less dense ink may be and still be full,
    the light flank of its hump; ``half_tones`` 0..1, the share of the marks' area that is half-tone without full ink beside
    it: near 0 for pen and lettering, whose greys are edges, and half or more for pencil; ``lost`` 0..1, the share of
    half-tones that could not be told from the paper's own unrest."""

    reflectance: tuple[float, ...]
    flank_d: float
    half_tones: float
    lost: float = 0.0

    @property
    def grainy(self) -> bool:
        """Tone made of half-tones rather than of full ink."""
        return self.half_tones > GRAINY


def tone_histogram(reflectance: Plane) -> NDArray[np.int64]:
    """Counts of optical density -0.1 to 2.5 in 260 bins, of reflectance of any shape; the paper hump lies around 0."""
    d = -np.log10(np.maximum(reflectance.ravel(), np.float32(1e-3)))
    counts, _ = np.histogram(np.clip(d, PLOT_FROM_D, PLOT_TO_D - 1e-6), bins=PLOT_BINS, range=(PLOT_FROM_D, PLOT_TO_D))
    return counts.astype(np.int64)


_AT_MOST = 0.5  # darkness that marks need no more than, on paper as restless as may be
_HALF = 0.15, 0.65  # shares of full ink between which tone is a half-tone


def find_ink(crops: Sequence[Plane], floor: float) -> InkColour | NoEstimate:
    """The colour of full ink from full-resolution parts of the sheet.

    Parameters: ``crops`` reflectance (h, w, C) float32; ``floor`` darkness that paper does not reach.
    Ink is looked for in the depths of strokes: pixels no lighter than their neighbours by more than noise.
    """
    greys = [grey_of(crop) for crop in crops]
    least = max(min(2.5 * floor, _AT_MOST), floor, 0.1)
    darkness = [(1 - grey)[grey < 1 - least] for grey in greys]
    every = np.concatenate(darkness) if darkness else np.zeros(0, np.float32)
    if every.size < 8:
        return NoEstimate("no marks stand out from the paper")
    deep = float(np.percentile(thinned(every), 98))
    cores: list[Plane] = []
    flats: list[Plane] = []
    half = marks = 0
    for crop, grey in zip(crops, greys, strict=True):
        share = (1 - grey) / deep
        full = cv2.dilate((share > 0.85).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        mark = grey < 1 - least
        marks += int(mark.sum())
        half += int(((share > _HALF[0]) & (share < _HALF[1]) & mark & ~full).sum())
        # The core of a stroke: darkest of its neighbourhood, or on a plateau; even its lightest neighbour is dark.
        core = mark & (share > 0.6) & (grey <= cv2.erode(grey, _BOX3) + 0.02 + 0.08 * grey)
        flat = core & (1 - cv2.dilate(grey, _BOX3) > 0.93 * (1 - grey))
        pixels = crop.reshape(-1, crop.shape[2])
        # Taking rows by number is ten times as fast as by a mask.
        cores.append(pixels.take(np.flatnonzero(core), axis=0))
        flats.append(pixels.take(np.flatnonzero(flat), axis=0))
    core_rgb, flat_rgb = np.concatenate(cores), np.concatenate(flats)
    low, high = _HALF
    lost = float(np.clip((least / deep - low) / (high - low), 0, 1))
    return replace(_full_ink(thinned(core_rgb), thinned(flat_rgb), half / max(marks, 1)), lost=lost)


_BOX3 = np.ones((3, 3), np.uint8)


# How far full ink reaches down the light flank of its hump, in spreads: all of it where nothing lies beside it, less the
# more half-tones do.
_FLANK = (0.1, 0.2), (2.2, 1.0)  # share of half-tones, spreads
# Noise about a full tone spreads to both sides alike and not far; of shading that never gets full, more is lighter.
_WIDEST_D, _LOPSIDED = 0.1, 1.25
# Flat cores that make a hump at least; and as a share of grainy marks' cores, of which a few are flat by chance.
_FLAT, _FLAT_SHARE = 50, 0.03
_HAIRLINES_D = 0.11  # flank of full ink where hairlines hardly reach it
_MOST_FLANK = 0.3  # of the ink's density
# Reflectance from which flat ink may be a wash; share of that which lines are under; share of the cores that they are.
_WASH, _FAR_DENSER, _LINES = 0.2, 0.5, 0.05


def _full_ink(core: Plane, flat: Plane, half_tones: float) -> InkColour:
    grainy = half_tones > GRAINY
    enough = max(_FLAT, _FLAT_SHARE * len(core) if grainy else 0)
    hump = _hump(flat, grainy) if len(flat) >= enough else None
    if hump is None or _is_wash(hump[0], core):
        centre, flank = _deepest(core, grainy), 0.0 if grainy else _HAIRLINES_D
    else:
        centre, flank = hump[0], hump[1] * float(np.interp(half_tones, *_FLANK))
    most = _MOST_FLANK * max(float(_density(centre.mean())), 0.0)
    return InkColour(tuple(float(max(v, 0.002)) for v in centre), min(flank, most), float(half_tones))


def _hump(flat: Plane, grainy: bool) -> tuple[Plane, float] | None:
    """Centre (C,) and spread, density, of the hump that flat ink (n, C) makes; None for ``grainy`` tone without one."""
    grey = grey_of(flat)
    middle = float(np.median(grey))
    # The hump proper: a band around its middle, so that overlaps and specks do not pull.
    near = np.abs(grey - middle) < 0.4 * middle + 0.01
    if near.any():
        flat, grey = flat[near], grey[near]
    light, centre, dark = np.percentile(_density(grey), (16, 50, 84))
    spread = float(dark - light) / 2
    if grainy and (spread > _WIDEST_D or centre - light > _LOPSIDED * (dark - centre)):
        return None
    return np.median(flat, axis=0), spread


def _is_wash(hump: Plane, core: Plane) -> bool:
    """Whether the hump (C,) is a wash's, and many of the cores (n, C) the lines of a far denser ink: these are too thin to be
    flat, and a wash is."""
    tone = float(hump.mean())
    return tone > _WASH and float((grey_of(core) < _FAR_DENSER * tone).mean()) > _LINES


def _deepest(core: Plane, grainy: bool) -> Plane:
    """Grain and hairlines hardly ever reach full ink: the deepest cores (n, C) are nearest to it."""
    grey = grey_of(core)
    return np.asarray(np.median(core[grey <= np.percentile(grey, 10 if grainy else 25)], axis=0))


def _density(reflectance: Plane) -> Plane:
    return np.asarray(-np.log10(np.maximum(reflectance, 1e-3)))
