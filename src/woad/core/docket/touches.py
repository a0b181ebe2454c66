"""What is set by hand on the sheet: clicked places and brush strokes. All places are shares of the scan, so they stay on
the same marks however the sheet is squared, sized or scanned anew at another resolution."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, field_validator

from woad.core.docket.settings import Settings

Place = tuple[float, float]

MOST_POINTS = 4000


class Touch(Settings):
    """One brush stroke. ``points`` shares of the scan's width and height; ``radius`` share of its longer side;
    ``strength`` 0..1; ``hard`` 0 soft to 1 with a sharp rim; ``source`` the place from which a *copy* takes what it lays
    at its first point."""

    kind: Literal[
        "lighten", "darken", "strengthen", "mend", "copy", "keep", "remove", "remove-paper", "give-back", "take-away"
    ]
    points: tuple[Place, ...]
    radius: Annotated[float, Field(gt=0, le=1)]
    strength: Annotated[float, Field(ge=0, le=1)] = 0.3
    hard: Annotated[float, Field(ge=0, le=1)] = 0.0
    source: Place | None = None

    @field_validator("points")
    @classmethod
    def _some(cls, value: tuple[Place, ...]) -> tuple[Place, ...]:
        if not 1 <= len(value) <= MOST_POINTS:
            raise ValueError(f"a stroke has 1 to {MOST_POINTS} points")
        return value


def on_the_scan(places: tuple[Place, ...]) -> tuple[Place, ...]:
    """The places, if all lie on the scan. Raises ``ValueError``."""
    if any(not (0 <= x <= 1 and 0 <= y <= 1) for x, y in places):
        raise ValueError("a clicked place lies outside the sheet")
    return places


Places = Annotated[tuple[Place, ...], AfterValidator(on_the_scan)]
