"""A print: what the paper itself carries, and light that is divided by what it lets through.

Densities add (Beer-Lambert), so that light is divided by it beside marks and under them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.evening import sample_grid
from woad.core.raster.channels import folded
from woad.core.raster.codes import PAPER_CODE, Codes
from woad.core.raster.tiles import Region

Plane = NDArray[np.float32]

_MARK = 0.15  # of the paper's light, that what is left at the print's darkest is darker, to be a mark for sure
_STRIP_PX = 250_000  # that are worked on together


@dataclass(frozen=True, eq=False)
class Print:
    """``turns`` (n, 2) cycles per level-0 px along x and y of one or two families; ``drift`` (gh, gw, n + 1) float32 on cells
    of ``cell_px``: cycles to be added for each, and how much of the print there is, 0..1; ``printed`` (v, u, C) float32 the
    light that it lets through over one period of each family, ``darkest`` what it does where it is darkest; ``between`` the
    cycles of a single family that there is anything at, None for all of them."""

    turns: NDArray[np.float32]
    drift: Plane
    cell_px: int
    printed: Plane
    darkest: Plane
    between: tuple[float, float] | None = None


def divided_out(
    codes: Codes, own: Print, place: tuple[int, int, int], weights: tuple[float, ...] | None = None
) -> Codes:
    """Reflectance codes of a tile at ``place`` (x, y, level), (h, w, C) or folded by ``weights`` (h, w), without the print."""
    x, y, level = place
    h, w = codes.shape[:2]
    if not _near(own, Region(x, y, w, h), level):
        return codes
    pictures = _at_level(own, level)
    if codes.ndim == 2:
        pictures = tuple(folded(one, weights or (1.0,))[..., None] for one in pictures)
    out = np.empty_like(codes)
    rows = max(8, _STRIP_PX // w)
    for top in range(0, h, rows):
        some = slice(top, min(top + rows, h))
        seen = np.ascontiguousarray(codes[some]).reshape(some.stop - top, w, -1)
        cycles, there = cycles_of(own, Region(x, y + top, w, some.stop - top), level)
        out[some] = _taken_off(seen, *(_repeated(one, cycles, there) for one in pictures)).reshape(out[some].shape)
    return out


def _near(own: Print, box: Region, level: int) -> bool:
    """Whether there may be anything of the print on a box of a level."""
    if own.between is None:
        return True
    fx, fy = own.turns[0].tolist()
    corners = [(box.x + i * box.w) * fx + (box.y + j * box.h) * fy for i in (0, 1) for j in (0, 1)]
    return bool(min(corners) * (1 << level) <= own.between[1] and max(corners) * (1 << level) >= own.between[0])


def _taken_off(own: Codes, usual: Plane, darkest: Plane) -> Codes:
    """Codes (h, w, C) without a print: with its darkest, that nothing of it stays on bare paper; but as it usually is where
    there is a mark."""
    least, most = (np.asarray(cv2.divide(own, one, dtype=cv2.CV_16U)).reshape(own.shape) for one in (usual, darkest))
    mark = np.clip((PAPER_CODE - most.astype(np.float32)) * np.float32(1 / (_MARK * PAPER_CODE)), 0, 1)
    between = most - mark * (most.astype(np.float32) - least)
    # Taken off is no more than makes it paper: what is lighter would pass for the paper's noise.
    return np.asarray(np.minimum(between.astype(np.uint16), np.maximum(own, PAPER_CODE)))


def cycles_of(own: Print, box: Region, level: int) -> tuple[list[Plane], Plane]:
    """Cycles of every family at the pixels of a box of a level, and how much of the print there is, (h, w) each."""
    grid = sample_grid(own.drift, own.cell_px, box.x, box.y, box.w, box.h, level)
    x = (box.x + np.arange(box.w, dtype=np.float64)[None] + 0.5) * (1 << level)
    y = (box.y + np.arange(box.h, dtype=np.float64)[:, None] + 0.5) * (1 << level)
    families = []
    for number, (fx, fy) in enumerate(own.turns.tolist()):
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
def _at_level(own: Print, level: int) -> tuple[Plane, ...]:
    """The print, and the print at its darkest, as they are seen at a level, where a pixel is larger."""
    v, u = own.printed.shape[:2]
    px = [1 / float(np.hypot(*turn)) for turn in own.turns]
    wide = (1 << level) - 1
    sizes = [max(round(wide / px[0] * u), 1), max(round(wide / px[-1] * v), 1) if len(px) > 1 else 1]
    box = min(sizes[0], 3 * u) | 1, min(sizes[1], 3 * v) | 1
    seen = []
    for picture in (own.printed, own.darkest):
        tile = np.tile(picture, (3, 3, 1))
        blurred = np.asarray(cv2.blur(tile, box, borderType=cv2.BORDER_REFLECT)).reshape(tile.shape)
        seen.append(np.ascontiguousarray(blurred[v : 2 * v, u : 2 * u], np.float32))
    return tuple(seen)
