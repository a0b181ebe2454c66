"""Ink: how dark the marks are, and what becomes of half-tones."""

from __future__ import annotations

from functools import partial

from woad.app.panels.base import StepPanel
from woad.app.panels.tones import BoundPlot
from woad.app.session import Entry, Session
from woad.app.widgets.controls import Choice
from woad.core.docket.catalogue import setting
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.render.recipe import make_recipe, resolve_points


class InkPanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "ink", "Ink", "Makes ink as dark as it should be and keeps every tone between in order.", True
        )
        self.plot = BoundPlot(self)
        self.body.addWidget(self.plot)
        for name in ("paper", "middle", "ink"):
            self.add_row(f"ink.{name}", partial(self._point, name))
        self.add_row("ink.darkness", lambda d, e: (d.ink.darkness, starting_docket(d.medium).ink.darkness))
        self.half = Choice((("inked", self.tr("Crisp")), ("seen", self.tr("As seen"))), self)
        self.half.button("inked").setToolTip(
            self.tr("Half coverage becomes half ink: crisp edges, for pen and lettering")
        )
        self.half.button("seen").setToolTip(self.tr("Half-tones keep the lightness they have: for pencil and washes"))
        self.half.chosen.connect(lambda value: session.change("ink.halftones", value, self.tr("Half-tones")))
        self.add_named(self.tr("Half-tones"), self.half)
        self.add_section(self.tr("Check"))
        self.before = self.add_reading(self.tr("Full ink on the scan"))
        self.after = self.add_reading(self.tr("Full ink now"))
        self.tones = self.add_reading(self.tr("Half-tones in the marks"))

    def _point(self, name: str, docket: Docket, entry: Entry) -> tuple[float, float]:
        assert entry.sheet is not None
        readings = entry.sheet.readings
        one_ink = make_recipe(docket, readings).one_ink
        value = getattr(resolve_points(docket, readings, one_ink), name)
        plain = docket.model_copy(update={"ink": docket.ink.model_copy(update={name: None})})
        limits = setting(f"ink.{name}")
        own = getattr(resolve_points(plain, readings, one_ink), name)
        return min(max(value, limits.low), limits.high), min(max(own, limits.low), limits.high)

    def show_entry(self, entry: Entry, docket: Docket) -> None:
        assert entry.sheet is not None
        r = entry.sheet.readings
        self.plot.show_entry(entry, docket)
        self.half.show_value(docket.ink.halftones)
        self.half.setEnabled(docket.ink.on)
        self.before.show_text("none found" if r.ink_density is None else f"D {r.ink_density:.2f}")
        recipe = make_recipe(docket, r)
        rgb = " ".join(str(v) for v in recipe.ink_rgb)
        self.after.show_text(f"D {docket.ink.darkness:.2f} · RGB {rgb}" if recipe.one_ink else self.tr("each its own"))
        self.tones.show_text("–" if not r.ink else f"{r.ink.half_tones:.0%}")  # type: ignore[union-attr]
