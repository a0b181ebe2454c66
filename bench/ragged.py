"""Ragged edges of opaque paint, scanned and photographed: what shows at them that no mixture of paint and ground could be."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.knockout.fringe import fringe_pixels
from woad.core.raster.compositing import over
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.transfer import srgb_encode
from woad.core.render.sheet import make_sheet
from woad.core.render.whole import render_whole
from woad.demo.paint import Painting
from woad.demo.scanner import Capture, Light, expose, light_field

PAPER = (0.82, 0.79, 0.72)
PAINTS = (
    (0.05, 0.16, 0.36),
    (0.55, 0.08, 0.06),
    (0.03, 0.03, 0.05),
    (0.72, 0.45, 0.08),
    (0.1, 0.3, 0.12),
    (0.35, 0.2, 0.4),
)
GROUNDS = {"black": (0, 0, 0), "bright": (201, 70, 56)}
_STREAKS = 0.04  # by how much a brush's streaks are lighter than the paint's mean, encoded
_BAR = 0.05  # steps of 255, mean over edges


def _painted(
    rng: np.random.Generator, photo: bool
) -> tuple[NDArray[np.uint8], NDArray[np.float32], NDArray[np.float32]]:
    """A picture of six shapes; the true coverage (h, w); and the paint's colour over white paper (h, w, 3), 0..1."""
    painting = Painting(90, 70, 200, PAPER, rng)
    cover, colour = np.zeros(painting.shape, np.float32), np.ones((*painting.shape, 3), np.float32)
    for k, paint in enumerate(PAINTS):
        angle, r = np.linspace(0, 2 * np.pi, 9, endpoint=False), rng.uniform(7, 13, 9)
        middle = np.array([15 + 30 * (k % 3), 18 + 34 * (k // 3)]) + rng.normal(0, 2, 2)
        own = painting.cover(
            middle + np.stack([np.cos(angle) * r, np.sin(angle) * r], 1), True, rng.uniform(0.15, 0.45)
        )
        painting.opaque(own, paint, rng.uniform(0, 180), 0.0)
        colour = np.where((own > cover)[..., None], np.array(paint, np.float32), colour)
        cover = np.maximum(cover, own)
    light = Light(0.15, 40, 0.1) if photo else Light(0.04)
    capture = Capture(0.8, 0.006, 0.4, 90, 0.85) if photo else Capture(0.6, 0.003, 0.0, None, 0.9)
    field = light_field(painting.shape, light) * np.float32(capture.exposure)
    encoded, _ = expose([painting.linear[..., c] for c in range(3)], field, capture, rng)
    seen = srgb_encode(np.clip(colour / np.array(PAPER, np.float32), 0, 1))
    return encoded, np.asarray(cv2.GaussianBlur(cover, (0, 0), capture.blur_px)), np.asarray(seen)


def ragged_row(first: int, seeds: int) -> list[str]:
    """Print the row and return the misses."""
    misses: list[str] = []
    docket = starting_docket("gouache").with_setting("square.on", False).with_setting("scan.ppi", 200)
    for kind in ("scan", "photo"):
        beyond: dict[str, list[float]] = {name: [] for name in GROUNDS}
        fringe = []
        for seed in range(first, first + seeds):
            encoded, cover, colour = _painted(np.random.default_rng(seed), kind == "photo")
            file = cv2.imencode(".png", encoded[..., ::-1])[1].tobytes()
            planes = render_whole(make_sheet(take_in("paint.png", file), build_pyramid(encoded), docket), docket)
            assert planes.alpha is not None and planes.rgb is not None
            edge = cv2.dilate(((cover > 0.004) & (cover < 0.996)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
            inside = cv2.erode((cover > 0.999).astype(np.uint8), np.ones((7, 7), np.uint8))[..., None]
            lightest = cv2.dilate(colour * inside, np.ones((15, 15), np.uint8))
            edge &= lightest.max(axis=2) > 0
            for name, ground in GROUNDS.items():
                most = np.maximum((lightest + _STREAKS) * 255, ground)
                more = np.maximum(over(planes.rgb, planes.alpha, ground) - most, 0).mean(axis=2)
                beyond[name].append(float(more[edge].mean()))
            off, asked = fringe_pixels(planes.rgb, planes.alpha)
            fringe.append(100 * np.count_nonzero(off) / max(asked, 1))
        text = ", ".join(f"too light over {name} {np.mean(values):.3f}" for name, values in beyond.items())
        print(f"  {kind:8s} {text} (bar {_BAR}), fringe read {np.mean(fringe):.2f} %")
        misses += [f"ragged, {kind}: too light over {name}" for name, v in beyond.items() if np.mean(v) > _BAR]
    return misses
