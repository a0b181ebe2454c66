"""What sheets are taken in from: files, the images of folders, pictures dropped or pasted."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMimeData
from PySide6.QtGui import QImage

from woad.app.entry import Source
from woad.core.errors import FileUnreadable, WoadError
from woad.core.formats.header import SUFFIXES
from woad.core.formats.read import Original

FILTER = f"Images ({' '.join('*' + suffix for suffix in SUFFIXES)});;All files (*)"


def from_mime(data: QMimeData | None) -> list[Path] | bytes | None:
    """What is on the clipboard or was dropped: files of this computer, or else a picture as PNG bytes, or neither."""
    if data is None:
        return None  # a clipboard on which nothing was ever laid
    files = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
    if files:
        return files
    image = data.imageData() if data.hasImage() else None
    if not isinstance(image, QImage) or image.isNull():
        return None
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())


def within_folders(sources: Sequence[Source]) -> tuple[list[Source], list[str]]:
    """The same, with the images that lie in a folder in its place, as a reader would number them; and what holds none or
    cannot be read, in words."""
    out: list[Source] = []
    troubles = []
    for source in sources:
        try:
            out += _images_in(source) if isinstance(source, Path) and source.is_dir() else [source]
        except WoadError as error:
            troubles.append(str(error))
    return out, troubles


def _images_in(folder: Path) -> list[Path]:
    try:
        images = sorted((path for path in folder.iterdir() if is_image(path)), key=_as_numbered)
    except OSError as error:
        raise FileUnreadable(
            f"The folder {folder.name} cannot be read ({error.strerror}). Nothing was changed."
        ) from None
    if not images:
        raise FileUnreadable(f"There is no image in the folder {folder.name}. Nothing was changed; choose another one.")
    return images


def is_image(path: Path) -> bool:
    """Whether a file is named as an image is; what it is, its first bytes say."""
    return path.suffix.lower() in SUFFIXES and not path.name.startswith(".") and path.is_file()


def _as_numbered(path: Path) -> list[tuple[int, str]]:
    """Sheet 2 before sheet 10."""
    return [(int(part), "") if part.isdigit() else (-1, part) for part in re.split(r"(\d+)", path.name.lower())]


def name_of(source: Source) -> str:
    """What a sheet is called on the pile."""
    if isinstance(source, Original):
        return source.stem
    return source.name if isinstance(source, Path) else source[0]
