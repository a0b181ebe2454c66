"""The pointer's shape over each gesture."""

from __future__ import annotations

from PySide6.QtCore import Qt

from woad.app.tools.gesture import Gesture, WipeEdge
from woad.app.tools.hand import BrushTouch, ChooseStray, CircleArea, ClickPlace, PickTone
from woad.app.tools.square import DrawBow, LevelLine, TrimFrame
from woad.app.view.rulers import DragGuide


def cursor_for(gesture: Gesture | None) -> Qt.CursorShape:
    """The shape that says what a press here begins."""
    if isinstance(gesture, WipeEdge):
        shape = Qt.CursorShape.SplitHCursor
    elif isinstance(gesture, DragGuide):
        shape = Qt.CursorShape.SplitHCursor if gesture.upright else Qt.CursorShape.SplitVCursor
    elif isinstance(gesture, TrimFrame):
        sides = {"l", "r"} & set(gesture.part)
        both = sides and {"t", "b"} & set(gesture.part)
        shape = (
            Qt.CursorShape.SizeAllCursor if both
            else Qt.CursorShape.SizeHorCursor if sides else Qt.CursorShape.SizeVerCursor
        )  # fmt: skip
    elif isinstance(gesture, BrushTouch):
        shape = Qt.CursorShape.BlankCursor
    elif isinstance(gesture, LevelLine | DrawBow | ClickPlace | PickTone | CircleArea):
        shape = Qt.CursorShape.CrossCursor
    elif isinstance(gesture, ChooseStray):
        shape = Qt.CursorShape.PointingHandCursor
    else:
        shape = Qt.CursorShape.ArrowCursor if gesture is None else Qt.CursorShape.SizeAllCursor
    return shape
