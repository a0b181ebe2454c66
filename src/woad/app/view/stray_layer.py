"""Rings around strays, the same size on the screen at any zoom; areas that were circled; where copy over takes from."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from woad.app import straywork, theme
from woad.app.tools.hand import brush_px, place_point

if TYPE_CHECKING:
    from woad.app.view.sheet_view import SheetView

RING_PX = 10.0
MOST_RINGS = 3000  # in view; more are drawn as dots


def paint_strays(view: SheetView, painter: QPainter) -> None:
    session, entry = view.session, view.session.entry
    if session.step != "spotting" or entry is None or entry.sheet is None or session.before_held:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    _paint_areas(view, painter)
    if "strays" in session.overlays:
        _paint_rings(view, painter)
    if session.tool == "copy" and session.copy_source is not None:
        _paint_source(view, painter, place_point(view, session.copy_source))


def _paint_rings(view: SheetView, painter: QPainter) -> None:
    items = straywork.items_of(view.session.entry)
    if not len(items):
        return
    at = points_in_view(view, items.places)
    low, high = -RING_PX, np.array([view.width() + RING_PX, view.height() + RING_PX])
    inside = np.flatnonzero((at >= low).all(axis=1) & (at <= high).all(axis=1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if len(inside) > MOST_RINGS:
        painter.setPen(QPen(QColor(theme.LIGHT.madder), 3))
        painter.drawPoints(QPolygonF([QPointF(x, y) for x, y in at[inside[:: max(1, len(inside) // 40_000)]].tolist()]))
        return
    chosen = straywork.chosen(view.session)
    for index in inside.tolist():
        radius = RING_PX
        if index == chosen:
            # The one that is looked at lies whole inside its ring.
            size = straywork.size_px(view.session.entry, items.items[index])
            radius = max(RING_PX + 4, 8 + size / 2 * view.viewport_.zoom / view.devicePixelRatioF())
        _ring(painter, QPointF(*at[index].tolist()), radius, bool(items.goes[index]), index == chosen)


def points_in_view(view: SheetView, places: np.ndarray) -> np.ndarray:
    """Places of the scan in widget coordinates, (n, 2)."""
    entry = view.session.entry
    assert entry is not None and entry.sheet is not None
    canvas = view.canvas_now()
    size = np.array(entry.sheet.scan_size, float)
    on_canvas = canvas.many_from_scan(places * size)
    port, ratio = view.viewport_, view.devicePixelRatioF()
    x0, y0 = port.to_view(0, 0)
    return np.asarray((on_canvas * port.zoom + [x0, y0]) / ratio)


def _ring(painter: QPainter, at: QPointF, radius: float, goes: bool, chosen: bool) -> None:
    painter.setPen(QPen(QColor("#FFFFFF"), 4 if chosen else 3))
    painter.drawEllipse(at, radius, radius)
    colour = QColor(theme.LIGHT.madder if goes else theme.LIGHT.woad)
    painter.setPen(QPen(colour, 2.5 if chosen else 1.5, Qt.PenStyle.SolidLine if goes else Qt.PenStyle.DotLine))
    painter.drawEllipse(at, radius, radius)


def _paint_areas(view: SheetView, painter: QPainter) -> None:
    docket = view.session.docket
    if docket is None:
        return
    painter.setBrush(Qt.BrushStyle.NoBrush)
    colours = {"all": theme.LIGHT.madder, "strays-go": theme.LIGHT.madder, "strays-stay": theme.LIGHT.woad}
    for area in docket.spotting.areas:
        shape = QPolygonF([place_point(view, place) for place in area.outline])
        style = Qt.PenStyle.SolidLine if area.kind == "all" else Qt.PenStyle.DashLine
        for colour, width in (("#FFFFFF", 3.0), (colours[area.kind], 1.2)):
            painter.setPen(QPen(QColor(colour), width, style))
            painter.drawPolygon(shape)


def _paint_source(view: SheetView, painter: QPainter, at: QPointF) -> None:
    """Where the brush takes from: follows the brush once a stroke has begun."""
    if view.copy_shift is not None and view.brush_at is not None:
        at = view.brush_at + view.copy_shift
    radius = brush_px(view)
    for colour, width in (("#FFFFFF", 3.0), (theme.LIGHT.woad, 1.3)):
        painter.setPen(QPen(QColor(colour), width))
        painter.drawEllipse(at, radius, radius)
        painter.drawLine(at - QPointF(5, 0), at + QPointF(5, 0))
        painter.drawLine(at - QPointF(0, 5), at + QPointF(0, 5))
