"""The few windows beside the main one: keys, about."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QDialog, QGridLayout, QLabel, QVBoxLayout, QWidget

from woad.app import theme


def keys_dialog(parent: QWidget, rows: list[tuple[str, str]]) -> QDialog:
    """All keys in one table, two columns side by side."""
    dialog = QDialog(parent)
    dialog.setWindowTitle(dialog.tr("Keys"))
    grid = QGridLayout(dialog)
    grid.setContentsMargins(20, 16, 20, 16)
    grid.setHorizontalSpacing(14)
    half = (len(rows) + 1) // 2
    for index, (what, keys) in enumerate(rows):
        column, row = divmod(index, half)
        key = QLabel(keys, dialog)
        key.setProperty("role", "reading")
        key.setAlignment(Qt.AlignmentFlag.AlignRight)
        grid.addWidget(key, row, column * 3)
        grid.addWidget(QLabel(what, dialog), row, column * 3 + 1)
    grid.setColumnMinimumWidth(2, 24)
    return dialog


def about_dialog(parent: QWidget) -> QDialog:
    """What Woad is, and whose work it ships."""
    dialog = QDialog(parent)
    dialog.setWindowTitle(dialog.tr("About Woad"))
    column = QVBoxLayout(dialog)
    column.setContentsMargins(24, 20, 24, 20)
    title = QLabel("Woad", dialog)
    title.setFont(theme.font(22, QFont.Weight.Bold))
    text = QLabel(
        dialog.tr(
            "Turns scanned drawings, lettering and paintings into clean digital artwork.\n\n"
            "MIT licence. Font: Source Sans 3 (SIL Open Font License).\n"
            "Icons: Lucide (ISC). Details are in the file NOTICE."
        ),
        dialog,
    )
    column.addWidget(title)
    column.addWidget(text)
    return dialog


def show_beside(dialog: QDialog) -> None:
    """Show a dialog beside the work, never in its way."""
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.setModal(False)
    dialog.show()
