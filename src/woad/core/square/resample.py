"""The one resampling: pixels of the squared sheet, taken from the scan through its frame."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.outline import fill_outline
from woad.core.raster.places import read_at
from woad.core.raster.pyramid import Pixels, Pyramid
from woad.core.raster.tiles import Region
from woad.core.square.bent import inside_any
from woad.core.square.frame import Frame, Outlines
from woad.core.square.paper_tone import paper_tone

Plane = NDArray[np.float32]

_GRID = 32  # places between two pixels that the resampler knows
_REACH = 4
_KNOTS_PX = 32


class Squared(Pyramid):
    """A scan's pyramid seen through a frame: same reading, computed tile by tile, nothing held.

    Level k of the squared sheet is taken from level k of the scan, so a tile costs what its pixels cost.
    """

    def __init__(self, source: Pyramid, frame: Frame) -> None:
        super().__init__(source.levels)
        # A frozen value: what is derived is set once, here.
        object.__setattr__(self, "source", source)
        object.__setattr__(self, "frame", frame)
        object.__setattr__(self, "_guess", paper_tone(source, frame))

    source: Pyramid
    frame: Frame
    _guess: NDArray[np.float32]

    def size(self, level: int) -> tuple[int, int]:
        step = 1 << level
        return -(-self.frame.width // step), -(-self.frame.height // step)

    def read(self, level: int, box: Region) -> Pixels:
        return warp(self.source, self.frame, level, box, self._guess)


def warp(
    source: Pyramid,
    frame: Frame,
    level: int,
    box: Region,
    guess: NDArray[np.float32] | None = None,
    plane: bool = False,
) -> Pixels:
    """Pixels of ``box`` of a level of the squared sheet (or of the untrimmed ``plane``), (h, w, C), by bicubic
    interpolation (Keys 1981) of the same level of the scan, ``source``.

    What lies outside the scan, or is no paper, is filled from ``guess``, a small picture (h, w, C) of the paper's tone
    over the scan.
    """
    size, step = np.array(source.size(level)), float(1 << level)
    if frame.in_place:
        return _in_place(source.read(level, box), frame.blanks, level, box, guess, size)
    x, y = _places(frame, level, box, plane)
    low, high = np.array([x.min(), y.min()]), np.array([x.max(), y.max()])
    first = np.clip(np.floor(low) - _REACH, 0, size - 1).astype(int)
    end = np.clip(np.ceil(high) + _REACH + 1, first + 1, size).astype(int)
    (left, top), (wide, tall) = first.tolist(), (end - first).tolist()
    part = np.ascontiguousarray(source.read(level, Region(left, top, wide, tall)))
    out = cv2.remap(part, x - left, y - top, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    out = np.asarray(out).reshape(box.h, box.w, part.shape[2])
    if guess is None:
        return out
    blanks = _met(frame.blanks, (low + 0.5) * step, (high + 0.5) * step)
    if not blanks and (low >= -0.5).all() and (high <= size - 0.5).all():
        return out
    w, h = size.tolist()
    outside = (x < -0.5) | (y < -0.5) | (x > w - 0.5) | (y > h - 0.5)
    if blanks:
        outside |= inside_any(blanks, (np.stack([x, y], axis=-1, dtype=np.float64) + 0.5) * step)
    return _filled(out, outside, x[outside], y[outside], guess, size)


def _in_place(
    pixels: Pixels, blanks: Outlines, level: int, box: Region, guess: Plane | None, size: NDArray[np.intp]
) -> Pixels:
    """Pixels of a box of a scan that is squared already, with its ``blanks`` filled."""
    if guess is None:
        return pixels
    met = [mask for one in blanks if (mask := fill_outline(np.asarray(one), box, level)) is not None]
    if not met:
        return pixels
    outside = np.maximum.reduce(met) > 0
    rows, columns = np.nonzero(outside)
    return _filled(pixels.copy(), outside, columns + box.x, rows + box.y, guess, size)


def _filled(
    out: Pixels,
    outside: NDArray[np.bool_],
    x: NDArray[Any],
    y: NDArray[Any],
    guess: Plane,
    size: NDArray[np.intp],
) -> Pixels:
    """``out`` (h, w, C) with the paper's tone, by the small picture ``guess``, where it is ``outside`` (h, w), at places (n,) of
    a level of that ``size``."""
    if outside.any():
        (w, h), (gh, gw) = size.tolist(), guess.shape[:2]
        paper = read_at(guess, (x + 0.5) * (gw / w) - 0.5, (y + 0.5) * (gh / h) - 0.5)
        out[outside] = np.rint(paper).astype(out.dtype)
    return out


def _met(outlines: Outlines, low: NDArray[np.float64], high: NDArray[np.float64]) -> Outlines:
    """The outlines that may reach into the box from ``low`` to ``high`` (x, y)."""
    boxes = ((one, np.array(one)) for one in outlines)
    return tuple(one for one, p in boxes if (p.min(axis=0) <= high).all() and (p.max(axis=0) >= low).all())


def _places(frame: Frame, level: int, box: Region, plane: bool) -> tuple[Plane, Plane]:
    """Where the pixels of ``box`` lie on the scan's level, columns and rows (h, w), 0 in the centre of the first pixel.

    Computed at knots that lie at fixed places of the level and filled in linearly between them: the mapping is so
    smooth that this is exact to 1/40 px. They are whole steps of the resampler's own grid, so that a tile and the whole
    sheet take every pixel from the very same place.
    """
    step, every = float(1 << level), max(1, _KNOTS_PX >> level)
    left, top = (0.0, 0.0) if plane else (frame.left, frame.top)
    kx, ky = box.x // every, box.y // every
    nx, ny = -(-box.right // every) - kx + 1, -(-box.bottom // every) - ky + 1
    knots = np.empty((ny, nx, 2))
    knots[..., 0] = ((kx + np.arange(nx)) * every + 0.5) * step + left
    knots[..., 1] = (((ky + np.arange(ny)) * every + 0.5) * step + top)[:, None]
    at = (frame.plane_to_scan(knots) * (_GRID / step) - _GRID / 2).astype(np.float32)
    share = np.arange(every, dtype=np.float32) / np.float32(every)
    cut = slice(box.y - ky * every, box.bottom - ky * every), slice(box.x - kx * every, box.right - kx * every)
    return _between(at[..., 0], share)[cut], _between(at[..., 1], share)[cut]


def _between(knots: Plane, share: Plane) -> Plane:
    """Values at ``knots`` (n + 1, m + 1) filled in linearly, at every ``share`` (k,) of the way to the next, in steps of
    the resampler's grid, (n k, m k)."""
    rows = knots[:-1, None] + (knots[1:] - knots[:-1])[:, None] * share[:, None]
    rows = rows.reshape(-1, knots.shape[1])
    out = (rows[:, 1:] - rows[:, :-1])[..., None] * share
    out += rows[:, :-1, None]
    np.rint(out, out)
    out *= np.float32(1 / _GRID)
    return np.asarray(out.reshape(len(rows), -1))
