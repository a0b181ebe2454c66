"""The one resampling: pixels of the squared sheet, taken from the scan through its frame."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.pyramid import Pixels, Pyramid
from woad.core.raster.tiles import Region
from woad.core.square.bent import inside_any
from woad.core.square.frame import Frame

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
        object.__setattr__(self, "_guess", _paper_guess(source, frame))

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
    step = float(1 << level)
    at = _places(frame, level, box, plane) / step - 0.5
    # On the resampler's own grid, so that a tile and the whole sheet take every pixel from the very same place.
    at = np.rint(at * _GRID) / _GRID
    w, h = source.size(level)
    x0 = int(np.clip(np.floor(at[..., 0].min()) - _REACH, 0, w - 1))
    y0 = int(np.clip(np.floor(at[..., 1].min()) - _REACH, 0, h - 1))
    x1 = int(np.clip(np.ceil(at[..., 0].max()) + _REACH + 1, x0 + 1, w))
    y1 = int(np.clip(np.ceil(at[..., 1].max()) + _REACH + 1, y0 + 1, h))
    part = np.ascontiguousarray(source.read(level, Region(x0, y0, x1 - x0, y1 - y0)))
    maps = (at - (x0, y0)).astype(np.float32)
    out = cv2.remap(part, maps, None, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    out = np.asarray(out).reshape(box.h, box.w, part.shape[2])
    outside = (at[..., 0] < -0.5) | (at[..., 1] < -0.5) | (at[..., 0] > w - 0.5) | (at[..., 1] > h - 0.5)
    if frame.blanks:
        outside |= inside_any(frame.blanks, (at + 0.5) * step)
    if guess is not None and outside.any():
        gh, gw = guess.shape[:2]
        small = ((at + 0.5) * (gw / w, gh / h) - 0.5).astype(np.float32)
        paper = np.asarray(cv2.remap(guess, small, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))
        out[outside] = np.rint(paper.reshape(out.shape)[outside]).astype(out.dtype)
    return out


def _places(frame: Frame, level: int, box: Region, plane: bool) -> NDArray[np.float64]:
    """Scan points, level-0 px, under the centres of the pixels of ``box``, (h, w, 2).

    Computed at knots that lie at fixed places of the level and filled in linearly between them: the mapping is so
    smooth that this is exact to 1/40 px, tiles agree, and it costs a fifth.
    """
    step, every = float(1 << level), max(1, _KNOTS_PX >> level)
    left, top = (0.0, 0.0) if plane else (frame.left, frame.top)
    kx, ky = box.x // every, box.y // every
    nx, ny = -(-box.right // every) - kx + 1, -(-box.bottom // every) - ky + 1
    knots = np.empty((ny, nx, 2))
    knots[..., 0] = ((kx + np.arange(nx)) * every + 0.5) * step + left
    knots[..., 1] = (((ky + np.arange(ny)) * every + 0.5) * step + top)[:, None]
    at = frame.plane_to_scan(knots)
    if every == 1:
        return at[: box.h, : box.w]
    x, y = box.x - kx * every + np.arange(box.w), box.y - ky * every + np.arange(box.h)
    share = ((y % every) / every)[:, None, None]
    rows = at[y // every] * (1 - share) + at[y // every + 1] * share
    share = ((x % every) / every)[None, :, None]
    return np.asarray(rows[:, x // every] * (1 - share) + rows[:, x // every + 1] * share)


def _paper_guess(source: Pyramid, frame: Frame) -> NDArray[np.float32]:
    """The paper's tone over the scan, small: the lightest of each neighbourhood, smoothed; of the sheet alone if it is
    known where that lies, and carried on from there."""
    level = np.asarray(source.levels[source.deepest], np.float32)
    h, w = level.shape[:2]
    weight = np.ones((h, w), np.float32)
    if frame.blanks:
        pw, ph = frame.plane
        inner = np.array([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9]]) * (pw, ph)
        on_level = frame.plane_to_scan(inner) * (w / frame.scan[0], h / frame.scan[1])
        mask = np.zeros((h, w), np.uint8)
        cv2.fillConvexPoly(mask, np.round(on_level).astype(np.int32), 1)
        weight = mask.astype(np.float32) if mask.any() else weight
        level = level * weight[..., None]
    light = np.asarray(cv2.dilate(level, np.ones((9, 9), np.uint8)), np.float32).reshape(level.shape)
    wide = np.asarray(cv2.dilate(weight, np.ones((9, 9), np.uint8)))
    out = np.zeros(level.shape, np.float32)
    known = np.zeros((h, w), np.float32)
    for sigma in (6.0, 18.0, 60.0):
        den = cv2.GaussianBlur(wide, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
        num = np.asarray(cv2.GaussianBlur(light * wide[..., None], (0, 0), sigma, borderType=cv2.BORDER_REPLICATE))
        fresh = (known == 0) & (den > 0.05)
        out[fresh] = (num.reshape(level.shape) / np.maximum(den, 1e-6)[..., None])[fresh]
        known[fresh] = 1
    return out
