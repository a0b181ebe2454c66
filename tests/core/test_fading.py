"""Washes that fade out on bare paper: their coverage goes with them, and only theirs."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from captures import saved
from sheets import noisy, png_bytes, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket, Medium
from woad.core.formats.read import take_in
from woad.core.knockout.fading import find_fading, read_rims
from woad.core.knockout.inside import find_inside
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.render.whole import Planes, render_whole
from woad.demo.scanner import smooth_noise

PAPER, BLUE, RED = (np.array(rgb, np.float32) for rgb in ((236, 231, 220), (120, 160, 200), (210, 130, 110)))
OUT = np.hypot(*(np.mgrid[:900, :1200] - np.array([450, 400])[:, None, None])) - 250  # px beyond a disc's rim
FADES = np.clip(0.5 - OUT / 120, 0, 1)  # over 120 px


@pytest.fixture(scope="module")
def sheet() -> Sheet:
    """A sheet with a blue disc that fades out, with a light spot, a cloud left open and a gap with an edge in it; and a pale
    red one that has an edge, deeper in its middle."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[:900, :1200]
    light = 1 - 0.95 * np.exp(-(((x - 400) / 14.0) ** 2 + ((y - 470) / 14.0) ** 2))
    cloud = np.hypot(x - 310, y - 360) - 25  # paper, and then a soft rim
    light *= np.clip(cloud / 20, 0, 1)
    light *= np.hypot(x - 490, y - 380) > 30
    beside = np.hypot(x - 950, y - 450)
    pale = (beside < 150) * (0.22 + 0.4 * np.clip((110 - beside) / 20, 0, 1))
    washes = (FADES * light)[..., None] * (BLUE - PAPER) + pale[..., None] * (RED - PAPER)
    grain = cv2.GaussianBlur(rng.normal(0, 3, OUT.shape), (0, 0), 1.2)[..., None]
    picture = cv2.GaussianBlur(PAPER + washes, (0, 0), 0.7) + grain
    scan = np.clip(picture + rng.normal(0, 1, picture.shape), 0, 255).astype(np.uint8)
    return make_sheet(take_in("wash.png", png_bytes(scan)), build_pyramid(scan), docket_for("watercolour"))


def docket_for(medium: Medium) -> Docket:
    return starting_docket(medium).with_setting("square.on", False).with_setting("scan.ppi", 300)


@pytest.fixture(scope="module")
def wash(sheet: Sheet) -> Planes:
    planes = render_whole(sheet, docket_for("watercolour"))
    assert planes.alpha is not None
    return planes


def test_a_wash_that_fades_out_is_no_white_patch(wash: Planes) -> None:
    """It covers all where it is deep, less where a quarter of it is left, hardly anything where a twelfth is; between, it
    falls steadily."""
    alpha, left = wash.alpha / 255, OUT < 100
    ring = [float(alpha[(far < OUT) & (far + 10 >= OUT) & left].mean()) for far in range(-110, 80, 10)]
    assert ring[14] < 0.75
    assert max(ring[16:]) < 0.1
    assert min(ring[:4]) > 0.95
    assert np.diff(ring).max() < 0.02


def test_a_light_spot_in_it_is_no_hole(wash: Planes) -> None:
    """Nor is a cloud, where the wash thins out to paper; a gap with an edge is one."""
    assert wash.alpha[440:500, 370:430].min() > 240
    assert wash.alpha[290:430, 250:370].min() > 240
    assert wash.alpha[360:400, 470:510].max() < 10


def test_a_pale_wash_with_an_edge_covers_up_to_it(wash: Planes) -> None:
    """Though it is deeper further in."""
    y, x = np.mgrid[:900, :1200]
    beside = np.hypot(x - 950, y - 450)
    assert wash.alpha[beside < 145].min() > 230
    assert wash.alpha[(beside > 155) & (beside < 190)].max() < 40


def test_opaque_paint_keeps_its_soft_rims(sheet: Sheet) -> None:
    alpha = render_whole(sheet, docket_for("gouache")).alpha
    assert alpha is not None
    assert alpha[(OUT > 0) & (OUT < 20)].mean() > 200


