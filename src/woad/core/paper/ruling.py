"""Printed ruling: lines, squares or dots of the paper itself, which go with the paper.

They are one small picture, repeated: what a print absorbs around one of its crossings is the mean of what it absorbs around
all of them. Densities add (Beer-Lambert), so that light is divided by it, beside marks and under them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.evening import regular_grid, sample_grid
from woad.core.paper.repeats import find_repeats
from woad.core.raster.channels import folded, grey_of
from woad.core.raster.codes import PAPER_CODE, Codes
from woad.core.raster.tiles import Region

Plane = NDArray[np.float32]

_PLACES, _ACROSS = 60, 1.6  # where the print is looked at; how many periods at once
_MARKED = 1.5  # times the usual depth, from which a place has marks
_LEAST_PLACES = 8
_SAMPLES = (6, 160)  # of one period
_NOISE = 3.0  # times its own unrest that a print stands out of the paper
_DEPTH = 0.015, 0.6  # of the paper's light, that a print takes at least and at most where it is darkest
_MOST = 0.75  # of the light that is divided by, at most
_COVER = 0.35  # of the paper, that is at least half as dark, at most
_DARKER = 1.5  # times the spread of what is seen of a place of the print, that it is darker at its darkest
_MARK = 0.15  # of the paper's light, that what is left at the print's darkest is darker, to be a mark for sure
_EXPLAINED = 0.55  # of all that varies beyond the paper's noise, that the mean of all places explains in a print
_STRIP_PX = 250_000  # that are worked on together
_DOTTED = 0.5  # of the depth, that the mean along a line has at most if it is a row of dots


@dataclass(frozen=True, eq=False)
class Ruling:
    """``turns`` (n, 2) cycles per level-0 px along x and y of one or two families; ``drift`` (gh, gw, n + 1) float32 on cells
    of ``cell_px``: cycles to be added for each, and how much of the print there is, 0..1; ``printed`` (v, u, C) float32 the
    light that it lets through over one period of each family, ``darkest`` what it does where it is darkest."""

    turns: NDArray[np.float32]
    drift: Plane
    cell_px: int
    printed: Plane
    darkest: Plane

    @property
    def period_px(self) -> float:
        """From line to line, level-0 px."""
        return 1 / float(np.hypot(*self.turns[0]))

    @property
    def kind(self) -> str:
        """``lines``, ``squares`` or ``dots``."""
        if len(self.turns) == 1:
            return "lines"
        missing = 1 - grey_of(self.printed)
        return "dots" if float(missing.mean(axis=0).max()) < _DOTTED * float(missing.max()) else "squares"


def find_ruling(
    reflectance: Plane, base: int, size: tuple[int, int], cell_px: int, read: Callable[[Region], Plane]
) -> Ruling | None:
    """The ruling of a sheet, None when its paper is plain.

    Parameters: ``reflectance`` (h, w, C) float32 of level ``base``, paper 1; ``size`` width and height of level 0;
    ``cell_px`` of the grid it is told on; ``read`` gives reflectance (h, w, C) of a box of level 0.
    """
    repeats = find_repeats(reflectance)
    if not repeats:
        return None
    h, w = reflectance.shape[:2]

    def on_cells(plane: Plane) -> Plane:
        return regular_grid(plane[..., None], cell_px, *size, (float(w << base), float(h << base)))

    there = np.maximum.reduce([on_cells(one.there) for one in repeats])
    drift = np.concatenate([*(on_cells(one.drift) for one in repeats), there], axis=2)
    turns = np.array([one.turns for one in repeats], np.float32) / np.float32(1 << base)
    none = np.ones((1, 1, reflectance.shape[2]), np.float32)
    blank = Ruling(turns, drift, cell_px, none, none)
    printed = _printed(blank, _boxes(blank, size), read)
    return None if printed is None else Ruling(turns, drift, cell_px, *printed)


def without_ruling(
    codes: Codes, ruling: Ruling, place: tuple[int, int, int], weights: tuple[float, ...] | None = None
) -> Codes:
    """Reflectance codes of a tile at ``place`` (x, y, level), (h, w, C) or folded by ``weights`` (h, w), without the print."""
    x, y, level = place
    h, w = codes.shape[:2]
    pictures = _at_level(ruling, level)
    if codes.ndim == 2:
        pictures = tuple(folded(one, weights or (1.0,))[..., None] for one in pictures)
    out = np.empty_like(codes)
    rows = max(8, _STRIP_PX // w)
    for top in range(0, h, rows):
        some = slice(top, min(top + rows, h))
        own = np.ascontiguousarray(codes[some]).reshape(some.stop - top, w, -1)
        cycles, there = _cycles(ruling, Region(x, y + top, w, some.stop - top), level)
        out[some] = _taken_off(own, *(_repeated(one, cycles, there) for one in pictures)).reshape(out[some].shape)
    return out


def _taken_off(own: Codes, usual: Plane, darkest: Plane) -> Codes:
    """Codes (h, w, C) without a print: with its darkest, that nothing of it stays on bare paper; but as it usually is where
    there is a mark."""
    least, most = (np.asarray(cv2.divide(own, one, dtype=cv2.CV_16U)).reshape(own.shape) for one in (usual, darkest))
    mark = np.clip((PAPER_CODE - most.astype(np.float32)) * np.float32(1 / (_MARK * PAPER_CODE)), 0, 1)
    between = most - mark * (most.astype(np.float32) - least)
    # Taken off is no more than makes it paper: what is lighter would pass for the paper's noise.
    return np.asarray(np.minimum(between.astype(np.uint16), np.maximum(own, PAPER_CODE)))


def _cycles(ruling: Ruling, box: Region, level: int) -> tuple[list[Plane], Plane]:
    """Cycles of every family at the pixels of a box of a level, and how much of the print there is, (h, w) each."""
    grid = sample_grid(ruling.drift, ruling.cell_px, box.x, box.y, box.w, box.h, level)
    x = (box.x + np.arange(box.w, dtype=np.float64)[None] + 0.5) * (1 << level)
    y = (box.y + np.arange(box.h, dtype=np.float64)[:, None] + 0.5) * (1 << level)
    families = []
    for number, (fx, fy) in enumerate(ruling.turns.tolist()):
        whole = np.asarray((fx * x + fy * y) % 1, np.float32) + grid[..., number]
        families.append(whole - np.floor(whole))
    return families, np.ascontiguousarray(grid[..., -1])


def _repeated(printed: Plane, cycles: list[Plane], there: Plane) -> Plane:
    """A picture of the print (v, u, C) at cycles 0..1, (h, w, C)."""
    v, u = printed.shape[:2]
    # One sample more on each side, so that what is read between the last and the first is read right.
    tile = np.pad(printed, ((1, 1), (1, 1), (0, 0)), mode="wrap")
    across = cycles[0] * np.float32(u) + np.float32(0.5)
    down = cycles[1] * np.float32(v) + np.float32(0.5) if len(cycles) > 1 else np.ones_like(across)
    out = cv2.remap(tile, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    through = np.asarray(out, np.float32).reshape(*across.shape, printed.shape[2])
    return np.asarray(1 - (1 - through) * there[..., None], np.float32)


@lru_cache(maxsize=24)
def _at_level(ruling: Ruling, level: int) -> tuple[Plane, ...]:
    """The print, and the print at its darkest, as they are seen at a level, where a pixel is larger."""
    v, u = ruling.printed.shape[:2]
    px = [1 / float(np.hypot(*turn)) for turn in ruling.turns]
    wide = (1 << level) - 1
    sizes = [max(round(wide / px[0] * u), 1), max(round(wide / px[-1] * v), 1) if len(px) > 1 else 1]
    box = min(sizes[0], 3 * u) | 1, min(sizes[1], 3 * v) | 1
    seen = []
    for picture in (ruling.printed, ruling.darkest):
        tile = np.tile(picture, (3, 3, 1))
        blurred = np.asarray(cv2.blur(tile, box, borderType=cv2.BORDER_REFLECT)).reshape(tile.shape)
        seen.append(np.ascontiguousarray(blurred[v : 2 * v, u : 2 * u], np.float32))
    return tuple(seen)


def _boxes(ruling: Ruling, size: tuple[int, int]) -> list[Region]:
    """Boxes of level 0, whose width and height is ``size``, where the print is, spread over the sheet."""
    side = int(_ACROSS / float(np.hypot(*ruling.turns.T).min()))
    columns = max(round((_PLACES * size[0] / size[1]) ** 0.5), 1)
    rows = max(_PLACES // columns, 1)
    out = []
    for row in range(rows):
        for column in range(columns):
            x, y = (column * 2 + 1) * size[0] // (2 * columns), (row * 2 + 1) * size[1] // (2 * rows)
            if ruling.drift[y // ruling.cell_px, x // ruling.cell_px, -1] > 0.9:
                out.append(Region(x - side // 2, y - side // 2, side, side).clip(*size))
    return out


def _printed(blank: Ruling, boxes: list[Region], read: Callable[[Region], Plane]) -> tuple[Plane, Plane] | None:
    """The light that the print lets through, in the mean of what is seen in ``boxes`` and where it is darkest; None when that
    is none."""
    seen = [(box, read(box)) for box in boxes if box.w > 8 and box.h > 8]
    depths = [float(np.percentile(1 - grey_of(values), 99.5)) for _, values in seen]
    pale = [depth for depth in depths if depth < _DEPTH[1]]
    if len(pale) < _LEAST_PLACES:
        return None
    most = _MARKED * float(np.median(pale)) + 0.02
    plain = [one for one, depth in zip(seen, depths, strict=True) if depth < most]
    if len(plain) < _LEAST_PLACES:
        return None
    samples = [int(np.clip(round(1 / float(np.hypot(*turn))), *_SAMPLES)) for turn in blank.turns]
    u, v = samples[0], samples[1] if len(samples) > 1 else 1
    places, values = [], []
    for box, own in plain:
        cycles, _ = _cycles(blank, box, 0)
        across = np.minimum((cycles[0] * u).astype(np.intp), u - 1)
        down = np.minimum((cycles[1] * v).astype(np.intp), v - 1) if len(cycles) > 1 else np.zeros_like(across)
        places.append((down * u + across).ravel())
        values.append(own.reshape(-1, own.shape[2]))
    at, light = np.concatenate(places), np.concatenate(values)
    count = np.bincount(at, minlength=u * v)
    if (count < 4).any():
        return None

    def mean_of_all(samples: Plane) -> Plane:
        sums = [np.bincount(at, weights=samples[:, c], minlength=u * v) / count for c in range(samples.shape[1])]
        return np.stack(sums, axis=1).reshape(v, u, -1).astype(np.float32)

    mean = mean_of_all(light)
    paper = np.percentile(mean.reshape(-1, mean.shape[2]), 70, axis=0).astype(np.float32)
    varied = np.maximum(mean_of_all(light**2) - mean**2, 0)
    # A thin line is darkest where pixels lie right along it, and paler where it runs between two of them.
    beyond = np.maximum(varied - np.median(varied, axis=(0, 1)), 0)
    unlike = np.sqrt(beyond)
    missing = np.asarray(1 - mean / np.maximum(paper, np.float32(0.05)), np.float32)
    told = float((np.maximum(missing, 0) ** 2).mean())
    if told < _EXPLAINED * (told + float(beyond.mean())):
        return None  # lines that are drawn, however evenly, do not lie as alike
    return _told(missing, np.asarray(_DARKER * unlike, np.float32))


def _told(missing: Plane, darker: Plane) -> tuple[Plane, Plane] | None:
    """The light that a print lets through, in the mean and at its darkest, from the light (v, u, C) that is missing in the
    mean and how much ``darker`` it is at its darkest; None when nothing stands out of the noise that is one."""
    grey = grey_of(missing)
    unrest = 1.4826 * float(np.median(np.abs(grey - np.median(grey)))) + 1e-4
    deepest = float(grey.max())
    if not max(_DEPTH[0], _NOISE * unrest) < deepest < _DEPTH[1] or (grey > deepest / 2).mean() > _COVER:
        return None
    stands = np.clip(grey / (_NOISE * unrest) - 1, 0, 1)[..., None]
    usual = np.minimum(np.maximum(missing, 0) * stands, _MOST)
    around = np.pad(np.asarray(usual + darker * stands, np.float32), ((1, 1), (1, 1), (0, 0)), mode="wrap")
    wider = np.asarray(cv2.dilate(around, np.ones((1 if len(missing) == 1 else 3, 3), np.uint8))).reshape(around.shape)
    most = np.minimum(wider[1:-1, 1:-1], _MOST)
    return np.asarray(1 - usual, np.float32), np.ascontiguousarray(1 - most, np.float32)
