"""Light told from paint: washes keep their density, shadows go, mottled and foxed paper is taken for paper."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import sheet_of, strokes
from woad.core.docket.media import starting_docket
from woad.core.estimate import NoEstimate
from woad.core.paper.areas import find_areas
from woad.core.paper.bare_margin import find_bare_margin
from woad.core.paper.cells import cut
from woad.core.paper.light_field import estimate_light
from woad.core.paper.refine import LightField
from woad.core.raster.transfer import srgb_encode
from woad.core.render.whole import render_whole
from woad.demo.scanner import Light, light_field, smooth_noise

H, W = 700, 560


def washed(
    light: Light, wash: tuple[float, float, float], seed: int = 4, warm: float = 1.0
) -> tuple[NDArray, NDArray, NDArray]:
    """Linear picture, true field and where a smooth wash with a crisp edge covers a third of the sheet."""
    rng = np.random.default_rng(seed)
    cover = np.zeros((H, W), np.float32)
    cv2.ellipse(cover, (W // 2, H // 2), (190, 230), 20, 0, 360, 1.0, -1, cv2.LINE_AA)
    field = light_field((H, W), light) * np.array([0.85, 0.84, 0.8 * warm], np.float32)
    grain = 1 + 0.006 * smooth_noise((H, W), 1.5, rng)
    picture = field * grain[..., None] * (1 - cover[..., None] * (1 - np.array(wash, np.float32)))
    picture = cv2.GaussianBlur(picture, (0, 0), 0.7) + rng.normal(0, 0.003, (H, W, 3))
    return np.asarray(picture, np.float32), field, cover > 0.5


@pytest.mark.parametrize(
    "wash",
    [(0.93, 0.88, 0.8), (0.75, 0.75, 0.75), (0.9, 0.9, 0.9), (0.956, 0.968, 0.944)],
    ids=["hued", "grey", "pale grey", "hardly any"],
)
@pytest.mark.parametrize(
    "light",
    [
        pytest.param(Light(0.03), id="flat", marks=pytest.mark.proof),
        pytest.param(Light(0.3, 40, 0.2), id="falls off"),
        pytest.param(Light(0.05, buckle=0.06), id="buckled", marks=pytest.mark.proof),
    ],
)
def test_a_smooth_wash_is_not_light(wash: tuple[float, float, float], light: Light) -> None:
    """The light found under a wash is the paper's: the wash keeps at least 95 % of its density, in any light."""
    picture, field, inside = washed(light, wash)
    found = estimate_light(picture)
    assert isinstance(found, LightField)
    grid = cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR)
    core = cv2.erode(inside.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    density = -np.log(picture / grid).mean(axis=2)[core].mean()
    assert density >= 0.95 * -np.log(np.array(wash)).mean()
    off = np.abs(np.log(grid / field)).mean(axis=2)
    assert np.median(off[~inside]) < 0.01
    assert np.percentile(off[~inside], 95) < 0.03
    assert np.percentile(off[core], 95) < 0.015


@pytest.mark.parametrize("wash", [(1.0, 0.93, 0.86), (0.93, 0.96, 1.0)], ids=["peach", "pale blue"])
@pytest.mark.parametrize(
    "light",
    [pytest.param(Light(0.03), id="flat", marks=pytest.mark.proof), pytest.param(Light(0.3, 40, 0.2), id="falls off")],
)
def test_a_coloured_wash_that_runs_out_to_nothing_is_not_light(wash: tuple[float, float, float], light: Light) -> None:
    """Wet in wet, without any edge: its hue sets it apart from the paper, whose own changes far more slowly. Most of its
    density stays (of what is followed as light, nothing would)."""
    bare, field, _ = washed(light, (1, 1, 1))
    y, x = np.mgrid[0:H, 0:W]
    depth = np.zeros((H, W))
    for cx, cy, reach in ((170, 240, 40), (360, 420, 60), (340, 160, 30)):
        depth = np.maximum(depth, np.exp(-0.5 * ((x - cx) ** 2 + (y - cy) ** 2) / reach**2))
    found = estimate_light(np.asarray(bare * np.array(wash) ** depth[..., None], np.float32))
    assert isinstance(found, LightField)
    off = np.log(cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR) / field)
    strongest = int(np.argmin(wash))
    assert 1 - off[depth > 0.6][:, strongest].mean() / (np.log(wash[strongest]) * 0.8) >= 0.6
    assert np.percentile(np.abs(off).mean(axis=2)[depth < 0.05], 95) < 0.03


