"""Knock-out by hand, enclosed paper, tones, fringe; edges moved and evened; the darkening edition."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image

from sheets import FLAT, colour_sheet, noisy, sheet_of
from woad.core.docket.knocking import TonePick
from woad.core.docket.model import Docket
from woad.core.docket.touches import Touch
from woad.core.edge.shape import Moves, lost_parts, reshape, signed_distance
from woad.core.editions.clean import write_sheet
from woad.core.editions.edition import Destination, parse_editions
from woad.core.knockout.enclosed import ENCLOSED, OUTSIDE, find_enclosed
from woad.core.knockout.fringe import fringe_pixels
from woad.core.raster.tiles import Region
from woad.core.render.check import check_sheet
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet
from woad.core.render.whole import Planes, render_whole

H, W = 420, 560


@cache
def rings() -> Sheet:
    """An ink ring, a second one with a gap of about 6 px, and a grey patch, on white paper at 300 ppi."""
    cover = np.zeros((H, W), np.float32)
    cv2.circle(cover, (130, 130), 70, 1.0, 5, cv2.LINE_AA)
    cv2.ellipse(cover, (330, 130), (70, 70), 0, 9, 360, 1.0, 5, cv2.LINE_AA)
    cv2.rectangle(cover, (120, 270), (300, 370), 0.45, -1)
    cv2.rectangle(cover, (420, 270), (520, 370), 0.45, -1)
    return sheet_of(noisy(np.repeat((1 - cover * 0.96)[..., None], 3, axis=2)))


def cut(**settings: object) -> Planes:
    docket = FLAT
    for name, value in settings.items():
        docket = docket.with_setting(name.replace("__", "."), value)
    return render_whole(rings(), docket)


def alpha_at(planes: Planes, x: int, y: int) -> int:
    assert planes.alpha is not None
    return int(planes.alpha[y, x])


def test_enclosed_paper_goes_or_stays_as_asked() -> None:
    """See-through whites take the ring's inside too; without them it is opaque white, and the gap is closed by its width."""
    assert alpha_at(cut(), 130, 130) == 0
    kept = cut(knockout__see_through=False, knockout__gap_mm=0.9)
    assert kept.rgb is not None
    assert alpha_at(kept, 130, 130) == 255 and kept.rgb[130, 130].min() > 250
    assert alpha_at(kept, 330, 130) == 255  # a gap of 6 px is 0.5 mm
    assert alpha_at(kept, 30, 30) == 0 and alpha_at(kept, 230, 130) == 0
    leaking = cut(knockout__see_through=False, knockout__gap_mm=0)
    assert alpha_at(leaking, 330, 130) == 0 and alpha_at(leaking, 130, 130) == 255
    # No white reaches over the ring: outside of its middle nothing is lighter than ink.
    assert kept.alpha is not None
    ring = np.hypot(*(np.mgrid[0:H, 0:W] - 130.0))
    rim = (ring > 73) & (ring < 78)
    assert (kept.rgb[rim].max(axis=1) * (kept.alpha[rim] / 255.0)).mean() < 12


def test_small_leaks_are_told_on_the_reduced_sheet() -> None:
    """Cells outside, enclosed, and neither."""
    coverage = np.zeros((60, 60), np.uint8)
    cv2.rectangle(coverage, (10, 10), (40, 40), 255, 2)
    cells = find_enclosed(coverage, 0)
    assert cells[25, 25] == ENCLOSED and cells[50, 50] == OUTSIDE and cells[10, 25] == 0
    coverage[25, 9:12] = 0
    assert find_enclosed(coverage, 0)[25, 25] == OUTSIDE and find_enclosed(coverage, 2)[25, 25] == ENCLOSED


def stroke(kind: str, x: int, y: int, radius: int = 14, **more: object) -> Touch:
    return Touch(kind=kind, points=((x / W, y / H),), radius=radius / W, strength=1, **more)  # type: ignore[arg-type]


