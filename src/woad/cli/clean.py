"""``woad clean``: scans in, clean editions out. A contract: options are added, never changed."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from typing import Annotated, Any

import typer

from woad.core.docket.media import starting_docket
from woad.core.docket.model import MEDIA, Docket, docket_from_json
from woad.core.editions.edition import Edition, parse_editions
from woad.core.errors import BadSetting, TheirError


def clean(
    scans: Annotated[list[Path], typer.Argument(metavar="SCAN...", help="Image files.")],
    out: Annotated[Path, typer.Option(help="Folder for the results; made when missing.")],
    medium: Annotated[str, typer.Option(help="auto, or one of: " + ", ".join(MEDIA) + ".")] = "auto",
    editions: Annotated[str, typer.Option(help="cutout, paper; with :png, :jpeg or :tiff after it.")] = "cutout,paper",
    keep_frame: Annotated[
        bool, typer.Option("--keep-frame", help="Keep the scan's own pixel grid: no straightening, no trimming.")
    ] = False,
    docket: Annotated[Path | None, typer.Option(help="Settings to use, as written by --save-docket.")] = None,
    set_: Annotated[
        list[str] | None, typer.Option("--set", metavar="STEP.NAME=VALUE", help="Change one setting; may be repeated.")
    ] = None,
    save_docket: Annotated[
        bool, typer.Option("--save-docket", help="Write the settings used beside the results.")
    ] = False,
    json_: Annotated[bool, typer.Option("--json", help="Print one JSON object per scan.")] = False,
    overwrite: Annotated[bool, typer.Option("--overwrite", help="Replace files that are already there.")] = False,
) -> None:
    """Even the paper, darken the ink, knock the paper out, and write the editions."""
    # No step moves pixels yet, so every run keeps the frame; the option is the promise that it stays so.
    del keep_frame
    try:
        wanted = parse_editions(editions)
        base = _base_docket(docket)
        if medium != "auto" and medium not in MEDIA:
            raise BadSetting("medium", f"There is no medium {medium!r}. Use auto, or one of: {', '.join(MEDIA)}.")
        out.mkdir(parents=True, exist_ok=True)
    except TheirError as error:
        _fail(str(error))
    except OSError as error:
        _fail(f"The folder {out} cannot be made ({error.strerror}). Nothing was changed; choose another one.")
    failed = 0
    taken: dict[str, Path] = {}
    for scan in scans:
        started = time.perf_counter()
        report: dict[str, Any] = {"file": str(scan)}
        try:
            if scan.stem in taken:
                raise BadSetting(
                    "scan",
                    f"{scan.name} would be written over {taken[scan.stem].name}'s results. Give it another name.",
                )
            taken[scan.stem] = scan
            report |= _clean_one(scan, out, medium, wanted, base, set_ or [], save_docket, overwrite, json_)
        except TheirError as error:
            failed += 1
            report |= {"written": [], "error": str(error)}
            if not json_:
                print(f"woad: {error}", file=sys.stderr)
        report["seconds"] = round(time.perf_counter() - started, 3)
        if json_:
            print(json.dumps(report), flush=True)
        elif "error" not in report:
            print(f"{scan.name}: {', '.join(Path(p).name for p in report['written'])} ({report['seconds']:.1f} s)")
    if failed:
        raise typer.Exit(1)


def _clean_one(
    scan: Path, out: Path, medium: str, editions: tuple[Edition, ...], base: Docket | None, changes: list[str],
    save_docket: bool, overwrite: bool, quiet: bool,
) -> dict[str, Any]:  # fmt: skip
    from woad.core.editions.clean import readings_json, write_sheet
    from woad.core.formats.read import open_original
    from woad.core.formats.write import refuse_existing, write_safely
    from woad.core.render.sheet import load_sheet

    original = open_original(scan)
    for edition in editions:
        refuse_existing(edition.path_for(original.stem, out), overwrite)
    docket_path = out / f"{original.stem}-docket.json"
    if save_docket:
        refuse_existing(docket_path, overwrite)
    sheet = load_sheet(original, lean=True)
    chosen = sheet.readings.medium if medium == "auto" else medium
    docket = base if base is not None and medium == "auto" else starting_docket(chosen)
    if base is not None and medium != "auto":
        docket = base.with_setting("medium", medium)
    for change in changes:
        docket = apply_change(docket, change)
    if not quiet and sys.stderr.isatty():
        from rich.console import Console
        from rich.progress import Progress

        with Progress(console=Console(stderr=True), transient=True) as bar:
            task = bar.add_task(scan.name, total=1.0)
            written = write_sheet(
                sheet, docket, editions, out, overwrite, lambda share: bar.update(task, completed=share)
            )
    else:
        written = write_sheet(sheet, docket, editions, out, overwrite)
    report: dict[str, Any] = {"written": [str(one.path) for one in written], "readings": readings_json(sheet, docket)}
    if save_docket:
        text = docket.to_json() + "\n"
        write_safely(docket_path, lambda path: path.write_bytes(text.encode()), overwrite)
        report["docket"] = str(docket_path)
    return report


def apply_change(docket: Docket, change: str) -> Docket:
    """``"paper.grain=0.3"`` applied to a docket. Raises :class:`BadSetting`."""
    path, equals, text = change.partition("=")
    if not equals:
        raise BadSetting(
            path, f"--set {change} has no value. Write it as STEP.NAME=VALUE, for instance paper.grain=0.3."
        )
    value: Any = {"auto": None, "none": None, "true": True, "false": False}.get(text.strip().lower(), text.strip())
    if path.strip() == "knockout.colour":
        value = text.strip()  # "auto" is one of its own values
    return docket.with_setting(path.strip(), value)


def _base_docket(path: Path | None) -> Docket | None:
    if path is None:
        return None
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError):
        raise BadSetting(
            "docket", f"The docket {path.name} cannot be read. Nothing was changed; check the file."
        ) from None
    return docket_from_json(text)


def _fail(says: str) -> None:
    print(f"woad: {says}", file=sys.stderr)
    raise typer.Exit(2)
