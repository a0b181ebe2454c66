"""A sheet in a corner of the scanner's glass: the lid beside it is cut away, whatever its tone; what is drawn is not."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from captures import image_file, saved, tilted
from woad.core.docket.model import Docket
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.sheet import make_sheet
from woad.core.render.whole import render_whole
from woad.core.square.glass import find_free_glass

SHEET = tilted(0.0)
H, W = SHEET.shape[:2]
CREAM = np.asarray(SHEET * np.array([1, 0.97, 0.9]), np.uint8)
Points = NDArray[np.float64]


def on_glass(
    sheet: NDArray[np.uint8], lid: tuple[int, int, int], at: tuple[int, int], size: tuple[int, int], deg: float = 0.0
) -> tuple[NDArray[np.uint8], Points]:
    """The sheet on a larger glass ``size`` (w, h), its top left ``at`` before it is turned by ``deg``, with a shadow on the lid
    and dust on that; and its corners."""
    w, h = size
    way = cv2.getRotationMatrix2D((W / 2, H / 2), deg, 1)
    way[:, 2] += at
    there = cv2.warpAffine(np.ones((H, W), np.float32), way, size)
    art = cv2.warpAffine(sheet, way, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    shaded = 1 - 0.2 * cv2.GaussianBlur(cv2.warpAffine(there, np.float32([[1, 0, 3], [0, 1, 3]]), size), (0, 0), 3)
    bed = np.float32(lid) * (shaded * np.linspace(1.01, 0.99, w, dtype=np.float32))[..., None]
    rng = np.random.default_rng(3)
    for x, y in zip(rng.integers(0, w, 30), rng.integers(0, h, 30), strict=True):
        cv2.circle(bed, (int(x), int(y)), 1, (150, 150, 150), -1)
    scan = bed + (art - bed) * there[..., None] + rng.normal(0, 1.5, (h, w, 1))
    corners = np.array([[0, 0], [W, 0], [W, H], [0, H]], np.float64) @ way[:, :2].T + way[:, 2]
    return saved(np.asarray(np.clip(scan, 0, 255), np.uint8), 90), corners


BEDS = {
    "open lid": (CREAM, (14, 12, 13), (0, 0), (W + 300, H + 200), 0.0),
    "white lid": (CREAM, (240, 241, 243), (200, 0), (W + 200, H + 260), 0.0),
    "white lid, off the corner": (CREAM, (240, 241, 243), (10, 170), (W + 150, H + 180), 0.6),
    "grey lid, askew": (SHEET, (120, 120, 124), (0, 180), (W + 160, H + 180), 2.0),
}


@pytest.mark.parametrize(
    "bed",
    [
        "white lid, off the corner",
        *(pytest.param(bed, marks=pytest.mark.proof) for bed in ("open lid", "white lid", "grey lid, askew")),
    ],
)
def test_the_lid_beside_a_small_sheet_is_cut_away(bed: str) -> None:
    """Nothing of it is left on the sheet that is worked on, and little of the sheet goes with it."""
    scan, corners = on_glass(*BEDS[bed])
    sheet = make_sheet(take_in("a.png", image_file(scan)), build_pyramid(scan), Docket())
    frame = sheet.frame
    outline = frame.to_scan(np.array([(0, 0), (frame.width, 0), (frame.width, frame.height), (0, frame.height)], float))
    kept, there = (cv2.fillPoly(np.zeros(scan.shape[:2]), [np.rint(p).astype(int)], 1) > 0 for p in (outline, corners))
    assert (kept & ~there).sum() < 0.001 * kept.sum()
    lean = 2 * abs(np.sin(np.deg2rad(BEDS[bed][4]))) * H / W
    assert frame.width > (0.95 - lean) * W
    assert frame.height > (0.95 - lean) * H


@pytest.mark.proof
def test_cream_paper_on_a_white_lid_is_paper() -> None:
    """The lid is the whitest thing on the glass; without it the drawing is cut out as from a scan that the sheet fills."""
    scan, _ = on_glass(*BEDS["white lid"])
    small, plain = (
        make_sheet(take_in("a.png", image_file(one)), build_pyramid(one), Docket()) for one in (scan, CREAM)
    )
    assert small.readings.medium == plain.readings.medium
    share, same = (float((render_whole(one, Docket()).alpha > 0).mean()) for one in (small, plain))
    assert share == pytest.approx(same, rel=0.1)


def drawn_like_a_sheet() -> dict[str, NDArray[np.uint8]]:
    """Sheets that fill the scan, with something on them that has two straight edges, and nothing else."""
    blank = np.asarray(214 + np.random.default_rng(5).normal(0, 1.5, SHEET.shape), np.uint8)
    wash, framed, masked, margin, dark = (blank.copy() for _ in range(5))
    wash[: H // 2, : W // 2] = np.linspace(150, 230, W // 2)[None, :, None]  # graded, runs off two sides
    cv2.rectangle(framed, (-5, -5), (W // 2, H // 2), (40, 40, 40), 3)  # a line around an empty corner
    masked[H // 8 : -H // 8, W // 8 : -W // 8] = (236, 214, 190)  # flat, with like margins all around
    margin[H // 40 :, : -W // 40] = (236, 214, 190)  # flat, to its margins
    dark[:, : W // 3] = 20  # black along one side
    return {"wash": wash, "framed": framed, "masked": masked, "margin": margin, "dark": dark, "grey": SHEET[..., :1]}


@pytest.mark.parametrize("name", drawn_like_a_sheet())
def test_what_is_drawn_is_no_lid(name: str) -> None:
    assert find_free_glass(np.ascontiguousarray(drawn_like_a_sheet()[name])) is None
