"""Gestures of the Square step: a level line, the sheet's corners, the trim frame and its turning, bows."""

from __future__ import annotations

from math import atan2, degrees, hypot
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF

from woad.app.tools.gesture import Changing, DrawnPath, Gesture
from woad.core.docket.model import Docket
from woad.core.docket.squaring import BowSettings
from woad.core.render.sheet import trim_of
from woad.core.render.squaring import corners_in_force, tilt_in_force

if TYPE_CHECKING:
    from woad.app.view.sheet_view import SheetView

XY = tuple[float, float]
GRAB_PX = 9.0
SNAP_PX = 6.0
TURN_AT = 26.0  # the turning handle stands this far over the frame, px
BOW_POINTS = 5


def corner_places(view: SheetView) -> list[XY]:
    """The sheet's corners on the scan, full-size px: those in force, found ones however unsure, or a plain inset."""
    entry, docket = view.session.entry, view.session.docket
    assert entry is not None and entry.sheet is not None and docket is not None
    sheet = entry.sheet
    points = corners_in_force(docket.square, sheet.scan, sheet.found)
    if points is None and sheet.found.corners:
        points = sheet.found.corners.points  # type: ignore[union-attr]
    if points is None:
        w, h = sheet.scan.width, sheet.scan.height
        points = np.array([[0.08 * w, 0.08 * h], [0.92 * w, 0.08 * h], [0.92 * w, 0.92 * h], [0.08 * w, 0.92 * h]])
    return [(float(x) * sheet.scale, float(y) * sheet.scale) for x, y in points]


def trim_rect(view: SheetView) -> QRectF:
    """The trim frame in widget coordinates."""
    entry, docket = view.session.entry, view.session.docket
    assert entry is not None and entry.sheet is not None and docket is not None
    x, y, w, h = trim_of(entry.sheet, docket, view.canvas_now().frame)
    a, b = view.widget_point(x, y), view.widget_point(x + w, y + h)
    return QRectF(a, b)


