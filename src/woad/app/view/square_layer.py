"""What the Square step draws over the sheet: trim frame, corners with a magnifier, level line, bows."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cv2
import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from woad.app import theme
from woad.app.tools.square import bow_places, corner_places, trim_rect, turn_handle
from woad.core.raster.tiles import Region
from woad.core.render.region import plain_region

if TYPE_CHECKING:
    from woad.app.view.sheet_view import SheetView

_WOAD = QColor(theme.LIGHT.woad)
_LENS_PX, _LENS_ZOOM = 132, 4


def paint_square(view: SheetView, painter: QPainter) -> None:
    """Everything the Square step lays over the picture."""
    session = view.session
    docket = session.docket
    if session.step != "square" or docket is None or not docket.square.on:
        return
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if session.tool == "corners":
        _corners(view, painter)
    elif session.tool == "bow":
        _bows(view, painter)
    else:
        _trim(view, painter)
    if view.drawn:
        _outlined(painter, QPainterPath(), view.drawn)
    painter.restore()


def _outlined(painter: QPainter, path: QPainterPath, points: list[QPointF]) -> None:
    """A line that shows on any picture: woad blue in a white rim."""
    if points:
        path.moveTo(points[0])
        for p in points[1:]:
            path.lineTo(p)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(255, 255, 255, 220), 4))
    painter.drawPath(path)
    painter.setPen(QPen(_WOAD, 1.6))
    painter.drawPath(path)


def _knob(painter: QPainter, at: QPointF, size: float = 9.0) -> None:
    """A handle: a small square, as all of Woad's handles are."""
    box = QRectF(at.x() - size / 2, at.y() - size / 2, size, size)
    painter.setPen(QPen(_WOAD, 1.5))
    painter.setBrush(QColor("#FFFFFF"))
    painter.drawRect(box)


def _trim(view: SheetView, painter: QPainter) -> None:
    rect = trim_rect(view)
    w, h = view.canvas_now().size
    whole = QRectF(view.widget_point(0, 0), view.widget_point(w, h))
    outside = QPainterPath()
    outside.addRect(whole)
    inner = QPainterPath()
    inner.addRect(rect)
    veil = QColor(theme.current().surround)
    veil.setAlpha(150)
    painter.fillPath(outside.subtracted(inner), veil)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(255, 255, 255, 220), 3))
    painter.drawRect(rect)
    painter.setPen(QPen(_WOAD, 1.2))
    painter.drawRect(rect)
    turn = turn_handle(view)
    painter.drawLine(QPointF(turn.x(), turn.y()), QPointF(rect.center().x(), rect.top()))
    painter.setBrush(QColor("#FFFFFF"))
    painter.drawEllipse(turn, 5.5, 5.5)
    for x in (rect.left(), rect.center().x(), rect.right()):
        for y in (rect.top(), rect.center().y(), rect.bottom()):
            if QPointF(x, y) != rect.center():
                _knob(painter, QPointF(x, y))


def _corners(view: SheetView, painter: QPainter) -> None:
    places = [view.widget_point(x, y) for x, y in corner_places(view)]
    path = QPainterPath()
    path.addPolygon(QPolygonF(places))
    path.closeSubpath()
    _outlined(painter, path, [])
    for place in places:
        _knob(painter, place, 13.0)
    if 0 <= view.magnified < 4:
        _lens(view, painter, corner_places(view)[view.magnified], places[view.magnified])


def _lens(view: SheetView, painter: QPainter, at: tuple[float, float], place: QPointF) -> None:
    """The scan around a point, enlarged, in the corner of the view that is farthest from it."""
    entry = view.session.entry
    assert entry is not None and entry.sheet is not None
    scan, scale = entry.sheet.scan, entry.sheet.scale
    side = _LENS_PX // _LENS_ZOOM
    x, y = at[0] / scale, at[1] / scale
    x0, y0 = int(np.floor(x - side / 2)), int(np.floor(y - side / 2))
    box = Region(x0, y0, side + 1, side + 1)
    on = box.clip(scan.width, scan.height)
    patch = np.full((side + 1, side + 1, 3), 128, np.uint8)
    if on.w and on.h:
        patch[on.y - y0 : on.bottom - y0, on.x - x0 : on.right - x0] = plain_region(scan, 0, on)
    big = cv2.resize(patch, None, fx=_LENS_ZOOM, fy=_LENS_ZOOM, interpolation=cv2.INTER_NEAREST)
    data = np.ascontiguousarray(cv2.cvtColor(big, cv2.COLOR_RGB2BGRA))
    image = QImage(data.data, data.shape[1], data.shape[0], data.strides[0], QImage.Format.Format_RGB32)
    left = 12.0 if place.x() > view.width() / 2 else view.width() - _LENS_PX - 12.0
    target = QRectF(left, 12, _LENS_PX, _LENS_PX)
    source = QRectF((x - side / 2 - x0) * _LENS_ZOOM, (y - side / 2 - y0) * _LENS_ZOOM, _LENS_PX, _LENS_PX)
    painter.drawImage(target, image, source)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(theme.current().panel), 3))
    painter.drawRect(target)
    painter.setPen(QPen(_WOAD, 1))
    painter.drawRect(target)
    c = target.center()
    for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        painter.drawLine(QPointF(c.x() + 5 * dx, c.y() + 5 * dy), QPointF(c.x() + 26 * dx, c.y() + 26 * dy))


def _bows(view: SheetView, painter: QPainter) -> None:
    docket = view.session.docket
    assert docket is not None
    if view.held_bow:
        points = [view.widget_point(x, y) for x, y in view.held_bow]
        _outlined(painter, _smooth(points), [])
        for p in points:
            _knob(painter, p)
        return
    for index in range(len(docket.square.bows)):
        points = [view.widget_point(x, y) for x, y in bow_places(view, docket, index, True)]
        _outlined(painter, QPainterPath(), points)
        for p in points:
            _knob(painter, p)


def _smooth(points: list[QPointF]) -> QPainterPath:
    """A curve through points (Catmull and Rom), as Bézier pieces."""
    path = QPainterPath(points[0])
    for i in range(len(points) - 1):
        before, a, b = points[max(i - 1, 0)], points[i], points[i + 1]
        after = points[min(i + 2, len(points) - 1)]
        path.cubicTo(a + (b - before) / 6, b - (after - a) / 6, b)
    return path
