"""Drop-out colours, solid, boldness, two-tone, painting: against known truth."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import sheet_of
from woad.core.docket.media import starting_docket
from woad.core.estimate import NoEstimate
from woad.core.ink.dropout import drop_out, make_dropper, refusal
from woad.core.ink.painting import out_of_range, saturate
from woad.core.ink.pencils import find_pencils
from woad.core.ink.sharpness import overshoot, sharpen
from woad.core.ink.strokes import embolden, fill_solid, two_tone, where_only
from woad.core.raster.codes import from_codes, to_codes
from woad.core.raster.transfer import srgb_encode
from woad.core.render.check import check_sheet
from woad.core.render.whole import render_whole

BLUE, RED, VIOLET = (0.4, 0.68, 0.94), (0.92, 0.5, 0.45), (0.7, 0.5, 0.85)
INK = (0.04, 0.04, 0.045)


def crossed(pencils: list[tuple[float, float, float]], noise: float = 0.004) -> tuple[NDArray, NDArray, NDArray]:
    """Reflectance (h, w, 3) of ink lines over pencil lines, the ink's and the pencils' coverage."""
    rng = np.random.default_rng(2)
    ink, pencil = np.zeros((300, 400), np.float32), np.zeros((300, 400), np.float32)
    out = np.ones((300, 400, 3), np.float32)
    for i, colour in enumerate(pencils):
        one = np.zeros_like(ink)
        for x in range(30 + 17 * i, 390, 44):
            cv2.line(one, (x, 10), (x + 12, 290), 1.0, 5, cv2.LINE_AA)
        grain = np.clip(0.8 + 0.15 * rng.standard_normal(one.shape), 0.3, 1).astype(np.float32)
        out *= 1 - (one * grain)[..., None] * (1 - np.array(colour, np.float32))
        pencil = np.maximum(pencil, one)
    for y in range(25, 300, 40):
        cv2.line(ink, (10, y), (390, y + 6), 1.0, 4, cv2.LINE_AA)
    out *= 1 - ink[..., None] * (1 - np.array(INK, np.float32))
    out = cv2.GaussianBlur(out, (0, 0), 0.6) + rng.normal(0, noise, out.shape)
    return np.asarray(out, np.float32), ink, pencil


@pytest.mark.parametrize(
    "pencils", [[BLUE], [RED], [VIOLET], [BLUE, RED]], ids=["blue", "red", "violet", "blue and red"]
)
def test_pencil_vanishes_and_ink_stays_whole(pencils: list[tuple[float, float, float]]) -> None:
    """On paper hardly anything is left of the pencil; where ink crosses it, the ink keeps 98 % of its darkness."""
    light, ink, pencil = crossed(pencils)
    left = from_codes(drop_out(to_codes(light), make_dropper(pencils, INK))).mean(axis=2)
    bare = (cv2.dilate(ink, np.ones((7, 7))) == 0) & (pencil > 0.5)
    assert (1 - left[bare]).mean() < 0.012
    crossing, plain = (ink == 1) & (pencil > 0.5), (ink == 1) & (pencil == 0)
    assert (1 - left[crossing]).mean() > 0.98 * (1 - left[plain]).mean()


def test_thin_lines_in_a_noisy_photo_leave_no_dashes() -> None:
    """Colour at half the sharpness of light, coarse noise, and a hue that is not quite right: all the same hardly any is
    left of ruled lines of a pixel."""
    rng = np.random.default_rng(0)
    picture = np.ones((300, 300, 3), np.float32)
    picture[20::40] = (0.7, 0.8, 0.95)
    noise = cv2.GaussianBlur(rng.normal(0, 0.1, picture.shape).astype(np.float32), (0, 0), 1.0)
    photo = cv2.cvtColor(cv2.GaussianBlur(picture, (0, 0), 0.6) + noise, cv2.COLOR_RGB2YCrCb)
    small = cv2.resize(photo, (150, 150), interpolation=cv2.INTER_AREA)
    photo[..., 1:] = cv2.resize(small, (300, 300), interpolation=cv2.INTER_LINEAR)[..., 1:]
    codes = to_codes(np.asarray(cv2.cvtColor(photo, cv2.COLOR_YCrCb2RGB), np.float32))
    left = from_codes(drop_out(codes, make_dropper([(0.75, 0.83, 0.95)], INK)))[20::40]
    assert np.clip(1 - left, 0, 1).mean() < 0.0035


def test_the_pencil_is_found_by_itself() -> None:
    """Its hue and depth come out near the truth; a sheet of plain ink has none, and says why."""
    found = find_pencils(crossed([BLUE])[0], 0.02)
    assert not isinstance(found, NoEstimate) and len(found) == 1
    assert np.abs(np.array(found[0].colour) - BLUE).max() < 0.12
    assert isinstance(find_pencils(crossed([])[0], 0.02), NoEstimate)


def test_a_pencil_is_found_though_hardly_any_of_its_hue_is_left() -> None:
    """Of a thin line a camera keeps colour in few pixels: one in sixty of the marks will do when all are of one hue."""
    rng = np.random.default_rng(3)
    picture = np.ones((300, 400, 3), np.float32)
    picture[40:140, 20:380] = 0.05
    picture[200:203, 20:140] = VIOLET
    picture += rng.normal(0, 0.003, picture.shape).astype(np.float32)
    found = find_pencils(picture, 0.03)
    assert not isinstance(found, NoEstimate) and found[0].share < 0.02
    motley = picture.copy()
    motley[200:203, 20:140] = rng.choice([BLUE, RED, VIOLET, (0.6, 0.9, 0.5)], (1, 120))
    assert isinstance(find_pencils(motley, 0.03), NoEstimate)


@pytest.mark.proof
def test_ruled_lines_go_their_margin_too() -> None:
    """Thin pale blue lines, of which a reduced sheet shows little, are the paper's, and so is the red margin beside them."""
    rng = np.random.default_rng(9)
    light = np.full((900, 700, 3), (0.85, 0.8, 0.68), np.float32) * rng.normal(1, 0.012, (900, 700, 1))
    ruling = np.zeros((900, 700), np.float32)
    ruling[60::42], ruling[61::42] = 0.7, 0.5
    light *= 1 - ruling[..., None] * (1 - np.array(BLUE, np.float32))
    light[:, 90:92] *= 1 - 0.7 * (1 - np.array(RED, np.float32))
    ruling[:, 90:92] = 0.7
    ink = np.zeros((900, 700), np.float32)
    for x in range(160, 640, 90):
        cv2.line(ink, (x, 120), (x + 40, 800), 1.0, 5, cv2.LINE_AA)
    light = cv2.GaussianBlur(light * (1 - ink[..., None] * (1 - np.array(INK, np.float32))), (0, 0), 0.6)
    sheet = sheet_of(np.clip(srgb_encode(np.clip(light, 0, 1).astype(np.float32)) * 255 + 0.5, 0, 255).astype(np.uint8))
    found = sheet.readings.ruling
    assert found is not None
    (margin,) = found.margins
    assert margin.printed[..., 0].min() > margin.printed[..., 1:].min(axis=(0, 1)).max() + 0.1
    assert sheet.readings.medium == "pen"
    alpha = render_whole(sheet, starting_docket(sheet.readings.medium)).alpha
    assert alpha is not None
    assert alpha[(cv2.dilate(ink, np.ones((9, 9))) == 0) & (ruling > 0)].mean() < 0.5
    assert alpha[cv2.erode(ink, np.ones((3, 3))) == 1].mean() > 250