def test_a_soft_shadow_is_light_though_a_frame_cuts_it_off() -> None:
    """A shadow's part inside a drawn frame has no way to the rim, and is still evened."""
    light = Light(0.1, shadow=0.45, shadow_at=0.4, shadow_deg=215, penumbra=0.15)
    picture, field, _ = washed(light, (1, 1, 1))
    cv2.rectangle(picture, (60, 60), (W - 60, H - 60), (0.03, 0.03, 0.03), 2)
    found = estimate_light(picture)
    assert isinstance(found, LightField)
    off = np.abs(np.log(cv2.resize(found.grid, (W, H)) / field)).mean(axis=2)
    assert np.percentile(off, 95) < 0.03


@pytest.mark.proof
@pytest.mark.parametrize("seed", [1, 3])
def test_a_soft_shadow_is_followed_through_a_sheet_full_of_strokes(seed: int) -> None:
    """Strokes cut the shadow into patches with no way to the light; broad ones and blacks stand between them."""
    light = Light(0.15, vignette=0.15, shadow=0.45, shadow_at=0.7, penumbra=0.16)
    picture, field, _ = washed(light, (1, 1, 1), seed)
    rng = np.random.default_rng(seed)
    ink = strokes((H, W), 110, rng)
    for _ in range(8):
        x, y = rng.uniform(0, W), rng.uniform(0, H)
        cv2.rectangle(ink, (int(x), int(y)), (int(x + 40), int(y + 30)), 255, -1)
    found = estimate_light(np.asarray(picture * (1 - 0.94 * ink[..., None] / np.float32(255)), np.float32))
    assert isinstance(found, LightField)
    off = np.abs(np.log(cv2.resize(found.grid, (W, H)) / field)).mean(axis=2)
    assert np.percentile(off[ink == 0], 95) < 0.03


def test_a_grey_wash_with_lines_over_it_is_no_shadow() -> None:
    """Lines cut it into patches as they cut a shadow; but its rim is a step."""
    picture, field, inside = washed(Light(0.2, vignette=0.1), (0.8, 0.8, 0.8))
    for i in range(60, 700, 70):
        cv2.line(picture, (0, i), (W, i - 60), (0.05, 0.05, 0.05), 3, cv2.LINE_AA)
        cv2.line(picture, (i, 0), (i - 60, H), (0.05, 0.05, 0.05), 3, cv2.LINE_AA)
    found = estimate_light(picture)
    assert isinstance(found, LightField)
    ratio = np.log(cv2.resize(found.grid, (W, H)) / field).mean(axis=2)
    assert abs(np.median(ratio[inside])) < 0.05 * -np.log(0.8)


@pytest.mark.parametrize("wash", [0.0, 0.05], ids=["bare", "washed"])
@pytest.mark.parametrize(
    "light",
    [
        pytest.param(Light(0.3, 40, 0.2), id="falls off", marks=pytest.mark.proof),
        pytest.param(Light(0.05, buckle=0.09), id="buckled"),
    ],
)
def test_what_an_outline_encloses_is_told_at_its_line(light: Light, wash: float) -> None:
    """In a dip of buckled paper bare paper inside of a drawn shape is darker than all around, as a pale wash would be; but
    only a wash has a step at the line."""
    picture, field, _ = washed(light, (1, 1, 1))
    size = (60, 80) if wash else (40, 30)
    grey = field.mean(axis=2)
    dip = cv2.GaussianBlur(grey / cv2.GaussianBlur(grey, (0, 0), 80), (0, 0), 8)[100:-100, 100:-100]
    y, x = np.unravel_index(int(np.argmin(dip)), dip.shape)
    inside, line = np.zeros((2, H, W), np.float32)
    for plane, thick in ((inside, -1), (line, 4)):
        cv2.ellipse(plane, (int(x) + 100, int(y) + 100), size, 20, 0, 360, 1.0, thick, cv2.LINE_AA)
    found = estimate_light(picture * (1 - wash * inside - 0.95 * line * (1 - wash))[..., None])
    assert isinstance(found, LightField)
    off = np.log(cv2.resize(found.grid, (W, H)) / field).mean(axis=2)
    core = (inside > 0.5) & (cv2.dilate(line, np.ones((9, 9))) == 0)
    if wash:
        assert np.median(off[core]) > -0.1 * wash  # it is not taken for light
    else:
        assert np.percentile(np.abs(off[core]), 95) < 0.006


def test_a_cast_that_drifts_over_the_sheet_is_not_paint() -> None:
    """Warm on one side, cool on the other: every channel follows."""
    picture, field, _ = washed(Light(0.05, warmth=0.2), (1, 1, 1))
    found = estimate_light(picture)
    assert isinstance(found, LightField)
    off = np.abs(np.log(cv2.resize(found.grid, (W, H)) / field))
    assert np.percentile(off, 95) < 0.02


