"""PDF scans: the page's embedded picture, as it was embedded and at its own resolution; nothing is rendered."""

from __future__ import annotations

import io
from dataclasses import dataclass

from woad.core.errors import FileUnreadable


@dataclass(frozen=True)
class PagePicture:
    """``data`` an image file (the JPEG as embedded, else a PNG of the same pixels); ``ppi`` as placed on the page;
    ``page`` counted from 1 of ``pages``."""

    data: bytes
    ppi: float | None
    page: int
    pages: int


def is_pdf(data: bytes) -> bool:
    """By its first bytes; some scanners put a few others in front."""
    return b"%PDF-" in data[:1024]


def pictures_of(name: str, data: bytes) -> list[PagePicture]:
    """The largest picture of every page that has one, in order.

    Raises :class:`FileUnreadable` when the file is locked, damaged, or has no picture at all.
    """
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(data)
        pages = len(document)
        found = [_picture(document[i], i + 1, pages) for i in range(pages)]
    except pypdfium2.PdfiumError as error:
        if "password" in str(error).lower():
            raise FileUnreadable(
                f"{name} is locked with a password. It is unchanged; save it without one, then open it again."
            ) from None
        raise FileUnreadable(
            f"{name} is damaged and cannot be read as PDF. It is unchanged; copy or scan it again."
        ) from error
    pictures = [one for one in found if one is not None]
    if not pictures:
        raise FileUnreadable(
            f"{name} has no scanned picture in it, only text or drawings. It is unchanged; scan the sheet as an image."
        )
    return pictures


def _picture(page: object, number: int, pages: int) -> PagePicture | None:
    from pypdfium2 import raw

    images = list(page.get_objects(filter=[raw.FPDF_PAGEOBJ_IMAGE], max_depth=4))  # type: ignore[attr-defined]
    if not images:
        return None
    image = max(images, key=lambda one: one.get_px_size()[0] * one.get_px_size()[1])
    width, _ = image.get_px_size()
    left, _, right, _ = image.get_bounds()
    ppi = width / (abs(right - left) / 72) if abs(right - left) > 1 else None
    filters = image.get_filters()
    if filters and filters[-1] == "DCTDecode" and len(filters) == 1:
        return PagePicture(bytes(image.get_data(decode_simple=False)), ppi, number, pages)
    out = io.BytesIO()
    image.get_bitmap(render=False).to_pil().save(out, "PNG", compress_level=1)
    return PagePicture(out.getvalue(), ppi, number, pages)
