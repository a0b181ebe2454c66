"""Rows for the brush in hand: its size, its strength, its last stroke taken away."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from woad.app import handwork
from woad.app.session import Session
from woad.app.widgets.setting_row import SettingRow
from woad.core.docket.catalogue import Setting

_SIZE = Setting("brush.size", "Brush size", 0.004, 0.12, "%", 0.002, "Radius of the brush, share of the longer side.")
_FINE = Setting("brush.size", "Brush size", 0.0005, 0.05, "%", 0.0005, "Radius of the brush, share of the longer side.")
_HARD = Setting("brush.hard", "Hardness", 0, 1, "%", 0.05, "From a soft rim (0) to a sharp one (100).")
_STRENGTH = Setting("brush.strength", "Strength", 0.05, 1, "%", 0.05, "How much one stroke does.")


class BrushRows(QWidget):
    """Shown while a brush is in hand, with a hint of what to do."""

    def __init__(self, session: Session, step: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.step = session, step
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.hint = QLabel("", self)
        self.hint.setWordWrap(True)
        self.hint.setProperty("role", "quiet")
        column.addWidget(self.hint)
        fine = step in handwork.FINE_STEPS
        self.names = ("fine_brush", "fine_strength") if fine else ("brush", "brush_strength")
        self.own = (0.006, 1.0) if fine else (0.03, 0.35)
        self.size_row, self.strength = SettingRow(_FINE if fine else _SIZE, self), SettingRow(_STRENGTH, self)
        self.hard = SettingRow(_HARD, self)
        for row, name, own in (
            (self.size_row, self.names[0], self.own[0]),
            (self.strength, self.names[1], self.own[1]),
            (self.hard, "brush_hard", 0.5),
        ):
            row.changed.connect(partial(self._set, name, own))
            column.addWidget(row)
        self.source = QPushButton(self.tr("Take from another place"), self)
        self.source.clicked.connect(lambda: session.look(copy_source=None))
        column.addWidget(self.source)
        self.back = QPushButton(self.tr("Take the last stroke away"), self)
        self.back.clicked.connect(lambda: handwork.take_last_touch(session, step))
        column.addWidget(self.back)
        self.clear = QPushButton(self.tr("Take all places away"), self)
        self.clear.clicked.connect(lambda: handwork.remove_places(session, self._place_tool()))
        column.addWidget(self.clear)

    def _set(self, name: str, own: float, value: float | None, _over: bool) -> None:
        self.session.look(**{name: own if value is None else value})

    def _place_tool(self) -> str:
        return "paper-place" if self.step == "paper" else "ink-place"

    def refresh(self) -> None:
        session, docket = self.session, self.session.docket
        if docket is None:
            return
        brush = session.tool in handwork.BRUSH_TOOLS
        key = "copy-from" if session.tool == "copy" and session.copy_source is None else session.tool
        self.hint.setText(self.tr(_HINTS.get(key, "")))
        self.hint.setVisible(session.tool in _HINTS)
        self.size_row.setVisible(brush)
        self.strength.setVisible(brush and session.tool != "mend")
        self.hard.setVisible(brush and self.step in ("knockout", "edge"))
        self.source.setVisible(session.tool == "copy" and session.copy_source is not None)
        self.size_row.show_value(getattr(session, self.names[0]), self.own[0])
        self.strength.show_value(getattr(session, self.names[1]), self.own[1])
        self.hard.show_value(session.brush_hard, 0.5)
        self.back.setVisible(bool(getattr(docket, self.step).touches))
        places = self.step in ("paper", "ink") and handwork.places_of(docket, self._place_tool())
        self.clear.setVisible(bool(places))


_HINTS = {
    "paper-place": "Click places that are bare paper; they turn white. Click a pin to take it away.",
    "ink-place": "Click inside the darkest marks; they become full ink. Click a pin to take it away.",
    "drop-out": "Click a pencil line whose colour must vanish.",
    "lighten": "Brush over what is left of a shadow.",
    "darken": "Brush over marks that should be darker. Bare paper stays bare.",
    "mend": "Brush over a spot; it is filled from its surroundings when you let go.",
    "copy-from": "Click the place to take from.",
    "copy": "Brush over a spot. The other ring shows where it is taken from.",
    "clear-area": "Draw around an area: everything in it goes, marks too.",
    "strays-go": "Draw around an area: all strays in it go.",
    "strays-stay": "Draw around an area: all small things in it stay.",
    "keep": "Brush over what must stay; paper under the brush stays as white.",
    "remove": "Brush over what must go.",
    "remove-paper": "Brush freely: only what looks like paper goes.",
    "tone": "Click a tone that must go, white first, then greys. The reach below acts on the last one.",
    "subject": "Draw roughly around the subject: all outside goes.",
    "move-art": "Drag the art to where it should lie on the picture.",
    "give-back": "Brush where the edge should stay as it was.",
    "take-away": "Brush where more of the edge should go.",
    "strengthen": "Brush over faint marks, so that the knock-out does not lose them.",
}