def test_colours_that_cannot_be_told_apart_are_refused() -> None:
    """The paper's own colour, the ink's own hue, two colours that are one: each with its reason."""
    assert "paper" in (refusal([(0.99, 0.98, 0.97)], INK) or "")
    assert "ink" in (refusal([(0.5, 0.5, 0.5)], INK) or "")
    assert "same" in (refusal([BLUE, (0.42, 0.69, 0.94)], INK) or "")
    assert refusal([BLUE, RED], INK) is None


def test_a_sheet_with_blue_pencil_comes_out_clean() -> None:
    """From the scan to the cut-out with the medium's own starting values, and the reading says so."""
    light, ink, pencil = crossed([BLUE])
    eight = np.clip(srgb_encode(np.clip(light * 0.85, 0, 1)) * 255 + 0.5, 0, 255).astype(np.uint8)
    sheet, docket = sheet_of(eight), starting_docket("blue-pencil")
    alpha = render_whole(sheet, docket).alpha
    assert alpha is not None
    bare = (cv2.dilate(ink, np.ones((7, 7))) == 0) & (pencil > 0.5)
    assert alpha[bare].mean() < 1.0
    assert alpha[cv2.erode(ink, np.ones((3, 3))) == 1].mean() > 250
    left = check_sheet(sheet, docket).pencil_left
    assert left is not None
    assert left < 1.0


def disc(radius: float, noise: float = 0.0) -> NDArray[np.uint8]:
    """Coverage of a disc whose edge lies at ``radius`` to a hundredth of a pixel, blurred as by a scan."""
    big = np.zeros((800, 800), np.uint8)
    cv2.circle(big, (400 * 16, 400 * 16), round(radius * 8 * 16), 255, -1, cv2.LINE_AA, 4)
    small = cv2.GaussianBlur(cv2.resize(big, (100, 100), interpolation=cv2.INTER_AREA), (0, 0), 0.7)
    return np.clip(small + np.random.default_rng(1).normal(0, noise, small.shape), 0, 255).astype(np.uint8)


@pytest.mark.parametrize("radius", [12.0, 25.3, 37.7])
def test_two_tone_keeps_the_edge_where_it_is(radius: float) -> None:
    """Pure black and white but for the edge, which moves by less than 0.15 px: the area tells."""
    out = two_tone(disc(radius, 3.0))
    found = np.sqrt(out.sum() / 255 / np.pi)
    assert abs(found - radius) < 0.15
    assert ((out > 0) & (out < 255)).sum() < 3 * 2 * np.pi * radius


