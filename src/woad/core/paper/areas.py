"""Washes told from light: even areas that a crisp edge or a hue sets apart from the paper.

Light changes gradually and alike in all channels; a wash ends in an edge or has a hue of its own. The sheet is cut
along its crisp edges into areas; those that carry on the paper's light are paper, the others are paint. This is
region growing (Adams and Bischof 1994) on areas instead of pixels, with the light as the model that grows.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

_CELLS, _FEW = 300, 180  # cells along the longer side; for a first look
_SAME = 0.022  # an area carries on the paper's light when it is no further from it, natural log
_HUE = 0.022  # nor further in hue
_ROUNDS = 8
_RING = 5  # cells on either side of an edge that are compared
_STEP = 0.014
_JUDGED = 60  # the largest areas are compared across their edges
_BOX3 = np.ones((3, 3), np.uint8)
_NEAR, _FAR = 14.0, 120.0  # cells from sure paper within which its light is known, with little and much of it


@dataclass(frozen=True, eq=False)
class _Cells:
    """``tone`` (gh, gw, C) mean log light, ``top`` (gh, gw) the lightest grey in and beside a cell, ``labels``
    (gh, gw) of areas, 0 where an edge runs; ``count`` of labels."""

    tone: Plane
    top: Plane
    labels: NDArray[np.int32]
    count: int


@dataclass(frozen=True, eq=False)
class Areas:
    """``paint`` (h, w) bool, where even paint covers the paper; ``light`` (gh, gw) the paper's log light, coarse."""

    paint: Mask
    light: Plane


def find_areas(logs: Plane, surface: Plane, spread: float) -> Areas | None:
    """Tell even paint from paper.

    Parameters: ``logs`` (h, w, C) natural log of linear light, about 500 to 1400 px long; ``surface`` (h, w) first
    guess of the paper's log light; ``spread`` the paper's relative standard deviation.
    Returns None when the sheet has no even areas to judge (hatching all over).
    """
    cells = _cut(logs)
    size = np.bincount(cells.labels.ravel(), minlength=cells.count)
    if cells.count < 2 or size[1:].sum() < 0.04 * cells.labels.size:
        return None
    gh, gw = cells.labels.shape
    guess = cv2.resize(surface, (gw, gh), interpolation=cv2.INTER_AREA)
    taken = _seeds(cells, guess, size)
    if size[taken].sum() < 0.02 * cells.labels.size:
        return None
    light = cells.tone
    for _ in range(_ROUNDS):
        weight = (taken[cells.labels] & (cells.labels > 0)).astype(np.float32)
        light = _light_of(cells.tone, weight)
        off = cells.tone - light
        new = (_carry_on(cells, off, size, spread) & ~_stepped(cells, off, taken, size)) | _shaded(cells, off, size)
        new &= taken | (size >= 4)
        if not new.any() or np.array_equal(new, taken):
            break
        taken = new
    off = cells.tone - light
    paint = ~taken[cells.labels] & (cells.labels > 0) & (off.mean(axis=2) < -0.6 * _SAME)
    edges = cells.labels == 0
    paint |= (taken[cells.labels] | edges) & _hued(off)
    # Edges all over an area, as in granulating washes and shading: paper is where its light is reached now and then.
    paper = taken[cells.labels] & ~edges
    far = cv2.distanceTransform((~paper).astype(np.uint8), cv2.DIST_L2, 3)
    paint |= edges & (cells.top - light.mean(axis=2) < -1.4 * _SAME) & (far < _NEAR + _FAR * paper.mean())
    # Grain that the edges cut out of a painted area is part of it: what lies around tells.
    known = cv2.blur((~edges).astype(np.float32), (9, 9))
    around = cv2.blur((paint & ~edges).astype(np.float32), (9, 9))
    paint |= edges & (around > 0.6 * known) & (known > 0.1)
    h, w = logs.shape[:2]
    # Its rim belongs to it: edge cells beside paint are paint as well.
    grown = cv2.dilate(paint.astype(np.uint8), _BOX3) & (paint | (cells.labels == 0)).astype(np.uint8)
    paint = np.asarray(cv2.resize(grown, (w, h), interpolation=cv2.INTER_NEAREST) > 0)
    return Areas(paint, np.asarray(light.mean(axis=2), np.float32))


