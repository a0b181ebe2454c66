"""Masking tape is known by its colour, its straight sides and its company, and the sheet has its own paper in its place."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from captures import drawn_sheet, image_file, shot
from woad.core.docket.model import Docket
from woad.core.estimate import NoEstimate
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region
from woad.core.render.sheet import make_sheet, resquare
from woad.core.render.squaring import find_square
from woad.core.square.corners import SheetCorners, find_corners
from woad.core.square.frame import plain_frame
from woad.core.square.resample import Squared
from woad.core.square.tape import find_tape, holds_down
from woad.demo.scanner import Light, smooth_noise

W, H = 480, 640
TAN = (0.78, 0.62, 0.38)
LEANING = (((20, 10), 50), ((450, 20), -35), ((20, 625), -48))  # three strips across corners: middle, degrees


def strips(*places: tuple[tuple[int, int], float], size: tuple[int, int] = (160, 60)) -> NDArray[np.float32]:
    """Coverage (H, W) of strips with their middles at places, turned by degrees."""
    mask = np.zeros((H, W), np.uint8)
    for at, deg in places:
        cv2.fillPoly(mask, [np.rint(cv2.boxPoints((at, size, -deg)) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    return np.asarray(cv2.GaussianBlur(mask, (0, 0), 0.7) / np.float32(255), np.float32)


def taped(cover: NDArray[np.float32], colour: tuple[float, float, float] = TAN) -> NDArray[np.float32]:
    """A drawn sheet (H, W, 3), linear, under tape."""
    sheet = drawn_sheet(W, H)
    crepe = np.random.default_rng(4).normal(1, 0.02, (H, W, 1)).astype(np.float32)
    return np.asarray(sheet + (np.array(colour, np.float32) * crepe - sheet) * cover[..., None], np.float32)


def covered(outlines: tuple[NDArray[np.float64], ...]) -> NDArray[np.bool_]:
    mask = np.zeros((H, W), np.uint8)
    for one in outlines:
        cv2.fillConvexPoly(mask, np.rint(one - 0.5).astype(np.int32), 1)
    return mask > 0


@pytest.mark.parametrize("light", [Light(0.04), Light(0.35, 60, 0.2)])
def test_strips_across_corners_and_from_a_side_are_found_with_their_rims(light: Light) -> None:
    """All of the tape is covered, next to nothing beside it, and filled in the scan has the paper's tone."""
    cover = strips(*LEANING, ((300, 0), 88))
    scan = shot(taped(cover), light)
    found = find_tape(scan, None)
    assert len(found) == 4
    there = covered(found)
    assert there[cover > 0.02].mean() > 0.995
    assert there[cv2.dilate(cover, np.ones((15, 15))) < 0.01].sum() == 0
    bare = shot(taped(np.zeros_like(cover)), light)
    blanks = tuple(tuple((float(x), float(y)) for x, y in one) for one in found)
    squared = Squared(build_pyramid(scan), replace(plain_frame(W, H), blanks=blanks))
    off = np.abs(squared.whole(0).astype(float) - bare)[cover > 0.5]
    assert np.median(off) < 6


@pytest.mark.parametrize(
    "places", [LEANING[:1], (), (((240, 200), 0), ((240, 400), 5))], ids=["one", "none", "inside the sheet"]
)
def test_what_is_alone_or_lies_inside_the_sheet_is_no_tape(places: tuple[tuple[tuple[int, int], float], ...]) -> None:
    """A single tan corner may be painted, and so may tan bars within the drawing."""
    assert find_tape(shot(taped(strips(*places)), Light(0.04)), None) == ()


def test_painted_shapes_at_the_border_stay() -> None:
    """Tan clouds at three corners have no straight sides; blue strips have not the colour; tan strips with as much of their
    own paint elsewhere belong to a painting."""
    clouds = np.zeros((H, W), np.uint8)
    for x, y in ((20, 15), (455, 25), (15, 620)):
        angle = np.linspace(0, 2 * np.pi, 60, endpoint=False)
        r = 70 * (1 + 0.12 * np.sin(5 * angle))
        cv2.fillPoly(clouds, [np.rint(np.column_stack([x + r * np.cos(angle), y + r * np.sin(angle)])).astype(int)], 1)
    assert find_tape(shot(taped(clouds.astype(np.float32)), Light(0.04)), None) == ()
    assert find_tape(shot(taped(strips(*LEANING), (0.3, 0.45, 0.7)), Light(0.04)), None) == ()
    both = np.maximum(strips(*LEANING), strips(((240, 320), 10), size=(300, 90)))
    assert find_tape(shot(taped(both), Light(0.04)), None) == ()


def test_tape_at_three_corners_is_found_beside_a_wash_of_its_colour() -> None:
    """Such a wash pools, as no tape does."""
    scan = taped(strips(*LEANING))
    depth = np.clip(0.55 + 0.5 * smooth_noise((H, W), 30, np.random.default_rng(3)), 0.1, 1.6)[180:460, 120:380, None]
    scan[180:460, 120:380] *= np.exp(depth * np.log(np.array(TAN, np.float32) / 0.8))
    found = find_tape(shot(scan, Light(0.04)), None)
    assert len(found) == 3
    assert not covered(found)[180:460, 120:380].any()


