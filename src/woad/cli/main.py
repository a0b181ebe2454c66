"""The ``woad`` command."""

from __future__ import annotations

import sys

import typer

from woad.cli.clean import clean
from woad.cli.demo import demo_sheets

app = typer.Typer(
    add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False, rich_markup_mode=None,
    help="Turns scanned drawings, lettering and paintings into clean digital artwork.",
)  # fmt: skip
app.command("clean")(clean)
app.command("demo-sheets")(demo_sheets)


@app.callback()
def _commands() -> None:
    """Turns scanned drawings, lettering and paintings into clean digital artwork."""


def main() -> None:
    """Run the command; exit 130 when stopped from the keyboard."""
    try:
        app()
    except KeyboardInterrupt:
        print("woad: stopped. Files already written are whole; nothing else was changed.", file=sys.stderr)
        sys.exit(130)
