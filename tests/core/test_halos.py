"""A scanner's own sharpening: told by the rims beside marks, taken back, and never seen where there is none."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from captures import drawn_sheet, photo, saved, shot
from sheets import FLAT, colour_scan, pen_scan, png_bytes, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.estimate import NoEstimate
from woad.core.formats.read import take_in
from woad.core.raster.channels import grey_of
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region
from woad.core.render.sheet import is_square, make_sheet, resquare
from woad.core.render.taken_back import NOTHING, Unsharpened, look_for_sharpening
from woad.core.render.whole import render_whole
from woad.core.scan.halos import Sharpening, find_sharpening, without_sharpening
from woad.demo.scanner import laid_apart, sharpened

Image = NDArray[np.uint8]


def found_on(image: NDArray[np.generic]) -> Sharpening | NoEstimate:
    """From parts of the picture, as a scan's are looked at."""
    grey = grey_of(image.astype(np.float32) / 255)
    return find_sharpening([grey[y : y + 256, x : x + 256] for y in (0, 240, 400) for x in (0, 200, 400)])


def off(one: NDArray[np.generic], other: NDArray[np.generic]) -> float:
    return float(np.abs(one.astype(np.float32) - other.astype(np.float32)).mean())


@pytest.mark.parametrize(("radius", "amount"), [(1.0, 1.6), (1.5, 1.5), (2.5, 1.0)])
def test_sharpening_is_told_and_taken_back(radius: float, amount: float) -> None:
    """Its radius is about right, and the picture is what it was, but for a quarter of the change at most."""
    for plain in (shot(drawn_sheet()), pen_scan().encoded):
        image = sharpened(plain, radius, amount)
        found = found_on(image)
        assert isinstance(found, Sharpening)
        assert found.radius_px == pytest.approx(radius, rel=0.5)
        assert off(without_sharpening(image, found), plain) < off(image, plain) / 4


def test_on_dark_paper_rims_are_dark() -> None:
    """Light marks on black tell as dark ones on white do."""
    plain = np.asarray(255 - shot(drawn_sheet()), np.uint8)
    found = look_for_sharpening(build_pyramid(sharpened(plain, 1.5, 1.5)))
    assert isinstance(found, Sharpening)
    assert found.radius_px == pytest.approx(1.5, rel=0.5)
    none = look_for_sharpening(build_pyramid(plain))
    assert isinstance(none, Sharpening) and none.amount == 0


def test_no_sharpening_is_seen_where_there_was_none() -> None:
    """Not in scans, a file saved anew, a photo that a camera sharpened as all do; a white line that somebody drew along some
    marks is none, nor are there edges to tell by on bare paper."""
    plain = shot(drawn_sheet())
    outlined = plain.copy()
    cv2.rectangle(outlined, (56, 61), (650, 300), (255, 255, 255), 2)
    for image in (plain, saved(plain, 60), photo().encoded, pen_scan().encoded, outlined):
        found = found_on(image)
        assert not isinstance(found, Sharpening) or found.amount == 0
    assert isinstance(found_on(shot(np.full((700, 700, 3), 0.8, np.float32))), NoEstimate)


def test_even_paper_keeps_its_tone() -> None:
    """Where there is nothing to sharpen, nothing changes."""
    even = np.full((40, 50, 3), 201, np.uint8)
    np.testing.assert_allclose(without_sharpening(even, Sharpening(0.2, 2.5, 2.0)), 201, atol=0.02)


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_a_box_is_as_it_is_in_the_whole(kind: type[np.generic]) -> None:
    """Read anywhere and at any level, a place has the same pixels, of the scan's own type; small levels stay."""
    pixels = sharpened(colour_scan().encoded, 1.5, 1.5).astype(kind)
    scan = build_pyramid(np.asarray(pixels * (257 if kind is np.uint16 else 1), kind))
    calm = Unsharpened(scan, Sharpening(0.12, 1.5, 1.3))
    for level in (0, 1):
        whole = calm.whole(level)
        assert whole.dtype == kind
        assert not np.array_equal(whole, scan.whole(level))
        for box in (Region(0, 0, 60, 40), Region(91, 77, 33, 41)):
            part = calm.read(level, box).astype(int)
            assert np.abs(part - whole[box.y : box.bottom, box.x : box.right]).max() <= 1
    np.testing.assert_array_equal(calm.whole(3), scan.whole(3))


def cut(image: Image, unsharpen: bool = True) -> tuple[NDArray[np.float32], Sharpening | None]:
    """The artwork over green as it leaves Woad, and what was taken back."""
    docket = FLAT.with_setting("scan.unsharpen", unsharpen)
    sheet = make_sheet(take_in("sheet.png", png_bytes(image)), build_pyramid(image), docket)
    own = starting_docket(sheet.readings.medium).with_setting("square.on", False)
    planes = render_whole(sheet, own.with_setting("scan.unsharpen", unsharpen))
    alpha = planes.alpha[..., None].astype(np.float32) / 255
    colour = np.asarray(planes.rgb, np.float32).reshape(1, 1, 3) if isinstance(planes.rgb, tuple) else planes.rgb
    return colour * alpha + np.array([0, 200, 90], np.float32) * (1 - alpha), sheet.back.sharpening


@pytest.mark.proof
def test_a_sharpened_painting_is_cut_out_like_the_one_before() -> None:
    """Its cut-out is as the plain scan's, far more so than when the sharpening is kept."""
    plain = colour_scan().encoded
    image = sharpened(plain, 2.0, 1.6)
    truth, none = cut(plain)
    taken_back, was = cut(image)
    kept, nothing = cut(image, unsharpen=False)
    assert none is None and nothing is None
    assert was is not None
    assert off(taken_back, truth) < 0.5 * off(kept, truth)


@pytest.mark.parametrize(
    ("setting", "spoiled"),
    [
        ("scan.unsharpen", lambda image: sharpened(image, 1.5, 1.5)),
        pytest.param("scan.align", lambda image: laid_apart(image, (0.0, 1.0)), marks=pytest.mark.proof),
    ],
)
def test_the_setting_squares_the_sheet_anew(setting: str, spoiled: Callable[[Image], NDArray[np.generic]]) -> None:
    """A sheet is not as its docket says until what the scanner did is taken back, or is there again."""
    sheet, kept = sheet_of(spoiled(pen_scan().encoded)), FLAT.with_setting(setting, False)
    assert sheet.back != NOTHING
    assert is_square(sheet, FLAT)
    assert not is_square(sheet, kept)
    as_it_came = resquare(sheet, kept)
    assert as_it_came.back == NOTHING
    np.testing.assert_array_equal(as_it_came.pyramid.whole(0), sheet.scan.whole(0))
    assert resquare(as_it_came, FLAT).back == sheet.back


@pytest.mark.parametrize("side", [1, 2, 30, 60])
def test_tiny_pictures_go_through(side: int) -> None:
    """Too small for an edge to be told, they are measured as they are."""
    assert sheet_of(np.full((side, side, 3), 180, np.uint8)).back.sharpening is None
