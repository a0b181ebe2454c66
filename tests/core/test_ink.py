"""Ink: its colour found inside strokes, the curve in order, one ink told from several."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sheets import SHADOW, colour_sheet, pen_scan, pen_sheet, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.estimate import NoEstimate
from woad.core.ink.curve import TonePoints, coverage_curve, encoded_share, resting_middle
from woad.core.ink.density import InkColour, find_ink
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.recipe import resolve_points
from woad.core.render.whole import render_whole
from woad.demo.scanner import Capture, Light, Paper, record, smooth_noise


@pytest.mark.parametrize(
    "light", [pytest.param(Light(0.05), id="flatbed"), pytest.param(SHADOW, id="shadow", marks=pytest.mark.proof)]
)
def test_ink_colour_is_found_inside_strokes(light: Light) -> None:
    """Full ink is read within 0.015 of its true reflectance, though most dark pixels are edges."""
    ink = pen_sheet(light).readings.ink
    assert isinstance(ink, InkColour)
    assert np.abs(np.array(ink.reflectance) - pen_scan(light).ink).max() < 0.015
    assert not ink.grainy


def hatched(rng: np.random.Generator) -> np.ndarray:
    """Coverage of hatching in soft pencil, (1122, 886) float32: pressure laid on the hills of the paper's tooth."""
    pressure = np.zeros((1122, 886), np.float32)
    for _ in range(420):
        x, y = rng.normal((440, 560), (120, 150))
        stroke = np.zeros_like(pressure)
        dx, dy = rng.normal((60, -45), 12)
        cv2.line(stroke, (int(x), int(y)), (int(x + dx), int(y + dy)), rng.uniform(0.08, 0.5), 3, cv2.LINE_AA)
        pressure += stroke * (1 - 0.9 * pressure)
    hill = 1 / (1 + np.exp(-1.5 * smooth_noise(pressure.shape, 1.0, rng)))
    return np.clip((cv2.GaussianBlur(pressure, (0, 0), 0.8) * 1.25 - hill * 0.7) * 1.8, 0, 0.97).astype(np.float32)


def test_pencil_is_told_from_pen() -> None:
    """Pencil's tone is half-tones without full ink beside them; its darkest is still near the graphite's own."""
    rng = np.random.default_rng(3)
    scan = record(
        hatched(rng), (0.13, 0.13, 0.13), 150, Paper((0.7, 0.7, 0.7), 0.01), Light(0.05), Capture(0.5, 0.003), rng
    )
    readings = sheet_of(scan.encoded).readings
    assert isinstance(readings.ink, InkColour)
    assert readings.ink.grainy
    assert readings.medium == "pencil"
    assert abs(readings.ink.reflectance[1] - 0.13) < 0.06


@pytest.mark.proof
def test_ink_stands_out_from_coarse_toned_paper_with_white_paint_on_it() -> None:
    """Brown paper whose fibres vary by 8 % of its light; white lines are no noise of it."""
    rng = np.random.default_rng(9)
    fibres = cv2.GaussianBlur(rng.normal(0, 1, (700, 700)), (0, 0), 2.0)
    picture = np.array([0.45, 0.31, 0.16]) * (1 + 0.08 * fibres / fibres.std())[..., None]
    lines = np.zeros((700, 700), np.float32), np.zeros((700, 700), np.float32)
    for i in range(6):
        cv2.line(lines[0], (60, 80 + 100 * i), (640, 60 + 100 * i), 1.0, 5, cv2.LINE_AA)
        cv2.ellipse(lines[1], (120 + 80 * i, 300 + 40 * (i % 3)), (30, 50), 20 * i, 0, 200, 1.0, 6, cv2.LINE_AA)
    for line, tone in zip(lines, (0.012, 0.85), strict=True):
        share = cv2.GaussianBlur(line, (0, 0), 0.7)[..., None]
        picture = picture * (1 - share) + tone * share
    sheet = sheet_of(np.rint(srgb_encode(np.clip(picture, 0, 1).astype(np.float32)) * 255).astype(np.uint8))
    planes = render_whole(sheet, starting_docket("pen").with_setting("square.on", False))
    assert len(set(planes.ink_rgb)) == 1  # black, though it takes less of brown paper's blue than of its red
    alpha = planes.alpha
    assert alpha is not None
    bare = cv2.dilate(np.maximum(*lines), np.ones((15, 15))) == 0
    ink = (cv2.erode(lines[0], np.ones((3, 3))) == 1) & (cv2.dilate(lines[1], np.ones((9, 9))) == 0)
    assert alpha[ink].mean() > 250
    assert alpha[bare].mean() < 0.3


