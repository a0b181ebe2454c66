"""What a sheet's traits speak for: signs that several media share, each 0 (no) to 1 (surely)."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from woad.core.render.traits import BROWN, TOOTH, Traits, ramp

# Shares of half-tones from which marks are grainy, and surely so, at densities of graphite and of ink: a photo's blur makes
# some of ink's as well.
_GRAPHITE, _GRAINY = (0.95, 1.15), ((0.09, 0.15), (0.15, 0.23))
# Of its half-tones what rough paper may hide at most to tell of the rest, and what is assumed where it hides more: what is as
# pale at its deepest there is graphite.
_LOST, _ASSUMED = 0.9, 0.5
# Mean reflectance of blue lines at their deepest, up to which they are a pen's, and from which surely a pencil's.
_PEN, _PENCIL = 0.5, 0.58
# Shares of broad marks, of even ones among them, and of tinted marks from which areas in an outline are coloured in, and
# surely so; and of blue that is so broad and even, from which on less and less a pencil's.
_AREAS, _EVEN, _TINTED, _FILLED = (0.2, 0.45), (0.5, 0.7), (0.1, 0.25), (0.5, 0.2)
_BANDS = (0.2, 0.1)  # the same of blue inside of even bands
# How much tone runs in paint and in washes, and shares of broad marks lighter than half.
_RUNS, _PALE = (0.08, 0.12), (0.2, 0.5)
# Shares of marks with a hue from which a sheet is coloured, and surely so; and in washes.
_HUE = (0.1, 0.25), (0.05, 0.15)
_BROADLY = 0.4  # share of tinted marks from which tones have that hue
_FAINT = 0.5  # share of broad marks hardly darker than paper from which they may show through from behind
_RUBBED = (0.1, 0.18)  # half-tones of charcoal, which has such grain as well
# Share of thin lines, and density of its ink, from which what has such grain is no print that time has yellowed and faded.
_BROADER, _FRESH = (0.6, 0.5), (1.2, 1.4)
_HATCHED = (0.75, 0.55)  # share of thin lines from which and up to which areas are hatched in ink and rubbed in


class Signs:
    """Signs in ``traits`` of a sheet whose marks are of ``one_ink`` or not. None is read before it is asked for."""

    def __init__(self, traits: Traits, one_ink: bool) -> None:
        self.hues, self.shape, self.tones, self.paper = traits.hues, traits.shape, traits.tones, traits.paper
        self._traits, self._one_ink = traits, one_ink

    # -- how marks are made -----------------------------------------------------------------------------------------

    @cached_property
    def filled(self) -> float:
        """Areas filled with ink: full and even in all of them, as graphite never is."""
        full = ramp(self.shape.broad, 0.05, 0.12) * ramp(self.tones.pale, 0.2, 0.05)
        return full * ramp(self.tones.flat, 0.5, 0.7) * ramp(self.shape.grain, 0.17, 0.08)

    @cached_property
    def lined(self) -> float:
        """Drawn in lines."""
        shape = self.shape
        # Of one ink, dense hatching still is; of several, crayons on rough paper may have as much grain.
        lined = ramp(shape.thin, *((0.3, 0.45) if self._one_ink else (0.4, 0.6)))
        if self._one_ink:  # coloured ink fills as well as black; where areas are most of it, it is printed or painted
            return max(lined, self.filled * ramp(shape.broad, 0.55, 0.35))
        # Outlines of areas that are as even as no hatching is are no drawing in ink.
        coloured_in = ramp(shape.broad, *_AREAS) * ramp(self.tones.flat, *_EVEN) * ramp(self.hues.tinted, *_TINTED)
        return lined * (1 - coloured_in)

    @cached_property
    def broad(self) -> float:
        """Broad marks, and no hatching."""
        return ramp(self.shape.broad, 0.08, 0.3) * (1 - self.lined)

    @cached_property
    def small(self) -> float:
        """One piece of writing, small on its sheet or alone on a slip."""
        shape = self.shape
        small = ramp(shape.cover, 0.012, 0.007) * ramp(shape.extent, 0.22, 0.12)
        # On a slip of its own a signature is not small, but still one line of few, joined strokes.
        slip = ramp(shape.pieces, 14, 8) * ramp(shape.aspect, 1.8, 2.4) * ramp(shape.cover, 0.06, 0.04)
        slip *= ramp(shape.width, 0.009, 0.007) * (1 - ramp(shape.broad, 0.02, 0.06))
        return max(small, slip)

    @cached_property
    def thick(self) -> float:
        """Heavy strokes of full ink."""
        if (
            self._traits.tones_meant and self.tones.palest <= _FAINT
        ):  # no strokes are as even as areas of a lighter tone
            return 0.0
        return ramp(self.shape.width, 0.0102, 0.0135) * ramp(self.tones.dark_ink, 0.45, 0.6)

    # -- tone and colour --------------------------------------------------------------------------------------------

    @property
    def washed(self) -> float:
        """Even tone in thinned ink."""
        return float(self._traits.washed)

    @cached_property
    def half_tones(self) -> float:
        """The share of half-tones in the marks with those that are lost in rough paper, as far as the marks may be
        graphite's."""
        tones = self.tones
        if tones.lost > _LOST:
            return _ASSUMED if tones.density < _GRAPHITE[0] else tones.half_tones
        lost = tones.lost * ramp(tones.density, _GRAPHITE[1], _GRAPHITE[0])
        return min(tones.half_tones / (1 - lost), 1.0)

    @cached_property
    def grainy(self) -> float:
        """Half-tones that are grain."""
        grainy = ramp(self.half_tones, *(float(np.interp(self.tones.density, _GRAPHITE, ends)) for ends in _GRAINY))
        # Nobody draws with a pencil without a single stroke: what looks like half-tones is the blur of small dots.
        dotted = ramp(self.shape.pieces, 3, 0) * ramp(self.shape.thin, 0.85, 0.95)
        return grainy * (1 - max(self.filled, dotted))

    @cached_property
    def charcoal(self) -> float:
        """As dark as ink, but with tones, and these in the paper's grain."""
        rubbed = ramp(self.shape.grain, *TOOTH) * ramp(self.tones.half_tones, *_RUBBED)
        return rubbed * self.plain * (1 - self.washed) * ramp(self.shape.thin, *_HATCHED)

    @cached_property
    def broad_grain(self) -> float:
        """Charcoal, or a brush run dry: broader than most prints' letters and lines, and darker than their ink is by now."""
        return self.charcoal * ramp(self.shape.thin, *_BROADER) * ramp(self.tones.density, *_FRESH)

    @property
    def rough(self) -> float:
        """Grain of pencil or charcoal."""
        return max(self.grainy, self.charcoal)

    @cached_property
    def fluid(self) -> float:
        """Washes: pale, and their tone runs. Paint may be as pale, or modelled, but hardly both."""
        fluid = ramp(self.tones.runs, *_RUNS) * ramp(self.tones.pale, *_PALE)
        # Nobody paints with nothing but the palest paint, and paint of one pigment is as deep wherever it lies.
        fluid = max(fluid, ramp(self.tones.palest, 0.8, 0.95), self._one_ink * ramp(self.tones.pale, 0.45, 0.85))
        return fluid * ramp(self.hues.above, 0.3, 0.1)

    @cached_property
    def _hued(self) -> float:
        """Marks with a hue, be it a stain's."""
        # In washes, whose tone is even, less of a hue is one.
        toned = self._traits.washed or (self._traits.tones_meant and self.hues.tinted > _BROADLY)
        return ramp(self.hues.coloured, *_HUE[toned])

    @property
    def coloured(self) -> float:
        """Marks with a hue of their own."""
        return self._hued * (1 - self._stained)

    @property
    def plain(self) -> float:
        """One ink, or one in whatever hue; but a painting may be of one pigment."""
        return max(1 - self._hued * (1 - self.lined * self._one_ink), self._stained)

    @cached_property
    def inks(self) -> float:
        """Inks of strong hues."""
        return ramp(self.hues.inks, 0.03, 0.08)

    @cached_property
    def blue(self) -> float:
        """A light-blue pencil under dark ink."""
        hues, tones = self.hues, self.tones
        return (
            ramp(tones.blue_ink, 0.12, 0.06)
            # Single pixels may be blue by noise; lines that were looked for are none by chance.
            * max(ramp(hues.blue, 0.12, 0.3), ramp(hues.blue_lines, 0.03, 0.08))
            * ramp(tones.density, 0.6, 0.85)
            * ramp(tones.dark_ink, 0.015, 0.05)
            # The rims of a blue ink are as light as a pencil's lines; beside inks of several colours nothing tells them apart.
            * (1 - self.inks)
            # A pen's lines are pale where a reduced sheet blurs them only.
            * ramp(hues.blue_tone, _PEN, _PENCIL)
            * ramp(hues.blue_filled, *_FILLED)
            * ramp(hues.blue_bands, *_BANDS)  # as a letter's shadow is drawn beside it
        )

    # -- the paper --------------------------------------------------------------------------------------------------

    @cached_property
    def aged(self) -> float:
        """Yellowed paper. Cream paper is sold new, and lamps are warm: only spots and show-through besides tell of age."""
        aged = ramp(self.paper.warm, 0.115, 0.17) * max(
            ramp(self.paper.blotched, 0.008, 0.014), float(self.paper.browned)
        )
        return aged * ramp(
            self.tones.density, 0.5, 0.6
        )  # rough paper is blotched as well, and graphite paler than print

    @cached_property
    def _stained(self) -> float:
        """Paper so brown that stains and what shows through give marks hues of their own."""
        brown = ramp(self.paper.warm, *BROWN) * ramp(self.tones.density, 1.1, 1.4)
        return brown * ramp(self.hues.vivid, 0.045, 0.025) * ramp(self.hues.own, 0.08, 0.03) * self.aged

    @cached_property
    def greyish(self) -> float:
        """Grey ink on tracing paper, which is grey, or mottled more than noise, creases and grain make any other."""
        paper = self.paper
        through = max(ramp(paper.lightness, 0.8, 0.76),
                      ramp(paper.blotched, 0.018, 0.03) * ramp(paper.lightness, 0.94, 0.9))  # fmt: skip
        return ramp(self.tones.density, 1.2, 1.02) * through * ramp(paper.warm, 0.06, 0.035)
