"""Work by hand in the core: samples the light obeys, brush strokes, refusals, mixes."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import FLAT, pen_sheet, sheet_of
from woad.core.docket.model import Docket, docket_from
from woad.core.errors import BadSetting
from woad.core.paper.hand import BrushStroke, lay_strokes
from woad.core.raster.tiles import Region
from woad.core.render.places import read_place_at, refuse_place
from woad.core.render.region import render_region
from woad.core.render.sheet import Sheet, resquare


def dark_ground() -> NDArray[np.uint8]:
    """A sheet painted over but for a strip that is half in the dark: no estimate can know what is paper."""
    rng = np.random.default_rng(5)
    sheet = np.full((400, 300, 3), (70, 60, 50), np.float32)
    sheet[:, 240:] = (150, 140, 120)
    cv2.circle(sheet, (120, 200), 60, (20, 20, 20), -1)
    return np.clip(sheet + rng.normal(0, 1.5, sheet.shape), 0, 255).astype(np.uint8)


def said(sheet: Sheet, **more: Any) -> tuple[Sheet, Docket]:
    docket = FLAT
    for path, value in more.items():
        docket = docket.with_setting(path.replace("__", "."), value)
    return resquare(sheet, docket), docket


def picture(sheet: Sheet, docket: Docket, step: str) -> NDArray[np.uint8]:
    w, h = sheet.pyramid.size(0)
    return np.asarray(render_region(sheet, docket, step, 0, Region(0, 0, w, h)).rgb)


def test_a_place_said_to_be_paper_turns_white() -> None:
    """Clicked on a dark ground, the ground itself reads 250 or more in all three channels."""
    sheet, docket = said(sheet_of(dark_ground()), paper__at=((0.1, 0.1), (0.1, 0.9)))
    docket = docket.with_setting("knockout.colour", "keep").with_setting("paper.grain", 1.0)
    seen = picture(sheet, docket, "paper")
    for x, y in ((30, 40), (30, 360), (60, 60)):
        assert np.median(seen[y - 8 : y + 8, x - 8 : x + 8].reshape(-1, 3), axis=0).min() >= 250


def test_a_place_said_to_be_darkest_becomes_full_ink() -> None:
    """A grey mark that was said to be the darkest comes out fully covered, and one undo brings the old reading back."""
    gentle = np.full((300, 400), 225, np.uint8)
    cv2.rectangle(gentle, (60, 60), (160, 240), 165, -1)
    cv2.rectangle(gentle, (240, 60), (340, 240), 40, -1)
    sheet = sheet_of(gentle)
    spoken, docket = said(sheet, ink__at=((110 / 400, 150 / 300),))
    w, h = sheet.pyramid.size(0)
    box = Region(0, 0, w, h)
    before, after = (render_region(s, d, "knockout", 0, box).alpha for s, d in ((sheet, FLAT), (spoken, docket)))
    assert before is not None
    assert after is not None
    assert before[150, 110] < 250
    assert after[150, 110] == 255
    assert resquare(spoken, FLAT).readings.ink == sheet.readings.ink


def test_impossible_places_are_refused_in_one_sentence() -> None:
    """Off the sheet, paper on ink, ink on paper, a drop-out colour that is the ink's."""
    sheet = pen_sheet()
    w, h = sheet.pyramid.size(0)
    solid, bare = (53 / 25.4 * 300 / w, 14 / 25.4 * 300 / h), (0.02, 0.98)
    reading = read_place_at(sheet, *solid)
    assert reading is not None
    assert reading.density > 1
    cases = (("paper", (1.4, 0.5), "outside"), ("paper", solid, "mark"), ("ink", bare, "bare paper"),
             ("drop-out", solid, "ink's own"), ("drop-out", bare, "paper's own"))  # fmt: skip
    for kind, place, word in cases:
        why = refuse_place(sheet, FLAT, kind, *place)
        assert why is not None
        assert word in why
        assert "Nothing was changed" in why
    assert refuse_place(sheet, FLAT, "paper", *bare) is None
    for path, value in (("paper.at", ((2.0, 0.1),)), ("ink.drop_out", ((1, 2, 300),)), ("ink.drop_out", ())):
        with pytest.raises(BadSetting):
            FLAT.with_setting(path, value)


