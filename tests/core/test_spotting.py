"""Spotting: what is found, how it is judged, what is decided, and that mends carry the texture on."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import DUST, FLAT, STIPPLE, colour_sheet, noisy, pen_sheet, png_bytes, sheet_of, strewn
from woad.core.docket.model import Docket
from woad.core.docket.spotting import Area, Decision
from woad.core.docket.squaring import SquareSettings
from woad.core.docket.touches import Touch
from woad.core.errors import BadSetting
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.automatic import RegionCache
from woad.core.render.clearing import goes
from woad.core.render.hairs import look_for_hairs
from woad.core.render.mending import mended_pyramid
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.render.strays import look_over
from woad.core.render.whole import render_whole
from woad.core.spotting.forest import Forest
from woad.core.spotting.hairs import find_hairs
from woad.core.spotting.lines import edge_lines
from woad.core.spotting.mend import mend
from woad.core.spotting.pieces import block_for, blocks_of, find_pieces, middles


@cache
def looked() -> Sheet:
    return look_over(strewn(), FLAT)


def around(alpha: NDArray[np.uint8], at: tuple[int, int], r: int = 4) -> int:
    return int(alpha[at[1] - r : at[1] + r + 1, at[0] - r : at[0] + r + 1].max())


def test_dust_goes_and_small_marks_stay() -> None:
    """By itself, in what is written: every speck is exactly gone; stipple and the dot on the i are as they were."""
    with_it = render_whole(strewn(), FLAT.with_setting("spotting.on", False)).alpha
    without = render_whole(strewn(), FLAT).alpha
    assert with_it is not None and without is not None
    assert all(around(with_it, at) > 20 and around(without, at) == 0 for at in DUST)
    for at in (*STIPPLE, (460, 186)):
        assert around(without, at) == around(with_it, at) > 150


@pytest.mark.proof
def test_faint_strokes_and_wide_stipple_are_no_dirt() -> None:
    """Strokes of a dry pen, broken off beside others, and dots that stand millimetres apart keep their coverage; dust
    among them goes."""
    rng = np.random.default_rng(12)
    cover, faint = np.zeros((1400, 1100), np.float32), np.zeros((1400, 1100), np.float32)
    for i in range(14):
        cv2.line(cover, (90, 90 + 30 * i), (480, 110 + 28 * i), 1.0, 4, cv2.LINE_AA)
    for x in range(120, 1050, 60):
        for y in range(700, 1000, 60):
            at = (int(x + rng.integers(-14, 15)), int(y + rng.integers(-14, 15)))
            cv2.circle(cover, at, 2, 1.0, -1, cv2.LINE_AA)
    for _ in range(30):
        path = rng.uniform([560, 80], [1000, 560]) + np.cumsum(rng.normal(0, 60, (4, 2)), axis=0)
        cv2.polylines(cover, [path.astype(np.int32)], False, 1.0, 3, cv2.LINE_AA)
    for _ in range(16):
        x, y = int(rng.integers(560, 800)), int(rng.integers(80, 600))
        cv2.line(faint, (x, y), (x + int(rng.integers(90, 230)), y + int(rng.integers(-60, 60))), 0.2, 4, cv2.LINE_AA)
    faint[cv2.dilate(cover, np.ones((9, 9))) > 0] = 0  # broken off beside the others
    bare = cv2.dilate(np.maximum(cover, faint), np.ones((31, 31))) == 0
    bare[:40] = bare[-40:] = bare[:, :40] = bare[:, -40:] = False
    dust = [(int(x), int(y)) for y, x in rng.choice(np.argwhere(bare), 40, replace=False)]
    grey = 1 - np.maximum(cover, faint) * 0.96
    for x, y in dust:  # no two specks are alike
        large = np.zeros((72, 72), np.float32)
        axes = (int(rng.integers(3, 13)), int(rng.integers(2, 8)))
        cv2.ellipse(large, (36, 36), axes, float(rng.uniform(0, 180)), 0, 360, float(rng.uniform(0.3, 0.75)), -1)
        speck = cv2.resize(large, (9, 9), interpolation=cv2.INTER_AREA)
        grey[y - 4 : y + 5, x - 4 : x + 5] *= 1 - speck
    sheet = sheet_of(noisy(np.repeat(grey[..., None], 3, axis=2)))
    before = render_whole(sheet, FLAT.with_setting("spotting.on", False)).alpha
    after = render_whole(sheet, FLAT).alpha
    assert before is not None and after is not None
    dots = np.zeros(faint.shape, bool)
    dots[670:1030] = True
    for part in (faint > 0, dots):
        assert after[part].sum() >= 0.98 * before[part].sum() > 0
    assert sum(around(after, at) == 0 for at in dust) >= 34


@pytest.mark.proof
def test_dots_of_all_sizes_far_apart_are_no_dust() -> None:
    """Dots that a hand set millimetres apart, photographed a little soft, on a sheet without dust: hardly one goes."""
    rng = np.random.default_rng(5)
    large = np.zeros((1400 * 4, 1100 * 4), np.uint8)
    for i in range(8):
        path = np.array([900, 700]) + np.cumsum(rng.normal(0, 420, (6, 2)), axis=0)
        cv2.polylines(large, [path.astype(np.int32)], False, 255, 14 + 2 * i, cv2.LINE_AA)
    for _ in range(190):
        x, y, r = rng.uniform(200, 4200) * 16, rng.uniform(2200, 5400) * 16, rng.uniform(0.08, 0.2) * 300 / 25.4 * 64
        cv2.circle(large, (int(x), int(y)), round(r), 255, -1, cv2.LINE_AA, 4)
    cover = cv2.resize(large, (1100, 1400), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    grey = 1 - cv2.GaussianBlur(cover, (0, 0), 0.7) * 0.95
    sheet = look_over(sheet_of(noisy(np.repeat(grey[..., None], 3, axis=2))), FLAT)
    assert sheet.strays is not None
    assert len(sheet.strays.pieces) > 150
    assert int((sheet.strays.dirt > 0.5).sum()) <= 1


def test_trees_add_up_what_their_leaves_hold() -> None:
    """Two trees, the second of one decision only: every way down them."""
    never = np.inf
    column = np.array([[0, 1, 0, 0, 0, 0, 0], [1, 0, 0, 0, 0, 0, 0]], np.int16)
    limit = np.array([[1, 5, *[never] * 5], [2, *[never] * 6]], np.float32)
    # First tree: column 0 at most 1 leads to leaf 0; else column 1 at most 5 to leaf 1, and beyond to leaf 2.
    others = np.array([[0b11111110, 0b11111101, *[255] * 5], [0b11111110, *[255] * 6]], np.uint8)
    value = np.array([[1, 2, 4, 0, 0, 0, 0, 0], [10, 20, 0, 0, 0, 0, 0, 0]], np.float32)
    forest = Forest(column, limit, others, value, -15.0)
    rows = np.array([[0.0, 9.0], [3.0, 1.0], [3.0, 5.0], [3.0, 5.5], [1.0, 2.0]])
    wanted = np.array([1 + 20, 2 + 10, 2 + 20, 4 + 20, 1 + 10]) - 15.0
    np.testing.assert_allclose(forest.share(rows), 1 / (1 + np.exp(-wanted)))
    assert forest.share(rows[:0]).shape == (0,)


def test_decisions_win_and_hold_by_place() -> None:
    """A speck that is kept stays, a dot that is removed goes; after another Ink setting too."""
    h, w = 600, 780
    docket = FLAT.with_setting("spotting.decided", (
        Decision(at=(DUST[0][0] / w, DUST[0][1] / h), goes=False), Decision(at=(460 / w, 186 / h), goes=True),
    ))  # fmt: skip
    for changed in (docket, docket.with_setting("ink.darkness", 1.5)):
        alpha = render_whole(strewn(), changed).alpha
        assert alpha is not None
        assert around(alpha, DUST[0]) > 0 and around(alpha, DUST[1]) == 0
        assert around(alpha, (460, 186)) == 0


def test_areas_and_the_size_limit() -> None:
    """Everything in a circled area goes; strays in another stay; with no limit to speak of nothing goes by size."""
    h, w = 600, 780

    def box(x0: float, y0: float, x1: float, y1: float) -> tuple[tuple[float, float], ...]:
        return ((x0 / w, y0 / h), (x1 / w, y0 / h), (x1 / w, y1 / h), (x0 / w, y1 / h))

    areas = (Area(kind="all", outline=box(110, 140, 300, 260)), Area(kind="strays-stay", outline=box(40, 40, 90, 90)))
    alpha = render_whole(strewn(), FLAT.with_setting("spotting.areas", areas)).alpha
    assert alpha is not None
    assert not alpha[145:255, 115:295].any() and alpha[150:260, 310:400].any()
    assert around(alpha, DUST[0]) > 0 and around(alpha, DUST[1]) == 0
    found = looked().strays
    assert found is not None
    small = FLAT.spotting.model_copy(update={"strays": "small", "limit_mm": 3.0})
    assert goes(found, small).sum() >= len(DUST) + len(STIPPLE)
    assert not goes(found, small.model_copy(update={"limit_mm": 0.05})).any()


def test_pieces_are_the_same_on_blocks() -> None:
    """A piece looked at on blocks of two pixels has its true place, size and length."""
    alpha = np.zeros((400, 400), np.uint8)
    cv2.circle(alpha, (101, 203), 5, 255, -1)
    cv2.line(alpha, (200, 300), (290, 330), 255, 2)
    cv2.rectangle(alpha, (20, 20), (180, 120), 255, -1)
    for block in (1, 2, 4):
        most, mean = blocks_of(alpha, block)
        pieces = find_pieces(most, mean, block, 300)
        assert len(pieces) == 2
        dot = int(np.argmin(pieces.length_px))
        assert np.abs(pieces.at[dot] - [101.5, 203.5]).max() < 0.8
        assert 9 < pieces.size_px[dot] < 13
        assert 85 < pieces.length_px[1 - dot] < 110
    assert block_for(7000, 5000) == 2 and block_for(14000, 9900) >= 4


@pytest.mark.parametrize("block", [1, 2])
def test_a_long_curled_hair_is_a_piece_as_long_as_it_is_laid_straight(block: int) -> None:
    """Its box is broad, but nothing of it is; a stroke of a pen that swings alike is the artwork's."""
    alpha = np.zeros((400, 600), np.uint8)
    cv2.ellipse(alpha, (120, 200), (60, 60), 0, 0, 300, 255, 1, cv2.LINE_AA)
    cv2.ellipse(alpha, (400, 200), (60, 60), 0, 0, 300, 255, 9, cv2.LINE_AA)
    pieces = find_pieces(*blocks_of(alpha, block), block, 300)
    assert len(pieces) == 1
    assert pieces.length_px[0] == pytest.approx(60 * np.radians(300), rel=0.15)
    assert pieces.width_px[0] < 3
    x, y = middles(pieces, 32)[0] // block
    assert pieces.labels[y, x] == 1


