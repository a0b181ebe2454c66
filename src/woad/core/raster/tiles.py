"""Regions of an image and bands to walk over it with a halo."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass


@dataclass(frozen=True)
class Region:
    """A box of pixels at one level: ``x``, ``y`` of its corner, ``w``, ``h`` its size."""

    x: int
    y: int
    w: int
    h: int

    @property
    def right(self) -> int:
        return self.x + self.w

    @property
    def bottom(self) -> int:
        return self.y + self.h

    def clip(self, width: int, height: int) -> Region:
        """The part that lies on an image of ``width`` x ``height``; may be empty."""
        x0, y0 = max(0, min(self.x, width)), max(0, min(self.y, height))
        x1, y1 = max(x0, min(self.right, width)), max(y0, min(self.bottom, height))
        return Region(x0, y0, x1 - x0, y1 - y0)

    def grown(self, reach: int, step: int, width: int, height: int) -> Region:
        """Grown by ``reach`` on all sides, outwards to multiples of ``step``, clipped to the image.

        The alignment makes block averages inside a tile the same as those of the whole image.
        """
        x0 = max(0, (self.x - reach) // step * step)
        y0 = max(0, (self.y - reach) // step * step)
        x1 = min(width, -(-(self.right + reach) // step) * step)
        y1 = min(height, -(-(self.bottom + reach) // step) * step)
        return Region(x0, y0, x1 - x0, y1 - y0)


def inner_of(box: Region, tile: Region) -> tuple[slice, slice]:
    """Where ``box`` lies in the larger ``tile``."""
    return slice(box.y - tile.y, box.bottom - tile.y), slice(box.x - tile.x, box.right - tile.x)


def bands(width: int, height: int, rows: int) -> Iterator[Region]:
    """Full-width bands of at most ``rows`` rows, top to bottom."""
    for y in range(0, height, rows):
        yield Region(0, y, width, min(rows, height - y))