def bow_places(view: SheetView, docket: Docket, index: int, straight: bool) -> list[XY]:
    """A bow's points in full-size plane px: on the bent line, or where they lie once it is straight."""
    canvas = view.canvas_now()
    w, h = canvas.size
    points = [(x * w, y * h) for x, y in docket.square.bows[index].points]
    if not straight:
        return points
    (x0, y0), (x1, y1) = points[0], points[-1]
    along = hypot(x1 - x0, y1 - y0) or 1.0
    out = []
    for x, y in points:
        t = ((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / along**2
        out.append((x0 + t * (x1 - x0), y0 + t * (y1 - y0)))
    return out


class LevelLine(Gesture):
    """Draw a line along what should be level or upright; the sheet is turned so that it is."""

    label = "Level line"

    def hit(self, at: QPointF) -> bool:
        return self.view.session.tool == "level"

    def press(self, at: QPointF) -> None:
        self.start = self.end = at
        self.view.drawn = [at, at]

    def move(self, at: QPointF) -> None:
        self.end = at
        self.view.drawn = [self.start, at]
        self.view.update()

    def release(self, at: QPointF) -> None:
        self.end = at
        dx, dy = at.x() - self.start.x(), at.y() - self.start.y()
        self.view.drawn = []
        if hypot(dx, dy) < 12:
            self.view.update()
            return
        angle = degrees(atan2(dy, dx))
        off = (angle + 45) % 90 - 45
        now = tilt_now(self.view)
        self.view.session.change_square(self.label, None, straighten=round(now + off, 3))
        self.view.session.look(tool="")

    def cancel(self) -> None:
        self.view.drawn = []
        self.view.update()


def tilt_now(view: SheetView) -> float:
    """The tilt that is taken out at present, degrees."""
    entry, docket = view.session.entry, view.session.docket
    assert entry is not None and entry.sheet is not None and docket is not None
    sheet = entry.sheet
    return tilt_in_force(docket.square, corners_in_force(docket.square, sheet.scan, sheet.found), sheet.found)


class DragCorner(Changing):
    """Drag one of the sheet's corners on the scan; a magnifier shows where it is put."""

    label = "Corners"

    def hit(self, at: QPointF) -> bool:
        self.which = -1
        if self.view.session.tool != "corners":
            return False
        for i, (x, y) in enumerate(corner_places(self.view)):
            p = self.view.widget_point(x, y)
            if hypot(p.x() - at.x(), p.y() - at.y()) <= 1.6 * GRAB_PX:
                self.which = i
        return self.which >= 0

    def press(self, at: QPointF) -> None:
        self.points = corner_places(self.view)
        p = self.view.widget_point(*self.points[self.which])
        self.offset = p - at
        self.begin_change()
        self.view.magnified = self.which

    def move(self, at: QPointF) -> None:
        self.points[self.which] = self.view.sheet_point(at + self.offset)
        w, h = self.view.canvas_now().size
        shares = tuple((x / w, y / h) for x, y in self.points)
        self.view.session.change_square(self.label, self.gesture, corners=shares)
        self.view.update()

    def release(self, at: QPointF) -> None:
        self.view.magnified = -1
        self.view.update()

    def cancel(self) -> None:
        self.view.magnified = -1
        super().cancel()


class TrimFrame(Changing):
    """Drag an edge or a corner of the trim frame; edges catch on guides."""

    label = "Trim"

    def hit(self, at: QPointF) -> bool:
        self.part = ""
        session = self.view.session
        if session.step != "square" or session.tool or session.docket is None or not session.docket.square.on:
            return False
        rect = trim_rect(self.view)
        if not rect.adjusted(-GRAB_PX, -GRAB_PX, GRAB_PX, GRAB_PX).contains(at):
            return False
        for name, distance in (("l", at.x() - rect.left()), ("r", at.x() - rect.right()),
                               ("t", at.y() - rect.top()), ("b", at.y() - rect.bottom())):  # fmt: skip
            if abs(distance) <= GRAB_PX:
                self.part += name
        return bool(self.part)

    def press(self, at: QPointF) -> None:
        rect = trim_rect(self.view)
        self.box = [*self.view.sheet_point(rect.topLeft()), *self.view.sheet_point(rect.bottomRight())]
        self.grip = self.view.sheet_point(at)
        self.begin_change()

    def move(self, at: QPointF) -> None:
        x, y = self.view.sheet_point(at)
        dx, dy = x - self.grip[0], y - self.grip[1]
        w, h = self.view.canvas_now().size
        left, top, right, bottom = self.box
        least = 0.01
        if "l" in self.part:
            left = min(max(self._snapped(left + dx, True), 0.0), right - least * w)
        if "r" in self.part:
            right = max(min(self._snapped(right + dx, True), float(w)), left + least * w)
        if "t" in self.part:
            top = min(max(self._snapped(top + dy, False), 0.0), bottom - least * h)
        if "b" in self.part:
            bottom = max(min(self._snapped(bottom + dy, False), float(h)), top + least * h)
        trim = (left / w, top / h, (right - left) / w, (bottom - top) / h)
        self.view.session.change_square(self.label, self.gesture, trim=trim)

    def _snapped(self, value: float, upright: bool) -> float:
        """The value, or that of a guide near it."""
        entry, session = self.view.session.entry, self.view.session
        reach = SNAP_PX / max(self.view.viewport_.zoom, 1e-6)
        guides = entry.guides if entry is not None and session.guides_shown else ()
        near = [place for is_upright, place in guides if is_upright == upright and abs(place - value) <= reach]
        return near[0] if near else value


class TurnFrame(Changing):
    """Drag the handle over the frame: the frame is turned against the sheet, which is to say the sheet is straightened."""

    label = "Turn the frame"

    def hit(self, at: QPointF) -> bool:
        session = self.view.session
        if session.step != "square" or session.tool or session.docket is None or not session.docket.square.on:
            return False
        handle = turn_handle(self.view)
        return hypot(handle.x() - at.x(), handle.y() - at.y()) <= GRAB_PX + 2

    def press(self, at: QPointF) -> None:
        self.centre = trim_rect(self.view).center()
        self.first = self._angle(at)
        self.start = tilt_now(self.view)
        self.begin_change()

    def _angle(self, at: QPointF) -> float:
        return degrees(atan2(at.y() - self.centre.y(), at.x() - self.centre.x()))

    def move(self, at: QPointF) -> None:
        turned = (self._angle(at) - self.first + 180) % 360 - 180
        wanted = min(max(self.start + turned, -45.0), 45.0)
        self.view.session.change_square(self.label, self.gesture, straighten=round(wanted, 2))


def turn_handle(view: SheetView) -> QPointF:
    """Where the turning handle stands, inside the view."""
    rect = trim_rect(view)
    return QPointF(rect.center().x(), max(rect.top() - TURN_AT, 12.0))


class DrawBow(DrawnPath):
    """Draw along a line of lettering that should be straight."""

    label = "Bow"

    def hit(self, at: QPointF) -> bool:
        return self.view.session.tool == "bow"

    def release(self, at: QPointF) -> None:
        path = np.array([self.view.sheet_point(p) for p in [*self.view.drawn, at]])
        self.view.drawn = []
        session = self.view.session
        w, h = self.view.canvas_now().size
        points = along_path(path, BOW_POINTS)
        if points is None or session.docket is None:
            session.refused.emit(
                "The line is too short to bend straight. Nothing was changed; draw along the whole line."
            )
            self.view.update()
            return
        bow = BowSettings(points=tuple((float(x / w), float(y / h)) for x, y in points))
        session.change_square(self.label, None, bows=(*session.docket.square.bows, bow))


def along_path(path: np.ndarray, n: int) -> np.ndarray | None:
    """``n`` points at even steps along the chord of a hand-drawn path (N, 2), each the mean of what was drawn near it."""
    start, end = path[0], path[-1]
    chord = end - start
    length = float(np.hypot(*chord))
    if len(path) < 4 or length < 30:
        return None
    along = chord / length
    u = (path - start) @ along
    v = (path - start) @ np.array([-along[1], along[0]])
    out = []
    for t in np.linspace(0, length, n):
        weight = np.exp(-(((u - t) / (0.08 * length)) ** 2)) + 1e-9
        height = float(np.average(v, weights=weight))
        if t in (0.0, length):
            height = 0.0
        out.append(start + along * t + np.array([-along[1], along[0]]) * height)
    return np.array(out)


class DragBowPoint(Gesture):
    """Drag a point of a bow. While it is held the sheet is shown unbent, so that the point can be laid on the lettering."""

    label = "Bow"

    def hit(self, at: QPointF) -> bool:
        session, docket = self.view.session, self.view.session.docket
        if session.tool != "bow" or docket is None:
            return False
        for index in range(len(docket.square.bows) - 1, -1, -1):
            for i, (x, y) in enumerate(bow_places(self.view, docket, index, True)):
                p = self.view.widget_point(x, y)
                if hypot(p.x() - at.x(), p.y() - at.y()) <= GRAB_PX:
                    self.index, self.point = index, i
                    return True
        return False

    def press(self, at: QPointF) -> None:
        docket = self.view.session.docket
        assert docket is not None
        self.docket = docket
        self.places = bow_places(self.view, docket, self.index, False)
        self.start, self.grip = self.places[self.point], at
        self.view.instead = docket.with_setting("square.bows", docket.square.bows[: self.index])
        self.view.held_bow = list(self.places)
        self.view.refresh()

    def move(self, at: QPointF) -> None:
        zoom = self.view.viewport_.zoom / self.view.devicePixelRatioF()
        dx, dy = (at.x() - self.grip.x()) / zoom, (at.y() - self.grip.y()) / zoom
        self.places[self.point] = (self.start[0] + dx, self.start[1] + dy)
        self.view.held_bow = list(self.places)
        self.view.update()

    def release(self, at: QPointF) -> None:
        w, h = self.view.canvas_now().size
        self._end()
        points = tuple((x / w, y / h) for x, y in self.places)
        bows = list(self.docket.square.bows)
        data = bows[self.index].model_dump() | {"points": points}
        changed = [
            *(bow.model_dump() for bow in bows[: self.index]),
            data,
            *(b.model_dump() for b in bows[self.index + 1 :]),
        ]
        self.view.session.change_square(self.label, None, bows=changed)

    def _end(self) -> None:
        self.view.instead = None
        self.view.held_bow = []
        self.view.refresh()

    def cancel(self) -> None:
        self._end()
