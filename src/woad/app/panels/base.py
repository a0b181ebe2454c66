"""What every step panel shares: title, sentence, switch, rows bound to settings."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from woad.app import theme
from woad.app.entry import Entry
from woad.app.session import Session
from woad.app.widgets.controls import ReadingLine, Switch, hairline
from woad.app.widgets.setting_row import SettingRow
from woad.core.docket.catalogue import setting
from woad.core.docket.model import Docket

# A row's value in force and the sheet's own, from the docket and the entry.
Values = Callable[[Docket, Entry], tuple[float, float]]


class StepPanel(QWidget):
    """A panel refreshes itself from the session; subclasses fill :attr:`body` and :meth:`show_entry`."""

    def __init__(self, session: Session, step: str, title: str, sentence: str, switch: bool) -> None:
        super().__init__()
        self.session, self.step = session, step
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 12, 16, 12)
        outer.setSpacing(8)
        head = QHBoxLayout()
        name = QLabel(title, self)
        name.setProperty("role", "title")
        head.addWidget(name)
        head.addStretch(1)
        self.switch: Switch | None = None
        if switch:
            self.switch = Switch(self.tr("{0} on").format(title), self)
            self.switch.setToolTip(self.tr("Turn this step on or off"))
            self.switch.clicked.connect(
                lambda on: session.change(f"{step}.on", on, self.tr("{0} on or off").format(title))
            )
            head.addWidget(self.switch)
        outer.addLayout(head)
        text = QLabel(sentence, self)
        text.setWordWrap(True)
        text.setProperty("role", "quiet")
        outer.addWidget(text)
        self.body = QVBoxLayout()
        self.body.setSpacing(8)
        outer.addLayout(self.body)
        outer.addStretch(1)
        self._rows: list[tuple[SettingRow, Values]] = []
        self._overlays: dict[str, QCheckBox] = {}
        self._figures: list[QLabel] = []
        self.tools: dict[str, QPushButton] = {}
        self._tool_icons: dict[str, str] = {}
        self._gestures: dict[str, int] = {}

    # -- building ----------------------------------------------------------------------------------------------

    def add_row(self, path: str, values: Values, into: QVBoxLayout | None = None) -> SettingRow:
        """A slider bound to the docket; one drag is one undo entry. ``into`` a fold's body instead of the panel."""
        row = SettingRow(setting(path), self)
        row.changed.connect(lambda value, finished: self.change(path, value, row.label.text(), finished))
        (into or self.body).addWidget(row)
        self._rows.append((row, values))
        return row

    def change(self, path: str, value: object, label: str, finished: bool) -> None:
        gesture = self._gestures.get(path)
        if gesture is None:
            gesture = self._gestures[path] = self.session.new_gesture()
        self.session.change(path, value, label, gesture)
        if finished:
            del self._gestures[path]

    def add_note(self, text: str = "") -> QLabel:
        """A quiet line of words, of several lines where it is long."""
        note = QLabel(text, self)
        note.setWordWrap(True)
        note.setProperty("role", "quiet")
        self.body.addWidget(note)
        return note

    def add_section(self, title: str) -> None:
        self.body.addSpacing(4)
        self.body.addWidget(hairline(self))
        label = QLabel(title, self)
        label.setProperty("role", "section")
        self.body.addWidget(label)

    def add_reading(self, name: str) -> ReadingLine:
        line = ReadingLine(name, self)
        self._figures.append(line.value)
        self.body.addWidget(line)
        return line

    def add_overlay(self, name: str, text: str, role: str, tip: str) -> tuple[QCheckBox, QLabel]:
        """A box that shows or hides an overlay, with its figure."""
        row = QHBoxLayout()
        box = QCheckBox(text, self)
        box.setProperty("role", role)
        box.setToolTip(tip)
        box.toggled.connect(lambda on: self.session.toggle_overlay(name, on))
        figure = QLabel("", self)
        figure.setProperty("role", "reading")
        row.addWidget(box)
        row.addStretch(1)
        row.addWidget(figure)
        self.body.addLayout(row)
        self._overlays[name] = box
        self._figures.append(figure)
        return box, figure

    def add_tools(
        self, tools: Sequence[tuple[str, str, str, str]], then: QWidget | None = None
    ) -> dict[str, QPushButton]:
        """By-hand tools, two a row: name, icon, text, tip; ``then`` what comes after them. Returns their buttons."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        for i, (name, icon, text, tip) in enumerate(tools):
            button = QPushButton(theme.icon(icon), text, self)
            button.setCheckable(True)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, n=name: self.session.take_tool(n))
            grid.addWidget(button, i // 2, i % 2)
            self.tools[name] = button
            self._tool_icons[name] = icon
        if then is not None:
            grid.addWidget(then, len(tools) // 2, len(tools) % 2)
        self.body.addLayout(grid)
        return self.tools

    def add_named(self, name: str, widget: QWidget, into: QVBoxLayout | None = None) -> QLabel:
        """A label in front of a control; returns the label."""
        row = QHBoxLayout()
        row.setSpacing(8)
        label = QLabel(name, self)
        label.setFixedWidth(84)
        label.setBuddy(widget)
        row.addWidget(label, 0, Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(widget, 1)
        (into or self.body).addLayout(row)
        return label

    # -- showing -----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        entry, docket = self.session.entry, self.session.docket
        ready = entry is not None and entry.sheet is not None and docket is not None
        self.setEnabled(ready)
        if not ready:
            for figure in self._figures:
                figure.setText("")  # they were another sheet's
            return
        assert entry is not None and docket is not None
        on = True
        if self.switch is not None:
            on = getattr(docket, self.step).on
            self.switch.setChecked(on)
        for row, values in self._rows:
            value, own = values(docket, entry)
            row.show_value(value, own)
            row.setEnabled(on)
        for name, box in self._overlays.items():
            box.blockSignals(True)
            box.setChecked(name in self.session.overlays)
            box.blockSignals(False)
        for name, icon in self._tool_icons.items():
            held = self.session.tool == name
            self.tools[name].setChecked(held)
            self.tools[name].setIcon(theme.icon(icon, "on_woad" if held else "text"))
            self.tools[name].setEnabled(on)
        self.show_entry(entry, docket)

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        """Subclasses show their readings here."""