def test_keep_remove_and_remove_paper_by_brush() -> None:
    """Kept paper is opaque white, removed ink is gone, and the paper brush leaves ink alone."""
    touches = (
        stroke("keep", 30, 380, hard=1),
        stroke("remove", 200, 130, hard=1),
        stroke("remove-paper", 130, 60, 24, hard=1),
    )
    planes = cut(knockout__touches=touches)
    plain = cut()
    assert planes.rgb is not None
    assert alpha_at(planes, 30, 380) == 255 and planes.rgb[380, 30].min() > 245
    assert alpha_at(plain, 200, 130) == 255 and alpha_at(planes, 200, 130) == 0
    assert alpha_at(planes, 130, 60) > 240
    outside = cut(knockout__touches=(stroke("remove", 5000, 5000),))
    np.testing.assert_array_equal(outside.alpha, plain.alpha)


def test_tones_go_everywhere_or_where_they_hang_together() -> None:
    """A picked grey takes both patches, or only the one it was picked on; ink stays."""
    plain = cut(ink__halftones="seen")
    assert plain.alpha is not None and plain.tone is not None
    shown = 255 - int(plain.alpha[320, 200])
    tone = {"at": (200 / W, 320 / H), "colour": (shown,) * 3, "reach": 60}
    both = cut(ink__halftones="seen", knockout__tones=[tone])
    one = cut(ink__halftones="seen", knockout__tones=[{**tone, "together": True}])
    assert alpha_at(both, 200, 320) == 0 and alpha_at(both, 470, 320) == 0 and alpha_at(both, 130, 60) > 235
    assert alpha_at(one, 200, 320) == 0 and alpha_at(one, 470, 320) == alpha_at(plain, 470, 320) > 40


def test_a_removed_tone_leaves_no_outline() -> None:
    """Edge pixels, mixed with paper, go with the paint whose tone was picked; the other paint is as it was."""
    docket = Docket(medium="gouache").with_setting("square.on", False)
    plain = render_whole(colour_sheet(), docket)
    assert plain.alpha is not None and plain.rgb is not None
    colour = tuple(int(v) for v in plain.rgb[150, 340])
    pick = {"at": (340 / 520, 150 / 400), "colour": colour, "reach": 24}
    gone = render_whole(colour_sheet(), docket.with_setting("knockout.tones", [pick]))
    assert gone.alpha is not None
    assert plain.alpha[110:311, 290:471].max() == 255 and gone.alpha[110:311, 290:471].max() < 12
    np.testing.assert_array_equal(gone.alpha[:, :250], plain.alpha[:, :250])


def test_only_the_circled_subject_is_kept() -> None:
    """Inside as it was, outside nothing."""
    outline = ((40 / W, 40 / H), (220 / W, 40 / H), (220 / W, 220 / H), (40 / W, 220 / H))
    planes = cut(knockout__subject=outline)
    assert alpha_at(planes, 130, 60) > 240
    assert planes.alpha is not None and not planes.alpha[:, 240:].any() and not planes.alpha[240:].any()


@pytest.mark.parametrize("name", ["hand", "edge"])
def test_what_is_written_is_what_was_seen(name: str) -> None:
    """By-hand work and edges: a tile of the view equals the same place of the whole run."""
    docket = {
        "hand": FLAT.with_setting("knockout.see_through", False).with_setting("knockout.touches", (stroke("keep", 60, 330, 30),)),
        "edge": FLAT.with_setting("edge.move", -1.2).with_setting("edge.smooth", 3.0),
    }[name].with_setting("spotting.on", False)  # fmt: skip
    planes = render_whole(rings(), docket)
    box = Region(100, 60, 220, 260)
    seen = render_region(rings(), docket, "edge", 0, box)
    assert planes.alpha is not None and seen.alpha is not None
    np.testing.assert_array_equal(planes.alpha[60:320, 100:320], seen.alpha)


# -- edges -----------------------------------------------------------------------------------------------------------


def drawn(polygons: list[NDArray[np.float64]], size: int = 240) -> NDArray[np.uint8]:
    big = np.zeros((size * 8, size * 8), np.uint8)
    for polygon in polygons:
        cv2.fillPoly(big, [np.rint(polygon * 8 * 16).astype(np.int32)], 255, cv2.LINE_8, 4)
    return np.asarray(cv2.resize(big, (size, size), interpolation=cv2.INTER_AREA))


