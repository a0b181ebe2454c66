"""A scan without what its scanner or phone sharpened: looked for before the sheet is measured, taken back as it is read."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from woad.core.docket.model import Docket
from woad.core.raster.pyramid import Pixels, Pyramid
from woad.core.raster.tiles import Region
from woad.core.render.closely import busiest_parts
from woad.core.render.squaring import Found
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
        rows, columns = (slice(start, start + n) for start, n in ((box.y - around.y, box.h), (box.x - around.x, box.w)))
        before = np.rint(without_sharpening(pixels, was)[rows, columns])
        if pixels.dtype == np.uint8:
            return np.clip(before, 0, 255).astype(np.uint8)
        return np.clip(before, 0, 65535).astype(np.uint16)


def with_sharpening_found(found: Found, scan: Pyramid) -> Found:
    """What was found on a scan, and how it was sharpened."""
    return replace(found, sharpening=find_sharpening(busiest_parts(scan, found)))


def taken_back(docket: Docket, found: Found) -> Sharpening | None:
    """The sharpening that is taken back from a scan as the docket says; None when nothing is."""
    own = found.sharpening
    return own if docket.scan.unsharpen and isinstance(own, Sharpening) and own.amount else None


def as_scanned(scan: Pyramid, was: Sharpening | None) -> Pyramid:
    """The scan without ``was``; itself when there is nothing to take back."""
    return scan if was is None else Unsharpened(scan, was)
