"""Pencils under the ink: the one or two pale hues that most of a sheet's coloured marks have, ruled lines among them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.raster.channels import grey_of, highest
from woad.core.raster.thinning import thinned

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]
Colour = tuple[float, float, float]

_PALE = 0.45  # reflectance of the lightest channel from which a mark is no ink
_CHROMA, _GREY = 0.03, 0.03  # density of a hue, and of a mark, that are the least to be told from paper
_SURE = 5.0  # times paper's own unrest from which a hue is one
_FEW, _MANY = (
    0.004,
    0.02,
)  # share of the marks that a pencil's pale ones are, when their hues are all there is, and when not
_ALL, _MOST = 0.9, 0.7  # share of the hue there is that pencils make up, to need so few, and for a second one
_SAME_RAD, _OTHER_RAD = 0.45, 1.05  # how far hues of one pencil lie apart, and those of two at least
_LOOKED = 120_000  # pixels that are looked at, about
_CELL = 32  # of these, along each side of the places where a pencil's depth is read
_PLACES = 3
_DEEPER = 6.0  # times by which a thin line may be deeper at full size
_BOX5 = np.ones((5, 5), np.uint8)
# Across grey, two directions of density per channel, of length 1.
_HUES = np.array([[1, -1], [0, 2], [-1, -1]], np.float32) / np.array([2, 6], np.float32) ** 0.5


@dataclass(frozen=True)
class Pencil:
    """A drop-out colour that was found: ``colour`` reflectance at full strength, ``share`` of the marks that it makes;
    ``places`` (x, y) in shares of the sheet where it is seen best."""

    colour: Colour
    share: float
    places: tuple[tuple[float, float], ...] = ()


def find_pencils(reflectance: Plane, floor: float) -> tuple[Pencil, ...] | NoEstimate:
    """The one or two pale hues that most of a sheet's coloured marks have, the strongest first.

    ``reflectance`` (h, w, 3) of the evened sheet, reduced; ``floor`` darkness that paper does not reach.
    """
    if reflectance.ndim != 3 or reflectance.shape[2] != 3:
        return NoEstimate("the scan is grey: no colour can be told from the ink")
    # A blur over three pixels loses no line when every second or third is looked at.
    each = min(max(round((reflectance.size / 3 / _LOOKED) ** 0.5), 1), 3)
    values = np.ascontiguousarray(cv2.blur(reflectance, (3, 3))[::each, ::each], np.float32)
    density = -np.log(np.clip(values, 0.01, 1.2))
    grey = grey_of(density)
    across = np.asarray(cv2.transform(density, np.ascontiguousarray(_HUES.T)), np.float32)
    chroma = np.asarray(cv2.magnitude(across[..., 0], across[..., 1]), np.float32)
    ink = near_ink(values)
    paper = ~ink & (np.abs(grey) < max(0.04, floor))
    unrest = 1.4826 * max(_middle(np.abs(across[paper])), 1e-4)
    pale = ~ink & (grey > _GREY) & (chroma > 0.25 * grey) & (chroma > max(_CHROMA, _SURE * unrest))
    marks = int(np.count_nonzero(pale | (grey > max(0.04, 2 * floor))))
    turn = np.full(chroma.shape, np.inf, np.float32)
    turn[pale] = np.arctan2(across[..., 1][pale], across[..., 0][pale])
    near = [_apart(turn, hue) < _SAME_RAD for hue in _hues(turn[pale], chroma[pale])]
    shares = [float(chroma[one].sum()) / max(float(chroma[pale].sum()), 1e-6) for one in near]
    if sum(shares) < _MOST:  # there are more than two
        near, shares = near[:1], shares[:1]
    least = max(20.0, (_FEW if sum(shares) > _ALL else _MANY) * marks)
    found = [_pencil(density, grey, chroma, one, marks) for one in near if np.count_nonzero(one) >= least]
    if not found:
        return NoEstimate("no pale colour stands out beside the ink")
    return tuple(sorted(found, key=lambda pencil: -pencil.share))


def near_ink(values: Plane) -> Mask:
    """Ink and what lies beside it, of reflectance (h, w, C): there a scanner's channels that do not quite meet, and a lossy
    file, make hues of their own."""
    return np.asarray(cv2.dilate((highest(values) < _PALE).view(np.uint8), _BOX5) > 0)


def _middle(values: NDArray[np.float32]) -> float:
    return float(np.median(thinned(values))) if values.size else 0.0


def _apart(turn: Plane, hue: float) -> Plane:
    """How far directions are from one; infinity stays what it is."""
    off = np.abs(turn - np.float32(hue))
    return np.asarray(np.where(off > np.pi, np.abs(off - 2 * np.pi), off), np.float32)


def _hues(turn: Plane, weight: Plane) -> list[float]:
    """The directions that most of the weight has: the first, and the first of what is not near it."""
    hues: list[float] = []
    for _ in range(2):
        rest = np.ones(turn.shape, bool)
        for hue in hues:
            rest &= _apart(turn, hue) > _OTHER_RAD
        if not rest.any():
            break
        counts, edges = np.histogram(turn[rest], bins=48, range=(-np.pi, np.pi), weights=weight[rest])
        around = np.convolve(np.concatenate([counts[-2:], counts, counts[:2]]), np.ones(5), mode="valid")
        hues.append(float(edges[int(np.argmax(around))] + np.pi / 48))
    return hues


def _pencil(density: Plane, grey: Plane, chroma: Plane, at: Mask, marks: int) -> Pencil:
    """The pencil whose hue was found at the marks ``at`` (h, w)."""
    own, hues = density[at], chroma[at]
    # Ink beside a line greys it: the purest part of the lines tells the colour, the strongest of these how deep it is.
    purity = hues / np.maximum(grey[at], 1e-3)
    pure = purity >= np.percentile(purity, 60)
    strong = own[pure][hues[pure] >= np.percentile(hues[pure], 80)]
    h, w = at.shape
    rows, columns = -(-h // _CELL), -(-w // _CELL)
    cells = cv2.resize((chroma * at).astype(np.float32), (columns, rows), interpolation=cv2.INTER_AREA)
    best = np.argsort(cells, axis=None)[::-1][:_PLACES]
    places = tuple(((i % columns + 0.5) / columns, (i // columns + 0.5) / rows) for i in best.tolist())
    return Pencil(_colour(np.median(strong, axis=0) * 1.1), float(np.count_nonzero(at) / max(marks, 1)), places)


def _colour(density: NDArray[np.floating]) -> Colour:
    r, g, b = np.exp(-np.maximum(density, 0)).tolist()
    return r, g, b


def as_deep(pencil: Pencil, close: Callable[[float, float], Plane]) -> Pencil:
    """The pencil with its full depth, which thin lines have at full size only; their hue is told better over a few pixels.

    ``close`` (x, y), in shares of the sheet, gives reflectance (h, w, 3) around a place at full size.
    """
    own = -np.log(np.asarray(pencil.colour, np.float64))
    hue = own @ _HUES
    along = (hue / max(float(np.linalg.norm(hue)), 1e-6)).astype(np.float32)
    depths = []
    for x, y in pencil.places:
        values = close(x, y)
        density = -np.log(np.clip(values, 0.01, 1.2))
        grey = grey_of(density)
        around = cv2.blur(density @ (_HUES @ along), (5, 5))
        line = (
            ~near_ink(values)
            & (grey >= cv2.dilate(grey, _BOX5))
            & (around > _CHROMA)
            & (around > 0.2 * cv2.blur(grey, (5, 5)))
        )
        depths.append(grey[line])
    all_depths = np.concatenate(depths) if depths else np.zeros(0, np.float32)
    if all_depths.size < 20:
        return pencil
    # Lines are unlike; of a grainy one the fuller places count. Deeper than found only: ink must not make a pencil dark.
    depth = float(np.percentile(all_depths, 70))
    return replace(pencil, colour=_colour(own * np.clip(depth / max(float(own.mean()), 1e-6), 1, _DEEPER)))