def test_over_white_it_looks_as_it_did(wash: Planes) -> None:
    assert wash.rgb is not None
    seen = 255 - wash.alpha[..., None] / 255.0 * (255 - wash.rgb.astype(np.float32))
    truth = 255 * (1 + FADES[..., None] * (BLUE / PAPER - 1))
    calm = cv2.GaussianBlur(seen - truth, (0, 0), 4.0)[100:800, 100:740]
    y, x = np.mgrid[100:800, 100:740]
    spot = (np.hypot(x - 400, y - 470) < 60) | (np.hypot(x - 310, y - 360) < 80) | (np.hypot(x - 490, y - 380) < 40)
    assert np.abs(calm[~spot]).mean() < 2.0


@pytest.mark.proof
def test_on_black_a_wash_that_fades_over_a_few_millimetres_has_no_light_rim() -> None:
    """As light as a mixture of its colour and the ground, within a quarter; a pale wash with an edge that it touches is whole."""
    y, x = np.mgrid[:600, :900].astype(np.float32)
    far = np.hypot(x - 290, y - 300) - 170 + 12 * smooth_noise((600, 900), 40, np.random.default_rng(1))
    fades = 1 / (1 + np.exp(np.clip(far / 5, -50, 50)))
    edged = (np.hypot(x - 600, y - 300) < 160).astype(np.float32)
    washes = fades[..., None] * (0.6 * BLUE / PAPER - 1) + 0.35 * (edged * (1 - fades))[..., None] * (RED / PAPER - 1)
    picture = cv2.GaussianBlur(PAPER * (1 + washes), (0, 0), 0.7) + np.random.default_rng(5).normal(0, 1, (600, 900, 1))
    scan = np.clip(picture, 0, 255).astype(np.uint8)
    docket = docket_for("watercolour")
    planes = render_whole(make_sheet(take_in("wash.png", png_bytes(scan)), build_pyramid(scan), docket), docket)
    assert planes.alpha is not None
    assert planes.rgb is not None
    on_black = (planes.rgb * (planes.alpha[..., None] / 255.0)).mean(axis=2)
    rim = (fades > 0.05) & (fades < 0.6) & (x < 380)
    mixture = fades * float((255 * 0.6 * BLUE / PAPER).mean())
    assert (on_black - mixture)[rim].mean() < 30
    assert planes.alpha[(np.hypot(x - 600, y - 300) < 154) & (x > 490)].min() > 230


def test_a_filled_opening_lends_no_softness_to_the_outline_beside_it() -> None:
    """A pale bar has an edge all around; where it thins out within, close to that edge, it is paint to the edge."""
    y, x = np.mgrid[:240, :360].astype(np.float32)
    missing = 0.05 * ((np.abs(x - 180) < 140) & (np.abs(y - 120) < 80)).astype(np.float32)
    missing *= np.clip(np.hypot(x - 292, y - 120) / 30 - 0.4, 0, 1)
    noise = np.random.default_rng(4).normal(0, 0.003, missing.shape)
    seen = np.asarray(cv2.GaussianBlur(missing, (0, 0), 0.8) + noise, np.float32)
    core, _, fading = np.moveaxis(find_inside(seen, 0.012, np.full((*seen.shape, 3), 0.8, np.float32)), 2, 0)
    bar = (slice(60, 180), slice(60, 305))
    assert core[bar].min() > 0.95
    assert fading[bar].min() > 0.95


@pytest.mark.parametrize("shape", [(1, 1), (1, 40), (90, 121)])
def test_without_paper_or_without_paint_nothing_fades(shape: tuple[int, int]) -> None:
    """However small the sheet: there is no rim to tell."""
    missing = np.random.default_rng(6).uniform(0, 0.3, shape).astype(np.float32)
    for paint in (np.zeros(shape, np.uint8), np.ones(shape, np.uint8)):
        np.testing.assert_array_equal(
            find_fading(missing, paint, 0.02, read_rims(missing, paint, 0.02)), np.ones(shape, np.float32)
        )


