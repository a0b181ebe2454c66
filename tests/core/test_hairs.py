"""Hairs of a whole sheet: mended where they lie on paint, however pale, and gone where they lie on bare paper."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import noisy, png_bytes, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.hairs import look_for_hairs
from woad.core.render.sheet import make_sheet
from woad.core.render.strays import look_over
from woad.core.render.whole import render_whole
from woad.core.spotting.hairs import find_hairs


@pytest.mark.proof
def test_a_hair_on_paint_as_light_as_paper_is_mended_and_one_on_paper_leaves_nothing() -> None:
    """A blue ring filled with white paint: a hair across the white, and the same one on the paper above the ring."""
    rng = np.random.default_rng(4)
    picture = np.full((900, 900, 3), (236, 234, 228), np.float32)
    cv2.circle(picture, (120, 780), 80, (210, 120, 40), -1, cv2.LINE_AA)
    cv2.circle(picture, (450, 450), 300, (70, 110, 170), -1, cv2.LINE_AA)
    cv2.circle(picture, (450, 450), 230, (232, 231, 222), -1, cv2.LINE_AA)
    for y in (430, 60):
        path = np.array([[400, y], [430, y + 8], [470, y + 5], [500, y + 14]], np.int32)
        cv2.polylines(picture, [path], False, (150, 148, 146), 1, cv2.LINE_AA)
    picture = np.clip(cv2.GaussianBlur(picture, (0, 0), 0.6) + rng.normal(0, 1, picture.shape), 0, 255).astype(np.uint8)
    docket = starting_docket("watercolour").with_setting("square.on", False).with_setting("scan.ppi", 300)
    sheet = look_over(make_sheet(take_in("ring.png", png_bytes(picture)), build_pyramid(picture), docket), docket)
    planes, before = render_whole(sheet, docket), render_whole(sheet, docket.with_setting("spotting.on", False))
    assert planes.alpha is not None and planes.paper_rgb is not None and before.paper_rgb is not None
    on_paint, on_paper = (slice(427, 448), slice(396, 504)), (slice(57, 78), slice(396, 504))
    assert planes.alpha[on_paint].min() == 255 and planes.alpha[on_paper].max() == 0
    for part in (on_paint, on_paper):
        assert before.paper_rgb[part].min() < 200 and planes.paper_rgb[part].min() > 235


@pytest.mark.proof
def test_a_hair_that_reaches_from_paper_over_a_pale_wash_goes_whole() -> None:
    """It hangs together with the wash, so it is no stray; most of it lies on paper, so it is not on paint: on paper it leaves
    nothing, on the wash no line."""
    rng = np.random.default_rng(9)
    picture = np.full((900, 900, 3), (238, 236, 230), np.float32)
    cv2.circle(picture, (120, 780), 80, (210, 120, 40), -1, cv2.LINE_AA)
    cv2.rectangle(picture, (420, 200), (800, 700), (226, 232, 238), -1, cv2.LINE_AA)
    turn = 0.2 + np.cumsum(rng.normal(0, 0.2, 24))
    bent = np.array([640, 800]) + np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * 18, axis=0)
    hair = np.zeros((1800, 1800), np.uint8)
    cv2.polylines(hair, [np.rint(bent).astype(np.int32)], False, 255, 2, cv2.LINE_AA)
    cover = cv2.resize(hair, (900, 900), interpolation=cv2.INTER_AREA)[..., None] / np.float32(255)
    picture = cv2.GaussianBlur(picture * (1 - 0.6 * cover), (0, 0), 0.6) + rng.normal(0, 1, picture.shape)
    sheet = sheet_of(np.clip(picture, 0, 255).astype(np.uint8))
    docket = starting_docket("watercolour").with_setting("square.on", False)
    planes, before = render_whole(sheet, docket), render_whole(sheet, docket.with_setting("spotting.on", False))
    assert planes.alpha is not None and before.alpha is not None
    assert planes.paper_rgb is not None and before.paper_rgb is not None
    bare, wash = (slice(385, 460), slice(322, 408)), (slice(385, 460), slice(428, 520))
    assert before.alpha[bare].max() > 100 and planes.alpha[bare].max() < 12
    assert before.paper_rgb[wash].min() < 180 and planes.paper_rgb[wash].min() > 215


def test_a_pens_lines_over_a_wash_are_no_hairs() -> None:
    """Ten swelling pen strokes over two washes and the paper between: each thins out like a hair, and none is one, nor is
    a gap between two that cross a speck; four real hairs on washes without strokes are found."""
    rng = np.random.default_rng(6)
    washes = np.full((1000, 1000), 240, np.float32)
    cv2.circle(washes, (360, 400), 260, 150.0, -1, cv2.LINE_AA)
    cv2.circle(washes, (660, 640), 250, 95.0, -1, cv2.LINE_AA)
    pen, hairs = np.zeros((2000, 2000), np.uint8), np.zeros((2000, 2000), np.uint8)
    t = np.linspace(0, 1, 160)[:, None]
    for i in range(10):
        a, b, c, d = rng.uniform(300, 1700, 2) + rng.uniform(-560, 560, (4, 2))
        path = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d
        for j in range(159):
            width = max(1, round(5 * np.sin(np.pi * j / 159)))
            cv2.line(pen, *(tuple(int(v) for v in path[k]) for k in (j, j + 1)), 255, width, cv2.LINE_AA)
        if i < 4:
            start = np.array([(560, 560), (800, 760), (1240, 1150), (1420, 1380)][i])
            turn = rng.uniform(0, 6) + np.cumsum(rng.normal(0, 0.25, 14))
            bent = start + np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * 11, axis=0)
            cv2.polylines(hairs, [np.rint(bent).astype(np.int32)], False, 255, 2, cv2.LINE_AA)

    def seen(ink: NDArray[np.uint8], amount: float) -> NDArray[np.float32]:
        cover = cv2.resize(ink, (1000, 1000), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        plane = cv2.GaussianBlur(washes * (1 - amount * cover), (0, 0), 0.6)
        return np.asarray(plane + rng.normal(0, 0.8, plane.shape), np.float32)

    assert not find_hairs(seen(pen, 0.85), 300)
    assert sum(not one.dust for one in find_hairs(seen(hairs, 0.5), 300)) == 4


@pytest.mark.parametrize(("strokes", "hairs"), [(9, 0), (0, 3), (1, 3)])
def test_a_pencils_grainy_lines_on_a_wash_are_no_hairs(strokes: int, hairs: int) -> None:
    """They are as thin, but come and go with the paper's grain; hairs cover evenly."""
    rng = np.random.default_rng(8)
    plane = np.full((1400, 1400), 240, np.float32)
    cv2.circle(plane, (700, 700), 620, 205.0, -1, cv2.LINE_AA)
    covers = np.zeros((2, 1400, 1400), np.uint8)
    for i in range(strokes + hairs):
        turn = rng.uniform(0, 6) + np.cumsum(rng.normal(0, 0.12, 16))
        start = np.array([440 + 240 * (i % 3), 380 + 170 * (i // 3)])
        path = start + np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * 9, axis=0)
        cv2.polylines(
            covers[int(i < hairs)], [np.rint(path).astype(np.int32)], False, 255, 2 if i < hairs else 3, cv2.LINE_AA
        )
    grain = cv2.GaussianBlur(rng.normal(0, 1, plane.shape), (0, 0), 4.5)
    pencil = covers[0] / 255 * np.clip(0.55 + 0.3 * grain / grain.std(), 0, 1)
    plane *= (1 - 0.55 * pencil) * (1 - 0.5 * covers[1] / 255)
    seen = cv2.resize(cv2.GaussianBlur(plane, (0, 0), 0.9), (700, 700), interpolation=cv2.INTER_AREA)
    found = find_hairs(np.asarray(seen + rng.normal(0, 0.8, seen.shape), np.float32), 300)
    assert sum(not one.dust for one in found) == hairs


@pytest.mark.parametrize("flecks", [6, 1200])
def test_flecks_of_a_print_are_no_dust(flecks: int) -> None:
    """Some light specks on a broad area are dust; where there are hundreds, those that happen to lie alone are none."""
    rng = np.random.default_rng(5)
    plane = np.full((1800, 1800), 95, np.float32)
    for x, y in rng.uniform(60, 1740, (flecks, 2)).tolist():
        cv2.circle(plane, (round(x), round(y)), int(rng.integers(2, 4)), 225.0, -1, cv2.LINE_AA)
    seen = cv2.resize(cv2.GaussianBlur(plane, (0, 0), 0.8), (900, 900), interpolation=cv2.INTER_AREA)
    found = find_hairs(np.asarray(seen + rng.normal(0, 0.8, seen.shape), np.float32), 300)
    assert sum(one.dust for one in found) == (flecks if flecks < 10 else 0)


@pytest.mark.parametrize("on_paper", [True, False])
@pytest.mark.parametrize("dust", [0.15, 0.55])
def test_dust_on_a_wash_has_no_hue_and_falls_on_paper_too(dust: float, on_paper: bool) -> None:
    """Six specks of dust, dark or shining, on a blue wash are found; twelve fine dots of red and of yellow stay. The six stay
    as well if the paper around has none."""
    light = np.full((1800, 1800, 3), 0.84, np.float32)
    cv2.rectangle(light, (300, 300), (1500, 1500), (0.2, 0.3, 0.6), -1)
    cv2.circle(light, (1640, 1640), 120, (0.7, 0.3, 0.1), -1)
    for i in range(18):
        at = 420 + 190 * (i % 6), 500 + 340 * (i // 6)
        cv2.circle(light, at, 3, ((dust,) * 3, (0.3, 0.04, 0.06), (0.82, 0.62, 0.1))[i % 3], -1, cv2.LINE_AA)
        if on_paper and i % 3 == 0:
            cv2.circle(light, (at[0], 150), 3, (0.15,) * 3, -1, cv2.LINE_AA)
            cv2.circle(light, (150, at[1]), 3, (0.15,) * 3, -1, cv2.LINE_AA)
    light = cv2.resize(cv2.GaussianBlur(light, (0, 0), 0.8), (900, 900), interpolation=cv2.INTER_AREA)
    sheet = sheet_of(noisy(light))
    found = [one for one in look_for_hairs(sheet).on_paint if one.dust]
    places = {
        (round((x + w / 2 - 210) / 95), round((y + h / 2 - 250) / 170)) for x, y, w, h in (one.box for one in found)
    }
    assert places == ({(0, 0), (3, 0), (0, 1), (3, 1), (0, 2), (3, 2)} if on_paper else set())


def test_white_dots_of_paint_are_no_dust_however_dusty_the_sheet_is() -> None:
    """A highlight in an eye, and stars far apart: as light as paper, as no dust is."""
    light = np.full((1800, 1800, 3), 0.84, np.float32)
    cv2.rectangle(light, (300, 300), (1500, 1500), (0.06, 0.08, 0.16), -1)
    for i in range(12):
        cv2.circle(light, (430 + 310 * (i % 4), 460 + 420 * (i // 4)), 4, (0.82, 0.82, 0.8), -1, cv2.LINE_AA)
        cv2.circle(light, (150 * i + 60, 150), 3, (0.15,) * 3, -1, cv2.LINE_AA)
    light = cv2.resize(cv2.GaussianBlur(light, (0, 0), 0.8), (900, 900), interpolation=cv2.INTER_AREA)
    assert not [one for one in look_for_hairs(sheet_of(noisy(light))).on_paint if one.dust]


@pytest.mark.proof
def test_a_fine_pens_short_strokes_over_a_wash_stay() -> None:
    """Strokes of 0.2 mm that end where they end are as thin as hairs, but deeper than one could be; hairs beside them go. A
    photo tells no size: there a pen of 0.35 mm is as thin."""
    rng = np.random.default_rng(3)
    picture = np.full((1240, 900, 3), 236, np.float32)
    cv2.circle(picture, (450, 600), 380, (150, 180, 205), -1, cv2.LINE_AA)
    pen, hair = np.zeros((2, 2480, 1800), np.uint8)
    for i in range(14):
        start = np.array([500 + 280 * (i % 4), 620 + 380 * (i // 4)])
        turn = rng.uniform(0, 6) + np.cumsum(rng.normal(0, 0.16, 14))
        path = start + np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * (9 if i < 2 else 16), axis=0)
        cv2.polylines(
            hair if i < 2 else pen, [np.rint(path).astype(np.int32)], False, 255, 2 if i < 2 else 5, cv2.LINE_AA
        )
    pen, hair = (
        cv2.resize(one, (900, 1240), interpolation=cv2.INTER_AREA)[..., None] / np.float32(255) for one in (pen, hair)
    )
    picture *= (1 - 0.85 * pen) * (1 - 0.3 * hair)
    scan = cv2.GaussianBlur(picture, (0, 0), 0.6) + rng.normal(0, 1, picture.shape)
    scan = np.clip(scan, 0, 255).astype(np.uint8)
    scan_file = cv2.imencode(".jpg", scan)[1].tobytes()  # tells no ppi
    lines, hairs = cv2.erode(pen, np.ones((2, 2), np.uint8)) > 0.9, hair[..., 0] > 0.5
    for ppi in (300, None):
        docket = starting_docket("watercolour").with_setting("square.on", False).with_setting("scan.ppi", ppi)
        sheet = make_sheet(take_in("fine.jpg", scan_file), build_pyramid(scan), docket)
        found = np.zeros(lines.shape, bool)
        for one in look_for_hairs(sheet).on_paint:
            x, y, w, h = one.box
            found[y : y + h, x : x + w] |= one.mask
        assert found[lines].mean() < 0.02
        assert ppi is None or found[hairs].mean() > 0.6


def test_ruled_hairlines_that_stand_alone_are_no_hairs() -> None:
    """Sixteen straight strokes of 0.1 to 0.15 mm beside a solid square: none of them is dirt, two that cross included."""
    rng = np.random.default_rng(9)
    picture = np.full((900, 900, 3), 232, np.float32)
    cv2.rectangle(picture, (40, 40), (120, 120), (30, 30, 32), -1)
    lines = np.zeros((900, 900), np.uint8)
    for i in range(16):
        x, y = 170 + 190 * (i % 4), 170 + 190 * (i // 4)
        if i == 15:
            x, y = x - 180, y + 20  # across the one before it
        turn = rng.uniform(0, np.pi) if i != 15 else 1.2
        half = np.array([np.cos(turn), np.sin(turn)]) * rng.uniform(40, 70)
        a, b = (np.rint((np.array([x, y]) + sign * half) * 16).astype(int).tolist() for sign in (-1, 1))
        cv2.line(lines, a, b, 255, 1 + i % 2, cv2.LINE_AA, 4)
    cover = cv2.GaussianBlur(lines, (0, 0), 0.55).astype(np.float32)[..., None] / 255
    picture = picture * (1 - cover) + 30 * cover
    noisy = np.clip(picture + rng.normal(0, 1, picture.shape), 0, 255).astype(np.uint8)
    docket = starting_docket("pen").with_setting("square.on", False).with_setting("scan.ppi", 300)
    sheet = look_over(make_sheet(take_in("lines.png", png_bytes(noisy)), build_pyramid(noisy), docket), docket)
    after, before = (render_whole(sheet, one).alpha for one in (docket, docket.with_setting("spotting.on", False)))
    assert after is not None and before is not None
    on = lines > 0
    assert float(after[on].sum()) > 0.98 * float(before[on].sum())


@pytest.mark.proof
def test_paper_between_letters_is_no_light_hair() -> None:
    """In heavy letters, black and red, a bent gap is as light and thin as a hair on paint: none is mended, and a light hair on
    a panel of red below is."""
    rng = np.random.default_rng(8)
    page = np.full((2800, 2400, 3), 236, np.uint8)
    for i in range(120):
        x, y = 160 + i % 12 * 180, 160 + i // 12 * 170
        cv2.ellipse(page, (x, y), (52, 68), 20, 0, 360, (160, 40, 40) if i % 4 == 1 else (30, 30, 32), -1, cv2.LINE_AA)
        bend = np.array([[-8, -80], [-18, -28], [4, 20], [-10, 80]]) + (x, y)
        cv2.polylines(page, [bend.astype(np.int32)], False, (226, 226, 226), 5, cv2.LINE_AA)
    cv2.rectangle(page, (200, 2000), (2200, 2640), (160, 40, 40), -1, cv2.LINE_AA)
    path = np.array([[800, 2200], [920, 2232], [1080, 2220], [1200, 2256], [1280, 2240]], np.int32)
    cv2.polylines(page, [path], False, (225, 215, 210), 5, cv2.LINE_AA)
    small = cv2.resize(page, (600, 700), interpolation=cv2.INTER_AREA)
    picture = np.clip(small + rng.normal(0, 1, small.shape), 0, 255).astype(np.uint8)
    docket = starting_docket("pen").with_setting("square.on", False)
    sheet = make_sheet(take_in("page.png", png_bytes(picture)), build_pyramid(picture), docket)
    found = [one for one in look_for_hairs(sheet).on_paint if one.lighter and not one.dust]
    assert len(found) == 1
    assert 530 < found[0].box[1] < 570
