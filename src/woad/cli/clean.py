"""``woad clean``: scans in, clean editions out. A contract: options are added, never changed."""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from itertools import chain
from pathlib import Path
from typing import TYPE_CHECKING, Any

from woad.cli.scans import Decoded, Picture, decoded_ahead
from woad.core.errors import BadSetting, CannotWrite, TheirError

if TYPE_CHECKING:
    from collections.abc import Iterator

    from woad.core.docket.model import Docket
    from woad.core.editions.edition import Edition


@dataclass(frozen=True)
class Wish:
    """What the command line asks of every scan: the ``editions``, the ``base`` docket, and a docket's ``mix``."""

    editions: tuple[Edition, ...]
    base: Docket | None
    mix: dict[str, Any] | None


def clean(args: argparse.Namespace) -> int:
    """Clean every scan; 0 only if all were written, 1 if some were not, 2 if the wish itself was wrong."""
    started = time.perf_counter()
    # What the decoder needs is loaded before its thread starts: two threads that import only get in each other's way.
    import woad.core.formats.read  # noqa: F401

    with ThreadPoolExecutor(1) as ahead:
        # The first scan is decoded while the rest of the program loads; each next one while its forerunner is worked on.
        queue = decoded_ahead(args.scans, ahead)
        first = next(queue)
        try:
            wish = _wish(args)
        except TheirError as error:
            print(f"woad: {error}", file=sys.stderr)
            ahead.shutdown(wait=False, cancel_futures=True)
            return 2
        failed = 0
        taken: dict[str, str] = {}
        for number, (picture, coming) in enumerate(chain([first], queue)):
            report = picture.told()
            try:
                _claim_name(picture.stem, picture.scan.name, taken)
                keep = _docket_file(args.save_docket, picture.stem if number else "")
                report |= _clean_one(picture, coming, args, wish, keep)
            except TheirError as error:
                failed += 1
                report |= {"written": [], "error": str(error)}
            report["seconds"] = round(time.perf_counter() - started, 3)
            started = time.perf_counter()
            _tell(picture.name, report, args.json)
    return 1 if failed else 0


def _wish(args: argparse.Namespace) -> Wish:
    """Check everything that does not depend on a scan. Raises ``TheirError``."""
    from woad.core.docket.model import MEDIA, Docket
    from woad.core.editions.edition import parse_editions

    wish = Wish(
        parse_editions(args.editions),
        base=None if args.docket is None else _read_docket(args.docket, "docket"),
        mix=None if args.mix is None else _take(*args.mix),
    )
    if args.medium != "auto" and args.medium not in MEDIA:
        raise BadSetting("medium", f"There is no medium {args.medium!r}. Use auto, or one of: {', '.join(MEDIA)}.")
    _changed(wish.base or Docket(), wish, args)  # what is set must be known, and right
    try:
        args.out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(
            f"The folder {args.out} cannot be made ({error.strerror}). Nothing was changed; choose another one."
        ) from None
    if args.save_docket is not None and not args.save_docket.absolute().parent.is_dir():
        raise CannotWrite(f"The folder for {args.save_docket} is not there. Nothing was changed; choose another one.")
    return wish


def _claim_name(stem: str, name: str, taken: dict[str, str]) -> None:
    if stem in taken:
        raise BadSetting("scan", f"{name} would be written over {taken[stem]}'s results. Give it another name.")
    taken[stem] = name


def _docket_file(wish: Path | None, stem: str) -> Path | None:
    """Where a picture's settings go: the first one's (no ``stem``) to the file that was named, each other's beside it."""
    return wish.with_stem(f"{wish.stem}-{stem}") if wish is not None and stem else wish


