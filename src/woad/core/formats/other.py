"""Kinds of files that archives and old scanners write, by one library: JPEG 2000, BMP, GIF, portable any-maps, AVIF."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from PIL.Image import Image

_MAGIC = (
    (b"BM", "bmp"),
    (b"GIF87a", "gif"),
    (b"GIF89a", "gif"),
    (b"\x00\x00\x00\x0cjP  \r\n\x87\n", "jp2"),
    (b"\xff\x4f\xff\x51", "jp2"),
    *((b"P%d%c" % (number, space), "pnm") for number in range(1, 7) for space in b" \t\r\n"),
)
_AVIF_BRANDS = (b"avif", b"avis")
KINDS = ("avif", *dict.fromkeys(kind for _, kind in _MAGIC))
SUFFIXES = (".jp2", ".j2k", ".bmp", ".gif", ".avif", ".pnm", ".pbm", ".pgm", ".ppm")


def kind_of_other(data: bytes) -> str | None:
    """File kind by its first bytes; None when it is none of these."""
    if data[4:8] == b"ftyp" and data[8:12] in _AVIF_BRANDS:
        return "avif"
    return next((kind for magic, kind in _MAGIC if data.startswith(magic)), None)


def decoded(data: bytes) -> NDArray[np.uint8] | NDArray[np.uint16]:
    """Every pixel, (H, W) or (H, W, C), 8 or 16 bit; raises when the file is cut short. Of moving pictures the first."""
    image = opened(data)
    if image.mode.startswith("I"):
        return np.asarray(np.clip(np.asarray(image), 0, 65535), np.uint16)
    wanted = {"1": "L", "P": "RGBA" if "transparency" in image.info else "RGB", "CMYK": "RGB", "YCbCr": "RGB"}
    return np.asarray(image.convert(wanted.get(image.mode, image.mode)), np.uint8)


def opened(data: bytes) -> Image:
    """A picture whose header was read; raises whatever the library does when that is broken."""
    from PIL import Image

    Image.MAX_IMAGE_PIXELS = None  # how many are too many is asked before anything is decoded
    return Image.open(io.BytesIO(data))
