"""Gestures on the view: start, press, move, release, cancel. Each ends in one change."""

from __future__ import annotations

from math import hypot
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF

if TYPE_CHECKING:
    from woad.app.view.sheet_view import SheetView


class Gesture:
    """One drag of the pointer on the view."""

    def __init__(self, view: SheetView) -> None:
        self.view = view

    def hit(self, at: QPointF) -> bool:
        """Whether a press here starts this gesture."""
        return True

    def press(self, at: QPointF) -> None:
        self.last = at

    def move(self, at: QPointF) -> None:
        raise NotImplementedError

    def release(self, at: QPointF) -> None:
        """The gesture is over; what it changed stands."""

    def cancel(self) -> None:
        """Take back what the gesture changed."""


class Changing(Gesture):
    """A drag that changes settings as it goes, all of them one change; ``label`` says what."""

    label = ""

    def begin_change(self) -> None:
        session = self.view.session
        self.before, self.gesture = session.docket, session.new_gesture()

    def cancel(self) -> None:
        if self.before is not None:
            self.view.session.put_on(self.before, self.label, self.gesture)


class DrawnPath(Gesture):
    """Draw a line or an outline; it is shown while it is drawn."""

    def press(self, at: QPointF) -> None:
        self.view.drawn = [at]

    def move(self, at: QPointF) -> None:
        last = self.view.drawn[-1]
        if hypot(at.x() - last.x(), at.y() - last.y()) >= 3:
            self.view.drawn.append(at)
            self.view.update()

    def cancel(self) -> None:
        self.view.drawn = []
        self.view.update()


class MoveView(Gesture):
    """Drag the sheet about."""

    def press(self, at: QPointF) -> None:
        self.last = self.start = at

    def move(self, at: QPointF) -> None:
        self.view.move_by(at.x() - self.last.x(), at.y() - self.last.y())
        self.last = at

    def cancel(self) -> None:
        self.view.move_by(self.start.x() - self.last.x(), self.start.y() - self.last.y())


class WipeEdge(Gesture):
    """Drag the edge between before and after."""

    def hit(self, at: QPointF) -> bool:
        session = self.view.session
        return session.wipe and session.step not in ("scan", "square") and abs(at.x() - self.view.wipe_x()) <= 7

    def press(self, at: QPointF) -> None:
        self.start = self.view.session.wipe_at

    def move(self, at: QPointF) -> None:
        self.view.session.look(wipe_at=min(max(at.x() / max(self.view.width(), 1), 0.0), 1.0))

    def cancel(self) -> None:
        self.view.session.look(wipe_at=self.start)


class Spotting(Gesture):
    """Drag a watch spot to another place."""

    def __init__(self, view: SheetView, which: int) -> None:
        super().__init__(view)
        self.which = which

    def hit(self, at: QPointF) -> bool:
        rects = self.view.spot_rects()
        if not rects:
            return False
        rect = rects[self.which]
        # The frame and its letter are the handle; a large frame's inside moves the view.
        handle = rect.adjusted(-4, -4, 22, 4)
        inside = rect.adjusted(8, 8, -8, -8)
        return handle.contains(at) and not (inside.width() > 24 and inside.contains(at))

    def press(self, at: QPointF) -> None:
        entry = self.view.session.entry
        assert entry is not None
        self.start = entry.spots[self.which]
        x, y = self.view.canvas_now().from_scan(*self.start)
        gx, gy = self.view.sheet_point(at)
        self.offset = (x - gx, y - gy)

    def move(self, at: QPointF) -> None:
        entry = self.view.session.entry
        if entry is None or entry.sheet is None:
            return
        x, y = self.view.sheet_point(at)
        canvas = self.view.canvas_now()
        w, h = canvas.size
        nx = min(max(x + self.offset[0], 0.0), w - 1.0)
        ny = min(max(y + self.offset[1], 0.0), h - 1.0)
        self.view.session.move_spot(self.which, *canvas.to_scan(nx, ny))

    def cancel(self) -> None:
        self.view.session.move_spot(self.which, *self.start)
