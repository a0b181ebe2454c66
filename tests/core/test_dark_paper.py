"""Light marks on dark paper: the paper goes, and the marks stay in their own colour, on the screen and in the file."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from captures import drawn_sheet, image_file, shot
from command import woad
from sheets import noisy, pixels, sheet_of
from woad.core.docket.knocking import TonePick
from woad.core.docket.model import Docket
from woad.core.raster.pyramid import Negative, build_pyramid
from woad.core.raster.tiles import Region
from woad.core.render.automatic import RegionCache
from woad.core.render.negative import for_work, looks_dark
from woad.core.render.places import read_place_at, shown_colour
from woad.core.render.region import read_spot, render_region
from woad.core.render.sheet import Sheet, resquare
from woad.core.render.whole import render_whole
from woad.demo.scanner import Light

Plane = NDArray[np.float32]
GOLD, WHITE = (0.55, 0.36, 0.1), (0.8, 0.8, 0.78)
FLAT = Docket().with_setting("square.on", False)


@cache
def lettered(
    ink: tuple[float, ...] = WHITE, paper: tuple[float, ...] = (0.035, 0.034, 0.037)
) -> tuple[NDArray[np.uint8], Plane]:
    """A scan of strokes in a light ink on dark paper, and their coverage."""
    cover = np.zeros((1280, 1600), np.uint8)
    for i in range(9):
        x = 160 + 150 * i
        curve = np.array([[x, 200], [x + 90, 420 + 30 * i], [x - 40, 760], [x + 60, 1060]], np.int32)
        cv2.polylines(cover, [curve], False, 255, 6 + 3 * i, cv2.LINE_AA)
    share = cv2.resize(cover, (800, 640), interpolation=cv2.INTER_AREA).astype(np.float32)[..., None] / 255
    linear = np.array(paper, np.float32) * (1 - share) + np.array(ink, np.float32) * share
    return noisy(linear), share[..., 0]


@cache
def sheet(ink: tuple[float, ...] = WHITE) -> Sheet:
    return sheet_of(lettered(ink)[0])


@pytest.mark.parametrize("ink", [WHITE, GOLD], ids=["white", "gold"])
def test_light_ink_is_cut_out_of_dark_paper(ink: tuple[float, ...]) -> None:
    """Clear paper is clear, full ink opaque and of its own hue; the sheet with paper is black."""
    cover = lettered(ink)[1]
    planes = render_whole(sheet(ink), FLAT)
    assert planes.alpha is not None and planes.paper_rgb is not None and planes.light
    far = cv2.dilate((cover > 0.01).astype(np.uint8), np.ones((13, 13), np.uint8)) == 0
    deep = cv2.erode((cover > 0.99).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    assert planes.alpha[far].mean() < 0.1 and np.percentile(planes.alpha[far], 99.9) <= 4
    assert planes.alpha[deep].min() >= 250
    assert abs(float(planes.alpha.astype(np.float32).sum()) / 255 / float(cover.sum()) - 1) < 0.05
    r, g, b = planes.ink_rgb
    if ink is WHITE:
        assert min(r, g, b) > 250
    else:
        assert r > g + 15 and g > b + 40
    assert np.percentile(planes.paper_rgb[far], 99.9) <= 2
    assert planes.paper_rgb[deep].max(axis=1).min() >= r - 3


def test_steps_show_the_sheet_as_it_is_seen() -> None:
    """Before Paper it is the scan; from Paper on its paper is black; readings are those of the scan's own paper."""
    one = sheet()
    scan = lettered()[0]
    box = Region(60, 90, 200, 160)
    for step in ("scan", "before"):
        np.testing.assert_array_equal(render_region(one, FLAT, step, 0, box).rgb, scan[90:250, 60:260])
    dark = (20, 20)
    for step in ("paper", "ink", "spotting"):
        shown = np.asarray(render_region(one, FLAT, step, 0, Region(0, 0, 800, 640)).rgb)
        assert shown[dark].max() <= 8
    assert max(one.readings.seen_paper_rgb) < 70
    assert one.readings.seen_paper_lightness < 25
    assert max(read_spot(one, FLAT, "knockout", 0, *dark, RegionCache()).rgb) == 0


def test_what_is_seen_is_what_is_written() -> None:
    """Any part of the view has the pixels of the finished sheet, also with a hand's work on it."""
    one = sheet()
    docket = FLAT.with_setting("edge.move", 0.4).with_setting("knockout.see_through", False)
    planes = render_whole(one, docket)
    part = render_region(one, docket, "edge", 0, Region(150, 100, 220, 260))
    assert part.alpha is not None and planes.alpha is not None
    assert np.abs(part.alpha.astype(int) - planes.alpha[100:360, 150:370]).max() <= 48
    half = render_region(one, FLAT, "knockout", 1, Region(0, 0, 400, 320))
    assert half.rgb == render_region(one, FLAT, "knockout", 0, Region(0, 0, 9, 9)).rgb