def test_half_covered_is_half_whatever_counts_as_full() -> None:
    """A weak, mottled ink is filled, but a pixel that it half covers stays half covered: lines come out no bolder."""
    rng = np.random.default_rng(5)
    cover = np.zeros((600, 600), np.float32)
    for x in range(40, 560, 40):
        cv2.line(cover, (x, 30), (x + 8, 570), 1.0, 9, cv2.LINE_AA)
    plain = Paper((0.8, 0.78, 0.7), 0.005)
    scan = record(cover, (0.1, 0.1, 0.1), 200, plain, Light(0.02), Capture(0.5, 0.003), rng, ink_mottle=0.25)
    docket = starting_docket("print")
    points = resolve_points(docket, sheet_of(scan.encoded).readings, True)
    covered = coverage_curve(points, "inked", 0.0, 1 - np.array([0.25, 0.5, 0.75, 0.98], np.float32) * 0.9)
    assert points.ink < 0.97 * -np.log10(0.1)
    np.testing.assert_allclose(covered[:3], [0.25, 0.5, 0.75], atol=0.02)
    assert covered[3] > 0.99


@pytest.mark.parametrize(("kind", "low", "high"), [("hump", 0.94, 1.0), ("ramp", 0.9, 1.15), ("grain", 0.95, 1.15)])
def test_full_tone_of_pencil_is_its_hump_or_its_deepest(kind: str, low: float, high: float) -> None:
    """Where much of a pencil's tone is full, full ink is that tone and not the darkest of its noise; shading and grain that
    are all half-tones are not cut off in their middle."""
    rng = np.random.default_rng(8)
    ramp = np.repeat(np.linspace(0.25, 1, 320, dtype=np.float32)[None], 320, 0)
    grain = np.float32(10) ** (0.1 * np.abs(smooth_noise((320, 320), 12, rng)) - np.float32(0.82))
    tones = {
        "hump": np.where(ramp < 0.6, 1 - ramp, 0.15),
        "ramp": 1 - ramp * 0.85,
        "grain": np.where(ramp < 0.7, 1.1 - 0.8 * ramp, grain),
    }
    crop = (tones[kind] * (1 + 0.02 * rng.standard_normal((320, 320)))).astype(np.float32)
    found = find_ink([np.repeat(crop[..., None], 3, 2)], 0.02)
    assert isinstance(found, InkColour)
    assert found.grainy
    density = -np.log10(np.mean(found.reflectance)) - found.flank_d
    assert low < density / -np.log10(0.15) < high


@pytest.mark.parametrize("wash", [0.3, 0.42])
def test_the_black_of_lines_over_a_wash_is_the_lines(wash: float) -> None:
    """A wash is flat and lies all over, lines are thin: these are full ink nevertheless. A wash alone is."""
    crop = np.ones((500, 400), np.float32)
    cv2.circle(crop, (200, 250), 150, wash, -1, cv2.LINE_AA)
    lined = crop.copy()
    for i in range(9):
        cv2.line(lined, (20, 30 + 50 * i), (380, 70 + 45 * i), 0.05, 3, cv2.LINE_AA)
    noise = np.random.default_rng(3).normal(0, 0.008, crop.shape)
    for art, low, high in ((lined, 0.03, 0.12), (crop, wash - 0.02, wash + 0.02)):
        seen = np.asarray(cv2.GaussianBlur(art, (0, 0), 0.7) + noise, np.float32)
        found = find_ink([np.repeat(seen[..., None], 3, 2)], 0.03)
        assert isinstance(found, InkColour)
        assert low < np.mean(found.reflectance) < high


