"""A close look at pieces: what each takes of the light, and how that is spread."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from woad.core.raster.transfer import srgb_encode
from woad.core.spotting.closeup import CloseUp, look_closely, off_palette
from woad.core.spotting.pieces import Pieces, find_pieces

PAPER, INK = np.array([0.8, 0.75, 0.6], np.float32), np.array([0.9, 0.8, 0.4], np.float32)  # INK: light that it takes


def _looked_at(cover: np.ndarray, block: int, sixteen: bool = False) -> tuple[Pieces, CloseUp]:
    light = PAPER * (1 - cover[..., None] * INK)
    most = 65535 if sixteen else 255
    picture = np.rint(srgb_encode(light) * most).astype(np.uint16 if sixteen else np.uint8)
    mean = np.rint(cover * 255).astype(np.uint8)
    blocks = mean.reshape(mean.shape[0] // block, block, mean.shape[1] // block, block)
    pieces = find_pieces(blocks.max(axis=(1, 3)), np.rint(blocks.mean(axis=(1, 3))).astype(np.uint8), block, 300)
    parts = [picture[y : y + h, x : x + w] for x, y, w, h in pieces.box.tolist()]
    papers = np.tile(PAPER, (len(pieces), 1))
    return pieces, look_closely(pieces, parts, pieces.box[:, :2], papers, float(INK.mean()))


def _dots(places: list[tuple[float, float, float, float]], blur: float) -> np.ndarray:
    """Coverage (200, 200) of dots x, y, radius, density."""
    large = np.zeros((1600, 1600), np.float32)
    for x, y, r, dense in places:
        cv2.circle(large, (round(x * 64), round(y * 64)), round(r * 64), dense, -1, 8, 3)
    cover = cv2.resize(large, (200, 200), interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.GaussianBlur(cover, (0, 0), blur) if blur else cover)


@pytest.mark.parametrize(("block", "sixteen"), [(1, False), (2, False), (2, True)])
def test_what_a_dot_takes_is_told_as_it_is_whatever_the_blocks_and_the_bits(block: int, sixteen: bool) -> None:
    """Mass, peak, colour, spread and evenness of a disc and of a fainter one come out as those of the truth."""
    pieces, close = _looked_at(_dots([(50, 50, 6, 1.0), (120, 90, 4, 0.5)], 0), block, sixteen)
    assert len(pieces) == 2
    np.testing.assert_allclose(close.peak, [1, 0.5], atol=0.02)
    np.testing.assert_allclose(close.mass, [np.pi * 36, np.pi * 16 * 0.5], rtol=0.05)
    np.testing.assert_allclose(close.taken, [INK, INK / 2], atol=0.02)
    np.testing.assert_allclose(close.across, [9, 4], rtol=0.08)  # a disc's variance is r squared over 4
    np.testing.assert_allclose(close.along, close.across, rtol=0.05)
    assert (close.evenness > 0.9).all()


def test_a_soft_speck_is_broader_and_less_even_than_a_sharp_dot_of_its_mass() -> None:
    """Blur adds its own variance to a dot's, and what is left of its top is one pixel."""
    sharp, soft = (_looked_at(_dots([(100, 100, 2.5, 1.0)], blur), 1)[1] for blur in (0.4, 1.5))
    assert soft.mass[0] == pytest.approx(sharp.mass[0], rel=0.08)
    assert soft.across[0] > sharp.across[0] + 1
    assert soft.evenness[0] < sharp.evenness[0] - 0.15


def test_what_lies_in_a_pieces_box_and_is_none_of_it_does_not_count() -> None:
    """A dense dot in the crook of a bent faint line leaves what the line takes as it is, and a line's middle that misses
    the line gives an answer all the same."""
    cover = np.zeros((200, 200), np.float32)
    cover[40:80, 40:42] = cover[78:80, 40:80] = 0.4
    cover[44:52, 60:68] = 1
    pieces, close = _looked_at(cover, 1)
    line = int(pieces.length_px.argmax())
    assert close.peak[line] == pytest.approx(0.4, abs=0.02)
    assert close.mass[line] == pytest.approx(0.4 * (80 + 76), rel=0.05)
    middle = look_closely(
        pieces,
        [np.full((4, 4, 3), 200, np.uint8)] * 2,
        np.tile(np.int32([55, 55]), (2, 1)),
        np.tile(PAPER, (2, 1)),
        1.0,
    )
    assert np.isfinite(middle.mass).all()
    assert np.isfinite(middle.taken).all()


def test_a_hue_is_of_the_artwork_when_more_than_a_few_places_have_it() -> None:
    """However deep it is; grey is none of blue and ochre, and a stray among the artwork is nobody's colour."""
    blue, ochre, grey = np.array([[0.7, 0.5, 0.1], [0.1, 0.4, 0.8], [0.5, 0.5, 0.5]])
    paint = np.vstack([np.outer(np.linspace(0.3, 1, 60), blue), np.outer(np.linspace(0.3, 1, 60), ochre), [grey, grey]])
    off = off_palette(np.array([blue * 0.4, ochre, grey]), paint)
    assert off[:2].max() < 0.05 and off[2] > 0.9
