"""Paintings on toned paper: their border is paper though white paint is lighter, and white paint is paint."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from sheets import png_bytes
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.formats.read import take_in
from woad.core.knockout.coverage import with_light
from woad.core.paper.lighter import find_light_marks
from woad.core.paper.toned import without_light_marks
from woad.core.paper.white import read_white
from woad.core.raster.colour import lab
from woad.core.raster.compositing import over
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.recipe import make_recipe
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.render.whole import render_whole

GREY, YELLOW = (0.58, 0.58, 0.57), (0.74, 0.61, 0.38)
WHITE, BLUE, RED = (0.86, 0.84, 0.8), (0.04, 0.12, 0.4), (0.5, 0.06, 0.05)
H, W = 760, 600
DOCKET = starting_docket("gouache").with_setting("square.on", False).with_setting("scan.ppi", 300)
Shapes = list[tuple[tuple[float, float, float], np.ndarray]]


def painted(
    paper: tuple[float, float, float],
    shapes: Shapes,
    uneven: float = 0.0,
    lamp: tuple[float, float, float] = (1, 1, 1),
    docket: Docket | None = DOCKET,
) -> Sheet:
    """Paints over each other, the last one on top and as ``uneven`` as asked for, in light of a ``lamp`` that falls off to
    one side."""
    rng = np.random.default_rng(7)
    linear = np.ones((H, W, 1), np.float32) * np.array(paper, np.float32)
    streaks = cv2.GaussianBlur(rng.standard_normal((H, W)).astype(np.float32), (0, 0), 4)[..., None]
    for i, (colour, where) in enumerate(shapes):
        own = np.array(colour) * (1 + (uneven if i == len(shapes) - 1 else 0) * streaks / streaks.std())
        linear += where[..., None] * (own - linear)
    linear = cv2.GaussianBlur(linear, (0, 0), 0.7) * np.linspace(1.0, 0.78, W)[:, None] * np.array(lamp)
    encoded = srgb_encode(linear) + rng.normal(0, 0.006, linear.shape)
    scan = np.clip(encoded * 255, 0, 255).astype(np.uint8)
    return make_sheet(take_in("toned.png", png_bytes(scan)), build_pyramid(scan), docket)


def box(left: int, top: int, right: int, bottom: int) -> np.ndarray:
    out = np.zeros((H, W), np.float32)
    out[top:bottom, left:right] = 1
    return out


@pytest.mark.proof
@pytest.mark.parametrize("paper", [pytest.param(GREY, id="grey"), pytest.param(YELLOW, id="yellow")])
def test_a_paintings_border_is_paper_beside_its_whites(paper: tuple[float, float, float]) -> None:
    """White paint with other paint all around is no hole, nor what the rest is measured by."""
    shapes = [(BLUE, box(40, 45, 560, 715)), (RED, box(100, 420, 260, 600)), (WHITE, box(300, 150, 470, 320))]
    planes = render_whole(painted(paper, shapes), DOCKET)
    assert planes.alpha is not None
    assert planes.rgb is not None
    border = box(0, 0, W, H) - box(32, 37, 568, 723) > 0
    assert planes.alpha[border].mean() < 0.3
    assert planes.alpha[55:705, 50:550].min() > 250
    assert planes.rgb[160:310, 310:460].min(axis=2).mean() > 250
    assert np.ptp(planes.rgb[650:700, 60:540, 2].mean(axis=0)) < 12  # blue is as light at both sides


@pytest.mark.proof
def test_uneven_white_paint_is_one_light_mark() -> None:
    shapes = [(BLUE, box(80, 400, 330, 600)), ((0.78, 0.77, 0.75), box(250, 150, 470, 400))]
    sheet = painted(GREY, shapes, 0.07)
    assert sheet.readings.light_marks is not None
    planes = render_whole(sheet, DOCKET)
    assert planes.alpha is not None
    assert planes.alpha[160:390, 260:460].mean() > 235
    assert planes.alpha[640:, :].mean() < 0.3


KRAFT, PINK = (0.5, 0.38, 0.24), (0.78, 0.55, 0.48)
COLOURS = {
    "pink": (PINK, box(270, 240, 480, 480)),
    "blue": (BLUE, box(90, 420, 330, 640)),
    "red": (RED, box(380, 520, 540, 700)),
    "white": (WHITE, box(60, 60, 300, 330)),
}
INSIDE = {"white": (80, 80), "pink": (350, 300), "blue": (110, 520), "red": (420, 560)}


def off_truth(picture: np.ndarray, name: str) -> float:
    """CIE L*a*b* distance of a patch of a paint to the paint in plain light, white being white."""
    x, y = INSIDE[name]
    seen = srgb_decode(picture[y : y + 60, x : x + 60].reshape(-1, 3).astype(np.float32) / 255).mean(axis=0)
    true = np.array(COLOURS[name][0]) / np.array(WHITE)
    return float(np.linalg.norm(lab(seen[None]) - lab(true[None])))


@pytest.mark.proof
def test_on_toned_paper_the_lightest_paint_is_white() -> None:
    """On brown paper in a lamp's light no colour takes the paper's or the lamp's hue off, paint keeps its streaks up to
    white, and paper beside it is gone."""
    sheet = painted(KRAFT, list(COLOURS.values()), 0.05, (1.0, 0.93, 0.8))
    planes = render_whole(sheet, DOCKET)
    assert planes.alpha is not None
    assert planes.rgb is not None
    assert planes.paper_rgb is not None
    for picture in (planes.rgb, planes.paper_rgb):
        assert max(off_truth(picture, name) for name in COLOURS) < 3
    assert all(planes.alpha[y : y + 60, x : x + 60].min() > 250 for x, y in INSIDE.values())
    paper = cv2.dilate(np.maximum.reduce([where for _, where in COLOURS.values()]), np.ones((13, 13))) == 0
    assert planes.alpha[paper].mean() < 0.1
    assert np.percentile(planes.paper_rgb[paper], 1) >= 253
    part = Region(224, 192, 160, 128)  # where white, pink and paper meet
    view = render_region(sheet, DOCKET, "knockout", 0, part)
    at = slice(part.y, part.bottom), slice(part.x, part.right)
    assert view.alpha is not None
    assert np.array_equal(view.alpha, planes.alpha[at])
    assert np.array_equal(view.rgb, planes.rgb[at])
    shown = np.asarray(render_region(sheet, DOCKET, "ink", 0, part).rgb)
    assert np.array_equal(shown, planes.paper_rgb[at])
    by_paper = render_whole(sheet, DOCKET.with_setting("ink.white", "paper"))
    assert by_paper.rgb is not None
    assert off_truth(by_paper.rgb, "pink") > 15  # as it was: all but white


def test_outlined_paint_is_paint() -> None:
    """White and pink all within a pen's outlines touch no bare paper: they are told as paint, stay whole, and keep their hues;
    what is outlined and left bare goes."""
    left, right, bare = (90, 120, 290, 380), (330, 340, 510, 560), (350, 90, 500, 220)
    black = (0.02, 0.02, 0.02)
    ring = [(black, box(x - 5, y - 5, u + 5, v + 5) - box(x, y, u, v)) for x, y, u, v in (left, right, bare)]
    strokes = [(black, box(140, 60, 145, 640)), (black, box(60, 450, 540, 455))]
    shapes: Shapes = [(WHITE, box(*left)), (PINK, box(*right)), *ring, *strokes]
    sheet = painted(KRAFT, shapes, docket=None)
    assert sheet.readings.medium == "gouache"
    planes = render_whole(sheet, DOCKET)
    assert planes.alpha is not None
    assert planes.rgb is not None
    for colour, (x, y, u, v) in ((WHITE, left), (PINK, right)):
        assert planes.alpha[y:v, x:u].min() > 240
        seen = planes.rgb[y + 60 : y + 90, x + 90 : x + 120].reshape(-1, 3).astype(np.float32) / 255
        true = np.array(colour) / np.array(WHITE)
        assert np.linalg.norm(lab(srgb_decode(seen).mean(axis=0)[None]) - lab(true[None])) < 3
    x, y, u, v = bare
    assert planes.alpha[y + 8 : v - 8, x + 8 : u - 8].mean() < 0.3


def test_paper_between_paint_and_a_line_beside_it_is_open() -> None:
    """A pen's line that misses its paint by 7 px takes none of the paper between them along."""
    line = ((0.02, 0.02, 0.02), box(307, 60, 312, 330))
    planes = render_whole(painted(KRAFT, [COLOURS["white"], line]), DOCKET)
    assert planes.alpha is not None
    assert planes.alpha[80:310, 302:305].mean() < 40
    assert planes.alpha[80:310, 308:311].min() > 200
    assert planes.alpha[80:310, 80:297].min() > 250