def test_colour_is_told_from_one_ink() -> None:
    """Several colours are not one ink; black pen and blue pen on cream paper are."""
    assert not colour_sheet().readings.one_ink
    assert pen_sheet().readings.one_ink
    blue = sheet_of(pen_scan(ink=(0.06, 0.09, 0.3)).encoded)
    assert blue.readings.one_ink


def test_a_sheet_without_marks_says_so() -> None:
    """No ink is invented on an empty sheet."""
    noise = np.random.default_rng(0).normal(235, 1.5, (300, 300, 3)).clip(0, 255).astype(np.uint8)
    readings = sheet_of(noise).readings
    assert isinstance(readings.ink, NoEstimate)
    assert readings.ink_density is None


points = st.tuples(st.floats(0, 0.5), st.floats(0.05, 0.95), st.floats(0.2, 2.0))


@given(points, st.sampled_from(["inked", "seen"]), st.floats(0, 0.1))
def test_the_curve_keeps_every_tone_in_order(p: tuple[float, float, float], reading: str, ink: float) -> None:
    """A darker scan never covers less, and the ends are bare and full, wherever the flags stand."""
    paper, at, span = p
    flags = TonePoints(paper, paper + at * span, paper + span)
    r = np.linspace(1.2, 0.001, 400, dtype=np.float32)
    covered = coverage_curve(flags, reading, ink, r)  # type: ignore[arg-type]
    assert (np.diff(covered) >= -1e-6).all()
    assert covered[0] == 0
    assert covered[-1] > 0.999


@pytest.mark.parametrize("reading", ["inked", "seen"])
def test_the_middle_flag_is_half_covered(reading: str) -> None:
    """Where the middle flag stands, coverage is one half; at rest the flag changes nothing."""
    for middle in (0.15, 0.3, 0.6):
        flags = TonePoints(0.0, middle, 1.4)
        half = coverage_curve(flags, reading, 0.0, np.array([10**-middle]))  # type: ignore[arg-type]
        assert half[0] == pytest.approx(0.5, abs=0.01)
    rest = TonePoints(0.0, resting_middle(0.0, 1.4, reading, 0.0), 1.4)  # type: ignore[arg-type]
    r = np.linspace(0.05, 1, 50)
    share = (1 - r) / (1 - 10**-1.4)
    wanted = share if reading == "inked" else encoded_share(share, 0.0)
    np.testing.assert_allclose(coverage_curve(rest, reading, 0.0, r), np.clip(wanted, 0, 1), atol=0.01)  # type: ignore[arg-type]


def test_seen_coverage_encodes_to_the_picture_seen() -> None:
    """Laid over white in encoded values, the cut-out is the linear mixture the scanner saw."""
    share = np.linspace(0, 1, 64, dtype=np.float32)
    alpha = encoded_share(share, 0.02)
    black = srgb_encode(np.array([0.02], np.float32))[0]
    seen = srgb_decode(1 - alpha * (1 - black))
    np.testing.assert_allclose(seen, 1 - share * 0.98, atol=2e-3)


def test_a_few_flat_places_in_pencil_are_not_its_full_tone() -> None:
    """Where grain happens to be even it is even at any tone; graphite's full tone is the deepest that it reaches."""
    rng = np.random.default_rng(11)
    tooth = cv2.GaussianBlur(rng.standard_normal((300, 300)).astype(np.float32), (0, 0), 1.2)
    cover = np.clip(0.4 + 0.16 * tooth / tooth.std(), 0, 1)
    for x, y, even in ((60, 80, 0.52), (150, 200, 0.6), (240, 120, 0.69)):
        cover[y : y + 9, x : x + 9] = even
    crop = np.repeat((1 - 0.85 * cover)[..., None], 3, axis=2) + rng.normal(0, 0.004, (300, 300, 1))
    found = find_ink([np.asarray(crop, np.float32)], 0.03)
    assert isinstance(found, InkColour)
    assert found.grainy
    assert np.mean(found.reflectance) < 0.37
    assert found.flank_d == 0
