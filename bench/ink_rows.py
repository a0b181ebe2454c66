"""Rows of the quality bench for Paper and Ink: light under smooth washes, drop-out colours, two-tone edges."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from media import draw
from nine import lights
from nine_rows import opened
from woad.core.docket.media import starting_docket
from woad.core.ink.strokes import two_tone
from woad.core.paper.light_field import estimate_light
from woad.core.paper.refine import LightField
from woad.core.render.whole import render_whole
from woad.core.units import px_to_mm
from woad.demo.canvas import Canvas, Pen
from woad.demo.scanner import Capture, expose, light_field, smooth_noise

Plane = NDArray[np.float32]
PENCILS = {
    "light blue": (0.42, 0.7, 0.93), "sky blue": (0.35, 0.62, 0.9), "grey blue": (0.5, 0.68, 0.86), "red": (0.93, 0.52, 0.47),
    "violet": (0.7, 0.52, 0.86),
}  # fmt: skip


def evening_row(first: int) -> list[str]:
    """A true smooth wash of every depth and hue, in every light: how much of its density is lost."""
    losses: dict[str, list[float]] = {}
    for light in ("flatbed", "falloff", "shadow", "buckle", "warm"):
        for i in range(8):
            rng = np.random.default_rng(first * 131 + i)
            h, w = 900, 660
            cover = np.zeros((h, w), np.float32)
            a = np.linspace(0, 2 * np.pi, 60)
            r = 1 + sum(rng.normal(0, 0.18 / k) * np.cos(k * a + rng.uniform(0, 6)) for k in (2, 3, 4))
            size = rng.uniform(120, 260)
            shape = np.column_stack([w / 2 + size * r * np.cos(a), h / 2 + 1.2 * size * r * np.sin(a)])
            cv2.fillPoly(cover, [np.round(shape * 16).astype(np.int32)], 1.0, cv2.LINE_AA, 4)
            wash = 1 - rng.uniform(0.06, 0.5) * np.array(
                [rng.uniform(0.3, 1), rng.uniform(0.3, 1), rng.uniform(0.3, 1)]
            )
            field = light_field((h, w), lights(light, rng)) * np.array([0.84, 0.83, 0.8], np.float32)
            picture = field * (1 + 0.008 * smooth_noise((h, w), 2, rng))[..., None]
            picture = picture * (1 - cover[..., None] * (1 - wash.astype(np.float32)))
            picture = cv2.GaussianBlur(picture, (0, 0), 0.8) + rng.normal(0, 0.004, picture.shape)
            found = estimate_light(np.asarray(picture, np.float32))
            if not isinstance(found, LightField):
                losses.setdefault(light, []).append(1.0)
                continue
            grid = cv2.resize(found.grid, (w, h), interpolation=cv2.INTER_LINEAR)
            core = cv2.erode((cover > 0.99).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
            kept = -np.log(np.maximum(picture / grid, 1e-3)).mean(axis=2)[core].mean() / -np.log(wash).mean()
            losses.setdefault(light, []).append(float(1 - kept))
    misses = []
    print("\nevening: density that a smooth wash loses, 8 washes a light")
    for light, values in losses.items():
        mean, worst = float(np.mean(np.maximum(values, 0))), float(max(values))
        print(f"  {light:10s} mean {mean:.1%}, worst {worst:.1%}")
        if worst > 0.05:
            misses.append(f"evening: in {light} light a smooth wash loses {worst:.1%} (bar 5 %)")
    return misses


def drop_out_row(first: int) -> list[str]:
    """Five pencils, thick and thin, on paper and under ink: what is left, and what the ink loses at crossings."""
    misses = []
    print("\ndrop-out: left of the pencil (of 255), ink's coverage lost at crossings; found by itself / picked")
    for name, colour in PENCILS.items():
        for thick in (0.25, 0.9):
            left, lost = [], []
            for i in range(2):
                for wish in ("auto", "picked"):
                    one = _crossing(first + i, colour, thick, wish)
                    left.append(one[0])
                    lost.append(one[1])
            kind = "thick" if thick > 0.5 else "thin"
            print(f"  {name:11s} {kind:6s} left {max(left):.2f} (worst of {len(left)}), lost {max(lost):.2%}")
            if max(left) >= 1:
                misses.append(f"drop-out: {kind} {name} leaves {max(left):.2f} (bar 1.0)")
            if max(lost) >= 0.02:
                misses.append(f"drop-out: ink across {kind} {name} loses {max(lost):.1%} (bar 2 %)")
    return misses


def _crossing(seed: int, colour: tuple[float, float, float], thick_mm: float, wish: str) -> tuple[float, float]:
    rng = np.random.default_rng(seed * 17 + round(thick_mm * 100))
    flat = draw("pen", seed, 200, True)
    assert flat.cover is not None
    h, w = flat.cover.shape
    under = Canvas(px_to_mm(w, 200), px_to_mm(h, 200), 200, 2)
    pen = Pen(under, rng, thick_mm)
    for _ in range(14):
        a, b = rng.uniform([10, 10], [138, 200]), rng.uniform([10, 10], [138, 200])
        pen.curve(np.vstack([a, (a + b) / 2 + rng.normal(0, 6, 2), b]), 1.0)
    pencil = under.coverage()[:h, :w]
    grain = np.clip(0.8 + 0.25 * smooth_noise((h, w), 1.3, rng), 0.15, 1)
    linear = flat.linear * (1 - (pencil * grain)[..., None] * (1 - np.asarray(colour, np.float32)))
    photo = bool(seed % 2)
    capture = Capture(0.8, 0.005, 0.3, 90, 0.8) if photo else Capture(0.6, 0.003, 0, None, 0.9)
    field = light_field((h, w), lights("falloff" if photo else "flatbed", rng)) * np.float32(capture.exposure)
    encoded, jpeg = expose([linear[..., c] for c in range(3)], field, capture, rng)
    from nine import Recorded

    sheet = opened(Recorded(flat, "flatbed", seed, encoded, jpeg, field))
    docket = starting_docket("blue-pencil")
    if wish == "picked":
        from woad.core.raster.transfer import srgb_encode

        rgb = tuple(int(v) for v in np.rint(srgb_encode(np.asarray(colour, np.float32)) * 255))
        docket = docket.with_setting("ink.drop_out", (rgb,))
    alpha = render_whole(sheet, docket).alpha
    assert alpha is not None
    lines = (pencil > 0.5) & (cv2.dilate(flat.cover, np.ones((7, 7))) < 0.004)
    inner = cv2.erode(flat.cover, np.ones((3, 3))) > 0.98
    crossing, plain = inner & (pencil > 0.5), inner & (pencil < 0.004)
    lost = 1 - float(alpha[crossing].mean()) / float(alpha[plain].mean()) if crossing.sum() > 30 else 0.0
    return float(alpha[lines].mean()), lost


def two_tone_row(first: int) -> list[str]:
    """Blobs of many sizes with known outlines, blurred and noisy: how far the two-tone edge lies from the true one."""
    offs = []
    for i in range(12):
        rng = np.random.default_rng(first * 7 + i)
        big = np.zeros((2000, 2000), np.uint8)
        a = np.linspace(0, 2 * np.pi, 200, endpoint=False)
        r = rng.uniform(250, 700) * (
            1 + sum(rng.normal(0, 0.1 / k) * np.cos(k * a + rng.uniform(0, 6)) for k in (2, 3, 4, 5))
        )
        shape = np.column_stack([1000 + r * np.cos(a), 1000 + r * np.sin(a)])
        cv2.fillPoly(big, [np.round(shape * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
        true = cv2.resize(big, (250, 250), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        scan = cv2.GaussianBlur(true, (0, 0), rng.uniform(0.4, 1.0)) * 255 + rng.normal(0, 3, true.shape)
        out = two_tone(np.clip(scan, 0, 255).astype(np.uint8)).astype(np.float32) / 255
        # Along the outline coverage gained or lost per pixel of length is how far the edge has moved.
        band = cv2.dilate(((true > 0) & (true < 1)).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        moved = cv2.blur(out - true, (7, 7)) * 49
        length = cv2.blur(((true > 0.001) & (true < 0.999)).astype(np.float32), (7, 7)) * 49
        on = band & (length > 4)
        offs.append(np.abs(moved[on] / np.maximum(length[on], 1)).mean())
    mean = float(np.mean(offs))
    print(f"\ntwo-tone: edges lie {mean:.3f} px from the truth (mean of 12 outlines; bar 0.15)")
    return [] if mean < 0.15 else [f"two-tone: edges lie {mean:.3f} px off (bar 0.15)"]
