"""The main window: puts the parts together and gives the actions their meaning."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QBuffer, QEvent, QIODevice, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication, QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from woad.app import actions, theme
from woad.app.bench import BenchBar
from woad.app.dialogs import about_dialog, keys_dialog
from woad.app.jobs import Checker, Opener, Source, Writer
from woad.app.message import MessageBar
from woad.app.panels.base import StepPanel
from woad.app.panels.editions import EditionsPanel
from woad.app.panels.ink import InkPanel
from woad.app.panels.knockout import KnockoutPanel
from woad.app.panels.paper import PaperPanel
from woad.app.panels.scan import ScanPanel
from woad.app.pile import Pile
from woad.app.session import Session
from woad.app.statusline import StatusLine
from woad.app.view.sheet_view import SheetView
from woad.app.viewbar import ViewBar
from woad.app.welcome import Welcome
from woad.app.worker import Lane, Result
from woad.core.render.region import Spot, read_spot

FILTER = "Images (*.png *.jpg *.jpeg *.tif *.tiff *.webp *.heic *.heif);;All files (*)"


class MainWindow(QMainWindow):
    session: Session
    view: SheetView

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Woad")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.session = Session(self)
        self.opener, self.checker, self.writer = Opener(self.session), Checker(self.session), Writer(self.session)
        self.spot_lane = Lane("spot", self)
        self._build()
        self.actions_ = actions.build(self)
        self._connect()
        QGuiApplication.styleHints().colorSchemeChanged.connect(self._desktop_changed)
        self._refresh_all()
        self.view.setFocus()

    # -- building ----------------------------------------------------------------------------------------------

    def _build(self) -> None:
        session = self.session
        self.bench, self.pile, self.view = BenchBar(session), Pile(session), SheetView(session)
        self.viewbar, self.status, self.messages = ViewBar(session), StatusLine(), MessageBar()
        self.welcome = Welcome()
        self.editions = EditionsPanel(session)
        self.panels: dict[str, StepPanel] = {
            "scan": ScanPanel(session), "paper": PaperPanel(session), "ink": InkPanel(session),
            "knockout": KnockoutPanel(session), "editions": self.editions,
        }  # fmt: skip
        self.panel_stack = QStackedWidget()
        self.panel_stack.setObjectName("panel")
        self.panel_stack.setFixedWidth(304)
        for panel in self.panels.values():
            scroll = QScrollArea()
            scroll.setWidgetResizable(True)
            scroll.setFrameShape(QScrollArea.Shape.NoFrame)
            scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            scroll.setWidget(panel)
            self.panel_stack.addWidget(scroll)
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (self.viewbar, self.messages):
            column.addWidget(widget)
        column.addWidget(self.view, 1)
        middle = QWidget()
        row = QHBoxLayout(middle)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.pile)
        row.addWidget(centre, 1)
        row.addWidget(self.panel_stack)
        self.desk = QWidget()
        desk = QVBoxLayout(self.desk)
        desk.setContentsMargins(0, 0, 0, 0)
        desk.setSpacing(0)
        for part, stretch in ((self.bench, 0), (middle, 1), (self.status, 0)):
            desk.addWidget(part, stretch)
        self.empty_note = MessageBar()
        empty = QWidget()
        empty_column = QVBoxLayout(empty)
        empty_column.setContentsMargins(0, 0, 0, 0)
        empty_column.setSpacing(0)
        empty_column.addWidget(self.empty_note)
        empty_column.addWidget(self.welcome, 1)
        self.stack = QStackedWidget()
        self.stack.addWidget(empty)
        self.stack.addWidget(self.desk)
        self.setCentralWidget(self.stack)
        self.file_name = QLabel("")
        self.file_name.setProperty("role", "quiet")
        self.file_name.setContentsMargins(0, 5, 14, 0)
        self.file_name.setFixedWidth(320)
        self.file_name.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.menuBar().setCornerWidget(self.file_name)

    def _connect(self) -> None:
        session = self.session
        self.welcome.open_asked.connect(self.open_dialog)
        self.welcome.demo_asked.connect(self.open_demo)
        self.editions.write_asked.connect(self.write)
        self.status.stop_asked.connect(self.writer.stop)
        self.writer.progress.connect(
            lambda name, share: self.status.show_work(self.tr("Writing {0}").format(name), share, True)
        )
        self.writer.idle.connect(self._writing_over)
        self.view.zoom_changed.connect(self.viewbar.show_zoom)
        self.view.pointer_at.connect(self._pointer)
        session.message.connect(self._say)
        for signal in (session.pile_changed, session.sheet_changed, session.docket_changed, session.step_changed,
                       session.checks_changed, session.view_changed):  # fmt: skip
            signal.connect(self._refresh_all)

    # -- showing -----------------------------------------------------------------------------------------------

    def _say(self, says: str) -> None:
        (self.messages if self.session.entries else self.empty_note).show_message(says)

    def _refresh_all(self) -> None:
        session, entry = self.session, self.session.entry
        self.stack.setCurrentIndex(1 if session.entries else 0)
        names = list(self.panels)
        self.panel_stack.setCurrentIndex(names.index(session.step))
        self.panels[session.step].refresh()
        self.file_name.setText(entry.name if entry is not None else "")
        self.setWindowTitle(f"{entry.name} – Woad" if entry is not None else "Woad")
        history = entry.history if entry is not None else None
        for name, label, text in (
            ("undo", history.undo_label if history else None, self.tr("Undo")),
            ("redo", history.redo_label if history else None, self.tr("Redo")),
        ):
            self.actions_[name].setEnabled(label is not None)
            self.actions_[name].setText(f"{text}: {label}" if label else text)
        for name, on in (("wipe", session.wipe), ("lost", "lost" in session.overlays), ("kept", "kept" in session.overlays),
                         ("pile", not self.pile.isHidden()), ("full-screen", self.isFullScreen())):  # fmt: skip
            self.actions_[name].setChecked(on)
        ready = entry is not None and entry.sheet is not None and entry.sheet.settled
        for name in ("write", "write-all", "remove-sheet"):
            self.actions_[name].setEnabled(ready)
        if entry is not None and self.writer.under_way == 0:
            waiting = sum(1 for e in session.entries if e.sheet is None or not e.sheet.settled)
            self.status.show_work(self.tr("Opening {0}").format(waiting) if waiting else "", None, False)

    def _pointer(self, at: tuple[float, float] | None) -> None:
        entry, docket = self.session.entry, self.session.docket
        if at is None or entry is None or entry.sheet is None or docket is None:
            self.status.clear_spot()
            return
        sheet, step, cache = entry.sheet, self.session.shown_step, entry.cache
        # Read at the level that is shown: the figures then belong to what the eye sees.
        frame = self.view.frame
        level = 0
        if frame is not None:
            level = min(max(round(-_log2(frame.view.zoom * sheet.scale)), 0), sheet.pyramid.deepest)
        px = sheet.scale * (1 << level)
        h, w = sheet.pyramid.levels[level].shape[:2]
        x, y = min(int(at[0] / px), w - 1), min(int(at[1] / px), h - 1)

        def arrived(result: Result) -> None:
            if isinstance(result.value, Spot):
                self.status.show_spot(at[0], at[1], sheet.ppi, result.value)

        self.spot_lane.submit(lambda: read_spot(sheet, docket, step, level, x, y, cache), arrived)

    # -- what actions do ---------------------------------------------------------------------------------------

    def open_dialog(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, self.tr("Open sheets"), "", FILTER)
        self.open_files([Path(name) for name in names])

    def open_files(self, sources: Sequence[Source]) -> None:
        self.opener.open(list(sources))

    def open_demo(self) -> None:
        from woad.demo.job import demo_files

        self.open_files(demo_files())

    def paste(self) -> None:
        data = QGuiApplication.clipboard().mimeData()
        files = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()] if data.hasUrls() else []
        if files:
            self.open_files(files)
            return
        image = QGuiApplication.clipboard().image()
        if image.isNull():
            self._say(self.tr("There is no picture on the clipboard. Nothing was changed; copy one and paste again."))
            return
        buffer = QBuffer()
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")  # type: ignore[call-overload]
        count = sum(1 for entry in self.session.entries if entry.name.startswith("pasted"))
        self.open_files([(f"pasted-{count + 1}.png", bytes(buffer.data().data()))])

    def write(self, everything: bool) -> None:
        editions = self.editions.editions()
        entries = self.session.entries if everything else [e for e in (self.session.entry,) if e is not None]
        if not editions or not entries:
            self._say(self.tr("No edition is ticked, so nothing was written. Tick one in the Editions step."))
            return
        self.status.show_work(self.tr("Writing"), 0.0, True)
        self.writer.write(list(entries), editions, self.session.folder, self.editions.overwrite.isChecked())

    def _writing_over(self) -> None:
        self.status.show_work("", None, False)
        self._refresh_all()

    def toggle_wipe(self) -> None:
        self.session.look(wipe=not self.session.wipe)

    def toggle_overlay(self, name: str) -> None:
        self.session.toggle_overlay(name, name not in self.session.overlays)

    def zoom_spots(self, by: int) -> None:
        self.session.look(spot_zoom=min(max(self.session.spot_zoom + by, 0), 4))

    def toggle_pile(self) -> None:
        self.pile.setVisible(self.pile.isHidden())
        self._refresh_all()

    def toggle_full_screen(self) -> None:
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)

    def remove_sheet(self) -> None:
        entry = self.session.entry
        if entry is not None:
            self.session.entries.remove(entry)
            self.session.at = min(self.session.at, len(self.session.entries) - 1)
            self.session.pile_changed.emit()
            self.session.sheet_changed.emit()

    def set_theme(self, wish: str) -> None:
        theme.apply(wish)
        for widget in self.findChildren(QWidget):
            widget.update()
        self.editions.folder.setIcon(theme.icon("folder-open"))
        self.editions.write.setIcon(theme.icon("download", "on_woad"))

    def _desktop_changed(self) -> None:
        app = QGuiApplication.instance()
        if app is not None and app.property("woad-wish") == "system":
            self.set_theme("system")

    def show_keys(self) -> None:
        self._show(keys_dialog(self, actions.key_table(self.actions_)))

    def show_about(self) -> None:
        self._show(about_dialog(self))

    def _show(self, dialog: QDialog) -> None:
        # Shown beside the work, never in its way.
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.setModal(False)
        dialog.show()

    # -- events ------------------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() or event.mimeData().hasImage():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        files = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            event.acceptProposedAction()
            self.open_files(files)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat() and not event.modifiers():
            self.session.look(before_held=True)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.session.look(before_held=False)
        else:
            super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        # Another window takes the keys: the release of B would never be heard.
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self.session.look(before_held=False)
        super().changeEvent(event)

    def lanes(self) -> list[Lane]:
        return [self.view.lane, self.bench.lane, self.pile.lane, self.opener.lane, self.checker.lane, self.writer.lane,
                self.spot_lane]  # fmt: skip

    def idle(self) -> bool:
        """Nothing is waiting or under way."""
        return not any(lane.busy for lane in self.lanes())

    def closeEvent(self, event: QCloseEvent) -> None:
        for lane in self.lanes():
            lane.close()
        event.accept()

    def when_shown(self, run: object) -> None:
        """Call ``run`` once the first paint is through."""
        QTimer.singleShot(0, run)  # type: ignore[call-overload]


def _log2(value: float) -> float:
    from math import log2

    return log2(max(value, 1e-9))
