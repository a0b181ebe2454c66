"""``woad demo-sheets``: draw the demo sheets anew."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer


def demo_sheets(out: Annotated[Path, typer.Option(help="Folder to write the demo scans to.")]) -> None:
    """Draw the Tidewrack press's sheets and simulate their scans."""
    from woad.demo.job import draw_demo_sheets

    for path in draw_demo_sheets(out):
        typer.echo(str(path))
