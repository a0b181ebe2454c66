"""Pixels from bytes: for each kind of file the fastest decoder that also notices damage."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from woad.core.formats import other, tiff
from woad.core.formats.header import Header, kind_of

Pixels = NDArray[np.uint8] | NDArray[np.uint16]


def full(data: bytes, header: Header) -> Pixels:
    """Decode every pixel: (H, W) or (H, W, C), 8 or 16 bit, channels in RGB(A) order. Raises on damage."""
    kind = header.kind if header.kind != "pdf" else kind_of(data)
    if kind == "jpeg":
        return _jpeg(data, header)
    if kind == "png":
        return _png(data)
    if kind == "heic":
        import pi_heif

        image = pi_heif.open_heif(data, convert_hdr_to_8bit=True)
        return np.asarray(image)
    if kind == "tiff":
        slow = tiff.decode(data, header.page)
        return _vips(data, page=header.page) if slow is None else slow
    return other.decoded(data) if kind in other.KINDS else _vips(data)


def _jpeg(data: bytes, header: Header) -> Pixels:
    if header.bands == 4:
        return _vips(data)  # printing inks
    import simplejpeg

    grey = header.bands == 1
    # Strict: a file cut short is an error, not a picture with a grey end.
    return np.asarray(simplejpeg.decode_jpeg(data, colorspace="GRAY" if grey else "RGB", strict=True))


def _png(data: bytes) -> Pixels:
    import imagecodecs

    out: Any = imagecodecs.png_decode(data)
    return np.asarray(out)


def _vips(data: bytes, **which: int) -> Pixels:
    import pyvips

    source = pyvips.Source.new_from_memory(data)  # no copy, unlike a buffer
    image = pyvips.Image.new_from_source(source, "", access="sequential", fail_on="truncated", **which)
    if image.interpretation == "cmyk":
        image = image.colourspace("srgb")
    return np.asarray(image.numpy())


def reduced_jpeg(data: bytes) -> NDArray[np.uint8] | None:
    """A JPEG at an eighth of its size, (h, w, 3) RGB as stored (not turned)."""
    import cv2

    flags = cv2.IMREAD_REDUCED_COLOR_8 | cv2.IMREAD_IGNORE_ORIENTATION
    out = cv2.imdecode(np.frombuffer(data, np.uint8), flags)
    return None if out is None else np.asarray(cv2.cvtColor(out, cv2.COLOR_BGR2RGB))


def upright(pixels: Pixels, orientation: int) -> Pixels:
    """Apply the EXIF orientation 1..8 (CIPA DC-008)."""
    turned: NDArray[Any] = pixels
    if orientation in (2, 4, 5, 7):
        turned = turned[:, ::-1]
    quarter_turns = {3: 2, 4: 2, 5: 1, 6: 3, 7: 3, 8: 1}.get(orientation, 0)
    if quarter_turns:
        turned = np.rot90(turned, quarter_turns)
    return np.ascontiguousarray(turned)
