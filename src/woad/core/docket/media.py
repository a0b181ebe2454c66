"""Starting values per medium, from data files."""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files
from typing import Any

from woad.core.docket.model import Docket, Medium, docket_from

MEDIUM_NAMES: dict[str, str] = {
    "pen": "pen",
    "pencil": "pencil",
    "lettering": "lettering",
    "tracing": "marker on tracing paper",
    "blue-pencil": "ink over blue pencil",
    "watercolour": "watercolour",
    "gouache": "opaque paint",
    "print": "old print",
    "signature": "signature",
}


@cache
def starting_docket(medium: Medium) -> Docket:
    """The docket a sheet of this medium starts with."""
    text = files("woad.core.docket").joinpath("media", f"{medium}.json").read_text(encoding="utf-8")
    data: dict[str, Any] = json.loads(text)
    return docket_from({"medium": medium, **data})