def test_white_is_found_beside_paint_that_is_hardly_lighter_than_paper() -> None:
    """Such paint frays where it hovers at what counts as light, and the white beside it does not go with it, though lighter
    paint is found elsewhere."""
    noise = cv2.GaussianBlur(np.random.default_rng(3).standard_normal((H, W)).astype(np.float32), (0, 0), 2)
    grey = 1 + 0.12 * box(200, 100, 500, 600) + 0.2 * noise * box(200, 100, 500, 600)
    for tone, where in ((1.8, box(260, 250, 400, 400)), (1.4, box(60, 620, 160, 720))):
        grey = np.where(where > 0, tone, grey)
    marks = find_light_marks(grey[..., None].astype(np.float32))
    assert marks is not None
    assert marks.where[260:390, 270:390, 0].min() == 255
    assert marks.where[:90, :, 0].max() == 0


@pytest.mark.proof
def test_white_on_solid_black_and_paint_nearly_of_the_papers_colour_are_kept() -> None:
    """Whites that touch nothing but black, and a paint as light as the paper, but a tenth bluer; colours go by the few whites."""
    strokes = np.maximum.reduce([box(x, 150, x + 7, 260) for x in range(120, 260, 30)])
    blueish = (0.555, 0.58, 0.63)
    shapes = [((0.02, 0.02, 0.02), box(80, 100, 300, 320)), (WHITE, strokes), (blueish, box(380, 420, 520, 560))]
    sheet = painted(GREY, shapes)
    planes = render_whole(sheet, DOCKET)
    assert planes.alpha is not None
    assert planes.rgb is not None
    inner = cv2.erode(strokes, np.ones((3, 3), np.uint8)) > 0
    assert planes.alpha[inner].min() > 240
    assert planes.rgb[inner].min(axis=1).mean() > 245
    assert planes.alpha[428:552, 388:512].min() > 240
    seen = planes.rgb[440:540, 400:500].reshape(-1, 3).astype(np.float32) / 255
    true = np.array(blueish) / np.array(WHITE)
    assert np.linalg.norm(lab(srgb_decode(seen).mean(axis=0)[None]) - lab(true[None])) < 3
    drawn = cv2.dilate(np.maximum.reduce([where for _, where in shapes]), np.ones((13, 13), np.uint8))
    assert planes.alpha[drawn == 0].mean() < 0.1


