"""What lies over the picture in every step: the watch spots' frames and the wipe's edge."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen

from woad.app import theme
from woad.app.session import STEPS

if TYPE_CHECKING:
    from woad.app.view.sheet_view import SheetView


def paint_spots(view: SheetView, painter: QPainter) -> None:
    entry = view.session.entry
    if entry is None or entry.sheet is None:
        return
    painter.setFont(theme.font(12, QFont.Weight.Bold))
    for rect, name in zip(view.spot_rects(), ("a", "b"), strict=True):
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor("#FFFFFF"), 3))
        painter.drawRect(rect)
        painter.setPen(QPen(QColor("#23262B"), 1))
        painter.drawRect(rect)
        label = QRectF(rect.right() + 4, rect.top() - 1, 16, 17)
        painter.fillRect(label, QColor("#FFFFFF"))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, name)


def paint_wipe(view: SheetView, painter: QPainter) -> None:
    x = view.wipe_x()
    painter.setPen(QPen(QColor("#23262B"), 1))
    painter.drawLine(QPointF(x, 0), QPointF(x, view.height()))
    grip = QRectF(x - 6, view.height() / 2 - 17, 12, 34)
    painter.fillRect(grip, QColor("#FFFFFF"))
    painter.drawRect(grip)
    painter.setFont(theme.font(12))
    names = (view.tr("Before"), dict(STEPS)[view.session.step])
    metrics = painter.fontMetrics()
    for text, left in ((names[0], x - 8 - metrics.horizontalAdvance(names[0])), (names[1], x + 8)):
        box = QRectF(left - 4, 5, metrics.horizontalAdvance(text) + 8, 19)
        painter.fillRect(box, QColor(theme.current().panel))
        painter.setPen(QColor(theme.current().text))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
