"""Streaks under a sensor: how they are told where drawing hides a part of them, by the finder alone."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from woad.core.raster.transfer import srgb_encode
from woad.core.spotting.streaks import find_streaks

H, W, PPI, AT = 1200, 800, 150.0, 417
SHADED = slice(330, 850), slice(40, W - 40)


def scan(strength: float, rows: tuple[tuple[int, int], ...], shaded: bool) -> NDArray[np.uint8]:
    """Paper, grainy shading in the middle, and a column of other light in some ``rows``."""
    rng = np.random.default_rng(3)
    light = np.full((H, W), 0.8, np.float32)
    if shaded:
        grain = cv2.resize(rng.random((H // 2, W // 2)).astype(np.float32), (W, H), interpolation=cv2.INTER_NEAREST)
        light[SHADED] *= np.where(grain > 0.45, 0.15, 0.9)[SHADED]
    for first, end in rows:
        light[first:end, AT] *= strength
    light += rng.normal(0, 0.004, light.shape).astype(np.float32)
    return np.rint(srgb_encode(np.clip(light, 0, 1)) * 255).astype(np.uint8)[..., None]


def found(picture: NDArray[np.uint8]) -> list[tuple[bool, int, int]]:
    streaks = find_streaks(lambda box: picture[box.y : box.bottom, box.x : box.right], W, H, PPI)
    return [(one.upright, one.first, one.end) for one in streaks]


@pytest.mark.parametrize("strength", [0.96, 1.06])
def test_a_faint_streak_is_found_though_two_fifths_of_it_is_hidden_by_shading(strength: float) -> None:
    assert found(scan(strength, ((0, H),), True)) == [(True, AT, AT + 1)]


def test_lines_that_stop_on_bare_paper_and_shading_alone_are_none() -> None:
    """What is missing where it could be seen was drawn, and so is what only shading shows."""
    assert found(scan(0.96, ((0, 330), (850, H)), False)) == []
    assert found(scan(1.0, (), True)) == []
