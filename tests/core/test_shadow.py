"""A soft shadow is read where paper shows it and known under marks; nothing else is taken for one."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from woad.core.paper.light_field import estimate_light
from woad.core.paper.refine import LightField
from woad.core.paper.shadow import Shadow, find_shadow

H, W = 720, 520
BLOCKS = (64, 46)


def shade(shape: tuple[int, int], bend: float, depth: float) -> NDArray[np.float32]:
    """Share of light left behind a shadow's edge that runs up the sheet; its penumbra is a logistic one."""
    y, x = np.mgrid[: shape[0], : shape[1]].astype(np.float32) / max(shape)
    beyond = (x - 0.25 + 0.35 * (y - 0.5) + bend * (y - 0.5) ** 2) / 0.025
    return np.asarray(1 - depth / (1 + np.exp(-beyond)), np.float32)


def paper(seed: int) -> NDArray[np.float32]:
    """Bare paper under a light that falls off, (H, W, 3)."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[:H, :W].astype(np.float32) / H
    light = 0.8 * (1 - 0.15 * x - 0.1 * (y - 0.4) ** 2)
    tone = light[..., None] * np.array([1.0, 0.98, 0.93], np.float32)
    return np.asarray(tone * (1 + rng.normal(0, 0.006, (H, W, 1))), np.float32)


def pixels(tone: NDArray[np.float64]) -> NDArray[np.float32]:
    """A sheet whose blocks have these tones: its edges are as crisp as paint's."""
    return np.kron(tone, np.ones((11, 11))).astype(np.float32)


@pytest.mark.proof
@pytest.mark.parametrize("bend", [pytest.param(0.0, id="straight"), pytest.param(0.8, id="bent")])
def test_a_wash_across_a_shadow_keeps_its_own_density(bend: float) -> None:
    """Half of the shadow's edge is hidden by a wash: the light under it is the true one to a few percent."""
    field, bare = shade((H, W), bend, 0.4), paper(3)
    cover = np.zeros((H, W), np.float32)
    cv2.rectangle(cover, (60, 180), (W - 60, 520), 1.0, -1)
    wash = 1 - cover[..., None] * np.array([0.35, 0.2, 0.12], np.float32)
    found = estimate_light(np.asarray(bare * wash * field[..., None], np.float32))
    assert isinstance(found, LightField)
    light = cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR)
    off = np.abs(np.log(light / (cv2.GaussianBlur(bare, (0, 0), 6) * field[..., None]))).mean(axis=2)
    assert np.median(off[cover > 0]) < 0.03
    assert np.percentile(off[cover > 0], 95) < 0.06
    assert np.percentile(off[cover == 0], 95) < 0.03


@pytest.mark.parametrize("sigma", [1.6, *(pytest.param(sigma, marks=pytest.mark.proof) for sigma in (4.0, 9.0))])
def test_a_crisp_shadow_goes_with_its_edge(sigma: float) -> None:
    """Behind a straight line half of the light is gone, within a few pixels."""
    rng, bare = np.random.default_rng(6), paper(6)
    y, x = np.mgrid[:H, :W].astype(np.float32)
    beyond = ((x - 330) * 0.9 - (y - 200) * 0.44) / sigma
    left = (1 - 0.5 * (0.5 + 0.5 * np.tanh(0.8 * (beyond + 0.045 * beyond**3))))[..., None]
    lines = np.zeros((H, W), np.float32)
    for _ in range(14):
        cv2.polylines(lines, [rng.uniform(40, W - 40, (4, 2)).astype(np.int32)], False, 1.0, 2, cv2.LINE_AA)
    found = estimate_light(np.asarray(bare * left * (1 - 0.95 * lines[..., None]), np.float32))
    assert isinstance(found, LightField)
    light = cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR)
    off = np.abs(np.log(light / (cv2.GaussianBlur(bare, (0, 0), 6) * left))).mean(axis=2)
    assert np.percentile(off[np.abs(beyond) < 3], 95) < 0.1
    assert np.percentile(off, 95) < 0.01


