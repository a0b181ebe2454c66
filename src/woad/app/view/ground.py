"""A picture to try the artwork on: it lies behind the view only, and is never exported."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.errors import WoadError
from woad.core.formats.read import open_original, pixels_of
from woad.core.raster.pyramid import as_8bit
from woad.core.raster.tiles import Region

Image8 = NDArray[np.uint8]
_MOST_PX = 3000
_BESIDE = (189, 189, 187)  # the view's own surround


@dataclass(frozen=True, eq=False)
class Ground:
    """``image`` (h, w, 3) sRGB; the sheet's point (``x``, ``y``), full-size px, lies on its top left corner, and one of
    its pixels covers ``px`` pixels of the sheet."""

    name: str
    image: Image8
    x: float
    y: float
    px: float

    def moved(self, dx: float, dy: float) -> Ground:
        return replace(self, x=self.x + dx, y=self.y + dy)

    def sized(self, art: float, width: int, height: int) -> Ground:
        """With the artwork covering ``art`` (0..1 and over) of the picture's width, about the artwork's middle."""
        px = width / max(art, 0.02) / self.image.shape[1]
        cx, cy = (width / 2 - self.x) / self.px, (height / 2 - self.y) / self.px
        return replace(self, px=px, x=width / 2 - cx * px, y=height / 2 - cy * px)

    def art_share(self, width: int) -> float:
        """How much of the picture's width the sheet covers."""
        return float(width / (self.px * self.image.shape[1]))

    def region(self, box: Region, step: float) -> Image8:
        """The picture under a box of pixels that are ``step`` full-size px each, (h, w, 3); grey beside it."""
        return self.view(box.x * step, box.y * step, step, box.w, box.h)

    def view(self, left: float, top: float, step: float, width: int, height: int) -> Image8:
        """The same, from a corner (full-size px of the sheet)."""
        scale = step / self.px
        image, by = self.image, 1.0
        while scale >= 2 and min(image.shape[:2]) > 8:
            image, scale, by = np.asarray(cv2.pyrDown(image)), scale / 2, by * 2
        x0 = (left + 0.5 * step - self.x) / self.px / by - 0.5
        y0 = (top + 0.5 * step - self.y) / self.px / by - 0.5
        matrix = np.array([[scale, 0, x0], [0, scale, y0]])
        how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        rest = cv2.BORDER_CONSTANT
        return np.asarray(
            cv2.warpAffine(image, matrix, (width, height), flags=how, borderMode=rest, borderValue=_BESIDE)
        )


def load_ground(path: Path, width: int, height: int) -> Ground:
    """Read a picture and lay the whole sheet in its middle. Raises ``WoadError`` with a sentence."""
    try:
        pixels = pixels_of(open_original(path))
    except WoadError as error:
        raise type(error)(f"{error} The backing stays as it was.") from None
    pixels = as_8bit(pixels)
    image = np.asarray(pixels if pixels.ndim == 3 else pixels[..., None])
    if image.shape[2] == 1:
        image = np.repeat(image, 3, axis=2)
    shrink = min(1.0, _MOST_PX / max(image.shape[:2]))
    if shrink < 1:
        size = (round(image.shape[1] * shrink), round(image.shape[0] * shrink))
        image = np.asarray(cv2.resize(image, size, interpolation=cv2.INTER_AREA))
    px = max(width / image.shape[1], height / image.shape[0])
    x, y = (width - image.shape[1] * px) / 2, (height - image.shape[0] * px) / 2
    return Ground(path.name, np.ascontiguousarray(image, np.uint8), x, y, px)
