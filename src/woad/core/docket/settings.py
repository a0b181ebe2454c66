"""What all settings of a docket share: frozen, strict about unknown fields, with ranges and words in one place."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field


class Settings(BaseModel):
    """Base of the settings of one step."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=False, validate_default=True)


def number(label: str, low: float, high: float, unit: str, step: float, says: str) -> Any:
    """Range and words of a numeric setting, in one place for window, command and handbook."""
    words: dict[str, Any] = {"label": label, "unit": unit, "step": step, "says": says}
    return Field(ge=low, le=high, json_schema_extra=words)
