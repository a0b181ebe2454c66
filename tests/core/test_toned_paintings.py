"""Paintings on toned paper: their border is paper though white paint is lighter, and white paint is paint."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from sheets import png_bytes
from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.transfer import srgb_encode
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.render.whole import render_whole

GREY, YELLOW = (0.58, 0.58, 0.57), (0.74, 0.61, 0.38)
WHITE, BLUE, RED = (0.86, 0.84, 0.8), (0.04, 0.12, 0.4), (0.5, 0.06, 0.05)
H, W = 760, 600
DOCKET = starting_docket("gouache").with_setting("square.on", False).with_setting("scan.ppi", 300)
Shapes = list[tuple[tuple[float, float, float], np.ndarray]]


def painted(paper: tuple[float, float, float], shapes: Shapes, uneven: float = 0.0) -> Sheet:
    """Paints over each other, the last one on top and as ``uneven`` as asked for, in light that falls off to one side."""
    rng = np.random.default_rng(7)
    linear = np.ones((H, W, 1), np.float32) * np.array(paper, np.float32)
    streaks = cv2.GaussianBlur(rng.standard_normal((H, W)).astype(np.float32), (0, 0), 4)[..., None]
    for i, (colour, where) in enumerate(shapes):
        own = np.array(colour) * (1 + (uneven if i == len(shapes) - 1 else 0) * streaks / streaks.std())
        linear += where[..., None] * (own - linear)
    linear = cv2.GaussianBlur(linear, (0, 0), 0.7) * np.linspace(1.0, 0.78, W)[:, None]
    encoded = srgb_encode(linear) + rng.normal(0, 0.006, linear.shape)
    scan = np.clip(encoded * 255, 0, 255).astype(np.uint8)
    return make_sheet(take_in("toned.png", png_bytes(scan)), build_pyramid(scan), DOCKET)


def box(left: int, top: int, right: int, bottom: int) -> np.ndarray:
    out = np.zeros((H, W), np.float32)
    out[top:bottom, left:right] = 1
    return out


@pytest.mark.parametrize(
    "paper", [pytest.param(GREY, id="grey", marks=pytest.mark.proof), pytest.param(YELLOW, id="yellow")]
)
def test_a_paintings_border_is_paper_beside_its_whites(paper: tuple[float, float, float]) -> None:
    """White paint with other paint all around is no hole, nor what the rest is measured by."""
    shapes = [(BLUE, box(40, 45, 560, 715)), (RED, box(100, 420, 260, 600)), (WHITE, box(300, 150, 470, 320))]
    planes = render_whole(painted(paper, shapes), DOCKET)
    assert planes.alpha is not None
    assert planes.rgb is not None
    border = box(0, 0, W, H) - box(32, 37, 568, 723) > 0
    assert planes.alpha[border].mean() < 0.3
    assert planes.alpha[55:705, 50:550].min() > 250
    assert planes.rgb[160:310, 310:460].min(axis=2).mean() > 250
    assert np.ptp(planes.rgb[650:700, 60:540, 2].mean(axis=0)) < 12  # blue is as light at both sides


@pytest.mark.proof
def test_uneven_white_paint_is_one_light_mark() -> None:
    shapes = [(BLUE, box(80, 400, 330, 600)), ((0.78, 0.77, 0.75), box(250, 150, 470, 400))]
    sheet = painted(GREY, shapes, 0.07)
    assert sheet.readings.light_marks is not None
    planes = render_whole(sheet, DOCKET)
    assert planes.alpha is not None
    assert planes.alpha[160:390, 260:460].mean() > 235
    assert planes.alpha[640:, :].mean() < 0.3
