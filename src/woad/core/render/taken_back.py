"""A scan without what its scanner or phone did to it: sharpening, colours laid apart. Looked for before the sheet is measured,
taken back as it is read."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.raster.pyramid import Pixels, Pyramid
from woad.core.raster.tiles import Region, inner_of
from woad.core.raster.transfer import encoded_shares
from woad.core.render.closely import busiest_parts, spread_parts
from woad.core.render.negative import looks_dark
from woad.core.scan.halos import Sharpening, find_sharpening, reach_px, without_sharpening
from woad.core.scan.register import Register, find_register, laid_back, register_reach_px


@dataclass(frozen=True)
class TakenBack:
    """What is taken back of a scan: its ``sharpening``, and colours out of ``register``; None where nothing is."""

    sharpening: Sharpening | None = None
    register: Register | None = None


NOTHING = TakenBack()


class _Before(Pyramid):
    """A pyramid as it was before something was done to it, made as it is read and never held."""

    def __init__(self, base: Pyramid, was: Sharpening | Register) -> None:
        super().__init__(base.levels)
        # A frozen value: set once, here.
        object.__setattr__(self, "base", base)
        object.__setattr__(self, "was", was)

    base: Pyramid

    def size(self, level: int) -> tuple[int, int]:
        return self.base.size(level)


class Unsharpened(_Before):
    """A pyramid as it was before it was sharpened."""

    was: Sharpening

    def read(self, level: int, box: Region) -> Pixels:
        was = self.was.at_level(level)
        if was is None:
            return self.base.read(level, box)
        around = box.grown(reach_px(was), 1, *self.size(level))
        pixels = self.base.read(level, around)
        before = np.rint(without_sharpening(pixels, was)[inner_of(box, around)])
        if pixels.dtype == np.uint8:
            return np.clip(before, 0, 255).astype(np.uint8)
        return np.clip(before, 0, 65535).astype(np.uint16)


class Registered(_Before):
    """A pyramid with its colours laid back on each other."""

    was: Register

    def read(self, level: int, box: Region) -> Pixels:
        step = 1 << level
        if not self.was.shows_at(level):
            return self.base.read(level, box)
        around = box.grown(register_reach_px(self.was, level), 1, *self.size(level))
        # The scan's centre, in pixels of the level from the corner of what is read.
        w, h = self.base.size(0)
        centre = np.array([w / step / 2 - around.x, h / step / 2 - around.y])
        return laid_back(self.base.read(level, around), self.was, level, centre)[inner_of(box, around)]


def look_for_sharpening(scan: Pyramid, corners: NDArray[np.float64] | None = None) -> Sharpening | NoEstimate:
    """How a scan was sharpened, from all of it or from the sheet between its ``corners`` (4, 2), px."""
    parts = busiest_parts(scan, corners)
    return find_sharpening([1 - part for part in parts] if looks_dark(scan) else parts)


def look_for_register(scan: Pyramid) -> Register | NoEstimate:
    """How a scan's colours lie. A table's edges tell as much as the sheet's."""
    if scan.channels < 3:
        return NoEstimate("the scan is grey")
    boxes = spread_parts(scan)
    centres = [(box.x + box.w / 2 - scan.width / 2, box.y + box.h / 2 - scan.height / 2) for box in boxes]
    return find_register([encoded_shares(scan.read(0, box)) for box in boxes], np.array(centres))


def as_scanned(scan: Pyramid, back: TakenBack) -> Pyramid:
    """The scan without what is taken ``back``; itself when that is nothing. A scanner sharpens last."""
    plain = scan if back.sharpening is None else Unsharpened(scan, back.sharpening)
    return plain if back.register is None else Registered(plain, back.register)
