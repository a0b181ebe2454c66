"""Raster arithmetic: transfer curves, pyramid, bands and halos, reflectance codes, compositing."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from woad.core.paper.phases import smooth
from woad.core.raster.codes import PAPER_CODE, encoded_of, from_codes, look_up, table_8bit, to_codes
from woad.core.raster.colour import lab, lightness
from woad.core.raster.compositing import over
from woad.core.raster.places import read_at
from woad.core.raster.profiles import medians
from woad.core.raster.pyramid import LEAN_PX, build_pyramid, halve
from woad.core.raster.thinning import thinned
from woad.core.raster.tiles import Region, bands
from woad.core.raster.transfer import density, linear_of_8bit, reflectance, srgb_decode, srgb_encode


def test_srgb_curves_are_inverse_and_meet_the_standard() -> None:
    """Known values of IEC 61966-2-1, and there and back."""
    assert srgb_decode(np.array([0.5]))[0] == pytest.approx(0.21404, abs=1e-4)
    assert srgb_encode(np.array([0.18]))[0] == pytest.approx(0.46136, abs=1e-4)
    x = np.linspace(0, 1, 1001, dtype=np.float32)
    np.testing.assert_allclose(srgb_decode(srgb_encode(x)), x, atol=2e-6)
    assert linear_of_8bit()[255] == 1


def test_density_and_reflectance_are_inverse() -> None:
    """D 0 is paper, D 1 a tenth."""
    assert density(np.array([1.0, 0.1]))[1] == pytest.approx(1.0)
    np.testing.assert_allclose(density(reflectance(np.linspace(0, 3, 50))), np.linspace(0, 3, 50), atol=1e-5)


def test_lightness_of_known_colours() -> None:
    """White is 100, black 0, 18 % grey about 50; greys have no chroma."""
    assert lightness((1, 1, 1)) == pytest.approx(100, abs=0.01)
    assert lightness((0, 0, 0)) == pytest.approx(0, abs=0.01)
    assert lightness((0.1842, 0.1842, 0.1842)) == pytest.approx(50, abs=0.1)
    assert np.abs(lab(np.array([[0.4, 0.4, 0.4]]))[0, 1:]).max() < 0.02


@given(st.integers(1, 40), st.integers(1, 40), st.sampled_from([1, 3]))
def test_halving_averages_pairs_and_repeats_odd_edges(h: int, w: int, channels: int) -> None:
    """Every output pixel is the mean of its 2 x 2 block; at an odd edge the last row or column counts twice."""
    image = np.random.default_rng(h * 41 + w).random((h, w, channels)).astype(np.float32)
    padded = np.pad(image, ((0, h % 2), (0, w % 2), (0, 0)), mode="edge")
    wanted = padded.reshape((h + 1) // 2, 2, (w + 1) // 2, 2, channels).mean(axis=(1, 3))
    got = np.asarray(halve(image), np.float32).reshape(wanted.shape)
    np.testing.assert_allclose(got, wanted, atol=1e-5)


def test_pyramid_levels_are_read_only_and_lean_ones_drop_the_large() -> None:
    """A lean pyramid keeps the full level and the small ones; both have the same small levels."""
    pixels = np.random.default_rng(0).integers(0, 255, (LEAN_PX * 3, 64, 1), dtype=np.uint8)
    full, lean = build_pyramid(pixels), build_pyramid(pixels, lean=True)
    assert len(full.levels) == len(lean.levels)
    assert lean.levels[1].size == 0
    np.testing.assert_array_equal(full.levels[-1], lean.levels[-1])
    assert lean.level_for(LEAN_PX) == full.level_for(LEAN_PX)
    with pytest.raises(ValueError, match="read-only"):
        full.levels[0][0, 0] = 1


@given(st.integers(1, 500), st.integers(1, 500), st.integers(1, 90))
def test_bands_cover_every_row_once(w: int, h: int, rows: int) -> None:
    """No row is missed, none is done twice."""
    got = list(bands(w, h, rows))
    assert [band.y for band in got] == list(range(0, h, rows))
    assert sum(band.h for band in got) == h
    assert all(band.w == w for band in got)


@given(st.integers(-50, 400), st.integers(-50, 400), st.integers(1, 300), st.integers(1, 300), st.integers(0, 64))
def test_grown_regions_hold_their_reach_and_stay_on_the_image(x: int, y: int, w: int, h: int, reach: int) -> None:
    """A tile's halo covers the reach wherever the image goes on, and starts on the grid."""
    box = Region(x, y, w, h).clip(317, 233)
    if box.w and box.h:
        tile = box.grown(reach, 8, 317, 233)
        assert tile.x % 8 == 0
        assert tile.y % 8 == 0
        assert tile.x <= max(0, box.x - reach)
        assert tile.right >= min(317, box.right + reach)
        assert 0 <= tile.x < tile.right <= 317
        assert 0 <= tile.y < tile.bottom <= 233


