"""Sheets that a scanner sharpened of its own: what Woad makes of them beside what it makes of the plain ones, with the
sharpening taken back and kept."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from nine import Recorded, over_white, record_flat
from nine_rows import opened, woad
from scan_rows import spread
from woad.core.docket.model import MEDIA, Docket
from woad.core.estimate import NoEstimate
from woad.core.render.sheet import Sheet, resquare
from woad.demo.scanner import sharpened

WAYS = ((1.2, 1.5, None), (1.5, 1.5, 92), (2.5, 1.2, 92))  # radius px, amount, JPEG's quality
_FOUND, _LEFT = 0.8, 0.5  # bars: share of the sheets on which it is found, and of the change that is left on those
_SEEN = 0.06  # rims from which there is anything to find


def _sharpened(sheet: Recorded, radius: float, amount: float, quality: int | None) -> Recorded:
    image = sharpened(sheet.encoded, radius, amount)
    if quality is None:
        return replace(sheet, encoded=image, jpeg=None)
    data = cv2.imencode(".jpg", image[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1].tobytes()
    return replace(sheet, encoded=image, jpeg=data)


def _picture(sheet: Recorded, loaded: Sheet) -> NDArray[np.float32]:
    """As it leaves Woad with the starting values of the medium that Woad proposes, over white and over black."""
    own = replace(sheet, flat=replace(sheet.flat, medium=loaded.readings.medium))
    answer, _ = woad(own, loaded)
    return np.concatenate([over_white(answer.alpha, answer.colour), answer.colour * answer.alpha[..., None]])


def _job(job: tuple[str, int, int]) -> tuple[str, bool, bool, bool, float, float]:
    """Medium; whether anything was found on the plain sheet, and on the sharpened one; whether the medium proposed is the same;
    mean differences from the plain one's picture, 0..255, taken back and kept."""
    medium, seed, way = job
    sheet = record_flat(medium, "flatbed", seed)
    plain = opened(sheet)
    image = _sharpened(sheet, *WAYS[way])
    loaded = opened(image)
    kept = resquare(loaded, Docket().with_setting("square.on", False).with_setting("scan.unsharpen", False))
    truth = _picture(sheet, plain)
    off = [255 * float(np.abs(_picture(image, one) - truth).mean()) for one in (loaded, kept)]
    falsely = not isinstance(plain.found.sharpening, NoEstimate) and plain.found.sharpening.rims > _SEEN
    same = loaded.readings.medium == plain.readings.medium
    return medium, falsely, loaded.sharpening is not None, same, off[0], off[1]


def sharpening_row(first: int, seeds: int) -> list[str]:
    """Print how often sharpening is found, and what is left of it; return the misses."""
    found = spread(_job, [(m, first + i, way) for m in MEDIA for i in range(seeds) for way in range(len(WAYS))])
    misses = []
    print("\nsharpening: sheets that a scanner sharpened against the plain ones, over white and black, steps of 255")
    for medium in MEDIA:
        own = [one for one in found if one[0] == medium]
        told = [one for one in own if one[2]]
        share = len(told) / len(own)
        after, before = (float(np.mean([one[i] for one in own])) for i in (4, 5))
        same = float(np.mean([one[3] for one in own]))
        print(f"  {medium:12s} found {share:.0%}; off {after:.2f}, kept {before:.2f}; the same medium {same:.0%}")
        if share < _FOUND:
            misses.append(f"sharpening: {medium}: found on {share:.0%} (bar {_FOUND:.0%})")
        if told and sum(one[4] for one in told) > _LEFT * sum(one[5] for one in told):
            misses.append(f"sharpening: {medium}: more than {_LEFT:.0%} of it is left")
    if any(one[1] for one in found):
        misses.append("sharpening: seen on a plain scan")
    return misses
