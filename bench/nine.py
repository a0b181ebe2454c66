"""Simulated scans and photos of all nine media with known truth, and what an oracle and the plain ways make of them."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from media import Flat, draw
from woad.core.ink.curve import encoded_share
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.demo.scanner import Capture, Light, expose, light_field

Plane = NDArray[np.float32]

LIGHTS = ("flatbed", "falloff", "shadow", "buckle", "warm")
IF_ASKED = ("hard", "hand")  # shadows that are more than the bars speak of


@dataclass(frozen=True)
class Recorded:
    """``flat`` is the truth, ``encoded`` (h, w, 3) the picture, ``jpeg`` its file if it has one; ``field`` (h, w, 3) the
    linear value of plain bare paper at every pixel."""

    flat: Flat
    light: str
    seed: int
    encoded: NDArray[np.uint8]
    jpeg: bytes | None
    field: Plane


def lights(name: str, rng: np.random.Generator) -> Light:
    """A light of a kind, from a sheet's own generator."""
    turn = float(rng.uniform(0, 360))
    return {
        "flatbed": Light(0.04, turn),
        "falloff": Light(rng.uniform(0.2, 0.4), turn, rng.uniform(0.1, 0.3)),
        "shadow": Light(0.15, turn, 0.12, rng.uniform(0.3, 0.5), rng.uniform(0.6, 0.8), rng.uniform(0, 360),
                        rng.uniform(0.1, 0.2)),
        "hand": Light(0.15, turn, 0.12),
        "hard": Light(0.1, turn, 0.1, rng.uniform(0.3, 0.5), rng.uniform(0.6, 0.8), rng.uniform(0, 360), 0.01),
        "buckle": Light(0.05, turn, buckle=rng.uniform(0.04, 0.09), buckle_waves=rng.uniform(3, 6)),
        "warm": Light(0.1, turn, 0.08, warmth=rng.uniform(0.1, 0.25)),
    }[name]  # fmt: skip


def record_flat(medium: str, light: str, seed: int, ppi: float = 200) -> Recorded:
    """Draw a sheet and capture it; photos are blurred, noisy, sharpened JPEGs, scans are clean."""
    rng = np.random.default_rng(seed * 6151 + sum(map(ord, medium + light)))
    flat = draw(medium, seed, ppi, bool(rng.random() < 0.6))
    return captured(flat, flat.linear, light, seed, rng)


def captured(
    flat: Flat, linear: Plane, light: str, seed: int, rng: np.random.Generator, scan_quality: int | None = None
) -> Recorded:
    """A drawing captured as it lies there, ``linear`` (h, w, 3): a photo in a lamp's light, else a scan, a JPEG of
    ``scan_quality`` if one is given."""
    photo = light in ("falloff", "shadow", "hard", "warm", "hand")
    capture = (
        Capture(rng.uniform(0.7, 1.0), rng.uniform(0.004, 0.008), rng.uniform(0.1, 0.5), int(rng.integers(88, 95)), 0.8)
        if photo
        else Capture(rng.uniform(0.45, 0.7), rng.uniform(0.002, 0.005), 0.0, scan_quality, rng.uniform(0.85, 0.98))
    )
    lit = light_field(linear.shape[:2], lights(light, rng)) * np.float32(capture.exposure)
    if light == "hand":
        lit *= _hand(linear.shape[0], linear.shape[1], rng)[..., None]
    encoded, jpeg = expose([linear[..., c] for c in range(3)], lit, capture, rng)
    return Recorded(flat, light, seed, encoded, jpeg, np.asarray(lit * np.asarray(flat.tone, np.float32)))


