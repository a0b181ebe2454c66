"""One table of all actions: menus, keys and what they call. The Keys window is made from it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction, QKeySequence

if TYPE_CHECKING:
    from woad.app.window import MainWindow

StandardKey = QKeySequence.StandardKey


@dataclass(frozen=True)
class ActionRow:
    """``keys`` is a standard key or a text; ``checkable`` actions show a state."""

    name: str
    menu: str
    text: str
    keys: StandardKey | str | None
    run: Callable[[MainWindow], object]
    checkable: bool = False
    line_before: bool = False


def _step_row(index: int, name: str, text: str) -> ActionRow:
    return ActionRow(f"step-{name}", "Step", text, f"Ctrl+{index + 1}", lambda w: w.session.go_to(name))


ROWS: tuple[ActionRow, ...] = (
    ActionRow("open", "Job", "Open sheets…", StandardKey.Open, lambda w: w.open_dialog()),
    ActionRow("paste", "Job", "Paste a sheet", StandardKey.Paste, lambda w: w.paste()),
    ActionRow("watch", "Job", "Watch a folder…", None, lambda w: w.watch_folder(), True),
    ActionRow("demo", "Job", "Open the demo job", None, lambda w: w.open_demo()),
    ActionRow("write", "Job", "Write this sheet's editions", StandardKey.Save, lambda w: w.write(False), line_before=True),
    ActionRow("write-all", "Job", "Write the whole pile", None, lambda w: w.write(True)),
    ActionRow("quit", "Job", "Quit", StandardKey.Quit, lambda w: w.close(), line_before=True),
    ActionRow("undo", "Edit", "Undo", StandardKey.Undo, lambda w: w.session.undo()),
    ActionRow("redo", "Edit", "Redo", StandardKey.Redo, lambda w: w.session.redo()),
    ActionRow("fit", "View", "Whole sheet", "F", lambda w: w.view.fit()),
    ActionRow("100", "View", "100 %", "0", lambda w: w.view.zoom_to(1.0)),
    ActionRow("300", "View", "300 %", "9", lambda w: w.view.zoom_to(3.0)),
    ActionRow("zoom-in", "View", "Zoom in", StandardKey.ZoomIn, lambda w: w.view.zoom_by(1.25)),
    ActionRow("zoom-out", "View", "Zoom out", StandardKey.ZoomOut, lambda w: w.view.zoom_by(0.8)),
    ActionRow("wipe", "View", "Wipe between before and after", "W", lambda w: w.toggle_wipe(), True, True),
    ActionRow("side-by-side", "View", "Before and after side by side", "D", lambda w: w.toggle_side_by_side(), True),
    ActionRow("white", "View", "White backing", "1", lambda w: w.session.look(backing="white"), line_before=True),
    ActionRow("bright", "View", "Bright backing", "2", lambda w: w.session.look(backing="bright")),
    ActionRow("dark", "View", "Dark backing", "3", lambda w: w.session.look(backing="dark")),
    ActionRow("checks", "View", "Checked backing", "4", lambda w: w.session.look(backing="checks")),
    ActionRow("picture", "View", "Picture backing", "5", lambda w: w.desk.backing.show_picture()),
    ActionRow("choose-picture", "View", "Choose the backing picture…", None, lambda w: w.desk.backing.choose_picture()),
    ActionRow("choose-bright", "View", "Choose the bright colour…", None, lambda w: w.desk.backing.choose_bright()),
    ActionRow("strays", "View", "Rings around strays", "S", lambda w: w.toggle_overlay("strays"), True, True),
    ActionRow("fringe", "View", "Show fringe", None, lambda w: w.toggle_overlay("fringe"), True),
    ActionRow("lost", "View", "Show lost strokes", "L", lambda w: w.toggle_overlay("lost"), True),
    ActionRow("kept", "View", "Show kept paper", "K", lambda w: w.toggle_overlay("kept"), True),
    ActionRow("light", "View", "Show the light found", "E", lambda w: w.toggle_overlay("light"), True),
    ActionRow("rulers", "View", "Rulers", "R", lambda w: w.toggle("rulers"), True, True),
    ActionRow("guides", "View", "Guides", "G", lambda w: w.toggle("guides_shown"), True),
    ActionRow("grid", "View", "Grid", "M", lambda w: w.toggle("grid"), True),
    ActionRow("closer", "View", "Close-ups nearer", "]", lambda w: w.zoom_spots(-1), line_before=True),
    ActionRow("wider", "View", "Close-ups wider", "[", lambda w: w.zoom_spots(1)),
    ActionRow("pile", "View", "Show the pile", "P", lambda w: w.toggle_pile(), True, True),
    ActionRow("full-screen", "View", "Full screen", StandardKey.FullScreen, lambda w: w.toggle_full_screen(), True),
    ActionRow("theme-light", "View", "Light", None, lambda w: w.set_theme("light"), line_before=True),
    ActionRow("theme-dark", "View", "Dark", None, lambda w: w.set_theme("dark")),
    ActionRow("theme-system", "View", "Light or dark as the desktop", None, lambda w: w.set_theme("system")),
    ActionRow("next-sheet", "Sheet", "Next sheet", "PgDown", lambda w: w.session.choose(w.session.at + 1)),
    ActionRow("previous-sheet", "Sheet", "Previous sheet", "PgUp", lambda w: w.session.choose(w.session.at - 1)),
    ActionRow("remove-sheet", "Sheet", "Take off the pile", None, lambda w: w.session.take_off(), line_before=True),
    ActionRow("put-back", "Sheet", "Put back on the pile", None, lambda w: w.session.put_back()),
    ActionRow("level", "Sheet", "Draw a level line", "A", lambda w: w.take_tool("level"), line_before=True),
    ActionRow("corners", "Sheet", "Set the sheet's corners", "C", lambda w: w.take_tool("corners")),
    ActionRow("bow", "Sheet", "Straighten bowed lettering", "O", lambda w: w.take_tool("bow")),
    ActionRow("turn-left", "Sheet", "Turn anticlockwise", None, lambda w: w.session.turn("left"), line_before=True),
    ActionRow("turn-right", "Sheet", "Turn clockwise", None, lambda w: w.session.turn("right")),
    ActionRow("turn-half", "Sheet", "Turn upside down", None, lambda w: w.session.turn("half")),
    ActionRow("mirror", "Sheet", "Mirror", None, lambda w: w.session.turn("mirror")),
    ActionRow("paper-place", "Step", "This is paper", "V", lambda w: w.take_tool("paper-place")),
    ActionRow("lighten", "Step", "Lighten by hand", "H", lambda w: w.take_tool("lighten")),
    ActionRow("darken", "Step", "Darken by hand", "J", lambda w: w.take_tool("darken")),
    ActionRow("ink-place", "Step", "This is the darkest mark", "X", lambda w: w.take_tool("ink-place")),
    ActionRow("strengthen", "Step", "Strengthen faint marks", "U", lambda w: w.take_tool("strengthen")),
    ActionRow("drop-out", "Step", "Drop a colour out", "Z", lambda w: w.take_tool("drop-out")),
    ActionRow("next-stray", "Step", "Next stray", "N", lambda w: w.next_stray(1), line_before=True),
    ActionRow("previous-stray", "Step", "Previous stray", "Shift+N", lambda w: w.next_stray(-1)),
    ActionRow("remove-stray", "Step", "Remove this stray", "Delete", lambda w: w.decide_stray(True)),
    ActionRow("keep-stray", "Step", "Keep this stray", "Insert", lambda w: w.decide_stray(False)),
    ActionRow("mend", "Step", "Mend", "I", lambda w: w.take_tool("mend")),
    ActionRow("copy", "Step", "Copy over", None, lambda w: w.take_tool("copy")),
    ActionRow("clear-area", "Step", "Clear a circled area", "Q", lambda w: w.take_tool("clear-area")),
    ActionRow("strays-go", "Step", "Strays in a circled area go", None, lambda w: w.take_tool("strays-go")),
    ActionRow("strays-stay", "Step", "Strays in a circled area stay", None, lambda w: w.take_tool("strays-stay")),
    ActionRow("keep", "Step", "Keep by brush", None, lambda w: w.take_tool("keep"), line_before=True),
    ActionRow("remove", "Step", "Remove by brush", None, lambda w: w.take_tool("remove")),
    ActionRow("remove-paper", "Step", "Remove paper by brush", None, lambda w: w.take_tool("remove-paper")),
    ActionRow("tone", "Step", "Remove a tone", None, lambda w: w.take_tool("tone")),
    ActionRow("subject", "Step", "Circle the subject", None, lambda w: w.take_tool("subject")),
    ActionRow("move-art", "Step", "Move the art on the picture", None, lambda w: w.take_tool("move-art")),
    ActionRow("give-back", "Step", "Give the edge back by brush", None, lambda w: w.take_tool("give-back")),
    ActionRow("take-away", "Step", "Take the edge away by brush", None, lambda w: w.take_tool("take-away")),
    ActionRow("keep-take", "Sheet", "Keep as a take", "Y", lambda w: w.keep_take(), line_before=True),
    ActionRow("flip-take", "Sheet", "Flip to the next take", "T", lambda w: w.flip_take()),
    ActionRow("next-step", "Step", "Next step", ".", lambda w: w.session.go_by(1), line_before=True),
    ActionRow("previous-step", "Step", "Previous step", ",", lambda w: w.session.go_by(-1)),
    *(_step_row(i, n, t) for i, (n, t) in enumerate(
        (("scan", "Scan"), ("square", "Square"), ("paper", "Paper"), ("ink", "Ink"), ("spotting", "Spotting"),
         ("knockout", "Knock-out"), ("edge", "Edge"), ("editions", "Editions")))),
    ActionRow("keys", "Help", "Keys", StandardKey.HelpContents, lambda w: w.show_keys()),
    ActionRow("about", "Help", "About Woad", None, lambda w: w.show_about()),
)  # fmt: skip

MENUS = ("Job", "Edit", "View", "Sheet", "Step", "Help")


def build(window: MainWindow) -> dict[str, QAction]:
    """Make every action, put it in its menu, bind its key."""
    menus = {name: window.menuBar().addMenu(window.tr(name)) for name in MENUS}
    out: dict[str, QAction] = {}
    for row in ROWS:
        action = QAction(window.tr(row.text), window)
        action.setCheckable(row.checkable)
        if isinstance(row.keys, StandardKey):
            action.setShortcuts(QKeySequence.keyBindings(row.keys))
        elif row.keys:
            action.setShortcut(QKeySequence(row.keys))
        action.triggered.connect(lambda _=False, r=row: _run(window, r))
        if row.line_before:
            menus[row.menu].addSeparator()
        menus[row.menu].addAction(action)
        window.addAction(action)
        out[row.name] = action
    return out


def _run(window: MainWindow, row: ActionRow) -> None:
    window.complete()
    row.run(window)


def key_table(actions: dict[str, QAction]) -> list[tuple[str, str]]:
    """What each key does, for the Keys window and the handbook."""
    rows = [(a.text(), a.shortcut().toString(QKeySequence.SequenceFormat.NativeText)) for a in actions.values()]
    rows = [row for row in rows if row[1]]
    return [
        *rows,
        ("See the scan while held", "B"),
        ("Move the sheet", "Space + drag, middle button"),
        ("Zoom", "Wheel"),
    ]
