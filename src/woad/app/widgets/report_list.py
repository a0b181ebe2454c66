"""The scan report as a list: a mark for fine, mended or lost, what was measured, and its number."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QVBoxLayout, QWidget

from woad.app import theme
from woad.app.widgets.controls import PaintedButton
from woad.core.render.report import ScanReport

ROW_H = 23


class ReportRow(PaintedButton):
    """One measured point; pressed, it says more and shows where."""

    def __init__(self, name: str, reading: str, state: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.name, self.reading, self.state = name, reading, state
        self.setCheckable(True)
        self.setEnabled(state != "fine")
        self.setFixedHeight(ROW_H)
        words = {"fine": self.tr("fine"), "mends": self.tr("Woad mends it"), "lost": self.tr("needs a new scan")}
        self.setAccessibleName(f"{name}: {reading}, {words[state]}")
        if state != "fine":
            self.setToolTip(self.tr("{0}. Press to see where.").format(words[state]))

    def sizeHint(self) -> QSize:
        return QSize(240, ROW_H)

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        if self.isChecked():
            painter.fillRect(self.rect(), QColor(t.chrome))
        mark = QRectF(2.5, ROW_H / 2 - 4.5, 9, 9)
        colour = {"fine": QColor(t.hairline), "mends": QColor(t.weld), "lost": QColor(t.madder)}[self.state]
        painter.setPen(QPen(colour, 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush if self.state == "fine" else colour)
        painter.drawRect(mark)
        painter.setFont(theme.font(13, QFont.Weight.DemiBold if self.state == "lost" else QFont.Weight.Normal))
        painter.setPen(QColor(t.quiet if self.state == "fine" else t.text))
        painter.drawText(QRectF(20, 0, self.width() - 20, ROW_H), Qt.AlignmentFlag.AlignVCenter, self.name)
        painter.setPen(QColor(t.text))
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.drawText(QRectF(20, 0, self.width() - 20, ROW_H), right, self.reading)
        if self.hasFocus():
            painter.setPen(QPen(QColor(t.woad), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        painter.end()


class ReportList(QWidget):
    """All points; ``chosen`` carries a fault's code, or an empty text."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self.rows: dict[str, ReportRow] = {}
        self._shown: ScanReport | None = None

    def show_report(self, report: ScanReport | None, code: str) -> None:
        """Rebuild for another report; mark the fault that is pointed at."""
        if report is not self._shown:
            self._shown = report
            for row in self.rows.values():
                self._column.removeWidget(row)
                row.deleteLater()
            self.rows = {}
            for point in report.points if report is not None else ():
                fault = report.fault(point.code) if report is not None and point.code else None
                state = "fine" if fault is None else "mends" if fault.mendable else "lost"
                row = ReportRow(self.tr(point.name), point.reading, state, self)
                row.clicked.connect(lambda on, c=point.code: self.chosen.emit(c if on else ""))
                self._column.addWidget(row)
                self.rows[point.code or point.name] = row
        for key, row in self.rows.items():
            row.setChecked(bool(code) and key == code)
