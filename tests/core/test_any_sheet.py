"""Sheets that nobody would scan and settings that nobody would choose together: nothing breaks, and tiles equal the whole."""

from __future__ import annotations

import random

import numpy as np
import pytest

from sheets import colour_sheet, pen_sheet, png_bytes, strewn
from woad.core.docket.catalogue import setting
from woad.core.docket.media import starting_docket
from woad.core.docket.model import MEDIA, Docket, setting_paths
from woad.core.errors import OurError
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region
from woad.core.render.check import check_sheet
from woad.core.render.region import render_region
from woad.core.render.report import look_at_scan
from woad.core.render.sheet import make_sheet, resquare
from woad.core.render.strays import look_over
from woad.core.render.whole import render_whole

pytestmark = pytest.mark.filterwarnings("error")

CHOICES: dict[str, tuple[object, ...]] = {
    "scan.ppi": (None, 50, 1200), "square.turn": (0, 90, 180), "square.mirror": (True, False), "paper.on": (True, False),
    "paper.neutral": ("auto", "on", "off"), "paper.ground": ("auto", "light", "dark"), "ink.on": (True, False),
    "ink.halftones": ("auto", "inked", "seen"),
    "ink.drop_out": ("off", "auto", ((120, 170, 220),)), "ink.two_tone": ("off", "shape", "where"),
    "spotting.on": (True, False), "spotting.strays": ("dirt", "small", "none"), "knockout.colour": ("auto", "keep", "one ink"),
    "knockout.see_through": (True, False), "edge.on": (True, False), "edge.thin": (True, False), "edge.unit": ("px", "mm"),
}  # fmt: skip


def picture(kind: str, height: int, width: int) -> np.ndarray:
    rng = np.random.default_rng(height * 31 + width)
    out = np.full((height, width, 3), 228, np.uint8)
    if kind == "noise":
        out = rng.integers(0, 256, out.shape, dtype=np.uint8)
    elif kind == "ramp":
        out[:] = np.linspace(0, 255, width).astype(np.uint8)[None, :, None]
    elif kind == "dot":
        out[height // 2, width // 2] = 10
    return out


@pytest.mark.parametrize(
    ("medium", "kind"),
    [
        *(("pen", kind) for kind in ("paper", "dot")),
        ("watercolour", "ramp"),
        *(pytest.param("pen", kind, marks=pytest.mark.proof) for kind in ("noise", "ramp")),
        *(pytest.param("watercolour", kind, marks=pytest.mark.proof) for kind in ("paper", "dot", "noise")),
        *(pytest.param("blue-pencil", kind, marks=pytest.mark.proof) for kind in ("paper", "noise", "ramp", "dot")),
    ],
)
def test_sheets_of_a_few_pixels_go_the_whole_way(medium: str, kind: str) -> None:
    """A pixel, a line of pixels, a stamp: measured, looked over, reported, cut out, with their own size."""
    docket = starting_docket(medium)  # type: ignore[arg-type]
    for height, width in ((1, 1), (1, 300), (300, 1), (7, 9), (24, 24), (25, 400)):
        pixels = picture(kind, height, width)
        for scan in (pixels, np.ascontiguousarray(pixels[..., :1])):
            original = take_in("stamp.png", png_bytes(scan if scan.shape[2] == 3 else scan[..., 0]))
            sheet = look_over(make_sheet(original, build_pyramid(scan), docket), docket)
            planes = render_whole(sheet, docket)
            assert planes.alpha is not None and planes.alpha.shape == sheet.pyramid.size(0)[::-1]
            look_at_scan(original, sheet.scan, sheet.found, 300.0)
            check_sheet(sheet, docket, True)
            if kind == "paper":
                assert not planes.alpha.any()


def any_docket(rng: random.Random) -> Docket:
    """Starting values of any medium, and up to seven settings changed, numbers to their ends as often as not."""
    docket = starting_docket(rng.choice(MEDIA))
    numbers = []
    for path in setting_paths():
        try:
            numbers.append(setting(path))
        except (OurError, ValueError):
            continue  # no number
    for _ in range(rng.randint(2, 7)):
        if rng.random() < 0.5:
            path = rng.choice(list(CHOICES))
            docket = docket.with_setting(path, rng.choice(CHOICES[path]))
        else:
            one = rng.choice([n for n in numbers if n.path not in ("ink.paper", "ink.middle")])  # they might cross
            docket = docket.with_setting(one.path, rng.choice((one.low, one.high, rng.uniform(one.low, one.high))))
    return docket


@pytest.mark.parametrize("seed", [*range(4), *(pytest.param(seed, marks=pytest.mark.proof) for seed in range(4, 12))])
def test_any_settings_go_together_and_a_tile_is_a_part_of_the_whole(seed: int) -> None:
    rng = random.Random(seed)
    sheet, docket = rng.choice((pen_sheet, colour_sheet, strewn))(), any_docket(rng)
    sheet = resquare(sheet, docket)
    if docket.spotting.on:
        sheet = look_over(sheet, docket)
    planes = render_whole(sheet, docket)
    w, h = sheet.pyramid.size(0)
    box = Region(rng.randrange(w - 60), rng.randrange(h - 60), 60, 60)
    tile = render_region(sheet, docket, "edge", 0, box)
    assert planes.alpha is not None and tile.alpha is not None
    np.testing.assert_array_equal(tile.alpha, planes.alpha[box.y : box.y + 60, box.x : box.x + 60])
    if planes.rgb is not None:
        shown = tile.alpha > 0
        np.testing.assert_array_equal(tile.rgb[shown], planes.rgb[box.y : box.y + 60, box.x : box.x + 60][shown])
