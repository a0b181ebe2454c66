"""By-hand gestures on the sheet: clicking places and tones, brushing, circling areas, moving the art on a picture."""

from __future__ import annotations

from math import hypot
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPolygonF

from woad.app import handwork, straywork
from woad.app.tools.gesture import DrawnPath, Gesture

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


class PickTone(Gesture):
    """Click a tone that is to be removed."""

    def hit(self, at: QPointF) -> bool:
        return self.view.session.tool == "tone"

    def press(self, at: QPointF) -> None:
        self.start = at

    def move(self, at: QPointF) -> None:
        """A place is where the press was."""

    def release(self, at: QPointF) -> None:
        handwork.pick_tone(self.view.session, scan_place(self.view, self.start))


class ChooseStray(Gesture):
    """Click a ring to look at its stray."""

    def hit(self, at: QPointF) -> bool:
        session = self.view.session
        if session.step != "spotting" or session.tool or "strays" not in session.overlays:
            return False
        return self._under(at) >= 0

    def _under(self, at: QPointF) -> int:
        entry = self.view.session.entry
        assert entry is not None and entry.sheet is not None
        reach = 12.0 * self.view.devicePixelRatioF() / self.view.viewport_.zoom / entry.sheet.scan_size[0]
        return straywork.nearest(self.view.session, scan_place(self.view, at), reach)

    def press(self, at: QPointF) -> None:
        session = self.view.session
        session.look_at_stray(straywork.items_of(session.entry).items[self._under(at)].place)

    def move(self, at: QPointF) -> None:
        """A click only."""


class CircleArea(DrawnPath):
    """Draw an outline around an area."""

    def hit(self, at: QPointF) -> bool:
        return self.view.session.tool in handwork.AREA_TOOLS

    def press(self, at: QPointF) -> None:
        self.tool = self.view.session.tool
        super().press(at)

    def release(self, at: QPointF) -> None:
        outline, self.view.drawn = self.view.drawn, []
        self.view.update()
        if len(outline) < 3:
            return
        if not on_sheet(self.view, outline):
            handwork.refuse_beside(self.view.session)
        else:
            handwork.circle(self.view.session, self.tool, [scan_place(self.view, point) for point in outline])


class MoveArt(Gesture):
    """Drag the artwork about on the picture behind it; the picture stays where it is on the screen."""

    def hit(self, at: QPointF) -> bool:
        session = self.view.session
        return session.tool == "move-art" and session.backing == "picture" and session.picture is not None

    def press(self, at: QPointF) -> None:
        self.last = at
        self.before = self.view.session.picture

    def move(self, at: QPointF) -> None:
        session = self.view.session
        if session.picture is None:
            return
        dx, dy = at.x() - self.last.x(), at.y() - self.last.y()
        step = self.view.devicePixelRatioF() / self.view.viewport_.zoom
        self.last = at
        self.view.move_by(dx, dy)
        session.look(picture=session.picture.moved(-dx * step, -dy * step))

    def cancel(self) -> None:
        self.view.session.look(picture=self.before)


class BrushTouch(Gesture):
    """Brush over the sheet; the whole stroke is one change. What is mended is worked out once the stroke is drawn."""

    def hit(self, at: QPointF) -> bool:
        return self.view.session.tool in handwork.BRUSH_TOOLS

    def press(self, at: QPointF) -> None:
        session, docket = self.view.session, self.view.session.docket
        assert docket is not None
        self.choosing = session.tool == "copy" and session.copy_source is None
        if self.choosing:
            self.view.copy_shift = None
            session.look(copy_source=scan_place(self.view, at))
            return
        self.later = session.tool in ("mend", "copy")
        if session.tool == "copy" and session.copy_source is not None:
            self.view.copy_shift = place_point(self.view, session.copy_source) - at
        self.tool, self.gesture = session.tool, session.new_gesture()
        self.before = handwork.touches_of(docket, self.tool)
        self.points, self.way = [scan_place(self.view, at)], [at]
        if self.later:
            self.view.drawn = self.way
        self._lay()

    def move(self, at: QPointF) -> None:
        self.view.brush_at = at
        self.view.update()
        if self.choosing:
            return
        # Points closer than that add nothing to a soft stroke.
        last = self.way[-1]
        if hypot(at.x() - last.x(), at.y() - last.y()) < max(2.0, brush_px(self.view) / 5):
            return
        self.points.append(scan_place(self.view, at))
        self.way.append(at)
        self._lay()

    def _lay(self, over: bool = False) -> None:
        if (over or not self.later) and on_sheet(self.view, self.way, brush_px(self.view)):
            handwork.lay_touch(self.view.session, self.tool, self.before, self.points, self.gesture)

    def release(self, at: QPointF) -> None:
        if self.choosing:
            return
        self.view.drawn = []
        if not on_sheet(self.view, self.way, brush_px(self.view)):
            self.view.update()
            handwork.refuse_beside(self.view.session)
        elif self.later:
            self._lay(True)

    def cancel(self) -> None:
        if self.choosing:
            return
        self.view.drawn = []
        step = handwork.BRUSH_TOOLS[self.tool]
        self.view.session.change(f"{step}.touches", self.before, handwork.label_of(self.tool), self.gesture)


def on_sheet(view: SheetView, way: list[QPointF], reach: float = 0.0) -> bool:
    """Whether what is drawn along ``way``, widget px, comes as near as ``reach`` to the sheet that is shown."""
    w, h = view.canvas_now().size
    sheet = QRectF(view.widget_point(0, 0), view.widget_point(w, h))
    return QPolygonF(way).boundingRect().adjusted(-reach, -reach, reach, reach).intersects(sheet)


def brush_px(view: SheetView) -> float:
    """The brush's radius in the view, widget px."""
    entry = view.session.entry
    if entry is None or entry.sheet is None:
        return 10.0
    return (
        handwork.brush_of(view.session)[0] * max(entry.sheet.scan_size) * view.viewport_.zoom / view.devicePixelRatioF()
    )
