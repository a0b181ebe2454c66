"""The bottom line: readings under the pointer on the left, work in progress on the right."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from woad.core.render.region import Spot
from woad.core.units import px_to_mm


class StatusLine(QWidget):
    stop_asked = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("statusline")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(27)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(8)
        self.place, self.rgb = QLabel("", self), QLabel("", self)
        self.density, self.coverage = QLabel("", self), QLabel("", self)
        for label, width in ((self.place, 176), (self.rgb, 136), (self.density, 64), (self.coverage, 110)):
            label.setFixedWidth(width)
            row.addWidget(label)
        row.addStretch(1)
        self.work = QLabel("", self)
        self.work.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.bar = QProgressBar(self)
        self.bar.setFixedWidth(120)
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.stop = QPushButton(self.tr("Stop"), self)
        self.stop.setProperty("flat", "true")
        self.stop.clicked.connect(self.stop_asked)
        for widget in (self.work, self.bar, self.stop):
            row.addWidget(widget)
        self.show_work("", None, False)

    def show_spot(self, x: float, y: float, ppi: float | None, spot: Spot) -> None:
        """Readings at a scan pixel."""
        if ppi:
            self.place.setText(f"x {px_to_mm(x, ppi):.1f} mm   y {px_to_mm(y, ppi):.1f} mm")
        else:
            self.place.setText(f"x {x:.0f} px   y {y:.0f} px")
        self.rgb.setText("R {} G {} B {}".format(*spot.rgb))
        self.density.setText("" if spot.density is None else f"D {max(0.0, spot.density):.2f}")
        self.coverage.setText(
            "" if spot.coverage is None else self.tr("coverage {0} %").format(round(spot.coverage * 100))
        )

    def clear_spot(self) -> None:
        for label in (self.place, self.rgb, self.density, self.coverage):
            label.setText("")

    def show_work(self, text: str, share: float | None, can_stop: bool) -> None:
        """What is being done; ``share`` None hides the bar."""
        self.work.setText(text)
        self.bar.setVisible(share is not None)
        self.bar.setValue(round((share or 0) * 1000))
        self.stop.setVisible(can_stop)
