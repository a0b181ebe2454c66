"""A little of another ink beside black: it keeps its colour, and black comes out black all the same."""

from __future__ import annotations

import cv2
import numpy as np

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


def test_a_stain_is_no_second_ink() -> None:
    assert sheet_with(STAIN).readings.one_ink


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
