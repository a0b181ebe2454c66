"""Image pyramid: each level half the size of the one before, averaged in encoded values."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.tiles import Region

LEAN_PX = 2800  # larger levels than this are dropped from a lean pyramid

Pixels = NDArray[np.uint8] | NDArray[np.uint16]


def as_8bit(pixels: Pixels) -> NDArray[np.uint8]:
    """Pixels (h, w, C) in 8 bits."""
    if pixels.dtype == np.uint8:
        return np.asarray(pixels, np.uint8)
    return np.asarray(cv2.convertScaleAbs(pixels, alpha=255 / 65535)).reshape(pixels.shape)


def halve(image: NDArray[np.generic]) -> NDArray[np.generic]:
    """Average 2 x 2 pixels. Odd rows and columns are repeated once, so a level has ceil(n / 2) pixels."""
    h, w = image.shape[:2]
    if h % 2 == 0 and w % 2 == 0:
        return _area(image)
    if h < 2 or w < 2:
        return _area(cv2.copyMakeBorder(image, 0, h % 2, 0, w % 2, cv2.BORDER_REPLICATE))
    # Padding the whole image would copy it; only the odd last row and column are treated apart.
    out = np.empty(((h + 1) // 2, (w + 1) // 2, *image.shape[2:]), image.dtype)
    out[: h // 2, : w // 2] = _area(image[: h // 2 * 2, : w // 2 * 2]).reshape(h // 2, w // 2, *image.shape[2:])
    if w % 2:
        edge = cv2.copyMakeBorder(image[:, -1:], 0, h % 2, 0, 1, cv2.BORDER_REPLICATE)
        out[:, -1:] = _area(edge).reshape(out[:, -1:].shape)
    if h % 2:
        edge = cv2.copyMakeBorder(image[-1:], 0, 1, 0, w % 2, cv2.BORDER_REPLICATE)
        out[-1:] = _area(edge).reshape(out[-1:].shape)
    return out


def _area(image: NDArray[np.generic]) -> NDArray[np.generic]:
    size = (image.shape[1] // 2, image.shape[0] // 2)
    return np.asarray(cv2.resize(image, size, interpolation=cv2.INTER_AREA))


@dataclass(frozen=True, eq=False)
class Pyramid:
    """Levels of one scan, level 0 first; every array is (H, W, C) with C 1 or 3 and is read only.

    Encoded values are averaged, not linear light: a picture shown small then looks as it does in every
    program that will show the exported file small, and coverage averages the way screens mix it.
    """

    levels: tuple[Pixels, ...]

    def size(self, level: int) -> tuple[int, int]:
        """Width and height of a level, px."""
        return int(self.levels[level].shape[1]), int(self.levels[level].shape[0])

    def read(self, level: int, box: Region) -> Pixels:
        """The pixels of a box that lies on a level, (h, w, C)."""
        return self.levels[level][box.y : box.bottom, box.x : box.right]

    def whole(self, level: int) -> Pixels:
        """All pixels of a level."""
        return self.read(level, Region(0, 0, *self.size(level)))

    def holds(self, level: int) -> bool:
        """Whether a level was kept; a lean pyramid drops some."""
        return self.levels[level].size > 0

    @property
    def weight(self) -> int:
        """Bytes of all levels."""
        return sum(level.nbytes for level in self.levels)

    @property
    def height(self) -> int:
        return self.size(0)[1]

    @property
    def width(self) -> int:
        return self.size(0)[0]

    @property
    def channels(self) -> int:
        return int(self.levels[0].shape[2])

    @property
    def deepest(self) -> int:
        """Number of the smallest level."""
        return len(self.levels) - 1

    @property
    def negative(self) -> bool:
        """Whether it shows the negative of its scan."""
        return False

    def level_for(self, long_side_px: int) -> int:
        """The first level whose longer side is at most ``long_side_px``."""
        for number in range(len(self.levels)):
            if self.holds(number) and max(self.size(number)) <= long_side_px:
                return number
        return self.deepest


class Negative(Pyramid):
    """The negative of a pyramid, made as it is read and never held."""

    def __init__(self, base: Pyramid) -> None:
        super().__init__(base.levels)
        object.__setattr__(self, "base", base)  # a frozen value: set once, here

    base: Pyramid

    def size(self, level: int) -> tuple[int, int]:
        return self.base.size(level)

    def read(self, level: int, box: Region) -> Pixels:
        pixels = self.base.read(level, box)
        return np.asarray(np.bitwise_not(pixels))

    @property
    def negative(self) -> bool:
        return not self.base.negative


def build_pyramid(pixels: Pixels, smallest_px: int = 96, lean: bool = False) -> Pyramid:
    """Halve ``pixels`` (H, W) or (H, W, C) until the longer side is at most ``smallest_px``.

    ``lean`` drops large levels between the full one and those that are measured on, for work that needs no view: they
    stay as empty arrays.
    """
    level = pixels if pixels.ndim == 3 else pixels[..., None]
    levels = [level]
    while max(level.shape[:2]) > smallest_px:
        smaller = halve(level)
        if lean and len(levels) > 1 and max(level.shape[:2]) > LEAN_PX:
            levels[-1] = np.empty((0, 0, level.shape[2]), level.dtype)  # a slice would keep the pixels alive
        level = smaller if smaller.ndim == 3 else smaller[..., None]  # type: ignore[assignment]
        levels.append(level)
    for one in levels:
        one.setflags(write=False)
    return Pyramid(tuple(levels))
