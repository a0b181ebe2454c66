"""Square: frames, the one resampling, bows, and what is found on a sheet, against known geometry."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from captures import CORNERS, drawn_sheet, image_file, photo, shot, tilted
from woad.core.docket.model import Docket, docket_from_json
from woad.core.errors import BadSetting
from woad.core.estimate import NoEstimate
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import Pyramid, build_pyramid
from woad.core.raster.tiles import Region
from woad.core.render.sheet import is_square, make_sheet, resquare
from woad.core.render.squaring import carried, find_square, frame_of, plane_of
from woad.core.square.bent import find_bent
from woad.core.square.bow import Bow
from woad.core.square.corners import SheetCorners, find_corners
from woad.core.square.frame import plain_frame, plane_frame, sheet_size, trimmed
from woad.core.square.lines import gradient
from woad.core.square.resample import Squared, warp
from woad.core.square.skew import Tilt, find_tilt


def square(**settings: object) -> Docket:
    docket = Docket()
    for name, value in settings.items():
        docket = docket.with_setting(f"square.{name}", value)
    return docket


def test_every_mapping_has_its_way_back() -> None:
    """Turn, mirror, keystone, tilt and two bows: scan to plane to scan ends where it began."""
    frame = plane_frame((800, 980), 90, True, 3.0, CORNERS, "auto")
    bows = (Bow(((200, 300), (400, 340), (650, 310))), Bow(((200, 600), (400, 570), (650, 600))))
    frame = replace(frame, bows=bows)
    points = np.random.default_rng(0).uniform(150, 650, (40, 2))
    assert np.abs(frame.scan_to_plane(frame.plane_to_scan(points)) - points).max() < 0.01


@pytest.mark.parametrize("turn", [0, 90, 180, 270])
def test_quarter_turns_move_pixels_and_change_none(turn: int) -> None:
    """A turned sheet is the scan's own pixels, rotated clockwise; mirrored ones left to right after that."""
    image = np.random.default_rng(1).integers(0, 255, (30, 44, 3), np.uint8)
    frame = plane_frame((44, 30), turn, False, 0.0, None, "auto")
    out = warp(Pyramid((image,)), frame, 0, Region(0, 0, *frame.plane))
    assert np.array_equal(out, np.rot90(image, -turn // 90))
    frame = plane_frame((44, 30), turn, True, 0.0, None, "auto")
    assert np.array_equal(
        warp(Pyramid((image,)), frame, 0, Region(0, 0, *frame.plane)), np.rot90(image, -turn // 90)[:, ::-1]
    )


@pytest.mark.parametrize("level", [0, 1, 3])
def test_tiles_of_a_squared_sheet_equal_the_whole(level: int) -> None:
    """Any box of any level has the very pixels of that level read at once."""
    scan = build_pyramid(tilted(3.0))
    frame = replace(
        plane_frame((scan.width, scan.height), 90, False, 3.0, CORNERS * 0.8, "auto"),
        bows=(Bow(((100, 200), (300, 230), (500, 205))),),
    )
    frame = trimmed(frame, (13.0, 27.0, 500.0, 400.0))
    squared = Squared(scan, frame)
    whole = squared.whole(level)
    w, h = squared.size(level)
    box = Region(w // 5, h // 3, w // 2, h // 3)
    assert np.array_equal(squared.read(level, box), whole[box.y : box.bottom, box.x : box.right])


def test_straightened_sheet_is_the_straight_one() -> None:
    """A scan tilted by 4 degrees, straightened by itself, agrees with the sheet drawn straight."""
    docket = Docket()
    sheet = make_sheet(take_in("a.png", image_file(tilted(4.0))), build_pyramid(tilted(4.0)), docket)
    straight = tilted(0.0)
    h, w = straight.shape[:2]
    left, top = (sheet.frame.plane[0] - w) // 2, (sheet.frame.plane[1] - h) // 2
    out = warp(sheet.scan, sheet.frame, 0, Region(left, top, w, h), plane=True)
    inner = (slice(150, -150), slice(120, -120))
    error = np.abs(out[inner].astype(int) - straight[inner]).mean()
    assert error < 0.12 * np.abs(tilted(4.0)[inner].astype(int) - straight[inner]).mean()


@pytest.mark.parametrize("channel", [0, 1, 2])
def test_an_edge_that_one_channel_shows_is_as_steep_as_by_itself(channel: int) -> None:
    """Whichever it is, among weaker ones of the others, which run the other way."""
    strong = np.zeros((40, 50), np.float32)
    strong[:, 20:] = 0.5
    image = np.repeat(-0.4 * strong[..., None], 3, axis=2)
    image[..., channel] = strong
    alone, among = gradient(strong[..., None], 1.0), gradient(image, 1.0)
    for wanted, got in zip(alone, among, strict=True):
        np.testing.assert_allclose(got, wanted, atol=1e-6)


@pytest.mark.parametrize("deg", [-7.3, -1.1, 0.6, 5.2])
def test_tilt_is_found_from_ruled_lines_and_lettering(deg: float) -> None:
    """Within a twentieth of a degree, surely, clockwise positive."""
    tilt = find_tilt(tilted(deg))
    assert isinstance(tilt, Tilt)
    assert tilt.sure >= 0.5
    assert abs(tilt.deg - deg) < 0.05


def test_art_without_a_level_cue_is_unsure() -> None:
    """Curls say nothing about level; a blank sheet says why there is no answer."""
    tilt = find_tilt(tilted(4.0, ruled=False))
    assert isinstance(tilt, NoEstimate) or tilt.sure < 0.5
    blank = find_tilt(np.full((400, 300, 3), 230, np.uint8))
    assert isinstance(blank, NoEstimate)
    assert blank.reason


def test_what_tapers_is_no_tilt() -> None:
    """Four planks of a tower lean one way and one, its other side, the other way: it stands upright, and is left as it is."""
    image = np.full((1000, 760, 3), 225, np.uint8)
    lean = 620 * np.tan(np.radians(5.5))
    for x, way in ((290, -1), (350, -1), (410, -1), (470, -1), (530, 1)):
        cv2.line(image, (x, 200), (round(x + way * lean), 820), (30, 30, 30), 3, cv2.LINE_AA)
    tilt = find_tilt(image)
    assert not isinstance(tilt, Tilt) or tilt.sure < 0.5


def hatched(seed: int) -> NDArray[np.uint8]:
    """Ten patches of hatching, each as the hand liked it, and nothing else."""
    ink = np.zeros((1500, 1100), np.uint8)
    rng = np.random.default_rng(seed)
    for _ in range(10):
        turn, middle = rng.uniform(0, np.pi), rng.uniform([200, 200], [800, 1200])
        gap, long = rng.uniform(5, 7), rng.uniform(90, 220)
        along, across = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
        for i in range(30):
            start = middle + across * gap * i
            end = start + along * long * rng.uniform(0.8, 1.1)
            a, b = ((int(x), int(y)) for x, y in np.rint(np.array([start, end]) * 16).tolist())
            cv2.line(ink, a, b, 255, int(rng.integers(1, 3)), cv2.LINE_AA, 4)
    return np.repeat(np.asarray(235 - ink.astype(np.float32) * 0.8).astype(np.uint8)[..., None], 3, axis=2)


@pytest.mark.parametrize("seed", [12, 46])
def test_hatching_is_no_level_cue(seed: int) -> None:
    """A patch of hatching runs as the hand likes: its many lines are hardly one witness."""
    tilt = find_tilt(hatched(seed))
    assert isinstance(tilt, NoEstimate) or tilt.sure < 0.5


@pytest.mark.parametrize(
    ("table", "curl"), [pytest.param(0.2, None, marks=pytest.mark.proof), (0.2, 2), (0.76, None), (0.05, 1)]
)
def test_corners_of_a_photographed_sheet(table: float, curl: int | None) -> None:
    """To a thousandth of the diagonal, on dark tables and on one nearly as light, with a corner bent up or not."""
    picture = photo(table, curl)
    found = find_corners(picture.encoded)
    assert isinstance(found, SheetCorners)
    assert found.sure >= 0.5
    assert np.linalg.norm(found.points - CORNERS, axis=1).max() < 0.001 * np.hypot(800, 980)


def test_a_sheet_cut_by_the_frame_is_unsure() -> None:
    """Nothing is acted on when the sheet runs out of the picture, or fills it."""
    for picture in (photo(shift=(0, 130)).encoded, photo(shift=(-110, 0)).encoded, tilted(1.0)):
        found = find_corners(picture)
        assert isinstance(found, NoEstimate) or found.sure < 0.5


@pytest.mark.proof
def test_a_bent_corner_becomes_paper() -> None:
    """Where the table shows inside the four sides the squared sheet has paper; a flat sheet has no such place."""
    assert find_bent(photo().encoded, CORNERS) == ()
    picture = photo(0.1, 1)
    bent = find_bent(picture.encoded, CORNERS)
    assert len(bent) == 1
    sheet = make_sheet(take_in("a.png", image_file(picture.encoded)), build_pyramid(picture.encoded))
    corner = sheet.pyramid.read(0, Region(sheet.frame.width - 40, 2, 36, 36))
    assert corner.min() > 150


def test_true_proportions_come_back() -> None:
    """A4 seen aslant by a real lens is A4 again; "as seen" and letter are what they say."""
    focal, size = 1100.0, (800, 980)
    half = np.array([[-1, -1.414], [1, -1.414], [1, 1.414], [-1, 1.414]]) * 0.21
    a, b = np.deg2rad(24), np.deg2rad(-15)
    turn = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]]) @ np.array(
        [[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]]
    )
    space = np.column_stack([half, np.zeros(4)]) @ turn.T + [0, 0, 1.0]
    corners = space[:, :2] / space[:, 2:] * focal + [400, 490]
    w, h = sheet_size(corners, size, "auto")
    assert h / w == pytest.approx(2**0.5, rel=0.01)
    w, h = sheet_size(corners, size, "letter")
    assert h / w == pytest.approx(11 / 8.5)
    w, h = sheet_size(corners, size, "seen")
    assert abs(h / w - 2**0.5) > 0.01


def test_a_bow_makes_its_line_straight_and_leaves_the_rest() -> None:
    """A sagging line becomes its chord within half a pixel, keeps its thickness, and far places stay."""
    x = np.arange(900)
    bend = 30 * (1 - ((x - 450) / 380.0) ** 2)
    line = np.clip(3.5 - np.abs(np.arange(500)[:, None] + 0.5 - 250 - bend[None]), 0, 1)
    line[:, (x < 80) | (x > 820)] = 0
    image = (255 - 230 * line).astype(np.uint8)[..., None]
    at = np.linspace(80, 820, 5)
    bow = Bow(tuple((float(p), float(250 + np.interp(p, x, bend))) for p in at))
    out = (
        255.0
        - warp(Pyramid((image,)), replace(plain_frame(900, 500), bows=(bow,)), 0, Region(0, 0, 900, 500))[:, 120:780, 0]
    )
    out[out < 40] = 0
    centre = (out * (np.arange(500)[:, None] + 0.5)).sum(axis=0) / out.sum(axis=0)
    assert np.ptp(centre) < 1.0
    assert out.sum(axis=0).std() / out.sum(axis=0).mean() < 0.03
    assert np.abs(bow.shift(np.array([[450.0, 10.0], [450.0, 495.0]]))).max() < 1.0


@pytest.mark.proof
def test_what_lies_outside_the_trim_frame_has_no_part_in_any_reading() -> None:
    """A black scanner bed beside the sheet changes nothing once it is trimmed away."""
    image = tilted(0.0)
    beside = np.concatenate([image, np.full((image.shape[0], 300, 3), 8, np.uint8)], axis=1)
    share = image.shape[1] / beside.shape[1]
    docket = square(trim=(0, 0, share, 1), straighten=0, corners="off")
    clean = make_sheet(take_in("a.png", image_file(image)), build_pyramid(image), square(straighten=0, corners="off"))
    cut = make_sheet(take_in("b.png", image_file(beside)), build_pyramid(beside), docket)
    assert cut.full_size == clean.full_size
    assert cut.readings.paper_rgb == clean.readings.paper_rgb
    assert np.allclose(cut.readings.light, clean.readings.light, rtol=0.01)


@pytest.mark.proof
def test_squaring_anew_measures_anew_only_when_pixels_move() -> None:
    """The same frame keeps the readings; another one does not; the resolution alone moves nothing."""
    sheet = make_sheet(take_in("a.png", image_file(tilted(2.0))), build_pyramid(tilted(2.0)))
    assert is_square(sheet, Docket())
    assert resquare(sheet, Docket()) is sheet
    ppi = resquare(sheet, Docket().with_setting("scan.ppi", 240))
    assert ppi.ppi == 240
    assert ppi.readings is sheet.readings
    turned = resquare(sheet, square(turn=90))
    assert turned.readings is not sheet.readings
    assert turned.width > turned.height


def test_a_set_frame_and_bows_stay_on_their_marks() -> None:
    """Turning the sheet upside down takes the trim frame and a bow along."""
    scan = build_pyramid(tilted(0.0))
    found = find_square(scan)
    before = square(trim=(0.1, 0.2, 0.3, 0.25), bows=[{"points": [[0.2, 0.3], [0.4, 0.33], [0.6, 0.3]]}], straighten=0)
    after = carried(before, before.with_setting("square.turn", 180), scan, found)
    assert after.square.trim == pytest.approx((0.6, 0.55, 0.3, 0.25))
    mark = plane_of(before, scan, found).plane_to_scan(np.array([0.4 * scan.width, 0.3 * scan.height]))
    again = plane_of(after, scan, found).plane_to_scan(np.array([0.6 * scan.width, 0.7 * scan.height]))
    assert np.abs(mark - again).max() < 1.5


def test_trim_to_the_artwork_keeps_every_mark_and_its_margin() -> None:
    """All marks lie inside, and the frame is no larger than the margin asks for."""
    scan = build_pyramid(shot(drawn_sheet()))
    found = find_square(scan)
    frame = frame_of(square(trim="artwork", margin_mm=4, straighten=0, corners="off"), scan, found, 300)
    # The ruled frame runs from 60 to 640 and from 65 to 895.
    margin = 4 * 300 / 25.4
    assert abs(frame.left - (60 - margin)) < 4
    assert abs(frame.top - (65 - margin)) < 4
    assert abs(frame.left + frame.width - (640 + margin)) < 5


@pytest.mark.parametrize(
    ("setting", "value", "says"),
    [
        ("corners", [[0, 0], [1, 0], [0, 1], [1, 1]], "cross"),
        ("corners", [[0.2, 0.2], [0.2, 0.2], [1, 1], [0, 1]], "fall together"),
        ("trim", [1.2, 0, 0.3, 0.3], "outside the sheet"),
        ("trim", [0.1, 0.1, 0, 0.3], "collapsed"),
        ("bows", [{"points": [[0, 0], [0.5, 0.1]]}], "three"),
        ("turn", 45, "square.turn"),
    ],
)
def test_impossible_geometry_is_refused_in_words(setting: str, value: object, says: str) -> None:
    """Crossed or collapsed corners, a frame outside the sheet: one sentence, and the docket stays."""
    with pytest.raises(BadSetting, match=says) as caught:
        square(**{setting: value})
    assert "Nothing was changed" in str(caught.value)


def test_square_settings_survive_json() -> None:
    """A docket with all of them is the same after writing and reading."""
    docket = square(
        turn=270, mirror=True, straighten=-1.25, corners=[[0, 0], [1, 0.01], [0.98, 1], [0.02, 0.97]],
        proportions="a-size", trim=(0.1, 0.1, 0.5, 0.5), bows=[{"points": [[0, 0], [0.5, 0.1], [1, 0]]}],
    )  # fmt: skip
    assert docket_from_json(docket.to_json()) == docket
