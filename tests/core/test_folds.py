"""Folds of a sheet: found where they are, their light taken out, and drawn lines left alone."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import FLAT, png_bytes
from woad.core.docket.model import Docket
from woad.core.docket.spotting import Decision
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.sheet import Sheet, make_sheet
from woad.core.render.strays import look_over
from woad.core.render.whole import render_whole
from woad.core.spotting.folds import Fold, find_folds
from woad.core.spotting.unfold import without_fold

H, W, MM = 940, 700, 300 / 25.4
PAINTS = ((0.6, 0.05, 0.04), (0.1, 0.3, 0.6), (0.75, 0.6, 0.1))


def reflected(coloured: bool) -> NDArray[np.float32]:
    """Reflectance (H, W, 3): three shapes that cross the middle, and strokes beside them."""
    art = np.ones((H, W, 3), np.float32)
    for i, paint in enumerate(PAINTS):
        own = np.zeros((H, W), np.float32)
        cv2.circle(own, (120 + 230 * i, 440 + 30 * i), 40, 1.0, -1, cv2.LINE_AA)
        for k in range(4):
            cv2.line(own, (70 + 220 * i, 110 + 50 * k), (190 + 210 * i, 150 + 50 * k), 1.0, 3 + k, cv2.LINE_AA)
        colour = np.array(paint if coloured else (0.04, 0.04, 0.045), np.float32)
        art = art * (1 - own[..., None]) + own[..., None] * colour
    return cv2.GaussianBlur(art, (0, 0), 0.6)


def fold_light(lean_px: float, seed: int) -> NDArray[np.float32]:
    """Light (H, W) of a level fold in the middle: bright above, dark below, with a broken, wavering line."""
    rng = np.random.default_rng(seed)
    x = np.arange(W)
    line = H / 2 + lean_px * (x / W - 0.5) + 1.2 * np.sin(x / 70)
    away = (np.arange(H)[:, None] - line[None]) / MM
    wings = -0.08 * np.sign(away) * np.exp(-np.abs(away) / 2)
    surface = -0.14 * np.exp(-((away / 0.2) ** 2)) * rng.uniform(0.5, 1.5, (H, W))
    return np.asarray((1 + 0.2 * np.sin(x / 150)) * (wings + surface) + 1, np.float32)


def scanned(light: NDArray[np.float32], docket: Docket) -> Sheet:
    noisy = light * 0.85 + np.random.default_rng(1).normal(0, 0.003, light.shape)
    pixels = np.rint(srgb_encode(np.clip(noisy, 0, 1).astype(np.float32)) * 255).astype(np.uint8)
    return make_sheet(take_in("a.png", png_bytes(pixels)), build_pyramid(pixels), docket)


@pytest.mark.parametrize(("medium", "lean"), [("pen", 11.0), pytest.param("watercolour", 0.0, marks=pytest.mark.proof)])
def test_a_folded_sheet_comes_out_as_a_flat_one(medium: str, lean: float) -> None:
    """Next to nothing of the fold is kept, and marks across it are what they are without it; one that was decided to stay
    does, and so does all of it when lines are to stay."""
    docket = FLAT.with_setting("medium", medium)
    art = reflected(medium == "watercolour")
    flat, folded = (
        scanned(art * light[..., None], docket) for light in (np.ones((H, W), np.float32), fold_light(lean, 3))
    )
    wanted, got = (render_whole(sheet, docket).alpha for sheet in (flat, folded))
    left = render_whole(folded, docket.with_setting("spotting.lines", False)).alpha
    assert wanted is not None and got is not None and left is not None
    near, bare = slice(H // 2 - 60, H // 2 + 60), cv2.erode(art.min(axis=2), np.ones((15, 15))) > 0.97
    assert got[near][bare[near]].mean() < 0.3
    assert left[near][bare[near]].mean() > 1.5
    assert np.abs(got[near].astype(int) - wanted[near]).mean() < 1.0
    found = look_over(folded, docket).strays
    assert found is not None and len(found.folds) == 1
    assert abs(found.folds[0].first - (H - lean) / 2) < 6 and abs(found.folds[0].last - (H + lean) / 2) < 6
    stays = Decision(at=tuple(found.fold_places()[0].tolist()), goes=False)
    kept = render_whole(folded, docket.with_setting("spotting.decided", (stays,))).alpha
    assert kept is not None and kept[near][bare[near]].mean() > 1.5


@pytest.mark.proof
def test_what_was_drawn_from_border_to_border_is_no_fold() -> None:
    """A pale line by a ruler, a dark one, a painted sky that ends in one, a line below a painted bar, the edge of a shadow,
    ruled paper, and grey washes that run out from a straight edge, with a line along it and without."""
    flat = np.full((H, W, 3), 0.8, np.float32) * np.random.default_rng(2).normal(1, 0.006, (H, W, 1))
    pale, dark, sky, below, shadow, lines = (flat.copy() for _ in range(6))
    pale[460:466] *= 0.75
    dark[460:464] *= 0.1
    sky[:480] *= (0.5, 0.65, 0.9)
    below[372:440, 100:620] *= (0.85, 0.87, 0.84)
    below[460:466] *= 0.8
    shadow[500:] *= 0.8
    lines[40::82] *= 0.85
    away_mm = (np.arange(H)[:, None, None] - 480) / MM
    washes = [flat * (1 - depth * np.exp(-away_mm / far) * (away_mm >= 0)) for depth, far in ((0.1, 3), (0.3, 8))]
    lined = flat * (1 - 0.1 * np.exp(-away_mm / 8) * (away_mm >= 0)) * (1 - 0.3 * (np.abs(away_mm) < 0.3))
    for light in (flat, pale, dark, sky, below, shadow, lines, *washes, lined):
        pixels = np.rint(srgb_encode(cv2.GaussianBlur(light, (0, 0), 0.7).astype(np.float32)) * 255).astype(np.uint8)
        assert find_folds(pixels, 1.0, 300) == ()


@pytest.mark.parametrize("upright", [True, False])
@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_grey_scans_of_any_depth_are_unfolded_without_touching_what_lies_beside(upright: bool, kind: type) -> None:
    """A grey strip of 8 or 16 bits: flat afterwards to a few hundredths of its fold, ink on it as dark, the rest its own;
    and so beside a line of lettering, which leaves little paper to read the fold's light from."""
    top = np.iinfo(kind).max
    light = 0.8 * fold_light(0.0, 4)[H // 2 - 250 : H // 2 + 250]
    light[:, 300:320] *= 0.1
    light[310:345, 400:] *= 0.1
    light[310:345, :230] *= 0.1
    codes = np.rint(srgb_encode(light.astype(np.float32)) * top).astype(kind)[..., None]
    codes = np.ascontiguousarray(codes.transpose(1, 0, 2)) if upright else codes
    fold = Fold(upright, 1250.0, 1250.0, -0.1)
    out = without_fold(codes, fold, 1000, 300)
    assert out.dtype == kind and out.shape == codes.shape
    before, after = (v[..., 0].T if upright else v[..., 0] for v in (codes, out))
    np.testing.assert_array_equal(after[:100], before[:100])
    paper = srgb_decode(np.delete(after[150:304], np.s_[290:330], axis=1).astype(np.float32) / np.float32(top))
    assert np.abs(paper / 0.8 - 1).mean() < 0.006
    ink = srgb_decode(after[150:350, 302:318].astype(np.float32) / np.float32(top))
    assert np.abs(ink / 0.08 - 1).mean() < 0.03
