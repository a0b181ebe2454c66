"""What is chosen to lie behind the art: a picture of one's own, and the bright colour."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QFileDialog, QWidget

from woad.app.dialogs import show_beside
from woad.app.jobs import tell
from woad.app.session import Session
from woad.app.sources import FILTER
from woad.app.view.ground import load_ground
from woad.app.worker import Lane, Result


class Backing(QObject):
    """Asks for the picture or the colour; a picture is read beside the window, however large it is."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self._over = session, parent
        self.lane = Lane("ground", self)

    def show_picture(self) -> None:
        """Lay the art on the picture; choose one when there is none yet."""
        if self.session.picture is None:
            self.choose_picture()
        else:
            self.session.look(backing="picture")

    def choose_picture(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._over.window(), self.tr("Picture to try the art on"), "", FILTER)
        if name:
            self.lay_on(Path(name))

    def lay_on(self, path: Path) -> None:
        """Show the art on a picture; one that cannot be read leaves the backing as it was."""
        entry = self.session.entry
        if entry is None or entry.sheet is None:
            return
        size = entry.sheet.full_size

        def arrived(result: Result) -> None:
            if result.error is None:
                self.session.look(picture=result.value, backing="picture")
            tell(self.session, result, f"{path.name} could not be laid behind the art")

        self.lane.submit(lambda: load_ground(path, *size), arrived)

    def choose_bright(self) -> None:
        """Choose the colour of the bright backing; the window stays usable meanwhile."""
        dialog = QColorDialog(QColor(*self.session.bright), self._over.window())
        dialog.setWindowTitle(self.tr("Bright backing"))
        dialog.setOption(QColorDialog.ColorDialogOption.NoButtons)
        dialog.setOption(QColorDialog.ColorDialogOption.DontUseNativeDialog)
        dialog.currentColorChanged.connect(
            lambda c: self.session.look(bright=(c.red(), c.green(), c.blue()), backing="bright")
        )
        show_beside(dialog)
