"""Coloured pencils and crayons: pigment on the hills of the paper's tooth is what is cut out, and paper between shows through."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from sheets import noisy, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.ink.texture import read_texture
from woad.core.knockout.grain import grain_alpha
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import srgb_encode
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet
from woad.core.render.whole import render_whole
from woad.demo.scanner import smooth_noise

Plane = NDArray[np.float32]
H, W = 640, 520
PIGMENTS = {"red": (0.6, 0.09, 0.08), "sky": (0.45, 0.7, 0.88), "green": (0.14, 0.45, 0.2)}  # linear, in full


@cache
def discs() -> list[Plane]:
    out = [np.zeros((H, W), np.float32) for _ in PIGMENTS]
    for disc, centre in zip(out, ((150, 150), (350, 300), (170, 480)), strict=True):
        cv2.circle(disc, centre, 130, 1.0, -1, cv2.LINE_AA)
    return out


@cache
def rubbed() -> tuple[Plane, Plane]:
    """Reflectance (h, w, 3) and coverage (h, w) of three discs in coloured pencil, pressed harder towards one side."""
    rng = np.random.default_rng(7)
    hills = smooth_noise((H, W), 3.0, rng) * 0.8 + smooth_noise((H, W), 6.0, rng) * 0.6
    x = np.linspace(-1, 1, W, dtype=np.float32)
    cover, linear = np.zeros((H, W), np.float32), np.ones((H, W, 3), np.float32)
    for colour, disc in zip(PIGMENTS.values(), discs(), strict=True):
        laid = disc * np.clip(0.4 + 0.6 * (hills + 0.4 * x), 0, 1)
        linear = np.asarray(linear * (1 - laid[..., None] * (1 - np.array(colour, np.float32))), np.float32)
        cover = np.asarray(1 - (1 - cover) * (1 - laid), np.float32)
    return linear, cover


@cache
def sheet() -> Sheet:
    return sheet_of(noisy(rubbed()[0]))


def over_black(linear: Plane, cover: Plane) -> Plane:
    return np.asarray(srgb_encode(np.clip(linear - (1 - cover[..., None]), 0, 1)) * 255)


def test_coloured_pencil_is_cut_out_with_its_grain() -> None:
    """It is proposed as pencil, in its colours. Over black hardly any paper is seen between its grains, and they keep their
    colour; over white nothing is lost."""
    linear, cover = rubbed()
    readings = sheet().readings
    assert (readings.medium, readings.one_ink) == ("pencil", False)
    docket = starting_docket("pencil").with_setting("square.on", False).with_setting("spotting.on", False)
    planes = render_whole(sheet(), docket)
    assert planes.alpha is not None and planes.rgb is not None
    alpha = planes.alpha.astype(np.float32) / 255
    gaps = (cover < 0.01) & (cv2.blur(cover, (31, 31)) > 0.3)
    gaps = cv2.erode(gaps.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    full = cv2.erode((cover > 0.99).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    assert gaps.sum() > 1000 and full.sum() > 1000
    assert alpha[gaps].mean() < 0.08
    assert alpha[full].mean() > 0.9
    part = render_region(sheet(), docket, "edge", 0, Region(130, 70, 190, 210))
    assert part.alpha is not None
    np.testing.assert_array_equal(part.alpha, planes.alpha[70:280, 130:320])
    seen = planes.rgb * alpha[..., None]
    off = np.abs(seen - over_black(linear, cover))
    assert off[full].mean() < 14
    assert off[cover > 0.05].mean() < 40
    white = seen + 255 * (1 - alpha[..., None])
    assert np.abs(white - srgb_encode(linear) * 255)[cover > 0.05].mean() < 4


def test_charcoal_is_told_from_ink_by_its_grain() -> None:
    """It is as dark as ink, but half-tones lie in the paper's tooth; ink that fills the same shapes is no pencil."""
    cover = np.repeat(rubbed()[1][..., None], 3, axis=2)
    readings = sheet_of(noisy(1 - 0.95 * cover)).readings
    assert (readings.medium, readings.one_ink) == ("pencil", True)
    filled = np.maximum.reduce(discs())[..., None] * np.ones(3, np.float32)
    assert sheet_of(noisy(1 - 0.95 * filled)).readings.medium != "pencil"


def test_no_grain_has_a_light_rim() -> None:
    """At the edge of a deep grain on a pale layer no pixel's own colour is lighter than both."""
    linear = np.full((80, 80, 3), 0.85, np.float32)
    cv2.circle(linear, (40, 40), 9, (0.5, 0.05, 0.04), -1, cv2.LINE_AA)
    rgb = np.rint(srgb_encode(cv2.GaussianBlur(linear, (0, 0), 1.2)) * 255).astype(np.uint8)
    least = 255 - rgb.min(axis=2)
    alpha = grain_alpha(rgb, least, 0.5, 3.0).astype(np.float32) / 255
    over = rgb - 255.0 * (1 - alpha[..., None])
    inside, ground = over[38:43, 38:43].mean(), over[:8, :8].mean()
    assert inside > ground + 10
    assert over.mean(axis=2).max() < inside + 12
    assert np.array_equal(grain_alpha(rgb, least, 0.0, 3.0), least)


def test_colour_beside_a_black_line_covers_as_much_as_it_does_elsewhere() -> None:
    """The line, being deeper, does not tell how much of the colour a pixel has, nor the colour how wide the line is."""
    grain = np.zeros((120, 120), np.float32)
    grain[:, :90] = cv2.GaussianBlur(np.random.default_rng(4).standard_normal((120, 90)), (0, 0), 1.5) > 0
    line = np.zeros_like(grain)
    line[58:62] = 1
    grain, line = (cv2.GaussianBlur(plane, (0, 0), 0.7)[..., None] for plane in (grain, line))
    yellow = 1 - grain * (1 - np.array((0.82, 0.66, 0.15), np.float32))
    rgb = np.rint(srgb_encode(yellow * (1 - 0.97 * line)) * 255).astype(np.uint8)
    alpha = grain_alpha(rgb, 255 - rgb.min(axis=2), 0.5, 3.0).astype(np.float32) / 255
    beside, away = np.r_[51:56, 64:69], np.r_[10:40]
    full = grain[..., 0] > 0.95
    assert alpha[away][full[away]].mean() > 0.9
    assert alpha[beside][full[beside]].mean() > 0.9
    assert alpha[beside, 105:].max() < 0.02
    assert alpha[59:61].min() > 0.95


def test_grain_of_washes_and_paint_is_none() -> None:
    """Pigment that settles in the valleys of a wash is unrest; paper that shows bare is grain."""
    linear, rng = rubbed()[0], np.random.default_rng(3)
    painted = np.maximum.reduce(discs())[..., None] > 0
    uneven = 1 + 0.12 * smooth_noise((H, W), 4.0, rng)
    wash = np.where(painted, 0.55 ** uneven[..., None] * np.ones(3), 1).astype(np.float32)
    places = [np.s_[y : y + 320, x : x + 300] for y in (10, 300) for x in (20, 210)]
    assert read_texture([linear[at] for at in places], H).grain > 0.3
    assert read_texture([wash[at] for at in places], H).grain < 0.15
    noise = np.asarray(1 + rng.normal(0, 0.03, (H, W, 3)), np.float32)
    pale = np.where(painted, 0.9 * noise, noise).astype(np.float32)
    assert read_texture([pale[at] for at in places], H).grain < 0.15  # the recording's noise is none of the wash's
