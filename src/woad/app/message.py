"""Messages over the view: one sentence, details to copy, never in the way of work."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget


class MessageBar(QWidget):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("message")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 7, 8, 7)
        self.text = QLabel("", self)
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        copy = QPushButton(self.tr("Copy"), self)
        copy.setProperty("flat", "true")
        copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self.text.text()))
        close = QPushButton(self.tr("Close"), self)
        close.setProperty("flat", "true")
        close.clicked.connect(self.hide)
        row.addWidget(self.text, 1)
        row.addWidget(copy)
        row.addWidget(close)
        self._passing = False
        self.hide()

    def pass_by(self) -> None:
        """Work goes on: refusals are forgotten."""
        if self._passing:
            self.hide()

    def show_message(self, says: str, passing: bool = False) -> None:
        """Several messages at once are shown one under the other. ``passing`` ones go by themselves when work goes on; what
        was said about files stays until it is closed."""
        self._passing = passing and (self._passing or not self.isVisible())
        before = self.text.text() if self.isVisible() else ""
        lines = [line for line in before.split("\n") if line and line != says]
        self.text.setText("\n".join([*lines[-2:], says]))
        self.show()
