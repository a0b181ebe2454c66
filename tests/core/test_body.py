"""Opaque paint on a whole sheet: paper between strokes is clear at every zoom, white paint among them is not."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import png_bytes
from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.knockout.coverage import body_alpha, unmix
from woad.core.knockout.inner import Inside
from woad.core.knockout.inside import find_inside
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet, make_sheet

PAPER, BLUE, NAVY, WHITE = (236, 231, 220), (64, 120, 180), (40, 50, 70), (226, 220, 205)
DOCKET = starting_docket("gouache").with_setting("square.on", False).with_setting("scan.ppi", 300)


@pytest.fixture(scope="module")
def sheet() -> Sheet:
    """A lattice of bars over bare paper; two painted fields with a thin gap of paper; a white wave on one of them."""
    rng = np.random.default_rng(11)
    picture = np.full((1200, 1200, 3), PAPER, np.float32)
    for i in range(4):
        cv2.line(picture, (200 + 60 * i, 80), (200 + 60 * i, 500), NAVY, 12, cv2.LINE_AA)
        cv2.line(picture, (194, 80 + 140 * i), (386, 80 + 140 * i), NAVY, 12, cv2.LINE_AA)
    cv2.rectangle(picture, (150, 600), (1050, 846), BLUE, -1)
    cv2.rectangle(picture, (150, 850), (1050, 1100), NAVY, -1)
    wave = np.array([[300, 720], [450, 700], [600, 720], [450, 712]], np.int32)
    cv2.fillPoly(picture, [wave], WHITE, cv2.LINE_AA)
    picture = cv2.GaussianBlur(picture, (0, 0), 0.7) + rng.normal(0, 1.2, picture.shape)
    scan = np.clip(picture, 0, 255).astype(np.uint8)
    return make_sheet(take_in("paint.png", png_bytes(scan)), build_pyramid(scan), DOCKET)


def alpha_at(sheet: Sheet, level: int, box: tuple[int, int, int, int]) -> np.ndarray:
    """Coverage over (left, top, right, bottom), full-size px."""
    x, y, right, bottom = (v >> level for v in box)
    alpha = render_region(sheet, DOCKET, "knockout", level, Region(x, y, right - x, bottom - y)).alpha
    assert alpha is not None
    return alpha


@pytest.mark.parametrize("level", [0, 1, 2])
def test_paper_between_bars_and_in_a_thin_gap_is_clear(sheet: Sheet, level: int) -> None:
    """Openings of 48 x 128 px at any level; a gap of 4 px, in the file."""
    for column in range(3):
        for row in range(3):
            left, top = 206 + 60 * column, 86 + 140 * row
            assert alpha_at(sheet, level, (left + 8, top + 8, left + 40, top + 120)).max() == 0
    if level == 0:
        middle = alpha_at(sheet, 0, (250, 848, 950, 849))
        assert np.mean(middle) < 40


@pytest.mark.parametrize("level", [0, 1, 2])
def test_a_wave_of_white_paint_on_blue_is_no_hole(sheet: Sheet, level: int) -> None:
    """From its broad middle to its tips, and the blue beside it."""
    assert alpha_at(sheet, level, (260, 680, 640, 740)).min() > 240


def test_a_gap_of_few_cells_in_deep_paint_is_paper_unless_it_is_darker() -> None:
    """Of 6 x 8 cells, its rim blurred, of which hardly ten can be told; the unrest of paper hangs together."""
    plain = np.full((120, 300), 0.4, np.float32)
    plain[:, :20] = 0
    plain[55:61, 100:108], plain[55:61, 200:208] = 0, 0.06
    for seed in range(20):
        noise = cv2.GaussianBlur(np.random.default_rng(seed).normal(0, 1, plain.shape).astype(np.float32), (0, 0), 1.0)
        missing = np.maximum(cv2.GaussianBlur(plain, (0, 0), 0.6) + noise * np.float32(0.014 / noise.std()), 0)
        held = find_inside(missing, 0.02, np.ones((120, 300, 3), np.float32))[58, :, 0]
        assert held[103] < 0.3
        assert held[203] > 0.9


def test_a_hole_in_deep_paint_is_paper_unless_it_is_darker_than_light_can_be_unsure() -> None:
    """A hole that light was guessed 0.9 % too bright in is open, white paint in another one is held; so is pale paint that
    differs as little but that no deep paint walls in."""
    noise = np.random.default_rng(4).normal(0, 0.004, (300, 400)).astype(np.float32)
    missing = np.zeros((300, 400), np.float32)
    for left, inner in ((40, 0.009), (160, 0.03)):
        missing[80:200, left : left + 100], missing[115:165, left + 30 : left + 70] = 0.4, inner
    missing[80:200, 280:380], missing[115:165, 310:350] = 0.05, 0.009
    held = find_inside(np.abs(missing + noise), 0.01, np.ones((300, 400, 3), np.float32))[140, :, 0]
    assert held[90] < 0.1
    assert held[210] > 0.9
    assert held[330] > 0.9


def test_a_small_opening_in_deep_paint_is_one_thing() -> None:
    """A stroke of white paint whose middle is as light as paper has no square hole there; a corner between bars, too small
    to be told by itself, is open as the paper beside it is."""
    plain = np.full((120, 300), 0.4, np.float32)
    plain[:, :20] = 0
    plain[55:62, 100:150], plain[55:62, 121:129] = 0.025, 0
    plain[20:50, 40:70] = 0  # between bars
    plain[20:50, 48:62], plain[33:37, 53:57] = 0.4, 0
    noise = np.random.default_rng(2).normal(0, 0.002, plain.shape).astype(np.float32)
    inside = find_inside(np.maximum(plain + noise, 0), 0.005, np.ones((120, 300, 3), np.float32))[..., 0]
    assert inside[57:60, 103:147].min() > 0.9
    assert inside[34:36, 54:56].max() < 0.3


def test_paper_among_pale_washes_is_clear_and_a_wash_that_thins_out_is_not() -> None:
    """Beside a hole that its wash leaves with an edge lies one where the wash thins out to nothing: only that is paint."""
    rng = np.random.default_rng(8)
    plain = np.zeros((200, 400), np.float32)
    plain[20:180, 20:380] = 0.09
    plain[80:120, 80:120] = 0
    y, x = np.mgrid[:200, :400]
    plain *= np.clip(np.hypot(x - 280, y - 100) / 40 - 0.5, 0, 1)
    missing = np.abs(cv2.GaussianBlur(plain, (0, 0), 0.7) + rng.normal(0, 0.004, plain.shape)).astype(np.float32)
    inside = find_inside(missing, 0.01, np.ones((200, 400, 3), np.float32))[..., 0]
    assert inside[95:105, 95:105].max() == 0
    assert inside[95:105, 275:285].min() > 0.9
    assert inside[30:60, 60:340].min() > 0.9


@pytest.mark.parametrize(("warmth", "paint"), [(0.0, True), (0.25, False)])
def test_another_colour_of_enclosed_paper_is_paint_unless_light_changes_its_colour(warmth: float, paint: bool) -> None:
    """A pale wash that was taken for paper's tone shows by its colour; a lamp at one side tints paper as much."""
    missing = np.zeros((200, 400), np.float32)
    missing[20:180, 40:200], missing[60:140, 80:160] = 0.3, 0.004
    light = np.ones((200, 400, 3), np.float32)
    light[..., 2] *= 1 - warmth * np.linspace(0, 1, 400, dtype=np.float32)
    light[60:140, 80:160, 2] -= 0.03
    held = find_inside(missing, 0.01, light)[90:110, 110:130, 0]
    assert held.min() > 0.9 if paint else held.max() == 0


