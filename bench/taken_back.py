"""Sheets that a scanner sharpened of its own, or laid the colours of apart: what Woad makes of them beside what it makes of the
plain ones, with that taken back and kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from nine import Recorded, over_white, record_flat
from nine_rows import opened, woad
from scan_rows import spread
from woad.core.docket.model import MEDIA, Docket
from woad.core.render.sheet import Sheet, resquare
from woad.core.render.taken_back import NOTHING
from woad.demo.scanner import laid_apart, sharpened

Image = NDArray[np.uint8]
# What is done to a sheet, and JPEG's quality: radius px and amount; px apart, and the share that a lens adds at the corners.
WAYS: dict[str, tuple[tuple[Callable[[Image], NDArray[Any]], int | None], ...]] = {
    "sharpening": (
        (lambda image: sharpened(image, 1.2, 1.5), None),
        (lambda image: sharpened(image, 1.5, 1.5), 92),
        (lambda image: sharpened(image, 2.5, 1.2), 92),
    ),
    "register": (
        (lambda image: laid_apart(image, (0.0, 0.35)), None),
        (lambda image: laid_apart(image, (0.3, 0.8)), None),
        (lambda image: laid_apart(image, (0.0, 0.0), 0.001), None),
        (lambda image: laid_apart(image, (0.0, 0.7)), 92),
    ),
}
_FOUND, _LEFT = 0.8, 0.5  # bars: share of the sheets on which it is found, and of the change that is left on those


def _spoiled(sheet: Recorded, way: Callable[[Image], NDArray[Any]], quality: int | None) -> Recorded:
    image = way(sheet.encoded)
    if quality is None:
        return replace(sheet, encoded=image, jpeg=None)
    data = cv2.imencode(".jpg", image[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1].tobytes()
    return replace(sheet, encoded=image, jpeg=data)


def _picture(sheet: Recorded, loaded: Sheet) -> NDArray[np.float32]:
    """As it leaves Woad with the starting values of the medium that Woad proposes, over white and over black."""
    own = replace(sheet, flat=replace(sheet.flat, medium=loaded.readings.medium))
    answer, _ = woad(own, loaded)
    return np.concatenate([over_white(answer.alpha, answer.colour), answer.colour * answer.alpha[..., None]])


def _job(job: tuple[str, str, int, int]) -> tuple[str, bool, bool, bool, bool, float, float]:
    """Medium; whether anything was found on the plain sheet, and on the spoiled one; whether the medium proposed is the same
    taken back, and kept; mean differences from the plain one's picture, 0..255, taken back and kept."""
    row, medium, seed, way = job
    sheet = record_flat(medium, "flatbed", seed)
    plain = opened(sheet)
    image = _spoiled(sheet, *WAYS[row][way])
    loaded = opened(image)
    as_it_came = Docket().with_setting("square.on", False).with_setting("scan.unsharpen", False)
    kept = resquare(loaded, as_it_came.with_setting("scan.align", False))
    truth = _picture(sheet, plain)
    off = [255 * float(np.abs(_picture(image, one) - truth).mean()) for one in (loaded, kept)]
    same = [one.readings.medium == plain.readings.medium for one in (loaded, kept)]
    return medium, plain.found.own != NOTHING, loaded.back != NOTHING, same[0], same[1], off[0], off[1]


def _row(row: str, says: str, first: int, seeds: int) -> list[str]:
    """Print how often it is found, and what is left of it; return the misses."""
    found = spread(
        _job, [(row, m, first + i, way) for m in MEDIA for i in range(seeds) for way in range(len(WAYS[row]))]
    )
    misses = []
    print(f"\n{row}: {says} against the plain ones, over white and black, steps of 255")
    for medium in MEDIA:
        own = [one for one in found if one[0] == medium]
        told = [one for one in own if one[2]]
        share = len(told) / len(own)
        after, before = (float(np.mean([one[i] for one in own])) for i in (5, 6))
        same, else_same = (float(np.mean([one[i] for one in own])) for i in (3, 4))
        print(
            f"  {medium:12s} found {share:.0%}; off {after:.2f}, kept {before:.2f};"
            f" the same medium {same:.0%}, kept {else_same:.0%}"
        )
        if share < _FOUND:
            misses.append(f"{row}: {medium}: found on {share:.0%} (bar {_FOUND:.0%})")
        if told and sum(one[5] for one in told) > _LEFT * sum(one[6] for one in told):
            misses.append(f"{row}: {medium}: more than {_LEFT:.0%} of it is left")
    if any(one[1] for one in found):
        misses.append(f"{row}: seen on a plain scan")
    return misses


def sharpening_row(first: int, seeds: int) -> list[str]:
    return _row("sharpening", "sheets that a scanner sharpened", first, seeds)


def register_row(first: int, seeds: int) -> list[str]:
    return _row("register", "sheets whose colours a scanner or lens laid apart", first, seeds)
