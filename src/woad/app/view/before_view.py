"""Side by side: the scan beside the view, at the same place and zoom, squared like it."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from woad.app import theme
from woad.app.view.frames import Frame, FrameRequest, make_frame
from woad.app.view.marks_layer import paint_frame, paint_name
from woad.app.view.sheet_view import SheetView
from woad.app.worker import Lane, Result


class BeforeView(QWidget):
    """Follows the view; moving and zooming here moves and zooms there."""

    def __init__(self, view: SheetView, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.view = view
        self.lane = Lane("before", self, behind=view.lane)
        self.frame: Frame | None = None
        self._last: QPointF | None = None
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(self.tr("Scan, before the steps"))
        self.setMinimumSize(160, 200)
        view.zoom_changed.connect(self.refresh)
        for signal in (view.session.sheet_changed, view.session.docket_changed, view.session.step_changed,
                       view.session.view_changed):  # fmt: skip
            signal.connect(self.refresh)
        self.hide()

    def request(self) -> FrameRequest | None:
        """The frame that lies beside the view's; None while there is nothing to compare."""
        asked = self.view.request() if self.view.session.shows_beside else None
        if asked is None:
            return None
        ratio = self.devicePixelRatioF()
        here = replace(asked.view, w=max(1, round(self.width() * ratio)), h=max(1, round(self.height() * ratio)))
        return replace(asked, step="before", view=here, overlays=(), wipe_view_x=None)

    def refresh(self) -> None:
        session = self.view.session
        self.setVisible(session.shows_beside and session.entry is not None)
        request = self.request()
        if request is None:
            self.lane.forget()
            self.frame = None
        elif self.frame is None or self.frame.request != request:
            self.lane.submit(lambda: make_frame(request), self._arrived)
        self.update()

    def _arrived(self, result: Result) -> None:
        self.frame = None if result.error is not None else result.value
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.current().surround))
        request = self.request()
        if self.frame is not None and request is not None:
            paint_frame(painter, self.frame, request.view, self.devicePixelRatioF())
            paint_name(painter, self.tr("Before"), 12)
        painter.setPen(QColor(theme.current().hairline))
        painter.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        painter.end()

    # -- moving along ------------------------------------------------------------------------------------------

    def resizeEvent(self, _event: QResizeEvent) -> None:
        self.refresh()

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        if steps:
            off = event.position() - QPointF(self.width() / 2, self.height() / 2)
            self.view.zoom_by(1.25**steps, QPointF(self.view.width() / 2, self.view.height() / 2) + off)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._last is not None and event.buttons() != Qt.MouseButton.NoButton:
            step = event.position() - self._last
            self._last = event.position()
            self.view.move_by(step.x(), step.y())

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._last = None
