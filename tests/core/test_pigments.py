"""Drawings in hatched strokes: one pen's depths are one ink, and paper between lines is let through, whatever their hue."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import simplejpeg
from numpy.typing import NDArray

from sheets import noisy, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.ink.density import InkColour, find_ink
from woad.core.ink.pigments import tell_inks
from woad.core.ink.texture import read_texture
from woad.core.render.recipe import make_recipe
from woad.core.render.whole import Planes, render_whole

BLUE, RED, BLACK = (2.5, 1.7, 0.5), (0.3, 2.3, 1.8), (2.8, 2.8, 2.8)  # absorbance at full depth, natural log
Plane = NDArray[np.float32]


def hatching(centre: tuple[int, int], turn: float, gap: float) -> Plane:
    """Coverage of a disc of parallel lines, three pixels wide, which waver a little."""
    rng = np.random.default_rng(round(turn * 10 + gap))
    ink = np.zeros((1040, 800), np.uint8)
    along, across = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
    for aside in np.arange(-210, 210, gap):
        half = np.sqrt(max(220**2 - aside**2, 0))
        ends = [centre + along * way * half + across * (aside + rng.normal(0, 0.5)) for way in (-1, 1)]
        a, b = (tuple(np.rint(end * 16).astype(int).tolist()) for end in ends)
        cv2.line(ink, a, b, 255, 3, cv2.LINE_AA, 4)
    return ink.astype(np.float32) / np.float32(255)


def drawn(layers: list[tuple[Plane, tuple[float, ...], float]]) -> Plane:
    """Reflectance (h, w, 3) of coverages in pigments, each at its depth."""
    out = np.ones((1040, 800, 3), np.float32)
    for cover, pigment, depth in layers:
        out *= 1 - cover[..., None] * (1 - np.exp(-depth * np.array(pigment, np.float32)))
    return out


def in_one_pen() -> Plane:
    """Hatched in a blue pen that is pressed in more or less."""
    discs = [((330, 400), 0.5, 10.0, 0.25), ((450, 480), 1.9, 11.0, 0.5), ((380, 620), 1.1, 9.0, 1.0)]
    return drawn([(hatching(centre, turn, gap), BLUE, depth) for centre, turn, gap, depth in discs])


def cut_out(reflectance: Plane, medium: str | None = None) -> tuple[Planes, str, bool]:
    sheet = sheet_of(noisy(reflectance))
    readings = sheet.readings
    docket = starting_docket(medium or readings.medium).with_setting("square.on", False)  # type: ignore[arg-type]
    return render_whole(sheet, docket), readings.medium, readings.one_ink


def test_hatching_in_one_pen_is_one_ink_and_lets_paper_through() -> None:
    reflectance = in_one_pen()
    planes, medium, one_ink = cut_out(reflectance)
    assert (medium, one_ink) == ("pencil", True)
    lightest = cv2.erode(reflectance.min(axis=2), np.ones((3, 3), np.uint8))
    gaps = (lightest > 0.999) & (cv2.blur(reflectance.min(axis=2), (41, 41)) < 0.8)
    assert gaps.sum() > 5000
    assert planes.alpha[gaps].mean() < 8
    assert np.percentile(planes.alpha[reflectance.max(axis=2) < 0.62], 5) > 150


@pytest.mark.proof
@pytest.mark.parametrize(
    ("depth", "deep"),
    [
        pytest.param(0.35, 0.35, id="even"),
        pytest.param(0.25, 0.9, id="darker towards one side"),
    ],
)
def test_a_wash_of_one_pigment_is_no_hatching(depth: float, deep: float) -> None:
    """It is of one pigment all the same, and no paper shows in it but beside it."""
    cover = np.zeros((1040, 800), np.float32)
    cv2.circle(cover, (400, 500), 230, 1.0, -1, cv2.LINE_AA)
    x = np.linspace(depth, deep, 800, dtype=np.float32)[None, :, None]
    reflectance = 1 - cover[..., None] * (1 - np.exp(-x * np.array(BLUE, np.float32)))
    crops = [reflectance[y : y + 320, x : x + 320] for y in (200, 520) for x in (100, 400)]
    assert read_texture(crops, 1040).thin < 0.1
    assert sheet_of(noisy(reflectance)).readings.medium == "watercolour"


def test_depths_of_a_pen_are_one_pigment_and_two_pens_are_two() -> None:
    one = in_one_pen()
    two = drawn([(hatching((330, 400), 0.5, 8.0), BLUE, 1.0), (hatching((480, 640), 1.9, 9.0), RED, 1.0)])
    for reflectance, of_one in ((one, True), (two, False)):
        ink = find_ink([reflectance[240:560, 300:620], reflectance[480:800, 240:560]], 0.02)
        assert tell_inks(reflectance, ink, 0.02).one_pigment is of_one  # type: ignore[arg-type]
    assert read_texture([one[300:620, 240:560], one[480:800, 240:560]], 1040).thin > 0.4


@pytest.mark.parametrize(("depth", "times"), [(0.4, 3.0), (1.3, 2.0 * np.log(10) / (1.3 * BLUE[0]))])
def test_a_coloured_ink_is_made_denser_and_a_pale_one_stays_pale(depth: float, times: float) -> None:
    """Three times its density at most, and no more than 2 in its deepest channel; with the Ink step off it is as scanned."""
    sheet = sheet_of(noisy(drawn([(hatching((400, 480), 0.6, 14.0), BLUE, depth)])))
    docket = starting_docket("pen").with_setting("square.on", False)
    assert sheet.readings.one_ink
    for on, wanted in ((True, times), (False, 1.0)):
        recipe = make_recipe(docket.with_setting("ink.on", on), sheet.readings)
        colour = np.log10(np.maximum(np.array(recipe.ink_linear), 1e-3) + 1e-3)
        assert np.allclose(-colour * np.log(10) / depth / np.array(BLUE), wanted, rtol=0.15)


@pytest.mark.proof
def test_a_lossy_file_leaves_a_coloured_ink_its_hue() -> None:
    """It keeps hue at half the size: single pixels of thin strokes are greyer than their ink."""
    clean = noisy(in_one_pen())
    jpeg = simplejpeg.encode_jpeg(clean, quality=70, colorspace="RGB", colorsubsampling="420")
    for scan in (clean, simplejpeg.decode_jpeg(jpeg)):
        ink = sheet_of(scan).readings.ink
        assert isinstance(ink, InkColour)
        red, _, blue = ink.reflectance
        assert abs(blue - red ** (BLUE[2] / BLUE[0])) < 0.05  # as its pigment lets through at that depth


@pytest.mark.proof
def test_between_lines_of_several_pens_is_no_light_speck() -> None:
    """Over black, nothing of a drawing in red and black is whitish, be its lines a few pixels apart."""
    reflectance = drawn([(hatching((380, 460), 0.5, 11.0), RED, 0.8), (hatching((400, 540), 1.2, 10.0), BLACK, 1.0)])
    planes, _, one_ink = cut_out(reflectance, "pen")
    assert not one_ink
    assert planes.rgb is not None
    whitish = planes.rgb.min(axis=2).astype(np.float32) * planes.alpha / 255
    assert not (whitish > 120).any()


@pytest.mark.parametrize("channels", [1, 3])
def test_tints_are_even_areas_and_neither_hatching_nor_grain(channels: int) -> None:
    """A small area of the same colour mixed with white, or of a deeper one, is a tint; lines and specks of paper as pale in the
    mean are not."""
    full = np.array([0.1, 0.18, 0.5], np.float32)[-channels:]
    ink = InkColour(tuple(full.tolist()), 0.0, 0.0)
    flat = np.zeros((900, 700), np.float32)
    cv2.rectangle(flat, (80, 80), (620, 820), 1.0, -1)
    hatched, grainy = flat.copy(), flat.copy()
    hatched[200:700:4, 150:550] = hatched[201:700:4, 150:550] = 0
    grainy[np.random.default_rng(2).random(flat.shape) < 0.4] = 0
    pale, deeper = flat.copy(), flat * 0.6
    for tint, depth in ((pale, 0.4), (deeper, 1.0)):
        cv2.circle(tint, (350, 450), 60, depth, -1, cv2.LINE_AA)
    deep = InkColour(tuple((1 - 0.6 * (1 - full)).tolist()), 0.0, 0.0)
    for cover, of, wanted in (
        (flat, ink, False), (hatched, ink, False), (grainy, ink, False), (pale, ink, True), (deeper, deep, True),
    ):  # fmt: skip
        art = 1 - cv2.GaussianBlur(cover, (0, 0), 0.7)[..., None] * (1 - full)
        inks = tell_inks(art, of, 0.02)
        assert not inks.several and inks.tints == wanted


def test_pale_pencils_of_two_colours_are_no_single_ink() -> None:
    """Brown and a greenish brown, hardly further apart in hue than noise at a pixel; brown alone is one ink."""
    rng = np.random.default_rng(6)
    brown, green = (np.array(colour, np.float32) for colour in ((0.8, 0.66, 0.58), (0.73, 0.7, 0.6)))
    cover = np.clip(0.75 + 0.3 * rng.standard_normal((600, 800, 1)), 0, 1).astype(np.float32)
    for right, several in ((green, True), (brown, False)):
        reduced = np.ones((600, 800, 3), np.float32)
        reduced[100:500, 60:400] += cover[100:500, 60:400] * (brown - 1)
        reduced[100:500, 400:740] += cover[100:500, 400:740] * (right - 1)
        noise = rng.normal(0, 0.01, reduced.shape).astype(np.float32)
        ink = InkColour((float(brown[0]) - 0.05, float(brown[1]) - 0.08, float(brown[2]) - 0.1), 0.0, 0.7)
        assert tell_inks(reduced + noise, ink, 0.02).several is several
