"""Hairs on paint: how many are found, how much else is taken for one, and how near the mend comes to the truth.

A wash so pale that nobody tells it from paper counts as paint here; where the knock-out does not keep it, a hair on it is
a stray, and found when it is taken off."""

from __future__ import annotations

import warnings
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.color import deltaE_ciede2000, rgb2lab

from dirt import Dirty, Kind, dirty
from strays import sheet_for
from woad.core.raster.tiles import Region
from woad.core.render.clearing import clearing_of
from woad.core.render.mending import mended_pyramid
from woad.core.render.strays import look_over


def measured(job: tuple[str, int, Kind]) -> tuple[str, dict[str, float]]:
    """Hairs with half their length or more on paint: number, found; other finds on the sheet; CIEDE2000 of mends; share of
    the art's own pixels that were mended. The job is medium, seed and kind of sheet."""
    warnings.simplefilter("ignore")
    medium, seed, kind = job
    sheet = dirty(medium, seed, kind=kind)
    loaded, docket = sheet_for(sheet)
    loaded = look_over(loaded, docket)
    assert loaded.strays is not None
    hairs = loaded.strays.hairs
    w, h = loaded.pyramid.size(0)
    whole = Region(0, 0, w, h)
    clearing = clearing_of(loaded.strays, docket.spotting, loaded.frame)
    gone = None if clearing is None else clearing.tile(whole, 0)
    taken = np.zeros((h, w), bool) if gone is None else gone > 0
    found = np.zeros((h, w), bool)
    false = 0
    truth = _dirt_mask(sheet)
    for hair in hairs:
        x, y, a, b = hair.box
        found[y : y + b, x : x + a] |= hair.mask
        false += not (truth[y : y + b, x : x + a] & hair.mask).any()
    total = hit = 0
    wanted = np.zeros((h, w), bool)
    for number, share in enumerate(_shares(sheet), start=1):
        where = sheet.hairs == number
        if where.sum() < 20 or share < 0.5:
            continue
        total += 1
        got = float((found | taken)[where].mean())
        hit += got >= 0.6
        if got >= 0.6:
            wanted |= where
    after = np.asarray(mended_pyramid(loaded, docket).read(0, whole))
    return job[0], {
        "hairs": total, "found": hit, "false": false,
        "before": _off(sheet.encoded, sheet.clean, wanted), "after": _off(after, sheet.clean, wanted & found),
        "noise": _noise(sheet, wanted),
        "spoiled": float((found & sheet.flat.marks & ~truth).sum() / max(int(sheet.flat.marks.sum()), 1)),
    }  # fmt: skip


def _shares(sheet: Dirty) -> list[float]:
    out = [0.0] * int(sheet.hairs.max())
    for number in range(1, len(out) + 1):
        where = sheet.hairs == number
        out[number - 1] = float(sheet.flat.marks[where].mean()) if where.any() else 0.0
    return out


def _dirt_mask(sheet: Dirty) -> NDArray[np.bool_]:
    change = np.abs(sheet.encoded.astype(np.int16) - sheet.clean.astype(np.int16)).max(axis=2)
    return cv2.dilate((change > 6).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0


def _off(picture: NDArray[np.uint8], truth: NDArray[np.uint8], where: NDArray[np.bool_]) -> float:
    if not where.any():
        return 0.0
    return float(deltaE_ciede2000(rgb2lab(picture[where] / 255.0), rgb2lab(truth[where] / 255.0)).mean())


def _noise(sheet: Dirty, where: NDArray[np.bool_]) -> float:
    """What a mend by the very same texture, moved by a little, would be off: a floor nothing can pass by much."""
    moved = np.roll(sheet.clean, (4, 3), (0, 1))
    return _off(moved, sheet.clean, where)


def hairs_row(first: int, sheets: int) -> list[str]:
    """Print per medium and return the misses."""
    media = ("watercolour", "gouache")
    kinds: tuple[Kind, ...] = ("usual", "inked")
    jobs = [(m, first + i, kind) for kind in kinds for m in media for i in range(sheets)]
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        rows = list(pool.map(measured, jobs))
    plain, inked_rows = rows[: len(rows) // 2], rows[len(rows) // 2 :]
    for medium in media:
        drawn = [r for m, r in inked_rows if m == medium]
        print(f"  with a pen's lines over it, {medium:12s} {sum(r['false'] for r in drawn):.0f} finds that are none on "
              f"{len(drawn)} sheets, {np.mean([r['spoiled'] for r in drawn]):.4%} of the art mended")  # fmt: skip
    misses = []
    for medium in media:
        mine = [r for m, r in plain if m == medium]
        total, found = (sum(r[k] for r in mine) for k in ("hairs", "found"))
        after = float(np.mean([r["after"] for r in mine]))
        print(f"  hairs on paint, {medium:12s} found {found:.0f} of {total:.0f}, {sum(r['false'] for r in mine):.0f} other finds "
              f"on {len(mine)} sheets; dE2000 {np.mean([r['before'] for r in mine]):.1f} before, {after:.2f} mended, "
              f"{np.mean([r['noise'] for r in mine]):.2f} the clean sheet against itself moved by 5 px")  # fmt: skip
        if found < 0.95 * total:
            misses.append(f"hairs on {medium}: found {found / max(total, 1):.1%} (bar 95 %)")
        if after > 4:
            misses.append(f"hairs on {medium}: mended places off by {after:.2f} (bar 4)")
    return misses
