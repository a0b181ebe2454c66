"""Settings of the Scan and Square steps. Places are shares of the scan or the plane, so they hold at any resolution."""

from __future__ import annotations

import itertools
from typing import Annotated, Literal

from pydantic import field_validator

from woad.core.docket.settings import Settings, number

Point = tuple[float, float]
Corners = tuple[Point, Point, Point, Point]
Box = tuple[float, float, float, float]

LEAST_TRIM = 0.004  # a trim frame's least width and height


class ScanSettings(Settings):
    """Settings of the Scan step. ``ppi`` ``None`` is what the file says; ``print_mm`` the wanted print's longer side;
    ``unsharpen`` takes back what the scanner or phone sharpened, ``align`` lays colours that it laid apart back."""

    ppi: Annotated[
        float | None, number("Resolution", 20, 10_000, "ppi", 1, "Pixels per inch, when the file says nothing true.")
    ] = None
    print_mm: Annotated[
        float | None, number("Print, longer side", 10, 5000, "mm", 1, "How large the artwork is to be printed.")
    ] = None
    unsharpen: bool = True
    align: bool = True


class BowSettings(Settings):
    """A line that should be straight: three to twelve points along it, shares of the plane's width and height."""

    points: tuple[Point, ...]
    level: bool = False

    @field_validator("points")
    @classmethod
    def _a_line(cls, value: tuple[Point, ...]) -> tuple[Point, ...]:
        if not 3 <= len(value) <= 12:
            raise ValueError("a bow has three to twelve points")
        (x0, y0), (x1, y1) = value[0], value[-1]
        along = ((x1 - x0) ** 2 + (y1 - y0) ** 2) ** 0.5
        if along < 0.02:
            raise ValueError("a bow needs two ends that lie apart")
        at = [((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / along for x, y in value]
        if any(b - a < 0.004 for a, b in itertools.pairwise(at)):
            raise ValueError("a bow's points must follow each other from one end to the other")
        return value


class SquareSettings(Settings):
    """Settings of the Square step.

    ``straighten`` degrees taken out, clockwise positive, ``None`` by itself; ``corners`` of the sheet as shares of the
    scan, clockwise from the sheet's top left; ``trim`` by itself to the ``sheet`` or the ``artwork``, ``off``, or
    a box (x, y, width, height) in shares of the plane; ``tape`` fills strips of masking tape with paper.
    """

    on: bool = True
    turn: Literal[0, 90, 180, 270] = 0
    mirror: bool = False
    straighten: Annotated[
        float | None, number("Straighten", -45, 45, "°", 0.05, "The tilt that is taken out; clockwise is positive.")
    ] = None
    corners: Literal["auto", "off"] | Corners = "auto"
    proportions: Literal["auto", "seen", "a-size", "letter"] = "auto"
    trim: Literal["sheet", "artwork", "off"] | Box = "sheet"
    margin_mm: Annotated[float, number("Margin", 0, 100, "mm", 0.5, "Paper that stays around the artwork.")] = 5.0
    bows: tuple[BowSettings, ...] = ()
    tape: bool = True

    @field_validator("corners")
    @classmethod
    def _a_sheet(cls, value: object) -> object:
        if isinstance(value, tuple):
            for x, y in value:
                if not (-0.5 <= x <= 1.5 and -0.5 <= y <= 1.5):
                    raise ValueError("a corner lies far outside the scan")
            trouble = crossed(value)
            if trouble:
                raise ValueError(trouble)
        return value

    @field_validator("trim")
    @classmethod
    def _on_the_sheet(cls, value: object) -> object:
        if isinstance(value, tuple):
            x, y, w, h = value
            if w < LEAST_TRIM or h < LEAST_TRIM:
                raise ValueError("the frame is collapsed; it must be wider and higher than that")
            if x >= 1 or y >= 1 or x + w <= 0 or y + h <= 0:
                raise ValueError("the frame lies outside the sheet")
        return value


def crossed(corners: Corners) -> str | None:
    """Why four corners cannot be a sheet's: crossed, collapsed or in the wrong order; None when they can."""
    turns = []
    for i in range(4):
        (ax, ay), (bx, by), (cx, cy) = corners[i], corners[(i + 1) % 4], corners[(i + 2) % 4]
        turns.append((bx - ax) * (cy - by) - (by - ay) * (cx - bx))
    if min(abs(turn) for turn in turns) < 4e-4:
        return "two corners, or three in one line, fall together"
    if not all(turn > 0 for turn in turns):
        return "the corners cross; they go clockwise from the sheet's top left"
    return None
