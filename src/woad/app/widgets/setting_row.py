"""A setting: label, slider with a mark at the sheet's own reading, editable number with unit."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QSlider, QWidget

from woad.app import theme
from woad.core.docket.catalogue import Setting


class MarkSlider(QSlider):
    """A slider with a weld mark where the sheet's own reading put it; a double click returns there."""

    returned = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.mark: float | None = None  # 0..1 along the track
        self.setMinimumWidth(96)

    def sizeHint(self) -> QSize:
        return QSize(110, 24)

    def _share(self) -> float:
        span = max(self.maximum() - self.minimum(), 1)
        return (self.value() - self.minimum()) / span

    def _x_of(self, share: float) -> float:
        return 5 + share * (self.width() - 10)

    def _set_from(self, x: float) -> None:
        share = min(max((x - 5) / max(self.width() - 10, 1), 0.0), 1.0)
        self.setValue(round(self.minimum() + share * (self.maximum() - self.minimum())))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.setFocus()
            self.setSliderDown(True)
            self._set_from(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.isSliderDown():
            self._set_from(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.setSliderDown(False)

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self.setSliderDown(False)
        self.returned.emit()

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() / 2
        x = self._x_of(self._share())
        painter.fillRect(
            QRectF(5, middle - 1, self.width() - 10, 2), QColor(t.hairline if self.isEnabled() else t.chrome)
        )
        if self.isEnabled():
            painter.fillRect(QRectF(5, middle - 1, x - 5, 2), QColor(t.woad))
        if self.mark is not None:
            mx = self._x_of(self.mark)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.weld))
            top = middle + 6
            painter.drawPolygon(QPolygonF([QPointF(mx, top), QPointF(mx - 4, top + 5), QPointF(mx + 4, top + 5)]))
        painter.setPen(QPen(QColor(t.woad if self.isEnabled() else t.quiet), 1.5 if not self.hasFocus() else 2.5))
        painter.setBrush(QColor(t.field))
        painter.drawRect(QRectF(x - 4, middle - 7, 8, 14))
        painter.end()


class SettingRow(QWidget):
    """Emits ``changed(value, finished)``: the stored value (None: back to the sheet's own) and whether a drag ended."""

    changed = Signal(object, bool)

    def __init__(self, setting: Setting, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setting = setting
        self._loading = False
        steps = round((setting.high - setting.low) / setting.step)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(7)
        self.label = QLabel(self.tr(setting.label), self)
        self.label.setFixedWidth(82)
        self.slider = MarkSlider(self)
        self.slider.setRange(0, steps)
        self.slider.setPageStep(max(1, steps // 20))
        self.slider.setAccessibleName(self.label.text())
        self.number = QLineEdit(self)
        self.number.setFixedWidth(46)
        self.number.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.number.setAccessibleName(self.tr("{0}, number").format(self.label.text()))
        unit = self.unit = QLabel(setting.unit, self)
        unit.setProperty("role", "quiet")
        unit.setFixedWidth(24)
        self.setToolTip(self.tr(setting.says))
        for widget in (self.label, self.slider, self.number, unit):
            row.addWidget(widget)
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(lambda: self.changed.emit(self.value(), True))
        self.slider.returned.connect(lambda: self.changed.emit(None, True))
        self.number.editingFinished.connect(self._typed)

    def value(self) -> float:
        return self.setting.low + self.slider.value() * self.setting.step

    def show_value(self, value: float, own: float | None) -> None:
        """Show a value; ``own`` is where this sheet's reading (or the medium) puts it."""
        self._loading = True
        span = self.setting.high - self.setting.low
        self.slider.mark = None if own is None else min(max((own - self.setting.low) / span, 0.0), 1.0)
        self.slider.setValue(round((value - self.setting.low) / self.setting.step))
        if not self.number.hasFocus() or not self.number.isModified():
            self.number.setText(self._text(value))
        self.slider.update()
        self._loading = False

    def _text(self, value: float) -> str:
        shown = value * self.setting.shown_factor
        return (
            f"{shown:.0f}"
            if self.setting.unit == "%"
            else f"{shown:.2f}"
            if self.setting.step >= 0.01
            else f"{shown:.3f}"
        )

    def _slid(self) -> None:
        if not self._loading:
            self.number.setText(self._text(self.value()))
            self.changed.emit(self.value(), not self.slider.isSliderDown())

    def _typed(self) -> None:
        if not self.number.isModified():
            return
        self.number.setModified(False)
        try:
            value = float(self.number.text().replace(",", ".").rstrip("%D ")) / self.setting.shown_factor
        except ValueError:
            self.number.setText(self._text(self.value()))
            return
        self.changed.emit(min(max(value, self.setting.low), self.setting.high), True)