def test_lines_along_the_border_are_told_from_a_drawn_frame() -> None:
    """A thin line at the scan's very border is the scanner's; one that a hand drew further in is not."""
    boxes = np.array([[3, 10, 4, 900], [90, 90, 5, 800], [2, 950, 4, 20], [300, 300, 6, 6]], np.int32)
    assert edge_lines(boxes, 800, 1000, 300).tolist() == [True, False, True, False]


def painted(seed: int = 1) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """Encoded lightness of textured paint with a dark hair on it, 300 ppi, and where the hair lies."""
    rng = np.random.default_rng(seed)
    plane = 150 + 6 * cv2.GaussianBlur(rng.standard_normal((400, 400)).astype(np.float32), (0, 0), 1.5) * 3
    hair = np.zeros((400, 400), np.uint8)
    a = np.cumsum(rng.normal(0, 0.15, 16)) + 0.7
    path = np.array([120.0, 130.0]) + np.cumsum(np.column_stack([np.cos(a), np.sin(a)]) * 9, axis=0)
    cv2.polylines(hair, [np.rint(path * 16).astype(np.int32)], False, 255, 1, cv2.LINE_AA, 4)
    soft = cv2.GaussianBlur(hair, (0, 0), 0.6).astype(np.float32) / 255
    return np.asarray(plane * (1 - 0.5 * soft), np.float32), hair > 100


