"""What a user's hands do in more than one test of the window."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QWidget


def type_in(field: QLineEdit, text: str) -> None:
    """Go into a field, type over all that stands there, and press Return."""
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def on_view(window: Any, x: float, y: float) -> QPointF:
    """Where a pixel of the sheet lies in the view."""
    return QPointF(window.view.widget_point(x, y))


def pull(
    widget: QWidget, way: Sequence[QPointF], button: Qt.MouseButton = Qt.MouseButton.LeftButton, release: bool = True
) -> None:
    """Press at the first place, move over the others, and let go at the last one."""
    places = [at.toPoint() for at in way]
    QTest.mousePress(widget, button, Qt.KeyboardModifier.NoModifier, places[0])
    for place in places[1:]:
        QTest.mouseMove(widget, place)
    if release:
        QTest.mouseRelease(widget, button, Qt.KeyboardModifier.NoModifier, places[-1])
