"""Square: the sheet straight, trimmed and true to size."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton

from woad.app import theme
from woad.app.entry import Entry
from woad.app.panels.base import StepPanel
from woad.app.readings import corners_text, tilt_reading
from woad.app.session import Session
from woad.app.view.rulers import UNITS, unit_px
from woad.app.widgets.controls import Choice
from woad.core.docket.model import Docket
from woad.core.render.sheet import trim_of
from woad.core.render.squaring import corners_in_force, plane_of, tilt_in_force

_PROPORTIONS = (("auto", "By itself"), ("seen", "As seen"), ("a-size", "A size"), ("letter", "Letter"))
_BOX = ("Left", "Top", "Width", "Height")


class SquarePanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session,
            "square",
            "Square",
            "Turns, straightens and trims the sheet, all in one resampling of the scan.",
            True,
        )
        self._turns()
        self.straighten = self.add_row("square.straighten", self._tilt)
        self.corners = Choice(
            (("auto", self.tr("By itself")), ("hand", self.tr("By hand")), ("off", self.tr("Off"))), self
        )
        self.corners.chosen.connect(self._corners_chosen)
        self.add_named(self.tr("Corners"), self.corners)
        self.proportions = QComboBox(self)
        self.proportions.setAccessibleName(self.tr("Proportions"))
        for value, text in _PROPORTIONS:
            self.proportions.addItem(self.tr(text), value)
        self.proportions.activated.connect(
            lambda: session.change_square(self.tr("Proportions"), proportions=self.proportions.currentData())
        )
        self.add_named(self.tr("Proportions"), self.proportions)
        self.trim = Choice(
            (("sheet", self.tr("Sheet")), ("artwork", self.tr("Artwork")), ("off", self.tr("Nothing"))), self
        )
        self.trim.chosen.connect(lambda value: session.change_square(self.tr("Trim"), trim=value))
        self.add_named(self.tr("Trim to"), self.trim)
        self.margin = self.add_row("square.margin_mm", lambda d, e: (d.square.margin_mm, 5.0))
        self._numbers()
        self.tape = Choice(((True, self.tr("Taken off")), (False, self.tr("Kept"))), self)
        self.tape.chosen.connect(lambda value: session.change_square(self.tr("Tape"), tape=value))
        self.tape.setToolTip(self.tr("Strips of masking tape at the sheet's border are filled with its paper"))
        self.tape_label = self.add_named(self.tr("Tape"), self.tape)
        self.add_section(self.tr("By hand"))
        self._tools()
        self.add_section(self.tr("Check"))
        self.tilt = self.add_reading(self.tr("Tilt found"))
        self.found = self.add_reading(self.tr("Corners found"))
        self._aids()

    def _turns(self) -> None:
        row, session_ = QHBoxLayout(), self.session
        row.setSpacing(8)
        self.turn_buttons: dict[str, QPushButton] = {}
        for name, text, tip in (
            ("left", "", self.tr("A quarter turn anticlockwise")),
            ("right", "", self.tr("A quarter turn clockwise")),
            ("half", self.tr("Upside down"), self.tr("Half a turn")),
            ("mirror", self.tr("Mirror"), self.tr("Left becomes right")),
        ):
            button = QPushButton(text, self)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _=False, n=name: session_.turn(n))
            self.turn_buttons[name] = button
            row.addWidget(button, 0 if not text else 1)
        self.turn_buttons["mirror"].setCheckable(True)
        self.body.addLayout(row)

    def _numbers(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        self.numbers: list[QLineEdit] = []
        for i, name in enumerate(_BOX):
            label = QLabel(self.tr(name), self)
            label.setProperty("role", "quiet")
            field = QLineEdit(self)
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
            field.setAccessibleName(self.tr("Trim, {0}").format(self.tr(name)))
            field.setFixedWidth(64)
            field.editingFinished.connect(self._typed)
            grid.addWidget(label, i // 2, i % 2 * 2)
            grid.addWidget(field, i // 2, i % 2 * 2 + 1)
            self.numbers.append(field)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(2, 1)
        self.body.addLayout(grid)

    def _tools(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(8)
        self.tools: dict[str, QPushButton] = {}
        for name, text, tip in (
            ("level", self.tr("Level line"), self.tr("Draw along what should be level or upright (A)")),
            ("corners", self.tr("Corners"), self.tr("Drag the sheet's four corners on the scan (C)")),
            ("bow", self.tr("Bow"), self.tr("Draw along lettering that should be straight (O)")),
        ):
            button = QPushButton(theme.icon(_ICONS[name]), text, self)
            button.setCheckable(True)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, n=name: self.session.take_tool(n))
            self.tools[name] = button
            row.addWidget(button, 1)
        self.body.addLayout(row)
        self.hint = self.add_note()
        self.unbow = QPushButton(self.tr("Take the last bow away"), self)
        self.unbow.clicked.connect(self._unbow)
        self.body.addWidget(self.unbow)

    def _aids(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(12)
        self.aids: dict[str, QCheckBox] = {}
        for name, text in (
            ("rulers", self.tr("Rulers")),
            ("guides_shown", self.tr("Guides")),
            ("grid", self.tr("Grid")),
        ):
            box = QCheckBox(text, self)
            box.toggled.connect(lambda on, n=name: self.session.look(**{n: on}))
            self.aids[name] = box
            row.addWidget(box)
        row.addStretch(1)
        self.unit = QComboBox(self)
        self.unit.setAccessibleName(self.tr("Unit"))
        self.unit.addItems(list(UNITS))
        self.unit.setFixedWidth(62)
        self.unit.activated.connect(lambda: self.session.look(unit=self.unit.currentText()))
        row.addWidget(self.unit)
        self.body.addLayout(row)

    # -- acting ------------------------------------------------------------------------------------------------

    def _unbow(self) -> None:
        if self.session.docket is not None:
            self.session.change_square(self.tr("Bow"), bows=self.session.docket.square.bows[:-1])

    def _corners_chosen(self, value: object) -> None:
        if value == "hand":
            self.session.look(tool="corners")
            self.refresh()
        else:
            self.session.look(tool="")
            self.session.change_square(self.tr("Corners"), corners=value)

    def _typed(self) -> None:
        entry, docket = self.session.entry, self.session.docket
        if entry is None or entry.sheet is None or docket is None or not any(f.isModified() for f in self.numbers):
            return
        for field in self.numbers:
            field.setModified(False)
        try:
            values = [float(f.text().replace(",", ".")) for f in self.numbers]
        except ValueError:
            self.session.refused.emit(self.tr("The trim frame needs four numbers. Nothing was changed."))
            self.refresh()
            return
        unit = unit_px(self.session)
        w, h = (v * entry.sheet.scale for v in plane_of(docket, entry.sheet.scan, entry.sheet.found).plane)
        x, y, bw, bh = (v * unit for v in values)
        self.session.change_square(self.tr("Trim"), trim=(x / w, y / h, bw / w, bh / h))
        self.refresh()

    # -- showing -----------------------------------------------------------------------------------------------

    def _tilt(self, docket: Docket, entry: Entry) -> tuple[float, float]:
        assert entry.sheet is not None
        sheet = entry.sheet
        corners = corners_in_force(docket.square, sheet.scan, sheet.found)
        own = docket.square.model_copy(update={"straighten": None})
        return tilt_in_force(docket.square, corners, sheet.found), tilt_in_force(own, corners, sheet.found)

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        sheet, square, session = entry.sheet, docket.square, self.session
        self.turn_buttons["mirror"].setChecked(square.mirror)
        for name, icon in _TURN_ICONS.items():
            on = name == "mirror" and square.mirror
            self.turn_buttons[name].setIcon(theme.icon(icon, "on_woad" if on else "text"))
        by_hand = isinstance(square.corners, tuple) or session.tool == "corners"
        self.corners.show_value("hand" if by_hand else square.corners)
        self.proportions.setCurrentIndex([v for v, _ in _PROPORTIONS].index(square.proportions))
        self.proportions.setEnabled(square.on and corners_in_force(square, sheet.scan, sheet.found) is not None)
        self.trim.show_value("" if isinstance(square.trim, tuple) else square.trim)
        self.margin.setVisible(square.trim == "artwork")
        box = trim_of(sheet, docket, plane_of(docket, sheet.scan, sheet.found))
        unit = unit_px(self.session)
        for field, value in zip(self.numbers, box, strict=True):
            if not field.isModified():
                field.setText(f"{value / unit:.{2 if session.unit == 'in' and sheet.ppi else 1}f}")
        for name, button in self.tools.items():
            button.setChecked(session.tool == name)
            button.setIcon(theme.icon(_ICONS[name], "on_woad" if session.tool == name else "text"))
        self.hint.setText(_HINTS.get(session.tool, ""))
        self.hint.setVisible(bool(session.tool))
        self.tape.show_value(square.tape)
        for widget in (self.tape, self.tape_label):
            widget.setVisible(bool(sheet.found.tape))
        self.unbow.setVisible(bool(square.bows))
        self.tilt.show_text(tilt_reading(sheet))
        self.found.show_text(corners_text(sheet))
        for name, check in self.aids.items():
            check.blockSignals(True)
            check.setChecked(bool(getattr(session, name)))
            check.blockSignals(False)
        known = sheet.ppi is not None
        self.unit.setEnabled(known)
        self.unit.setToolTip(
            "" if known else self.tr("Say the scan's resolution in the Scan step to measure in mm or in")
        )
        self.unit.setCurrentText(session.unit if known else "px")


_TURN_ICONS = {"left": "rotate-ccw", "right": "rotate-cw", "mirror": "flip-horizontal-2"}
_ICONS = {"level": "ruler", "corners": "frame", "bow": "spline"}
_HINTS = {
    "level": "Draw a line along an edge that should be level or upright.",
    "corners": "Drag the four corners onto those of the sheet. Press Corners again to see it flat.",
    "bow": "Draw along the feet of the letters. Then drag single points onto the lettering; it is bent straight.",
}