def test_a_shadow_is_found_with_its_tint() -> None:
    """Where it lies, how deep it is and how much bluer: to a hundredth or two, whatever grid it is laid over."""
    left = np.log(shade(BLOCKS, 0.3, 0.35))
    rng = np.random.default_rng(1)
    tone = left - 0.2 + rng.normal(0, 0.004, BLOCKS)
    tint = np.array([0.08, 0.0, -0.08])
    hue = left[..., None] * tint + rng.normal(0, 0.002, (*BLOCKS, 3))
    sure = np.ones(BLOCKS, np.float32)
    found = find_shadow(tone.astype(np.float32), hue.astype(np.float32), sure, BLOCKS, pixels(tone))
    assert isinstance(found, Shadow)
    assert np.allclose(found.tint, tint, atol=0.015)
    off = found.log_light((320, 230), (320, 230))[..., 1] - np.log(shade((320, 230), 0.3, 0.35))
    assert np.percentile(np.abs(off - off.mean()), 95) < 0.03


@pytest.mark.parametrize("kind", ["falls off", "step", "waves", "patches"])
def test_what_is_no_soft_shadow_is_not_taken_for_one(kind: str) -> None:
    """Light that falls off, paint with a crisp edge, buckled paper, blocks of paint here and there."""
    rng = np.random.default_rng(2)
    y, x = np.mgrid[: BLOCKS[0], : BLOCKS[1]] / BLOCKS[0]
    tone = {
        "falls off": np.log(1 - 0.4 * x - 0.2 * y * y),
        "step": np.where(x + 0.3 * y > 0.6, -0.3, 0.0),
        "waves": 0.06 * np.sin(25 * x + 4 * y),
        "patches": np.where(cv2.GaussianBlur(rng.normal(0, 1, BLOCKS), (0, 0), 4) > 0.06, -0.4, 0.0),
    }[kind] + rng.normal(0, 0.004, BLOCKS)
    sure, hue = np.ones(BLOCKS, np.float32), np.zeros((*BLOCKS, 3), np.float32)
    assert find_shadow(tone.astype(np.float32), hue, sure, BLOCKS, pixels(tone)) is None


@pytest.mark.parametrize(
    ("colour", "softness"),
    [((0.25, 0.4, 0.65), 0.08), ((0.75, 0.85, 0.95), 0.03), ((0.45, 0.33, 0.22), 0.08)],
    ids=["blue", "pale blue", "sepia"],
)
def test_a_sky_that_fades_out_is_no_shadow(colour: tuple[float, float, float], softness: float) -> None:
    """A wash over the upper third that runs off the sheet on three sides and ends as softly as a shadow: its hue tells."""
    bare = paper(4)
    y, x = np.mgrid[:H, :W].astype(np.float32) / H
    amount = 1 / (1 + np.exp((y - 0.35 + 0.03 * np.sin(9 * x)) / softness))
    art = np.array(colour, np.float32) ** amount[..., None]
    found = estimate_light(np.asarray(bare * art, np.float32))
    assert isinstance(found, LightField)
    light = cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR)
    kept = np.log(bare * art / light).mean(axis=2)[amount > 0.5].sum() / np.log(art).mean(axis=2)[amount > 0.5].sum()
    assert 0.6 < kept < 1.05


def test_no_slope_is_carried_up_under_marks() -> None:
    """Paper that is smudged around dense hatching darkens towards it: under it the light is not taken to rise again."""
    y, x = np.mgrid[:H, :W].astype(np.float32)
    bare, away = paper(5), np.hypot(x - 260, y - 360)
    ink = ((away < 150) & ((x + y) % 9 < 7)).astype(np.float32)
    smudge = 1 - 0.12 * np.exp(-(((away - 185) / 25) ** 2))
    picture = bare * smudge[..., None] * (1 - 0.93 * cv2.GaussianBlur(ink, (0, 0), 1.2))[..., None]
    found = estimate_light(np.asarray(picture, np.float32))
    assert isinstance(found, LightField)
    light = cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR)
    off = np.log(light / cv2.GaussianBlur(bare, (0, 0), 6)).mean(axis=2)
    assert off[away < 140].max() < 0.04