def test_a_stroke_is_as_strong_as_said_and_fades_out() -> None:
    """Full on its path, nothing beyond its radius, no stronger where it passes twice within one stroke."""
    path = np.array([[50.0, 100.0], [250.0, 100.0], [60.0, 100.0]])
    made = lay_strokes([BrushStroke(path, 40.0, 0.5)], 300, 200)
    assert made is not None
    grid = cv2.resize(made.grid[..., 0], None, fx=made.cell_px, fy=made.cell_px, interpolation=cv2.INTER_LINEAR)
    assert grid[100, 150] == pytest.approx(0.5, abs=0.03)
    assert grid.max() <= 0.5 + 1e-6
    assert grid[150:, :].max() == 0
    assert lay_strokes([BrushStroke(path + 5000, 40.0, 0.5)], 300, 200) is None


def test_brushes_do_what_they_say() -> None:
    """Lighten takes tone off, darken deepens marks and leaves bare paper bare, strengthen keeps a mark the gate drops."""
    rng = np.random.default_rng(9)
    scan = np.full((240, 320), 230.0)
    scan[100:104, 40:280] = 222
    scan[40:70, 40:280] = 90
    sheet = sheet_of(np.clip(scan + rng.normal(0, 2.2, scan.shape), 0, 255).astype(np.uint8))
    everywhere = {"points": [(x / 10, 0.5) for x in range(11)], "radius": 1.0, "strength": 1.0}
    box = Region(0, 0, 320, 240)

    def alpha(kind: str | None) -> NDArray[np.uint8]:
        step = "ink" if kind == "strengthen" else "paper"
        docket = FLAT if kind is None else docket_from(
            {**FLAT.model_dump(), step: {"touches": [{"kind": kind, **everywhere}]}})  # fmt: skip
        out = render_region(sheet, docket, "knockout", 0, box).alpha
        assert out is not None
        return out

    plain, light, dark, strong = (alpha(kind) for kind in (None, "lighten", "darken", "strengthen"))
    mark, faint, bare = (
        (slice(45, 65), slice(60, 260)),
        (slice(101, 103), slice(60, 260)),
        (slice(150, 230), slice(20, 300)),
    )
    assert light[mark].mean() < plain[mark].mean()
    assert dark[faint].mean() >= plain[faint].mean()
    assert dark[bare][plain[bare] == 0].max() <= 3  # what was too faint to be seen may be seen then
    assert strong[faint].mean() > 1.5 * plain[faint].mean()


def test_a_mix_is_a_mix_of_pictures() -> None:
    """At 0 nothing changes; in between every pixel over any backing is the weighted mean of both takes' pictures."""
    sheet = pen_sheet()
    box = Region(100, 60, 300, 200)
    other = FLAT.with_setting("ink.darkness", 0.8)
    mixed = {
        s: docket_from({**FLAT.model_dump(), "mix": {"name": "b", "share": s, "take": other.model_dump()}})
        for s in (0, 0.5)
    }

    def over(docket: Docket, back: float) -> NDArray[np.float32]:
        shown = render_region(sheet, docket, "knockout", 0, box)
        assert shown.alpha is not None
        a = shown.alpha.astype(np.float32)[..., None] / 255
        return np.broadcast_to(np.asarray(shown.rgb, np.float32), (*a.shape[:2], 3)) * a + back * (1 - a)

    np.testing.assert_array_equal(over(mixed[0], 255), over(FLAT, 255))
    for back in (0.0, 255.0):
        assert np.abs(over(mixed[0.5], back) - (over(FLAT, back) + over(other, back)) / 2).max() <= 2
