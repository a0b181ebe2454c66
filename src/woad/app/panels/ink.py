"""Ink: how dark the marks are, and what becomes of half-tones."""

from __future__ import annotations

from functools import partial

from woad.app.entry import Entry
from woad.app.panels.base import StepPanel
from woad.app.panels.brush import BrushRows
from woad.app.panels.tones import BoundPlot
from woad.app.session import Session
from woad.app.widgets.controls import Choice
from woad.app.widgets.drop_out import DropOutChoice
from woad.app.widgets.fold import Fold
from woad.app.widgets.takes_list import TakesList
from woad.core.docket.catalogue import setting
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.render.negative import as_seen
from woad.core.render.recipe import has_white, is_one_ink, make_recipe, resolve_points, resting_sharpness


class InkPanel(StepPanel):
    def __init__(self, session: Session) -> None:
        super().__init__(
            session, "ink", "Ink", "Makes ink as dark as it should be and keeps every tone between in order.", True
        )
        self.plot = BoundPlot(self)
        self.body.addWidget(self.plot)
        self.points = [self.add_row(f"ink.{name}", partial(self._point, name)) for name in ("paper", "middle", "ink")]
        self.add_row("ink.darkness", lambda d, e: (d.ink.darkness, starting_docket(d.medium).ink.darkness))
        self.saturation = self.add_row("ink.saturation", lambda d, e: (_or(d.ink.saturation, 1.0), 1.0))
        self.sharpness = self.add_row("ink.sharpness", lambda d, e: (_or(d.ink.sharpness, _sharp(d, e)), _sharp(d, e)))
        self.white = Choice(
            (("auto", self.tr("By itself")), ("paper", self.tr("Paper")), ("lightest", self.tr("Lightest"))), self
        )
        self.white.button("auto").setToolTip(self.tr("The lightest paint where paper is surely toned, else the paper"))
        self.white.button("paper").setToolTip(self.tr("Colours are balanced by the paper, as on white paper"))
        self.white.button("lightest").setToolTip(
            self.tr("Colours are balanced by the lightest paint, as on toned paper")
        )
        self.white.chosen.connect(lambda value: session.change("ink.white", value, self.tr("White")))
        self.white_label = self.add_named(self.tr("White"), self.white)
        self.drop_out = DropOutChoice(session, self)
        self.add_named(self.tr("Drop out"), self.drop_out)
        self._more()
        self.add_section(self.tr("By hand"))
        self.add_tools((
            ("ink-place", "droplet", self.tr("Darkest mark"), self.tr("Click places that are full ink (X)")),
            ("strengthen", "brush", self.tr("Strengthen"), self.tr("Brush faint marks so that they are kept (U)")),
            ("drop-out", "pipette", self.tr("Drop a colour"), self.tr("Click a pencil line whose colour must vanish (Z)")),
        ))  # fmt: skip
        self.brush = BrushRows(session, "ink", self)
        self.body.addWidget(self.brush)
        self.add_section(self.tr("Check"))
        self.lost, self.lost_count = self.add_overlay(
            "lost", self.tr("Lost strokes"), "madder", self.tr("Marks that these settings drop, shown in red (L)")
        )
        self.before = self.add_reading(self.tr("Full ink on the scan"))
        self.after = self.add_reading(self.tr("Full ink now"))
        self.tones = self.add_reading(self.tr("Half-tones in the marks"))
        self.pencil = self.add_reading(self.tr("Pencil left"))
        self.far = self.add_reading(self.tr("Colours out of range"))
        self.beyond = self.add_reading(self.tr("Overshoot at edges"))
        self.add_section(self.tr("Takes"))
        self.takes = TakesList(session, self)
        self.body.addWidget(self.takes)

    def _more(self) -> None:
        session = self.session
        self.more = Fold(self.tr("More"), self)
        self.body.addWidget(self.more)
        self.half = Choice(
            (("auto", self.tr("By itself")), ("inked", self.tr("Crisp")), ("seen", self.tr("As seen"))), self
        )
        self.half.button("auto").setToolTip(self.tr("As seen where the ink lies in washes, else crisp"))
        self.half.button("inked").setToolTip(
            self.tr("Half coverage becomes half ink: crisp edges, for pen and lettering")
        )
        self.half.button("seen").setToolTip(self.tr("Half-tones keep the lightness they have: for pencil and washes"))
        self.half.chosen.connect(lambda value: session.change("ink.halftones", value, self.tr("Half-tones")))
        self.add_named(self.tr("Half-tones"), self.half, self.more.body)
        self.solid = self.add_row("ink.solid", lambda d, e: (d.ink.solid, 0.0), self.more.body)
        self.boldness = self.add_row("ink.boldness", lambda d, e: (d.ink.boldness, 0.0), self.more.body)
        self.two_tone = Choice(
            (("off", self.tr("Off")), ("shape", self.tr("Black")), ("where", self.tr("Where"))), self
        )
        self.two_tone.button("shape").setToolTip(self.tr("Pure black and white, with smooth edges"))
        self.two_tone.button("where").setToolTip(
            self.tr("Two tones say where marks are; the texture inside them stays")
        )
        self.two_tone.chosen.connect(lambda value: session.change("ink.two_tone", value, self.tr("Two-tone")))
        self.add_named(self.tr("Two-tone"), self.two_tone, self.more.body)

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
        self.two_tone.show_value(docket.ink.two_tone)
        self.two_tone.setEnabled(docket.ink.on)
        recipe = make_recipe(docket, r)
        for row in (self.saturation, self.far):
            row.setVisible(not recipe.one_ink)
        self.more.setVisible(recipe.one_ink)
        self.white.show_value(docket.ink.white)
        self.white.setEnabled(docket.ink.on)
        for part in (self.white, self.white_label):
            part.setVisible(has_white(docket, r))
        self.drop_out.show_entry(entry, docket)
        self.brush.refresh()
        self.before.show_text("none found" if r.ink_density is None else f"D {r.ink_density:.2f}")
        rgb = " ".join(str(v) for v in as_seen(recipe.ink_rgb, entry.sheet.readings.negative))
        self.after.show_text(f"D {recipe.full_density:.2f} · RGB {rgb}" if recipe.one_ink else self.tr("each its own"))
        self.tones.show_text("–" if not r.ink else f"{r.ink.half_tones:.0%}")  # type: ignore[union-attr]
        checks = entry.checks
        self.lost_count.setText("…" if checks is None else f"{checks.lost} · {checks.lost_share:.1%}")
        self.pencil.setVisible(bool(recipe.dropped))
        if checks is not None:
            left = checks.pencil_left
            self.pencil.show_text("–" if left is None else f"{left:.1f} of 255")
            self.far.show_text(_warned(f"{checks.out_of_range:.1%}", checks.out_of_range > 0.02))
            self.beyond.show_text(_warned(f"{checks.overshoot:.1%}", checks.too_sharp))
        self.takes.show_entry(entry)


def _or(value: float | None, own: float) -> float:
    return own if value is None else value


def _sharp(docket: Docket, entry: Entry) -> float:
    if entry.sheet is None:
        return 0.0
    return resting_sharpness(entry.sheet.readings, is_one_ink(docket, entry.sheet.readings))


def _warned(text: str, too_far: bool) -> str:
    return f"{text} · overdone" if too_far else text
