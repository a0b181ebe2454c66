"""Which overlays lie over the picture now, and their colours."""

from __future__ import annotations

from PySide6.QtGui import QColor

from woad.app import theme
from woad.app.session import Session

Rgb = tuple[int, int, int]

_COLOURS = {
    "lost": theme.LIGHT.madder, "kept": theme.LIGHT.weld, "light": theme.LIGHT.woad, "fringe": theme.LIGHT.madder,
    "tones": theme.LIGHT.weld, "edge-lost": theme.LIGHT.madder, "strays": theme.LIGHT.madder,
}  # fmt: skip
_STEPS = {
    "light": ("paper",), "fringe": ("knockout", "edge", "editions"), "tones": ("knockout",), "edge-lost": ("edge",),
    "strays": ("spotting",),
}  # fmt: skip


def overlays_of(session: Session) -> tuple[tuple[str, Rgb], ...]:
    """Overlays that are on and belong to the step in view."""
    return tuple(
        (kind, rgb_of(_COLOURS[kind]))
        for kind in sorted(session.overlays)
        if session.step in _STEPS.get(kind, (session.step,))
    )


def rgb_of(name: str) -> Rgb:
    colour = QColor(name)
    return colour.red(), colour.green(), colour.blue()
