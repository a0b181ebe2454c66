"""Thumbnails for the pile: the finished sheet, small, to be laid on any backing without its pixels."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.app.view.compose import flat, to_size
from woad.core.docket.model import Docket
from woad.core.raster.tiles import Region
from woad.core.render.automatic import Picture
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet

Image8 = NDArray[np.uint8]
_FINER = 6  # times its own size, at least, that a thumbnail is reduced from


@dataclass(frozen=True, eq=False)
class Thumbnail:
    """``black`` (h, w, 3) is the art over black, ``alpha`` (h, w) its coverage; uint8."""

    black: Image8
    alpha: Image8

    def over(self, backing: str, bright: tuple[int, int, int]) -> Image8:
        """The art on a backing, (h, w, 4) uint8 in the byte order of Qt's RGB32. Checks and pictures are for the view: on
        them the pile shows white."""
        back = flat("white" if backing in ("checks", "picture") else backing, bright)
        behind = np.multiply.outer(255.0 - self.alpha, np.asarray(back, np.float32) / 255)
        seen = np.rint(np.minimum(self.black + behind, 255)).astype(np.uint8)
        return np.asarray(cv2.cvtColor(seen, cv2.COLOR_RGB2BGRA))


def make_thumbnail(sheet: Sheet, docket: Docket, side: int) -> Thumbnail:
    """The finished sheet, its longer side ``side`` device pixels.

    It is made several times as large and then reduced: a thin line that is made small first is as pale as a blotch.
    """
    level = sheet.pyramid.deepest
    while level > 0 and max(sheet.pyramid.size(level)) < _FINER * side:
        level -= 1
    w, h = sheet.pyramid.size(level)
    picture = render_region(sheet, docket, "knockout", level, Region(0, 0, w, h))
    factor = side / max(w, h)
    small = max(1, round(w * factor)), max(1, round(h * factor))
    black, alpha = _over_black(picture)
    return Thumbnail(to_size(black, *small), to_size(alpha, *small))


def _over_black(picture: Picture) -> tuple[Image8, Image8]:
    rgb, alpha = picture.rgb, picture.alpha
    if alpha is None:
        assert not isinstance(rgb, tuple)
        return rgb, np.full(rgb.shape[:2], 255, np.uint8)
    if isinstance(rgb, tuple):
        rgb = np.full((*alpha.shape, 3), rgb, np.uint8)
    return np.asarray(cv2.multiply(rgb, cv2.merge([alpha] * 3), scale=1 / 255)), alpha
