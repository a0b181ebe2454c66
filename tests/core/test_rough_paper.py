"""Rough papers lit from the side: their relief is paper, and hides neither what is bare nor what was drawn."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from captures import shot
from sheets import sheet_of, strokes
from woad.core.docket.media import starting_docket
from woad.core.render.whole import render_whole
from woad.demo.scanner import smooth_noise

Plane = NDArray[np.float32]
H, W = 750, 550
PAINTS = (0.5, 0.1, 0.07), (0.25, 0.4, 0.26), (0.75, 0.55, 0.45), (0.1, 0.2, 0.5), (0.8, 0.6, 0.1)


def rough(linear: Plane, rms: float, size: float, seed: int) -> NDArray[np.uint8]:
    """A scan of a sheet (h, w, 3) whose slopes, up to ``size`` px wide, are lit from the upper left."""
    rng, (h, w) = np.random.default_rng(seed), linear.shape[:2]
    tall = sum(share * smooth_noise((h, w), part * size, rng) for share, part in ((1.0, 1), (0.6, 0.5), (0.4, 0.2)))
    slope = np.asarray(tall, np.float32) - np.roll(np.asarray(tall, np.float32), (1, 1), (0, 1))
    slope[0], slope[:, 0] = 0, 0
    slope = cv2.GaussianBlur(slope, (0, 0), 0.8)
    return shot(np.asarray(linear * (1 + rms * slope / slope.std())[..., None], np.float32))


@pytest.mark.parametrize("seed", [2, pytest.param(43, marks=pytest.mark.proof)])
def test_paper_between_paint_is_bare(seed: int) -> None:
    """Crests of the relief that its own edges cut off are no paper that all the rest lies below."""
    rng, linear, covered = (
        np.random.default_rng(seed + 100),
        np.full((H, W, 3), 0.62, np.float32),
        np.zeros((H, W), np.uint8),
    )
    for _ in range(6):
        at, axes = (int(rng.uniform(100, W - 100)), int(rng.uniform(100, H - 100))), rng.integers(30, 90, 2)
        turn, colour = float(rng.uniform(0, 180)), PAINTS[int(rng.integers(5))]
        cv2.ellipse(linear, at, axes.tolist(), turn, 0, 360, colour, -1, cv2.LINE_AA)
        cv2.ellipse(covered, at, (axes + 8).tolist(), turn, 0, 360, 1, -1)
    sheet = sheet_of(rough(linear, 0.05, 7.0, seed))
    assert sheet.readings.light_doubt is None
    alpha = render_whole(sheet, starting_docket("gouache").with_setting("square.on", False)).alpha
    assert alpha is not None
    assert alpha[covered == 0].mean() < 1


def test_pencil_and_pen_are_told() -> None:
    """Half-tones of graphite lie within the relief; that nothing is deeper than graphite tells of it as well."""
    cover = strokes((H, W), 26, np.random.default_rng(2)).astype(np.float32)[..., None] / np.full(3, 255, np.float32)
    for darkness, medium in ((0.7, "pencil"), (0.96, "pen")):
        linear = np.asarray(0.8 * (1 - darkness * cover), np.float32)
        assert sheet_of(rough(linear, 0.035, 10.0, 5)).readings.medium == medium
