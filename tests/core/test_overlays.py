"""Overlays show exactly what they say: tones that go, parts a choke takes, fringe, lost strokes, kept paper."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from sheets import FLAT as BY_ITSELF
from sheets import colour_sheet, noisy, sheet_of
from woad.core.docket.knocking import TonePick
from woad.core.docket.model import Docket
from woad.core.raster.tiles import Region
from woad.core.render.automatic import RegionCache
from woad.core.render.region import overlay_region
from woad.core.render.sheet import Sheet
from woad.core.render.strays import look_over

H, W = 400, 520
FLAT = BY_ITSELF.with_setting("ink.halftones", "inked")  # the grey square by itself is a wash


@cache
def sheet() -> Sheet:
    """A black square, a grey one, a hairline and faint strokes, at 300 ppi."""
    cover = np.zeros((H, W), np.float32)
    cv2.rectangle(cover, (40, 40), (140, 140), 1.0, -1)
    cv2.rectangle(cover, (200, 40), (300, 140), 0.45, -1)
    cv2.line(cover, (40, 220), (480, 224), 1.0, 1, cv2.LINE_AA)
    for y in (300, 330, 360):
        cv2.line(cover, (60, y), (460, y), 0.09, 5, cv2.LINE_AA)
    return sheet_of(noisy(np.repeat((1 - cover * 0.96)[..., None], 3, axis=2)))


def shown(docket: Docket, kind: str, of: Sheet | None = None) -> NDArray[np.bool_]:
    of = of or sheet()
    w, h = of.pyramid.size(0)
    return overlay_region(of, docket, kind, 0, Region(0, 0, w, h), RegionCache()) > 0


def test_a_picked_tone_shows_its_reach_and_nothing_else() -> None:
    """The grey square is tinted, the black one and the paper are not; without a tone nothing is."""
    grey = TonePick(at=(250 / W, 90 / H), colour=(128, 128, 128), reach=50)
    hit = shown(FLAT.with_setting("knockout.tones", (grey,)), "tones")
    assert hit[50:130, 210:290].mean() > 0.99
    assert not hit[45:135, 45:135].any() and not hit[:30].any()
    assert not shown(FLAT, "tones").any()


def test_what_a_choke_takes_whole_is_shown_where_it_was() -> None:
    """With thin parts given up the hairline is marked along its length, the squares are not; kept, nothing is."""
    docket = FLAT.with_setting("edge.move", -1.5)
    assert not shown(docket, "edge-lost").any()
    lost = shown(docket.with_setting("edge.thin", False), "edge-lost")
    assert lost[215:230, 60:460].any(axis=0).mean() > 0.95
    assert not lost[60:120, 60:120].any() and not lost[:30].any()


def test_lost_strokes_and_kept_paper() -> None:
    """A high clearing loses the faint strokes, and says so there only; grain that stays is kept paper."""
    assert shown(FLAT, "lost").mean() < 0.001
    lost = shown(FLAT.with_setting("knockout.clearing", 0.2), "lost")
    assert lost[298:303, 80:440].mean() > 0.8
    assert not lost[50:130, 50:130].any()
    grainy = FLAT.with_setting("paper.grain", 1.0).with_setting("knockout.clearing", 0.001)
    assert shown(grainy, "kept")[240:290].any() and not shown(FLAT, "kept")[240:290].any()


def test_one_ink_has_no_fringe_to_show_and_colour_is_looked_at() -> None:
    """No pixel of one colour can be lighter than it; a coloured cut-out of ours has hardly any either."""
    assert not shown(FLAT, "fringe").any()
    assert shown(FLAT, "fringe", colour_sheet()).mean() < 0.002


def test_strays_are_shown_in_their_own_form() -> None:
    """A round speck's overlay is round: it covers the speck and hardly more, darkest in its middle."""
    cover = np.zeros((H, W), np.float32)
    cv2.rectangle(cover, (40, 40), (140, 140), 1.0, -1)
    cv2.circle(cover, (400 * 16, 300 * 16), 5 * 16, 0.7, -1, cv2.LINE_AA, 4)
    docket = FLAT.with_setting("spotting.strays", "small")
    strewn = look_over(sheet_of(noisy(np.repeat((1 - cover * 0.96)[..., None], 3, axis=2))), docket)
    box = Region(380, 280, 40, 40)
    strength = overlay_region(strewn, docket, "strays", 0, box, RegionCache())
    disc = np.hypot(*(np.indices((40, 40)) - 20)) <= 5
    assert (strength[disc] > 0).mean() > 0.95
    assert (strength > 0).sum() < 1.5 * disc.sum()
    assert strength[18:23, 18:23].min() > 150
