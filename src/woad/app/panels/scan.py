"""Scan: what came in, how large it is, and what it is taken for."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QLabel

from woad.app.panels.base import StepPanel
from woad.app.readings import cast_text, size_text, trouble
from woad.app.session import Entry, Session
from woad.core.docket.media import MEDIUM_NAMES
from woad.core.docket.model import MEDIA, Docket

_KINDS = {"png": "PNG", "jpeg": "JPEG", "tiff": "TIFF", "webp": "WebP", "heic": "HEIC"}


class ScanPanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "scan", "Scan", "The sheet as it came from the scanner or phone. It is never changed.", False
        )
        self.medium = QComboBox(self)
        self.medium.setAccessibleName(self.tr("Medium"))
        for medium in MEDIA:
            self.medium.addItem(self.tr(MEDIUM_NAMES[medium]), medium)
        self.medium.activated.connect(lambda: session.change_medium(self.medium.currentData()))
        self.add_named(self.tr("Medium"), self.medium)
        self.why = QLabel("", self)
        self.why.setWordWrap(True)
        self.why.setProperty("role", "quiet")
        self.body.addWidget(self.why)
        self.add_section(self.tr("Readings"))
        self.file = self.add_reading(self.tr("File"))
        self.pixels = self.add_reading(self.tr("Pixels"))
        self.mm = self.add_reading(self.tr("Size"))
        self.ppi = self.add_reading(self.tr("Resolution"))
        self.kind = self.add_reading(self.tr("Format"))
        self.add_section(self.tr("Paper on the scan"))
        self.paper = self.add_reading(self.tr("R G B"))
        self.cast = self.add_reading(self.tr("Cast"))
        self.light = self.add_reading(self.tr("Light, brightest to darkest"))
        self.burnt = self.add_reading(self.tr("Burnt out to white"))
        self.trouble = QLabel("", self)
        self.trouble.setWordWrap(True)
        self.body.addWidget(self.trouble)

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        sheet, r = entry.sheet, entry.sheet.readings
        header = sheet.original.header
        self.medium.setCurrentIndex(MEDIA.index(docket.medium))
        self.why.setText(self.tr("Proposed: {0} ({1}).").format(MEDIUM_NAMES[r.medium], r.medium_why))
        name = sheet.original.name
        self.file.show_text(name if len(name) < 30 else name[:13] + "…" + name[-14:])
        pixels, _, mm = size_text(entry).partition(" · ")
        self.pixels.show_text(pixels)
        self.mm.show_text(mm or self.tr("unknown"))
        self.ppi.show_text(f"{sheet.ppi:.0f} ppi" if sheet.ppi else self.tr("not in the file"))
        profile = self.tr(", profile") if header.profile else ""
        self.kind.show_text(f"{_KINDS[header.kind]}, {header.bits} bit{profile}")
        self.paper.show_text(" ".join(str(v) for v in r.paper_rgb))
        self.cast.show_text(cast_text(r.paper_rgb))
        self.light.show_text(f"{r.unevenness:.2f} : 1")
        self.burnt.show_text(f"{r.clipped_share:.1%}")
        self.trouble.setText(trouble(entry, "scan"))
