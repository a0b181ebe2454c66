"""Spotting: dust, hairs and dots found, decided and mended."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton

from woad.app import straywork, theme
from woad.app.entry import Entry
from woad.app.panels.base import StepPanel
from woad.app.panels.brush import BrushRows
from woad.app.session import Session
from woad.app.widgets.controls import Choice
from woad.app.widgets.stray_list import StrayList
from woad.core.docket.model import Docket


class SpottingPanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session,
            "spotting",
            "Spotting",
            "Finds what is small and detached, takes dirt off and mends hairs on paint.",
            True,
        )
        self.strays = Choice(
            (("dirt", self.tr("Dirt")), ("small", self.tr("All small")), ("none", self.tr("None"))), self
        )
        self.strays.button("dirt").setToolTip(self.tr("What is judged to be dirt goes; stipple, dots and spatter stay"))
        self.strays.button("small").setToolTip(self.tr("Everything detached up to the size below goes"))
        self.strays.chosen.connect(lambda value: session.change("spotting.strays", value, self.tr("Strays")))
        self.add_named(self.tr("Take off"), self.strays)
        self.add_row("spotting.limit_mm", lambda d, e: (d.spotting.limit_mm, 1.2))
        self.hairs = self._box("hairs", self.tr("Mend hairs and dust on paint"))
        self.lines = self._box("lines", self.tr("Take streaks, folds and edge lines off"))
        self.add_section(self.tr("Strays"))
        self.rings, self.ring_count = self.add_overlay(
            "strays", self.tr("Rings"), "madder", self.tr("A ring around every stray, the same size at any zoom (S)")
        )
        self.list = StrayList(session, self)
        self.body.addWidget(self.list)
        self._buttons()
        self.add_section(self.tr("By hand"))
        self.add_tools((
            ("mend", "paintbrush", self.tr("Mend"), self.tr("Brush over a spot: it is filled from its surroundings (I)")),
            ("copy", "copy-plus", self.tr("Copy over"), self.tr("Click where to take from, then brush over a spot")),
            ("clear-area", "circle-dashed", self.tr("Clear an area"), self.tr("Circle an area: everything in it goes (Q)")),
            ("strays-go", "circle-x", self.tr("Strays go"), self.tr("Circle an area: all strays in it go")),
            ("strays-stay", "circle-check", self.tr("Strays stay"), self.tr("Circle an area: all small things in it stay")),
        ))  # fmt: skip
        self.brush = BrushRows(session, "spotting", self)
        self.body.addWidget(self.brush)

    def _box(self, name: str, text: str) -> QCheckBox:
        box = QCheckBox(text, self)
        box.clicked.connect(lambda on: self.session.change(f"spotting.{name}", on, text))
        self.body.addWidget(box)
        return box

    def _buttons(self) -> None:
        session = self.session
        self.like = QCheckBox(self.tr("All of its kind and about its size"), self)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.back = QPushButton(theme.icon("chevron-left"), "", self)
        self.back.setAccessibleName(self.tr("Previous stray"))
        self.back.setToolTip(self.tr("Previous stray (Shift+N)"))
        self.back.clicked.connect(lambda: straywork.step(session, -1))
        self.next = QPushButton(theme.icon("chevron-right"), "", self)
        self.next.setAccessibleName(self.tr("Next stray"))
        self.next.setToolTip(self.tr("Next stray (N)"))
        self.next.clicked.connect(lambda: straywork.step(session, 1))
        self.remove = QPushButton(self.tr("Remove"), self)
        self.remove.setToolTip(self.tr("Remove this one (Delete)"))
        self.remove.clicked.connect(lambda: straywork.decide(session, True, self.like.isChecked()))
        self.keep = QPushButton(self.tr("Keep"), self)
        self.keep.setToolTip(self.tr("Keep this one (Insert)"))
        self.keep.clicked.connect(lambda: straywork.decide(session, False, self.like.isChecked()))
        for button in (self.back, self.next):
            button.setFixedWidth(34)
            row.addWidget(button)
        row.addWidget(self.remove, 1)
        row.addWidget(self.keep, 1)
        self.body.addLayout(row)
        self.body.addWidget(self.like, 0, Qt.AlignmentFlag.AlignLeft)

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        on = docket.spotting.on
        self.strays.show_value(docket.spotting.strays)
        self.strays.setEnabled(on)
        for name, box in (("hairs", self.hairs), ("lines", self.lines)):
            box.setChecked(getattr(docket.spotting, name))
            box.setEnabled(on)
        items = straywork.items_of(entry)
        known = entry.sheet is not None and entry.sheet.strays is not None
        self.ring_count.setText(self.count_text(items) if known else self.tr("looking…"))
        self.list.show_items(items)
        chosen = straywork.current(self.session)
        for button in (self.remove, self.keep, self.like):
            button.setEnabled(on and chosen is not None)
        for button in (self.back, self.next):
            button.setEnabled(on and len(items) > 0)
        self.brush.refresh()

    def count_text(self, items: straywork.Items) -> str:
        """How many go and how many doubtful ones stay."""
        going = int(items.goes.sum())
        staying = len(items) - going
        text = self.tr("{0} go").format(f"{going:,}".replace(",", " "))
        return text + (self.tr(" · {0} stay").format(staying) if staying else "")
