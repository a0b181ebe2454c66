"""Light that falls off towards a line from border to border is evened; what was drawn there stays."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import strokes
from woad.core.paper.gutter import find_gutter
from woad.core.paper.light_field import estimate_light
from woad.core.paper.refine import LightField
from woad.core.raster.channels import grey_of
from woad.demo.scanner import Light, light_field, smooth_noise

H, W = 1050, 750  # 5 px to the millimetre


def page(shade: NDArray, channels: int = 3) -> tuple[NDArray, NDArray, NDArray]:
    """Linear picture of a page with strokes in that ``shade`` (H, W), its true light, and where there is bare paper."""
    rng = np.random.default_rng(7)
    ink = strokes((H, W), 70, rng)
    tone = np.array([0.85, 0.83, 0.77], np.float32)[:channels]
    field = (light_field((H, W), Light(0.15, 40, 0.1)) * shade[..., None] * tone).astype(np.float32)
    grain = (1 + 0.006 * smooth_noise((H, W), 1.5, rng))[..., None]
    picture = field * grain * (1 - 0.95 * ink[..., None] / np.float32(255)) + rng.normal(0, 0.003, field.shape)
    return np.asarray(picture, np.float32), field, cv2.dilate(ink, np.ones((5, 5))) == 0


@pytest.mark.parametrize("channels", [pytest.param(1, marks=pytest.mark.proof), 3])
@pytest.mark.parametrize(
    ("at", "lean", "level"), [(380, 24, False), (0, 0, False), (1049, 0, True)], ids=["spread", "page", "foot"]
)
def test_a_gutter_is_light(at: float, lean: float, level: bool, channels: int) -> None:
    """Nearly half of the light is gone in it, within a few millimetres: all but a hundredth of that is evened."""
    y, x = np.mgrid[0:H, 0:W]
    away = np.abs((y if level else x) - at - lean * (y / H - 0.5))
    shade = 1 - 0.45 * np.exp(-away / 30)
    picture, field, bare = page(shade, channels)
    found = estimate_light(picture)
    assert isinstance(found, LightField)
    off = np.log(cv2.resize(found.grid, (W, H)).reshape(field.shape) / field).mean(axis=2)
    dark = bare & (shade < 0.9)
    assert np.abs(off[dark]).mean() < 0.015
    assert np.percentile(np.abs(off[dark]), 95) < 0.05
    assert np.abs(off[bare & (shade > 0.99)]).mean() < 0.005


@pytest.mark.parametrize(("x", "y", "strength"), [(1.0, 0.5, 1.0), (0.2, 0.9, 2.0)])
def test_a_lamps_light_has_no_line(x: float, y: float, strength: float) -> None:
    """It goes on to fall off towards the border, beyond any line that one might lay there."""
    down, right = np.mgrid[0:H, 0:W].astype(np.float32)
    picture, _, _ = page(1 / (1 + strength * (((right / W - x) * W / H) ** 2 + (down / H - y) ** 2)))
    logs = np.log(np.maximum(picture, 2e-4))
    assert find_gutter(logs, grey_of(logs)) is None


def test_what_was_painted_from_border_to_border_is_no_gutter() -> None:
    """A grey band, a blue one that runs out on both sides, a grey wash that runs out from a straight edge, hatching, and a
    band that ends before the border."""
    x = np.arange(W)[None].repeat(H, axis=0)
    flat = np.ones((H, W), np.float32)
    picture, _, _ = page(flat)
    soft = 0.45 * np.exp(-np.abs(x - 380) / 30)
    band = np.where(np.abs(x - 380) < 40, 0.6, 1.0)
    blue = np.stack([1 - soft, 1 - 0.6 * soft, 1 - 0.2 * soft], axis=2)
    wash = np.where(x > 380, 1 - 0.4 * np.exp(-(x - 380) / 60), 1.0)
    hatched = np.where((x % 12 < 5) & (np.abs(x - 380) < 60), 0.2, 1.0)
    short = 1 - soft * (np.arange(H) < 0.7 * H)[:, None]
    for art in (flat, band, blue, wash, hatched, short):
        logs = np.log(np.maximum(picture * (art if art.ndim == 3 else art[..., None]), 2e-4)).astype(np.float32)
        assert find_gutter(logs, grey_of(logs)) is None