def test_codes_keep_reflectance_finely_and_saturate() -> None:
    """Paper is 40000; a step is far below an 8-bit one; glare and negative noise saturate."""
    r = np.linspace(0, 1.6, 1000, dtype=np.float32).reshape(20, 50)
    assert np.abs(from_codes(to_codes(r)) - r).max() < 2e-5
    ends = to_codes(np.array([[-0.5, 1.0, 9.0]], np.float32))
    assert ends.tolist() == [[0, PAPER_CODE, 65535]]
    inverse = table_8bit(lambda v: 1 - np.clip(v, 0, 1))
    assert look_up(ends, inverse).tolist() == [[255, 0, 0]]


@pytest.mark.parametrize("shape", [(1, 1), (30, 20), (30, 20, 3)])
def test_codes_are_encoded_as_what_they_stand_for(shape: tuple[int, ...]) -> None:
    """Within half a step of 8 bit, what is lighter than paper included."""
    light = np.random.default_rng(1).random(shape).astype(np.float32) * 1.6
    np.testing.assert_allclose(encoded_of(to_codes(light)), srgb_encode(light), atol=0.4 / 255)


@given(st.integers(1, 40), st.integers(1, 40), st.sampled_from([0, 1]))
def test_short_medians_are_medians(h: int, w: int, axis: int) -> None:
    """Of odd and even many values, along either axis."""
    values = np.random.default_rng(h * 41 + w).random((h, w)).astype(np.float32)
    np.testing.assert_allclose(medians(values, axis), np.median(values, axis=axis), atol=1e-6)


@given(st.integers(0, 500), st.integers(1, 50))
def test_thinned_values_are_spread_over_all(many: int, most: int) -> None:
    """From the first to the last, evenly; not fewer than asked for, nor twice as many; all when there are few."""
    fewer = thinned(np.arange(many), most)
    assert len(fewer) == many if many <= most else most <= len(fewer) <= 2 * most
    if many:
        step = np.diff(fewer)
        assert fewer[0] == 0 and (step == step[:1]).all() and many - fewer[-1] <= max(many // most, 1)


@pytest.mark.parametrize("spread", [3.0, 20.0, 45.0])
def test_waves_are_averaged_alike_over_narrow_and_wide_windows(spread: float) -> None:
    """A wave that turns slowly keeps its phase and loses the strength that a Gaussian takes; one that turns fast is gone."""
    turns = 0.1 / spread
    along = np.arange(400) + 0.5
    waves = np.exp(2j * np.pi * turns * along)[None].repeat(300, axis=0).astype(np.complex64)
    inner = slice(130, 270)
    left = smooth(waves, spread)[150, inner] / waves[150, inner]
    assert np.abs(np.angle(left)).max() < 0.02
    assert np.abs(left) == pytest.approx(np.exp(-2 * (np.pi * turns * spread) ** 2), rel=0.03)
    fast = np.exp(2j * np.pi * 1.5 / spread * along)[None].repeat(300, axis=0).astype(np.complex64)
    assert np.abs(smooth(fast, spread)[150, inner]).max() < 0.02


def test_over_mixes_encoded_values() -> None:
    """Half of black over white is the middle code, as screens show it."""
    black, alpha = np.zeros((1, 3, 3), np.uint8), np.array([[0, 128, 255]], np.uint8)
    assert over(black, alpha, (255, 255, 255))[0, :, 0].tolist() == [255, 127, 0]


def test_places_are_read_between_pixels_however_many_they_are() -> None:
    """On a slope, values lie on it between pixels too; past the rim they are the rim's; more than a row's worth, and none."""
    slope = np.add.outer(10 * np.arange(6.0), np.arange(9.0)).astype(np.float32)
    x, y = (np.random.default_rng(i).integers(0, 4 * side, 50_001) / 4 for i, side in enumerate((8, 5)))
    assert np.allclose(read_at(slope, x, y), 10 * y + x, atol=1e-4)
    both = read_at(np.dstack([slope, -slope]), np.array([-3.0, 40.0]), np.array([-3.0, 40.0]))
    assert np.array_equal(both, [[0, 0], [58, -58]])
    assert read_at(slope[..., None], x[:0], y[:0]).shape == (0, 1)
