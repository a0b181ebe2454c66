"""Patches laid over a sheet's pixels: what was mended, at every level, without touching the scan."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from threading import Event, Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.pyramid import Pixels, Pyramid, halve
from woad.core.raster.tiles import Region

ALIGN = 32  # patches lie on this grid, so that their coarser levels fall on the same pixels as the sheet's


@dataclass(frozen=True, eq=False)
class Patch:
    """``change`` (levels, each (h, w, C) float32) to be added to the sheet's pixels of ``box`` (level 0, aligned)."""

    box: Region
    change: tuple[NDArray[np.float32], ...]

    def changed(self, level: int) -> Region | None:
        """The box of a level outside which nothing changes; None when nothing does."""
        if level >= len(self.change):
            return None
        hit = np.asarray(self.change[level].any(axis=2), np.uint8)
        x, y, w, h = cv2.boundingRect(hit)
        return Region((self.box.x >> level) + x, (self.box.y >> level) + y, w, h) if w and h else None


class Mended(Pyramid):
    """A pyramid with patches laid over it: reads like any other, and costs what the patches in view cost. Two of them
    with the same patches on the same pyramid are equal."""

    def __init__(self, base: Pyramid, patches: tuple[Patch, ...]) -> None:
        super().__init__(base.levels)
        object.__setattr__(self, "base", base)
        object.__setattr__(self, "patches", patches)

    base: Pyramid
    patches: tuple[Patch, ...]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Mended) and other.base is self.base and other.patches == self.patches

    def __hash__(self) -> int:
        return hash((id(self.base), self.patches))

    def before_last(self) -> Pyramid:
        """The same without the newest patch."""
        return Mended(self.base, self.patches[:-1]) if len(self.patches) > 1 else self.base

    @property
    def negative(self) -> bool:
        return self.base.negative

    def size(self, level: int) -> tuple[int, int]:
        return self.base.size(level)

    def read(self, level: int, box: Region) -> Pixels:
        out = self.base.read(level, box)
        top = 255.0 if out.dtype == np.uint8 else 65535.0
        own = False
        for patch in self.patches:
            if level >= len(patch.change):
                continue
            px, py = patch.box.x >> level, patch.box.y >> level
            change = patch.change[level]
            x0, y0 = max(box.x, px), max(box.y, py)
            x1, y1 = min(box.right, px + change.shape[1]), min(box.bottom, py + change.shape[0])
            if x0 >= x1 or y0 >= y1:
                continue
            if not own:
                out, own = out.copy(), True
            part = out[y0 - box.y : y1 - box.y, x0 - box.x : x1 - box.x]
            part[...] = np.clip(np.rint(part + change[y0 - py : y1 - py, x0 - px : x1 - px]), 0, top).astype(out.dtype)
        return out


class PatchStore:
    """What was made for one sheet's pixels, the newest few hundred; lives and dies with the sheet; thread safe."""

    def __init__(self, most: int = 800) -> None:
        self._lock, self._most = Lock(), most
        self._items: OrderedDict[Hashable, Any] = OrderedDict()
        self._making: dict[Hashable, Event] = {}

    def made(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """What was made for ``key``; made now if it was not. Two threads that want the same make it once."""
        while True:
            with self._lock:
                if key in self._items:
                    self._items.move_to_end(key)
                    return self._items[key]
                others = self._making.get(key)
                done = self._making.setdefault(key, Event())
            if others is None:
                break
            others.wait()
        try:
            value = make()
            with self._lock:
                self._items[key] = value
                while len(self._items) > self._most:
                    self._items.popitem(last=False)
            return value
        finally:
            # Also after a failure: whoever waits then tries it himself.
            with self._lock:
                del self._making[key]
            done.set()


def make_patch(box: Region, before: NDArray[np.generic], after: NDArray[np.generic]) -> Patch | None:
    """The change from ``before`` to ``after`` (h, w, C) on ``box``; None when there is none."""
    change = after.astype(np.float32) - before.astype(np.float32)
    if not change.any():
        return None
    levels = [change]
    while (1 << len(levels)) <= ALIGN and min(levels[-1].shape[:2]) > 1:
        smaller = np.asarray(halve(levels[-1]), np.float32)
        levels.append(smaller.reshape(*smaller.shape[:2], change.shape[2]))
    return Patch(box, tuple(levels))
