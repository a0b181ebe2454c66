"""Pale washes against their true shape: clean edges, no bites, narrow lanes of paper open, thin bands of colour whole."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from sheets import png_bytes
from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.sheet import make_sheet
from woad.core.render.whole import render_whole

PAPER = (236, 231, 220)
PALE, TEAL, YELLOW, GREEN = (226, 222, 218), (180, 214, 200), (234, 228, 182), (150, 196, 130)
DOCKET = starting_docket("watercolour").with_setting("square.on", False).with_setting("scan.ppi", 300)


@pytest.fixture(scope="module")
def alpha() -> np.ndarray:
    """Coverage of a sheet with a very pale disc, two washes 3 px apart, and a green wash over a yellow one that shows 9 px
    below it."""
    rng = np.random.default_rng(21)
    picture = np.full((900, 1200, 3), PAPER, np.float32)
    cv2.circle(picture, (300, 300), 180, PALE, -1, cv2.LINE_AA)
    cv2.rectangle(picture, (600, 100), (1100, 297), YELLOW, -1)
    cv2.rectangle(picture, (600, 301), (1100, 500), TEAL, -1)
    cv2.rectangle(picture, (600, 600), (1100, 800), YELLOW, -1)
    cv2.rectangle(picture, (600, 600), (1100, 791), GREEN, -1)
    grain = cv2.GaussianBlur(rng.normal(0, 5, picture.shape[:2]), (0, 0), 1.2)
    picture = cv2.GaussianBlur(picture, (0, 0), 0.7) + grain[..., None] + rng.normal(0, 1.0, picture.shape)
    scan = np.clip(picture, 0, 255).astype(np.uint8)
    planes = render_whole(make_sheet(take_in("wash.png", png_bytes(scan)), build_pyramid(scan), DOCKET), DOCKET)
    assert planes.alpha is not None
    return planes.alpha / 255


@pytest.mark.proof
def test_a_pale_disc_is_cut_out_round_and_whole(alpha: np.ndarray) -> None:
    """The wash takes 4 % of the paper's light, its grain half as much."""
    y, x = np.mgrid[:600, :580]
    out = np.hypot(x - 300, y - 300) - 180
    assert alpha[:600, :580][out < -3].min() > 0.9
    assert alpha[:600, :580][out > 3].max() < 0.15
    assert alpha[:600, :580][(out > 3) & (out < 12)].mean() < 0.002
    edge = np.abs(out) <= 3
    truth = np.clip(0.5 - out[edge], 0, 1)
    assert np.sqrt(np.mean((alpha[:600, :580][edge] - truth) ** 2)) < 0.2


@pytest.mark.proof
def test_a_lane_of_paper_between_washes_is_open(alpha: np.ndarray) -> None:
    assert alpha[299, 640:1060].mean() < 0.2
    assert alpha[290:294, 640:1060].min() > 0.9
    assert alpha[306:310, 640:1060].min() > 0.9


@pytest.mark.proof
def test_a_thin_band_of_another_colour_along_a_wash_is_whole(alpha: np.ndarray) -> None:
    assert alpha[786:798, 640:1060].min() > 0.85
    assert alpha[805:, 640:1060].max() < 0.1
