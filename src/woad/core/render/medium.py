"""What a sheet is: a medium proposed from its traits, with the reason in words."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from woad.core.docket.model import Medium
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
# How much tone runs in paint and in washes, and shares of broad marks lighter than half.
_RUNS, _PALE = (0.08, 0.12), (0.2, 0.5)
# Shares of marks with a hue from which a sheet is coloured, and surely so; and in washes.
_HUE = (0.1, 0.25), (0.05, 0.15)
_BROADLY = 0.4  # share of tinted marks from which tones have that hue
_FAINT = 0.5  # share of broad marks hardly darker than paper from which they may show through from behind
_RUBBED = (0.1, 0.18)  # half-tones of charcoal, which has such grain as well
_HATCHED = (0.75, 0.55)  # share of thin lines from which and up to which areas are hatched in ink and rubbed in


@dataclass(frozen=True)
class Proposal:
    """A ``medium``, ``sure`` 0..1, and ``why`` in a few words."""

    medium: Medium
    sure: float
    why: str


def propose_medium(traits: Traits | None, one_ink: bool = False) -> Proposal:
    """The medium whose traits fit best; how sure depends on the runner-up. That there is ``one_ink`` tells what a coloured
    pen drawing is called."""
    if traits is None:
        return Proposal("pen", 0.0, "no marks found; pen is the plainest start")
    t = traits
    # Of one ink, dense hatching still is; of several, crayons on rough paper may have as much grain.
    lined = ramp(t.thin, *((0.3, 0.45) if one_ink else (0.4, 0.6)))
    # An ink that fills areas is full and even in all of them, as graphite never is; coloured ink draws as well as black.
    filled = ramp(t.broad, 0.05, 0.12) * ramp(t.pale, 0.2, 0.05) * ramp(t.flat, 0.5, 0.7) * ramp(t.grain, 0.17, 0.08)
    # Where areas are most of it, it is printed or painted.
    lined = max(lined, one_ink * filled * ramp(t.broad, 0.55, 0.35))
    if not one_ink:  # outlines of areas that are as even as no hatching is are no drawing in ink
        lined *= 1 - ramp(t.broad, *_AREAS) * ramp(t.flat, *_EVEN) * ramp(t.tinted, *_TINTED)
    # Nobody draws with a pencil without a single stroke: what looks like half-tones is the blur of small dots.
    dotted = ramp(t.pieces, 3, 0) * ramp(t.thin, 0.85, 0.95)
    washed = float(t.washed)
    # In washes, whose tone is even, less of a hue is one.
    toned = t.washed or (t.tones_meant and t.tinted > _BROADLY)
    coloured, broad = ramp(t.coloured, *_HUE[toned]), ramp(t.broad, 0.08, 0.3) * (1 - lined)
    tones = _half_tones(t)
    grainy = ramp(tones, *(float(np.interp(t.density, _GRAPHITE, ends)) for ends in _GRAINY))
    grainy *= 1 - max(filled, dotted)
    # A drawing in one ink is one in whatever hue; but a painting may be of one pigment.
    plain = 1 - coloured * (1 - lined * one_ink)
    small = ramp(t.cover, 0.012, 0.007) * ramp(t.extent, 0.22, 0.12)
    # On a slip of its own a signature is not small, but still one line of few, joined strokes.
    slip = ramp(t.pieces, 14, 8) * ramp(t.aspect, 1.8, 2.4) * ramp(t.cover, 0.06, 0.04) * ramp(t.width, 0.009, 0.007)
    small = max(small, slip * (1 - ramp(t.broad, 0.02, 0.06)))
    thick = ramp(t.width, 0.0102, 0.0135) * ramp(t.dark_ink, 0.45, 0.6)
    thick *= not t.tones_meant or t.palest > _FAINT  # no strokes are as even as areas of a lighter tone
    # Washes are pale, and their tone runs; paint may be as pale, or modelled, but hardly both.
    fluid = ramp(t.runs, *_RUNS) * ramp(t.pale, *_PALE)
    # Nobody paints with nothing but the palest paint, and paint of one pigment is as deep wherever it lies.
    fluid = max(fluid, ramp(t.palest, 0.8, 0.95), one_ink * ramp(t.pale, 0.45, 0.85)) * ramp(t.above, 0.3, 0.1)
    # Cream paper is sold new, and lamps are warm: only spots and show-through besides tell of age.
    aged = ramp(t.paper_warm, 0.115, 0.17) * max(ramp(t.blotched, 0.008, 0.014), float(t.browned))
    aged *= ramp(t.density, 0.5, 0.6)  # rough paper is blotched as well, and graphite on it paler than any print
    # Tracing paper is grey, or mottled more than noise, creases and grain make any other.
    through = max(ramp(t.paper_l, 0.8, 0.76), ramp(t.blotched, 0.018, 0.03) * ramp(t.paper_l, 0.94, 0.9))
    greyish = ramp(t.density, 1.2, 1.02) * through * ramp(t.paper_warm, 0.06, 0.035)
    # On paper as brown as that, stains and what shows through give marks hues of their own.
    old = ramp(t.paper_warm, *BROWN) * ramp(t.density, 1.1, 1.4)
    old *= ramp(t.vivid, 0.045, 0.025) * ramp(t.hued, 0.08, 0.03)
    plain = max(plain, old * aged)
    coloured *= 1 - old * aged
    inks = ramp(t.inks, 0.03, 0.08)
    blue = (
        ramp(t.blue_ink, 0.12, 0.06)
        # Single pixels may be blue by noise; lines that were looked for are none by chance.
        * max(ramp(t.blue, 0.12, 0.3), ramp(t.blue_lines, 0.03, 0.08))
        * ramp(t.density, 0.6, 0.85)
        * ramp(t.dark_ink, 0.015, 0.05)
        # The rims of a blue ink are as light as a pencil's lines; beside inks of several colours nothing tells them apart.
        * (1 - inks)
        # A pen's lines are pale where a reduced sheet blurs them only.
        * ramp(t.blue_tone, _PEN, _PENCIL)
        * ramp(t.blue_filled, *_FILLED)
    )
    # Charcoal is as dark as ink, but has tones, and they are in the paper's grain.
    charcoal = ramp(t.grain, *TOOTH) * ramp(t.half_tones, *_RUBBED) * plain * (1 - washed)
    charcoal *= ramp(t.thin, *_HATCHED)
    rough = max(grainy, charcoal)
    one = plain * max((1 - rough) * (1 - thick), washed)
    several = coloured * (1 - broad) * (1 - small) * max(inks, lined * (1 - blue))
    # Coloured pencils are that, be their areas broad or not.
    crayon = t.crayon * (1 - one_ink) * (1 - small) * (1 - blue)
    graphite = max(charcoal, grainy * plain * ramp(t.density, 1.3, 1.08) * (1 - washed))
    if t.light_marks:  # on toned paper: neither yellowed, nor tracing paper, nor over a pencil
        aged = greyish = blue = 0.0
    seen_blue = max(t.blue, t.blue_lines)
    scores: dict[Medium, tuple[float, str]] = {
        "signature": (small, f"one piece of writing, {t.cover:.1%} of the sheet"),
        "blue-pencil": (
            blue * (1 - broad * ramp(t.pale, 0.05, 0.25)) * (1 - small),  # solid blacks are a pen's
            f"{seen_blue:.0%} of the marks are light blue under dark ink",
        ),
        "watercolour": (coloured * broad * fluid * (1 - crayon), "broad, pale, see-through colour"),
        "gouache": (coloured * broad * (1 - fluid) * (1 - crayon), "broad areas of dense colour"),
        "print": (aged * plain * (1 - small) * (1 - blue), "one ink on yellowed, blotched paper"),
        "tracing": (
            greyish * plain * (1 - grainy) * ramp(t.mottle, 0.022, 0.03) * (1 - aged),
            f"grey ink (D {t.density:.2f}) on grey, mottled paper",
        ),
        "pencil": (
            max(graphite, crayon) * (1 - aged),
            "colours in grain, with paper between"
            if crayon > graphite
            else f"half-tones make up {tones:.0%} of the marks",
        ),
        "lettering": (
            thick * plain * (1 - rough) * (1 - aged) * (1 - greyish) * (1 - blue),
            "heavy, even, solid strokes",
        ),
        "pen": (
            0.25 + 0.75 * (1 - crayon) * max(several, one * (1 - aged) * (1 - small) * (1 - greyish) * (1 - blue)),
            f"{'one coloured ink' if one_ink else 'inks of several colours'} in thin strokes"
            if several > one
            else f"ink of D {t.density:.2f} in {'washes' if washed else 'thin strokes'}",
        ),
    }
    ranked = sorted(scores.items(), key=lambda item: -item[1][0])
    (medium, (top, why)), (_, (second, _)) = ranked[0], ranked[1]
    sure = float(np.clip(top * (1 - 0.8 * (second / max(top, 1e-6)) ** 2), 0, 0.99))
    return Proposal(medium, sure, why)


def _half_tones(t: Traits) -> float:
    """The share of half-tones in the marks with those that are lost in rough paper, as far as the marks may be graphite's."""
    if t.lost > _LOST:
        return _ASSUMED if t.density < _GRAPHITE[0] else t.half_tones
    return min(t.half_tones / (1 - t.lost * ramp(t.density, _GRAPHITE[1], _GRAPHITE[0])), 1.0)
