"""Names given on a bench's command line, separated by commas."""

from __future__ import annotations

import argparse
from collections.abc import Iterable


def names(parser: argparse.ArgumentParser, given: str, known: Iterable[str]) -> list[str]:
    """The names; one that is not ``known`` ends the run before anything is measured."""
    asked, known = given.split(","), list(known)
    if unknown := [name for name in asked if name not in known]:
        parser.error(f"{', '.join(unknown)}: not one of {', '.join(known)}")
    return asked
