"""Gestures of Paper and Ink: clicking places, brushing."""

from __future__ import annotations

from math import hypot
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF

from woad.app import handwork
from woad.app.tools.gesture import Gesture

if TYPE_CHECKING:
    from woad.app.view.sheet_view import SheetView

PIN_PX = 8.0


def scan_place(view: SheetView, at: QPointF) -> tuple[float, float]:
    """A point of the view as shares of the scan."""
    entry = view.session.entry
    assert entry is not None and entry.sheet is not None
    x, y = view.canvas_now().to_scan(*view.sheet_point(at))
    w, h = entry.sheet.scan_size
    return x / w, y / h


def place_point(view: SheetView, place: tuple[float, float]) -> QPointF:
    """A place kept on the scan, in the view."""
    entry = view.session.entry
    assert entry is not None and entry.sheet is not None
    w, h = entry.sheet.scan_size
    return view.widget_point(*view.canvas_now().from_scan(place[0] * w, place[1] * h))


class ClickPlace(Gesture):
    """Click a place for what the tool in hand says it is; click its pin to take it away."""

    def hit(self, at: QPointF) -> bool:
        return self.view.session.tool in handwork.PLACE_TOOLS

    def press(self, at: QPointF) -> None:
        self.start = at

    def move(self, at: QPointF) -> None:
        """A place is where the press was."""

    def release(self, at: QPointF) -> None:
        session, docket = self.view.session, self.view.session.docket
        if docket is None:
            return
        tool = session.tool
        for index, place in enumerate(handwork.places_of(docket, tool)):
            pin = place_point(self.view, place)
            if hypot(pin.x() - self.start.x(), pin.y() - self.start.y()) <= PIN_PX:
                handwork.remove_place(session, tool, index)
                return
        handwork.click_place(session, tool, scan_place(self.view, self.start))


class BrushTouch(Gesture):
    """Brush over the sheet; the whole stroke is one change."""

    def hit(self, at: QPointF) -> bool:
        return self.view.session.tool in handwork.BRUSH_TOOLS

    def press(self, at: QPointF) -> None:
        session, docket = self.view.session, self.view.session.docket
        assert docket is not None
        self.tool, self.gesture = session.tool, session.new_gesture()
        self.before = handwork.touches_of(docket, self.tool)
        self.points = [scan_place(self.view, at)]
        self.last = at
        self._lay()

    def move(self, at: QPointF) -> None:
        self.view.brush_at = at
        self.view.update()
        # Points closer than that add nothing to a soft stroke.
        if hypot(at.x() - self.last.x(), at.y() - self.last.y()) < max(2.0, brush_px(self.view) / 5):
            return
        self.points.append(scan_place(self.view, at))
        self.last = at
        self._lay()

    def _lay(self) -> None:
        handwork.lay_touch(self.view.session, self.tool, self.before, self.points, self.gesture)

    def cancel(self) -> None:
        step = handwork.BRUSH_TOOLS[self.tool]
        self.view.session.change(f"{step}.touches", self.before, handwork.label_of(self.tool), self.gesture)


def brush_px(view: SheetView) -> float:
    """The brush's radius in the view, widget px."""
    entry = view.session.entry
    if entry is None or entry.sheet is None:
        return 10.0
    return view.session.brush * max(entry.sheet.scan_size) * view.viewport_.zoom / view.devicePixelRatioF()