def bar(x: float, y: float, length: float, width: float, turn: float) -> NDArray[np.float64]:
    a = np.deg2rad(turn)
    u, v = np.array([np.cos(a), np.sin(a)]) * length / 2, np.array([-np.sin(a), np.cos(a)]) * width / 2
    return np.array([x, y]) + np.array([-u - v, u - v, u + v, -u + v])


@pytest.mark.parametrize("move", [-2.0, -0.5, 0.75, 2.0])
def test_broad_shapes_move_by_what_is_asked(move: float) -> None:
    """The side of a square and of a turned one move to a sixteenth of a pixel."""
    for turn in (0, 23):
        alpha = drawn([bar(120.3, 119.6, 120, 120, turn)])
        moved = reshape(alpha, Moves(move, True, 0, 0))
        width = np.sqrt(moved.sum() / 255) - np.sqrt(alpha.sum() / 255)
        assert width == pytest.approx(2 * move, abs=0.12)


@pytest.mark.parametrize("width", [1.0, 1.5, 2.0])
def test_hairlines_survive_a_choke(width: float) -> None:
    """By a pixel, beside a broad shape and hanging on one: none loses 5 % of its length; asked to, they vanish."""
    alpha = drawn([bar(120, 60, 150, width, 17), bar(60, 160, 70, 70, 0), bar(140, 160, 110, width, 0)])
    line = drawn([bar(120, 60, 150, width, 17)]) > 90
    tail = drawn([bar(150, 160, 88, width, 0)]) > 90
    choked = reshape(alpha, Moves(-1, True, 0, 0))
    for where in (line, tail):
        assert (choked[where] > 64).mean() >= 0.95
    assert not lost_parts(alpha, choked, 1).any()
    bold = reshape(alpha, Moves(-1.5, False, 0, 0))
    assert (bold[line] > 64).mean() < 0.3 and lost_parts(alpha, bold, 1.5).any()


def test_bumps_are_evened_and_corners_stay() -> None:
    """Deviation from the true line is halved; a corner of 90 degrees is rounded by less than a pixel."""
    x = np.arange(0, 1920) / 8
    bumps = cv2.GaussianBlur(np.random.default_rng(1).normal(size=(1, 1920)).astype(np.float32), (0, 0), 12)[0]
    line = np.column_stack([x, 120 + 0.7 * bumps / bumps.std()])
    alpha = drawn([np.vstack([line, [[240, 240], [0, 240]]])])

    def rough(a: NDArray[np.uint8]) -> float:
        return float((a[60:180, 25:-25].astype(float).sum(axis=0) / 255).std())

    assert rough(reshape(alpha, Moves(0, True, 7, 0))) <= 0.5 * rough(alpha)
    for turn in (0, 20, 45):
        square = drawn([bar(120, 120, 110, 110, turn)])
        evened = reshape(square, Moves(0, True, 7, 0))
        tip = bar(120, 120, 110, 110, turn)[2]
        along = (tip - 120) / np.hypot(*(tip - 120))
        at = tip - 0.5 + np.arange(-8, 3, 0.05)[:, None] * along
        lines = [
            cv2.remap(a.astype(np.float32), *(at[:, i].astype(np.float32)[None] for i in (0, 1)), cv2.INTER_LINEAR)
            for a in (square, evened)
        ]
        assert (lines[0] - lines[1]).sum() * 0.05 / 255 < 1.0  # how far the tip was drawn back, px


@pytest.mark.parametrize(
    "moves", [Moves(1.0, True, 0, 0), Moves(-1.0, True, 0, 0), Moves(0, True, 2, 0), Moves(0, True, 0, 0.8)]
)
def test_a_line_over_a_wash_stays_and_the_washs_own_edge_moves(moves: Moves) -> None:
    """Inside the wash nothing changes, beside the line least of all; its border moves as a black mark's does."""
    wash = np.zeros((90, 220), np.float32)
    wash[20:70, 25:195] = 0.3
    cv2.line(wash, (5, 44), (215, 44), 1.0, 4, cv2.LINE_AA)
    before = np.rint(cv2.GaussianBlur(wash, (0, 0), 0.7) * 255).astype(np.uint8)
    after = reshape(before, moves)
    inside = (slice(28, 62), slice(35, 185))
    assert np.abs(after[inside].astype(int) - before[inside]).max() <= 1
    high = [
        p[:35, 60:160].sum(dtype=np.float64) / 100 / 76.5 for p in (before, after)
    ]  # px of the wash over its middle
    assert abs(high[1] - high[0] - moves.move) < 0.3