def test_areas_that_leave_much_of_the_sheet_lighter_than_paper_are_not_believed() -> None:
    """The largest even area lies in the shade, the lit part is rough: the story told from the even one is dropped."""
    rng = np.random.default_rng(3)
    logs = np.full((H, W, 3), np.log(0.4), np.float32) + rng.normal(0, 0.002, (H, W, 3)).astype(np.float32)
    logs[:200] = np.log(0.7) + 0.12 * smooth_noise((200, W), 5, rng)[..., None]
    shade = np.full((H, W), np.log(0.4), np.float32)
    assert find_areas(cut(logs), shade, 0.004, lambda: shade) is None
    assert find_areas(cut(logs[200:]), shade[200:], 0.004, lambda: shade[200:]) is not None


@pytest.mark.parametrize("medium", ["tracing", "print"])
def test_blotched_paper_goes_and_ink_stays(medium: str) -> None:
    """Mottling, foxing, faint print from the other side and a crease leave nothing; a stroke keeps all of its coverage."""
    rng = np.random.default_rng(8)
    mottle = 1 + 0.045 * smooth_noise((H, W), 14, rng)
    stain = np.zeros((H, W), np.float32)
    for x, y in rng.uniform(40, 500, (12, 2)):
        cv2.circle(stain, (int(x), int(y)), int(rng.uniform(3, 14)), 0.12, -1)
    mottle = mottle * (1 - cv2.GaussianBlur(stain, (0, 0), 3))
    fold = np.zeros((H, W), np.float32)
    cv2.line(fold, (90, 0), (300, H), 0.3, 2, cv2.LINE_AA)
    mottle = mottle * (1 - cv2.GaussianBlur(fold, (0, 0), 2))
    cover = np.zeros((H, W), np.float32)
    for y in range(80, 640, 90):
        cv2.line(cover, (60, y), (500, y + 20), 1.0, 7, cv2.LINE_AA)
    linear = 0.6 * mottle * (1 - 0.88 * cover)
    eight = np.clip(srgb_encode(np.repeat(linear[..., None], 3, 2)) * 255 + rng.normal(0, 1, (H, W, 3)), 0, 255)
    planes = render_whole(sheet_of(eight.astype(np.uint8)), starting_docket(medium))  # type: ignore[arg-type]
    assert planes.alpha is not None
    clear = cv2.dilate((cover > 0).astype(np.uint8), np.ones((17, 17), np.uint8)) == 0
    assert planes.alpha[clear].mean() < 0.1
    assert np.percentile(planes.alpha[clear], 99.9) <= 8
    assert planes.alpha[cover == 1].mean() > 250


