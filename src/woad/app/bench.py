"""The bench: a row of step tiles with close-ups of the watch spots and the step's key reading."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetrics, QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QWidget

from woad.app import theme
from woad.app.readings import key_reading, trouble
from woad.app.session import STEPS, Session
from woad.app.view.frames import CloseUpRequest, make_close_ups
from woad.app.view.sheet_view import SPOT_PX
from woad.app.widgets.controls import PaintedButton
from woad.app.worker import Lane, Result

TILE_W, TILE_H = 104, 108


class Tile(PaintedButton):
    """One step: two close-ups, the name, the key reading."""

    def __init__(self, step: str, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.step, self.name = step, name
        self.reading, self.trouble, self.off = "", "", False
        self.pictures: tuple[np.ndarray, np.ndarray] | None = None
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setFixedSize(TILE_W, TILE_H)

    def sizeHint(self) -> QSize:
        return QSize(TILE_W, TILE_H)

    def show_state(self, reading: str, trouble_text: str, off: bool) -> None:
        self.reading, self.trouble, self.off = reading, trouble_text, off
        self.setAccessibleName(f"{self.name}: {reading}")
        self.setToolTip(trouble_text or self.name)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        for i in (0, 1):
            square = QRectF(1 + i * 50, 8, 48, 48)
            if self.off or self.pictures is None:
                painter.setPen(QPen(QColor(t.hairline), 1, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(square.adjusted(0.5, 0.5, -0.5, -0.5))
            else:
                data = self.pictures[i]
                image = QImage(data.data, data.shape[1], data.shape[0], data.strides[0], QImage.Format.Format_RGB32)
                painter.drawImage(square, image)
                painter.setPen(QPen(QColor(t.hairline), 1))
                painter.drawRect(square.adjusted(0.5, 0.5, -0.5, -0.5))
        if self.trouble:
            corner = QPolygonF([QPointF(88, 8), QPointF(99, 8), QPointF(99, 19)])
            # A light rim, so that the corner shows on a red backing too.
            painter.setPen(QPen(QColor(t.panel), 1))
            painter.setBrush(QColor(t.madder))
            painter.drawPolygon(corner)
        chosen = self.isChecked()
        painter.setFont(theme.font(14, QFont.Weight.DemiBold))
        painter.setPen(QColor(t.woad if chosen else t.quiet if self.off else t.text))
        painter.drawText(QRectF(1, 60, TILE_W - 2, 19), Qt.AlignmentFlag.AlignLeft, self.name)
        painter.setFont(theme.font(12))
        painter.setPen(QColor(t.woad if chosen else t.quiet))
        text = self.tr("off") if self.off else self.reading
        text = QFontMetrics(painter.font()).elidedText(text, Qt.TextElideMode.ElideRight, TILE_W - 4)
        painter.drawText(QRectF(1, 79, TILE_W - 2, 17), Qt.AlignmentFlag.AlignLeft, text)
        if chosen:
            painter.fillRect(QRectF(1, TILE_H - 4, 98, 4), QColor(t.woad))
        if self.hasFocus():
            painter.setPen(QPen(QColor(t.woad), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(-0.5, 5.5, 101, 96))
        painter.end()


class BenchBar(QWidget):
    """All tiles; asks a worker for close-ups whenever settings or spots change."""

    def __init__(self, session: Session, behind: Lane, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("benchbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.lane = Lane("close-ups", self, behind=behind)
        self.tiles: dict[str, Tile] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(10)
        for step, name in STEPS:
            tile = Tile(step, self.tr(name), self)
            tile.clicked.connect(lambda _=False, s=step: session.go_to(s))
            self.tiles[step] = tile
            row.addWidget(tile)
        row.addStretch(1)
        for signal in (session.sheet_changed, session.docket_changed, session.view_changed, session.pile_changed,
                       session.step_changed, session.checks_changed):  # fmt: skip
            signal.connect(self.refresh)
        self._asked: object = None
        self.refresh()

    def refresh(self) -> None:
        session, entry, docket = self.session, self.session.entry, self.session.docket
        self.tiles[session.step].setChecked(True)
        for step, tile in self.tiles.items():
            off = (
                docket is not None
                and step in ("square", "paper", "ink", "spotting", "knockout", "edge")
                and not getattr(docket, step).on
            )
            tile.show_state(key_reading(entry, step), trouble(entry, step), off)
        if entry is None or entry.sheet is None or docket is None:
            self._asked = None
            self.lane.forget()
            for tile in self.tiles.values():
                tile.pictures = None
                tile.update()
            return
        request = CloseUpRequest(
            entry.sheet, docket, tuple(self.tiles), entry.spots, round(SPOT_PX * self.devicePixelRatioF()),
            session.spot_zoom, session.backing, session.bright,
        )  # fmt: skip
        if request != self._asked:
            self._asked = request
            self.lane.submit(lambda: make_close_ups(request), self._arrived)

    def _arrived(self, result: Result) -> None:
        if result.error is not None:
            return  # the view reports the same trouble in words
        for step, pictures in result.value.items():
            self.tiles[step].pictures = pictures
            self.tiles[step].update()
