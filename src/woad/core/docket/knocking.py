"""Settings of the Knock-out and Edge steps."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from woad.core.docket.marking import Colour8
from woad.core.docket.settings import Settings, number
from woad.core.docket.touches import Place, Places, Touch
from woad.core.units import mm_to_px


class TonePick(Settings):
    """A tone to remove: its ``colour`` (sRGB after Ink), how far from it still counts (``reach``, steps of 255), and
    whether only what hangs ``together`` with the clicked place goes, or all of that tone."""

    at: Place
    colour: Colour8
    reach: Annotated[float, Field(ge=0, le=255)] = 24.0
    together: bool = False


class KnockoutSettings(Settings):
    """Settings of the Knock-out step. ``clearing`` and ``softness`` ``None`` follow this sheet's paper noise; with
    ``see_through`` paper that marks enclose goes too, else only what can be reached from outside; ``subject`` an outline
    outside of which all goes."""

    on: bool = True
    colour: Literal["auto", "keep", "one ink"] = "auto"
    clearing: Annotated[
        float | None, number("Clearing", 0, 0.3, "D", 0.005, "The density from which a mark counts.")
    ] = None
    softness: Annotated[
        float | None, number("Softness", 0, 0.15, "D", 0.005, "How gently marks near the clearing fade out.")
    ] = None
    body: Annotated[
        float, number("Body", 0, 1, "%", 0.01, "Coloured marks from see-through (0) over washes (50) to opaque (100).")
    ] = 0.5
    see_through: bool = True
    gap_mm: Annotated[
        float, number("Gap closed", 0, 3, "mm", 0.05, "Gaps in an outline up to this wide do not let paper leak.")
    ] = 0.4
    tones: Annotated[tuple[TonePick, ...], Field(max_length=12)] = ()
    subject: Places = ()
    touches: tuple[Touch, ...] = ()

    def by_itself(self) -> KnockoutSettings:
        """The same without what was done by hand."""
        return self.model_copy(update={"tones": (), "subject": (), "touches": (), "see_through": True})


class EdgeSettings(Settings):
    """Settings of the Edge step. ``move`` grows marks outwards (spread) or, below zero, trims them inwards (choke), in
    ``unit``; ``thin`` keeps parts that are thinner than the choke."""

    on: bool = True
    move: Annotated[
        float, number("Spread, choke", -8, 8, "px", 0.1, "How far edges move outwards; below zero inwards.")
    ] = 0.0
    unit: Literal["px", "mm"] = "px"
    thin: bool = True
    smooth: Annotated[
        float, number("Smooth", 0, 8, "px", 0.5, "Bumps up to about this size are evened; corners stay.")
    ] = 0.0
    crispness: Annotated[
        float, number("Crispness", -1, 1, "%", 0.05, "Edges from soft through as they are (0) to crisp.")
    ] = 0.0
    touches: tuple[Touch, ...] = ()

    def move_px(self, ppi: float | None) -> float:
        """How far edges move, px of the full-size sheet."""
        return self.move if self.unit == "px" else mm_to_px(self.move, ppi or 300.0)

    def acts(self) -> bool:
        """Whether the step changes anything."""
        return self.on and (self.move != 0 or self.smooth > 0 or self.crispness != 0)
