"""Whether an image file has arrived to its end, told by its last bytes: for files that are still being copied."""

from __future__ import annotations

from woad.core.formats.header import kind_of
from woad.core.formats.pdf import is_pdf


def looks_whole(data: bytes) -> bool:
    """Whether the end of the file is there. Unknown kinds count as whole; reading them says more."""
    if is_pdf(data):
        return b"%%EOF" in data[-2048:]
    kind = kind_of(data)
    if kind == "jpeg":
        # Phones append data of their own behind the end mark.
        return b"\xff\xd9" in data[-65_536:] and len(data) > 256
    if kind == "png":
        return b"IEND" in data[-4096:]
    if kind == "webp":
        return len(data) >= int.from_bytes(data[4:8], "little") + 8
    if kind == "tiff":
        return _tiff_whole(data)
    if kind in ("heic", "avif"):
        return _boxes_whole(data)
    if kind == "bmp":
        return len(data) >= int.from_bytes(data[2:6], "little")
    return len(data) > 0


def _tiff_whole(data: bytes) -> bool:
    import io

    import tifffile

    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = file.pages[0]
            pairs = zip(page.dataoffsets, page.databytecounts, strict=True)
            return all(offset + count <= len(data) for offset, count in pairs)
    except Exception:
        # Any failure means that the directory, often written last, is not there yet.
        return False


def _boxes_whole(data: bytes) -> bool:
    """Walk the top boxes of an ISO base media file (ISO/IEC 14496-12): each says its size."""
    at = 0
    while at + 8 <= len(data):
        size = int.from_bytes(data[at : at + 4], "big")
        if size == 1 and at + 16 <= len(data):
            size = int.from_bytes(data[at + 8 : at + 16], "big")
        if size == 0:
            return True
        if size < 8:
            return False
        at += size
    return at == len(data)
