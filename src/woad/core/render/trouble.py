"""What on a sheet wants to be looked at, in words that the window and the command share; an empty text when nothing does."""

from __future__ import annotations

from woad.core.docket.model import Docket
from woad.core.render.readings import Readings
from woad.core.render.recipe import is_one_ink

_MOST_LIGHT = 0.15  # share of a sheet up to which light marks are marks; more may be bare paper beside a wash


def paper_trouble(docket: Docket, readings: Readings) -> str:
    """Of the Paper step."""
    if readings.light_doubt is not None:
        reason = readings.light_doubt.reason
        return f"The light could not be read: {reason}. Click a bare place with This is paper, or take the border"
    light = readings.light_marks
    if light is None:
        return ""
    says = f"{light.share:.1%} of the sheet is lighter than its paper"
    if is_one_ink(docket, readings):
        return f"{says} and goes with it. Colour: Keep in the Knock-out step holds light marks"
    if light.share > _MOST_LIGHT:
        return f"{says} and kept as light marks. If it is bare paper, click it with This is paper"
    return ""


def ink_trouble(readings: Readings) -> str:
    """Of the Ink step."""
    return "No marks were found on the sheet" if readings.ink_density is None else ""
