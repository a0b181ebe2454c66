"""The choice of drop-out colours: none, found by itself, or one or two picked ones, shown as chips."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QWidget

from woad.app import handwork, theme
from woad.app.entry import Entry
from woad.app.session import Session
from woad.app.widgets.controls import Choice, PaintedButton
from woad.core.docket.model import Docket
from woad.core.estimate import NoEstimate
from woad.core.render.recipe import dropped


class _Chip(PaintedButton):
    """A colour; a press takes it away."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.colour = QColor()
        self.setFixedSize(22, 22)

    def sizeHint(self) -> QSize:
        return QSize(22, 22)

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        painter.setPen(QPen(QColor(t.woad if self.hasFocus() else t.quiet), 1))
        painter.setBrush(self.colour)
        painter.drawRect(QRectF(1.5, 1.5, 18, 18))
        painter.end()


class DropOutChoice(QWidget):
    """Off or by itself; picked colours take the place of both."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.choice = Choice((("off", self.tr("Off")), ("auto", self.tr("By itself"))), self)
        self.choice.chosen.connect(lambda v: session.change("ink.drop_out", v, self.tr("Drop-out colour")))
        row.addWidget(self.choice, 1)
        self.chips = [_Chip(self), _Chip(self)]
        for i, chip in enumerate(self.chips):
            chip.clicked.connect(lambda _=False, n=i: handwork.drop_colour(session, n))
            row.addWidget(chip)

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        readings, wish = entry.sheet.readings, docket.ink.drop_out
        picked = wish if isinstance(wish, tuple) else ()
        self.choice.show_value("" if picked else wish)
        found = "" if not isinstance(readings.pencils, NoEstimate) else readings.pencils.reason
        self.choice.button("auto").setToolTip(found or self.tr("Drops the pale colours that were found beside the ink"))
        colours = list(picked)
        if wish == "auto":
            colours = [_shown(colour) for colour in dropped(docket, readings)]
        for i, chip in enumerate(self.chips):
            chip.setVisible(i < len(colours))
            if i < len(colours):
                chip.colour = QColor(*colours[i])
                chip.setEnabled(bool(picked))
                text = self.tr("Colour {0} {1} {2}").format(*colours[i])
                chip.setAccessibleName(text)
                chip.setToolTip(f"{text}; {self.tr('press to keep it again')}" if picked else text)
                chip.update()
        self.setEnabled(docket.ink.on)


def _shown(colour: tuple[float, float, float]) -> tuple[int, int, int]:
    import numpy as np

    from woad.core.raster.transfer import srgb_encode

    r, g, b = np.rint(srgb_encode(np.array(colour, np.float32)) * 255).astype(int).tolist()
    return r, g, b
