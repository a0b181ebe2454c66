"""Reading a scan: the original bytes kept, pixels upright in sRGB, ppi, and clear words for what cannot be read."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from woad.core.errors import FileUnreadable
from woad.core.formats import decode
from woad.core.formats.header import Header, kind_of, read_header
from woad.core.formats.pdf import is_pdf, pictures_of
from woad.core.formats.profile import to_srgb
from woad.core.formats.tiff import pages_of

Pixels = NDArray[np.uint8] | NDArray[np.uint16]

MAX_PIXELS = 600_000_000  # twice an A3 sheet at 1200 ppi
# 72 is what files say that know nothing; below it no scan is made.
BELIEVABLE_PPI = (72.5, 10_000.0)


@dataclass(frozen=True)
class Original:
    """A scan's file as it came: ``data`` is never changed and never written back. ``inner`` is the picture embedded in
    it, if it is a PDF; ``page`` which of its pages, counted from 1, when it has several, else 0."""

    name: str
    data: bytes
    header: Header
    inner: bytes | None = None
    page: int = 0

    @property
    def picture(self) -> bytes:
        """The bytes of the image itself."""
        return self.data if self.inner is None else self.inner

    @property
    def stem(self) -> str:
        return stem_of(self.name, self.page)

    @property
    def ppi(self) -> float | None:
        """Pixels per inch from the file, or None when it says nothing believable."""
        value = self.header.ppi
        return value if value is not None and BELIEVABLE_PPI[0] <= value <= BELIEVABLE_PPI[1] else None


def stem_of(name: str, page: int) -> str:
    """What files made from a scan are called after: its name, and its ``page`` when it is one of several."""
    return Path(name).stem + (f"-page-{page}" if page else "")


def open_original(path: Path) -> Original:
    """Take a file in: its bytes and header, no pixels yet. Raises :class:`FileUnreadable`."""
    return take_in(path.name, read_bytes(path))


def read_bytes(path: Path) -> bytes:
    """A file's bytes. Raises :class:`FileUnreadable`."""
    try:
        return path.read_bytes()
    except FileNotFoundError:
        raise FileUnreadable(
            f"{path.name} is not there (any more). Nothing was changed; choose another file."
        ) from None
    except IsADirectoryError:
        raise FileUnreadable(f"{path.name} is a folder. Nothing was changed; choose the image files in it.") from None
    except OSError as error:
        raise FileUnreadable(
            f"{path.name} cannot be opened ({error.strerror}). It is unchanged; check its permissions."
        ) from None


def may_have_pages(path: Path) -> bool:
    """Whether a file may hold several sheets, by its name and, of a TIFF, its headers."""
    suffix = path.suffix.lower()
    return suffix == ".pdf" or (suffix in (".tif", ".tiff") and len(pages_of(path)) > 1)


def take_in_pages(name: str, data: bytes) -> list[Original]:
    """Every page of a PDF or TIFF as an original of its own; any other file as one. Raises :class:`FileUnreadable`."""
    if is_pdf(data):
        return _pages_of_pdf(name, data)
    first = _checked(name, data, 0)
    pages = pages_of(data) if first.kind == "tiff" else (0,)
    if len(pages) == 1:
        return [Original(name, data, first if pages[0] == 0 else _checked(name, data, pages[0]))]
    return [Original(name, data, _checked(name, data, page), page=i + 1) for i, page in enumerate(pages)]


def take_in(name: str, data: bytes) -> Original:
    """An original from bytes in memory. Raises :class:`FileUnreadable` with one sentence for the user."""
    pages = take_in_pages(name, data)
    if len(pages) > 1:
        kind, ending = ("PDF", ".pdf") if is_pdf(data) else ("TIFF", ".tif")
        raise FileUnreadable(
            f"{name} is a {kind} of {len(pages)} scanned pages. It is unchanged; give it a name that ends in {ending}, "
            "and every page is taken."
        )
    return pages[0]


def _pages_of_pdf(name: str, data: bytes) -> list[Original]:
    out = []
    for one in pictures_of(name, data):
        # Its place on the page says how large the picture is; what is written inside it is often left over.
        header = replace(_checked(name, one.data, 0), kind="pdf", ppi=None if one.ppi is None else round(one.ppi, 2))
        out.append(Original(name, data, header, one.data, one.page if one.pages > 1 else 0))
    return out


def _checked(name: str, data: bytes, page: int) -> Header:
    """The header of a picture that can be worked on. Raises :class:`FileUnreadable`."""
    if not data:
        raise FileUnreadable(f"{name} is empty. It is unchanged; copy or scan it again.")
    header = read_header(name, data, page)
    if header.width < 1 or header.height < 1:
        raise FileUnreadable(f"{name} has no pixels. It is unchanged; scan it again.")
    if header.width * header.height > MAX_PIXELS:
        raise FileUnreadable(
            f"{name} says it is {header.width} x {header.height} pixels, more than Woad opens "
            f"({MAX_PIXELS // 1_000_000} megapixels). It was not opened; scan at a lower resolution."
        )
    return header


def pixels_of(original: Original) -> Pixels:
    """Decode in full: (H, W, C) with C 1 or 3, uint8 or uint16, encoded sRGB, upright, alpha laid over white.

    Raises :class:`FileUnreadable` when the file is cut short or damaged.
    """
    name, header = original.name, original.header
    try:
        raw = decode.full(original.picture, header)
    except MemoryError:
        raise FileUnreadable(
            f"{name} does not fit into this computer's memory. It is unchanged; close other programs or scan smaller."
        ) from None
    except Exception as error:
        # Every decoder has its own exceptions; to the user they all mean the same.
        raise FileUnreadable(
            f"{name} is damaged or cut short and cannot be read to its end. It is unchanged; copy or scan it again."
        ) from error
    return decode.upright(to_srgb(_opaque(raw), header.profile), header.orientation)


def first_look(original: Original) -> Pixels | None:
    """A quick, small picture (JPEG only: an eighth of the size), or None where there is no short cut."""
    if kind_of(original.picture) != "jpeg" or original.header.width * original.header.height < 4_000_000:
        return None
    small = decode.reduced_jpeg(original.picture)
    if small is None:
        return None
    return decode.upright(to_srgb(small, original.header.profile), original.header.orientation)


def _opaque(raw: Pixels) -> Pixels:
    """Grey, RGB or with alpha to (H, W, 1 or 3); transparent parts become white paper."""
    if raw.ndim == 2:
        raw = raw[..., None]
    channels = raw.shape[2]
    if channels in (1, 3):
        return raw
    top = np.float32(np.iinfo(raw.dtype).max)
    alpha = raw[..., -1:].astype(np.float32) / top
    colour = raw[..., :-1][..., : 1 if channels == 2 else 3]
    mixed = colour * alpha + top * (1 - alpha) + np.float32(0.5)
    return np.asarray(mixed, np.uint8) if raw.dtype == np.uint8 else np.asarray(mixed, np.uint16)
