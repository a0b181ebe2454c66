"""Rulers along the view, guides dragged from them, and a grid. For the eye only: none of it is ever exported."""

from __future__ import annotations

from math import ceil, floor, log10
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from woad.app import theme
from woad.app.tools.gesture import Gesture
from woad.core.units import mm_to_px

if TYPE_CHECKING:
    from woad.app.session import Session
    from woad.app.view.sheet_view import SheetView

THICK = 20
UNITS = ("mm", "in", "px")
GRAB_PX = 5.0


def unit_px(session: Session) -> float:
    """Full-size pixels in one unit of the rulers; without a known ppi they count pixels."""
    entry, unit = session.entry, session.unit
    ppi = entry.sheet.ppi if entry is not None and entry.sheet is not None else None
    if unit == "px" or ppi is None:
        return 1.0
    return mm_to_px(1, ppi) if unit == "mm" else ppi


def origin(view: SheetView) -> tuple[float, float]:
    """Where the rulers begin: the squared sheet's corner, also while the whole plane is in view."""
    from woad.app.tools.square import trim_rect

    docket = view.session.docket
    if view.canvas_now().kind == "plane" and docket is not None and docket.square.on:
        return view.sheet_point(trim_rect(view).topLeft())
    return 0.0, 0.0


def on_canvas(view: SheetView, place: float, upright: bool) -> float:
    """A guide's place on the plane, on what is shown now."""
    canvas = view.canvas_now()
    if canvas.kind != "sheet":
        return place
    return place - (canvas.frame.left if upright else canvas.frame.top) * canvas.scale


def step_of(pixels_per_unit: float) -> float:
    """The units between two numbered ticks: 1, 2 or 5 times a power of ten, at least 56 px apart."""
    least = 56 / max(pixels_per_unit, 1e-9)
    power = 10 ** floor(log10(least))
    return float(next(power * m for m in (1, 2, 5, 10) if power * m >= least))


def paint_rulers(view: SheetView, painter: QPainter) -> None:
    """Grid, guides, then the rulers over them."""
    session = view.session
    if session.entry is None or session.entry.sheet is None or session.docket is None:
        return
    if session.grid:
        _grid(view, painter)
    if session.guides_shown:
        _guides(view, painter)
    if session.rulers:
        _ruler(view, painter, False)
        _ruler(view, painter, True)
        painter.fillRect(QRectF(0, 0, THICK, THICK), QColor(theme.current().chrome))
        painter.setPen(QColor(theme.current().quiet))
        painter.setFont(theme.font(10))
        known = session.entry.sheet.ppi is not None
        painter.drawText(QRectF(0, 0, THICK, THICK), Qt.AlignmentFlag.AlignCenter, session.unit if known else "px")


def _scale(view: SheetView) -> float:
    """Widget pixels per unit."""
    return unit_px(view.session) * view.viewport_.zoom / view.devicePixelRatioF()


def _ruler(view: SheetView, painter: QPainter, upright: bool) -> None:
    t = theme.current()
    length = view.height() if upright else view.width()
    strip = QRectF(0, 0, THICK, length) if upright else QRectF(0, 0, length, THICK)
    painter.fillRect(strip, QColor(t.chrome))
    painter.setPen(QPen(QColor(t.hairline), 1))
    if upright:
        painter.drawLine(QPointF(THICK - 0.5, 0), QPointF(THICK - 0.5, length))
    else:
        painter.drawLine(QPointF(0, THICK - 0.5), QPointF(length, THICK - 0.5))
    per = _scale(view)
    start = origin(view)
    zero = view.widget_point(*start)
    base = zero.y() if upright else zero.x()
    step = step_of(per)
    painter.setFont(theme.font(10))
    small = step / 10 if step * per >= 80 else step / 5
    for k in range(ceil((THICK - base) / (small * per)), floor((length - base) / (small * per)) + 1):
        at = base + k * small * per
        value = k * small
        numbered = abs(value / step - round(value / step)) < 1e-6
        reach = 10 if numbered else 4
        painter.setPen(QColor(t.quiet if numbered else t.hairline))
        if upright:
            painter.drawLine(QPointF(THICK - reach, at), QPointF(THICK - 1, at))
        else:
            painter.drawLine(QPointF(at, THICK - reach), QPointF(at, THICK - 1))
        if numbered:
            text = f"{value:g}"
            painter.setPen(QColor(t.text))
            if upright:
                painter.save()
                painter.translate(1, at - 2)
                painter.rotate(-90)
                painter.drawText(QRectF(0, 0, 48, 11), Qt.AlignmentFlag.AlignLeft, text)
                painter.restore()
            else:
                painter.drawText(QRectF(at + 2, 0, 48, 11), Qt.AlignmentFlag.AlignLeft, text)