def test_lines_side_by_side_are_evened_each_by_itself() -> None:
    """Lines of 3 px, 6 px apart, smoothed by 3 px: all stay, and nothing fills the gaps."""
    lines = np.zeros((80, 160), np.float32)
    for y in range(10, 70, 9):
        lines[y : y + 3, 20:140] = 1
    before = np.rint(cv2.GaussianBlur(lines, (0, 0), 0.6) * 255).astype(np.uint8)
    after = reshape(before, Moves(0, True, 3.0, 0))
    middles, gaps = after[11:68:9, 35:125], after[15:64:9, 35:125]
    assert middles.min() > 200 and gaps.max() < 30


def test_crispness_and_distance() -> None:
    """Crisper edges are steeper but never stairs; distances are true to a tenth of a pixel."""
    soft = cv2.GaussianBlur(drawn([bar(120, 120, 100, 100, 12)]), (0, 0), 1.6)
    steep = [
        float(np.abs(np.diff(reshape(soft, Moves(0, True, 0, c)).astype(float), axis=1)).max()) for c in (-1, 0.3, 1)
    ]
    assert steep[0] < steep[1] <= steep[2] <= 255
    partial = reshape(soft, Moves(0, True, 0, 1))
    assert ((partial > 20) & (partial < 235)).sum() > 100
    far = signed_distance(drawn([bar(120, 120, 100, 100, 0)]).astype(np.float32) / 255)
    assert far[120, 80] == pytest.approx(10.5, abs=0.15) and far[120, 60] == pytest.approx(-9.5, abs=0.15)


def test_edge_readings_count_what_is_lost() -> None:
    """The checks say how far edges moved and how many parts went."""
    docket = FLAT.with_setting("edge.move", -1.0)
    checks = check_sheet(rings(), docket)
    assert -1.1 < checks.edges.move_px < -0.3 and checks.edges.lost == 0
    bold = docket.with_setting("edge.move", -6.0).with_setting("edge.thin", False)
    assert check_sheet(rings(), bold).edges.lost > 0


# -- fringe and editions ---------------------------------------------------------------------------------------------


def test_fringe_is_seen_where_it_is_and_not_made() -> None:
    """A light rim is counted; Woad's own cut-out of paint over paper has hardly any."""
    rgb = np.zeros((60, 60, 3), np.uint8)
    alpha = np.zeros((60, 60), np.uint8)
    cv2.circle(alpha, (30, 30), 18, 255, -1, cv2.LINE_AA)
    rgb[:] = (150, 30, 20)
    clean, edge = fringe_pixels(rgb, alpha)
    assert edge > 20 and not clean.any()
    rgb[(alpha > 0) & (alpha < 200)] = (235, 220, 215)
    assert fringe_pixels(rgb, alpha)[0].any()
    assert check_sheet(colour_sheet(), Docket(medium="gouache")).edges.fringe < 0.1


def test_the_darkening_edition_only_darkens(tmp_path: Path) -> None:
    """White where there is nothing, opaque, and multiplied over a ground it is the cut-out laid on it, for black ink."""
    docket = FLAT.with_setting("spotting.on", False)
    written = write_sheet(rings(), docket, parse_editions("darken,cutout"), Destination(tmp_path, "rings")).written
    dark, over = (np.asarray(Image.open(one.path)) for one in written)
    assert dark.shape[2] == 3 and dark[20, 20].min() == 255
    ground = np.array([200.0, 120.0, 60.0])
    multiplied = dark / 255.0 * ground
    a = over[..., 3:] / 255.0
    laid = over[..., :3] * a + ground * (1 - a)
    assert np.abs(multiplied - laid).max() < 2
    assert TonePick(at=(0.5, 0.5), colour=(1, 2, 3)).reach == 24