def test_lamps_of_two_colours_make_no_paint_of_paper_among_strokes() -> None:
    """Far within a drawing paper has the colour that the light has there, and another one than the nearest outside."""
    missing = np.zeros((300, 400), np.float32)
    missing[20:280, 20:380], missing[40:260, 40:360] = 0.5, 0.0
    missing[40:260, 198:202] = 0.5
    light = np.ones((300, 400, 3), np.float32)
    light[..., 0] += np.linspace(-0.1, 0.1, 300, dtype=np.float32)[:, None] ** 2 * 9
    light[..., 2] -= light[..., 0] - 1
    assert find_inside(missing, 0.01, light)[60:240, 60:180, 0].max() == 0


def test_a_mesh_of_lines_in_a_coloured_shadow_encloses_no_paint() -> None:
    """In the middle paper has another colour than outside, and nearly that of the next mesh; paint in one has not."""
    missing = np.zeros((300, 800), np.float32)
    missing[30:274:60, 80:724] = missing[28:274, 80:725:54] = 0.6
    missing = cv2.dilate(missing, np.ones((4, 4)))
    y, x = np.mgrid[:300, :800].astype(np.float32)
    light = np.ones((300, 800, 3), np.float32)
    light[..., 2] += 0.03 * np.clip(1 - np.hypot((x - 400) / 300, (y - 150) / 150), 0, 1)
    bare = cv2.dilate(missing, np.ones((3, 3))) == 0
    assert find_inside(missing, 0.01, light)[..., 0][bare].max() < 0.5
    light[94:150, 352:402, 2] -= 0.06
    assert find_inside(missing, 0.01, light)[110:134, 370:390, 0].min() > 0.9


def test_even_paint_at_the_depth_that_counts_as_deep_has_its_edge_where_it_ends() -> None:
    """Some of its cells are a little deeper by noise, and sharpening made paper lighter along its rim: neither draws it in."""
    rng = np.random.default_rng(5)
    plain = np.zeros((200, 300), np.float32)
    plain[40:160, 40:260] = 0.115
    soft = cv2.GaussianBlur(plain, (0, 0), 0.8)
    signed = soft + 0.7 * (soft - cv2.GaussianBlur(soft, (0, 0), 1.5)) + rng.normal(0, 0.004, plain.shape)
    around = np.ones((200, 300, 3), np.float32)
    inside = find_inside(signed.astype(np.float32), 0.02, around, -signed.astype(np.float32))
    assert inside[41:159, 41:259, 2].min() > 0.99
    assert inside[48:152, 48:252, 0].min() > 0.9


