"""Strays: measure on simulated sheets how much dirt goes and how many small marks stay, as written."""

from __future__ import annotations

import argparse
import warnings
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context

import cv2
import numpy as np
from numpy.typing import NDArray

from dirt import Dirty, Kind, dirty
from media import ALL
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.render.whole import render_whole


def sheet_for(sheet: Dirty, encoded: NDArray[np.uint8] | None = None) -> tuple[Sheet, Docket]:
    """The picture measured by Woad with its medium's starting values, on the scan's own grid."""
    picture = sheet.encoded if encoded is None else encoded
    png = cv2.imencode(".png", picture[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 0])[1].tobytes()
    docket = starting_docket(sheet.flat.medium).with_setting("square.on", False)  # type: ignore[arg-type]
    docket = docket.with_setting("scan.ppi", sheet.flat.ppi)
    return make_sheet(take_in("sheet.png", png), build_pyramid(picture), docket), docket


@dataclass(frozen=True)
class Tally:
    """What was there on a sheet of ``medium`` and how much of it went or stayed, as written: specks that go, small marks
    that stay, hairs on bare paper that go; and the share of all art's coverage that was ``lost``."""

    medium: str
    specks: tuple[int, int]
    marks: tuple[int, int]
    hairs: tuple[int, int]
    lost: float


def measured(job: tuple[str, int, Kind]) -> Tally:
    """The tally of a sheet: medium, seed and kind of it."""
    warnings.simplefilter("ignore")
    medium, seed, kind = job
    sheet = dirty(medium, seed, kind=kind)
    loaded, docket = sheet_for(sheet)
    before = render_whole(loaded, docket.with_setting("spotting.on", False)).alpha
    after = render_whole(loaded, docket).alpha
    assert before is not None and after is not None
    gone = kept = specks = marks = 0
    for x, y, r in sheet.specks:
        part = _around(before, x, y, r)
        if part.max(initial=0) >= 10:  # what the paper's evening has taken already is no stray
            specks += 1
            gone += int(_around(after, x, y, r).max(initial=0) <= 2)
    for x, y, r in sheet.marks:
        was = float(_around(before, x, y, r).sum())
        if was > 0:
            marks += 1
            kept += int(float(_around(after, x, y, r).sum()) >= 0.9 * was)
    art = sheet.flat.marks & (sheet.hairs == 0)
    lost = 1 - float(after[art].sum()) / max(float(before[art].sum()), 1.0)
    return Tally(medium, (specks, gone), (marks, kept), _hairs_on_paper(sheet, before, after), lost)


def _hairs_on_paper(sheet: Dirty, before: NDArray[np.uint8], after: NDArray[np.uint8]) -> tuple[int, int]:
    """Hairs that lie on bare paper all along and show, and those that leave nothing."""
    near = cv2.dilate(sheet.flat.marks.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    hairs = gone = 0
    for number in np.unique(sheet.hairs[sheet.hairs > 0]).tolist():
        own = sheet.hairs == number
        if near[own].any() or before[own].max() < 25:
            continue
        hairs += 1
        gone += int((after[own] > 2).mean() < 0.02)
    return hairs, gone


def _around(alpha: NDArray[np.uint8], x: float, y: float, r: float) -> NDArray[np.uint8]:
    reach = max(round(r), 1)
    return alpha[max(int(y) - reach, 0) : int(y) + reach + 1, max(int(x) - reach, 0) : int(x) + reach + 1]


def strays_row(first: int, sheets: int, media: list[str], kind: Kind = "usual") -> list[str]:
    """Print a table per medium and return the misses. A ``grimy`` sheet's is there to be compared; it has no bars."""
    jobs = [(m, first + i, kind) for m in media for i in range(sheets)]
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        rows = list(pool.map(measured, jobs))
    misses = []
    print(
        f"  {'strays, ' + kind:14s}{'dirt gone':>22s}{'small marks kept':>24s}{'hairs on paper gone':>24s}{'art lost':>10s}"
    )
    for name in (*media, "all"):
        own = [row for row in rows if name in (row.medium, "all")]
        (specks, gone), (marks, kept), (hairs, combed) = (
            np.sum([getattr(row, what) for row in own], axis=0).tolist() for what in ("specks", "marks", "hairs")
        )
        lost = float(np.mean([row.lost for row in own]))
        print(
            f"  {name:14s}{gone:8d} of {specks:5d} {gone / max(specks, 1):6.2%}{kept:8d} of {marks:5d} "
            f"{kept / max(marks, 1):6.2%}{combed:12d} of {hairs:4d}    {lost:10.3%}"
        )
        if kind == "usual" and name != "all":
            if gone < 0.98 * specks:
                misses.append(f"strays, {name}: dirt gone {gone / max(specks, 1):.2%} (bar 98 %)")
            if kept < 0.995 * marks:
                misses.append(f"strays, {name}: small marks kept {kept / max(marks, 1):.2%} (bar 99.5 %)")
    return misses


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--first-seed", type=int, default=7001)
    parser.add_argument("--seeds", type=int, default=2)
    parser.add_argument("--kind", choices=("usual", "grimy"), default="usual")
    parser.add_argument("--only", nargs="*", default=list(ALL))
    wish = parser.parse_args()
    print("\n".join(strays_row(wish.first_seed, wish.seeds, wish.only, wish.kind)))
