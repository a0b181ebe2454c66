"""A little of another ink beside black: it keeps its colour, and black comes out black all the same."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import simplejpeg

from sheets import png_bytes, strokes
from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.render.whole import render_whole

PAPER, BLACK, RED, STAIN = (
    np.array(rgb, np.float32) for rgb in ((228, 220, 200), (60, 58, 60), (190, 52, 44), (224, 208, 176))
)
DOCKET = starting_docket("lettering").with_setting("square.on", False).with_setting("scan.ppi", 300)


def sheet_with(colour: np.ndarray) -> Sheet:
    """Black strokes and, of about one part in a hundred of them, a square frame in ``colour``."""
    rng = np.random.default_rng(3)
    share = cv2.dilate(strokes((900, 1200), 40, rng), np.ones((7, 7), np.uint8))[..., None] / np.float32(255)
    frame = np.zeros((900, 1200), np.float32)
    cv2.rectangle(frame, (1080, 800), (1120, 840), 1.0, 5)
    picture = PAPER + share * (BLACK - PAPER)
    picture += frame[..., None] * (colour - picture)
    picture = cv2.GaussianBlur(picture, (0, 0), 0.7) + rng.normal(0, 1.5, picture.shape)
    scan = np.clip(picture, 0, 255).astype(np.uint8)
    return make_sheet(take_in("seal.png", png_bytes(scan)), build_pyramid(scan), DOCKET)


def test_a_red_seal_beside_black_lettering_stays_red() -> None:
    planes = render_whole(sheet_with(RED), DOCKET)
    assert planes.rgb is not None
    red = planes.rgb[797:802, 1090:1110].reshape(-1, 3).astype(int)
    assert (red[:, 0] - red[:, 1:].max(axis=1)).min() > 90
    assert planes.alpha[797:802, 1090:1110].min() > 200
    solid = cv2.erode((planes.alpha == 255).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    solid[780:, 1060:] = False
    assert solid.sum() > 2000
    assert np.percentile(planes.rgb[solid], 95) <= 12


@pytest.mark.proof
def test_a_stain_is_no_second_ink() -> None:
    assert sheet_with(STAIN).readings.one_ink


@pytest.mark.proof
def test_pens_of_several_colours_are_no_pencils_under_ink() -> None:
    """The rims of blue lines are as light as a construction pencil's: a drawing in black, blue and red stays all three."""
    rng = np.random.default_rng(8)
    picture = np.ones((1000, 800, 1), np.float32) * (226, 224, 220)
    lines = {}
    for name, colour in (("black", (40, 40, 42)), ("blue", (78, 100, 196)), ("red", (205, 66, 60))):
        cover = strokes((1000, 800), 12, rng)[..., None] / np.float32(255)
        lines[name] = cover[..., 0] > 0.99
        picture += cover * (np.array(colour, np.float32) - picture)
    picture = cv2.GaussianBlur(picture, (0, 0), 1.0) + rng.normal(0, 2, picture.shape)
    scan = np.clip(picture, 0, 255).astype(np.uint8)
    sheet = make_sheet(take_in("pens.png", png_bytes(scan)), build_pyramid(scan))
    assert sheet.readings.medium == "pen"
    planes = render_whole(sheet, starting_docket(sheet.readings.medium).with_setting("square.on", False))
    assert planes.rgb is not None
    assert planes.alpha is not None
    other = cv2.dilate((lines["black"] | lines["red"]).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    blue = lines["blue"] & ~other
    assert np.percentile(planes.alpha[blue], 5) > 150
    assert np.percentile(planes.rgb[blue, 2].astype(int) - planes.rgb[blue, 0], 5) > 60


@pytest.mark.proof
@pytest.mark.parametrize(
    ("paper", "ink"),
    [
        pytest.param((225, 205, 165), (50, 48, 50), id="black on yellow"),
        pytest.param((238, 230, 212), (48, 66, 140), id="blue on cream"),
    ],
)
def test_a_lossy_files_coarse_hues_make_no_second_ink_and_no_pencil(
    paper: tuple[int, ...], ink: tuple[int, ...]
) -> None:
    """Hues are kept at half the size in nearly all photographs: beside thin strokes on toned paper they are off."""
    rng = np.random.default_rng(4)
    cover = strokes((1000, 760), 40, rng)[..., None] / np.float32(255)
    picture = cv2.GaussianBlur(paper + cover * (np.array(ink, np.float32) - paper), (0, 0), 0.6)
    picture = np.clip(picture + rng.normal(0, 2, picture.shape), 0, 255).astype(np.uint8)
    jpeg = simplejpeg.encode_jpeg(picture, quality=85, colorspace="RGB", colorsubsampling="420")
    readings = make_sheet(take_in("thin.jpg", jpeg), build_pyramid(simplejpeg.decode_jpeg(jpeg))).readings
    assert readings.one_ink
    assert readings.medium == "pen"
    assert "several" not in readings.medium_why


@pytest.mark.proof
def test_black_lettering_on_yellow_paper_is_no_paint() -> None:
    """Black gives back the lamp's own light, which is bluer than yellow paper: it has no hue for all that."""
    rng = np.random.default_rng(6)
    share = cv2.dilate(strokes((900, 1200), 12, rng), np.ones((19, 19), np.uint8))[..., None] / np.float32(255)
    picture = np.array((222, 202, 156), np.float32) * (1 - share) + np.array((44, 44, 47), np.float32) * share
    picture = cv2.GaussianBlur(picture, (0, 0), 0.7) + rng.normal(0, 1.5, picture.shape)
    scan = np.clip(picture, 0, 255).astype(np.uint8)
    readings = make_sheet(take_in("heavy.png", png_bytes(scan)), build_pyramid(scan), DOCKET).readings
    assert readings.medium == "lettering"
    assert readings.hue_share < 0.1
