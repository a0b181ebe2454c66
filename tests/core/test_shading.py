"""Soft tones that are drawn on a sheet keep their density; what comes in from outside the sheet is light all the same."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import noisy, sheet_of, strokes
from woad.core.docket.media import starting_docket
from woad.core.paper.light_field import estimate_light
from woad.core.paper.refine import LightField
from woad.core.paper.shading import enclosed, hollows, shading_of, widened
from woad.core.render.whole import render_whole
from woad.demo.scanner import Light, light_field, smooth_noise

H, W = 720, 560
Plane = NDArray[np.float32]


def smudge(x: int, y: int, radius: int, deep: float) -> Plane:
    """Light (H, W) that a rubbed-in tone leaves, which fades out over some 50 px."""
    blob = cv2.circle(np.zeros((H, W), np.float32), (x, y), radius, 1.0, -1)
    return np.asarray(1 - deep * cv2.GaussianBlur(blob, (0, 0), 18), np.float32)


def picture(art: Plane, field: Plane) -> Plane:
    rng = np.random.default_rng(4)
    grain = 1 + 0.008 * smooth_noise((H, W), 2, rng)
    return np.asarray(field * (art * grain)[..., None] + rng.normal(0, 0.003, (H, W, 1)), np.float32)


TONES = smudge(230, 260, 90, 0.5) * smudge(330, 440, 100, 0.3)
# Many, over most of the paper that lies before a shadow's edge, and over that.
CROWD = smudge(400, 500, 95, 0.4) * smudge(170, 330, 110, 0.4) * smudge(320, 210, 95, 0.45) * smudge(230, 510, 90, 0.3)


@pytest.mark.parametrize(
    ("tones", "lights"),
    [
        (TONES, [Light(0.2, 30, 0.1, 0.35, 0.7, 20, 0.15), Light(0, 0, 0, 0.3, 0.75, 200, 0.15)]),
        (smudge(380, 500, 80, 0.25), [Light(0.05, 20, 0.05, 0.35, 0.72, 0, 0.2)]),
        (CROWD, [Light(0.15, 150, 0.1, 0.32, 0.7, 36, 0.15)]),
        *(
            pytest.param(TONES, [light], marks=pytest.mark.proof)
            for light in (Light(0.04), Light(0.25, 40, 0.2), Light(0.15, 20, 0.1, 0.35, 0.8, 200, 0.15))
        ),
    ],
)
def test_smudged_tones_keep_their_density(tones: Plane, lights: list[Light]) -> None:
    """In a scan, in a lamp's fall-off, beside a shadow, between two, and on the slope of one that leads out to the border; the
    paper beside is as white as ever."""
    art = np.asarray(
        tones * (1 - 0.9 * strokes((H, W), 8, np.random.default_rng(2)).astype(np.float32) / 255), np.float32
    )
    field = np.multiply.reduce([light_field((H, W), light) for light in lights]) * np.float32(0.84)
    found = estimate_light(picture(art, field))
    assert isinstance(found, LightField)
    off = np.log(cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR) / field).mean(axis=2)
    toned = (art < 0.9) & (art > 0.3)
    assert -off[toned].sum() < 0.06 * -np.log(art)[toned].sum()
    assert np.percentile(np.abs(off[art > 0.998]), 95) < 0.012


def test_what_opens_to_the_border_is_no_hollow() -> None:
    """A pit is as deep as below its lowest way out; a valley that runs to the border has no depth."""
    plane = np.zeros((12, 16), np.float32)
    plane[3:8, 3:8] = -1
    plane[5, 8:16] = -0.25
    plane[10, :] = -3
    depth = hollows(plane)
    assert np.allclose(depth[3:8, 3:8], 0.75)
    assert not depth[5, 9:].any() and not depth[10].any() and not depth[:3].any()


def test_a_shadow_that_comes_in_and_its_fingers_are_not_drawn() -> None:
    """Nor when an edge that was taken out of it leaves them as hollows; a tone beside is, and what a shadow hid of it."""
    shape = (40, 32)
    tone, even = np.zeros(shape, np.float32), np.ones(shape, np.float32)
    tone[30:, 10:26] = -0.4
    tone[20:30, 12:16] = tone[20:30, 20:24] = -0.4  # fingers
    tone[6:12, 6:14] = -0.3
    drawn = shading_of(tone, np.zeros_like(tone), 0.004)
    assert drawn[6:12, 6:14].all() and drawn.sum() == 48
    without = tone.copy()
    without[30:, 10:26] = 0
    without[6:12, 14:18] = -0.1
    more = widened(drawn, without, even, 0.004, tone - without, True)
    assert more[6:12, 6:18].all() and not more[16:].any()


def test_a_tone_as_deep_as_the_straight_shadow_beside_it_is_drawn() -> None:
    """Beside a bent edge, as a hand has, it may be a finger."""
    shape = (64, 48)
    shadow, tone = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    shadow[44:] = -0.4
    tone[30:44, 20:26] = -0.38
    straight, bent = (widened(tone > 0, tone, np.ones_like(tone), 0.004, shadow, bent) for bent in (False, True))
    assert straight[30:44, 20:26].all() and not bent.any()


def test_what_most_lines_enclose_is_told_beside_a_shadow_too() -> None:
    """A tone before a soft edge is; the shadow, and the light that falls off, are not."""
    y, x = np.mgrid[:60, :44].astype(np.float32)
    shadow = -0.4 / (1 + np.exp(-(x * 0.7 + y * 0.7 - 52) / 3)) - 0.004 * y
    tone = shadow - 0.3 * np.exp(-((x - 25) ** 2 + (y - 24) ** 2) / 60)
    assert not enclosed(shadow).any()
    told = enclosed(tone)
    assert told[21:28, 22:29].all() and not told[:, :12].any() and not told[50:].any()


def test_charcoal_beside_white_chalk_is_see_through() -> None:
    """On toned paper: a smudge is as black as the lines and covers in part, chalk is white and covers all."""
    art = smudge(230, 260, 90, 0.5) * smudge(330, 440, 100, 0.3)
    art = np.asarray(
        art * (1 - 0.9 * strokes((H, W), 12, np.random.default_rng(2)).astype(np.float32) / 255), np.float32
    )
    chalk = np.zeros((H, W), np.float32)
    for x in (120, 230, 420):
        cv2.line(chalk, (x, 90), (x + 40, 640), 1.0, 9, cv2.LINE_AA)
    grey = 0.45 * art * (1 - chalk) + 0.95 * chalk
    sheet = sheet_of(noisy(np.repeat(grey[..., None], 3, axis=2)))
    assert sheet.readings.second_ink and sheet.readings.dark_ink
    docket = starting_docket(sheet.readings.medium).with_setting("square.on", False).with_setting("spotting.on", False)
    planes = render_whole(sheet, docket)
    assert planes.alpha is not None and planes.rgb is not None
    smudged, white = (art > 0.5) & (art < 0.6) & (chalk == 0), chalk > 0.99
    smudged = cv2.erode(smudged.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    assert 50 < np.median(planes.alpha[smudged]) < 130
    assert np.median(planes.rgb[smudged]) < 40
    assert np.median(planes.alpha[white]) == 255 and np.median(planes.rgb[white]) > 245
