"""Editions: what leaves the studio."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QHBoxLayout, QLabel, QPushButton

from woad.app import theme
from woad.app.entry import Entry
from woad.app.panels.base import StepPanel
from woad.app.readings import size_text
from woad.app.session import Session
from woad.core.docket.model import Docket
from woad.core.editions.edition import Edition


class EditionsPanel(StepPanel):
    write_asked = Signal(bool)  # all sheets?

    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "editions", "Editions", "The versions that leave the studio, at full size. The backing stays here.",
            False,
        )  # fmt: skip
        self.cutout, self.cutout_format = self._edition(self.tr("Cut-out"), (("PNG", "png"), ("TIFF", "tiff")))
        self.add_note(self.tr("Paper is see-through. JPEG is not offered: it has no transparency."))
        self.paper, self.paper_format = self._edition(
            self.tr("With paper"), (("PNG", "png"), ("JPEG", "jpeg"), ("TIFF", "tiff"))
        )
        self.on_white = self.tr("On clean white paper, for prints and covers.")
        self.on_black = self.tr("On even black paper, for prints and covers.")
        self.ground = self.add_note(self.on_white)
        self.darken, self.darken_format = self._edition(self.tr("Darkening"), (("PNG", "png"), ("TIFF", "tiff")))
        self.darken.setChecked(False)
        self.add_note(self.tr("Marks on white, to be multiplied over other things: white leaves them as they are."))
        self.add_section(self.tr("Where to"))
        self.folder = QPushButton("", self)
        self.folder.setIcon(theme.icon("folder-open"))
        self.folder.setAccessibleName(self.tr("Folder to write to"))
        self.folder.clicked.connect(self._choose_folder)
        self.body.addWidget(self.folder)
        self.overwrite = QCheckBox(self.tr("Replace files that are already there"), self)
        self.body.addWidget(self.overwrite)
        self.add_section(self.tr("Write"))
        self.pixels = self.add_reading(self.tr("Size"))
        self.write = QPushButton(theme.icon("download", "on_woad"), self.tr("Write this sheet"), self)
        self.write.setProperty("primary", "true")
        self.write.clicked.connect(lambda: self.write_asked.emit(False))
        self.write_all = QPushButton(self.tr("Write the whole pile"), self)
        self.write_all.clicked.connect(lambda: self.write_asked.emit(True))
        self.body.addWidget(self.write)
        self.body.addWidget(self.write_all)
        self.result = QLabel("", self)
        self.result.setWordWrap(True)
        self.body.addWidget(self.result)

    def _edition(self, name: str, formats: tuple[tuple[str, str], ...]) -> tuple[QCheckBox, QComboBox]:
        row = QHBoxLayout()
        box = QCheckBox(name, self)
        box.setChecked(True)
        box.toggled.connect(lambda _on: self.refresh())
        choice = QComboBox(self)
        choice.setAccessibleName(self.tr("Format of {0}").format(name))
        for label, value in formats:
            choice.addItem(label, value)
        row.addWidget(box)
        row.addStretch(1)
        row.addWidget(choice)
        self.body.addLayout(row)
        return box, choice

    def editions(self) -> tuple[Edition, ...]:
        """The editions that are ticked."""
        out: list[Edition] = []
        if self.cutout.isChecked():
            out.append(Edition("cutout", self.cutout_format.currentData()))
        if self.paper.isChecked():
            out.append(Edition("paper", self.paper_format.currentData()))
        if self.darken.isChecked():
            out.append(Edition("darken", self.darken_format.currentData()))
        return tuple(out)

    def _choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, self.tr("Folder for editions"), str(self.session.folder.parent))
        if chosen:
            self.session.folder, self.session.folder_chosen = Path(chosen), True
            self.refresh()

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        text = str(self.session.folder)
        self.folder.setText(text if len(text) < 34 else "…" + text[-33:])
        self.folder.setToolTip(text)
        self.pixels.show_text(size_text(entry).split(" · ")[0])
        dark = entry.sheet is not None and entry.sheet.readings.negative
        self.ground.setText(self.on_black if dark else self.on_white)
        settled = entry.sheet is not None and entry.sheet.settled
        ready = settled and bool(self.editions())
        self.write.setEnabled(ready)
        self.write_all.setEnabled(ready and len(self.session.entries) > 1)
        self.result.setText("\n".join(self.tr("Written: {0}").format(path.name) for path in entry.written))
