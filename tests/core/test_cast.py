"""The shadow of a hand: evened to its soft edges, whatever its shape, and nothing that was drawn is taken for one."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import strokes
from woad.core.estimate import NoEstimate
from woad.core.paper.cast import with_cast
from woad.core.paper.light_field import estimate_light
from woad.core.paper.refine import LightField
from woad.demo.scanner import smooth_noise

H, W = 840, 620
Plane = NDArray[np.float32]


def hand(softness: float) -> Plane:
    """Share of light (H, W) that the shadow of a hand leaves, coming in from below."""
    shape = np.zeros((H, W), np.float32)
    cv2.ellipse(shape, (460, 800), (150, 190), 0, 0, 360, 1.0, -1)
    for x, y in ((240, 600), (330, 450), (430, 400), (540, 430)):
        cv2.line(shape, (450, 720), (x, y), 1.0, 46, cv2.LINE_AA)
    return np.asarray(1 - 0.36 * cv2.GaussianBlur(shape, (0, 0), softness), np.float32)


def bare(seed: int) -> Plane:
    """Paper in light that falls off, (H, W, 3), with its tooth."""
    rng = np.random.default_rng(seed)
    x = np.arange(W, dtype=np.float32) / H
    tooth = 1 + 0.006 * smooth_noise((H, W), 1.2, rng)
    return np.asarray(
        (0.75 * (1 - 0.2 * x)[None] * tooth)[..., None] * np.array([1, 0.97, 0.9], np.float32), np.float32
    )


def off_truth(linear: Plane, light: Plane) -> Plane:
    """By how much the light that is found differs from the true one (H, W, 3), natural log."""
    found = estimate_light(linear)
    assert isinstance(found, LightField)
    grid = cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR)
    return np.abs(np.log(grid / cv2.GaussianBlur(light, (0, 0), 2))).mean(axis=2)


@pytest.mark.parametrize("softness", [pytest.param(8.0, marks=pytest.mark.proof), 18.0])
def test_a_hands_shadow_is_evened_fingers_and_all(softness: float) -> None:
    """To a few percent, on paper, under strokes, and under a solid that lies in it."""
    light = bare(1) * hand(softness)[..., None]
    ink = strokes((H, W), 40, np.random.default_rng(2)).astype(np.float32) / 255
    cv2.rectangle(ink, (400, 690), (520, 780), 1.0, -1)
    off = off_truth(np.asarray(light * (1 - 0.95 * cv2.GaussianBlur(ink, (0, 0), 0.6))[..., None], np.float32), light)
    assert np.percentile(off[ink == 0], 98) < 0.03
    assert np.percentile(off[ink > 0.9], 95) < 0.03


@pytest.mark.parametrize("kind", ["wash inside", "hued wash off the sheet", "shading off the sheet"])
def test_what_is_drawn_is_no_such_shadow(kind: str) -> None:
    """A soft grey wash that begins on the sheet; one with a hue, and grained shading, that run off it: the light stays."""
    share = 1 - hand(14.0)
    art = np.ones((H, W, 3), np.float32)
    if kind == "wash inside":
        art -= np.roll(share, -260, axis=0)[..., None] * (np.arange(H) < 560)[:, None, None]
    elif kind == "hued wash off the sheet":
        art -= share[..., None] * np.array([1.2, 0.7, 0.2], np.float32)
    else:
        grain = smooth_noise((H, W), 1.5, np.random.default_rng(3))
        art -= (share * np.clip(1 + 0.8 * grain, 0, 2.2))[..., None]
    linear = np.asarray(bare(4) * art, np.float32)
    h, w = 54, 40
    logs = np.log(np.maximum(linear, 1e-3))
    lit = np.log(cv2.resize(bare(4), (w, h), interpolation=cv2.INTER_AREA)).mean(axis=2)
    tone = cv2.resize(logs.mean(axis=2), (w, h), interpolation=cv2.INTER_AREA)
    grid, none = np.exp(np.dstack([lit] * 3)).astype(np.float32), np.zeros((h, w), bool)
    assert with_cast(grid, logs, tone, lit.astype(np.float32), H // h, 0.006, none, none) is grid


def test_a_pale_grey_wash_that_a_shadow_falls_across_is_no_part_of_it() -> None:
    """Its step is no steeper than a shadow's soft edge, but crisp."""
    share = np.zeros((H, W), np.float32)
    cv2.ellipse(share, (310, 420), (170, 240), 15, 0, 360, 1.0, -1, cv2.LINE_AA)
    y, x = np.mgrid[:H, :W].astype(np.float32)
    shadow = 1 - 0.4 / (1 + np.exp(-(y * 0.85 + x * 0.5 - 700) / 25))
    light = bare(6) * shadow[..., None]
    linear = cv2.GaussianBlur(light * (1 - 0.13 * share)[..., None], (0, 0), 0.8)
    off = off_truth(np.asarray(linear, np.float32), light)
    assert np.median(off[share == 1]) < 0.007


@pytest.mark.proof
def test_the_smallest_sheets_in_shadow_are_read_without_a_word() -> None:
    """However little paper they show beside marks: warnings fail a test."""
    rng = np.random.default_rng(6)
    for _ in range(40):
        h, w = (int(side) for side in rng.integers(24, 60, 2))
        dark = np.zeros((h, w), np.float32)
        cv2.circle(dark, (int(rng.uniform(0, w)), h), int(rng.uniform(0.2, 0.6) * w), 1.0, -1)
        dark = 0.6 * cv2.GaussianBlur(dark, (0, 0), rng.uniform(1, 8))
        for _ in range(int(rng.integers(0, 9))):
            ends = [(int(rng.uniform(0, w)), int(rng.uniform(0, h))) for _ in range(2)]
            cv2.line(dark, ends[0], ends[1], 0.95, int(rng.integers(1, 6)))
        linear = np.clip(0.7 * (1 - dark) + rng.normal(0, 0.01, (h, w)), 0.01, 1).astype(np.float32)
        found = estimate_light(np.dstack([linear] * 3))
        assert isinstance(found, NoEstimate) or np.isfinite(found.grid).all()
