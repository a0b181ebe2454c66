"""The docket: every setting of one sheet as one frozen, validated value with a JSON form."""

from __future__ import annotations

import json
from itertools import pairwise
from typing import Annotated, Any, Literal, get_args

from pydantic import ValidationError, field_validator

from woad.core.docket.settings import Settings, number
from woad.core.docket.squaring import ScanSettings, SquareSettings
from woad.core.errors import BadSetting

Medium = Literal["pen", "pencil", "lettering", "tracing", "blue-pencil", "watercolour", "gouache", "print", "signature"]
MEDIA: tuple[str, ...] = get_args(Medium)


class PaperSettings(Settings):
    """Settings of the Paper step."""

    on: bool = True
    evening: Annotated[
        float, number("Evening", 0, 1, "%", 0.01, "How much of the uneven light and the paper's tone is taken out.")
    ] = 1.0
    grain: Annotated[float, number("Grain", 0, 1, "%", 0.01, "How much of the paper's texture stays.")] = 0.0


class InkSettings(Settings):
    """Settings of the Ink step. A point that is ``None`` stands where this sheet's own tones put it."""

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
    halftones: Literal["inked", "seen"] = "inked"


class KnockoutSettings(Settings):
    """Settings of the Knock-out step. ``clearing`` and ``softness`` ``None`` follow this sheet's paper noise."""

    on: bool = True
    colour: Literal["auto", "keep", "one ink"] = "auto"
    clearing: Annotated[
        float | None, number("Clearing", 0, 0.3, "D", 0.005, "The density from which a mark counts.")
    ] = None
    softness: Annotated[
        float | None, number("Softness", 0, 0.15, "D", 0.005, "How gently marks near the clearing fade out.")
    ] = None


class Docket(Settings):
    """Settings of one sheet. Values never change: :meth:`with_setting` makes a new docket."""

    version: Literal[1] = 1
    medium: Medium = "pen"
    scan: ScanSettings = ScanSettings()
    square: SquareSettings = SquareSettings()
    paper: PaperSettings = PaperSettings()
    ink: InkSettings = InkSettings()
    knockout: KnockoutSettings = KnockoutSettings()

    @field_validator("ink")
    @classmethod
    def _points_in_order(cls, value: InkSettings) -> InkSettings:
        set_points = [p for p in (value.paper, value.middle, value.ink) if p is not None]
        if any(b <= a for a, b in pairwise(set_points)):
            raise ValueError("the paper, middle and ink points must stand in this order, from light to dark")
        return value

    def with_setting(self, path: str, value: Any) -> Docket:
        """A docket with one setting changed, for instance ``("paper.grain", 0.3)``. Raises :class:`BadSetting`."""
        data = self.model_dump()
        *parents, last = path.split(".")
        place: Any = data
        for part in parents:
            place = place.get(part) if isinstance(place, dict) else None
        if not isinstance(place, dict) or last not in place or isinstance(place[last], dict):
            raise BadSetting(path, f"There is no setting called {path}. Known ones are: {', '.join(setting_paths())}.")
        place[last] = value
        return docket_from(data)

    def to_json(self) -> str:
        """JSON text, readable and stable."""
        return json.dumps(self.model_dump(), indent=2)


def docket_from(data: Any) -> Docket:
    """A docket from JSON-like data. Raises :class:`BadSetting` naming the field that is unknown or wrong."""
    try:
        return Docket.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"]) or "docket"
        if first["type"] == "extra_forbidden":
            says = f"The docket has a setting that Woad does not know: {field}. Nothing was changed; remove it."
        else:
            # Beyond step and setting the library names its own types, not the docket's fields.
            field = ".".join(str(part) for part in first["loc"][:2]) or "docket"
            reason = first["msg"].removeprefix("Value error, ")
            says = f"The setting {field} is wrong: {reason} (got {_short(first.get('input'))}). Nothing was changed."
        raise BadSetting(field, says) from None


def docket_from_json(text: str) -> Docket:
    """A docket from JSON text. Raises :class:`BadSetting`."""
    try:
        data = json.loads(text)
    except json.JSONDecodeError as error:
        raise BadSetting(
            "docket", f"The docket is not valid JSON (line {error.lineno}). Nothing was changed."
        ) from None
    if not isinstance(data, dict):
        raise BadSetting("docket", "The docket must be a JSON object. Nothing was changed.")
    return docket_from(data)


def setting_paths() -> list[str]:
    """All settings as ``step.name``, in the order of the work."""
    out = ["medium"]
    for step, info in Docket.model_fields.items():
        kind = info.annotation
        if isinstance(kind, type) and issubclass(kind, Settings):
            out += [f"{step}.{name}" for name in kind.model_fields]
    return out


def _short(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 40 else text[:37] + "..."
