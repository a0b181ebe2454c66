"""What Spotting takes off the sheet, as masks that any tile of any level can be cut with."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.spotting import SpottingSettings
from woad.core.docket.touches import Place
from woad.core.raster.outline import fill_outline
from woad.core.raster.tiles import Region
from woad.core.render.found import Found
from woad.core.spotting.pieces import Pieces
from woad.core.square.frame import Frame
from woad.core.units import mm_to_px

Plane8 = NDArray[np.uint8]
_HAIR_MM = 0.25
_BOX3 = np.ones((3, 3), np.uint8)
_BOX5 = np.ones((5, 5), np.uint8)


@dataclass(frozen=True, eq=False)
class Clearing:
    """``planes`` what goes and what stays, over blocks of ``block_px``, 255 each, None when no piece goes; ``shapes``
    outlines, px of the sheet at full size."""

    block_px: int
    planes: tuple[Plane8, Plane8] | None
    shapes: tuple[NDArray[np.float64], ...]
    made: list[tuple[Plane8, Plane8, Plane8]] = field(default_factory=list)

    def _mask(self, number: int) -> Plane8:
        """What all goes, from blocks on, each number half the size of the one before; made when first asked for."""
        assert self.planes is not None
        while len(self.made) <= number:
            gone, stays = self.planes if not self.made else (_coarser(p) for p in self.made[-1][:2])
            # A piece goes with the faint rim around it, two or more px of the sheet; what stays is not touched by that.
            rim = _BOX3 if self.block_px > 1 or self.made else _BOX5
            mask = cv2.bitwise_and(cv2.dilate(gone, rim), cv2.bitwise_not(stays))
            self.made.append((gone, stays, np.asarray(mask)))
        return self.made[number][2]

    def tile(self, box: Region, level: int) -> Plane8 | None:
        """255 where all goes, of a box of ``level``, (h, w); None when nothing does."""
        out = self._of_pieces(box, level)
        for shape in self.shapes:
            inside = fill_outline(shape, box, level)
            if inside is not None:
                out = inside if out is None else np.asarray(cv2.max(out, inside))
        return out

    def _of_pieces(self, box: Region, level: int) -> Plane8 | None:
        if self.planes is None:
            return None
        first = self.block_px.bit_length() - 1
        if level >= first:
            mask = self._mask(level - first)
            part = mask[box.y : box.bottom, box.x : box.right]
            if not part.any():
                return None
            out = np.zeros((box.h, box.w), np.uint8)
            out[: part.shape[0], : part.shape[1]] = part
            return out
        step = 1 << (first - level)
        x0, y0 = box.x // step, box.y // step
        part = self._mask(0)[y0 : -(-box.bottom // step), x0 : -(-box.right // step)]
        if not part.any():
            return None
        wide = cv2.resize(part, (part.shape[1] * step, part.shape[0] * step), interpolation=cv2.INTER_NEAREST)
        left, top = box.x - x0 * step, box.y - y0 * step
        return np.ascontiguousarray(wide[top : top + box.h, left : left + box.w])


def goes(found: Found, settings: SpottingSettings) -> NDArray[np.bool_]:
    """Which pieces go, (n,): by judgement, below the limit, with the newest decision about each winning."""
    out: NDArray[np.bool_] = _goes(
        found, settings.on, settings.strays, settings.limit_mm, settings.lines, settings.decided, settings.areas
    )
    return out


@lru_cache(maxsize=8)
def _goes(found, on, strays, limit_mm, lines, decided, areas):  # type: ignore[no-untyped-def]
    n = len(found.pieces)
    if not on or not n:
        return np.zeros(n, bool)
    mm = mm_to_px(1, found.ppi)
    small = found.pieces.size_px <= limit_mm * mm
    # A hair is long, but nothing of it is broad: the limit for specks does not hold it.
    small |= (found.pieces.length_px > 8 * found.pieces.width_px) & (found.pieces.width_px <= _HAIR_MM * mm)
    out = small & (found.dirt > 0.5) if strays == "dirt" else small.copy() if strays == "small" else np.zeros(n, bool)
    if lines:
        out |= found.lines
    for area in areas:
        inside = found.inside(area.outline)
        if area.kind == "strays-stay":
            out &= ~inside
        else:
            out |= inside
    for index, one in zip(found.nearest([d.at for d in decided]), decided, strict=True):
        if index >= 0:
            out[index] = one.goes
    return out


def clearing_of(found: Found | None, settings: SpottingSettings, frame: Frame) -> Clearing | None:
    """What Spotting takes off a sheet, ready for any tile; None when it takes nothing."""
    if not settings.on:
        return None
    areas = tuple(area.outline for area in settings.areas if area.kind == "all")
    if found is None and not areas:
        return None
    return make_clearing(found, None if found is None else goes(found, settings).tobytes(), areas, frame)


@lru_cache(maxsize=3)
def make_clearing(
    found: Found | None, which: bytes | None, areas: tuple[tuple[Place, ...], ...], frame: Frame
) -> Clearing | None:
    """Masks of the pieces that go (``which``: their flags) and of circled areas; None when nothing goes."""
    size = np.array(frame.scan, np.float64)
    shapes = tuple(frame.from_scan(np.asarray(area, np.float64) * size) for area in areas)
    flags = np.frombuffer(which or b"", np.bool_)
    if found is None or not flags.any():
        return Clearing(1, None, shapes) if shapes else None
    return Clearing(found.pieces.block_px, _planes(found.pieces, flags), shapes)


def _planes(pieces: Pieces, flags: NDArray[np.bool_]) -> tuple[Plane8, Plane8]:
    """255 where a piece lies that goes; where something lies that stays."""
    table = np.zeros(len(flags) + 2, np.uint8)
    table[1:-1][flags] = 255
    gone = table[pieces.labels]  # label -1 is the last entry
    stays = np.where(pieces.labels != 0, 255 - gone, 0).astype(np.uint8)
    return gone, stays


def _coarser(plane: Plane8) -> Plane8:
    h, w = plane.shape
    if h % 2 or w % 2:
        plane = np.asarray(cv2.copyMakeBorder(plane, 0, h % 2, 0, w % 2, cv2.BORDER_CONSTANT, value=0.0))
    top = cv2.max(plane[0::2], plane[1::2])
    return np.asarray(cv2.max(np.ascontiguousarray(top[:, 0::2]), np.ascontiguousarray(top[:, 1::2])))
