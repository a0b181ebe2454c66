"""What lies over the picture in every step: the watch spots' frames and the wipe's edge."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPen

from woad.app import theme
from woad.app.session import STEPS
from woad.app.view.frames import CUT_STEPS, Frame
from woad.app.view.geometry import Viewport

if TYPE_CHECKING:
    from woad.app.view.sheet_view import SheetView
    from woad.app.view.thumbnail import Thumbnail


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
        paint_name(painter, text, left)


def paint_name(painter: QPainter, text: str, left: float) -> None:
    """What a part of the view shows, at its top."""
    painter.setFont(theme.font(12))
    box = QRectF(left - 4, 5, painter.fontMetrics().horizontalAdvance(text) + 8, 19)
    painter.fillRect(box, QColor(theme.current().panel))
    painter.setPen(QColor(theme.current().text))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def paint_frame(painter: QPainter, frame: Frame, view: Viewport, ratio: float) -> None:
    """A finished frame where it belongs in ``view``, device pixels of which ``ratio`` make one of the widget's."""
    data = frame.image
    image = QImage(data.data, data.shape[1], data.shape[0], data.strides[0], QImage.Format.Format_RGB32)
    if frame.view == view:
        image.setDevicePixelRatio(ratio)
        painter.drawImage(QPointF(frame.left / ratio, frame.top / ratio), image)
        return
    # The view has moved on: show the old frame where its part of the sheet now lies, until the new one comes.
    x0, y0 = view.to_view(*frame.view.to_sheet(frame.left, frame.top))
    x1, y1 = view.to_view(*frame.view.to_sheet(frame.left + data.shape[1], frame.top + data.shape[0]))
    painter.drawImage(QRectF(x0 / ratio, y0 / ratio, (x1 - x0) / ratio, (y1 - y0) / ratio), image)


def paint_thumbnail(view: SheetView, painter: QPainter, thumb: Thumbnail | None) -> None:
    """A sheet that is being read again, as the pile shows it: large and soft, where its picture will be."""
    if thumb is None:
        return
    session = view.session
    data = thumb.over(session.backing if session.step in CUT_STEPS else "white", session.bright)
    h, w = data.shape[:2]
    zoom = min((view.width() - 48) / w, (view.height() - 48) / h)
    image = QImage(data.data, w, h, data.strides[0], QImage.Format.Format_RGB32)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(
        QRectF(view.width() / 2 - w * zoom / 2, view.height() / 2 - h * zoom / 2, w * zoom, h * zoom), image
    )
