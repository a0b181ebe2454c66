"""An estimator's honest "I cannot tell"."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class NoEstimate:
    """False in a condition; ``reason`` says in plain words why there is no answer."""

    reason: str

    def __bool__(self) -> bool:
        return False