def test_where_only_keeps_the_texture_inside() -> None:
    """Outside the shape nothing, inside exactly what was there."""
    tone = np.minimum(disc(30), (200 + 30 * np.sin(np.arange(100) * 0.9)).astype(np.uint8)[None, :])
    out = where_only(tone)
    y, x = np.mgrid[0:100, 0:100]
    r = np.hypot(x - 49.5, y - 49.5)
    np.testing.assert_array_equal(out[r < 27], tone[r < 27])
    assert out[r > 33].max() == 0


def test_solid_fills_noise_and_leaves_edges() -> None:
    """Inside a black the noise goes; the edge, the paper and a gap of dry brush stay as they were."""
    tone = disc(35)
    tone[48:52, 30:70] = 20
    noisy = np.where(
        tone == 255, np.clip(230 + np.random.default_rng(3).normal(0, 14, tone.shape), 0, 255), tone
    ).astype(np.uint8)
    out = fill_solid(noisy, 1.0)
    y, x = np.mgrid[0:100, 0:100]
    r = np.hypot(x - 49.5, y - 49.5)
    inside = (r < 28) & (np.abs(y - 50) > 8)
    assert out[inside].min() > 240
    np.testing.assert_array_equal(out[r > 36.5], noisy[r > 36.5])
    assert out[49:51, 35:65].max() < 40
    np.testing.assert_array_equal(fill_solid(noisy, 0.0), noisy)


def test_boldness_acts_on_fine_lines_only() -> None:
    """A hairline gains or loses; a broad black's edge, full ink and bare paper do not."""
    tone = np.zeros((120, 160), np.uint8)
    tone[:, 20] = 130
    tone[:, 60:140] = 255
    tone[:, 59] = tone[:, 140] = 128
    bold, fine = embolden(tone, 0.6, 2.0), embolden(tone, -0.6, 2.0)
    assert bold[60, 20] > 160
    assert fine[60, 20] < 100
    assert abs(int(bold[60, 59]) - 128) < 25
    for out in (bold, fine):
        assert out[60, 100] == 255
        assert out[60, 5] == 0


def test_overdone_colour_is_read() -> None:
    """Strong red leaves the screen's range when saturated; sharpening a step overshoots, and none of it does not."""
    rgb = np.full((40, 40, 3), (210, 60, 50), np.uint8)
    assert out_of_range(rgb, 1.0) == 0
    assert out_of_range(rgb, 1.8) == 1
    assert saturate(rgb, 1.2)[0, 0, 0] > 220
    step = cv2.GaussianBlur(
        np.repeat(np.where(np.arange(60) < 30, 60, 200)[None, :, None], 40, 0).repeat(3, 2).astype(np.uint8), (0, 0), 1
    )
    assert overshoot(step, sharpen(step, 0.0)) == 0
    mild, hard = overshoot(step, sharpen(step, 0.5)), overshoot(step, sharpen(step, 2.0))
    assert mild <= hard
    assert hard <= 0.03
    assert np.ptp(sharpen(step, 1.0)[20, 28:32, 0].astype(int)) > np.ptp(step[20, 28:32, 0].astype(int))


@pytest.mark.parametrize(("blur_px", "left"), [(0.5, 0.5), (0.9, 0.85)])
def test_the_scans_blur_is_taken_back(blur_px: float, left: float) -> None:
    """Drawn strokes come out nearer to what was drawn than the scan shows them, none is bolder, and paper stays clear."""
    rng = np.random.default_rng(5)
    large = np.zeros((1200, 1600), np.uint8)
    for _ in range(60):
        path = rng.uniform(80, 1100, 2) + np.cumsum(rng.normal(0, 130, (4, 2)), axis=0)
        cv2.polylines(large, [path.astype(np.int32)], False, 255, int(rng.integers(5, 22)), cv2.LINE_AA)
    drawn = cv2.resize(large, (400, 300), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    light = 0.7 * (1 - 0.95 * cv2.GaussianBlur(drawn, (0, 0), blur_px))
    scan = np.clip(srgb_encode(light) * 255 + rng.normal(0, 0.8, light.shape), 0, 255).astype(np.uint8)
    sheet, docket = sheet_of(np.repeat(scan[..., None], 3, 2)), starting_docket("pen")
    ours = render_whole(sheet, docket).alpha
    plain = render_whole(sheet, docket.with_setting("ink.sharpness", 0.0)).alpha
    assert ours is not None and plain is not None
    truth = drawn * 255
    assert np.abs(ours - truth).mean() < left * np.abs(plain - truth).mean()
    assert abs(float(ours.sum()) / float(truth.sum()) - 1) < 0.03
    bare = cv2.dilate(drawn, np.ones((9, 9))) == 0
    assert ours[bare].mean() < 0.01 and ours[bare].max() <= 8
