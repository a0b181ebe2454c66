"""One ink in washes and lines: washes keep the tone they have, and lines get black."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from sheets import pen_sheet, png_bytes, strokes
from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.ink.flow import tone_runs
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.transfer import srgb_encode
from woad.core.render.recipe import make_recipe
from woad.core.render.sheet import make_sheet
from woad.core.render.whole import render_whole
from woad.demo.scanner import smooth_noise

DOCKET = starting_docket("pen").with_setting("square.on", False)
H, W = 900, 1100
WASHES = ((300, 300, 0.75), (620, 340, 0.5), (420, 620, 0.3))  # x, y, reflectance


def washed(tones: tuple[float, ...] = tuple(tone for *_, tone in WASHES), many: int = 30) -> np.ndarray:
    """So ``many`` lines in ink and three washes of it on cream paper, as a scan."""
    rng = np.random.default_rng(8)
    art = np.ones((H, W), np.float32)
    for (x, y, _), tone in zip(WASHES, tones, strict=True):
        share = np.zeros((H, W), np.float32)
        cv2.circle(share, (x, y), 130, 1.0, -1, cv2.LINE_AA)
        art *= 1 - (1 - tone) * cv2.GaussianBlur(share, (0, 0), 3) * (1 + 0.03 * smooth_noise((H, W), 12, rng))
    lines = cv2.GaussianBlur(strokes((H, W), many, rng), (0, 0), 0.7).astype(np.float32) / 255
    art *= 1 - 0.96 * lines
    return on_cream(art, rng)


def on_cream(art: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Reflectance (H, W) of a drawing on cream paper, as a scan."""
    paper = np.array([0.85, 0.83, 0.76], np.float32) * (1 + 0.006 * smooth_noise((H, W), 1.5, rng))[..., None]
    return np.rint(srgb_encode(np.clip(paper * art[..., None], 0, 1)) * 255).astype(np.uint8)


@pytest.mark.proof
def test_washes_of_one_ink_keep_the_tone_they_were_seen_in() -> None:
    scan = washed()
    sheet = make_sheet(take_in("wash.png", png_bytes(scan)), build_pyramid(scan), DOCKET)
    assert (sheet.readings.medium, sheet.readings.washes, sheet.readings.one_ink) == ("pen", True, True)
    assert sheet.readings.inside is not None  # known where paint lies, should the user call it a painting
    planes = render_whole(sheet, DOCKET)
    assert planes.alpha is not None
    seen = 255 - planes.alpha.astype(np.float32)  # over white, in black
    for x, y, tone in WASHES:
        middle = np.median(seen[y + 40 : y + 100, x - 30 : x + 30])
        assert abs(middle - 255 * float(srgb_encode(np.float32([tone]))[0])) < 10
    assert np.percentile(seen, 0.5) == 0  # the lines are black
    assert np.median(seen[:40]) == 255


def test_hairlines_beside_a_solid_black_are_no_washes() -> None:
    """Blur makes half-tones of nothing but thin lines, and a solid is broad: they keep their darkness all the same."""
    rng = np.random.default_rng(2)
    fine = np.zeros((4 * H, 4 * W), np.uint8)
    for x, y, turn in rng.uniform((100, 330, 0), (W - 100, H - 60, np.pi), (150, 3)):
        half = 50 * np.array([np.cos(turn), np.sin(turn)])
        ends = np.rint(64 * np.array([(x, y) - half, (x, y) + half])).astype(int).tolist()
        cv2.line(fine, ends[0], ends[1], 255, 5, cv2.LINE_8, 4)
    cover = cv2.resize(fine, (W, H), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    cover[120:220, 200:420] = 1
    scan = on_cream(1 - 0.96 * cv2.GaussianBlur(cover, (0, 0), 0.6), rng)
    alpha = render_whole(make_sheet(take_in("fine.png", png_bytes(scan)), build_pyramid(scan), DOCKET), DOCKET).alpha
    assert alpha is not None
    assert alpha[330:].sum() / 255 > 0.98 * cover[330:].sum()


def test_rubbed_areas_far_from_both_paper_and_ink_are_tones() -> None:
    """Charcoal's masses are as dark as a fill that does not quite get black, and yet clearly lighter than its lines."""
    scan = washed((0.27, 0.25, 0.23), 90)
    readings = make_sheet(take_in("charcoal.png", png_bytes(scan)), build_pyramid(scan), DOCKET).readings
    assert make_recipe(starting_docket(readings.medium), readings).reading == "seen"


def test_shading_by_lines_alone_is_no_wash() -> None:
    readings = pen_sheet().readings
    assert not readings.washes
    assert make_recipe(DOCKET, readings).reading == "inked"


def test_tone_runs_in_washes_and_hardly_in_paint() -> None:
    """Pale washes that pool against pale paint with brush marks in it, each in three hues, some over others."""
    rng = np.random.default_rng(12)
    washes, paint = np.ones((700, 900, 3), np.float32), np.ones((700, 900, 3), np.float32)
    for x, y, hue in ((260, 260, (0.55, 0.75, 0.9)), (480, 330, (0.9, 0.8, 0.4)), (640, 480, (0.85, 0.5, 0.45))):
        cover = np.zeros((700, 900), np.float32)
        cv2.circle(cover, (x, y), 150, 1.0, -1, cv2.LINE_AA)
        depth = cover * (0.8 + 0.35 * smooth_noise((700, 900), 60, rng))
        washes *= np.power(np.array(hue, np.float32), depth[..., None])
        brushed = np.array(hue, np.float32) * (1 + 0.03 * smooth_noise((700, 900), 6, rng))[..., None]
        paint += cover[..., None] * (brushed - paint)
    noise = rng.normal(0, 0.01, washes.shape).astype(np.float32)
    assert tone_runs(paint + noise) < 0.08
    assert tone_runs(washes + noise) > 0.12
    assert tone_runs(np.ones((1, 40, 3), np.float32)) == 0
