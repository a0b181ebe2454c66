"""A scan without what its scanner or phone sharpened: looked for before the sheet is measured, taken back as it is read."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.raster.pyramid import Pixels, Pyramid
from woad.core.raster.tiles import Region, inner_of
from woad.core.render.closely import busiest_parts
from woad.core.render.negative import looks_dark
from woad.core.scan.halos import Sharpening, find_sharpening, reach_px, without_sharpening


class Unsharpened(Pyramid):
    """A pyramid as it was before it was sharpened, made as it is read and never held."""

    def __init__(self, base: Pyramid, was: Sharpening) -> None:
        super().__init__(base.levels)
        # A frozen value: set once, here.
        object.__setattr__(self, "base", base)
        object.__setattr__(self, "was", was)

    base: Pyramid
    was: Sharpening

    def size(self, level: int) -> tuple[int, int]:
        return self.base.size(level)

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


def look_for_sharpening(scan: Pyramid, corners: NDArray[np.float64] | None = None) -> Sharpening | NoEstimate:
    """How a scan was sharpened, from all of it or from the sheet between its ``corners`` (4, 2), px."""
    parts = busiest_parts(scan, corners)
    return find_sharpening([1 - part for part in parts] if looks_dark(scan) else parts)


def as_scanned(scan: Pyramid, was: Sharpening | None) -> Pyramid:
    """The scan without what it ``was`` sharpened; itself when there is nothing to take back."""
    return scan if was is None else Unsharpened(scan, was)
