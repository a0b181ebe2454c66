"""The view: paints the newest frame, the wipe's edge and the watch spots; hands gestures to tools."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from woad.app import straywork, theme
from woad.app.handwork import BRUSH_TOOLS, reading_at
from woad.app.session import STEPS, Session
from woad.app.tools.gesture import Gesture, MoveView, Spotting, WipeEdge
from woad.app.tools.hand import BrushTouch, ChooseStray, CircleArea, ClickPlace, MoveArt, PickTone
from woad.app.tools.square import DragBowPoint, DragCorner, DrawBow, LevelLine, TrimFrame, TurnFrame
from woad.app.view.canvas import Canvas, canvas_of
from woad.app.view.cursors import cursor_for
from woad.app.view.frames import Frame, FrameRequest, Places, make_frame
from woad.app.view.geometry import Viewport
from woad.app.view.hand_layer import paint_hand
from woad.app.view.marks_layer import paint_frame, paint_name, paint_spots, paint_thumbnail, paint_wipe
from woad.app.view.overlays import overlays_of, rgb_of
from woad.app.view.rulers import DragGuide, paint_rulers
from woad.app.view.square_layer import paint_square
from woad.app.view.stray_layer import paint_strays
from woad.app.worker import Lane, Result
from woad.core.docket.model import Docket
from woad.core.render.places import PlaceReading
from woad.core.render.region import PLAIN

SPOT_PX = 48


class SheetView(QWidget):
    """Shows the chosen sheet as it leaves the chosen step."""

    zoom_changed = Signal(float)
    pointer_at = Signal(object)  # (x, y) in scan pixels, or None
    painted = Signal(object)  # the Frame that has just been painted for the first time

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.lane = Lane("view", self)
        self.viewport_ = Viewport(100, 100)
        self.frame: Frame | None = None
        self._fresh = False
        self._gesture: Gesture | None = None
        self._space = False
        self._fit = True
        self._shown: object = None
        self._under: Canvas | None = None
        self._under_entry: object = None
        self._kept_margin = 24
        self._last_places: Places | None = None
        self.instead: Docket | None = None
        self.drawn: list[QPointF] = []  # a line that is being drawn, widget coordinates
        self.held_bow: list[tuple[float, float]] = []  # the points of a bow that is being bent
        self.brush_at: QPointF | None = None
        self.copy_shift: QPointF | None = None  # from the brush to where copy over takes from
        self._pins: dict[object, PlaceReading | None] = {}
        self.magnified = -1  # the corner under the magnifier
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(self.tr("Sheet"))
        self.setMinimumSize(240, 200)
        session.sheet_changed.connect(self._other_sheet)
        session.stray_shown.connect(self._show_stray)
        for signal in (session.docket_changed, session.step_changed, session.view_changed):
            signal.connect(self._changed)

    # -- frames ------------------------------------------------------------------------------------------------

    def _other_sheet(self) -> None:
        entry = self.session.entry
        original = entry.original if entry is not None else None
        if original is not self._shown:  # another one, not the same one squared or measured
            self._shown = original
            self._fit = True
            self.frame = None
            self._under = None
        self._follow()
        self._under_entry = self.session.entry
        self._fit_now()
        self.refresh()

    def request(self) -> FrameRequest | None:
        """The frame the present state asks for."""
        session, entry, docket = self.session, self.session.entry, self.session.docket
        if entry is None or entry.sheet is None or docket is None:
            return None
        wipe = round(session.wipe_at * self.viewport_.w) if session.wipe and not session.before_held else None
        return FrameRequest(
            entry.sheet, self.shown_docket(docket), session.shown_step, self.viewport_, session.backing, session.bright,
            overlays_of(session), wipe, entry.cache, self._places(), session.picture,
        )  # fmt: skip

    def _places(self) -> Places | None:
        """Where the fault that is pointed at lies."""
        entry = self.session.entry
        fault = entry.report.fault(self.session.fault_shown) if entry is not None and entry.report is not None else None
        if fault is None or fault.where is None or self.session.step != "scan":
            return None
        if self._last_places is None or self._last_places.where is not fault.where:
            colour = theme.LIGHT.weld if fault.mendable else theme.LIGHT.madder
            self._last_places = Places(fault.where, rgb_of(colour))
        return self._last_places

    def refresh(self) -> None:
        """Ask for a new frame; the old one stays until it comes."""
        request = self.request()
        if request is None:
            self.lane.forget()
            self.frame = None
            self.update()
            return
        if self.frame is not None and self.frame.request == request:
            self.update()
            return
        self.lane.submit(lambda: make_frame(request), self._arrived)

    def _arrived(self, result: Result) -> None:
        if result.error is not None:
            self.session.message.emit(self.tr("The view could not be drawn. Nothing is lost; choose the step again."))
            return
        self.frame, self._fresh = result.value, True
        self.update()

    # -- zoom --------------------------------------------------------------------------------------------------

    def _ratio(self) -> float:
        return self.devicePixelRatioF()

    def _canvas(self) -> Canvas | None:
        entry, docket = self.session.entry, self.session.docket
        if entry is None or entry.sheet is None or docket is None:
            return None
        return canvas_of(entry.sheet, self.shown_docket(docket), self.session.shown_step)

    def canvas_now(self) -> Canvas:
        """What lies under the view; only while there is a sheet."""
        canvas = self._canvas()
        assert canvas is not None
        return canvas

    def shown_docket(self, docket: Docket) -> Docket:
        """The docket that is shown: a gesture may show the sheet without what it is changing."""
        return self.instead or docket

    def _sheet_size(self) -> tuple[int, int] | None:
        canvas = self._canvas()
        return None if canvas is None else canvas.size

    def _follow(self) -> None:
        """Another canvas (step, frame) lies under the view: stay on the same place of the drawing."""
        canvas, before = self._canvas(), self._under
        self._under = canvas
        if self._fit and canvas is not None and self._margin() != self._kept_margin:
            before = None
        self._kept_margin = self._margin()
        if canvas is None or canvas == before:
            return
        if self._fit:
            self._fit_now()
        elif before is not None and self._under_entry is self.session.entry:
            view = self.viewport_
            x, y = canvas.from_scan(*before.to_scan(view.cx, view.cy))
            self.viewport_ = Viewport(view.w, view.h, view.zoom, x, y).held(*canvas.size)
        self._under_entry = self.session.entry

    def _changed(self) -> None:
        self._follow()
        self.refresh()

    def _set_viewport(self, view: Viewport) -> None:
        size = self._sheet_size()
        if size is not None:
            view = view.held(*size)
        if view != self.viewport_:
            self.viewport_ = view
            self.zoom_changed.emit(view.zoom / self._ratio())
            self.refresh()
            self.update()

    def _fit_now(self) -> None:
        size = self._sheet_size()
        w, h = max(1, round(self.width() * self._ratio())), max(1, round(self.height() * self._ratio()))
        view = Viewport(w, h, self.viewport_.zoom, self.viewport_.cx, self.viewport_.cy)
        self._set_viewport(view.fitted(*size, self._margin()) if size is not None and self._fit else view)

    def _margin(self) -> int:
        """Room around the whole sheet: for rulers, and for the handle over the trim frame."""
        room = 24 + (22 if self.session.rulers else 0) + (12 if self.session.step == "square" else 0)
        return round(room * self._ratio())

    def fit(self) -> None:
        self._fit = True
        self._fit_now()

    def zoom_to(self, factor: float) -> None:
        """Show one scan pixel as ``factor`` display pixels, about the middle or the pointer if it is inside."""
        at = self.mapFromGlobal(self.cursor().pos())
        here = QPointF(at) if self.rect().contains(at) and self.underMouse() else QPointF(self.rect().center())
        self._fit = False
        self._set_viewport(self.viewport_.at_zoom(factor * self._ratio(), *self._device(here)))

    def zoom_by(self, factor: float, at: QPointF | None = None) -> None:
        self._fit = False
        where = at if at is not None else QPointF(self.rect().center())
        self._set_viewport(self.viewport_.zoomed(factor, *self._device(where)))

    def _show_stray(self) -> None:
        """Go to the stray that was chosen, near enough to see what it is."""
        item, entry = straywork.current(self.session), self.session.entry
        if item is None or entry is None or entry.sheet is None:
            return
        w, h = entry.sheet.scan_size
        x, y = self.canvas_now().from_scan(item.place[0] * w, item.place[1] * h)
        near = max(2.0, min(6.0, 75 / max(straywork.size_px(entry, item), 0.25)))
        self.look_at(x, y, near)

    def move_by(self, dx: float, dy: float) -> None:
        self._fit = False
        self._set_viewport(self.viewport_.moved(dx * self._ratio(), dy * self._ratio()))

    def look_at(self, x: float, y: float, zoom: float) -> None:
        """Centre a point of what is shown at a zoom."""
        self._fit = False
        view = self.viewport_
        self._set_viewport(Viewport(view.w, view.h, zoom * self._ratio(), x, y))

    def _device(self, point: QPointF) -> tuple[float, float]:
        return point.x() * self._ratio(), point.y() * self._ratio()

    def sheet_point(self, point: QPointF) -> tuple[float, float]:
        """Widget position to scan pixels."""
        return self.viewport_.to_sheet(*self._device(point))

    def widget_point(self, x: float, y: float) -> QPointF:
        vx, vy = self.viewport_.to_view(x, y)
        return QPointF(vx / self._ratio(), vy / self._ratio())

    # -- events ------------------------------------------------------------------------------------------------

    def resizeEvent(self, _event: QResizeEvent) -> None:
        self._fit_now()

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        if steps:
            self.zoom_by(1.25**steps, event.position())

    def _tool_at(self, event: QMouseEvent) -> Gesture | None:
        if event.button() == Qt.MouseButton.MiddleButton or (
            self._space and event.button() == Qt.MouseButton.LeftButton
        ):
            return MoveView(self)
        if event.button() != Qt.MouseButton.LeftButton:
            return None
        return self._gesture_for(event.position()) or MoveView(self)

    def _gesture_for(self, at: QPointF) -> Gesture | None:
        """The gesture a press here begins, apart from moving the view."""
        if self._canvas() is None:
            return None
        kinds = (
            WipeEdge, DragGuide, ClickPlace, PickTone, CircleArea, MoveArt, BrushTouch, ChooseStray, DragBowPoint, DrawBow,
            LevelLine, DragCorner, TurnFrame, TrimFrame,
        )  # fmt: skip
        gestures: list[Gesture] = [kind(self) for kind in kinds]
        if not self.session.tool:
            gestures += [Spotting(self, 0), Spotting(self, 1)]
        return next((gesture for gesture in gestures if gesture.hit(at)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._gesture is None:
            self._gesture = self._tool_at(event)
            if self._gesture is not None:
                self._gesture.press(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._gesture is not None:
            self._gesture.move(event.position())
        else:
            self._set_cursor(event.position())
            if self.session.tool in BRUSH_TOOLS:
                self.brush_at = event.position()
                self.update()
        size = self._sheet_size()
        x, y = self.sheet_point(event.position())
        self.pointer_at.emit((x, y) if size is not None and 0 <= x < size[0] and 0 <= y < size[1] else None)

    def _set_cursor(self, at: QPointF) -> None:
        self.setCursor(cursor_for(self._gesture_for(at)))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._gesture is not None:
            self._gesture.release(event.position())
            self._gesture = None

    def leaveEvent(self, _event: object) -> None:
        self.pointer_at.emit(None)
        self.brush_at = None
        self.update()

    def pin_reading(self, place: tuple[float, float]) -> PlaceReading | None:
        """What a pin reads on the present sheet; read once."""
        entry = self.session.entry
        key = (id(entry.sheet) if entry is not None else 0, place)
        if key not in self._pins:
            if len(self._pins) > 200:
                self._pins.clear()
            self._pins[key] = reading_at(self.session, place)
        return self._pins[key]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.isAutoRepeat():
            return
        if event.key() == Qt.Key.Key_Space:
            self._space = True
        elif event.key() == Qt.Key.Key_Escape and self._gesture is not None:
            self._gesture.cancel()
            self._gesture = None
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = False
        else:
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._space = False  # its release goes to another window
        super().focusOutEvent(event)

    # -- painting ----------------------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.current().surround))
        if self.frame is not None:
            paint_frame(painter, self.frame, self.viewport_, self._ratio())
            paint_square(self, painter)
            paint_strays(self, painter)
            paint_hand(self, painter)
            if not self.session.tool:
                paint_spots(self, painter)
            if self.session.wipe and not self.session.before_held and self.session.step not in PLAIN:
                paint_wipe(self, painter)
            elif self.session.shows_beside:
                paint_name(painter, dict(STEPS)[self.session.step], 12)
            paint_rulers(self, painter)
        elif self.session.entry is not None:
            paint_thumbnail(self, painter, self.session.entry.thumb)
        painter.end()
        if self._fresh:
            self._fresh = False
            self.painted.emit(self.frame)

    def spot_rects(self) -> list[QRectF]:
        """The watch spots' frames in widget coordinates."""
        entry = self.session.entry
        if entry is None or entry.sheet is None:
            return []
        reach = SPOT_PX * self._ratio() * (1 << self.session.spot_zoom)
        side = max(reach * self.viewport_.zoom / self._ratio(), 10.0)
        out = []
        canvas = self.canvas_now()
        for x, y in entry.spots:
            at = self.widget_point(*canvas.from_scan(x, y))
            out.append(QRectF(at.x() - side / 2, at.y() - side / 2, side, side))
        return out

    def wipe_x(self) -> float:
        """The wipe's edge in widget coordinates."""
        return self.session.wipe_at * self.width()
