"""What a sheet is: a medium proposed from its traits, with the reason in words."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from woad.core.docket.model import Medium
from woad.core.render.signs import Signs
from woad.core.render.traits import Traits, ramp


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
    ranked = sorted(_scores(traits, one_ink).items(), key=lambda item: -item[1][0])
    (medium, (top, why)), (_, (second, _)) = ranked[0], ranked[1]
    sure = float(np.clip(top * (1 - 0.8 * (second / max(top, 1e-6)) ** 2), 0, 0.99))
    return Proposal(medium, sure, why)


def _scores(traits: Traits, one_ink: bool) -> dict[Medium, tuple[float, str]]:
    """How well each medium fits, 0..1, and what speaks for it."""
    s = Signs(traits, one_ink)
    hues, tones = traits.hues, traits.tones
    aged, greyish, blue = s.aged, s.greyish, s.blue
    if traits.light_marks:  # on toned paper: neither yellowed, nor tracing paper, nor over a pencil
        aged = greyish = blue = 0.0
    # Coloured pencils are that, be their areas broad or not.
    crayon = traits.crayon * (1 - one_ink) * (1 - s.small) * (1 - s.blue)
    graphite = max(s.charcoal, s.grainy * s.plain * ramp(tones.density, 1.3, 1.08) * (1 - s.washed))
    painted = s.coloured * s.broad * (1 - crayon)
    one = s.plain * max((1 - s.rough) * (1 - s.thick), s.washed)
    several = s.coloured * (1 - s.broad) * (1 - s.small) * max(s.inks, s.lined * (1 - s.blue))
    inked = max(several, one * (1 - aged) * (1 - s.small) * (1 - greyish) * (1 - blue))
    return {
        "signature": (s.small, f"one piece of writing, {traits.shape.cover:.1%} of the sheet"),
        "blue-pencil": (
            blue * (1 - s.broad * ramp(tones.pale, 0.05, 0.25)) * (1 - s.small),  # solid blacks are a pen's
            f"{max(hues.blue, hues.blue_lines):.0%} of the marks are light blue under dark ink",
        ),
        "watercolour": (painted * s.fluid, "broad, pale, see-through colour"),
        "gouache": (painted * (1 - s.fluid), "broad areas of dense colour"),
        "print": (
            aged * s.plain * (1 - s.small) * (1 - blue) * (1 - s.broad_grain),
            "one ink on yellowed, blotched paper",
        ),
        "tracing": (
            greyish * s.plain * (1 - s.grainy) * ramp(traits.paper.mottle, 0.022, 0.03) * (1 - aged),
            f"grey ink (D {tones.density:.2f}) on grey, mottled paper",
        ),
        "pencil": (
            max(max(graphite, crayon) * (1 - aged), s.broad_grain),
            "colours in grain, with paper between"
            if crayon > graphite
            else f"half-tones make up {s.half_tones:.0%} of the marks",
        ),
        "lettering": (
            s.thick * s.plain * (1 - s.rough) * (1 - aged) * (1 - greyish) * (1 - blue),
            "heavy, even, solid strokes",
        ),
        "pen": (
            0.25 + 0.75 * (1 - crayon) * inked,
            f"{'one coloured ink' if one_ink else 'inks of several colours'} in thin strokes"
            if several > one
            else f"ink of D {tones.density:.2f} in {'washes' if s.washed else 'thin strokes'}",
        ),
    }
