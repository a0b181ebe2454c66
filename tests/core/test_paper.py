"""Paper: the light field against truth, noise floors, the gate between marks and paper."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import SHADOW, pen_scan, pen_sheet, sheet_of, strokes
from woad.core.docket.marking import PaperSettings
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.estimate import NoEstimate
from woad.core.paper.evening import make_gain, sample_grid
from woad.core.paper.light_field import estimate_light
from woad.core.paper.marks import mark_gate, measure_floors
from woad.core.paper.refine import LightField
from woad.core.raster.codes import to_codes
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import srgb_encode
from woad.core.render.automatic import RegionCache
from woad.core.render.places import border_places
from woad.core.render.region import overlay_region, render_region
from woad.core.render.sheet import Sheet, resquare
from woad.core.render.trouble import paper_trouble
from woad.core.render.whole import render_whole
from woad.demo.scanner import Light, smooth_noise


@pytest.mark.parametrize(
    "light",
    [
        pytest.param(Light(0.05), id="flat"),
        pytest.param(Light(0.4, vignette=0.3), id="fall-off", marks=pytest.mark.proof),
        pytest.param(SHADOW, id="shadow"),
    ],
)
def test_light_is_found_on_paper_and_under_marks(light: Light) -> None:
    """The field lies within 1 % of the truth (median) and 3 % (95 %), marks or not."""
    scan, readings = pen_scan(light), pen_sheet(light).readings
    h, w = scan.coverage.shape
    found = sample_grid(readings.light, readings.cell_px, 0, 0, w, h, 0)
    error = np.abs(np.log(found / scan.field)).mean(axis=2)
    assert np.median(error) < 0.01
    assert np.percentile(error, 95) < 0.03


def test_a_drawing_that_covers_most_of_the_sheet_does_not_pull_the_light() -> None:
    """Two thirds black, with paper showing only between bars: the paper's own tone is still found."""
    rng = np.random.default_rng(0)
    sheet = np.full((600, 500, 1), 0.8, np.float32)
    for x in range(20, 480, 30):
        sheet[30:570, x : x + 20] = 0.03
    sheet += rng.normal(0, 0.004, sheet.shape).astype(np.float32)
    field = estimate_light(sheet)
    assert isinstance(field, LightField)
    assert np.abs(field.grid / 0.8 - 1).max() < 0.03


