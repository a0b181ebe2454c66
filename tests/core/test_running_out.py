"""A sheet that runs out of its photo: the table beside it is filled with its paper, and nothing of it is measured or kept."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from captures import CORNERS, image_file, photo, saved, tilted
from woad.core.docket.model import Docket
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.render.whole import render_whole
from woad.core.square.running_out import find_sheet_part
from woad.demo.scanner import smooth_noise

SHEET = tilted(0.0)
H, W = SHEET.shape[:2]
PHOTO = photo()
# What the picture shows of the photo: left, top, right and bottom, px.
VIEWS = {
    "corner": (0, 0, 560, 700),
    "two corners": (0, 0, 800, 600),
    "both sides": (0, 300, 800, 640),
    "one side": (0, 300, 480, 640),
}


def opened(picture: NDArray[np.uint8], docket: Docket) -> Sheet:
    return make_sheet(take_in("a.png", image_file(picture)), build_pyramid(picture), docket)


@pytest.mark.parametrize(
    "view",
    ["two corners", *(pytest.param(view, marks=pytest.mark.proof) for view in ("one side", "corner", "both sides"))],
)
def test_the_table_beside_a_sheet_that_runs_out_of_the_picture_is_gone(view: str) -> None:
    """Its place is clear in the cut-out, up to the sheet's edge and along it; of the sheet no more than its rim is cut away."""
    left, top, right, bottom = VIEWS[view]
    picture = saved(np.ascontiguousarray(PHOTO.encoded[top:bottom, left:right]), 92)
    there = cv2.fillPoly(np.zeros(picture.shape[:2]), [np.rint(CORNERS - (left, top)).astype(int)], 1) > 0
    part = find_sheet_part(picture)
    assert part is not None
    kept = cv2.fillPoly(np.zeros(picture.shape[:2]), [np.rint(part.sheet).astype(int)], 1) > 0
    assert (kept & ~there).sum() < 0.001 * kept.sum()
    assert (there & ~kept).sum() < 0.03 * there.sum()
    docket = Docket().with_setting("square.straighten", 0.0)
    sheet = opened(picture, docket)
    alpha = render_whole(sheet, docket).alpha
    assert alpha is not None
    rim = cv2.dilate((~kept).astype(np.uint8), np.ones((15, 15))) > 0
    x, y = round(sheet.frame.left), round(sheet.frame.top)
    beside = rim[y : y + sheet.frame.height, x : x + sheet.frame.width]
    assert alpha[beside].mean() < 0.5
    assert (alpha > 128).mean() > 0.005


@pytest.mark.proof
def test_corners_off_leave_the_table_where_it_is() -> None:
    left, top, right, bottom = VIEWS["one side"]
    off = Docket().with_setting("square.corners", "off").with_setting("square.straighten", 0.0)
    sheet = opened(np.ascontiguousarray(PHOTO.encoded[top:bottom, left:right]), off)
    assert not sheet.frame.blanks
    assert (sheet.frame.width, sheet.frame.height) == (right - left, bottom - top)


def beside_a_table(corners: NDArray[np.float64], pattern: float) -> NDArray[np.uint8]:
    """A light picture with a table of changing tone (``pattern``) but for what lies within ``corners``, 600 px a side."""
    rng = np.random.default_rng(2)
    paper = cv2.fillPoly(np.zeros((600, 600), np.uint8), [np.rint(corners).astype(int)], 255, cv2.LINE_AA)
    share = cv2.GaussianBlur(paper.astype(np.float32) / 255, (0, 0), 0.8)[..., None]
    tone = 110 + pattern * smooth_noise((600, 600), 40.0, rng)[..., None] * np.array([1.0, 0.95, 0.7], np.float32)
    picture = share * 205 + (1 - share) * tone + rng.normal(0, 0.4, (600, 600, 1))
    return np.clip(np.rint(picture), 0, 255).astype(np.uint8)


@pytest.mark.parametrize(
    ("corners", "pattern"),
    [
        pytest.param([(-9, -9), (420, -9), (500, 410), (-9, 500)], 14.0, id="pattern on the table"),
        pytest.param([(-9, -9), (270, -9), (560, 609), (-9, 609)], 3.0, id="one edge that leans much"),
    ],
)
def test_a_table_is_told_whatever_its_pattern_and_the_sheets_lean(
    corners: list[tuple[int, int]], pattern: float
) -> None:
    """Along the lines of a sheet's edges a table's own pattern goes on, less strongly than the edges."""
    outline = np.array(corners, np.float64)
    part = find_sheet_part(beside_a_table(outline, pattern))
    assert part is not None
    kept, there = (
        cv2.fillPoly(np.zeros((600, 600)), [np.rint(one).astype(int)], 1) > 0 for one in (part.sheet, outline)
    )
    assert (kept & ~there).sum() < 0.001 * kept.sum()
    assert (there & ~kept).sum() < 0.03 * there.sum()


def drawn() -> dict[str, NDArray[np.uint8]]:
    """Scans of whole sheets, on which something dark has straight edges that run off them."""
    level, bands, night, wash = (np.full((H, W, 3), 214, np.uint8) for _ in range(4))
    level[H // 2 :] = 60  # one level edge
    bands[: H // 4], bands[-H // 3 :] = (60, 90, 160), (40, 110, 50)  # sky and ground, of two colours
    for picture in (night, wash):  # around a light corner
        picture[:, W // 2 :], picture[-H // 3 :] = (40, 45, 80), (40, 45, 80)
    for x in range(W // 2 + 60, W - 30, 80):  # stars in it, as light as the paper
        for y in range(60, H, 80):
            cv2.circle(night, (x, y), 17, (214, 214, 214), -1)
    wash[: -H // 3, : W // 2] = np.linspace(150, 230, W // 2)[None, :, None]  # which is graded
    return {"level": level, "bands": bands, "night": night, "wash": wash, "lettered": SHEET, "grey": SHEET[..., :1]}


@pytest.mark.parametrize("name", drawn())
def test_what_is_drawn_is_no_table(name: str) -> None:
    assert find_sheet_part(np.ascontiguousarray(drawn()[name])) is None