def test_colours_are_picked_as_they_are_seen() -> None:
    """Gold that is picked reads as gold, and goes as a tone of it; black, which is not there, takes nothing."""
    one = sheet(GOLD)
    y, x = (int(v) for v in np.argwhere(cv2.erode((lettered(GOLD)[1] > 0.99).astype(np.uint8), np.ones((9, 9))) > 0)[0])
    place = (x / 800, y / 640)
    seen, reading = shown_colour(one, FLAT, place), read_place_at(one, *place)
    assert seen is not None and reading is not None
    for colour in (seen, reading.colour):
        assert colour[0] > colour[2] + 60
    whole = render_whole(one, FLAT).alpha
    assert whole is not None
    for colour, left in ((seen, 0.1), ((0, 0, 0), 1.0)):
        tones = (TonePick(at=place, colour=colour, reach=40),)
        alpha = render_whole(one, FLAT.with_setting("knockout.tones", tones)).alpha
        assert alpha is not None
        assert float(alpha.astype(np.float32).sum()) / float(whole.astype(np.float32).sum()) == pytest.approx(
            left, abs=0.12
        )


def test_it_can_be_said_either_way_and_back() -> None:
    """Said to be light, the sheet is what it was; said to be dark, any sheet is worked on as a negative."""
    one = sheet()
    light = resquare(one, FLAT.with_setting("paper.ground", "light"))
    assert not light.readings.negative and not light.pyramid.negative
    assert resquare(light, FLAT).readings.negative
    assert for_work(build_pyramid(shot(drawn_sheet(400, 480))), "dark").negative


@pytest.mark.parametrize("kind", ["pen", "sheet on a dark table", "night", "black"])
def test_what_is_no_dark_paper(kind: str) -> None:
    """Ink on light paper, a light sheet on a dark table, a painted night with a moon and a lit shore, a sheet that is black."""
    linear = np.full((480, 640, 3), 0.03, np.float32)
    if kind == "pen":
        linear = drawn_sheet(480, 600)
    elif kind == "sheet on a dark table":
        linear[90:300, 120:330] = 0.8
    elif kind == "night":
        cv2.circle(linear, (450, 120), 45, (0.7, 0.7, 0.6), -1, cv2.LINE_AA)
        linear[400:] = (0.3, 0.25, 0.15)
    assert not looks_dark(build_pyramid(noisy(np.asarray(linear, np.float32))))


def test_a_negative_of_any_depth_is_read_as_it_is_held() -> None:
    deep = np.random.default_rng(1).integers(0, 65536, (150, 120, 3), np.uint16)
    own = build_pyramid(deep)
    turned = Negative(own)
    assert turned.negative and not Negative(turned).negative
    np.testing.assert_array_equal(turned.read(0, Region(3, 4, 20, 30)), 65535 - deep[4:34, 3:23])
    assert turned.size(1) == own.size(1)


def test_the_command_writes_light_marks_and_says_why_they_darken_nothing(tmp_path: Path) -> None:
    """A photo in uneven light: both editions are written, the report tells of dark paper; a darkening version is refused."""
    linear = np.where(lettered()[1][..., None] > 0.5, np.float32(0.75), np.float32(0.04)) * np.ones(3, np.float32)
    scan = tmp_path / "chalk.png"
    scan.write_bytes(image_file(shot(np.asarray(linear, np.float32), Light(0.3, 40, 0.15))))
    done = woad("clean", scan, "--out", tmp_path / "out", "--json", "--keep-frame")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["readings"]["paper"]["dark"] is True
    cut = pixels(tmp_path / "out" / "chalk-cutout.png")
    assert cut[..., 3][lettered()[1] == 0].mean() < 1
    assert cut[..., :3][cut[..., 3] == 255].min() > 245
    assert pixels(tmp_path / "out" / "chalk-paper.png")[5:60, 5:60].max() <= 3
    told = json.loads(woad("report", "--json", scan).stdout)
    assert {fault["code"] for fault in told["faults"]} <= {"low_ppi"}  # light marks are no uneven light
    refused = woad("clean", scan, "--out", tmp_path / "dark", "--keep-frame", "--editions", "darken")
    assert refused.returncode == 1
    assert "lighter than their paper" in refused.stderr
