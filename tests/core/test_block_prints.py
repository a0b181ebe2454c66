"""Prints and flat paint in one colour: what is paler than it is paper's share, unless it is a tint."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import noisy, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.knockout.one_tone import one_tone_alpha
from woad.core.raster.transfer import srgb_encode
from woad.core.render.sheet import Sheet
from woad.core.render.strays import look_over
from woad.core.render.whole import render_whole

BLUE = np.array([0.1, 0.18, 0.5], np.float32)
DOCKET = starting_docket("gouache").with_setting("square.on", False)


@pytest.fixture(scope="module")
def block() -> tuple[Sheet, NDArray[np.float32]]:
    """A block printed in blue, with tapered cuts so close that chips of ink a pixel or two wide are left between them, and with
    specks where the ink did not take; and how much of each pixel is inked."""
    rng = np.random.default_rng(7)
    cover = np.zeros((1200, 880), np.float32)
    cv2.rectangle(cover, (60, 60), (820, 1140), 1.0, -1)
    for i in range(44):
        x = 120 + 8 * i
        cut = np.array([[x, 150], [x + 8, 152], [x + 40, 600 + 37 * (i % 5)]])
        cv2.fillPoly(cover, [cut * 16], 0.0, cv2.LINE_AA, 4)
        cv2.fillPoly(cover, [(cut[:, ::-1] + (100, 550)) * 16], 0.0, cv2.LINE_AA, 4)
    cover[rng.integers(0, 1200, 2500), rng.integers(0, 880, 2500)] = 0.0
    return sheet_of(noisy(1 - cover[..., None] * (1 - BLUE))), cv2.GaussianBlur(cover, (0, 0), 0.6)


@pytest.mark.proof
def test_chips_and_rims_of_a_print_have_its_own_colour(block: tuple[Sheet, NDArray[np.float32]]) -> None:
    """On black no pixel is lighter than the ink; the cuts are clear, and the block is whole."""
    sheet, cover = block
    assert sheet.readings.medium == "gouache"
    planes = render_whole(sheet, DOCKET)
    assert planes.alpha is not None and planes.rgb is not None
    on_black = planes.rgb * (planes.alpha[..., None] / np.float32(255))
    assert np.percentile((on_black - 255 * srgb_encode(BLUE)).max(axis=2), 99.9) < 16
    assert planes.alpha[cover < 0.001].mean() < 0.1
    assert planes.alpha[cv2.erode(cover, np.ones((7, 7))) > 0.99].min() > 240


@pytest.mark.proof
def test_a_cut_is_no_light_hair(block: tuple[Sheet, NDArray[np.float32]]) -> None:
    """Its tapered end is as thin as one."""
    strays = look_over(block[0], DOCKET).strays
    assert strays is not None
    assert not [hair for hair in strays.hairs if hair.lighter]


def test_a_tint_of_the_same_colour_is_paint() -> None:
    """Pale paint inside deep paint is no hole, and deep paint beside pale paint has no light rim."""
    cover = np.zeros((900, 700), np.float32)
    cv2.circle(cover, (340, 420), 260, 1.0, -1, cv2.LINE_AA)
    cv2.circle(cover, (360, 400), 50, 0.4, -1, cv2.LINE_AA)
    sheet = sheet_of(noisy(1 - cover[..., None] * (1 - BLUE)))
    assert not sheet.readings.one_tone
    alpha = render_whole(sheet, DOCKET).alpha
    assert alpha is not None
    assert alpha[cv2.erode(cover, np.ones((9, 9))) > 0.3].min() > 240


def test_a_pixel_is_its_share_of_the_ink() -> None:
    """Of a sheet of one pixel, too; what is nearly of full depth, with none of paper beside it, is covered whole."""
    full = np.array([60, 90, 180], np.uint8)
    for depth, wanted in ((0.0, 0), (0.25, 64), (0.5, 128), (0.9, 255), (1.0, 255)):
        for shape in ((1, 1), (1, 9), (30, 20)):
            rgb = np.broadcast_to(
                np.rint(255 - depth * (255 - full.astype(float))).astype(np.uint8), (*shape, 3)
            ).copy()
            assert one_tone_alpha(rgb, full, np.zeros(shape, np.uint8), 3.0) == pytest.approx(wanted, abs=2)


def test_specks_that_a_print_in_two_inks_left_bare_are_open() -> None:
    """Where neither ink took: nothing pale is printed that they could be, so on a dark ground they are dark."""
    rng = np.random.default_rng(12)
    print_of = np.ones((600, 480, 3), np.float32)
    print_of[350:560, 40:440] = (0.3, 0.5, 0.28)
    key = np.zeros((600, 480), np.float32)
    cv2.circle(key, (240, 280), 180, 1.0, -1, cv2.LINE_AA)
    places = np.stack(np.meshgrid(np.arange(150, 340, 30), np.arange(150, 320, 30)), 2).reshape(-1, 2)
    places = places + rng.uniform(-9, 9, places.shape)
    for x, y in places:
        cv2.circle(key, (round(16 * x), round(16 * y)), round(16 * rng.uniform(2, 3)), 0.0, -1, cv2.LINE_AA, 4)
    print_of = print_of * (1 - key[..., None]) + 0.03 * key[..., None]
    sheet = sheet_of(noisy(cv2.GaussianBlur(print_of, (0, 0), 0.7)))
    docket = starting_docket("watercolour").with_setting("square.on", False).with_setting("spotting.on", False)
    alpha = render_whole(sheet, docket).alpha
    assert alpha is not None
    at = np.rint(places).astype(int)
    assert (alpha[at[:, 1], at[:, 0]] < 60).mean() > 0.95
    assert alpha[cv2.erode((print_of.min(axis=2) < 0.5).astype(np.uint8), np.ones((9, 9))) == 1].min() > 240