def test_soft_shading_is_not_uneven_light() -> None:
    """A large patch of pencil grain stays dark: its texture tells it from shadow."""
    rng = np.random.default_rng(1)
    sheet = np.full((700, 700), 0.75, np.float32)
    patch = cv2.GaussianBlur(np.pad(np.full((300, 300), 0.3, np.float32), 200), (0, 0), 25)
    grain = np.clip(0.5 + 0.5 * smooth_noise((700, 700), 3, rng), 0, 1)
    sheet *= (1 - patch * grain) * (1 + 0.006 * rng.standard_normal((700, 700), dtype=np.float32))
    field = estimate_light(sheet[..., None])
    assert isinstance(field, LightField)
    middle = field.grid[field.grid.shape[0] // 2, field.grid.shape[1] // 2, 0]
    assert abs(np.log(middle / 0.75)) < 0.04


def test_a_black_sheet_has_no_paper() -> None:
    """No answer, and the reason in words."""
    answer = estimate_light(np.full((200, 200, 3), 0.001, np.float32))
    assert isinstance(answer, NoEstimate)
    assert "dark" in answer.reason


def test_light_strokes_on_a_dark_ground_are_no_paper() -> None:
    """It says so; the same strokes in a light sheet's black field are paper, and so is a sheet that lies on a dark table."""
    drawn = np.where(strokes((600, 450), 16, np.random.default_rng(4)) > 0, 0.8, 0.04).astype(np.float32)
    answer = estimate_light(np.dstack([drawn] * 3))
    assert isinstance(answer, NoEstimate)
    assert "dark" in answer.reason
    for rim, within in ((0.8, drawn), (0.04, np.full((600, 450), 0.8, np.float32))):
        framed = np.pad(within, 150, constant_values=rim)
        assert isinstance(estimate_light(np.dstack([framed] * 3)), LightField)


def test_light_samples_are_the_same_in_any_tile() -> None:
    """A tile's samples equal the whole's, at its edges too."""
    grid = np.random.default_rng(2).random((9, 12, 3), dtype=np.float32)
    whole = sample_grid(grid, 64, 0, 0, 760, 570, 0)
    np.testing.assert_allclose(sample_grid(grid, 64, 131, 77, 200, 99, 0), whole[77:176, 131:331], atol=1e-6)
    np.testing.assert_allclose(sample_grid(grid, 64, 700, 500, 60, 70, 0), whole[500:, 700:], atol=1e-6)
    half = sample_grid(grid, 64, 0, 0, 380, 285, 1)
    assert np.abs(half - whole[:570, :760].reshape(285, 2, 380, 2, 3).mean(axis=(1, 3))).max() < 0.02


def test_evening_powers_the_field() -> None:
    """At 0 nothing is divided out; weights fold channels so that paper stays 1."""
    field = np.linspace(0.5, 0.9, 8, dtype=np.float32).reshape(2, 4, 1) * np.array([1, 0.9, 0.8], np.float32)
    assert np.allclose(make_gain(field, 0.0, None).grid, 1)
    assert np.allclose(make_gain(field, 1.0, None).grid * field, 1, atol=1e-5)
    for evening, paper in ((1.0, np.ones((2, 4))), (0.0, field @ np.array([0.3, 0.6, 0.1]))):
        gain = make_gain(field, evening, (0.3, 0.6, 0.1))
        assert gain.fold is not None
        assert np.allclose((field @ gain.fold[0]) * gain.grid[..., 0], paper, atol=1e-5)


def noisy_paper(seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    noise = 0.008 * smooth_noise((512, 512), 3, rng) + 0.004 * rng.standard_normal((512, 512), dtype=np.float32)
    return (1 + noise).astype(np.float32)


def test_bare_paper_is_cleared_and_a_faint_stroke_is_kept() -> None:
    """On noisy paper hardly a pixel passes; a stroke three times the noise passes along its length."""
    paper = noisy_paper(3)
    floors = measure_floors([to_codes(paper)])
    fresh = noisy_paper(4)
    assert (mark_gate(to_codes(fresh), floors) > 0).mean() < 2e-3
    cv2.line(fresh, (60, 80), (450, 400), 0.93, 3, cv2.LINE_AA)
    gate = mark_gate(to_codes(fresh), floors)
    along = [gate[round(80 + 320 * t), round(60 + 390 * t)] for t in np.linspace(0.03, 0.97, 200)]
    assert np.mean(np.array(along) > 127) > 0.97


def test_floors_are_read_from_the_lighter_side_only() -> None:
    """Marks on the sheet do not raise the floor under which marks are lost."""
    paper = noisy_paper(5)
    clean = measure_floors([to_codes(paper)])
    marked = paper.copy()
    marked[100:400, 100:400] *= 0.2
    dirty = measure_floors([to_codes(marked)])
    assert dirty[0] < 1.25 * clean[0]


def test_light_read_too_dark_is_no_noise() -> None:
    """Paper that comes out a tenth too light in one place says nothing of how it varies."""
    paper = np.random.default_rng(4).normal(1, 0.01, (400, 400)).astype(np.float32)
    known = measure_floors([to_codes(paper)])
    paper[100:220, 150:300] *= 1.1
    assert np.allclose(measure_floors([to_codes(paper)]), known, rtol=0.25)


def test_paper_is_white_after_the_step_on_a_photo_with_a_shadow() -> None:
    """The paper edition's bare paper reads 252 or more in every channel at its first percentile."""
    scan, sheet = pen_scan(SHADOW), pen_sheet(SHADOW)
    h, w = scan.coverage.shape
    picture = render_region(sheet, Docket(), "paper", 0, Region(0, 0, w, h))
    assert not isinstance(picture.rgb, tuple)
    clear = cv2.dilate((scan.coverage > 0.004).astype(np.uint8), np.ones((17, 17), np.uint8)) == 0
    assert np.percentile(picture.rgb[clear], 1) >= 252


@pytest.mark.proof
def test_the_border_stands_in_for_paper_that_shows_nowhere_else() -> None:
    """A painting that leaves a narrow rim bare, on grey toned paper: the rim's places make it white; a border that is
    painted over, or half of it, is refused or left out."""
    h, w = 700, 560
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    tone = np.array([0.5, 0.48, 0.45], np.float32) * (1 - 0.15 * x / w)[..., None]
    paint = 0.25 + 0.2 * np.sin(x / 60) * np.cos(y / 45)
    inside = ((x > 18) & (x < w - 18) & (y > 18) & (y < h - 18))[..., None]
    linear = np.where(inside, paint[..., None] * np.array([0.5, 0.7, 1.0], np.float32), tone)

    def sheet(light: np.ndarray) -> Sheet:
        shot = np.clip(light + rng.normal(0, 0.003, light.shape), 0, 1).astype(np.float32)
        return sheet_of(np.rint(srgb_encode(shot) * 255).astype(np.uint8))

    bare = sheet(linear)
    places = border_places(bare)
    assert len(places) >= 16
    docket = Docket(paper=PaperSettings(at=places, only=True))
    said = resquare(bare, docket)
    picture = np.asarray(render_region(said, docket, "paper", 0, Region(0, 0, w, h)).rgb)
    assert picture[4:12].min(axis=2).mean() > 250 and picture[:, -12:-4].min(axis=2).mean() > 250
    assert picture[60:-60, 60:-60].mean() < 200  # the paint is still paint
    stained = linear.copy()
    stained[:, :40] = 0.05  # one side is painted to the edge
    assert all(px > 0.1 for px, _ in border_places(sheet(stained)))
    motley = linear.copy()
    motley[:20], motley[-20:], motley[:, :20], motley[300:, -20:] = 0.02, 0.1, 0.3, 0.05
    assert border_places(sheet(motley)) == ()


def test_a_tiny_sheet_is_measured() -> None:
    """1 x 1 pixels, 3 x 200 pixels: readings, no crash."""
    for shape in ((1, 1, 3), (3, 200, 1), (20, 20, 3)):
        sheet = sheet_of(np.full(shape if shape[2] == 3 else shape[:2], 200, np.uint8))
        assert sheet.readings.light_doubt is not None


def on_toned_paper(
    white: float, glare: float = 0.0, lid: int = 0
) -> tuple[Sheet, NDArray[np.bool_], NDArray[np.bool_]]:
    """Ink on paper that is less than half as light as white, the same strokes in white ink beside it, glare, and a white lid
    beyond the sheet; with where it is surely inked, and surely white."""
    scan = pen_scan(Light(0.2, 30))
    ink = scan.coverage[..., None]
    light = np.roll(ink, 60, axis=1) * white
    linear = scan.field * (0.45 * (1 - 0.95 * ink) * (1 - light) + light / scan.field.max())
    h, w = scan.coverage.shape
    y, x = np.mgrid[0:h, 0:w]
    linear += glare * np.exp(-((x - w / 2) ** 2 + (y - h / 2) ** 2) / (0.12 * w) ** 2)[..., None]
    linear[:lid] = 0.95
    scanned = srgb_encode(np.clip(linear, 0, 1).astype(np.float32))
    return (
        sheet_of(np.rint(scanned * 255).astype(np.uint8)),
        (ink > 0.98)[..., 0] & (light < 0.01)[..., 0],
        light[..., 0] > 0.98,
    )


def test_white_ink_on_toned_paper_is_a_mark_and_stays_white() -> None:
    """It covers, in white, beside ink that is black; over white it does not show. With one ink it goes, and the sheet says so."""
    sheet, black, white = on_toned_paper(1.0)
    assert sheet.readings.light_marks is not None
    assert sheet.readings.light_marks.share == pytest.approx(float(white.mean()), rel=0.5)
    docket = starting_docket("pen").with_setting("square.on", False)
    assert paper_trouble(docket, sheet.readings) == ""
    planes = render_whole(sheet, docket)
    assert planes.alpha is not None
    assert planes.rgb is not None
    assert planes.alpha[white].mean() > 240
    assert planes.rgb[white].min(axis=1).mean() > 250
    assert planes.alpha[black].mean() > 245
    assert planes.rgb[black].max(axis=1).mean() < 12
    bare = cv2.dilate((black | white).astype(np.uint8), np.ones((41, 41), np.uint8)) == 0
    assert planes.alpha[bare].mean() < 0.3
    whole = Region(0, 0, *sheet.pyramid.size(0))
    assert overlay_region(sheet, docket, "kept", 0, whole, RegionCache())[white].mean() < 5  # no paper left over
    one = docket.with_setting("knockout.colour", "one ink")
    assert "lighter than its paper" in paper_trouble(one, sheet.readings)
    alone = render_whole(sheet, one).alpha
    assert alone is not None
    assert np.median(alone[white]) == 0


@pytest.mark.parametrize(
    ("glare", "lid"), [pytest.param(0.4, 0, id="glare"), pytest.param(0.0, 40, id="white lid", marks=pytest.mark.proof)]
)
def test_glare_and_a_white_lid_are_no_light_marks(glare: float, lid: int) -> None:
    assert on_toned_paper(0.0, glare, lid)[0].readings.light_marks is None


def test_dense_hatching_all_over_does_not_become_paper() -> None:
    """Nearly half ink everywhere, paper only in gaps of a few pixels: the gaps are the paper, also in falling light."""
    y, x = np.mgrid[0:900, 0:700]
    hatch = cv2.GaussianBlur(((x + y) % 12 < 5).astype(np.float32), (0, 0), 0.6)
    light = (0.85 - 0.25 * x / 700).astype(np.float32)
    noise = 1 + 0.006 * np.random.default_rng(6).standard_normal((900, 700), dtype=np.float32)
    field = estimate_light((light * (1 - 0.96 * hatch) * noise)[..., None])
    assert isinstance(field, LightField)
    wanted = cv2.resize(light, (field.grid.shape[1], field.grid.shape[0]), interpolation=cv2.INTER_AREA)
    error = np.abs(np.log(field.grid[..., 0] / wanted))
    assert np.median(error) < 0.05
    assert np.percentile(error, 95) < 0.15
