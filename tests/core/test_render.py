"""The pipeline: steps keep their promises, tiles equal the whole, levels agree, stopping stops."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from threading import Event

import cv2
import numpy as np
import pytest

from sheets import FLAT, SHADOW, colour_scan, colour_sheet, pen_scan, pen_sheet, sheet_of
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket, docket_from
from woad.core.editions.picture import paper_picture
from woad.core.errors import Cancelled
from woad.core.raster.compositing import over
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region
from woad.core.render.automatic import RegionCache
from woad.core.render.check import check_sheet
from woad.core.render.measure import measure
from woad.core.render.recipe import make_recipe
from woad.core.render.region import overlay_region, read_spot, render_region
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.render.steps import without_specks
from woad.core.render.strays import look_over
from woad.core.render.whole import render_whole

SHEETS = {"pen": pen_sheet, "colour": colour_sheet}
DOCKETS = {
    "plain": Docket(),
    "grain": Docket().with_setting("paper.grain", 0.4),
    "clearing": Docket().with_setting("knockout.clearing", 0.2),
    "seen": Docket().with_setting("ink.halftones", "seen").with_setting("ink.darkness", 1.6),
    "worked": Docket().with_setting("ink.solid", 0.8).with_setting("ink.boldness", 0.4).with_setting("ink.two_tone", "where"),
    "two-tone": Docket().with_setting("ink.two_tone", "shape").with_setting("ink.boldness", -0.5),
    "opaque": Docket().with_setting("knockout.body", 1.0).with_setting("ink.sharpness", 0.6).with_setting("ink.saturation", 1.3),
    "see-through": Docket().with_setting("knockout.body", 0.2).with_setting("paper.neutral", "on"),
    "dropped": Docket().with_setting("ink.drop_out", ((150, 190, 240),)).with_setting("paper.blotches", 0.3),
    "touched": docket_from({
        "paper": {"touches": [
            {"kind": "lighten", "points": [[0.2, 0.2], [0.6, 0.5]], "radius": 0.1, "strength": 0.8},
            {"kind": "darken", "points": [[0.7, 0.4]], "radius": 0.15, "strength": 0.5}]},
        "ink": {"touches": [{"kind": "strengthen", "points": [[0.3, 0.8], [0.8, 0.7]], "radius": 0.06, "strength": 1}]},
    }),
    "by-hand": docket_from({
        "spotting": {"areas": [{"kind": "all", "outline": [[0.3, 0.3], [0.5, 0.3], [0.4, 0.5]]}],
                     "touches": [{"kind": "mend", "points": [[0.25, 0.5], [0.3, 0.55]], "radius": 0.02, "strength": 1}]},
        "knockout": {"see_through": False, "tones": [{"at": [0.5, 0.5], "colour": [120, 120, 120], "reach": 40}], "touches": [
            {"kind": "keep", "points": [[0.1, 0.1], [0.3, 0.2]], "radius": 0.04, "strength": 0.8, "hard": 0.6},
            {"kind": "remove-paper", "points": [[0.7, 0.4]], "radius": 0.2, "strength": 0.9}]},
        "edge": {"move": -0.7, "smooth": 2, "touches": [
            {"kind": "give-back", "points": [[0.7, 0.2]], "radius": 0.1, "strength": 1}]}}),
    "mixed": docket_from({"mix": {"name": "paler", "share": 0.4, "take": {"ink": {"darkness": 0.8, "two_tone": "shape"}}}}),
}  # fmt: skip


def pixels(sheet: Sheet, docket: Docket, step: str, level: int, box: Region) -> np.ndarray:
    """A region as (h, w, 4): straight colour and alpha."""
    picture = render_region(sheet, docket, step, level, box)
    rgb = np.broadcast_to(np.asarray(picture.rgb, np.uint8), (box.h, box.w, 3))
    alpha = np.full((box.h, box.w), 255, np.uint8) if picture.alpha is None else picture.alpha
    return np.dstack([rgb, alpha])


def same(part: np.ndarray, whole: np.ndarray, settings: Docket) -> None:
    """Equal pixel for pixel. Where edges are reshaped, a pixel as near to one edge pixel as to another may take either:
    a part of the way from black to white in a few pixels of a thousand."""
    if not settings.edge.acts():
        np.testing.assert_array_equal(part, whole)
        return
    if part.shape[-1] == 4:  # the colour of what is not there is nobody's
        part, whole = (over(p[..., :3], p[..., 3], (255, 255, 255)) for p in (part, whole))
    off = np.abs(part.astype(int) - whole)
    assert off.max() <= 48 and (off > 0).mean() < 0.003


def proven(quick: bool, *values: object) -> object:
    """A case of a test: among the slow proofs unless it is a quick one."""
    return pytest.param(*values, marks=() if quick else pytest.mark.proof)


# What the last step shows has gone through all the others; each setting is tried on a sheet that it acts on.
PARTS = [
    proven(step == "edge" or docket == "plain", docket, step, name)
    for docket in DOCKETS
    for step in ("scan", "paper", "ink", "edge")
    for name in SHEETS
]
COLOURED = {"grain", "opaque", "see-through", "dropped", "by-hand"}
WHOLES = [proven((docket in COLOURED) == (name == "colour"), docket, name) for docket in DOCKETS for name in SHEETS]


@pytest.mark.parametrize(("docket", "step", "name"), PARTS)
def test_tiles_equal_the_whole(docket: str, step: str, name: str) -> None:
    """Any region, cut anywhere, has exactly the pixels of the whole picture, and the scan stays untouched."""
    sheet, settings = SHEETS[name](), DOCKETS[docket]
    image = sheet.pyramid.levels[0]
    before = image.copy()
    whole = pixels(sheet, settings, step, 0, Region(0, 0, image.shape[1], image.shape[0]))
    for box in (
        Region(0, 0, 100, 90),
        Region(131, 77, 203, 149),
        Region(image.shape[1] - 61, image.shape[0] - 53, 61, 53),
    ):
        part = pixels(sheet, settings, step, 0, box)
        assert part.dtype == np.uint8
        same(part, whole[box.y : box.bottom, box.x : box.right], settings)
    np.testing.assert_array_equal(image, before)


@pytest.mark.parametrize(("docket", "name"), WHOLES)
def test_a_whole_run_equals_the_view(docket: str, name: str) -> None:
    """What is written is what was seen, pixel for pixel."""
    sheet, settings = SHEETS[name](), DOCKETS[docket]
    image = sheet.pyramid.levels[0]
    planes = render_whole(sheet, settings)
    sheet = look_over(sheet, settings)
    seen = pixels(sheet, settings, "edge", 0, Region(0, 0, image.shape[1], image.shape[0]))
    assert planes.alpha is not None
    same(planes.alpha, seen[..., 3], settings)
    if planes.rgb is not None:
        same(np.dstack([planes.rgb, planes.alpha]), seen, settings)
    inked = pixels(sheet, settings, "spotting", 0, Region(0, 0, image.shape[1], image.shape[0]))
    np.testing.assert_array_equal(paper_picture(planes), inked[..., :3])


@pytest.mark.parametrize("step", ["paper", "ink", "knockout"])
def test_half_level_agrees_with_the_whole_reduced(step: str) -> None:
    """Zoomed out, the view shows what the full picture shows when it is reduced: nearly the same everywhere."""
    sheet = pen_sheet()
    full, half = sheet.pyramid.levels[0].shape, sheet.pyramid.levels[1].shape
    whole = pixels(sheet, Docket(), step, 0, Region(0, 0, full[1], full[0]))
    small = pixels(sheet, Docket(), step, 1, Region(0, 0, half[1], half[0]))
    plane = 3 if step == "knockout" else 0
    reduced = cv2.resize(
        whole[: full[0] // 2 * 2, : full[1] // 2 * 2, plane], (full[1] // 2, full[0] // 2), interpolation=cv2.INTER_AREA
    )
    difference = np.abs(reduced.astype(int) - small[: reduced.shape[0], : reduced.shape[1], plane])
    assert difference.mean() < 1.2
    assert np.percentile(difference, 99) < 26


@pytest.mark.parametrize("light", ["flatbed", "shadow"])
def test_cut_out_against_truth(light: str) -> None:
    """Clear paper is exactly transparent, solid ink exactly opaque, edges are near the true coverage."""
    kind = (SHADOW,) if light == "shadow" else ()
    scan, sheet = pen_scan(*kind), pen_sheet(*kind)
    alpha = render_whole(sheet, starting_docket("pen")).alpha
    assert alpha is not None
    far = cv2.dilate((scan.coverage > 0.004).astype(np.uint8), np.ones((17, 17), np.uint8)) == 0
    deep = cv2.erode((scan.coverage > 0.99).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    assert np.median(alpha[far]) == 0
    assert alpha[far].mean() < 0.1
    assert np.percentile(alpha[far], 99.9) <= 8
    assert (alpha[deep] == 255).mean() > 0.97
    assert np.abs(alpha / 255 - scan.coverage).mean() < 0.02
    # Dots of stipple are marks, not noise.
    assert float(alpha[320:600, 540:760].sum()) > 0.9 * 255 * float(scan.coverage[320:600, 540:760].sum())


def test_cut_out_over_white_is_the_inked_sheet() -> None:
    """(a) of the knock-out: over white nothing changes, for one ink and for colour."""
    for sheet in (pen_sheet(), colour_sheet()):
        planes = render_whole(sheet, Docket().with_setting("ink.halftones", "seen"))
        assert planes.alpha is not None
        h, w = planes.alpha.shape
        rgb = planes.rgb if planes.rgb is not None else np.full((h, w, 3), planes.ink_rgb, np.uint8)
        white = over(rgb, planes.alpha, (255, 255, 255)).astype(int)
        assert np.abs(white - paper_picture(planes)).max() <= 2


def test_colour_has_no_light_fringe_and_opaque_bodies() -> None:
    """Over black, a coloured patch keeps its colour inside and no pale rim outside."""
    scan = colour_scan()
    planes = render_whole(colour_sheet(), starting_docket("gouache"))
    assert planes.alpha is not None
    assert planes.rgb is not None
    inside = np.zeros(scan.coverage.shape, bool)
    inside[170:230, 110:190] = True  # red
    inside[160:260, 330:430] = True  # pale blue
    assert planes.alpha[inside].min() > 235
    black = over(planes.rgb, planes.alpha, (0, 0, 0)).max(axis=2)
    out = cv2.distanceTransform((scan.coverage < 0.004).astype(np.uint8), cv2.DIST_L2, 5)
    assert black[(out > 3) & (out < 8)].max() < 12
    clear = out > 12
    assert (planes.alpha[clear] == 0).mean() > 0.999


def test_stop_is_heeded_and_progress_reported() -> None:
    """A stopped run raises Cancelled; a finished one reports rising shares up to 1."""
    stop = Event()
    stop.set()
    with pytest.raises(Cancelled):
        render_whole(pen_sheet(), Docket(), stop=stop)
    shares: list[float] = []
    render_whole(pen_sheet(), Docket(), shares.append)
    assert shares == sorted(shares)
    assert shares[-1] == 1.0


def test_cached_paper_gives_the_same_picture() -> None:
    """Curves on a cached paper result equal a fresh computation; a paper setting is never answered from the cache."""
    sheet, cache, box = pen_sheet(), RegionCache(), Region(40, 40, 200, 160)
    for docket in (Docket(), Docket().with_setting("ink.middle", 0.5), Docket().with_setting("paper.evening", 0.5)):
        cached = render_region(sheet, docket, "ink", 0, box, cache)
        fresh = render_region(sheet, docket, "ink", 0, box)
        np.testing.assert_array_equal(np.asarray(cached.rgb), np.asarray(fresh.rgb))


def test_evening_and_grain_act() -> None:
    """Without evening the paper keeps its tone; with grain its texture."""
    sheet, box = pen_sheet(), Region(0, 0, 60, 60)
    plain = pixels(sheet, Docket(), "paper", 0, box)[..., 0]
    uneven = pixels(sheet, Docket().with_setting("paper.evening", 0.0), "paper", 0, box)[..., 0]
    grainy = pixels(sheet, Docket().with_setting("paper.grain", 1.0), "paper", 0, box)[..., 0]
    assert plain.mean() > 254.5
    assert uneven.mean() < 240
    assert plain.std() < 0.3 < grainy.std()


def test_steps_can_be_turned_off() -> None:
    """Ink off leaves the ink as grey as it was; knock-out off leaves the sheet opaque."""
    sheet, box = pen_sheet(), Region(560, 120, 20, 20)  # inside the solid
    assert pixels(sheet, Docket(), "ink", 0, box)[..., 0].max() < 12
    assert pixels(sheet, Docket().with_setting("ink.on", False), "ink", 0, box)[..., 0].min() > 25
    off = render_region(sheet, Docket().with_setting("knockout.on", False), "knockout", 0, box)
    assert off.alpha is None
    assert render_whole(sheet, Docket().with_setting("knockout.on", False)).alpha is None


@pytest.mark.parametrize("sheet", [pen_sheet, colour_sheet], ids=["pen", "colour"])
def test_sharpening_far_beyond_the_scans_blur_is_called_overdone(sheet: Callable[[], Sheet]) -> None:
    """What the sheet asks for is not, nor a little more; twice as much is."""
    one = sheet()
    own = one.readings.sharpness
    amounts = (None, own, 1.2 * own, 2 * own)
    told = [check_sheet(one, Docket().with_setting("ink.sharpness", a), edges=False).too_sharp for a in amounts]
    assert told == [False, False, False, True]


def test_lost_strokes_are_found_and_counted() -> None:
    """Clearing set far too high drops marks; the overlay shows them and the count says so. Normally there are none."""
    sheet = pen_sheet()
    assert check_sheet(sheet, Docket()).lost <= 2
    harsh = Docket().with_setting("ink.paper", 0.9).with_setting("ink.ink", 1.4)
    assert check_sheet(sheet, harsh).lost_share > check_sheet(sheet, Docket()).lost_share
    h, w = sheet.pyramid.levels[0].shape[:2]
    kept = overlay_region(
        sheet,
        Docket().with_setting("paper.grain", 1.0).with_setting("knockout.clearing", 0.0),
        "kept",
        0,
        Region(0, 0, w, h),
        RegionCache(),
    )
    assert (kept > 0).mean() > 0.05


def test_readings_under_the_pointer() -> None:
    """Inside the solid: dense and covered; on bare paper: neither."""
    sheet, cache = pen_sheet(), RegionCache()
    ink = read_spot(sheet, Docket(), "knockout", 0, 560, 120, cache)
    paper = read_spot(sheet, Docket(), "knockout", 0, 20, 20, cache)
    assert ink.density > 1.2
    assert ink.coverage == 1.0
    assert max(ink.rgb) < 10
    assert abs(paper.density) < 0.05
    assert paper.coverage == 0.0
    assert min(paper.rgb) == 255


def test_sheets_of_sixteen_bit_and_grey_are_cleaned() -> None:
    """16 bit and one channel go the same way to the same coverage."""
    scan = pen_scan()
    eight = render_whole(pen_sheet(), Docket()).alpha
    sixteen = render_whole(sheet_of_16(scan.encoded), Docket()).alpha
    grey = render_whole(sheet_of(scan.encoded[..., 1].copy()), Docket()).alpha
    assert eight is not None
    assert sixteen is not None
    assert grey is not None
    assert np.abs(eight.astype(int) - sixteen).mean() < 0.3
    assert np.abs(eight.astype(int) - grey).mean() < 1.0


def sheet_of_16(encoded: np.ndarray) -> Sheet:
    """The same pixels with 16 bits."""
    pyramid = build_pyramid(encoded.astype(np.uint16) * 257)
    return make_sheet(pen_sheet().original, pyramid, FLAT)


def test_a_first_look_is_not_sharpened_and_colour_no_more_than_it_bears() -> None:
    """What a few reduced pixels show tells nothing of the scan's blur; what ink asks for would give colour halos."""
    docket = starting_docket("gouache")
    look = measure(colour_sheet().pyramid, quick=True)
    assert make_recipe(docket, look).work.sharpness == 0
    ink = replace(colour_sheet().readings, sharpness=2.0)
    assert make_recipe(starting_docket("print"), ink).work.sharpness == 2.0
    assert 0 < make_recipe(docket, ink).work.sharpness < 1.5


def test_a_trace_fainter_than_any_stroke_is_the_papers() -> None:
    """What the paper's tooth lets through is gone, at once; a stroke keeps its faintest ends, and so it does in any tile."""
    coverage = np.zeros((60, 80), np.uint8)
    coverage[10:13, 10:15] = 6
    coverage[40, 20:60] = np.linspace(3, 40, 40)
    recipe = make_recipe(starting_docket("pencil"), pen_sheet().readings)
    left = without_specks(coverage, recipe, 0)
    assert not left[:30].any()
    assert (left[40, 23:60] == coverage[40, 23:60]).all()
    np.testing.assert_array_equal(without_specks(coverage[:, 17:], recipe, 0)[:, 3:], left[:, 20:])
    assert without_specks(coverage, replace(recipe, grain=0.5), 0) is coverage