def test_an_edge_of_a_single_pixel_is_cut_out_too() -> None:
    """A strip one pixel wide, and one pixel high, may have any tones: laid over white it looks as it did."""
    rng = np.random.default_rng(3)
    for _ in range(300):
        rgb = np.clip(rng.integers(0, 256, (7, 1, 3)) * rng.integers(1, 3, (7, 1, 1)), 0, 255).astype(np.uint8)
        rgb[rng.integers(7) :] = rgb[rng.integers(7)]
        least = np.uint8(255) - rgb.min(axis=2)
        for turned, seen in ((least, rgb), (least.T.copy(), rgb.transpose(1, 0, 2).copy())):
            alpha = body_alpha(turned, 0.75, 0.75, None, seen)
            missing = (255.0 - unmix(seen, alpha)) * alpha[..., None] / 255
            assert np.abs(255 - missing - seen).max() < 1.1


def test_paper_that_runs_out_between_two_strokes_is_open_to_its_tip() -> None:
    """A wedge 24 cells wide at its one end and none at the other, between a deep wash and a pale one: as far as it is 3
    cells wide. Pale paint that a sharpened stroke lightens to paper's tone right beside it stays paint."""
    rng = np.random.default_rng(8)
    y, x = np.mgrid[:200, :260].astype(np.float32)
    half = np.clip((220 - x) / 15, 0, 12)
    missing = np.where(y < 100 - half, 0.2, 0.09)
    missing[(np.abs(y - 100) < half) & (x > 40)] = 0
    missing[:, :40], missing[150:, :] = 0.09, 0.03
    missing[150:153, :] = 0.004
    missing[:, [0, -1]] = missing[[0, -1]] = 0  # bare paper all around
    missing = cv2.GaussianBlur(missing.astype(np.float32), (0, 0), 0.5) + rng.normal(0, 0.003, y.shape)
    inside = find_inside(np.maximum(missing, 0).astype(np.float32), 0.0196, np.ones((200, 260, 3), np.float32))[..., 0]
    assert inside[100, 60:198].max() < 0.2
    assert inside[90:110, 230:250].min() > 0.9
    assert inside[160:190, 20:240].min() > 0.9


def washed_over(depth: NDArray[np.float32], core_from: int) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """What is seen of paint of a ``depth`` (h, w) in a blurred scan, and what it covers; its core is known from a row on."""
    noise = np.random.default_rng(0).normal(0, 0.008, depth.shape)
    least = np.rint(255 * np.clip(cv2.GaussianBlur(depth, (0, 0), 1.2) + noise, 0, 1)).astype(np.uint8)
    core = np.zeros(depth.shape, np.uint8)
    core[core_from:] = 255
    everywhere = np.full(depth.shape, 255, np.uint8)
    picture = np.dstack([255 - least] * 3)
    return least, body_alpha(least, 0.8, 3.0, Inside(core, everywhere, everywhere), picture)


def test_a_hollow_between_a_pooled_rim_and_a_dark_stripe_is_paint() -> None:
    """A wash is paler behind its rim; beside a stripe twice as deep that is no mixture of the stripe with paper."""
    depth = np.zeros((80, 120), np.float32)
    depth[20:], depth[20:26], depth[26:33] = 0.38, 0.47, 0.22
    depth[33:70, 40:80] = 0.78
    _, alpha = washed_over(depth, 34)
    assert alpha[23:, 44:76].min() > 240


def test_the_edge_of_a_pooled_rim_is_not_lighter_than_the_rim_over_black() -> None:
    """Half-way up to the rim it is as deep as the even wash behind it, and yet half of it is paper."""
    depth = np.zeros((80, 120), np.float32)
    depth[20:27], depth[27:] = 0.47, 0.29
    least, alpha = washed_over(depth, 30)
    over_black = alpha.astype(int) - least
    assert over_black[:23, 10:110].max() < 255 * (1 - 0.47) + 12
    assert alpha[23:, 10:110].min() > 240


def test_paint_ends_in_its_outline() -> None:
    """Beside a thin dark outline the edge's pixels are the outline's, not pale paint's behind it, which were lighter."""
    depth = np.zeros((80, 120), np.float32)
    depth[20:23], depth[23:] = 0.75, 0.2
    least, alpha = washed_over(depth, 30)
    line = int(least[21:23, 10:110].max(axis=0).mean())
    over_black = alpha[:21, 10:110].astype(int) - least[:21, 10:110]
    assert over_black.max() < (255 - line) + 20
    assert alpha[23:, 10:110].min() > 240