def _grid(view: SheetView, painter: QPainter) -> None:
    per, start = _scale(view), origin(view)
    zero, step = view.widget_point(*start), step_of(_scale(view))
    painter.setPen(QPen(QColor(47, 75, 124, 70), 1))
    w, h = view.canvas_now().size
    a, b = view.widget_point(0, 0), view.widget_point(w, h)
    for k in range(ceil((a.x() - zero.x()) / (step * per)), floor((b.x() - zero.x()) / (step * per)) + 1):
        x = zero.x() + k * step * per
        painter.drawLine(QPointF(x, a.y()), QPointF(x, b.y()))
    for k in range(ceil((a.y() - zero.y()) / (step * per)), floor((b.y() - zero.y()) / (step * per)) + 1):
        y = zero.y() + k * step * per
        painter.drawLine(QPointF(a.x(), y), QPointF(b.x(), y))


def _guides(view: SheetView, painter: QPainter) -> None:
    entry = view.session.entry
    if entry is None or view.canvas_now().kind == "scan":
        return
    painter.setPen(QPen(QColor(theme.LIGHT.weld), 1))
    for upright, place in entry.guides:
        here = on_canvas(view, place, upright)
        p = view.widget_point(here, here)
        if upright:
            painter.drawLine(QPointF(p.x(), 0), QPointF(p.x(), view.height()))
        else:
            painter.drawLine(QPointF(0, p.y()), QPointF(view.width(), p.y()))


class DragGuide(Gesture):
    """Pull a guide out of a ruler, or move one; dropped on the ruler again it is gone."""

    def hit(self, at: QPointF) -> bool:
        session, entry = self.view.session, self.view.session.entry
        self.index = -1
        if entry is None or entry.sheet is None or not session.guides_shown or self.view.canvas_now().kind == "scan":
            return False
        if session.rulers and (at.x() < THICK) != (at.y() < THICK):
            self.upright = at.x() < THICK
            return True
        for i, (upright, place) in enumerate(entry.guides):
            here = on_canvas(self.view, place, upright)
            p = self.view.widget_point(here, here)
            if abs((p.x() - at.x()) if upright else (p.y() - at.y())) <= GRAB_PX:
                self.index, self.upright = i, upright
                return True
        return False

    def press(self, at: QPointF) -> None:
        entry = self.view.session.entry
        assert entry is not None
        self.before = entry.guides
        if self.index < 0:
            entry.guides = (*entry.guides, (self.upright, 0.0))
            self.index = len(entry.guides) - 1
        self.move(at)

    def move(self, at: QPointF) -> None:
        entry = self.view.session.entry
        assert entry is not None
        x, y = self.view.sheet_point(at)
        here = self._snapped(x if self.upright else y)
        place = here - (on_canvas(self.view, 0.0, self.upright))
        guides = list(entry.guides)
        guides[self.index] = (self.upright, place)
        entry.guides = tuple(guides)
        self.view.update()

    def _snapped(self, value: float) -> float:
        """A whole tick of the ruler when it is near."""
        unit = unit_px(self.view.session)
        start = origin(self.view)[0 if self.upright else 1]
        small = step_of(_scale(self.view)) / 10 * unit
        tick = start + round((value - start) / small) * small
        return tick if abs(tick - value) * self.view.viewport_.zoom <= 4 else value

    def release(self, at: QPointF) -> None:
        entry = self.view.session.entry
        if entry is not None and (at.x() if self.upright else at.y()) < THICK:
            entry.guides = tuple(g for i, g in enumerate(entry.guides) if i != self.index)
            self.view.update()

    def cancel(self) -> None:
        entry = self.view.session.entry
        if entry is not None:
            entry.guides = self.before
            self.view.update()
