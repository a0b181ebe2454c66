"""Settings of the Paper and Ink steps."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import field_validator

from woad.core.docket.settings import Settings, number
from woad.core.docket.touches import Places, Touch

Colour8 = tuple[int, int, int]


class PaperSettings(Settings):
    """Settings of the Paper step. ``at`` are places said to be paper, and with ``only`` all there is to go by;
    ``neutral`` takes all hue out of the marks; ``ruling`` takes printed lines, squares and dots off the paper, and a margin;
    ``blotches`` ``None`` takes off what shows through from the reverse side, if that was found; ``ground`` tells whether the
    paper is light, or dark with light marks on it."""

    on: bool = True
    evening: Annotated[
        float, number("Evening", 0, 1, "%", 0.01, "How much of the uneven light and the paper's tone is taken out.")
    ] = 1.0
    grain: Annotated[float, number("Grain", 0, 1, "%", 0.01, "How much of the paper's texture stays.")] = 0.0
    blotches: Annotated[
        float | None,
        number("Blotches", 0, 0.6, "%", 0.01, "What is nowhere as dark as this share of full ink is taken for paper."),
    ] = None
    neutral: Literal["auto", "on", "off"] = "auto"
    ground: Literal["auto", "light", "dark"] = "auto"
    ruling: bool = True
    at: Places = ()
    only: bool = False
    touches: tuple[Touch, ...] = ()


class InkSettings(Settings):
    """Settings of the Ink step. A point that is ``None`` stands where this sheet's own tones put it, and so do
    ``saturation`` and ``sharpness``; ``at`` are places said to be the darkest mark; ``drop_out`` none, by itself, or
    one or two colours (sRGB as seen on white paper); ``white`` what colours are balanced by."""

    on: bool = True
    paper: Annotated[
        float | None, number("Paper point", 0, 1.5, "D", 0.01, "Tones lighter than this become bare paper.")
    ] = None
    middle: Annotated[
        float | None, number("Middle point", 0.01, 2.4, "D", 0.01, "The tone that becomes half covered.")
    ] = None
    ink: Annotated[
        float | None, number("Ink point", 0.05, 2.5, "D", 0.01, "Tones darker than this become full ink.")
    ] = None
    darkness: Annotated[
        float, number("Darkness", 0.3, 3, "D", 0.01, "The density that full ink gets; 3 is the screen's own black.")
    ] = 3.0
    halftones: Literal["auto", "inked", "seen"] = "auto"
    solid: Annotated[float, number("Solid", 0, 1, "%", 0.01, "How far noise inside blacks is filled.")] = 0.0
    boldness: Annotated[float, number("Boldness", -1, 1, "%", 0.01, "How much fine lines gain or lose.")] = 0.0
    drop_out: Literal["off", "auto"] | tuple[Colour8, ...] = "off"
    two_tone: Literal["off", "shape", "where"] = "off"
    white: Literal["auto", "paper", "lightest"] = "auto"
    saturation: Annotated[
        float | None, number("Saturation", 0, 2, "%", 0.01, "How strong a painting's colours are; 100 leaves them.")
    ] = None
    sharpness: Annotated[
        float | None, number("Sharpness", 0, 2, "%", 0.01, "How much of the scan's blur is taken back at edges.")
    ] = None
    at: Places = ()
    touches: tuple[Touch, ...] = ()

    @field_validator("drop_out")
    @classmethod
    def _colours(cls, value: object) -> object:
        if isinstance(value, tuple):
            if not 1 <= len(value) <= 2:
                raise ValueError("one or two colours can be dropped out")
            if any(not 0 <= v <= 255 for colour in value for v in colour):
                raise ValueError("a colour has three values from 0 to 255")
        return value
