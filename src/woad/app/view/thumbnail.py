"""Thumbnails for the pile: the finished sheet, small, to be laid on any backing without its pixels."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.app.view.compose import flat, to_size
from woad.core.docket.model import Docket
from woad.core.raster.tiles import Region
from woad.core.render.automatic import Picture, RegionCache
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet

Image8 = NDArray[np.uint8]
_FINER = 6  # times its own size, at least, that a thumbnail is reduced from


@dataclass(frozen=True, eq=False)
class Thumbnail:
    """``black`` (h, w, 3) is the art over black, ``alpha`` (h, w) its coverage; uint8. ``light`` marks are those of dark
    paper."""

    black: Image8
    alpha: Image8
    light: bool

    def over(self, backing: str, bright: tuple[int, int, int]) -> Image8:
        """The art on a backing, (h, w, 4) uint8 in the byte order of Qt's RGB32. Checks and pictures are for the view: on
        them the pile shows white. Light marks, which are not seen on white, lie on dark then."""
        if backing in ("white", "checks", "picture"):
            backing = "dark" if self.light else "white"
        back = flat(backing, bright)
        behind = np.multiply.outer(255.0 - self.alpha, np.asarray(back, np.float32) / 255)
        seen = np.rint(np.minimum(self.black + behind, 255)).astype(np.uint8)
        return np.asarray(cv2.cvtColor(seen, cv2.COLOR_RGB2BGRA))


def make_thumbnail(sheet: Sheet, docket: Docket, side: int, cache: RegionCache | None = None) -> Thumbnail:
    """The finished sheet, its longer side ``side`` device pixels. What a ``cache`` holds of it is not made anew.

    It is made several times as large and then reduced: a thin line that is made small first is as pale as a blotch.
    """
    level = sheet.pyramid.deepest
    while level > 0 and max(sheet.pyramid.size(level)) < _FINER * side:
        level -= 1
    w, h = sheet.pyramid.size(level)
    picture = render_region(sheet, docket, "knockout", level, Region(0, 0, w, h), cache)
    factor = side / max(w, h)
    small = max(1, round(w * factor)), max(1, round(h * factor))
    return _over_black(picture, *small, sheet.readings.negative)


def _over_black(picture: Picture, w: int, h: int, light: bool) -> Thumbnail:
    rgb, alpha = picture.rgb, picture.alpha
    if isinstance(rgb, tuple):
        assert alpha is not None
        few = to_size(alpha, w, h)
        black = np.rint(np.multiply.outer(few / np.float32(255), np.asarray(rgb, np.float32)))
        return Thumbnail(black.astype(np.uint8), few, light)
    if alpha is None:
        return Thumbnail(to_size(rgb, w, h), np.full((h, w), 255, np.uint8), light)
    black = np.asarray(cv2.multiply(rgb, cv2.merge([alpha] * 3), scale=1 / 255))
    return Thumbnail(to_size(black, w, h), to_size(alpha, w, h), light)
