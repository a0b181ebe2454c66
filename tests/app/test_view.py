"""The view's geometry and compositing, without a window."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sheets import sheet_of
from woad.app.view.compose import bgra, checks, to_size
from woad.app.view.geometry import Viewport, visible_slice
from woad.app.view.thumbnail import make_thumbnail
from woad.core.docket.media import starting_docket
from woad.core.raster.compositing import over
from woad.core.raster.transfer import srgb_encode
from woad.core.render.region import Picture

zooms = st.floats(0.02, 12)


@given(zooms, st.floats(0, 3000), st.floats(0, 2000), st.floats(0, 1200), st.floats(0, 700))
def test_view_and_sheet_are_inverse(zoom: float, cx: float, cy: float, vx: float, vy: float) -> None:
    """A point goes to the sheet and comes back."""
    view = Viewport(1200, 700, zoom, cx, cy)
    assert view.to_view(*view.to_sheet(vx, vy)) == pytest.approx((vx, vy), abs=1e-3)


@given(zooms, st.floats(0, 5000), st.floats(0, 7000))
def test_a_view_never_asks_for_many_more_pixels_than_it_shows(zoom: float, cx: float, cy: float) -> None:
    """Whatever the zoom, the level is chosen so that work stays near the view's own size."""
    sizes = [(-(-5000 // 2**n), -(-7000 // 2**n)) for n in range(7)]
    part = visible_slice(Viewport(1200, 700, zoom, cx, cy), 1.0, sizes)
    if part is not None:
        assert part.box.w * part.box.h <= 3.2 * (1200 + 64) * (700 + 64)
        assert part.right - part.left <= 1200 + 2 * max(zoom * 2**part.level, 1) + 2


@pytest.mark.parametrize("at", [400.0, 400.25, 400.5, 401.5])
@pytest.mark.parametrize("zoom", [1.0, 3.0])
def test_a_pixel_is_a_pixel_wherever_the_view_stands(zoom: float, at: float) -> None:
    """At 100 % and 300 % nothing is squeezed into a column less, which would blur all of the picture."""
    part = visible_slice(Viewport(300, 200, zoom, at, at), 1.0, [(900, 900)])
    assert part is not None
    assert part.right - part.left == part.box.w * zoom and part.bottom - part.top == part.box.h * zoom


def test_layers_are_mixed_as_screens_mix() -> None:
    """The quick paths for one ink and for colour agree with the textbook's over operator."""
    rng = np.random.default_rng(0)
    alpha = rng.integers(0, 256, (20, 30), dtype=np.uint8)
    rgb = rng.integers(0, 256, (20, 30, 3), dtype=np.uint8)
    for backing, colour in (("bright", (201, 70, 56)), ("white", (255, 255, 255))):
        one = bgra(Picture((10, 20, 30), alpha), backing, (201, 70, 56))[..., 2::-1]
        wanted = over(np.full((20, 30, 3), (10, 20, 30), np.uint8), alpha, colour)
        assert np.abs(one.astype(int) - wanted).max() <= 1
        many = bgra(Picture(rgb, alpha), backing, (201, 70, 56))[..., 2::-1]
        assert np.abs(many.astype(int) - over(rgb, alpha, colour)).max() <= 2


def test_checks_stay_in_place_while_the_view_moves() -> None:
    """The board is tied to the screen, not to the region that is drawn."""
    board = checks(64, 64, (0, 0))
    np.testing.assert_array_equal(checks(40, 40, (8, 16)), board[16:56, 8:48])


def test_pixels_are_square_from_twice_up() -> None:
    """At 300 % each scan pixel is a plain square: edges are judged, not guessed."""
    image = np.arange(16, dtype=np.uint8).reshape(4, 4)
    np.testing.assert_array_equal(to_size(image, 12, 12), np.kron(image, np.ones((3, 3), np.uint8)))


def test_a_thumbnail_shows_thin_lines_of_an_old_print() -> None:
    """A frame of thin lines is there on the pile, though its lines are thinner than the thumbnail's pixels."""
    rng = np.random.default_rng(4)
    paper = 0.5 * (1 + 0.03 * rng.standard_normal((1100, 800, 1))) * np.array([1, 0.9, 0.72])
    frame = np.zeros((1100, 800), np.uint8)
    cv2.rectangle(frame, (80, 80), (720, 1020), 255, 2)
    cv2.putText(frame, "knots", (200, 560), cv2.FONT_HERSHEY_DUPLEX, 4, 255, 12, cv2.LINE_AA)
    linear = paper * (1 - 0.8 * frame[..., None] / 255)
    sheet = sheet_of(np.rint(srgb_encode(np.clip(linear, 0, 1).astype(np.float32)) * 255).astype(np.uint8))
    image = make_thumbnail(sheet, starting_docket("print"), 108).over("white", (200, 80, 60))
    h, w = image.shape[:2]
    assert max(h, w) == 108
    side = image[h // 3 : h // 2, round(80 / 800 * w) - 2 : round(80 / 800 * w) + 3, 0].min(axis=1)
    assert side.max() < 235
    assert image[: h // 20].min() == 255
