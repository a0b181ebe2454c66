"""Washes that fade out on bare paper among ones with an edge: the cut-out on other grounds against truth, beside plain ways."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from media import Flat
from nine import LIGHTS, Recorded, captured
from nine_rows import opened, woad
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.units import mm_to_px
from woad.demo.scanner import smooth_noise

Plane = NDArray[np.float32]
W_MM, H_MM, PPI = 140, 190, 200
PIGMENTS = ((0.5, 0.72, 0.88), (0.84, 0.5, 0.36), (0.55, 0.72, 0.4), (0.9, 0.78, 0.36), (0.58, 0.46, 0.74),
            (0.3, 0.42, 0.6), (0.86, 0.6, 0.62))  # fmt: skip
GROUNDS = {"black": (0, 0, 0), "bright": (201, 70, 56)}
_WHOLE = 0.9  # coverage that an edged wash keeps


def draw(rng: np.random.Generator) -> tuple[Plane, Plane, Plane]:
    """Reflectance (h, w, 3) on ideal paper; how much paint covers and how much of it is of washes with an edge, (h, w). A wash
    that fades goes from a tenth to nine tenths within 2 to 16 mm."""
    shape, px = (round(mm_to_px(H_MM, PPI)), round(mm_to_px(W_MM, PPI))), mm_to_px(1, PPI)
    y, x = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
    linear, bare, edged = np.ones((*shape, 3), np.float32), np.ones(shape, np.float32), np.zeros(shape, np.float32)
    for i in range(int(rng.integers(6, 10))):
        centre, radius = rng.uniform(0.2, 0.8, 2) * shape, rng.uniform(10, 32) * px
        ragged = sum(k * smooth_noise(shape, mm * px, rng) for k, mm in ((0.15, 18), (0.11, 7), (0.03, 2.2)))
        out = np.hypot((y - centre[0]) / rng.uniform(0.6, 1.2), x - centre[1]) - radius * (1 + ragged)
        scale = 0.15 * px if i % 2 else rng.uniform(2, 16) * px / 4.4
        cover = (1 / (1 + np.exp(np.clip(out / scale, -60, 60)))).astype(np.float32)
        pool = 1 + 0.25 * smooth_noise(shape, 11 * px, rng) + 0.08 * smooth_noise(shape, 0.25 * px, rng)
        depth = cover * np.clip(pool, 0.2, 2) * rng.uniform(0.4, 1.6)
        linear *= np.asarray(PIGMENTS[int(rng.integers(len(PIGMENTS)))], np.float32) ** depth[..., None]
        bare *= 1 - cover
        edged = np.maximum(edged, cover) if i % 2 else edged
    return linear, np.asarray(1 - bare), edged


def _cut(sheet: Recorded) -> dict[str, tuple[Plane, Plane]]:
    """Colours and alphas, 0..1, of Woad and of plain ways that are given the true light: the least alpha that explains a
    pixel, the lack of brightness, and all opaque that is darker than paper's noise."""
    ours, _ = woad(sheet, opened(sheet, PPI))
    relative = srgb_decode(sheet.encoded.astype(np.float32) / 255) / sheet.field
    white = srgb_encode(np.clip(relative, 0, 1)).astype(np.float32)
    least = 1 - white.min(axis=2)
    unmixed = np.clip(1 - (1 - white) / np.maximum(least, 1 / 255)[..., None], 0, 1)
    return {
        "Woad": (ours.colour, ours.alpha),
        "least": (unmixed, least),
        "brightness": (white, 1 - cv2.cvtColor(white, cv2.COLOR_RGB2GRAY)),
        "opaque": (white, np.where(cv2.GaussianBlur(least, (0, 0), 2) > 8 / 255, 1, 0).astype(np.float32)),
    }


def fades_row(first: int, seeds: int) -> list[str]:
    """Print the row and return the misses."""
    off: dict[tuple[str, str], list[float]] = {}
    lighter: dict[str, list[float]] = {}
    whole = []
    for seed in range(first, first + seeds):
        for light in LIGHTS:
            rng = np.random.default_rng(seed * 31 + LIGHTS.index(light))
            linear, cover, edged = draw(rng)
            tone = (0.86, 0.84, 0.78)
            paper = 1 + 0.01 * smooth_noise(cover.shape, 1.3, rng) + 0.006 * smooth_noise(cover.shape, 8, rng)
            on_paper = np.asarray(linear * paper[..., None] * np.asarray(tone, np.float32), np.float32)
            flat = Flat("watercolour", on_paper, cover > 0.2, PPI, linear, tone)
            sheet = captured(flat, on_paper, light, seed, rng)
            steep = cv2.morphologyEx(cv2.GaussianBlur(edged, (0, 0), 1.5), cv2.MORPH_GRADIENT, np.ones((9, 9)))
            fading = (cover > 0.03) & (cover < 0.9) & (steep < 0.1)
            encoded = srgb_encode(linear)
            alpha = np.maximum(cover, 1 - encoded.min(axis=2))[..., None]  # no colour is darker than black
            for way, (rgb, own) in _cut(sheet).items():
                for name, ground in GROUNDS.items():
                    behind, a = np.asarray(ground, np.float32), own[..., None]
                    truth = 255 * (encoded - 1 + alpha) + (1 - alpha) * behind
                    error = (255 * rgb * a + (1 - a) * behind - truth)[fading]
                    off.setdefault((way, name), []).append(float(np.abs(error).mean()))
                    if name == "black":
                        lighter.setdefault(way, []).append(float(np.maximum(error.mean(axis=1), 0).mean()))
                if way == "Woad":
                    whole.append(float((own[edged > 0.985] >= _WHOLE).mean()))
    ways = ("Woad", "least", "brightness", "opaque")
    misses = []
    for name in GROUNDS:
        mean = {way: float(np.mean(off[way, name])) for way in ways}
        print(f"  fading washes over {name:7s} off truth: " + ", ".join(f"{way} {mean[way]:.1f}" for way in ways))
        if mean["Woad"] > min(mean[way] for way in ways[1:]):
            misses.append(
                f"fades: over {name} {mean['Woad']:.1f} off truth, a plain way's {min(list(mean.values())[1:]):.1f}"
            )
    print("  lighter than truth over black: " + ", ".join(f"{way} {np.mean(lighter[way]):.1f}" for way in ways))
    print(f"  washes with an edge that cover at least {_WHOLE}: {np.mean(whole):.2%} (least sheet {np.min(whole):.2%})")
    return misses