def test_a_few_white_strokes_tell_what_is_white_beside_much_pale_paint() -> None:
    reflectance = np.ones((400, 400, 3), np.float32)
    reflectance[50:250, 50:350] = 1.2, 1.3, 1.4
    reflectance[300:330, 60:75] = 1.8, 1.81, 1.79
    near = np.where(reflectance[..., 0] > 1.1, 255, 0).astype(np.uint8)
    assert read_white(reflectance, (0.4, 0.4, 0.4), near).lightness == pytest.approx(1.8, abs=0.01)


def test_no_paper_shows_where_white_meets_black() -> None:
    """A blurred edge between them has the paper's tone on its way; a gap that is wider is paper."""
    dark, light = np.zeros((9, 60), np.uint8), np.zeros((9, 60), np.uint8)
    dark[:, :20], dark[:, 20] = 255, 90
    light[:, 23:40], light[:, 22] = 255, 60
    dark[:, 48:] = 255
    together = with_light(dark, light, 3.0)
    assert together[:, :40].min() == 255
    assert together[:, 40:48].max() == 0


@pytest.mark.proof
def test_on_white_paper_the_paper_is_white() -> None:
    """A white highlight that is a little lighter than white paper, and a glare, take no lightness off the colours."""
    shapes: Shapes = [
        (BLUE, box(90, 420, 330, 640)),
        (RED, box(380, 520, 540, 700)),
        ((0.95,) * 3, box(150, 470, 220, 560)),
    ]
    glare = cv2.GaussianBlur(box(380, 100, 480, 200), (0, 0), 40) * 0.5
    sheet = painted((0.84, 0.83, 0.8), [*shapes, ((0.98,) * 3, np.asarray(glare))])
    planes = render_whole(sheet, DOCKET)
    assert make_recipe(DOCKET, sheet.readings).paper_tone is None
    assert planes.rgb is not None
    seen = planes.rgb[590:630, 110:170].reshape(-1, 3).mean(axis=0) / 255
    true = srgb_encode(np.array([BLUE], np.float32) / np.array((0.84, 0.83, 0.8), np.float32))[0]
    assert np.abs(seen - true).max() < 0.03


