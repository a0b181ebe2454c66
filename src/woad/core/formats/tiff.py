"""TIFF: which of its pictures are pages, and what the fast decoder does not know."""

from __future__ import annotations

import io
import struct
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    import tifffile

Pixels = NDArray[np.uint8] | NDArray[np.uint16]

# None, CCITT, LZW, JPEG, deflate and PackBits: what the fast decoder knows. It reads others as zeros without a word.
_FAST = {1, 2, 3, 4, 5, 7, 8, 32773, 32946}
_NO_PAGE = 1 | 4  # smaller copies of a page, and masks
_YCBCR, _LAB = 6, 8
_JPEG = 7


def pages_of(file: Path | bytes) -> tuple[int, ...]:
    """Which of the pictures in a ``file``, counted from 0, are pages; smaller copies beside them are not. Of a path only
    the headers are read. The first is one of a file that is damaged: what is wrong with it is said when it is read."""
    import tifffile

    try:
        return _pages(tifffile.TiffFile(io.BytesIO(file) if isinstance(file, bytes) else file))
    except (OSError, ValueError, IndexError, struct.error):
        return (0,)


def _pages(opened: tifffile.TiffFile) -> tuple[int, ...]:
    with opened as file:
        kinds = [int(getattr(page.aspage(), "subfiletype", 0)) for page in file.pages]
    return tuple(i for i, kind in enumerate(kinds) if not kind & _NO_PAGE) or (0,)


def header_of_lab(data: bytes, page: int) -> tuple[int, int, int, int, float | None] | None:
    """Width, height, bands, bits and ppi of a picture in CIE L*a*b*, which the fast decoder cannot even open; None of
    any other."""
    import tifffile

    with tifffile.TiffFile(io.BytesIO(data)) as file:
        one: Any = file.pages[page].aspage()
        if int(one.photometric) != _LAB:
            return None
        ppi = float(one.get_resolution(2)[0]) if one.tags.get(282) is not None else None
        return int(one.imagewidth), int(one.imagelength), int(one.samplesperpixel), int(one.bitspersample), ppi


def decode(data: bytes, page: int) -> Pixels | None:
    """Pixels of what only the slow decoder knows, (H, W) or (H, W, C); None when the fast one will do. Raises when parts
    of the picture are missing from the file, or its samples are no whole numbers of 8 or 16 bit."""
    import tifffile

    with tifffile.TiffFile(io.BytesIO(data)) as file:
        one: Any = file.pages[page].aspage()
        ends = [o + n for o, n in zip(one.dataoffsets, one.databytecounts, strict=True)]
        # Missing strips, too, would be filled with zeros: see that all of them are in the file.
        if not ends or max(ends) > len(data):
            raise ValueError("strips lie beyond the end of the file")
        lab = int(one.photometric) == _LAB
        # Brightness and chroma the fast decoder hands on as red, green and blue, but for a JPEG's.
        chroma = int(one.photometric) == _YCBCR and int(one.compression) in _FAST - {_JPEG}
        if int(one.compression) in _FAST and not lab and not chroma:
            return None
        if chroma and one.subsampling != (1, 1):
            raise ValueError("chroma kept for some pixels only")
        pixels = one.asarray()
        if pixels.dtype not in (np.uint8, np.uint16):
            raise ValueError(f"samples of type {pixels.dtype}")
        if int(one.planarconfig) == 2 and pixels.ndim == 3:
            pixels = np.moveaxis(pixels, 0, -1)
        if (lab or chroma) and pixels.ndim != 3:
            raise ValueError("lightness without colour")
        if chroma:
            return _rgb_of_chroma(pixels)
        return _rgb_of_lab(pixels) if lab else np.ascontiguousarray(pixels)


def _rgb_of_chroma(samples: Pixels) -> Pixels:
    """Encoded sRGB (H, W, 3) of brightness and two chromas (TIFF 6.0, section 21, with Rec. 601's shares of the channels)."""
    import cv2

    return np.asarray(cv2.cvtColor(np.ascontiguousarray(samples[..., (0, 2, 1)]), cv2.COLOR_YCrCb2RGB))


def _rgb_of_lab(lab: Pixels) -> Pixels:
    """Encoded sRGB (H, W, 3) uint8 of samples of CIE L*a*b* (TIFF 6.0, section 23): L* unsigned, a* and b* signed."""
    import cv2

    eight = np.asarray(lab >> 8, np.uint8) if lab.dtype == np.uint16 else np.asarray(lab, np.uint8)
    planes = eight[..., :3].astype(np.float32)
    planes[..., 0] *= 100 / 255
    planes[..., 1:] = eight[..., 1:3].view(np.int8)
    return np.asarray(np.clip(np.rint(cv2.cvtColor(planes, cv2.COLOR_Lab2RGB) * 255), 0, 255), np.uint8)
