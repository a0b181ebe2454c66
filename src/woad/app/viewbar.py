"""The bar over the view: compare, backing, zoom."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QHBoxLayout, QLabel, QPushButton, QSpinBox, QWidget

from woad.app import theme
from woad.app.session import BACKINGS, Session
from woad.core.render.region import PLAIN

_NAMES = {"white": "White", "bright": "Bright", "dark": "Dark", "checks": "Checks", "picture": "Picture"}


class BackingButton(QAbstractButton):
    """A swatch of what lies behind the artwork."""

    def __init__(self, backing: str, name: str, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.backing, self.session = backing, session
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
        elif self.backing == "picture":
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(inner, QColor(t.field))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.woad))
            hill = [QPointF(4, 22), QPointF(4, 17), QPointF(10, 11), QPointF(14, 16), QPointF(17, 13), QPointF(22, 18),
                    QPointF(22, 22)]  # fmt: skip
            painter.drawPolygon(QPolygonF(hill))
            painter.setBrush(QColor(t.weld))
            painter.drawEllipse(QPointF(17, 8.5), 2, 2)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        else:
            colour = {"white": QColor("#FFFFFF"), "bright": QColor(*self.session.bright), "dark": QColor("#23262B")}
            painter.fillRect(inner, colour[self.backing])
        painter.setPen(QPen(QColor(t.hairline if self.backing != "dark" else t.quiet), 1))
        painter.drawRect(inner.adjusted(-0.5, -0.5, 0.5, 0.5))
        if self.isChecked() or self.hasFocus():
            painter.setPen(QPen(QColor(t.woad), 2 if self.isChecked() else 1))
            painter.drawRect(QRectF(1, 1, 24, 24))
        painter.end()


class ViewBar(QWidget):
    """Compare on the left, backing and zoom on the right."""

    picture_asked = Signal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("viewbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(36)
        self.session, self._loading = session, False
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
        self.wipe.clicked.connect(lambda on: session.compare(wipe=on))
        self.beside = QPushButton(self.tr("Side by side"), self)
        self.beside.setToolTip(self.tr("The scan beside this step, at the same place (D)"))
        self.beside.setCheckable(True)
        self.beside.clicked.connect(lambda on: session.compare(side_by_side=on))
        label = QLabel(self.tr("Backing"), self)
        label.setProperty("role", "quiet")
        row.addWidget(self.before)
        row.addWidget(self.wipe)
        row.addWidget(self.beside)
        row.addStretch(1)
        row.addWidget(label)
        self.backings: dict[str, BackingButton] = {}
        group = QButtonGroup(self)
        for index, backing in enumerate(BACKINGS):
            button = BackingButton(backing, self.tr("{0} backing").format(_NAMES[backing]), session, self)
            button.setToolTip(f"{self.tr(_NAMES[backing])} ({index + 1})")
            button.clicked.connect(partial(self._chosen, backing))
            group.addButton(button)
            self.backings[backing] = button
            row.addWidget(button)
        self.art = QSpinBox(self)
        self.art.setRange(2, 400)
        self.art.setSingleStep(5)
        self.art.setPrefix(self.tr("Art "))
        self.art.setSuffix(" %")
        self.art.setAccessibleName(self.tr("Size of the art, share of the picture's width"))
        self.art.setToolTip(self.tr("How much of the picture's width the sheet covers"))
        self.art.valueChanged.connect(self._sized)
        row.addWidget(self.art)
        self.zoom = QLabel("", self)
        self.zoom.setFixedWidth(48)
        self.zoom.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.zoom)
        session.view_changed.connect(self.refresh)
        session.step_changed.connect(self.refresh)
        self.refresh()

    def _chosen(self, backing: str) -> None:
        if backing == "picture" and self.session.picture is None:
            self.refresh()
            self.picture_asked.emit()
        else:
            self.session.look(backing=backing)

    def _sized(self, value: int) -> None:
        entry, picture = self.session.entry, self.session.picture
        if not self._loading and entry is not None and entry.sheet is not None and picture is not None:
            self.session.look(picture=picture.sized(value / 100, *entry.sheet.full_size))

    def refresh(self) -> None:
        for button in (self.wipe, self.beside):
            button.setEnabled(self.session.step not in PLAIN)  # on those there is nothing to compare yet
        self.wipe.setChecked(self.session.wipe)
        self.beside.setChecked(self.session.side_by_side)
        self.backings[self.session.backing].setChecked(True)
        self.backings["bright"].update()
        entry, picture = self.session.entry, self.session.picture
        on = self.session.backing == "picture" and picture is not None
        self.art.setVisible(on)
        if on and picture is not None and entry is not None and entry.sheet is not None:
            self._loading = True
            self.art.setValue(round(picture.art_share(entry.sheet.full_size[0]) * 100))
            self._loading = False

    def show_zoom(self, zoom: float) -> None:
        percent = zoom * 100
        self.zoom.setText(f"{percent:.0f} %" if percent >= 9.5 else f"{percent:.1f} %")