def test_a_hair_is_found_and_a_pens_stroke_is_not() -> None:
    """Thin and sharp on paint: found along its length. A stroke of 0.5 mm and the paint's own edge are left alone."""
    plane, hair = painted()
    found = find_hairs(plane, 300)
    mask = np.zeros(plane.shape, bool)
    for one in found:
        x, y, w, h = one.box
        mask[y : y + h, x : x + w] |= one.mask
    assert mask[hair].mean() > 0.8 and len(found) <= 3
    stroke = np.full((400, 400), 150, np.float32)
    cv2.line(stroke, (60, 80), (330, 300), 60.0, 6, cv2.LINE_AA)
    stroke[:, 350:] = 235
    assert not find_hairs(cv2.GaussianBlur(stroke, (0, 0), 0.7), 300)


def test_a_mend_carries_texture_on_and_touches_nothing_else() -> None:
    """Stripes run on through the hole; the grain inside is as strong as around; pixels away from the hole are the same."""
    rng = np.random.default_rng(4)
    y, x = np.mgrid[0:200, 0:240]
    plain = 120 + 50 * np.sin((x + y) / 6) + rng.normal(0, 6, (200, 240))
    picture = np.clip(np.repeat(plain[..., None], 3, axis=2), 0, 255).astype(np.uint8)
    hole = np.zeros((200, 240), bool)
    cv2.line(hole.view(np.uint8), (60, 50), (170, 150), 1, 7)
    spoiled = picture.copy()
    spoiled[hole] = 10
    out = mend(spoiled, hole)
    assert np.abs(out[hole].astype(float) - picture[hole]).mean() < 12

    def grain(a: NDArray[np.uint8]) -> float:
        plane = a[..., 0].astype(np.float32)
        return float((plane - cv2.GaussianBlur(plane, (0, 0), 1.5))[hole].std())

    smear = cv2.inpaint(spoiled, hole.astype(np.uint8), 5, cv2.INPAINT_TELEA)
    assert grain(out) > 0.75 * grain(picture) > grain(smear)
    away = cv2.dilate(hole.astype(np.uint8), np.ones((11, 11), np.uint8)) == 0
    np.testing.assert_array_equal(out[away], spoiled[away])
    assert mend(spoiled, np.zeros_like(hole)) is spoiled