def _clean_one(
    picture: Picture,
    coming: Future[Decoded],
    args: argparse.Namespace,
    wish: Wish,
    keep: Path | None,
) -> dict[str, Any]:
    """Clean one picture and keep its settings in the file ``keep``. Raises ``TheirError``."""
    from woad.core.docket.media import starting_docket
    from woad.core.docket.model import Docket
    from woad.core.editions.clean import readings_json, write_sheet
    from woad.core.editions.edition import Destination
    from woad.core.formats.write import refuse_existing, write_safely
    from woad.core.render.sheet import resquare
    from woad.core.render.strays import lean_sheet
    from woad.core.render.trouble import ink_trouble, paper_trouble

    to = Destination(args.out, picture.stem, args.overwrite, args.scans)
    for edition in wish.editions:
        to.path(edition)
    if keep is not None:
        refuse_existing(keep, args.overwrite, args.scans)
    sheet = lean_sheet(*coming.result(), _changed(wish.base or Docket(), wish, args))
    docket = wish.base
    if docket is None:
        docket = starting_docket(sheet.readings.medium if args.medium == "auto" else args.medium)
    elif args.medium != "auto":
        docket = docket.with_setting("medium", args.medium)
    docket = _changed(docket, wish, args)
    sheet = resquare(sheet, docket)
    with _progress(picture.name, args.json) as progress:
        done = write_sheet(sheet, docket, wish.editions, to, progress)
    report: dict[str, Any] = {
        "written": [str(one.path) for one in done.written],
        "readings": readings_json(sheet, docket, done.found),
    }
    look = paper_trouble(docket, sheet.readings) or ink_trouble(sheet.readings)
    if look:
        report["look"] = f"{look}."
    if keep is not None:
        text = docket.to_json() + "\n"
        write_safely(keep, lambda path: path.write_bytes(text.encode()), args.overwrite)
        report["docket"] = str(keep)
    return report


def _changed(docket: Docket, wish: Wish, args: argparse.Namespace) -> Docket:
    """The docket with all that the command line sets. ``--keep-frame`` comes last: it is a promise."""
    if wish.mix is not None:
        docket = docket.with_setting("mix", wish.mix)
    for change in args.set:
        docket = apply_change(docket, change)
    return docket.with_setting("square.on", False) if args.keep_frame else docket


@contextmanager
def _progress(name: str, quiet: bool) -> Iterator[Callable[[float], None] | None]:
    """A progress bar, on a terminal only."""
    if quiet or not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import Progress

    with Progress(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(name, total=1.0)
        yield lambda share: bar.update(task, completed=share)


def _tell(name: str, report: dict[str, Any], as_json: bool) -> None:
    if as_json:
        print(json.dumps(report), flush=True)
    elif "error" in report:
        print(f"woad: {report['error']}", file=sys.stderr)
    else:
        print(f"{name}: {', '.join(Path(p).name for p in report['written'])} ({report['seconds']:.1f} s)")
        if "look" in report:
            print(f"woad: look at {name} in the window. {report['look']}", file=sys.stderr)


def apply_change(docket: Docket, change: str) -> Docket:
    """``"paper.grain=0.3"`` applied to a docket. Raises :class:`BadSetting`."""
    path, equals, text = (part.strip() for part in change.partition("="))
    if not equals:
        raise BadSetting(
            path, f"--set {change} has no value. Write it as STEP.NAME=VALUE, for instance paper.grain=0.3."
        )
    word = text.lower()
    if word == "auto":
        with suppress(BadSetting):  # one of the setting's own words, else what stands where the sheet puts it
            return docket.with_setting(path, word)
    value: Any = {"auto": None, "none": None}.get(word, text)
    if value is not None:
        try:
            value = json.loads(text)
        except json.JSONDecodeError:
            value = {"true": True, "false": False}.get(word, text)
    return docket.with_setting(path, value)


def _take(file: str, share: str) -> dict[str, Any]:
    """The value of a docket's ``mix``: the docket in ``file`` and how much of it. Raises :class:`BadSetting`."""
    try:
        part = float(share)
    except ValueError:
        raise BadSetting(
            "mix", f"{share} is no share to mix in. Nothing was changed; give a number from 0 to 1."
        ) from None
    path = Path(file)
    return {"name": path.stem, "share": part, "take": _read_docket(path, "mix").model_dump()}


def _read_docket(path: Path, asked: str) -> Docket:
    """The docket in a file, named by the option ``asked``. Raises :class:`BadSetting`."""
    from woad.core.docket.model import docket_from_json

    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError):
        raise BadSetting(
            asked, f"The docket {path.name} cannot be read. Nothing was changed; check the file."
        ) from None
    return docket_from_json(text)
