"""What lies over the picture in Paper and Ink: pins of clicked places with their readings, the brush's outline."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from woad.app import handwork, theme
from woad.app.tools.hand import brush_px, place_point

if TYPE_CHECKING:
    from woad.app.view.sheet_view import SheetView


def paint_hand(view: SheetView, painter: QPainter) -> None:
    """Pins of the step in view; the brush while it is in hand."""
    session, docket = view.session, view.session.docket
    if docket is None or session.step not in ("paper", "ink", "spotting", "knockout", "edge"):
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if session.step in ("paper", "ink"):
        tool = "paper-place" if session.step == "paper" else "ink-place"
        for place in handwork.places_of(docket, tool):
            _pin(view, painter, place, tool)
    if session.step == "knockout" and session.tool:
        _outline(view, painter, docket.knockout.subject)
    _drawn(view, painter)
    if session.tool in handwork.BRUSH_TOOLS and view.brush_at is not None:
        radius = brush_px(view)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in (("#FFFFFF", 3.0), ("#23262B", 1.0)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawEllipse(view.brush_at, radius, radius)


def _outline(view: SheetView, painter: QPainter, outline: tuple[tuple[float, float], ...]) -> None:
    if len(outline) < 3:
        return
    shape = QPolygonF([place_point(view, place) for place in outline])
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in (("#FFFFFF", 3.0), (theme.LIGHT.woad, 1.3)):
        painter.setPen(QPen(QColor(colour), width, Qt.PenStyle.DashLine))
        painter.drawPolygon(shape)


def _drawn(view: SheetView, painter: QPainter) -> None:
    """An outline or a stroke that is being drawn."""
    if not view.drawn:
        return
    painter.setBrush(Qt.BrushStyle.NoBrush)
    line = QPolygonF(view.drawn)
    if view.session.tool in handwork.AREA_TOOLS:
        for colour, width in (("#FFFFFF", 3.0), (theme.LIGHT.woad, 1.3)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawPolygon(line)
    elif view.session.tool in ("mend", "copy"):
        shade = QColor(theme.LIGHT.weld)
        shade.setAlpha(120)
        pen = QPen(shade, 2 * brush_px(view), Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin)
        painter.setPen(pen)
        painter.drawPolyline(line) if len(view.drawn) > 1 else painter.drawPoint(view.drawn[0])


def _pin(view: SheetView, painter: QPainter, place: tuple[float, float], tool: str) -> None:
    at = place_point(view, place)
    reading = view.pin_reading(place)
    colour = theme.LIGHT.weld if tool == "paper-place" else theme.LIGHT.woad
    painter.setPen(QPen(QColor("#FFFFFF"), 3))
    painter.setBrush(QColor(colour))
    painter.drawEllipse(at, 5, 5)
    painter.setPen(QPen(QColor("#23262B"), 1))
    painter.drawEllipse(at, 5, 5)
    if reading is None:
        return
    text = " ".join(str(v) for v in reading.colour) if tool == "paper-place" else f"D {reading.density:.2f}"
    painter.setFont(theme.font(11))
    width = painter.fontMetrics().horizontalAdvance(text) + 10
    box = QRectF(at + QPointF(10, -9), at + QPointF(10 + width, 9))
    painter.setPen(QPen(QColor("#23262B"), 1))
    painter.setBrush(QColor("#FFFFFF"))
    painter.drawRect(box)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
