"""A fold: settings that are seldom needed, behind one line."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QVBoxLayout, QWidget

from woad.app import theme
from woad.app.widgets.controls import PaintedButton


class _Head(PaintedButton):
    def __init__(self, text: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setText(text)
        self.setCheckable(True)
        self.setAccessibleName(text)
        self.setFixedHeight(24)

    def sizeHint(self) -> QSize:
        return QSize(120, 24)

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(t.woad if self.hasFocus() else t.quiet), 1.5))
        m = self.height() / 2
        shape = [(0, m - 4), (5, m), (0, m + 4)] if not self.isChecked() else [(-1, m - 2), (3, m + 3), (7, m - 2)]
        painter.drawPolyline(QPolygonF([QPointF(x + 2, y) for x, y in shape]))
        painter.setFont(theme.font(13))
        painter.setPen(QColor(t.quiet))
        painter.drawText(self.rect().adjusted(16, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, self.text())
        painter.end()


class Fold(QWidget):
    """A head to click and a ``body`` layout that it shows or hides."""

    opened = Signal(bool)

    def __init__(self, text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.head = _Head(text, self)
        self.inside = QWidget(self)
        self.body = QVBoxLayout(self.inside)
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(8)
        self.inside.setVisible(False)
        column.addWidget(self.head)
        column.addWidget(self.inside)
        self.head.toggled.connect(self.inside.setVisible)
        self.head.toggled.connect(self.opened)

    def open(self, on: bool = True) -> None:
        self.head.setChecked(on)
