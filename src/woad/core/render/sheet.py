"""One sheet ready for work: its original, its pyramid and its readings."""

from __future__ import annotations

from dataclasses import dataclass

from woad.core.formats.read import Original, Pixels, first_look, pixels_of
from woad.core.raster.pyramid import Pyramid, build_pyramid
from woad.core.render.measure import measure
from woad.core.render.readings import Readings


@dataclass(frozen=True, eq=False)
class Sheet:
    """``settled`` is False for a first look made from a reduced decode; ``scale`` is then its pixel size in
    level-0 pixels of the true scan (else 1)."""

    original: Original
    pyramid: Pyramid
    readings: Readings
    settled: bool = True
    scale: float = 1.0

    @property
    def width(self) -> int:
        """Pixels of the scan as turned upright."""
        return self.full_size[0]

    @property
    def height(self) -> int:
        return self.full_size[1]

    @property
    def full_size(self) -> tuple[int, int]:
        header = self.original.header
        turned = header.orientation in (5, 6, 7, 8)
        return (header.height, header.width) if turned else (header.width, header.height)

    @property
    def ppi(self) -> float | None:
        return self.original.ppi


def load_sheet(original: Original) -> Sheet:
    """Decode, build the pyramid and measure. Raises ``FileUnreadable``."""
    pyramid = build_pyramid(pixels_of(original))
    return Sheet(original, pyramid, measure(pyramid))


def lean_sheet(original: Original, pixels: Pixels) -> Sheet:
    """A sheet for work without a view, from decoded pixels: large levels that only a view needs are left out."""
    pyramid = build_pyramid(pixels, lean=True)
    return Sheet(original, pyramid, measure(pyramid))


def glance_sheet(original: Original) -> Sheet:
    """A sheet for a first picture: from a reduced decode where there is one, measured quickly in any case."""
    small = first_look(original)
    pyramid = build_pyramid(pixels_of(original) if small is None else small)
    scale = 1.0
    if small is not None:
        header = original.header
        scale = max(header.width, header.height) / max(pyramid.width, pyramid.height)
    return Sheet(original, pyramid, measure(pyramid, quick=True), settled=False, scale=scale)


def settle_sheet(glance: Sheet) -> Sheet:
    """The same sheet in full; what a first look has decoded already is not decoded again."""
    if glance.scale != 1.0:
        return load_sheet(glance.original)
    return Sheet(glance.original, glance.pyramid, measure(glance.pyramid))