def _hand(height: int, width: int, rng: np.random.Generator) -> Plane:
    """Share of light that the shadow of a hand leaves, coming in from below with its fingers spread."""
    shape = np.zeros((height, width), np.float32)
    x, y = rng.uniform(0.5, 0.95) * width, 0.97 * height
    cv2.ellipse(shape, (round(x), round(y)), (round(0.28 * width), round(0.18 * height)), -30, 0, 360, 1.0, -1)
    for i in range(4):
        way = np.deg2rad(-150 + 22 * i + rng.uniform(-5, 5))
        long = rng.uniform(0.26, 0.4) * height
        tip = (round(x + long * np.cos(way)), round(y + long * np.sin(way)))
        cv2.line(shape, (round(x), round(y)), tip, 1.0, round(rng.uniform(0.06, 0.085) * width), cv2.LINE_AA)
    return np.asarray(1 - rng.uniform(0.25, 0.45) * cv2.GaussianBlur(shape, (0, 0), rng.uniform(14, 35)), np.float32)


@dataclass(frozen=True)
class Answer:
    """A way's answer: ``alpha`` (h, w) and straight encoded ``colour`` (3,) or (h, w, 3), 0..1; ``white`` (h, w, 3) its
    picture over white; ``ink`` encoded when it lays all marks in one colour."""

    alpha: Plane
    colour: Plane
    white: Plane
    ink: NDArray[np.float32] | None = None


def over_white(alpha: Plane, colour: Plane) -> Plane:
    a = alpha[..., None]
    return np.asarray(colour * a + 1 - a, np.float32)


def oracle(sheet: Recorded, ink: NDArray[np.float32] | None, halftones: str) -> Answer:
    """Given the true light; for one ink also the true ink, unmixed per pixel and laid in the same ink as Woad's; with a
    pencil underneath, the true pencil is taken out first."""
    relative = srgb_decode(sheet.encoded.astype(np.float32) / 255) / sheet.field
    flat = sheet.flat
    if ink is None or flat.ink is None:
        white = srgb_encode(np.clip(relative, 0, 1))
        return Answer(1 - white.min(axis=2), white, white)
    if flat.under is not None and flat.spoil is not None:
        relative = relative / (1 - flat.spoil[..., None] * (1 - np.asarray(flat.under, np.float32)))
    absorbs = 1 - np.asarray(flat.ink, np.float32)
    weights = np.array([0.299, 0.587, 0.114], np.float32) * absorbs
    weights /= float((weights * absorbs).sum())
    share = np.clip((1 - relative) @ weights, 0, 1)
    k = float(srgb_decode(ink.mean(keepdims=True))[0])
    alpha = np.asarray(share if halftones != "seen" else encoded_share(share, k), np.float32)
    return Answer(alpha, ink, over_white(alpha, ink), ink)


def threshold(sheet: Recorded) -> Answer:
    grey = cv2.cvtColor(sheet.encoded, cv2.COLOR_RGB2GRAY)
    _, mask = cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY_INV | cv2.THRESH_OTSU)
    alpha, colour = mask.astype(np.float32) / 255, sheet.encoded.astype(np.float32) / 255
    return Answer(alpha, colour, over_white(alpha, colour))


def brightness(sheet: Recorded) -> Answer:
    grey = cv2.cvtColor(sheet.encoded, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    black = np.zeros(3, np.float32)
    return Answer(1 - grey, black, over_white(1 - grey, black), black)


def divided(sheet: Recorded) -> Answer:
    """Divided by a blurred copy and stretched; colour sheets keep their colour, one-ink ones become black."""
    picture = sheet.encoded.astype(np.float32) + 1
    even = picture / cv2.GaussianBlur(picture, (0, 0), 50)
    low = float(np.percentile(even.mean(axis=2), 0.5))
    shown = np.clip((even - low) / max(0.95 - low, 1e-3), 0, 1).astype(np.float32)
    if sheet.flat.ink is None:
        return Answer(1 - shown.min(axis=2), shown, shown)
    alpha = np.asarray(1 - shown.mean(axis=2), np.float32)
    black = np.zeros(3, np.float32)
    return Answer(alpha, black, over_white(alpha, black), black)
