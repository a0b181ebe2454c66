"""The bar over the view: compare, backing, zoom."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QHBoxLayout, QLabel, QPushButton, QWidget

from woad.app import theme
from woad.app.session import BACKINGS, Session

_NAMES = {"white": "White", "bright": "Bright", "dark": "Dark", "checks": "Checks"}


class BackingButton(QAbstractButton):
    """A swatch of what lies behind the artwork."""

    def __init__(self, backing: str, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.backing = backing
        self.setCheckable(True)
        self.setAccessibleName(name)
        self.setFixedSize(26, 26)

    def sizeHint(self) -> QSize:
        return QSize(26, 26)

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        inner = QRectF(4, 4, 18, 18)
        if self.backing == "checks":
            painter.fillRect(inner, QColor("#FFFFFF"))
            for i in range(3):
                for j in range(3):
                    if (i + j) % 2:
                        painter.fillRect(QRectF(4 + i * 6, 4 + j * 6, 6, 6), QColor("#C4C4C2"))
        else:
            colour = {"white": QColor("#FFFFFF"), "bright": QColor(*theme.BRIGHT), "dark": QColor("#23262B")}
            painter.fillRect(inner, colour[self.backing])
        painter.setPen(QPen(QColor(t.hairline if self.backing != "dark" else t.quiet), 1))
        painter.drawRect(inner.adjusted(-0.5, -0.5, 0.5, 0.5))
        if self.isChecked() or self.hasFocus():
            painter.setPen(QPen(QColor(t.woad), 2 if self.isChecked() else 1))
            painter.drawRect(QRectF(1, 1, 24, 24))
        painter.end()


class ViewBar(QWidget):
    """Compare on the left, backing and zoom on the right."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("viewbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(36)
        self.session = session
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(6)
        self.before = QPushButton(self.tr("Before"), self)
        self.before.setToolTip(self.tr("Hold to see the scan (B)"))
        self.before.pressed.connect(lambda: session.look(before_held=True))
        self.before.released.connect(lambda: session.look(before_held=False))
        self.wipe = QPushButton(self.tr("Wipe"), self)
        self.wipe.setToolTip(self.tr("Scan on the left, this step on the right; drag the edge (W)"))
        self.wipe.setCheckable(True)
        self.wipe.clicked.connect(lambda on: session.look(wipe=on))
        label = QLabel(self.tr("Backing"), self)
        label.setProperty("role", "quiet")
        row.addWidget(self.before)
        row.addWidget(self.wipe)
        row.addStretch(1)
        row.addWidget(label)
        self.backings: dict[str, BackingButton] = {}
        group = QButtonGroup(self)
        for index, backing in enumerate(BACKINGS):
            button = BackingButton(backing, self.tr("{0} backing").format(_NAMES[backing]), self)
            button.setToolTip(f"{self.tr(_NAMES[backing])} ({index + 1})")
            button.clicked.connect(lambda _=False, b=backing: session.look(backing=b))
            group.addButton(button)
            self.backings[backing] = button
            row.addWidget(button)
        self.zoom = QLabel("", self)
        self.zoom.setFixedWidth(48)
        self.zoom.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.zoom)
        session.view_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        self.wipe.setChecked(self.session.wipe)
        self.backings[self.session.backing].setChecked(True)

    def show_zoom(self, zoom: float) -> None:
        percent = zoom * 100
        self.zoom.setText(f"{percent:.0f} %" if percent >= 9.5 else f"{percent:.1f} %")