def test_white_that_touches_no_paper_does_not_raise_the_light() -> None:
    """White all within deep paint, on paper in falling light, is filled with the paper around; glare within a ring is not."""
    y, x = np.mgrid[:360, :280].astype(np.float32)
    paper = np.log(0.3 * (1.1 - 0.3 * y / 360))[..., None] + np.zeros(3, np.float32)
    away = np.hypot(x - 120, y - 200)[..., None]
    painted = np.where(away < 60, paper - 1, paper)
    white = np.where(away < 30, paper + 1, painted)
    assert (
        np.abs(without_light_marks(white, white.mean(axis=2))[away[..., 0] < 25] - paper[away[..., 0] < 25]).max()
        < 0.05
    )
    glare = paper + 0.6 * np.exp(-((away / 40) ** 2))
    glare[np.abs(away[..., 0] - 90) < 3] -= 1
    assert without_light_marks(glare, glare.mean(axis=2)) is glare


@pytest.mark.parametrize(
    "paper",
    [pytest.param((0.8, 0.74, 0.6), id="cream"), pytest.param((0.6, 0.7, 0.8), id="blue", marks=pytest.mark.proof)],
)
def test_white_on_paper_of_a_pale_colour_is_paint(paper: tuple[float, float, float]) -> None:
    """In grey it is hardly lighter than such paper: white is kept, in thin lines as well, and paper beside it is gone."""
    thin = np.zeros((H, W), np.uint8)
    cv2.polylines(thin, [np.array([[60, 60], [200, 90], [330, 60], [420, 110]])], False, 255, 4, cv2.LINE_AA)
    shapes = [(WHITE, box(70, 150, 330, 420)), (RED, box(150, 250, 260, 330)), (WHITE, thin / np.float32(255))]
    shapes += [((0.03, 0.03, 0.03), box(left, 480, left + 6, 700)) for left in range(80, 520, 60)]
    planes = render_whole(painted(paper, shapes), DOCKET)
    assert planes.alpha is not None
    assert planes.rgb is not None
    bare = np.min([1 - cv2.dilate(where, np.ones((9, 9))) for _, where in shapes], axis=0) > 0
    assert planes.alpha[160:410, 80:140].min() > 250
    assert planes.rgb[160:410, 80:140].reshape(-1, 3).mean(axis=0).min() > 240
    assert planes.alpha[thin == 255].mean() > 240
    assert planes.alpha[bare].mean() < 0.1


def test_pale_pencil_on_cream_paper_is_no_light_mark() -> None:
    """What lets paper shine through is lighter than it in no channel."""
    y, x = np.mgrid[:H, :W].astype(np.float32)
    paper = np.array((0.8, 0.74, 0.6), np.float32)
    drawn = np.where((np.sin(x / 9) * np.cos(y / 13) > 0.8)[..., None], paper * (0.7, 0.85, 0.98), paper)
    assert find_light_marks(np.asarray(drawn / paper, np.float32), paper.tolist()) is None


@pytest.mark.parametrize("paper", [(0.42, 0.3, 0.19), (0.12, 0.2, 0.4)])
def test_a_white_line_on_dark_paper_ends_in_its_own_light(paper: tuple[float, float, float]) -> None:
    """White is many times as light as such paper: an edge is not white as soon as it is somewhat lighter than it."""
    lines = np.zeros((H, W), np.uint8)
    for start in range(40, 560, 26):
        cv2.line(lines, (start, 60), (start + 20, 700), 255, 4, cv2.LINE_AA)
    sheet = painted(paper, [(WHITE, lines / np.float32(255))])
    planes = render_whole(sheet, DOCKET)
    assert planes.rgb is not None
    cover = cv2.GaussianBlur(lines / np.float32(255), (0, 0), 0.7)
    # The scan mixes light, the cut-out what is written of it.
    mixed, bare, full = (
        srgb_encode(cover * WHITE[1] + (1 - cover) * paper[1]),
        *srgb_encode(np.array([paper[1], WHITE[1]], np.float32)),
    )
    truth = 255 * (mixed - bare) / (full - bare)
    edge = (cover > 0.02) & (cover < 0.9)
    off = over(planes.rgb, planes.alpha, (0, 0, 0)).astype(np.float32).mean(axis=2) - truth
    assert np.abs(off[edge]).mean() < 28
    assert abs(off[edge].mean()) < 14
