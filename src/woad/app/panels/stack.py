"""The steps' panels, one of which is seen."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QStackedWidget, QWidget

from woad.app.panels.base import StepPanel
from woad.app.session import Session

_WIDTH_PX = 304


class PanelStack(QStackedWidget):
    """The panel of each step by the step's name; built when it is first asked for, so that opening a sheet does not wait for
    those of the steps after."""

    def __init__(self, session: Session, kinds: Mapping[str, Callable[[Session], StepPanel]], parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._kinds = session, kinds
        self._panels: dict[str, tuple[StepPanel, QScrollArea]] = {}
        self.setObjectName("panel")
        self.setFixedWidth(_WIDTH_PX)

    def __getitem__(self, step: str) -> StepPanel:
        return self._built(step)[0]

    def show_step(self, step: str) -> None:
        """Bring the step's panel to the front, as the session is now."""
        panel, scroll = self._built(step)
        self.setCurrentWidget(scroll)
        panel.refresh()

    def _built(self, step: str) -> tuple[StepPanel, QScrollArea]:
        if step not in self._panels:
            panel, scroll = self._kinds[step](self._session), QScrollArea(self)
            scroll.setWidgetResizable(True)
            scroll.setFrameShape(QScrollArea.Shape.NoFrame)
            scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            self.addWidget(scroll)
            scroll.setWidget(panel)
            self._panels[step] = panel, scroll
        return self._panels[step]
