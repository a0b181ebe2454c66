"""The tone plot: counts over density, paper and ink humps, three flags to drag, named zones."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from woad.app import theme
from woad.core.ink.curve import TonePoints
from woad.core.ink.density import PLOT_FROM_D

FROM_D, SHOWN_D = PLOT_FROM_D, 2.0
FLAGS = ("paper", "middle", "ink")
_LEFT, _RIGHT, _TOP, _BOTTOM = 10, 10, 28, 40


class TonePlot(QWidget):
    """Emits ``moved(flag, density or None, finished)``; a double click on a flag returns it to the sheet's own place."""

    moved = Signal(str, object, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.histogram: NDArray[np.int64] | None = None
        self.points = TonePoints(0.0, 0.3, 1.4)
        self.own = self.points
        self.noise = 0.03
        self._drag: str | None = None
        self.chosen = "ink"
        self.setMinimumHeight(158)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(self.tr("Tone plot"))
        self.setToolTip(
            self.tr("Drag the flags: which tones become bare paper, half covered, full ink. Double-click returns.")
        )

    def sizeHint(self) -> QSize:
        return QSize(272, 158)

    def show_tones(self, histogram: NDArray[np.int64], points: TonePoints, own: TonePoints, noise: float) -> None:
        self.histogram, self.points, self.own, self.noise = histogram, points, own, noise
        self.setAccessibleDescription(
            self.tr("paper {0:.2f}, middle {1:.2f}, ink {2:.2f}").format(points.paper, points.middle, points.ink)
        )
        self.update()

    # -- geometry ----------------------------------------------------------------------------------------------

    def x_of(self, density: float) -> float:
        return _LEFT + (density - FROM_D) / (SHOWN_D - FROM_D) * (self.width() - _LEFT - _RIGHT)

    def density_at(self, x: float) -> float:
        return FROM_D + (x - _LEFT) / max(self.width() - _LEFT - _RIGHT, 1) * (SHOWN_D - FROM_D)

    def flag_rects(self) -> dict[str, QRectF]:
        """Where the flags hang, kept from covering each other."""
        widths = {"paper": 42, "middle": 48, "ink": 30}
        out: dict[str, QRectF] = {}
        free = 0.0
        for name in FLAGS:
            x = self.x_of(getattr(self.points, name))
            left = max(x, free)
            out[name] = QRectF(left, 6, widths[name], 17)
            free = out[name].right() + 3
        limit = self.width() - 3.0
        for name in reversed(FLAGS):
            out[name].moveLeft(min(out[name].left(), limit - out[name].width()))
            limit = out[name].left() - 3
        return out

    def _flag_at(self, at: QPointF) -> str | None:
        for name, rect in self.flag_rects().items():
            if rect.adjusted(-1, -3, 1, 3).contains(at):
                return name
        near = min(FLAGS, key=lambda n: abs(self.x_of(getattr(self.points, n)) - at.x()))
        return near if abs(self.x_of(getattr(self.points, near)) - at.x()) <= 6 else None

    # -- gestures ----------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag = self._flag_at(event.position()) if event.button() == Qt.MouseButton.LeftButton else None
        if self._drag is not None:
            self.chosen = self._drag
            self._grip = event.position().x() - self.x_of(getattr(self.points, self._drag))
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._emit(self._drag, self.density_at(event.position().x() - self._grip), False)
        else:
            over = self._flag_at(event.position()) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._emit(self._drag, self.density_at(event.position().x() - self._grip), True)
            self._drag = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        name = self._flag_at(event.position())
        if name is not None:
            self.moved.emit(name, None, True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01}.get(Qt.Key(event.key()))
        if step is not None:
            self._emit(self.chosen, getattr(self.points, self.chosen) + step, True)
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            by = 1 if event.key() == Qt.Key.Key_Down else -1
            self.chosen = FLAGS[(FLAGS.index(self.chosen) + by) % 3]
            self.update()
        else:
            super().keyPressEvent(event)

    def _emit(self, name: str, density: float, finished: bool) -> None:
        p = self.points
        low = {"paper": 0.0, "middle": p.paper + 0.01, "ink": p.middle + 0.02}[name]
        high = {"paper": min(p.middle - 0.01, 1.5), "middle": p.ink - 0.02, "ink": 2.5}[name]
        self.moved.emit(name, round(min(max(density, low), high), 3), finished)

    # -- painting ----------------------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.field))
        painter.setPen(QPen(QColor(t.hairline), 1))
        painter.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))
        if self.histogram is not None:
            self._paint_humps(painter, self.histogram)
        self._paint_axis(painter)
        self._paint_flags(painter)
        painter.end()

    def _paint_humps(self, painter: QPainter, histogram: NDArray[np.int64]) -> None:
        t = theme.current()
        shown = histogram[: round((SHOWN_D - FROM_D) * 100)].astype(float)
        shown = np.convolve(np.pad(shown, 2, mode="edge"), np.ones(5) / 5, mode="valid")
        # Log counts from a millionth of the sheet up: both humps fit one picture.
        height = np.log10(shown + 1)
        top = max(float(height.max()), 1e-6)
        base = self.height() - _BOTTOM
        density = FROM_D + (np.arange(len(height)) + 0.5) / 100
        paper_end = max(self.noise * 1.2, self.points.paper)
        solid_from = self.points.middle + 0.6 * (self.points.ink - self.points.middle)
        painter.setPen(Qt.PenStyle.NoPen)
        parts = ((FROM_D, paper_end, t.weld), (paper_end, solid_from, t.plot_grey), (solid_from, SHOWN_D, t.woad))
        for low, high, colour in parts:
            inside = (density >= low - 0.01) & (density <= high)
            if not inside.any():
                continue
            points = [QPointF(self.x_of(d), base - h / top * (base - _TOP - 4)) for d, h in
                      zip(density[inside], height[inside], strict=True)]  # fmt: skip
            outline = [QPointF(points[0].x(), base), *points, QPointF(points[-1].x(), base)]
            painter.setBrush(QColor(colour))
            painter.drawPolygon(QPolygonF(outline))

    def _paint_axis(self, painter: QPainter) -> None:
        t = theme.current()
        base = self.height() - _BOTTOM
        painter.setPen(QPen(QColor(t.hairline), 1))
        painter.drawLine(QPointF(_LEFT, base + 0.5), QPointF(self.width() - _RIGHT, base + 0.5))
        painter.setFont(theme.font(12))
        p = self.points
        middle = (p.paper + p.ink) / 2
        zones = ((0.0, "paper", t.quiet), (middle, "half-tones", t.quiet), (p.ink, "solid", t.woad))
        free = 0.0
        for density, name, colour in zones:
            painter.setPen(QColor(colour))
            text = self.tr(name)
            width = painter.fontMetrics().horizontalAdvance(text)
            x = max(self.x_of(density) - (0 if density == 0 else width / 2), free)
            x = min(x, self.width() - 4 - width)
            painter.drawText(QRectF(x, base + 3, width + 2, 16), Qt.AlignmentFlag.AlignLeft, text)
            free = x + width + 6
        painter.setPen(QColor(t.quiet))
        painter.setFont(theme.font(11))
        for d in (0.0, 0.5, 1.0, 1.5, 2.0):
            box = QRectF(self.x_of(d) - (28 if d == 2 else 14), base + 20, 28, 14)
            align = Qt.AlignmentFlag.AlignRight if d == 2 else Qt.AlignmentFlag.AlignHCenter
            painter.drawText(box, align, f"{d:.1f}" if d else "D 0")

    def _paint_flags(self, painter: QPainter) -> None:
        t = theme.current()
        painter.setFont(theme.font(12, QFont.Weight.DemiBold))
        base = self.height() - _BOTTOM
        rects = self.flag_rects()
        for name in rects:
            x = round(self.x_of(getattr(self.points, name))) + 0.5
            own = round(self.x_of(getattr(self.own, name))) + 0.5
            if abs(own - x) > 1.5:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(t.weld))
                painter.drawPolygon(
                    QPolygonF([QPointF(own, base + 1), QPointF(own - 4, base + 6), QPointF(own + 4, base + 6)])
                )
            painter.setPen(QPen(QColor(t.text), 1))
            painter.drawLine(QPointF(x, 6), QPointF(x, base))
        # Flags after all lines: a line must not run through a name.
        for name, rect in rects.items():
            chosen = name == self.chosen and self.hasFocus()
            painter.setPen(QPen(QColor(t.woad if chosen else t.text), 1))
            painter.setBrush(QColor(t.field))
            flag = rect.adjusted(0.5, 0.5, -0.5, -0.5)
            painter.drawRect(flag)
            painter.drawText(flag, Qt.AlignmentFlag.AlignCenter, self.tr(name))
