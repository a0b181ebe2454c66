"""Colours that a scanner or lens laid apart: told to a few hundredths of a pixel, laid back, and never seen where they meet."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from captures import drawn_sheet, photo, saved, shot
from sheets import FLAT, colour_scan, pen_scan, png_bytes, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.estimate import NoEstimate
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region
from woad.core.render.sheet import make_sheet
from woad.core.render.taken_back import Registered, look_for_register
from woad.core.render.whole import render_whole
from woad.core.scan.register import Offset, Register
from woad.demo.scanner import laid_apart

Image = NDArray[np.uint8]


def found_on(image: NDArray[np.generic]) -> Register | NoEstimate:
    return look_for_register(build_pyramid(image))  # type: ignore[arg-type]


def off(one: NDArray[np.generic], other: NDArray[np.generic]) -> float:
    return float(np.abs(one.astype(np.float32) - other.astype(np.float32)).mean())


@pytest.mark.parametrize(("by", "lens"), [((0.0, 0.4), 0.0), ((1.3, -0.6), 0.0), ((0.1, 0.3), 0.001)])
def test_colours_are_laid_back(by: tuple[float, float], lens: float) -> None:
    """How far they lie apart is read to 0.06 px, and the picture is what it was, but for a third of the change at most."""
    for plain in (pen_scan().encoded, shot(drawn_sheet())):
        image = np.asarray(laid_apart(plain, by, lens), np.uint8)
        found = found_on(image)
        assert isinstance(found, Register)
        assert found.out
        side = max(image.shape) / 2
        for own, sign in ((found.red, 1), (found.blue, -1)):
            assert (own.x, own.y) == pytest.approx((sign * by[0], sign * by[1]), abs=0.06)
            assert own.lens * side == pytest.approx(sign * lens * side, abs=0.06)
        back = Registered(build_pyramid(image), found).whole(0)
        assert off(back, plain) < off(image, plain) / 3


def test_colours_that_meet_are_let_be() -> None:
    """In scans and photos, in a file saved anew, in a grey one; and where rims are the drawing's own."""
    plain = shot(drawn_sheet())
    grey = np.repeat(pen_scan().encoded[..., 1:2], 3, axis=2)
    for image in (plain, saved(plain, 60), photo().encoded, colour_scan().encoded, grey):
        found = found_on(image)
        assert not isinstance(found, Register) or not found.out
    assert isinstance(found_on(grey[..., :1]), NoEstimate)
    # Orange to the left of each mark and blue above it: one shift of either colour explains neither.
    own = plain.copy()
    own[..., 2] = np.minimum(plain[..., 2], np.roll(plain[..., 2], -3, axis=1))
    own[..., 0] = np.minimum(plain[..., 0], np.roll(plain[..., 0], -3, axis=0))
    rims = found_on(own)
    assert isinstance(rims, NoEstimate) or not rims.out


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_a_box_is_as_it_is_in_the_whole(kind: type[np.generic]) -> None:
    """Read anywhere and at any level, a place has the same pixels, of the scan's own type; small levels stay."""
    pixels = colour_scan().encoded.astype(kind)
    scan = build_pyramid(np.asarray(pixels * (257 if kind is np.uint16 else 1), kind))
    was = Register(Offset(0.3, 0.9, 0.001), Offset(-0.3, -0.8, -0.001), 2.2, True)
    back = Registered(scan, was)
    for level in (0, 1):
        whole = back.whole(level)
        assert whole.dtype == kind
        assert not np.array_equal(whole, scan.whole(level))
        for box in (Region(0, 0, 60, 40), Region(91, 77, 33, 41)):
            part = back.read(level, box).astype(int)
            apart = np.abs(part - whole[box.y : box.bottom, box.x : box.right])
            assert apart.max() <= (2 if kind is np.uint8 else 600)
    shallow = Registered(scan, Register(Offset(0.3), Offset(), 0.3, True))
    np.testing.assert_array_equal(shallow.whole(2), scan.whole(2))


def cut(image: Image, align: bool = True) -> tuple[str, NDArray[np.float32]]:
    """The medium that is proposed, and the artwork over green as it leaves Woad with it."""
    docket = FLAT.with_setting("scan.align", align)
    sheet = make_sheet(take_in("sheet.png", png_bytes(image)), build_pyramid(image), docket)
    own = starting_docket(sheet.readings.medium).with_setting("square.on", False)
    planes = render_whole(sheet, own.with_setting("scan.align", align))
    assert planes.alpha is not None
    alpha = planes.alpha[..., None].astype(np.float32) / 255
    colour = np.full((1, 1, 3), planes.ink_rgb, np.float32) if planes.rgb is None else planes.rgb
    return sheet.readings.medium, colour * alpha + np.array([0, 200, 90], np.float32) * (1 - alpha)


@pytest.mark.proof
def test_a_drawing_laid_apart_is_cut_out_like_the_one_before() -> None:
    """Its coloured rims are neither paint nor pencil to be dropped: the cut-out is the plain scan's, far more so than when they
    are kept."""
    plain = pen_scan().encoded
    image = np.asarray(laid_apart(plain, (0.0, 1.0)), np.uint8)
    (medium, truth), (same, back), (_, kept) = cut(plain), cut(image), cut(image, align=False)
    assert same == medium
    assert off(back, truth) < 0.5 * off(kept, truth)


@pytest.mark.parametrize("side", [1, 2, 30, 60])
def test_tiny_pictures_go_through(side: int) -> None:
    picture = np.full((side, side, 3), 180, np.uint8)
    picture[side // 3 : side // 2 + 1] = 20
    assert sheet_of(picture).back.register is None
