"""Smudged drawings: soft tones without edge, grain or hue, that look like uneven light. How much of their density is left."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from nine import lights
from woad.core.paper.light_field import estimate_light
from woad.core.paper.refine import LightField
from woad.demo.scanner import Light, light_field, smooth_noise

Plane = NDArray[np.float32]
H, W = 900, 660
PAPER = np.array([0.84, 0.83, 0.8], np.float32)
LIGHTS = ("flatbed", "falloff", "shadow", "buckle", "warm", "two edges")
_LOST, _PAPER = 0.05, 0.01  # bars: of the density that is lost, and by how much paper is off white


def smudged(rng: np.random.Generator) -> Plane:
    """Light (H, W) that rubbed-in tones leave: some blobs, deeper to one side, each fading out over its own width; and a few
    strokes over them."""
    dark = np.zeros((H, W), np.float32)
    turn = np.linspace(0, 2 * np.pi, 60)
    y, x = np.mgrid[:H, :W].astype(np.float32)
    for _ in range(int(rng.integers(2, 7))):
        cx, cy, size = rng.uniform(0.3, 0.7) * W, rng.uniform(0.25, 0.75) * H, rng.uniform(40, 130)
        radius = size * (1 + 0.2 * np.sin(2 * turn + rng.uniform(0, 6)) + 0.12 * np.sin(3 * turn + rng.uniform(0, 6)))
        outline = np.column_stack([cx + radius * np.cos(turn), cy + radius * np.sin(turn)])
        blob = cv2.fillPoly(np.zeros((H, W), np.float32), [np.rint(outline).astype(np.int32)], 1.0)
        way = rng.uniform(0, 2 * np.pi)
        ramp = np.clip(0.55 + 0.45 * ((x - cx) * np.cos(way) + (y - cy) * np.sin(way)) / size, 0, 1)
        tone = cv2.GaussianBlur(blob, (0, 0), rng.uniform(4, 25)) * ramp * np.float32(rng.uniform(0.2, 0.75))
        dark = np.maximum(dark, tone)
    ink = np.zeros((H, W), np.uint8)
    for _ in range(12):
        start = np.array([rng.uniform(0.15, 0.85) * W, rng.uniform(0.15, 0.85) * H])
        path = start + np.cumsum(rng.normal(0, 30, (5, 2)), axis=0)
        cv2.polylines(ink, [path.astype(np.int32)], False, 255, int(rng.integers(2, 5)), cv2.LINE_AA)
    return np.asarray((1 - dark) * (1 - 0.9 * ink.astype(np.float32) / 255), np.float32)


def shading_row(first: int, seeds: int) -> list[str]:
    """Print what such tones lose in each light, and by how much paper around them is off; return the misses."""
    misses = []
    print(f"\nshading: density that smudged tones lose, and bare paper beside them off white, {seeds} sheets a light")
    for light in LIGHTS:
        lost, off = [], []
        for seed in range(first, first + seeds):
            rng = np.random.default_rng(seed * 173)
            art = smudged(rng)
            lamp = Light(0.2, 30, 0.1, 0.35, 0.7, 20, 0.15) if light == "two edges" else lights(light, rng)
            field = light_field((H, W), lamp) * PAPER
            if light == "two edges":  # a second shadow comes in from the other side
                field = field * light_field((H, W), Light(0, 0, 0, 0.3, 0.75, rng.uniform(150, 250), 0.15))
            grain = (1 + 0.008 * smooth_noise((H, W), 2, rng))[..., None]
            picture = cv2.GaussianBlur(field * grain * art[..., None], (0, 0), 0.8)
            picture = np.asarray(picture + rng.normal(0, 0.004, picture.shape), np.float32)
            found = estimate_light(picture)
            if not isinstance(found, LightField):
                lost.append(1.0)
                continue
            grid = cv2.resize(found.grid, (W, H), interpolation=cv2.INTER_LINEAR)
            kept = np.log(grid / field).mean(axis=2)  # what the light lacks is taken off the art's density
            tones = (art < 0.93) & (art > 0.15)
            lost.append(float(-kept[tones].sum() / -np.log(art)[tones].sum()))
            off.append(float(np.median(np.abs(kept[art > 0.998]))))
        worst, paper = max(lost), max(off, default=1.0)
        print(f"  {light:10s} lost: mean {np.mean(np.maximum(lost, 0)):.1%}, worst {worst:.1%}; paper {paper:.2%}")
        if worst > _LOST:
            misses.append(f"shading: in {light} light smudged tones lose {worst:.1%} (bar {_LOST:.0%})")
        if paper > _PAPER:
            misses.append(f"shading: in {light} light the paper beside is off by {paper:.2%} (bar {_PAPER:.0%})")
    return misses
