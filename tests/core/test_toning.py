"""Pages that time has toned: taken out with their hue, and nothing that somebody painted on old paper with it."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import sheet_of
from woad.core.docket.media import starting_docket
from woad.core.paper.light_field import estimate_light
from woad.core.paper.refine import LightField
from woad.core.raster.transfer import srgb_encode
from woad.core.render.whole import render_whole
from woad.demo.scanner import smooth_noise

Plane = NDArray[np.float32]

H, W = 900, 640
STAIN = np.array([0.55, 0.95, 1.6], np.float32)  # how much more of the light each channel loses the browner it gets
PAPER = np.array([0.74, 0.6, 0.4], np.float32)


@cache
def print_cover() -> Plane:
    """Coverage of a page set in heavy type with a block of hatching."""
    ink = np.zeros((2 * H, 2 * W), np.uint8)
    words = "TIDEWRACK PRESS SALT AND TALLOW LOW WATER THE BUOY "
    for i, y in enumerate(range(170, 2 * H - 120, 62)):
        line = (words * 2)[i % 11 : i % 11 + 30]
        cv2.putText(ink, line, (150, y), cv2.FONT_HERSHEY_TRIPLEX, 1.75, 255, 6, cv2.LINE_AA)
    for x in range(160, 560, 10):
        cv2.line(ink, (x, 330), (x + 60, 700), 255, 4, cv2.LINE_AA)
    return np.asarray(cv2.resize(ink, (W, H), interpolation=cv2.INTER_AREA), np.float32) / 255


def toned(depth: float, seed: int = 3) -> Plane:
    """Light that old paper gives back: browner to all borders, most to one side, and in a stain that comes in from it."""
    y, x = np.mgrid[0:H, 0:W].astype(np.float32)
    rim = np.minimum(np.minimum(x, W - x) / W, np.minimum(y, H - y) / H)
    brown = depth * (np.exp(-((rim / 0.13) ** 2)) + 0.8 * (x / W) ** 3)
    brown += depth * 0.5 * np.exp(-(((x - W) / 160) ** 2 + ((y - 250) / 140) ** 2))
    rough = 1 + 0.012 * smooth_noise((H, W), 2.0, np.random.default_rng(seed))
    return np.asarray(PAPER * np.exp(-brown[..., None] * STAIN) * rough[..., None], np.float32)


def seen(linear: Plane) -> NDArray[np.uint8]:
    noise = np.random.default_rng(1).normal(0, 0.004, linear.shape).astype(np.float32)
    soft = cv2.GaussianBlur(linear, (0, 0), 0.7) + noise
    return np.rint(np.clip(srgb_encode(np.clip(soft, 0, 1)), 0, 1) * 255).astype(np.uint8)


def page(depth: float) -> Plane:
    return np.asarray(toned(depth) * (1 - 0.96 * print_cover()[..., None]), np.float32)


def light_of(linear: Plane) -> Plane:
    """The light that is found, at every pixel."""
    found = estimate_light(linear)
    assert isinstance(found, LightField)
    return np.asarray(cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR))


@pytest.mark.parametrize("depth", [0.0, 0.3, 0.55])
def test_the_light_of_a_toned_page_is_its_paper(depth: float) -> None:
    """In all channels, from the brownest rim to the middle, and under the print as well."""
    light, truth = light_of(page(depth)), toned(depth)
    off = np.abs(light / cv2.GaussianBlur(truth, (0, 0), 4) - 1).max(axis=2)
    inner = off[12:-12, 12:-12]
    assert np.median(inner) < 0.02
    assert np.percentile(inner, 95) < 0.07


@pytest.mark.proof
def test_a_toned_page_is_a_print_and_its_paper_goes() -> None:
    """Told as one ink on old paper; between the print nothing is left, and the print stands as black as it does on a page
    that is not toned."""
    sheet = sheet_of(seen(page(0.55)))
    assert sheet.readings.medium == "print"
    assert sheet.readings.one_ink
    alpha = render_whole(sheet, starting_docket("print").with_setting("square.on", False)).alpha
    assert alpha is not None
    cover = print_cover()
    bare = cv2.dilate(cover, np.ones((15, 15), np.uint8)) == 0
    assert alpha[bare].mean() < 0.1
    assert np.percentile(alpha[bare], 99.9) < 8
    assert alpha[cover > 0.99].mean() > 240


def bent(deepest: float) -> Plane:
    """Light on a white page that bends towards the binding at its right: it falls off to ``deepest`` there, log."""
    x = np.mgrid[0:H, 0:W][1].astype(np.float32) / W
    return np.asarray(0.7 * np.exp(-deepest * x**2.2), np.float32)


@pytest.mark.proof
def test_print_is_followed_into_the_dark_of_a_binding() -> None:
    """On a grey copy of a page full of type there is next to no bare paper to follow the light on: it is read all the same, and
    print in the darkest part is as black as elsewhere, on paper as clear."""
    truth, cover = bent(2.6), print_cover()
    light = light_of((truth * (1 - 0.96 * cover))[..., None]).reshape(H, W)
    off = np.abs(light / truth - 1)[12:-12, 12:-12]
    assert np.median(off) < 0.02
    assert np.percentile(off, 95) < 0.08
    sheet = sheet_of(seen(truth * (1 - 0.96 * cover)))
    alpha = render_whole(sheet, starting_docket("pen").with_setting("square.on", False)).alpha
    assert alpha is not None
    bare = cv2.dilate(cover, np.ones((15, 15), np.uint8)) == 0
    dark = np.s_[40:-40, 480:620]
    assert alpha[dark][bare[dark]].mean() < 3
    assert alpha[dark][cover[dark] > 0.99].mean() > 220


def washed(linear: Plane, cover: Plane, depth: float) -> Plane:
    """The sheet with a wash in the stain's own brown."""
    return np.asarray(linear * np.exp(-depth * cover[..., None] * STAIN), np.float32)


def test_brown_that_was_painted_on_old_paper_stays() -> None:
    """A wash with an edge, and one that fades out all around on the bare middle of a page without print."""
    y, x = np.mgrid[0:H, 0:W].astype(np.float32)
    far = np.hypot((x - 330) / 150, (y - 480) / 170)
    lines = print_cover() * (np.abs(y - 480) > 260)
    edged = np.clip((1 - far) * 150, 0, 1)
    faded = np.exp(-((far / 0.75) ** 4))
    for cover in (edged, faded):
        plain = toned(0.5) * (1 - 0.96 * lines[..., None])
        light = light_of(washed(plain, cover, 0.5))
        inside = cover > 0.98
        kept = -np.log(washed(toned(0.5), cover, 0.5) / light)[inside].mean()
        assert kept > 0.85 * 0.5 * float(STAIN.mean())
