"""A watched folder: every new image that has arrived to its end is taken in. The file system tells; nothing is polled
while nothing arrives."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from time import monotonic

from PySide6.QtCore import QObject, QTimer, Signal
from watchdog.events import FileSystemEvent, FileSystemEventHandler
from watchdog.observers import Observer

from woad.app.sources import is_image
from woad.core.formats.whole import looks_whole

LOOK_MS = 250
CALM_LOOKS = 3  # looks in a row without growth before a file counts as finished
PATIENCE_S = 60.0


@dataclass
class _Arriving:
    size: int = -1
    calm: int = 0
    since: float = 0.0


class _Handler(FileSystemEventHandler):
    """Runs on the watcher's thread: hands paths over, nothing else."""

    def __init__(self, watch: FolderWatch) -> None:
        self._watch = watch

    def on_any_event(self, event: FileSystemEvent) -> None:
        for name in (event.src_path, getattr(event, "dest_path", "")):
            if name:
                self._watch.seen.emit(str(name))


class FolderWatch(QObject):
    """Emits ``arrived`` once for each finished new image, ``lost`` when the folder itself is gone."""

    arrived = Signal(object)
    lost = Signal(str)
    changed = Signal()
    seen = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.folder: Path | None = None
        self._observer: object = None
        self._known: set[tuple[str, int, int]] = set()
        self._arriving: dict[Path, _Arriving] = {}
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)
        self.seen.connect(self._seen)

    def start(self, folder: Path) -> str:
        """Watch a folder; images that are in it already are left alone. Returns what is wrong, or an empty text."""
        self.stop()
        try:
            self._known = {_mark(path) for path in folder.iterdir() if is_image(path)}
            observer = Observer()
            observer.schedule(_Handler(self), str(folder), recursive=False)
            observer.start()
        except OSError as error:
            reason = error.strerror or "it cannot be read"
            return f"The folder {folder.name} cannot be watched ({reason}). Nothing was changed; choose another one."
        self.folder, self._observer = folder, observer
        self.changed.emit()
        return ""

    def stop(self) -> None:
        """Watch no more; sheets that were taken in stay."""
        observer, self._observer, self.folder = self._observer, None, None
        self._timer.stop()
        self._arriving.clear()
        if observer is not None:
            observer.stop()  # type: ignore[attr-defined]
            observer.join(timeout=5)  # type: ignore[attr-defined]
            self.changed.emit()

    def _seen(self, name: str) -> None:
        if self.folder is None:
            return
        if not self.folder.is_dir():
            gone = self.folder
            self.stop()
            self.lost.emit(
                f"The watched folder {gone.name} is gone. Sheets that were taken in are safe; choose it again when it is back."
            )
            return
        path = Path(name)
        if path.parent == self.folder and is_image(path) and path not in self._arriving:
            self._arriving[path] = _Arriving(since=monotonic())
            self._timer.start(LOOK_MS)

    def _look(self) -> None:
        """Take in what has stopped growing and is whole."""
        for path, state in list(self._arriving.items()):
            try:
                mark = _mark(path)
            except OSError:
                del self._arriving[path]  # moved away again before it was finished
                continue
            if mark in self._known:
                del self._arriving[path]
                continue
            state.calm = state.calm + 1 if mark[1] == state.size and mark[1] > 0 else 0
            if mark[1] != state.size:
                state.since = monotonic()
            state.size = mark[1]
            if state.calm >= CALM_LOOKS and _whole(path):
                self._known.add(mark)
                del self._arriving[path]
                self.arrived.emit(path)
            elif monotonic() - state.since > PATIENCE_S:
                self._known.add(mark)
                del self._arriving[path]
                self.lost.emit(
                    f"{path.name} stopped arriving before its end and was not taken in. It is unchanged; copy it again."
                )
        if not self._arriving:
            self._timer.stop()


def _mark(path: Path) -> tuple[str, int, int]:
    """A file as it is now: name, size, time of change."""
    stat = path.stat()
    return path.name, stat.st_size, stat.st_mtime_ns


def _whole(path: Path) -> bool:
    try:
        return looks_whole(path.read_bytes())
    except OSError:
        return False