def _cut(logs: Plane) -> _Cells:
    """Cut the sheet into areas along its crisp edges."""
    h, w = logs.shape[:2]
    # The steepest channel shows an edge best; noise is the same in all.
    steep = np.zeros((h, w), np.float32)
    for c in range(logs.shape[2]):
        plane = np.ascontiguousarray(logs[..., c])
        # Less the slope over a wider reach: a shadow's edge is as steep there, a wash's is not.
        soft = cv2.subtract(cv2.GaussianBlur(plane, (0, 0), 1.2), cv2.blur(cv2.blur(plane, (9, 9)), (9, 9)))
        dx, dy = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=0.125)
        steep = np.maximum(steep, cv2.magnitude(dx, dy))
    usual = float(np.percentile(steep, 40))
    limit = float(np.clip(3.2 * usual, 0.007, 0.05))
    factor = max(1, round(max(h, w) / (_CELLS if max(h, w) > 700 else _FEW)))
    gh, gw = max(1, h // factor), max(1, w // factor)
    crisp = cv2.resize((steep > limit).astype(np.float32), (gw, gh), interpolation=cv2.INTER_AREA) > 0.3
    tone = cv2.resize(logs, (gw, gh), interpolation=cv2.INTER_AREA).reshape(gh, gw, logs.shape[2])
    free = (~crisp).astype(np.uint8)
    # A faint edge has gaps: areas hang together only where the way is three cells wide.
    count, labels = cv2.connectedComponents(cv2.erode(free, _BOX3), connectivity=4)
    rim = cv2.dilate(labels.astype(np.float32), _BOX3).astype(np.int32)
    labels = np.where((labels == 0) & (free > 0), rim, labels)
    grey = cv2.GaussianBlur(np.ascontiguousarray(logs.mean(axis=2)), (0, 0), 0.9)
    peaks = grey[: gh * factor, : gw * factor].reshape(gh, factor, gw, factor).max(axis=(1, 3))
    top = cv2.dilate(np.ascontiguousarray(peaks), _BOX3)
    return _Cells(np.asarray(tone, np.float32), np.asarray(top, np.float32), np.asarray(labels, np.int32), count)


def _seeds(cells: _Cells, guess: Plane, size: NDArray[np.int64]) -> Mask:
    """Areas to begin with: the largest that reach up to the first guess. Small ones have to agree with these."""
    off = cells.tone.mean(axis=2) - guess
    taken = np.zeros(cells.count, bool)
    middle, upper = _order(cells, off, 0.5), _order(cells, off, 0.9)
    light = (upper > -0.05) & (size >= 12)
    light[0] = False
    if light.any():
        largest = int(np.argmax(np.where(light, size, 0)))
        taken |= light & (middle > -0.02) & (size > 0.25 * size[largest])
        taken[largest] = True
    return taken


def _order(cells: _Cells, values: Plane, share: float) -> NDArray[np.float64]:
    """The given quantile of ``values`` per area, to a hundredth of a tolerance, from a histogram of each area."""
    bins, low, high = 640, -0.7, 0.1
    at = np.clip((values.ravel() - low) * (bins / (high - low)), 0, bins - 1).astype(np.int64)
    counts = np.bincount(cells.labels.ravel() * bins + at, minlength=cells.count * bins).reshape(cells.count, bins)
    total = np.cumsum(counts, axis=1)
    first = np.argmax(total >= np.maximum(share * total[:, -1:], 1), axis=1)
    return np.asarray(low + (first + 0.5) * ((high - low) / bins), np.float64)


def _light_of(tone: Plane, weight: Plane) -> Plane:
    """Smooth light through the weighted cells, carried on under the others: low order first, then ever more local."""
    full = (tone.shape[1], tone.shape[0])
    # Light is smooth: a third of the cells each way carries it, at a ninth of the cost.
    size = (max(8, full[0] // 3), max(8, full[1] // 3))
    heavy = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    mass = cv2.resize(tone * weight[..., None], size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
    mean = mass / np.maximum(heavy, np.float32(1e-4))[..., None]
    y, x = np.mgrid[-1 : 1 : size[1] * 1j, -1 : 1 : size[0] * 1j].astype(np.float32)
    basis = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1).reshape(-1, 6)
    scaled = basis * heavy.reshape(-1, 1)
    ridge = np.diag([1e-6, 1e-3, 1e-3, 6e-3, 6e-3, 6e-3]) * float(heavy.sum())
    solved = np.linalg.solve(basis.T @ scaled + ridge, scaled.T @ mean.reshape(len(basis), -1))
    light = (basis @ solved).reshape(mean.shape).astype(np.float32)
    for sigma in (size[1] / 8, size[1] / 16, size[1] / 32):
        den = _wide_blur(heavy, sigma)
        num = _wide_blur((mean - light) * heavy[..., None], sigma)
        light = light + num.reshape(mean.shape) / (den + 0.02)[..., None]
    large = cv2.resize(np.asarray(light, np.float32), full, interpolation=cv2.INTER_LINEAR)
    return np.asarray(large, np.float32).reshape(tone.shape)


def _wide_blur(plane: Plane, sigma: float) -> Plane:
    """About a Gaussian, by two box filters: their cost does not grow with their width."""
    side = 2 * max(1, round(1.22 * sigma)) + 1
    once = cv2.blur(np.asarray(plane, np.float32), (side, side), borderType=cv2.BORDER_REFLECT)
    return np.asarray(cv2.blur(once, (side, side), borderType=cv2.BORDER_REFLECT))


def _hued(off: Plane) -> Mask:
    """Cells whose hue is not the paper's. A shadow's tint grows with its depth and stays small beside it."""
    if off.shape[2] == 1:
        return np.zeros(off.shape[:2], bool)
    grey = off.mean(axis=2)
    hue = np.abs(off - grey[..., None]).max(axis=2)
    return np.asarray(hue > 1.6 * _HUE + 0.2 * np.abs(grey))


def _hue(cells: _Cells, off: Plane, grey: Plane) -> NDArray[np.float64]:
    """How far each area's hue is from the paper's: the channel that is furthest off, by its median."""
    hues = [_order(cells, np.asarray(off[..., c] - grey, np.float32), 0.5) for c in range(off.shape[2])]
    return np.asarray(np.max(np.abs(hues), axis=0))


def _carry_on(cells: _Cells, off: Plane, size: NDArray[np.int64], spread: float) -> Mask:
    """Areas that carry on the light: middle and hue are the paper's."""
    grey = np.asarray(off.mean(axis=2), np.float32)
    middle = _order(cells, grey, 0.5)
    # Small areas are uncertain by the paper's own unrest.
    give = _SAME + 2.0 * spread / np.sqrt(np.maximum(size, 1) / 4)
    fits = (middle > -give) & (middle < give + 0.03)
    if off.shape[2] > 1:
        fits &= _hue(cells, off, grey) < _HUE + 0.1 * np.abs(middle)
    fits[0] = False
    return np.asarray(fits)


def _stepped(cells: _Cells, off: Plane, taken: Mask, size: NDArray[np.int64]) -> Mask:
    """Areas that lie a small step below the paper on the other side of their edge: pale washes.

    Both sides of an edge lie in the same light, so a step of one percent tells, whatever is known of the light.
    """
    out = np.zeros(cells.count, bool)
    labels = cells.labels
    order = np.argsort(size[1:])[::-1][:_JUDGED] + 1
    for one in order[size[order] >= 30].tolist():
        rows, columns = np.nonzero(labels == one)
        y0, y1 = max(rows.min() - _RING, 0), rows.max() + _RING + 1
        x0, x1 = max(columns.min() - _RING, 0), columns.max() + _RING + 1
        part, here = labels[y0:y1, x0:x1], off[y0:y1, x0:x1]
        own = part == one
        other = taken[part] & (part > 0) & ~own
        box = np.ones((2 * _RING + 1, 2 * _RING + 1), np.uint8)
        outer = other & (cv2.dilate(own.astype(np.uint8), box) > 0)
        inner = own & (cv2.dilate(other.astype(np.uint8), box) > 0)
        if outer.sum() < 20 or inner.sum() < 20:
            continue
        step = here[inner].mean(axis=0) - here[outer].mean(axis=0)
        out[one] = float(step.min()) < -_STEP and float(step.mean()) < -0.4 * _STEP
    return out


def _shaded(cells: _Cells, off: Plane, size: NDArray[np.int64]) -> Mask:
    """Areas of paper behind a hard shadow's edge: large, without a hue, running far along the sheet's rim."""
    labels = cells.labels
    rim = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    along = np.bincount(rim, minlength=cells.count) / rim.size
    grey = np.asarray(off.mean(axis=2), np.float32)
    middle = _order(cells, grey, 0.5)
    shaded = (along > 0.1) & (size > 0.04 * labels.size) & (middle < 0) & (middle > -1.2)
    if off.shape[2] > 1:
        shaded &= _hue(cells, off, grey) < 0.015 + 0.1 * np.abs(middle)
    else:
        # Without colour a grey wash looks the same: only what runs along two sides is taken for shadow.
        shaded &= along > 0.25
    shaded[0] = False
    return np.asarray(shaded)
