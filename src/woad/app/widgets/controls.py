"""Small controls: a switch, a row of alternatives, a line of a reading, a hairline."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from woad.app import theme


class PaintedButton(QAbstractButton):
    """A button that paints itself and that Return presses too, as Space does."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)


class Switch(QAbstractButton):
    """On or off, for a whole step."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setCheckable(True)
        self.setAccessibleName(name)
        self.setFixedSize(34, 18)

    def sizeHint(self) -> QSize:
        return QSize(34, 18)

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        on = self.isChecked()
        frame = QRectF(0.5, 0.5, 33, 17)
        painter.setPen(QPen(QColor(t.woad if on or self.hasFocus() else t.quiet), 1))
        painter.setBrush(QColor(t.woad if on else t.field))
        painter.drawRect(frame)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.on_woad if on else t.quiet))
        painter.drawRect(QRectF(18 if on else 4, 4, 12, 10))
        painter.end()


class Choice(QWidget):
    """A few alternatives side by side; emits the value of the one chosen."""

    chosen = Signal(object)

    def __init__(self, items: Sequence[tuple[object, str]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self._group = QButtonGroup(self)
        self._buttons: dict[object, QPushButton] = {}
        for value, text in items:
            button = QPushButton(text, self)
            button.setCheckable(True)
            button.setProperty("role", "choice")
            button.clicked.connect(lambda _=False, v=value: self.chosen.emit(v))
            self._group.addButton(button)
            self._buttons[value] = button
            row.addWidget(button, 1)

    def show_value(self, value: object) -> None:
        if value in self._buttons:
            self._buttons[value].setChecked(True)

    def button(self, value: object) -> QPushButton:
        return self._buttons[value]


class ReadingLine(QWidget):
    """A name on the left, its reading on the right."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.name = QLabel(name, self)
        self.name.setProperty("role", "quiet")
        self.value = QLabel("", self)
        self.value.setProperty("role", "reading")
        self.value.setAlignment(Qt.AlignmentFlag.AlignRight)
        row.addWidget(self.name)
        row.addStretch(1)
        row.addWidget(self.value)

    def show_text(self, text: str) -> None:
        self.value.setText(text)
        self.setAccessibleName(f"{self.name.text()}: {text}")


def hairline(parent: QWidget | None = None) -> QFrame:
    line = QFrame(parent)
    line.setProperty("role", "line")
    line.setFixedHeight(1)
    return line
