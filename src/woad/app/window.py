"""The main window: puts the parts together and gives the actions their meaning."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QMimeData, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication, QKeyEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QLabel,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from woad.app import actions, theme
from woad.app.dialogs import about_dialog, keys_dialog, show_beside
from woad.app.message import MessageBar
from woad.app.welcome import Welcome

if TYPE_CHECKING:
    from woad.app.desk import Desk
    from woad.app.entry import Source
    from woad.app.session import Session
    from woad.app.view.sheet_view import SheetView


class MainWindow(QMainWindow):
    """Opens as an empty place to drop sheets; the desk is built behind it right after its first paint."""

    desk: Desk
    session: Session
    view: SheetView
    _ready = False  # events come in before the constructor is through

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Woad")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self._build_shell()
        self.actions_ = actions.build(self)
        self.welcome.open_asked.connect(self.open_dialog)
        self.welcome.demo_asked.connect(self.open_demo)
        QGuiApplication.styleHints().colorSchemeChanged.connect(self._desktop_changed)
        self.welcome.first_painted.connect(self.complete)

    # -- building ----------------------------------------------------------------------------------------------

    def _build_shell(self) -> None:
        self.welcome, self.empty_note = Welcome(), MessageBar()
        empty, column = QWidget(), QVBoxLayout()
        empty.setLayout(column)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.empty_note)
        column.addWidget(self.welcome, 1)
        self.stack = QStackedWidget()
        self.stack.addWidget(empty)
        self.setCentralWidget(self.stack)
        self.file_name = QLabel("")
        self.file_name.setProperty("role", "quiet")
        self.file_name.setContentsMargins(0, 5, 14, 0)
        self.file_name.setFixedWidth(320)
        self.file_name.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.menuBar().setCornerWidget(self.file_name)

    def complete(self) -> None:
        """Build the desk, once. Everything that needs it calls this first."""
        if self._ready:
            return
        from woad.app.desk import Desk

        self._ready = True
        self.desk = desk = Desk(self.stack)
        self.session, self.bench, self.pile, self.view = desk.session, desk.bench, desk.pile, desk.view
        self.viewbar, self.status, self.messages = desk.viewbar, desk.status, desk.messages
        self.panels, self.editions, self.writer = desk.panels, desk.editions, desk.writer
        self.stack.addWidget(desk)
        self.editions.write_asked.connect(self.write)
        self.writer.idle.connect(self._writing_over)
        self.viewbar.picture_asked.connect(desk.backing.choose_picture)
        desk.watch.arrived.connect(self._arrived)
        desk.watch.lost.connect(self._say)
        desk.watch.changed.connect(self._refresh_all)
        session = self.session
        session.message.connect(self._say)
        session.refused.connect(lambda says: self._say(says, True))
        session.docket_changed.connect(self.messages.pass_by)
        session.sheet_chosen.connect(self.messages.pass_by)
        for signal in (session.pile_changed, session.sheet_changed, session.docket_changed, session.step_changed,
                       session.checks_changed, session.view_changed):  # fmt: skip
            signal.connect(self._refresh_all)
        self._refresh_all()
        self.view.setFocus()

    # -- showing -----------------------------------------------------------------------------------------------

    def _say(self, says: str, passing: bool = False) -> None:
        (self.messages if self.session.entries else self.empty_note).show_message(says, passing)

    def _refresh_all(self) -> None:
        session, entry = self.session, self.session.entry
        self.stack.setCurrentIndex(1 if session.entries else 0)
        self.desk.refresh()
        self.file_name.setText(entry.name if entry is not None else "")
        self.setWindowTitle(f"{entry.name} – Woad" if entry is not None else "Woad")
        history = entry.history if entry is not None else None
        for name, label, text in (
            ("undo", history.undo_label if history else None, self.tr("Undo")),
            ("redo", history.redo_label if history else None, self.tr("Redo")),
        ):
            self.actions_[name].setEnabled(label is not None)
            self.actions_[name].setText(f"{text}: {label}" if label else text)
        overlays = session.overlays
        for name, on in (("wipe", session.wipe), ("side-by-side", session.side_by_side),
                         ("lost", "lost" in overlays), ("kept", "kept" in overlays),
                         ("light", "light" in overlays), ("strays", "strays" in overlays), ("fringe", "fringe" in overlays),
                         ("pile", not self.pile.isHidden()), ("rulers", session.rulers),
                         ("watch", self.desk.watch.folder is not None),
                         ("guides", session.guides_shown), ("grid", session.grid),
                         ("full-screen", self.isFullScreen())):  # fmt: skip
            self.actions_[name].setChecked(on)
        ready = entry is not None and entry.sheet is not None and entry.sheet.settled
        for name in ("write", "write-all", "remove-sheet"):
            self.actions_[name].setEnabled(ready)
        self.actions_["put-back"].setEnabled(bool(session.taken_off))

    # -- what actions do ---------------------------------------------------------------------------------------

    def open_dialog(self) -> None:
        from woad.app.sources import FILTER

        names, _ = QFileDialog.getOpenFileNames(self, self.tr("Open sheets"), "", FILTER)
        self.open_files([Path(name) for name in names])

    def open_files(self, sources: Sequence[Source]) -> None:
        from woad.app.sources import within_folders

        self.complete()
        sources, troubles = within_folders(sources)
        first = next((source for source in sources if isinstance(source, Path)), None)
        if first is not None and not self.session.folder_chosen and not self.session.entries:
            # Beside the scans, in a folder of their own.
            self.session.folder = first.resolve().parent / "editions"
        self.desk.opener.open(sources)
        for says in troubles:
            self._say(says)

    def open_demo(self) -> None:
        from woad.demo.job import demo_files

        # The demo's scans lie inside the program: its editions go to the usual folder, not beside them.
        self.complete()
        self.desk.opener.open(list(demo_files()))

    def watch_folder(self) -> None:
        """Choose a folder to watch, or stop watching the one that is."""
        watch = self.desk.watch
        if watch.folder is not None:
            watch.stop()
            return
        name = QFileDialog.getExistingDirectory(self, self.tr("Watch a folder"))
        if name:
            self.start_watching(Path(name))
        self._refresh_all()

    def _arrived(self, path: Path) -> None:
        """Take in what came into the watched folder, but not what Woad itself wrote there."""
        if path.resolve() not in self.session.written:
            self.open_files([path])

    def start_watching(self, folder: Path) -> None:
        self.complete()
        trouble = self.desk.watch.start(folder)
        if trouble:
            self._say(trouble)

    def paste(self) -> None:
        if not self._take_in(QGuiApplication.clipboard().mimeData(), "pasted"):
            self._say(self.tr("There is no picture on the clipboard. Nothing was changed; copy one and paste again."))

    def _take_in(self, data: QMimeData | None, name: str) -> bool:
        """Open what was pasted or dropped; False when it holds no picture."""
        from woad.app.sources import from_mime

        self.complete()
        found = from_mime(data)
        if isinstance(found, bytes):
            count = sum(1 for entry in self.session.entries if entry.name.startswith(name))
            self.open_files([(f"{name}-{count + 1}.png", found)])
        elif found:
            self.open_files(found)
        return found is not None

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
        self.session.compare(wipe=not self.session.wipe)

    def toggle_side_by_side(self) -> None:
        self.session.compare(side_by_side=not self.session.side_by_side)

    def toggle_overlay(self, name: str) -> None:
        self.session.toggle_overlay(name, name not in self.session.overlays)

    def toggle(self, name: str) -> None:
        """Turn one of the view's aids on or off."""
        self.session.look(**{name: not getattr(self.session, name)})

    def take_tool(self, tool: str) -> None:
        from woad.app.handwork import step_of

        self.session.go_to(step_of(tool))
        self.session.take_tool(tool)

    def next_stray(self, by: int) -> None:
        from woad.app import straywork

        straywork.step(self.session, by)

    def decide_stray(self, remove: bool) -> None:
        from woad.app import straywork

        straywork.decide(self.session, remove)

    def keep_take(self) -> None:
        from woad.app import takes

        takes.keep(self.session)

    def flip_take(self) -> None:
        from woad.app import takes

        takes.flip(self.session)

    def zoom_spots(self, by: int) -> None:
        self.session.look(spot_zoom=min(max(self.session.spot_zoom + by, 0), 4))

    def toggle_pile(self) -> None:
        self.pile.setVisible(self.pile.isHidden())
        self._refresh_all()

    def toggle_full_screen(self) -> None:
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)

    def set_theme(self, wish: str) -> None:
        self.complete()
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
        show_beside(keys_dialog(self, actions.key_table(self.actions_)))

    def show_about(self) -> None:
        show_beside(about_dialog(self))

    # -- events ------------------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() or event.mimeData().hasImage():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        if self._take_in(event.mimeData(), "dropped"):
            event.acceptProposedAction()
        else:
            self._say(
                self.tr("What was dropped is no file of this computer. Nothing was changed; save it and drop the file.")
            )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._ready and event.key() == Qt.Key.Key_B and not event.isAutoRepeat() and not event.modifiers():
            self.session.look(before_held=True)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if self._ready and event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.session.look(before_held=False)
        else:
            super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        # Another window takes the keys: the release of B would never be heard.
        if self._ready and event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self.session.look(before_held=False)
        super().changeEvent(event)

    def idle(self) -> bool:
        """Nothing is waiting or under way."""
        if not self._ready or self.desk.reporter.waiting or self.desk.looker.waiting:
            return False
        return not any(lane.busy for lane in self.desk.lanes())

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._ready:
            self.desk.watch.stop()
            self.desk.looker.close()
        for lane in self.desk.lanes() if self._ready else ():
            lane.close()
        event.accept()

    def when_shown(self, run: object) -> None:
        """Call ``run`` once the first paint is through."""
        QTimer.singleShot(0, run)  # type: ignore[call-overload]
