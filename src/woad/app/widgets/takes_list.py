"""The takes of a sheet: put on, renamed, forgotten, mixed."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from woad.app import takes
from woad.app.entry import Entry
from woad.app.session import Session
from woad.app.widgets.setting_row import MarkSlider


class TakesList(QWidget):
    """One line a take: its name (typed over to rename), a button to put it on, one to forget it; below, the mix."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.lines = QVBoxLayout()
        self.lines.setSpacing(4)
        column.addLayout(self.lines)
        self.keep = QPushButton(self.tr("Keep these settings as a take"), self)
        self.keep.clicked.connect(lambda: takes.keep(session))
        column.addWidget(self.keep)
        self.mixing = QWidget(self)
        row = QHBoxLayout(self.mixing)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        label = QLabel(self.tr("Mix in"), self.mixing)
        row.addWidget(label)
        self.which = QComboBox(self.mixing)
        self.which.setAccessibleName(self.tr("Take to mix in"))
        self.which.activated.connect(self._mixed)
        row.addWidget(self.which, 1)
        self.share = MarkSlider(self.mixing)
        self.share.setRange(0, 100)
        self.share.setAccessibleName(self.tr("Share of the take mixed in"))
        self.share.valueChanged.connect(self._slid)
        self.share.sliderReleased.connect(self._over)
        row.addWidget(self.share, 1)
        self.percent = QLabel("", self.mixing)
        self.percent.setProperty("role", "reading")
        self.percent.setFixedWidth(40)
        self.percent.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.percent)
        column.addWidget(self.mixing)
        self._shown: tuple[str, ...] | None = None
        self._gesture: int | None = None
        self.names: list[QLineEdit] = []
        self.buttons: list[QPushButton] = []

    def show_entry(self, entry: Entry) -> None:
        names = tuple(take.name for take in entry.takes)
        if names != self._shown:
            self._rebuild(names)
        on = takes.now_on(self.session)
        for i, button in enumerate(self.buttons):
            button.setChecked(i == on)
        self.mixing.setVisible(bool(names))
        mix = self.session.docket.mix if self.session.docket is not None else None
        for widget in (self.which, self.share):
            widget.blockSignals(True)
        index = names.index(mix.name) + 1 if mix is not None and mix.name in names else 0
        self.which.setCurrentIndex(index)
        if not self.share.isSliderDown():
            self.share.setValue(round(100 * mix.share) if mix is not None else 50)
        for widget in (self.which, self.share):
            widget.blockSignals(False)
        self.share.setEnabled(index > 0)
        self.percent.setText(f"{self.share.value()} %" if index > 0 else "")

    def _rebuild(self, names: tuple[str, ...]) -> None:
        self._shown = names
        while (item := self.lines.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.names, self.buttons = [], []
        for i, name in enumerate(names):
            self.lines.addWidget(self._line(i, name))
        self.which.clear()
        self.which.addItems([self.tr("nothing"), *names])

    def _line(self, i: int, name: str) -> QWidget:
        line = QWidget(self)
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        field = QLineEdit(name, line)
        field.setAccessibleName(self.tr("Name of {0}").format(name))
        field.editingFinished.connect(lambda: takes.rename(self.session, i, field.text()))
        on = QPushButton(self.tr("Put on"), line)
        on.setCheckable(True)
        on.setToolTip(self.tr("Work with this take's settings (T flips from take to take)"))
        on.clicked.connect(lambda: self._put_on(i))
        off = QPushButton(self.tr("Forget"), line)
        off.clicked.connect(lambda: takes.forget(self.session, i))
        row.addWidget(field, 1)
        row.addWidget(on)
        row.addWidget(off)
        self.names.append(field)
        self.buttons.append(on)
        return line

    def _put_on(self, index: int) -> None:
        takes.put_on(self.session, index)
        if self.session.entry is not None:
            self.show_entry(self.session.entry)

    def _mixed(self, index: int) -> None:
        takes.mix(self.session, index - 1 if index else None, self.share.value() / 100)

    def _slid(self) -> None:
        if self._gesture is None:
            self._gesture = self.session.new_gesture()
        index = self.which.currentIndex()
        if index > 0:
            takes.mix(self.session, index - 1, self.share.value() / 100, self._gesture)
        if not self.share.isSliderDown():
            self._gesture = None

    def _over(self) -> None:
        self._gesture = None