def on_board(board: float, cover: NDArray[np.float32]) -> NDArray[np.uint8]:
    """The sheet on a darker board that shows all round, and tape over both."""
    sheet = np.empty((H, W, 3), np.float32)
    sheet[:] = np.array([board, board * 0.97, board * 0.9], np.float32)
    sheet[60:-60, 50:-50] = cv2.resize(drawn_sheet(W, H), (W - 100, H - 120), interpolation=cv2.INTER_AREA)
    return shot(np.asarray(sheet + (np.array(TAN, np.float32) - sheet) * cover[..., None], np.float32), Light(0.1))


def test_tape_over_the_corners_tells_where_they_are() -> None:
    """On a board, strips that hide a good part of the sides make sure of corners that are not sure alone; over the corners of a
    frame that is drawn on the sheet they do not make that frame the sheet."""
    across = strips(((50, 60), 45), ((430, 60), -45), ((430, 580), 45), ((50, 580), -45), size=(300, 110))
    scan = on_board(0.3, across)
    alone, known = find_corners(scan), find_square(build_pyramid(scan))
    assert isinstance(alone, SheetCorners)
    assert isinstance(known.corners, SheetCorners)
    assert alone.sure < 0.5 <= known.corners.sure
    assert np.abs(known.corners.points - [[50, 60], [430, 60], [430, 580], [50, 580]]).max() < 1
    assert len(known.tape) == 4
    frame = np.array([[41, 43], [439, 43], [439, 597], [41, 597]], np.float64)
    plain = shot(taped(across), Light(0.1))
    assert len(find_tape(plain, frame)) == 4
    assert not holds_down(plain, frame, find_tape(plain, frame))


@pytest.mark.proof
def test_the_squared_sheet_has_paper_in_the_place_of_tape() -> None:
    """No pixel of the tape is left in the sheet that the next steps see, unless it is to be kept; the artwork that may be
    trimmed to does not reach out to it."""
    cover = strips(*LEANING)
    scan = build_pyramid(shot(taped(cover), Light(0.04)))
    docket = Docket().with_setting("square.straighten", 0)
    sheet = make_sheet(take_in("sheet.png", image_file(scan.levels[0])), scan, docket)
    tan = sheet.pyramid.whole(0)[cover > 0.3].astype(int)
    assert (tan[:, 0] - tan[:, 2] < 30).all()
    assert np.array_equal(sheet.pyramid.whole(0)[250:400], scan.levels[0][250:400])
    kept = resquare(sheet, docket.with_setting("square.tape", False))
    assert np.array_equal(kept.pyramid.whole(0), scan.levels[0])
    assert not isinstance(sheet.found.artwork, NoEstimate)
    assert sheet.found.artwork.min() > 30


@pytest.mark.parametrize("level", [0, 2])
def test_a_scan_filled_where_it_lies_is_as_one_filled_on_its_way_through_a_frame(level: int) -> None:
    """A frame that only fills reads the scan's own pixels: the same as a frame that is resampled by nothing at all, and every
    tile as the whole."""
    scan = build_pyramid(shot(taped(strips(*LEANING)), Light(0.2, 30)))
    blanks = (((-5.0, -5.0), (90.0, -5.0), (-5.0, 95.0)), ((300.0, 640.0), (480.0, 560.0), (490.0, 650.0)))
    plain = replace(plain_frame(W, H), blanks=blanks)
    filled = Squared(scan, plain)
    resampled = Squared(scan, replace(plain, height=H - 1))
    whole, rows = filled.whole(level), resampled.size(level)[1]
    assert not np.array_equal(whole, scan.levels[level])
    assert np.abs(whole[:rows].astype(int) - resampled.whole(level)).max() <= 1
    box = Region(40, 8, 60, 50)
    assert np.array_equal(filled.read(level, box), whole[8:58, 40:100])


def test_what_a_sheet_is_filled_with_is_its_papers_mean() -> None:
    """In even light the tone under a blank is bare paper's to within two codes: neither its grain's crests nor marks count."""
    light = Light(0.04)
    bare = shot(np.broadcast_to(np.array([0.86, 0.84, 0.78], np.float32), (H, W, 3)).copy(), light)
    scan = build_pyramid(shot(taped(strips(*LEANING)), light))
    blanks = tuple(tuple((float(x), float(y)) for x, y in one) for one in find_tape(scan.levels[0], None))
    filled = Squared(scan, replace(plain_frame(W, H), blanks=blanks)).whole(0)
    under = covered(tuple(np.array(one) for one in blanks))
    off = cv2.blur(filled.astype(np.float32) - bare, (9, 9))[under]
    assert np.percentile(np.abs(off), 95) <= 2
