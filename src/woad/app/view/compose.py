"""From rendered pictures to what the screen shows: backing, overlays, scale. NumPy and OpenCV only."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.render.automatic import Picture

Image8 = NDArray[np.uint8]

CHECK_PX = 8
_CHECK_LIGHT, _CHECK_DARK = 255, 214


def bgra(
    picture: Picture,
    backing: str,
    bright: tuple[int, int, int],
    origin: tuple[int, int] = (0, 0),
    ground: Image8 | None = None,
) -> Image8:
    """A picture over a backing, (h, w, 4) uint8 in the byte order of Qt's RGB32.

    ``backing`` white, bright, dark, checks, or picture: then ``ground``
    (h, w, 3) is what lies behind; ``origin``
    keeps the checks in place while the view moves.
    """
    if picture.alpha is None:
        assert not isinstance(picture.rgb, tuple)
        return np.asarray(cv2.cvtColor(picture.rgb, cv2.COLOR_RGB2BGRA))
    h, w = picture.alpha.shape
    if backing == "picture" and ground is None:
        backing = "white"
    if isinstance(picture.rgb, tuple) and backing not in ("checks", "picture"):
        table = _mix_table(picture.rgb, flat(backing, bright))
        return np.asarray(cv2.LUT(cv2.merge([picture.alpha] * 4), table))
    if isinstance(picture.rgb, tuple):
        rgb = np.full((h, w, 3), picture.rgb, np.uint8)
    else:
        rgb = picture.rgb
    if backing == "picture" and ground is not None:
        back = ground
    else:
        back = checks(h, w, origin) if backing == "checks" else np.full((h, w, 3), flat(backing, bright), np.uint8)
    alpha = cv2.merge([picture.alpha] * 3)
    front = cv2.multiply(rgb, alpha, scale=1 / 255)
    behind = cv2.multiply(back, cv2.bitwise_not(alpha), scale=1 / 255)
    return np.asarray(cv2.cvtColor(cv2.add(front, behind), cv2.COLOR_RGB2BGRA))


def flat(backing: str, bright: tuple[int, int, int]) -> tuple[int, int, int]:
    """The colour of a backing that has one."""
    return {"white": (255, 255, 255), "bright": bright, "dark": (35, 38, 43)}[backing]


def _mix_table(colour: tuple[int, int, int], back: tuple[int, int, int]) -> Image8:
    a = np.arange(256, dtype=np.float32)[:, None] / 255
    mixed = np.asarray(colour, np.float32) * a + np.asarray(back, np.float32) * (1 - a)
    table = np.empty((1, 256, 4), np.uint8)
    table[0, :, :3] = np.rint(mixed)[:, ::-1]
    table[..., 3] = 255
    return table


def checks(h: int, w: int, origin: tuple[int, int]) -> Image8:
    """A checked board, (h, w, 3)."""
    y = (np.arange(h) + origin[1]) // CHECK_PX
    x = (np.arange(w) + origin[0]) // CHECK_PX
    light = ((y[:, None] + x[None, :]) % 2) == 0
    grey = np.where(light, _CHECK_LIGHT, _CHECK_DARK).astype(np.uint8)
    return np.asarray(cv2.merge([grey] * 3))


def tint(image: Image8, mask: Image8, colour: tuple[int, int, int]) -> None:
    """Paint an overlay's places in ``colour`` (r, g, b), in place; thin finds are widened so that they show."""
    wide = cv2.dilate(mask, np.ones((3, 3), np.uint8))
    image[wide > 0] = (colour[2], colour[1], colour[0], 255)


def shade(image: Image8, mask: Image8, colour: tuple[int, int, int]) -> None:
    """Lay a graded overlay (0..255 strength) over the picture, in place; half of the picture shows through."""
    on = mask > 0  # strays are few: the rest of the view costs nothing
    share = np.minimum(np.arange(256, dtype=np.float32) * np.float32(1.2 / 255), 0.7)
    share[255] = 0.8
    own = share[mask[on]][:, None]
    tone = np.array([colour[2], colour[1], colour[0]], np.float32)
    image[..., :3][on] = np.rint(image[..., :3][on] * (1 - own) + tone * own).astype(np.uint8)


def to_size(image: Image8, w: int, h: int) -> Image8:
    """Scale to the screen: averaged when shrinking, smooth for small steps up, square pixels from twice on."""
    if image.shape[1] == w and image.shape[0] == h:
        return image
    factor = w / image.shape[1]
    how = cv2.INTER_AREA if factor < 1 else cv2.INTER_LINEAR if factor < 1.9 else cv2.INTER_NEAREST
    return np.asarray(cv2.resize(image, (w, h), interpolation=how))
