"""The docket: every setting of one sheet as one frozen, validated value with a JSON form."""

from __future__ import annotations

import json
from itertools import pairwise
from typing import Annotated, Any, Literal, get_args

from pydantic import Field, ValidationError, field_validator

from woad.core.docket.knocking import EdgeSettings, KnockoutSettings
from woad.core.docket.marking import InkSettings, PaperSettings
from woad.core.docket.settings import Settings
from woad.core.docket.spotting import SpottingSettings
from woad.core.docket.squaring import ScanSettings, SquareSettings
from woad.core.errors import BadSetting

Medium = Literal["pen", "pencil", "lettering", "tracing", "blue-pencil", "watercolour", "gouache", "print", "signature"]
MEDIA: tuple[str, ...] = get_args(Medium)


class Mix(Settings):
    """Another take mixed in: its ``name``, its ``share`` 0..1 of the picture, and its settings."""

    name: str
    share: Annotated[float, Field(ge=0, le=1)]
    take: Docket

    @field_validator("take")
    @classmethod
    def _plain(cls, value: Docket) -> Docket:
        return value.model_copy(update={"mix": None})


class Docket(Settings):
    """Settings of one sheet. Values never change: :meth:`with_setting` makes a new docket."""

    version: Literal[1] = 1
    medium: Medium = "pen"
    scan: ScanSettings = ScanSettings()
    square: SquareSettings = SquareSettings()
    paper: PaperSettings = PaperSettings()
    ink: InkSettings = InkSettings()
    spotting: SpottingSettings = SpottingSettings()
    knockout: KnockoutSettings = KnockoutSettings()
    edge: EdgeSettings = EdgeSettings()
    mix: Mix | None = None

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
            from difflib import get_close_matches  # only what is misspelt needs it

            near = " or ".join(get_close_matches(path, setting_paths()))
            hint = f"did you mean {near}?" if near else "the handbook lists them all."
            raise BadSetting(path, f"There is no setting called {path}. Nothing was changed; {hint}")
        place[last] = value
        return docket_from(data)

    def mixed_in(self) -> Docket | None:
        """The other take as it is mixed: on the same squared sheet. None when nothing is mixed in."""
        if self.mix is None or self.mix.share <= 0:
            return None
        return self.mix.take.model_copy(update={"scan": self.scan, "square": self.square, "mix": None})

    def unmixed(self) -> Docket:
        return self if self.mix is None else self.model_copy(update={"mix": None})

    def to_json(self) -> str:
        """JSON text, readable and stable."""
        return json.dumps(self.model_dump(), indent=2)


def docket_from(data: Any) -> Docket:
    """A docket from JSON-like data. Raises :class:`BadSetting` naming the field that is unknown or wrong."""
    plain = None
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
            plain = f"{reason[:1].upper()}{reason[1:]}. Nothing was changed."
        raise BadSetting(field, says, plain) from None


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
