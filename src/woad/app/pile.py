"""The pile: thumbnails of the job's sheets with their state."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetrics, QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from woad.app import theme
from woad.app.entry import Entry
from woad.app.session import Session
from woad.app.view.thumbnail import make_thumbnail
from woad.app.worker import Lane, Result

THUMB_PX = 108


class PileItem(QAbstractButton):
    """One sheet: its finished picture on the chosen backing, its name and state."""

    def __init__(self, entry: Entry, parent: QWidget) -> None:
        super().__init__(parent)
        self.entry = entry
        self.picture: np.ndarray | None = None
        self.lies: object = None  # the thumbnail and the backing that the picture was made of
        self.setCheckable(True)
        self.setFixedSize(124, THUMB_PX + 46)

    def sizeHint(self) -> QSize:
        return QSize(124, THUMB_PX + 46)

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = theme.current()
        painter = QPainter(self)
        frame = QRectF(1, 1, 121, THUMB_PX + 5)
        painter.fillRect(frame, QColor(t.surround))
        if self.picture is not None:
            data = self.picture
            ratio = self.devicePixelRatioF()
            image = QImage(data.data, data.shape[1], data.shape[0], data.strides[0], QImage.Format.Format_RGB32)
            w, h = data.shape[1] / ratio, data.shape[0] / ratio
            painter.drawImage(QRectF(frame.center().x() - w / 2, frame.center().y() - h / 2, w, h), image)
        chosen = self.isChecked()
        painter.setPen(QPen(QColor(t.woad if chosen or self.hasFocus() else t.hairline), 2 if chosen else 1))
        painter.drawRect(frame)
        painter.setFont(theme.font(13, QFont.Weight.DemiBold))
        painter.setPen(QColor(t.text))
        name = self.entry.name.rsplit(".", 1)[0].replace("-", " ")
        name = QFontMetrics(painter.font()).elidedText(name, Qt.TextElideMode.ElideRight, 120)
        painter.drawText(QRectF(0, THUMB_PX + 9, 121, 18), Qt.AlignmentFlag.AlignLeft, name)
        state = self.entry.state
        colour = {"ready": t.ready, "written": t.ready, "opening": t.quiet, "first look": t.quiet}.get(state, t.madder)
        painter.setFont(theme.font(12))
        painter.setPen(QColor(colour))
        painter.drawText(QRectF(0, THUMB_PX + 26, 121, 17), Qt.AlignmentFlag.AlignLeft, state)
        painter.end()


class Pile(QWidget):
    """The column of sheets."""

    drawn = Signal()  # a thumbnail is up to date

    def __init__(self, session: Session, behind: Lane, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("pile")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(148)
        self.session = session
        self.lane = Lane("thumbnails", self, queue=True, behind=behind)
        self.items: list[PileItem] = []
        self._chosen = -1
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 10, 2, 0)
        head = QHBoxLayout()
        title = QLabel(self.tr("Pile"), self)
        title.setProperty("role", "section")
        self.count = QLabel("", self)
        self.count.setProperty("role", "quiet")
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(self.count)
        head.addSpacing(12)
        outer.addLayout(head)
        scroll = self.sheets = QScrollArea(self)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(8)
        self.column.addStretch(1)
        scroll.setWidget(inner)
        outer.addWidget(scroll, 1)
        session.pile_changed.connect(self.refresh)
        session.docket_changed.connect(self.refresh)
        session.view_changed.connect(self.refresh)

    def refresh(self) -> None:
        entries = self.session.entries
        if [item.entry for item in self.items] != entries:
            self._rebuild(entries)
        if self._chosen != self.session.at and 0 <= self.session.at < len(self.items):
            self._chosen = self.session.at
            self.sheets.ensureWidgetVisible(self.items[self._chosen], 0, 12)
        self.count.setText(str(len(entries)) if entries else "")
        for index, item in enumerate(self.items):
            item.setChecked(index == self.session.at)
            item.setAccessibleName(f"{item.entry.name}, {item.entry.state}")
            item.update()
            self._ask(item)

    def _rebuild(self, entries: list[Entry]) -> None:
        for item in self.items:
            self.column.removeWidget(item)
            item.hide()
            item.deleteLater()
        self.items = []
        for index, entry in enumerate(entries):
            item = PileItem(entry, self)
            item.clicked.connect(lambda _=False, i=index: self.session.choose(i))
            self.column.insertWidget(index, item)
            self.items.append(item)

    def _ask(self, item: PileItem) -> None:
        """Show what there is on the backing, and have it drawn anew when the sheet or its settings have changed."""
        entry = item.entry
        self._lay(item)
        if entry.sheet is None or entry.history is None:
            return
        wish = entry.sheet, entry.history.docket
        if entry.thumb_wish == wish:
            return
        entry.thumb_wish = wish
        side, whole = round(THUMB_PX * self.devicePixelRatioF()), entry.whole

        def arrived(result: Result) -> None:
            if result.value is not None and entry.thumb_wish == wish:
                entry.thumb, entry.thumb_of = result.value, wish
                for one in self.items:
                    if one.entry is entry:
                        self._lay(one)
                self.drawn.emit()

        def work() -> object:
            # A drag leaves many thumbnails behind; only the newest is worth drawing.
            return make_thumbnail(*wish, side, whole) if entry.thumb_wish == wish else None

        self.lane.submit(work, arrived)

    def _lay(self, item: PileItem) -> None:
        """Lay a thumbnail on the chosen backing."""
        lies = item.entry.thumb, self.session.backing, self.session.bright
        if item.entry.thumb is not None and item.lies != lies:
            item.lies, item.picture = lies, item.entry.thumb.over(*lies[1:])
            item.update()
