"""The scans named on a command line, picture by picture: image files, and every page of a scanned PDF or TIFF."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from woad.core.errors import TheirError

if TYPE_CHECKING:
    from woad.core.formats.read import Original, Pixels

Decoded = tuple["Original", "Pixels"]


@dataclass(frozen=True)
class Picture:
    """A picture in the file ``scan``, on its ``page`` (from 1) when it has several, else 0. ``take`` reads and
    decodes it; it raises ``TheirError``."""

    scan: Path
    page: int
    take: Callable[[], Decoded]

    @property
    def name(self) -> str:
        """As said to a reader."""
        return f"{self.scan.name}, page {self.page}" if self.page else self.scan.name

    @property
    def stem(self) -> str:
        """What its results are called after, known before it is decoded."""
        from woad.core.formats.read import stem_of

        return stem_of(self.scan.name, self.page)

    def told(self) -> dict[str, Any]:
        """Which picture it is, as JSON."""
        return {"file": str(self.scan)} | ({"page": self.page} if self.page else {})


def pictures(scans: list[Path]) -> Iterator[Picture]:
    """Every picture of the scans, in order; files are read when their turn comes."""
    from woad.core.formats.read import may_have_pages

    for scan in scans:
        if may_have_pages(scan):
            yield from _pages(scan)
        else:
            yield Picture(scan, 0, partial(_decode, scan))


def decoded_ahead(scans: list[Path], pool: Executor) -> Iterator[tuple[Picture, Future[Decoded]]]:
    """The pictures, each decoded in ``pool`` while the one before it is worked on."""
    coming = ((picture, pool.submit(picture.take)) for picture in pictures(scans))
    current = next(coming, None)
    while current is not None:
        # Asked for before the current one is handed out: that is what sets the next one going.
        following = next(coming, None)
        yield current
        current = following


def _pages(scan: Path) -> Iterator[Picture]:
    from woad.core.formats.read import pixels_of, read_bytes, take_in_pages

    try:
        pages = take_in_pages(scan.name, read_bytes(scan))
    except TheirError as error:
        yield Picture(scan, 0, partial(_refuse, error))
        return
    for original in pages:
        yield Picture(scan, original.page, lambda original=original: (original, pixels_of(original)))  # type: ignore[misc]


def _refuse(error: TheirError) -> Decoded:
    raise error


def _decode(scan: Path) -> Decoded:
    from woad.core.formats.read import open_original, pixels_of

    original = open_original(scan)
    return original, pixels_of(original)
