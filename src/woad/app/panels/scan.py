"""Scan: is the scan good enough, what is the sheet, and how large is it?"""

from __future__ import annotations

from math import nan

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QWidget

from woad.app.entry import Entry
from woad.app.panels.base import StepPanel
from woad.app.readings import cast_text, sizes_text, sure_text
from woad.app.session import Session
from woad.app.widgets.controls import Choice
from woad.app.widgets.report_list import ReportList
from woad.core.docket.catalogue import setting
from woad.core.docket.media import MEDIUM_NAMES
from woad.core.docket.model import MEDIA, Docket

_KINDS = {
    "png": "PNG", "jpeg": "JPEG", "tiff": "TIFF", "webp": "WebP", "heic": "HEIC", "pdf": "PDF", "jp2": "JPEG 2000",
    "bmp": "BMP", "gif": "GIF", "avif": "AVIF", "pnm": "PNM",
}  # fmt: skip


class NumberField(QLineEdit):
    """An optional number with its unit beside it."""

    def __init__(self, path: str, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setting, self.session = setting(path), session
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFixedWidth(56)
        self.setAccessibleName(self.setting.label)
        self.setToolTip(self.setting.says)
        self.editingFinished.connect(self._typed)

    def _typed(self) -> None:
        if not self.isModified():
            return
        self.setModified(False)
        text = self.text().strip().replace(",", ".").removesuffix(self.setting.unit).strip()
        own = self.setting
        try:
            value = float(text) if text else None
        except ValueError:
            value = nan
        if value is None or own.low <= value <= own.high:
            self.session.change(own.path, value, own.label)
        else:
            says = self.tr("{0} must be a number from {1:g} to {2:g} {3}. Nothing was changed.")
            self.session.refused.emit(says.format(own.label, own.low, own.high, own.unit))
        self.session.view_changed.emit()

    def show_value(self, value: float | None) -> None:
        if not self.isModified():
            self.setText("" if value is None else f"{value:g}")


class ScanPanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "scan", "Scan", "The sheet as it came from the scanner or phone. It is never changed.", False
        )
        self.labels: dict[Choice, QLabel] = {}
        self.medium = QComboBox(self)
        self.medium.setAccessibleName(self.tr("Medium"))
        for medium in MEDIA:
            self.medium.addItem(self.tr(MEDIUM_NAMES[medium]), medium)
        self.medium.activated.connect(lambda: session.change_medium(self.medium.currentData()))
        self.add_named(self.tr("Medium"), self.medium)
        self.why = self.add_note()
        self.ppi = NumberField("scan.ppi", session, self)
        self.ppi_note = QLabel("", self)
        self._field(self.tr("Resolution"), self.ppi, self.ppi_note)
        self.print_size = NumberField("scan.print_mm", session, self)
        self._field(self.tr("Print side"), self.print_size, QLabel(self.tr("mm, the longer"), self))
        self.sizes = QLabel("", self)
        self.sizes.setProperty("role", "quiet")
        self.body.addWidget(self.sizes)
        self.add_section(self.tr("Is the scan good enough?"))
        self.verdict = QLabel("", self)
        self.verdict.setWordWrap(True)
        self.body.addWidget(self.verdict)
        self.points = ReportList(self)
        self.points.chosen.connect(lambda code: session.look(fault_shown=code))
        self.body.addWidget(self.points)
        self.sharpening = self._taken_back("scan.unsharpen", self.tr("Sharpening"))
        self.sharpening.setToolTip(self.tr("What the scanner or phone sharpened of its own; the file stays as it is"))
        self.rims = self._taken_back("scan.align", self.tr("Colour rims"))
        self.rims.setToolTip(
            self.tr("Red and blue that the scanner or lens laid beside green; the file stays as it is")
        )
        self.add_section(self.tr("File"))
        self.file = self.add_reading(self.tr("Name"))
        self.kind = self.add_reading(self.tr("Format"))
        self.paper = self.add_reading(self.tr("Paper on the scan"))
        self.cast = self.add_reading(self.tr("Cast"))

    def _taken_back(self, setting: str, name: str) -> Choice:
        """Whether something that the scanner did is taken back; shown where it did it."""
        choice = Choice(((True, self.tr("Taken back")), (False, self.tr("Kept"))), self)
        choice.chosen.connect(lambda value: self.session.change(setting, value, name))
        self.labels[choice] = self.add_named(name, choice)
        return choice

    def _field(self, name: str, field: NumberField, note: QLabel) -> None:
        row = QHBoxLayout()
        row.setSpacing(8)
        label = QLabel(name, self)
        label.setFixedWidth(84)
        label.setBuddy(field)
        note.setProperty("role", "quiet")
        for widget in (label, field, note):
            row.addWidget(widget)
        row.addStretch(1)
        self.body.addLayout(row)

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        sheet, r = entry.sheet, entry.sheet.readings
        header = sheet.original.header
        self.medium.setCurrentIndex(MEDIA.index(docket.medium))
        sure = sure_text(r.medium_sure)
        self.why.setText(self.tr("Proposed: {0}, {1} ({2}).").format(MEDIUM_NAMES[r.medium], sure, r.medium_why))
        self.ppi.show_value(docket.scan.ppi if docket.scan.ppi is not None else sheet.original.ppi)
        if docket.scan.ppi is not None:
            self.ppi_note.setText(self.tr("ppi, set here"))
        elif sheet.original.ppi is not None:
            self.ppi_note.setText(self.tr("ppi, from file"))
        else:
            self.ppi_note.setText(self.tr("ppi, not in file"))
        self.print_size.show_value(docket.scan.print_mm)
        self.sizes.setText(sizes_text(entry))
        report = entry.report
        self.points.show_report(report, self.session.fault_shown)
        self.verdict.setText(self._verdict(entry))
        own = sheet.found.own
        for choice, was, value in (
            (self.sharpening, own.sharpening, docket.scan.unsharpen),
            (self.rims, own.register, docket.scan.align),
        ):
            for widget in (choice, self.labels[choice]):
                widget.setVisible(was is not None)
            choice.show_value(value)
        name = sheet.original.name
        self.file.show_text(name if len(name) < 30 else name[:13] + "…" + name[-14:])
        profile = self.tr(", profile") if header.profile else ""
        self.kind.show_text(f"{_KINDS[header.kind]}, {header.bits} bit{profile}")
        self.paper.show_text(" ".join(str(v) for v in r.seen_paper_rgb))
        self.cast.show_text(cast_text(r.seen_paper_rgb))

    def _verdict(self, entry: Entry) -> str:
        """The sentence of the fault that is pointed at, else of the scan as a whole."""
        report = entry.report
        if report is None:
            return self.tr("Looking…")
        shown = report.fault(self.session.fault_shown)
        if shown is not None:
            return shown.says
        lost = sum(1 for fault in report.faults if not fault.mendable)
        if lost:
            return self.tr("No: {0}").format(next(f.says for f in report.faults if not f.mendable))
        if report.faults:
            return self.tr("Yes. Woad mends what is marked.")
        return self.tr("Yes. Nothing is wrong with it.")
