"""The ``woad`` command. The standard library's parser: it loads in a tenth of the time others take."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

MEDIA_TEXT = "pen|pencil|lettering|tracing|blue-pencil|watercolour|gouache|print|signature"


def parser() -> argparse.ArgumentParser:
    """All commands and their options."""
    top = argparse.ArgumentParser(
        prog="woad", description="Turns scanned drawings, lettering and paintings into clean digital artwork."
    )
    commands = top.add_subparsers(dest="command", required=True, metavar="COMMAND")
    clean = commands.add_parser("clean", help="scans in, clean editions out")
    clean.add_argument("scans", nargs="+", type=Path, metavar="SCAN", help="image files")
    clean.add_argument(
        "--out", type=Path, required=True, metavar="DIR", help="folder for the results; made when missing"
    )
    clean.add_argument("--medium", default="auto", help=f"auto|{MEDIA_TEXT}")
    clean.add_argument(
        "--editions", default="cutout,paper", help="cutout, paper, darken; with :png, :jpeg or :tiff after it"
    )
    clean.add_argument(
        "--keep-frame", action="store_true", help="keep the scan's own pixel grid: no straightening, no trimming"
    )
    clean.add_argument("--docket", type=Path, metavar="FILE", help="settings to use, as written by --save-docket")
    clean.add_argument(
        "--mix",
        nargs=2,
        metavar=("FILE", "SHARE"),
        help="mix in the picture that another docket gives, SHARE 0 to 1 of it",
    )
    clean.add_argument("--set", action="append", default=[], metavar="STEP.NAME=VALUE", help="change one setting")
    clean.add_argument(
        "--save-docket", type=Path, metavar="FILE", help="write the settings used; of further scans to FILE-<scan>"
    )
    clean.add_argument("--json", action="store_true", help="print one JSON object per scan")
    clean.add_argument("--overwrite", action="store_true", help="replace files that are already there")
    report = commands.add_parser("report", help="is a scan good enough? Writes nothing")
    report.add_argument("scans", nargs="+", type=Path, metavar="SCAN", help="image files")
    report.add_argument("--json", action="store_true", help="print one JSON object per scan")
    demo = commands.add_parser("demo-sheets", help="draw the demo sheets anew")
    demo.add_argument("--out", type=Path, required=True, metavar="DIR")
    return top


def main() -> None:
    """Run the command; exit 130 when stopped from the keyboard."""
    args = parser().parse_args()
    try:
        if args.command == "clean":
            from woad.cli.clean import clean

            sys.exit(clean(args))
        if args.command == "report":
            from woad.cli.report import report

            sys.exit(report(args))
        from woad.demo.job import draw_demo_sheets

        for path in draw_demo_sheets(args.out):
            print(path)
    except KeyboardInterrupt:
        print("woad: stopped. Files already written are whole; nothing else was changed.", file=sys.stderr)
        sys.exit(130)