@pytest.mark.proof
def test_a_messengers_file_has_no_white_patches_beside_yellow() -> None:
    """Heavy compression makes paper beside a strong colour unquiet, in a hue and in none: that is no pale paint."""
    cover = np.zeros((900, 700), np.float32)
    for i in range(6):
        cv2.ellipse(cover, (350, 120 + 130 * i), (250, 44), 4.0 * i, 0, 330, 1.0, 22 + 4 * i, cv2.LINE_AA)
    depth = np.clip(0.8 + 0.35 * smooth_noise(cover.shape, 40, np.random.default_rng(3)), 0.2, 1.4)
    art = np.power(np.array([0.76, 0.56, 0.16], np.float32), depth[..., None])
    seen = noisy(1 - cover[..., None] * (1 - art))
    sheet = sheet_of(saved(seen, 68))
    alpha = render_whole(sheet, starting_docket("watercolour").with_setting("square.on", False)).alpha
    assert alpha is not None
    bare = cv2.dilate(cover, np.ones((9, 9))) == 0
    assert (alpha[bare] > 60).mean() < 1e-3
    assert alpha[cv2.erode(cover, np.ones((9, 9))) == 1].min() > 200


@pytest.mark.proof
def test_a_caption_below_a_painting_lies_on_no_white() -> None:
    """Where paper is burnt to pure white, what grain and compression do beside letters is darker only: between them it is still
    paper. Paint as pale as that is whole."""
    rng = np.random.default_rng(4)
    paint, words = np.zeros((760, 560), np.float32), np.zeros((1520, 1120), np.uint8)
    paint[60:520, 60:500] = 1
    for y in range(1180, 1440, 37):
        cv2.putText(
            words,
            "Low water by the buoy, salt and tallow",
            (120, y),
            cv2.FONT_HERSHEY_TRIPLEX,
            1.1,
            255,
            3,
            cv2.LINE_AA,
        )
    ink = cv2.resize(words, (560, 760), interpolation=cv2.INTER_AREA).astype(np.float32)[..., None] / 255
    colour = np.array([60, 90, 150], np.float32) + 25 * smooth_noise(paint.shape, 12, rng)[..., None]
    colour[200:400, 160:400] = np.array([243, 246, 250]) + smooth_noise((200, 240), 2, rng)[..., None]
    seen = (255 + paint[..., None] * (cv2.GaussianBlur(colour, (0, 0), 0.8) - 255)) * (1 - 0.95 * ink)
    grain = rng.normal(0, 4, seen.shape) + 9 * smooth_noise(paint.shape, 2.5, rng)[..., None]
    burnt = np.clip(1.03 * (seen + grain), 0, 255).astype(np.uint8)
    sheet = sheet_of(saved(saved(burnt, 60)[3:, 5:], 60))
    alpha = render_whole(sheet, starting_docket("gouache").with_setting("square.on", False)).alpha
    assert alpha is not None
    between = cv2.dilate(ink, np.ones((5, 5)))[560:740, 45:500] == 0
    assert (alpha[557:737, 40:495][between] > 60).mean() < 0.02
    assert alpha[220:380, 180:380].mean() > 250


def test_a_veil_beside_paint_is_no_paint() -> None:
    """Where light was read two parts in a hundred wrong beside deep paint, paper is no paint, however wide; pale paint of the
    same depth, with an edge, is."""
    y, x = np.mgrid[:500, :700].astype(np.float32)
    missing = 0.021 * np.exp(-(((x - 170) / 70) ** 2 + ((y - 250) / 90) ** 2)).astype(np.float32)
    missing += 0.021 * ((np.abs(x - 520) < 70) & (np.abs(y - 250) < 90))
    for at in (230, 610):
        cv2.circle(missing, (at, 250), 40, 0.4, -1, cv2.LINE_AA)
    noise = np.random.default_rng(4).normal(0, 0.004, missing.shape)
    light = np.full((*missing.shape, 3), 0.8, np.float32)
    core = find_inside(np.asarray(missing + noise, np.float32), 0.012, light)[..., 0]
    assert core[200:300, 120:175].mean() < 0.02
    assert core[190:310, 470:560].mean() > 0.95
    assert min(core[240:260, at - 20 : at + 20].min() for at in (230, 610)) > 0.95
