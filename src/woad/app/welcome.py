"""What an empty job shows: one place to drop sheets and three ways to begin."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from woad.app import theme


class Welcome(QWidget):
    open_asked = Signal()
    demo_asked = Signal()
    first_painted = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._painted = False
        column = QVBoxLayout(self)
        column.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.setSpacing(10)
        title = QLabel(self.tr("Drop scanned or photographed sheets here"), self)
        title.setProperty("role", "title")
        hint = QLabel(self.tr("or paste one from the clipboard. Files are only read, never changed."), self)
        hint.setProperty("role", "quiet")
        opening = QPushButton(theme.icon("folder-open", "on_woad"), self.tr("Open sheets…"), self)
        opening.setProperty("primary", "true")
        opening.clicked.connect(self.open_asked)
        demo = QPushButton(self.tr("Try the demo job"), self)
        demo.clicked.connect(self.demo_asked)
        for widget in (title, hint):
            widget.setAlignment(Qt.AlignmentFlag.AlignCenter)
            column.addWidget(widget)
        column.addSpacing(8)
        for button in (opening, demo):
            button.setFixedWidth(200)
            column.addWidget(button, 0, Qt.AlignmentFlag.AlignCenter)

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(t.chrome))
        w, h = min(560, self.width() - 60), min(300, self.height() - 60)
        frame = QRectF((self.width() - w) / 2, (self.height() - h) / 2, w, h)
        painter.fillRect(frame, QColor(t.panel))
        painter.setPen(QPen(QColor(t.quiet), 1, Qt.PenStyle.DashLine))
        painter.drawRect(frame)
        painter.end()
        if not self._painted:
            self._painted = True
            # Through the event loop: whoever listens may take long, and the screen is to show this first.
            QTimer.singleShot(0, self.first_painted.emit)
