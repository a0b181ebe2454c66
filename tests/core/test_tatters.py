"""Sprayed paint: it thins out in specks, and is neither a white patch on a dark ground nor torn at its rim."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from sheets import sheet_of
from woad.core.docket.media import starting_docket
from woad.core.knockout.tatters import find_tatters
from woad.core.render.whole import render_whole

PAPER, BLUE = np.array((232, 229, 222), np.float32), np.array((60, 90, 170), np.float32)
DOCKET = starting_docket("watercolour").with_setting("square.on", False).with_setting("scan.ppi", 200)


@pytest.mark.parametrize("seed", [1, 2])
def test_spray_thins_out(seed: int) -> None:
    """Its mist covers less and less towards paper, all around alike, instead of ending in a white rim."""
    rng = np.random.default_rng(seed)
    h, w = 1100, 1000
    y, x = np.mgrid[:h, :w]
    away = np.hypot(x - 500, y - 550)
    share = 0.75 * np.exp(-((away / 210) ** 2))
    specks = cv2.GaussianBlur((rng.random((h, w)) < share).astype(np.float32), (0, 0), 0.9)
    scan = PAPER + np.clip(specks + 0.15 * share, 0, 1)[..., None] * (BLUE - PAPER)
    scan = np.clip(scan + rng.normal(0, 1.2, scan.shape), 0, 255).astype(np.uint8)
    alpha = render_whole(sheet_of(scan), DOCKET).alpha
    assert alpha is not None
    covers = cv2.blur(alpha, (25, 25)) / 255.0
    rings = [covers[(away >= far) & (away < far + 10)] for far in range(60, 500, 10)]
    means = np.array([ring.mean() for ring in rings])
    assert means[0] > 0.9 and means[-1] < 0.02
    assert np.diff(means).min() > -0.17
    assert max(float(ring.std()) for ring in rings) < 0.1


def test_strokes_side_by_side_are_not_tatters() -> None:
    """Nor are a wash with a bumpy edge, and spatter that lies apart."""
    y, x = np.mgrid[:700, :500]
    paint = np.zeros((700, 500), np.uint8)
    paint[100:300, 60:200] = x[100:300, 60:200] % 14 < 2
    paint[np.hypot(x - 330, y - 480) < 110 + 5 * np.sin(np.arctan2(y - 480, x - 330) * 40)] = 1
    rng = np.random.default_rng(3)
    paint[rng.integers(400, 690, 90), rng.integers(5, 200, 90)] = 1
    assert find_tatters(0.06 * paint.astype(np.float32), paint, np.zeros_like(paint), 0.014) is None
