"""Settings of the Spotting step: what becomes of strays, hairs and lines, and what was decided or mended by hand."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator

from woad.core.docket.settings import Settings, number
from woad.core.docket.touches import Place, Places, Touch

MOST_DECIDED = 20_000


class Decision(Settings):
    """What was decided of the stray at a place (shares of the scan)."""

    at: Place
    goes: bool


class Area(Settings):
    """A circled area, an outline in shares of the scan. ``all`` in it goes, marks too; or its strays go or stay."""

    kind: Literal["all", "strays-go", "strays-stay"]
    outline: Places

    @field_validator("outline")
    @classmethod
    def _an_area(cls, value: tuple[Place, ...]) -> tuple[Place, ...]:
        if not 3 <= len(value) <= 4000:
            raise ValueError("an area has 3 to 4000 points")
        return value


class SpottingSettings(Settings):
    """Settings of the Spotting step. ``strays``: those judged to be dirt go, all below the limit go, or none go by
    itself; decisions and areas win over it, the newest over the older."""

    on: bool = True
    strays: Literal["dirt", "small", "none"] = "dirt"
    limit_mm: Annotated[
        float, number("Up to", 0.05, 3, "mm", 0.01, "Strays larger than this stay, unless they are decided one by one.")
    ] = 1.2
    hairs: bool = True
    lines: bool = True
    decided: Annotated[tuple[Decision, ...], Field(max_length=MOST_DECIDED)] = ()
    areas: tuple[Area, ...] = ()
    touches: tuple[Touch, ...] = ()
