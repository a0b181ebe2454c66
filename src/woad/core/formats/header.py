"""What a file says of itself before any pixel is decoded."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from woad.core.errors import FileUnreadable
from woad.core.formats import other
from woad.core.formats.tiff import header_of_lab
from woad.core.units import MM_PER_INCH


@dataclass(frozen=True)
class Header:
    """Size as stored (before turning), ``kind`` of file, ppi, EXIF ``orientation`` 1..8, ICC ``profile`` bytes; which
    ``page`` of its file it is, counted from 0."""

    kind: str
    width: int
    height: int
    bands: int
    bits: int
    ppi: float | None
    orientation: int
    profile: bytes | None
    page: int = 0


_MAGIC = (
    (b"\x89PNG\r\n\x1a\n", "png"),
    (b"\xff\xd8\xff", "jpeg"),
    (b"II*\x00", "tiff"),
    (b"MM\x00*", "tiff"),
    (b"II+\x00", "tiff"),
    (b"MM\x00+", "tiff"),
)
# Endings by which files are offered and watched for; what a file is, its first bytes say.
SUFFIXES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".heic", ".heif", ".pdf", *other.SUFFIXES)
_ORIENTATION = 0x0112  # Exif
_HEIF_BRANDS = (b"heic", b"heix", b"heif", b"hevc", b"hevx", b"mif1", b"msf1", b"heim", b"heis")


def kind_of(data: bytes) -> str | None:
    """File kind by its first bytes, never by its name; None when it is no image Woad reads."""
    for magic, kind in _MAGIC:
        if data.startswith(magic):
            return kind
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "webp"
    if data[4:8] == b"ftyp" and data[8:12] in _HEIF_BRANDS:
        return "heic"
    return other.kind_of_other(data)


def read_header(name: str, data: bytes, page: int = 0) -> Header:
    """Read the header, of a TIFF that of the picture ``page``. Raises :class:`FileUnreadable` when the file is no image
    or its header is broken."""
    kind = kind_of(data)
    if kind is None:
        raise FileUnreadable(
            f"{name} is not an image Woad can read. It is unchanged; use PNG, JPEG, TIFF, WebP, HEIC or a scanned PDF."
        )
    try:
        if kind == "heic":
            return _heic(data)
        if kind in other.KINDS:
            return _of_other(kind, data)
        header = _tiff(data, page) if kind == "tiff" else _by_vips(kind, data)
    except Exception as error:
        # The libraries raise many types for a broken header; the user's next step is the same.
        raise FileUnreadable(
            f"{name} is damaged: its header cannot be read. It is unchanged; copy or scan it again."
        ) from error
    if header.bits not in (8, 16):
        raise FileUnreadable(
            f"{name} holds numbers of another kind than a scanner's 8 or 16 bits. It is unchanged; save it anew with those."
        )
    return header


def _heic(data: bytes) -> Header:
    import pi_heif

    image = pi_heif.open_heif(data, convert_hdr_to_8bit=True)
    # The decoder turns the picture itself.
    return Header("heic", image.size[0], image.size[1], 3, 8, None, 1, image.info.get("icc_profile") or None)


def _of_other(kind: str, data: bytes) -> Header:
    image = other.opened(data)
    dpi = image.info.get("dpi")
    turned = image.getexif().get(_ORIENTATION, 1)
    return Header(
        kind=kind,
        width=image.width,
        height=image.height,
        bands=1 if image.mode[0] in "1LI" else 3,
        bits=16 if image.mode[0] == "I" else 8,
        ppi=round(float(dpi[0]), 2) if dpi and dpi[0] > 1 else None,
        orientation=int(turned) if turned in range(1, 9) else 1,
        profile=image.info.get("icc_profile"),
    )


def _tiff(data: bytes, page: int) -> Header:
    import pyvips

    try:
        return replace(_by_vips("tiff", data, page=page), page=page)
    except pyvips.Error:
        lab = header_of_lab(data, page)
        if lab is None:
            raise
        return Header("tiff", *lab, 1, None, page)


def _by_vips(kind: str, data: bytes, **which: int) -> Header:
    import pyvips

    image = pyvips.Image.new_from_source(pyvips.Source.new_from_memory(data), "", access="sequential", **which)
    fields: set[str] = set(image.get_fields())

    def get(field: str) -> Any:
        return image.get(field) if field in fields else None

    has_ppi = get("resolution-unit") is not None
    # vips counts pixels per millimetre and says 1.0 when the file says nothing.
    ppi = float(image.xres) * MM_PER_INCH
    orientation = get("orientation")
    return Header(
        kind=kind,
        width=int(image.width),
        height=int(image.height),
        bands=int(image.bands),
        bits={"uchar": 8, "ushort": 16}.get(image.format, 32),
        ppi=round(ppi, 2) if has_ppi or abs(image.xres - 1.0) > 1e-3 else None,
        orientation=int(orientation) if orientation in range(1, 9) else 1,
        profile=get("icc-profile-data"),
    )