@pytest.mark.parametrize("seed", [4, pytest.param(6, marks=pytest.mark.proof)])
def test_mottled_paper_is_paper_on_both_sides_of_a_line(seed: int) -> None:
    """What lies inside a frame is as light as what lies outside, on the whole, though not beside the line: blotches are no
    step. The light goes on through both."""
    rng = np.random.default_rng(seed)
    mottle = 1 + 0.055 * smooth_noise((H, W), 9, rng)
    picture, field, _ = washed(Light(0.05), (1, 1, 1), seed)
    picture = np.asarray(picture * mottle[..., None], np.float32)
    for x, y, w, h in rng.integers((20, 20, 60, 60), (W // 2, H // 2, 260, 330), (5, 4)).tolist():
        cv2.rectangle(picture, (x, y), (x + w, y + h), (0.1, 0.1, 0.1), 3, cv2.LINE_AA)
    found = estimate_light(picture)
    assert isinstance(found, LightField)
    off = np.log(cv2.resize(found.grid, (W, H)) / field) - np.log(mottle)[..., None]
    off = np.abs(cv2.GaussianBlur(off, (0, 0), 16)).mean(axis=2)
    assert np.median(off) < 0.01
    assert np.percentile(off, 95) < 0.03


@pytest.mark.parametrize("trimmed", [0, 22])
def test_a_wash_that_leaves_only_a_margin_in_a_lamps_light_is_no_paper(trimmed: int) -> None:
    """A map: a mottled sea and a pale land within a frame; a lamp at one side makes the margin as dark as the middle. Be it
    as narrow as two blocks."""
    h, w = 886, 650
    rng = np.random.default_rng(0)
    y, x = np.mgrid[:h, :w].astype(np.float32)
    away = np.hypot((x / w - 0.64) * w / h, y / h - 0.27)
    lamp = (1 / (1 + away * away))[..., None] * np.array([0.9, 0.71, 0.43], np.float32)
    sea, land, ink = np.zeros((h, w), np.float32), np.zeros((h, w), np.float32), np.zeros((h, w), np.float32)
    cv2.rectangle(sea, (52, 70), (w - 52, h - 70), 1.0, -1)
    cv2.rectangle(ink, (52, 70), (w - 52, h - 70), 1.0, 5)
    for plane, thick in ((land, -1), (ink, 3)):
        cv2.ellipse(plane, (w // 2, h // 2), (190, 250), 20, 0, 360, 1.0, thick)
    depth = (sea - land) * 0.5 * (1 + 0.15 * smooth_noise((h, w), 60, rng))
    art = np.exp(np.log(np.array([0.5, 0.75, 0.85], np.float32)) * depth[..., None])
    art *= np.exp(np.log(np.array([0.8, 0.85, 0.5], np.float32)) * (0.35 * land)[..., None]) * (
        1 - 0.97 * ink[..., None]
    )
    seen = art * lamp * (1 + 0.008 * smooth_noise((h, w), 1.5, rng))[..., None] + rng.normal(0, 0.003, art.shape)
    h, w = h - 2 * trimmed, w - 2 * trimmed
    seen, lamp, sea = (plane[trimmed : trimmed + h, trimmed : trimmed + w] for plane in (seen, lamp, sea))
    field = estimate_light(np.maximum(seen, 1e-3).astype(np.float32))
    assert isinstance(field, LightField)
    off = np.abs(np.log(cv2.resize(field.grid, (w, h)) / lamp)).mean(axis=2)
    assert np.percentile(off[sea == 0], 95) < 0.03
    assert np.median(off[sea > 0]) < 0.08
    margin = find_bare_margin(cut(np.log(np.maximum(seen, 1e-3)).astype(np.float32)))
    assert margin is not None
    large = cv2.resize(margin.astype(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST) > 0
    assert not large[sea > 0].any() and large[sea == 0].mean() > (0.5 if trimmed else 0.7)


def test_a_cream_sheet_on_a_white_table_is_no_wash_that_leaves_a_margin() -> None:
    """It is darker than what lies around it in every channel, too, and buckled; but of one hue throughout."""
    h, w = 886, 650
    rng = np.random.default_rng(1)
    sheet, ink = np.zeros((h, w), np.float32), np.zeros((h, w), np.float32)
    cv2.rectangle(sheet, (60, 80), (w - 60, h - 80), 1.0, -1)
    for radius in (60, 110, 170):
        cv2.ellipse(ink, (w // 2, h // 2), (radius, radius + 40), 20, 0, 360, 1.0, 4)
    art = np.exp(sheet[..., None] * np.log(np.array([0.95, 0.91, 0.8], np.float32))) * (1 - 0.95 * ink[..., None])
    waves = 1 + 0.04 * sheet * smooth_noise((h, w), 40, rng)
    seen = art * (waves * (1 + 0.008 * smooth_noise((h, w), 1.5, rng)))[..., None]
    seen += rng.normal(0, 0.003, art.shape)
    assert find_bare_margin(cut(np.log(np.maximum(seen, 1e-3)).astype(np.float32))) is None


@pytest.mark.parametrize("turns", range(4))
def test_paint_of_many_colours_that_covers_nearly_all_is_not_taken_for_paper(turns: int) -> None:
    """Hardly any paper shows between opaque patches: light of the colours of some of them is not read, however it lies."""
    rng = np.random.default_rng(10)
    picture = np.full((1000, 750, 3), (0.78, 0.67, 0.5), np.float32)
    paints = (
        (0.22, 0.36, 0.45),
        (0.6, 0.3, 0.2),
        (0.3, 0.5, 0.3),
        (0.75, 0.55, 0.25),
        (0.2, 0.18, 0.2),
        (0.65, 0.58, 0.46),
    )
    a = np.linspace(0, 2 * np.pi, 60)
    for i in range(26):
        middle = np.array([rng.uniform(0, 750), rng.uniform(0, 1000)])
        r = rng.uniform(120, 230) * (
            1 + 0.15 * np.sin(2 * a + rng.uniform(0, 6)) + 0.1 * np.sin(3 * a + rng.uniform(0, 6))
        )
        patch = np.rint(middle + r[:, None] * np.column_stack([np.cos(a), np.sin(a)])).astype(np.int32)
        cv2.fillPoly(picture, [patch], paints[i % len(paints)])
    picture *= (1 + rng.normal(0, 0.01, picture.shape)).astype(np.float32)
    field = estimate_light(np.ascontiguousarray(np.rot90(picture, turns)))
    assert isinstance(field, NoEstimate) or field.hue_range() < 0.2
