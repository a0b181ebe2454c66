"""Drawings coloured in with felt pens: an outline is no drawing in one ink, and pale blue in it no pencil to drop."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import noisy, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.raster.transfer import srgb_encode
from woad.core.render.whole import render_whole

Plane = NDArray[np.float32]
PALE_BLUE, YELLOW, PINK = (0.55, 0.78, 0.9), (0.95, 0.8, 0.35), (0.93, 0.55, 0.45)
H, W = 1000, 760


def outline(k: int) -> NDArray[np.int32]:
    turn = np.linspace(0, 2 * np.pi, 40)
    radius = 60 + 10 * np.sin(3 * turn + k)
    centre = np.array([(200, 240), (540, 250), (220, 700), (560, 720)][k])
    return np.rint((centre + np.column_stack([np.cos(turn), np.sin(turn)]) * radius[:, None]) * 16).astype(np.int32)


def curves(many: int, seed: int) -> NDArray[np.uint8]:
    """Strokes four pixels wide from anywhere to anywhere."""
    ink, rng = np.zeros((H, W), np.uint8), np.random.default_rng(seed)
    share = np.linspace(0, 1, 40)[:, None]
    for _ in range(many):
        bends = rng.uniform((60, 60), (W - 60, H - 60), (3, 2))
        curve = (1 - share) ** 2 * bends[0] + 2 * share * (1 - share) * bends[1] + share**2 * bends[2]
        cv2.polylines(ink, [np.rint(curve * 16).astype(np.int32)], False, 255, 4, cv2.LINE_AA, 4)
    return ink


def drawn(colours: dict[int, tuple[float, ...]], lines: int) -> tuple[Plane, Plane]:
    """Reflectance (h, w, 3) of outlines in black, some filled in streaks that overlap, and of ``lines`` besides; and
    where each fill is by itself (n, h, w)."""
    streaks = 1 + 0.25 * (np.arange(W) % 26 < 5).astype(np.float32)
    linear, fills, ink = np.ones((H, W, 3), np.float32), [], curves(lines, 8)
    for k in range(4):
        cv2.polylines(ink, [outline(k)], True, 255, 4, cv2.LINE_AA, 4)
    for k, colour in colours.items():
        fill = cv2.fillPoly(np.zeros((H, W), np.uint8), [outline(k)], 255, cv2.LINE_AA, 4).astype(np.float32) / 255
        linear *= np.exp(np.log(np.array(colour, np.float32)) * (fill * streaks)[..., None])
        fills.append((cv2.erode(fill, np.ones((9, 9))) == 1) & (cv2.dilate(ink, np.ones((9, 9))) == 0))
    return np.asarray(linear * (1 - 0.97 * ink[..., None] / np.float32(255)), np.float32), np.array(fills)


@pytest.mark.parametrize(
    ("colours", "lines"),
    [
        pytest.param({0: PALE_BLUE, 1: YELLOW, 2: PALE_BLUE, 3: PINK}, 14, id="coloured in", marks=pytest.mark.proof),
        pytest.param({1: PALE_BLUE}, 16, id="one spot of colour"),
    ],
)
def test_colours_within_outlines_are_kept(colours: dict[int, tuple[float, ...]], lines: int) -> None:
    linear, fills = drawn(colours, lines)
    sheet = sheet_of(noisy(linear))
    planes = render_whole(sheet, starting_docket(sheet.readings.medium).with_setting("square.on", False))
    assert planes.rgb is not None, "a drawing in one ink"
    alpha = planes.alpha[..., None].astype(np.float32) / 255
    seen = planes.rgb * alpha + 255 * (1 - alpha)
    true = srgb_encode(linear) * 255
    for fill in fills:
        assert fill.sum() > 2000
        assert np.abs(np.median(seen[fill], axis=0) - np.median(true[fill], axis=0)).max() < 10


def test_lines_of_a_blue_pencil_are_still_dropped() -> None:
    """As pale and as blue, but in lines."""
    linear, _ = drawn({}, 9)
    blue = curves(24, 3)
    cover = blue[..., None] / np.float32(255)
    sheet = sheet_of(noisy(linear * np.exp(np.log(np.array(PALE_BLUE, np.float32)) * cover)))
    assert sheet.readings.medium == "blue-pencil"
    planes = render_whole(sheet, starting_docket("blue-pencil").with_setting("square.on", False))
    apart = (blue == 255) & (cv2.dilate((linear.min(axis=2) < 1).astype(np.uint8), np.ones((9, 9))) == 0)
    assert planes.alpha[apart].mean() < 4


def test_a_letters_pale_blue_shadow_is_no_pencil() -> None:
    """Heavy strokes, and beside each a band of pale blue: its colour is kept, as of any second ink."""
    ink, band = np.zeros((2, H, W), np.uint8)
    rng = np.random.default_rng(4)
    for i in range(12):
        start = np.array([90 + 160 * (i % 4), 120 + 300 * (i // 4)])
        path = np.rint(start + np.cumsum(rng.uniform((-8, 20), (25, 70), (4, 2)), axis=0)).astype(np.int32)
        cv2.polylines(ink, [path], False, 255, 18, cv2.LINE_AA)
        cv2.polylines(band, [path + (9, 8)], False, 255, 18, cv2.LINE_AA)
    covers = ink[..., None] / np.float32(255), band[..., None] / np.float32(255)
    linear = np.exp(np.log(np.array((0.68, 0.83, 0.94), np.float32)) * covers[1]) * (1 - 0.97 * covers[0])
    sheet = sheet_of(noisy(np.asarray(linear, np.float32)))
    planes = render_whole(sheet, starting_docket(sheet.readings.medium).with_setting("square.on", False))
    assert planes.rgb is not None and planes.alpha is not None, "a drawing in one ink"
    alpha = planes.alpha[..., None].astype(np.float32) / 255
    own = (cv2.erode(band, np.ones((5, 5))) == 255) & (cv2.dilate(ink, np.ones((9, 9))) == 0)
    seen = np.median((planes.rgb * alpha + 255 * (1 - alpha))[own], axis=0)
    assert np.abs(seen - np.median(srgb_encode(np.asarray(linear, np.float32))[own] * 255, axis=0)).max() < 12