def test_brushes_mend_and_copy_at_every_level() -> None:
    """The mend brush fills a stroke from its surroundings, copy over lays another place there; half size shows the same."""
    sheet = strewn()
    h, w = 600, 780
    over = Touch(kind="mend", points=((460 / w, 186 / h),), radius=9 / w, strength=1)
    spot = (60 / w, 300 / h)
    copied = Touch(kind="copy", points=(spot,), radius=12 / w, strength=1, source=(460 / w, 186 / h))
    docket = FLAT.with_setting("spotting.touches", (copied, over))
    pyramid = mended_pyramid(sheet, docket)
    full = pyramid.read(0, Region(0, 0, w, h)).astype(int)
    assert full[183:190, 457:464].min() > 150  # the dot is gone
    assert full[296:305, 56:65].min() < 90  # and stands where it was copied to
    assert np.array_equal(sheet.pyramid.read(0, Region(0, 0, w, h))[400:], full[400:])
    half = pyramid.read(1, Region(0, 0, w // 2, h // 2)).astype(int)
    again = cv2.resize(full.astype(np.float32), (w // 2, h // 2), interpolation=cv2.INTER_AREA)
    assert np.abs(half - again).max() <= 2
    beside = docket.with_setting("spotting.touches", (over.model_copy(update={"points": ((3.0, 3.0),)}),))
    assert mended_pyramid(sheet, beside) is sheet.pyramid  # a stroke beside the sheet does nothing


@pytest.mark.parametrize(("medium", "x"), [("gouache", 0.46), pytest.param("pen", 0.66, marks=pytest.mark.proof)])
def test_after_a_mend_the_view_is_what_it_would_be_afresh(medium: str, x: float) -> None:
    """Only what a mend can change is computed anew: to the pixel the picture without any memory, at full and half size."""
    sheet = colour_sheet() if medium == "gouache" else pen_sheet()
    w, h = sheet.full_size
    touches: tuple[Touch, ...] = ()
    docket, cache_ = Docket(medium=medium), RegionCache()
    before = render_region(sheet, docket, "knockout", 0, Region(0, 0, w, h)).alpha
    for y in (0.5, 0.2, 0.52, 0.16):
        touches += (Touch(kind="mend", points=((x, y), (x + 0.02, y)), radius=8 / max(w, h), strength=1),)
        docket = docket.model_copy(update={"spotting": docket.spotting.model_copy(update={"touches": touches})})
        for level in (0, 1):
            box = Region(0, 0, w >> level, h >> level)
            kept = render_region(sheet, docket, "knockout", level, box, cache_)
            fresh = render_region(sheet, docket, "knockout", level, box, RegionCache())
            np.testing.assert_array_equal(kept.rgb, fresh.rgb)
            np.testing.assert_array_equal(kept.alpha, fresh.alpha)
    assert before is not None
    assert (before != render_region(sheet, docket, "knockout", 0, Region(0, 0, w, h), cache_).alpha).sum() > 50


def ruled() -> NDArray[np.uint8]:
    """A scan of a drawing with a frame close to its border, an upright rule, and shapes, (700, 620, 3)."""
    cover = np.zeros((700, 620), np.float32)
    cv2.rectangle(cover, (14, 16), (605, 684), 1.0, 2, cv2.LINE_AA)
    cv2.line(cover, (310, 40), (310, 660), 1.0, 3, cv2.LINE_AA)
    for x in (80, 200, 430):
        cv2.circle(cover, (x, 150 + x), 60, 0.9, -1, cv2.LINE_AA)
    return noisy((1 - 0.95 * cover)[..., None] * np.ones(3, np.float32))


@pytest.mark.proof
@pytest.mark.parametrize("tilt", [pytest.param(0.0, id="as scanned"), pytest.param(1.5, id="straightened")])
def test_streaks_of_the_scanner_go_and_drawn_lines_stay(tilt: float) -> None:
    """Dark, light and level streaks across art and paper: what is written is what it would be without them; one that is
    decided to stay does; a rule and a frame are no streaks."""
    clean = ruled()
    light = srgb_decode(clean.astype(np.float32) / 255)
    light[:, 240:242] *= 0.8
    light[:, 500] *= 1.1
    light[420:422] *= 0.5
    spoiled = np.rint(srgb_encode(np.clip(light, 0, 1)) * 255).astype(np.uint8)
    docket = Docket(square=SquareSettings(straighten=tilt, trim="off", corners="off")) if tilt else FLAT
    sheets = [make_sheet(take_in("a.png", png_bytes(one)), build_pyramid(one), docket) for one in (clean, spoiled)]
    wanted, got = (render_whole(sheet, docket) for sheet in sheets)
    assert np.abs(got.tone.astype(int) - wanted.tone).mean() < 0.1
    left = render_whole(sheets[1], docket.with_setting("spotting.lines", False))
    assert np.abs(left.tone.astype(int) - wanted.tone).mean() > 0.5
    found = look_over(sheets[1], docket).strays
    assert {(one.upright, one.first, one.end) for one in found.streaks} == {
        (True, 240, 242), (True, 500, 501), (False, 420, 422)
    }  # fmt: skip
    assert look_over(sheets[0], docket).strays.streaks == ()
    level = int(np.argmin([one.upright for one in found.streaks]))
    stays = Decision(at=tuple(found.streak_places()[level].tolist()), goes=False)
    kept = render_whole(sheets[1], docket.with_setting("spotting.decided", (stays,)))
    assert np.abs(kept.tone.astype(int) - wanted.tone).max() > 60


def test_a_sheet_full_of_specks_stays_usable() -> None:
    """Very many pieces are found and judged in one go; too many decisions are refused with a sentence."""
    rng = np.random.default_rng(0)
    alpha = np.zeros((1600, 1600), np.uint8)
    alpha.ravel()[rng.choice(alpha.size, 60_000, replace=False)] = 200
    pieces = find_pieces(alpha, alpha, 1, 300)
    assert len(pieces) > 30_000
    with pytest.raises(BadSetting):
        FLAT.with_setting("spotting.decided", [{"at": (0.5, 0.5), "goes": True}] * 20_001)


def test_unknown_or_empty_areas_are_refused() -> None:
    """An area of two points is none."""
    with pytest.raises(BadSetting):
        Docket().with_setting("spotting.areas", [{"kind": "all", "outline": ((0.1, 0.1), (0.2, 0.2))}])


@pytest.mark.proof
def test_a_large_sheet_without_a_view_is_looked_over_too() -> None:
    """A pyramid that dropped its large levels gives the same hairs as one that holds them."""
    plane, _ = painted()
    big = np.repeat(np.repeat(plane, 2, 0), 2, 1)[..., None] * np.array([1.0, 0.8, 0.6])
    picture = np.full((1000, 6000, 3), 235, np.uint8)
    picture[100:900, 2000:2800] = np.clip(big, 0, 255)
    docket = FLAT.with_setting("knockout.colour", "keep")
    found = []
    for lean in (False, True):
        pyramid = build_pyramid(picture, lean=lean)
        assert pyramid.holds(1) != lean
        sheet = replace(make_sheet(take_in("big.png", png_bytes(picture)), pyramid, docket), set_ppi=600.0)
        found.append([hair.box for hair in look_for_hairs(sheet).on_paint])
    assert found[0] and found[0] == found[1]


@pytest.mark.proof
def test_what_is_of_the_hue_of_blue_ink_is_no_hair_and_a_grey_one_is() -> None:
    """Two thin bent lines that are alike, alone on a sheet of blue strokes: the blue one was drawn, the grey one fell."""
    rng = np.random.default_rng(8)
    ink, hair = (np.zeros((1400 * 2, 1100 * 2), np.uint8) for _ in range(2))
    for _ in range(14):
        path = np.array([700, 500]) + np.cumsum(rng.normal(0, 130, (6, 2)), axis=0)
        cv2.polylines(ink, [path.astype(np.int32)], False, 255, 16, cv2.LINE_AA)
    turn = np.cumsum(rng.normal(0, 0.25, 30))
    bent = np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * 2.8, axis=0)
    for plane, at in ((ink, (300, 2300)), (hair, (1500, 2300))):
        cv2.polylines(plane, [(bent + at).astype(np.int32)], False, 255, 3, cv2.LINE_AA)
    blue, grey = (
        cv2.GaussianBlur(cv2.resize(plane, (1100, 1400), interpolation=cv2.INTER_AREA), (0, 0), 0.6)[..., None] / 255
        for plane in (ink, hair)
    )
    light = (1 - blue * np.array([0.93, 0.85, 0.5])) * (1 - 0.7 * grey)
    sheet = look_over(sheet_of(noisy(light.astype(np.float32))), FLAT)
    assert sheet.strays is not None
    lone = [int(np.hypot(*(sheet.strays.pieces.at - (x, 1150)).T).argmin()) for x in (160, 760)]
    drawn, fallen = sheet.strays.dirt[lone]
    assert drawn < 0.01
    assert fallen > 0.5
