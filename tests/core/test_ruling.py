"""What is printed on the paper goes with the paper, however the sheet lies; what is drawn in even rows stays."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import noisy, sheet_of, strokes
from woad.core.docket.media import starting_docket
from woad.core.paper.ruling import Ruling, without_ruling
from woad.core.raster.codes import PAPER_CODE
from woad.core.raster.tiles import Region
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet
from woad.core.render.whole import render_whole

H, W, PERIOD = 600, 470, 18.4
PAPER = np.array([0.86, 0.84, 0.78], np.float32)


def lattice(kind: str, bend: float = 0.0, lean: float = 0.3) -> NDArray[np.float32]:
    """Coverage of a print (H, W) that leans by degrees, on a sheet bent by so many px."""
    y, x = np.mgrid[0:H, 0:W].astype(np.float32)
    turn = np.deg2rad(lean)
    u = x * np.cos(turn) + y * np.sin(turn) + bend * np.sin(y / 200) + 4
    v = y * np.cos(turn) - x * np.sin(turn) + bend * (x / W) ** 2 + 7
    off = [np.abs(t - PERIOD * np.round(t / PERIOD)) for t in (u, v)]
    away = {"lines": off[1], "squares": np.minimum(*off), "dots": np.hypot(*off) - 0.8}[kind]
    return np.asarray(np.clip(1.1 - away, 0, 1), np.float32)


def on_paper(printed: NDArray[np.float32], ink: NDArray[np.float32], grey: float = 0.75) -> Sheet:
    return sheet_of(noisy(PAPER * (1 - (1 - grey) * printed[..., None]) * (1 - 0.95 * ink[..., None])))


@pytest.fixture(scope="module")
def ink() -> NDArray[np.float32]:
    return np.asarray(strokes((H, W), 20, np.random.default_rng(3)) / np.float32(255), np.float32)


@pytest.mark.parametrize(
    ("kind", "bend"),
    [*(pytest.param(*one, marks=pytest.mark.proof) for one in (("lines", 0.0), ("squares", 9.0))), ("dots", 9.0)],
)
def test_a_print_goes_beside_marks_and_under_them(kind: str, bend: float, ink: NDArray[np.float32]) -> None:
    """Nothing is left of it on bare paper, full ink stays full, and faint strokes are as strong as on plain paper."""
    faint = np.zeros((H, W), np.float32)
    for x in range(50, 420, 60):
        cv2.line(faint, (x, 40), (x + 30, 160), 0.35, 4, cv2.LINE_AA)
    drawn = np.maximum(ink * (np.arange(H) > 200)[:, None], faint)
    plain, printed = sheet_of(noisy(PAPER * (1 - 0.95 * drawn[..., None]))), on_paper(lattice(kind, bend), drawn)
    ruling = printed.readings.ruling
    assert plain.readings.ruling is None
    assert ruling is not None
    assert ruling.kind == kind
    assert ruling.period_px == pytest.approx(PERIOD, rel=0.04)
    before, after = (render_whole(sheet, starting_docket("pen")).alpha for sheet in (plain, printed))
    assert before is not None
    assert after is not None
    bare = cv2.dilate(drawn, np.ones((9, 9))) == 0
    assert np.percentile(after[bare], 99.9) <= 4
    assert after[cv2.erode(ink, np.ones((3, 3))) * (np.arange(H) > 210)[:, None] > 0.99].mean() > 250
    assert after[:170][faint[:170] > 0.1].mean() == pytest.approx(before[:170][faint[:170] > 0.1].mean(), rel=0.04)


@pytest.mark.proof
def test_lines_as_dark_as_a_copier_makes_them_go(ink: NDArray[np.float32]) -> None:
    """Next to black where they are darkest: hardly anything stays of what they cover, and the ink across them does."""
    printed = lattice("lines")
    sheet, docket = on_paper(printed, ink, grey=0.05), starting_docket("pen")
    assert sheet.readings.ruling is not None
    assert sheet.readings.ruling.kind == "lines"
    gone, kept = (render_whole(sheet, docket.with_setting("paper.ruling", way)).alpha for way in (True, False))
    assert gone is not None
    assert kept is not None
    on_lines = (printed > 0.5) & (cv2.dilate(ink, np.ones((9, 9))) == 0)
    assert gone[on_lines].mean() < 0.1 * kept[on_lines].mean()
    assert gone[cv2.erode(ink, np.ones((3, 3))) > 0.99].mean() > 245


@pytest.mark.proof
def test_a_print_that_is_to_be_kept_is_kept(ink: NDArray[np.float32]) -> None:
    """And what is seen small, of a single tile, is without it as well."""
    printed = lattice("squares")
    sheet = on_paper(printed, ink)
    docket = starting_docket("pen")
    on_lines = (printed > 0.9) & (cv2.dilate(ink, np.ones((9, 9))) == 0)
    kept = render_whole(sheet, docket.with_setting("paper.ruling", False)).alpha
    assert kept is not None
    assert kept[on_lines].mean() > 20
    tile = render_region(sheet, docket, "knockout", 1, Region(50, 100, 150, 150)).alpha
    assert tile is not None
    small = cv2.resize(cv2.dilate(ink, np.ones((9, 9))), (W // 2, H // 2), interpolation=cv2.INTER_AREA)
    assert np.percentile(tile[small[100:250, 50:200] == 0], 99.9) <= 4


@pytest.mark.proof
def test_dots_that_are_hardly_seen_are_found(ink: NDArray[np.float32]) -> None:
    """Neither family tells for sure, but both lie as far apart; and nothing is made of an even tone."""
    ruling = on_paper(lattice("dots", 9.0), ink, grey=0.955).readings.ruling
    assert ruling is not None
    assert ruling.kind == "dots"
    assert on_paper(np.full((H, W), 0.5, np.float32), ink, grey=0.955).readings.ruling is None


@pytest.mark.proof
@pytest.mark.parametrize("kind", ["lines", "squares"])
def test_single_lines_beside_a_ruling_go_with_it(kind: str, ink: NDArray[np.float32]) -> None:
    """A red margin that bends and leans, and a second line close by it: nothing stays, the ink across them is whole, and the
    sheet is not taken for ink over a coloured pencil."""
    y, x = np.mgrid[0:H, 0:W].astype(np.float32)
    from_margin = x - 78 - 0.004 * y - 3.5 * ((y - H / 2) / (H / 2)) ** 2
    margin = np.clip(1.1 - np.minimum(np.abs(from_margin), np.abs(from_margin - 8)), 0, 1)
    crossing = ink.copy()
    crossing[200:203, 20:200] = crossing[420:423, 20:200] = 1
    for off in (0, 9, 18):  # a frame of ink is no margin
        cv2.rectangle(crossing, (110 + off, 40 + off), (W - 20 - off, H - 30 - off), 1.0, 2)
    light = (
        PAPER
        * (1 - 0.25 * lattice(kind)[..., None])
        * (1 - margin[..., None] * np.array([0.05, 0.3, 0.28], np.float32))
    )
    sheet = sheet_of(noisy(light * (1 - 0.95 * crossing[..., None])))
    ruling = sheet.readings.ruling
    assert ruling is not None
    assert ruling.kind == kind
    assert len(ruling.margins) == 2
    assert sheet.readings.medium == "pen"
    on_margin = margin > 0.3
    bare = cv2.dilate(crossing, np.ones((9, 9))) == 0
    whole, tile = (
        render_whole(sheet, starting_docket("pen")).alpha,
        render_region(sheet, starting_docket("pen"), "knockout", 0, Region(40, 80, 120, 300)).alpha,
    )
    assert whole is not None and tile is not None
    assert whole[bare & on_margin].mean() < 0.3
    assert whole[cv2.erode(crossing, np.ones((3, 3))) * on_margin > 0.99].min() > 245
    assert tile[(bare & on_margin)[80:380, 40:160]].mean() < 0.3


@pytest.mark.proof
def test_a_print_goes_from_a_tile_as_it_goes_from_the_whole(ink: NDArray[np.float32]) -> None:
    """Wherever a tile is cut, beside a margin or across it, at full size and at half."""
    margin = np.zeros((H, W), np.float32)
    margin[:, 90:92] = 0.3
    sheet = on_paper(np.maximum(lattice("lines", lean=0.0), margin), ink)
    ruling = sheet.readings.ruling
    assert ruling is not None
    assert len(ruling.margins) == 1
    for level in (0, 1):
        h, w = H >> level, W >> level
        codes = np.full((h, w, 3), PAPER_CODE, np.uint16)
        codes[:, : w // 2] //= 2
        whole = without_ruling(codes, ruling, (0, 0, level))
        for x in range(0, w - 20, 17):
            tile = without_ruling(codes[40:60, x : x + 20], ruling, (x, 40, level))
            assert np.abs(tile.astype(int) - whole[40:60, x : x + 20]).max() <= 2


@pytest.mark.proof
def test_a_frame_that_is_drawn_on_ruled_paper_stays(ink: NDArray[np.float32]) -> None:
    """As pale as a margin and as straight, but it ends where no print would; and the ruling is found all the same."""
    frame = np.zeros((H, W), np.float32)
    cv2.rectangle(frame, (34, 42), (W - 34, H - 42), 0.35, 3)
    sheet = on_paper(lattice("lines", lean=0.0), np.maximum(ink, frame))
    ruling = sheet.readings.ruling
    assert ruling is not None
    assert not ruling.margins
    alpha = render_whole(sheet, starting_docket("pen")).alpha
    assert alpha is not None
    assert alpha[frame > 0].mean() > 60


def test_what_is_drawn_is_no_print(ink: NDArray[np.float32]) -> None:
    """Hatching over half of the sheet, a wall of bricks, and twenty staves ruled by hand, none of them quite alike."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:H, 0:W]
    hatched = np.where((np.abs((x + 0.1 * y) % 12 - 6) < 1) & (y > 330) & (x > 80), 0.5, 0.0).astype(np.float32)
    bricks, staves = np.zeros((H, W), np.float32), np.zeros((H, W), np.float32)
    for row, top in enumerate(range(60, 560, 26)):
        cv2.line(bricks, (40, top + int(rng.normal(0, 2))), (430, top + int(rng.normal(0, 2))), 0.4, 2, cv2.LINE_AA)
        for left in range(40 + 20 * (row % 2), 430, 40):
            across = left + int(rng.normal(0, 3))
            cv2.line(bricks, (across, top), (across + int(rng.normal(0, 2)), top + 26), 0.4, 2, cv2.LINE_AA)
        height = top + rng.normal(0, 3)
        cv2.line(
            staves,
            (40, int(height)),
            (660, int(height + rng.normal(0, 4))),
            float(rng.uniform(0.2, 0.5)),
            2,
            cv2.LINE_AA,
        )
    for drawn in (hatched, bricks, staves):
        assert sheet_of(noisy(PAPER * (1 - 0.95 * np.maximum(drawn, ink)[..., None]))).readings.ruling is None


def test_a_ruling_says_how_far_apart_it_is() -> None:
    """Two families of unlike distance are squares by their own print."""
    turns = np.array([[0.05, 0], [0, 0.02]], np.float32)
    cell = np.ones((40, 20, 1), np.float32)
    cell[:2] = cell[:, :2] = 0.7
    assert Ruling(turns, np.zeros((1, 1, 3), np.float32), 8, cell, cell).kind == "squares"
    assert Ruling(turns, np.zeros((1, 1, 3), np.float32), 8, cell, cell).period_px == pytest.approx(20)
