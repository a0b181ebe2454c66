"""Words and ranges of each setting, read off the docket's own fields."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from woad.core.docket.model import Docket
from woad.core.errors import OurError


@dataclass(frozen=True)
class Setting:
    """A numeric setting: ``path`` in the docket, ``label``, range, ``unit`` (``%`` shows 0..1 as 0..100)."""

    path: str
    label: str
    low: float
    high: float
    unit: str
    step: float
    says: str

    @property
    def shown_factor(self) -> float:
        """What a stored value is multiplied with to be shown."""
        return 100.0 if self.unit == "%" else 1.0


def setting(path: str) -> Setting:
    """The setting at ``path``, for instance ``"paper.grain"``."""
    step, name = path.split(".")
    model: Any = Docket.model_fields[step].annotation
    info = model.model_fields[name]
    words = info.json_schema_extra
    if not isinstance(words, dict):
        raise OurError(f"{path} is not a numeric setting")
    low = next(m.ge for m in info.metadata if hasattr(m, "ge"))
    high = next(m.le for m in info.metadata if hasattr(m, "le"))
    return Setting(path, str(words["label"]), low, high, str(words["unit"]), float(words["step"]), str(words["says"]))
