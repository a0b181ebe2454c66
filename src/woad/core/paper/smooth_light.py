"""Smooth light through areas taken for paper, carried on under the others; its hue is smoother still than its strength."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.cells import Cells
from woad.core.raster.channels import grey_of, highest
from woad.core.raster.means import wide_blur
from woad.core.raster.surfaces import low_basis, solved

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

HUE = 0.022  # how far paper's hue may lie from its light's, natural log
_PLAIN = 0.01  # the same where the paper's own hue is even
_SETTLED = 2e-4  # a fit that moves less is done, natural log
_TINT = 0.1  # how much hue a shadow has for its depth, both natural log
_CLOSE = 0.1  # natural log, blocks this little below the first guess tell the paper's hue
_LIGHTEST, _HUE_ROUNDS = 60, 8
_BLEED = 0.985  # share of the paper that is left when only the rims of paint bleed into it


def hue_limit(off: Plane) -> float:
    """How far from the light's hue is another hue, by how far paper's own hue usually is ``off`` it (n,), natural log."""
    return min(1.6 * HUE, max(_PLAIN, 6 * float(np.median(off)))) if off.size else 1.6 * HUE


def light_through(cells: Cells, taken: Mask) -> Plane:
    """Log light (gh, gw, C) through the areas ``taken`` (n,), carried on under the others: low order, then more local.

    Its hue changes far more slowly than its strength, over the sheet and with a shadow's depth; what has another hue is a
    wash without an edge, and is left out.
    """
    tone, weight = cells.tone, (taken[cells.labels] & (cells.labels > 0)).astype(np.float32)
    full = (tone.shape[1], tone.shape[0])
    # Light is smooth: a third of the cells each way carries it, at a ninth of the cost.
    size = (max(8, full[0] // 3), max(8, full[1] // 3))
    heavy = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    mass = cv2.resize(tone * weight[..., None], size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
    mean = mass / np.maximum(heavy, np.float32(1e-4))[..., None]
    grey = grey_of(mean)
    basis = low_basis(heavy.shape)
    light = _strength(grey, heavy, basis)
    hue = np.zeros_like(mean)
    if mean.shape[2] > 1:
        hue, plain = _hue_of_light(np.asarray(mean - grey[..., None], np.float32), heavy, light, basis)
        if float(plain.sum()) < _BLEED * float(heavy.sum()):
            light = _strength(grey, plain, basis)
    large = cv2.resize(np.asarray(light[..., None] + hue, np.float32), full, interpolation=cv2.INTER_LINEAR)
    return np.asarray(large, np.float32).reshape(tone.shape)


def of_paper_hue(tone: Plane, hue: Plane, share: Plane, surface: Plane) -> Plane:
    """How well the hue of blocks goes with the paper's, (gh, gw), 0 to 1.

    Parameters: ``tone`` (gh, gw) log tone per block and ``hue`` (gh, gw, C) of each channel less that, ``share`` (gh, gw) of
    a block that is even; ``surface`` (gh, gw) first guess of the paper's log light. A graded wash, as of a sky, fades as
    gradually as a shadow does: its hue tells. The paper's is read where blocks reach up to the surface, and drifts evenly.
    """
    below = np.maximum(surface - tone, 0)
    plane = low_basis(tone.shape)[..., :3]
    even = share > 0.5
    if not even.any():
        return np.ones_like(tone)
    # From the lightest blocks on: no wash is lighter than its paper.
    sure = share * (tone >= np.percentile(tone[even], _LIGHTEST))
    for _ in range(_HUE_ROUNDS):
        off = highest(np.abs(hue - plane @ solved(plane, hue, np.asarray(sure, np.float32))))
        limit = hue_limit(off[even & (sure > 0.25)])
        sure = share * np.exp(-((below / _CLOSE) ** 2)) / (1 + (off / limit) ** 4)
    return np.asarray(np.clip(2 - off / (limit + _TINT * below), 0, 1), np.float32)


def _strength(grey: Plane, heavy: Plane, low: Plane) -> Plane:
    """Log light, smooth, from cells of weight ``heavy``; ``low`` as from :func:`low_basis`."""
    light = (low @ solved(low, grey[..., None], heavy))[..., 0]
    for sigma in (grey.shape[0] / 8, grey.shape[0] / 16, grey.shape[0] / 32):
        light = light + wide_blur((grey - light) * heavy, sigma) / (wide_blur(heavy, sigma) + np.float32(0.02))
    return np.asarray(light, np.float32)


def _hue_of_light(hue: Plane, heavy: Plane, light: Plane, low: Plane) -> tuple[Plane, Plane]:
    """The light's hue per channel: low order over the sheet, and in step with how strong the ``light`` is. Cells of
    another hue lose their weight, which is the second thing returned."""
    basis = np.concatenate([low, light[..., None]], axis=2)
    tint = _TINT * (float(light.max()) - light)
    sure, paper, fitted = heavy, heavy, np.full_like(hue, np.inf)
    for _ in range(8):
        before = fitted
        # Paint's hue goes along with its depth as well, but far more of it.
        by_depth = light[..., None] * np.clip(solved(basis, hue, sure)[-1], -_TINT, _TINT)
        fitted = by_depth + low @ solved(low, hue - by_depth, sure)
        if float(np.abs(fitted - before).max()) < _SETTLED:
            break
        off = highest(np.abs(hue - fitted))
        own = off[heavy > 0]
        near = off < hue_limit(own) + tint
        if (heavy * near).sum() < 0.3 * heavy.sum():
            break
        paper = np.asarray(heavy * near, np.float32)
        # What is least off is believed most (Cauchy weights): a wide wash must not pull the paper's hue to its own.
        sure = np.asarray(paper / (1 + (off / max(float(np.median(own)), 1e-3)) ** 2), np.float32)
    sigma = heavy.shape[0] / 8
    rest = wide_blur((hue - fitted) * paper[..., None], sigma).reshape(hue.shape)
    return np.asarray(fitted + rest / (wide_blur(paper, sigma) + 0.02)[..., None], np.float32), paper
