"""What a user's hands do in more than one test of the window."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit


def type_in(field: QLineEdit, text: str) -> None:
    """Go into a field, type over all that stands there, and press Return."""
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)
