"""A tone plot bound to the session's docket, for the panels that show one."""

from __future__ import annotations

from woad.app.entry import Entry
from woad.app.panels.base import StepPanel
from woad.app.widgets.tone_plot import TonePlot
from woad.core.docket.model import Docket
from woad.core.render.recipe import make_recipe, resolve_points


class BoundPlot(TonePlot):
    """Shows the sheet's tones and turns dragged flags into changes of the docket."""

    def __init__(self, panel: StepPanel) -> None:
        super().__init__(panel)
        self.moved.connect(
            lambda flag, density, finished: panel.change(
                f"ink.{flag}", density, self.tr("Move the {0} point").format(flag), finished
            )
        )

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        readings = entry.sheet.readings
        one_ink = make_recipe(docket, readings).one_ink
        plain = docket.model_copy(
            update={"ink": docket.ink.model_copy(update={"paper": None, "middle": None, "ink": None})}
        )
        points = resolve_points(docket, readings, one_ink)
        self.show_tones(readings.histogram, points, resolve_points(plain, readings, one_ink), readings.clearing)
        self.setEnabled(docket.ink.on)
