"""Rows for the brush in hand: its size, its strength, its last stroke taken away."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from woad.app import handwork
from woad.app.session import Session
from woad.app.widgets.setting_row import SettingRow
from woad.core.docket.catalogue import Setting

_SIZE = Setting("brush.size", "Brush size", 0.004, 0.12, "%", 0.002, "Radius of the brush, share of the longer side.")
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
        self.size_row, self.strength = SettingRow(_SIZE, self), SettingRow(_STRENGTH, self)
        self.size_row.changed.connect(lambda value, _over: session.look(brush=value if value is not None else 0.03))
        self.strength.changed.connect(lambda v, _over: session.look(brush_strength=v if v is not None else 0.35))
        column.addWidget(self.size_row)
        column.addWidget(self.strength)
        self.back = QPushButton(self.tr("Take the last stroke away"), self)
        self.back.clicked.connect(lambda: handwork.take_last_touch(session, step))
        column.addWidget(self.back)
        self.clear = QPushButton(self.tr("Take all places away"), self)
        self.clear.clicked.connect(lambda: handwork.remove_places(session, self._place_tool()))
        column.addWidget(self.clear)

    def _place_tool(self) -> str:
        return "paper-place" if self.step == "paper" else "ink-place"

    def refresh(self) -> None:
        session, docket = self.session, self.session.docket
        if docket is None:
            return
        brush = session.tool in handwork.BRUSH_TOOLS
        self.hint.setText(self.tr(_HINTS.get(session.tool, "")))
        self.hint.setVisible(session.tool in _HINTS)
        self.size_row.setVisible(brush)
        self.strength.setVisible(brush)
        self.size_row.show_value(session.brush, 0.03)
        self.strength.show_value(session.brush_strength, 0.35)
        self.back.setVisible(bool(getattr(docket, self.step).touches))
        self.clear.setVisible(bool(handwork.places_of(docket, self._place_tool())))


_HINTS = {
    "paper-place": "Click places that are bare paper; they turn white. Click a pin to take it away.",
    "ink-place": "Click inside the darkest marks; they become full ink. Click a pin to take it away.",
    "drop-out": "Click a pencil line whose colour must vanish.",
    "lighten": "Brush over what is left of a shadow.",
    "darken": "Brush over marks that should be darker. Bare paper stays bare.",
    "strengthen": "Brush over faint marks, so that the knock-out does not lose them.",
}
