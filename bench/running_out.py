"""Photos of sheets that run out of the picture: how much of the table stays, and how much of the sheet goes with it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from captures import table_photo, tilted_scan
from scan_rows import check, spread
from woad.core.raster.outline import filled
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.squaring import find_square

_LEFT, _LOST = 0.01, 0.03  # share of table in what is kept, and of the sheet that is cut away, at most
_ANSWERED = 0.6  # bar: share of the photos on a dark table


def _cropped(seed: int) -> tuple[NDArray[np.uint8], NDArray[np.bool_]]:
    """A table photo cropped within the sheet on one side or more, and where the sheet lies on it."""
    photo = table_photo(seed)
    image, corners = photo.encoded, photo.corners
    h, w = image.shape[:2]
    rng = np.random.default_rng(seed + 5)
    there = filled(corners, (h, w))
    shown = rng.random(4) < 0.4
    if shown.all() or not shown.any():
        shown[rng.integers(4)] ^= True
    margin = rng.uniform(10, 60)
    (xa, xb, xc, xd), (ya, yb, yc, yd) = corners.T
    inner = [max(xa, xd) + margin, max(ya, yb) + margin, min(xb, xc) - margin, min(yc, yd) - margin]
    wide, high = rng.uniform(0.03, 0.3, 2) * (w, h)
    outer = [max(0, corners[:, 0].min() - wide), max(0, corners[:, 1].min() - high),
             min(w, corners[:, 0].max() + wide), min(h, corners[:, 1].max() + high)]  # fmt: skip
    left, top, right, bottom = (int(outer[i] if shown[i] else inner[i]) for i in range(4))
    return image[top:bottom, left:right].copy(), there[top:bottom, left:right]


def _job(seed: int) -> tuple[bool, bool, float, float]:
    """Whether the table is dark, whether anything is cut away, share of table in what is kept, of the sheet in what is not."""
    image, there = _cropped(seed)
    found = find_square(build_pyramid(image))
    if found.part is not None:
        outline = found.part.sheet
    elif found.surround is not None:  # a plain table is cut away as a scanner's lid is
        outline = found.surround.corners
    else:
        return seed % 3 != 0, False, float((~there).mean()), 0.0
    kept = filled(outline, (there.shape[0], there.shape[1]))
    return seed % 3 != 0, True, float((kept & ~there).sum() / kept.sum()), float((there & ~kept).sum() / there.sum())


def _plain(seed: int) -> bool:
    return find_square(build_pyramid(tilted_scan(seed, True)[0])).part is not None


def running_out_row(first_seed: int, sheets: int) -> list[str]:
    """Print how many are told on dark tables and on pale ones, and return the misses."""
    found = spread(_job, range(first_seed, first_seed + sheets))
    misses: list[str] = []
    for dark in (True, False):
        rows = [row for row in found if row[0] == dark]
        right = float(np.mean([cut and left < _LEFT for _, cut, left, _ in rows]))
        lost = max(share for *_, share in rows)
        print(f"running out, {'dark' if dark else 'pale'} table: {right:.0%} of {len(rows)} photos without table; "
              f"at most {lost:.1%} of a sheet cut away")  # fmt: skip
        misses += check((lost < _LOST, f"running out: {lost:.1%} of a sheet cut away (bar {_LOST:.0%})"))
        misses += check(
            (right >= _ANSWERED or not dark, f"running out: table left on {1 - right:.0%} (bar {1 - _ANSWERED:.0%})")
        )
    wrong = sum(spread(_plain, range(first_seed, first_seed + sheets)))
    print(f"running out, scans on a glass: cut on {wrong} of {sheets}")
    return misses + check((wrong == 0, f"running out: {wrong} scans of whole sheets cut"))
