"""Simulated captures with known truth: tilted scans, photos on tables, good scans and scans with one fault each."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from media import ALL, draw, turned
from woad.demo.camera import Photo, Table, photograph, view_from
from woad.demo.scanner import Capture, Light, expose, laid_apart, light_field, sharpened

Image = NDArray[np.uint8]

FAULTS = (
    "burnt_out",
    "blurred",
    "compressed",
    "uneven_light",
    "shadow",
    "glare",
    "noisy",
    "sharpened",
    "colours_apart",
)
AFTER = ("as it is", "saved anew", "messenger")


def tilted_scan(seed: int, cue: bool) -> tuple[Image, float, str]:
    """A flatbed scan, its tilt clockwise in degrees, its medium. Some show the scanner's lid around the sheet."""
    rng = np.random.default_rng(seed * 77 + 3 + cue)
    medium = ALL[seed % len(ALL)]
    flat = draw(medium, seed, 180, cue)
    deg = float(rng.uniform(-8, 8))
    bed = None if (not cue or rng.random() < 0.6) else float(rng.choice([0.95, 0.05, 0.6]))
    linear, _ = turned(flat, deg, bed)
    light = Light(falloff=rng.uniform(0, 0.25), falloff_deg=rng.uniform(0, 360), vignette=rng.uniform(0, 0.2))
    quality = int(rng.integers(80, 95)) if rng.random() < 0.5 else None
    capture = Capture(rng.uniform(0.5, 1), rng.uniform(0.002, 0.007), 0, quality, rng.uniform(0.8, 0.97))
    return shot(linear, light, capture, rng), deg, medium


def table_photo(seed: int, cut: bool = False) -> Photo:
    """A phone's photo of a sheet on a table: every third table nearly as light as the paper, every fourth sheet with a
    curled corner. ``cut``: the sheet runs out of the picture."""
    rng = np.random.default_rng(seed * 31 + 7)
    flat = draw(ALL[seed % len(ALL)], seed, 190, True, (148, 210) if rng.random() < 0.8 else (210, 148))
    size = (1500, 1125) if rng.random() < 0.3 else (1125, 1500)
    corners = view_from(size, flat.linear.shape[1] / flat.linear.shape[0], rng, 0.16, 25)
    if cut:
        corners = corners + [0, size[1] - corners[:, 1].max() + 0.05 * size[1]]
    if seed % 3 == 0:
        paper = np.median(flat.linear.reshape(-1, 3), axis=0)
        hue = np.array([1, rng.uniform(0.97, 1.02), rng.uniform(0.94, 1.03)])
        colour = np.clip(paper * rng.uniform(0.9, 0.96) * hue, 0, 0.95)
        table = Table((float(colour[0]), float(colour[1]), float(colour[2])), "plain", rng.uniform(0.005, 0.02))
    else:
        colour = rng.uniform(0.05, 0.6) * np.array([1, rng.uniform(0.6, 1), rng.uniform(0.4, 1)])
        kind = ("wood", "plain", "cloth")[int(rng.integers(0, 3))]
        table = Table((float(colour[0]), float(colour[1]), float(colour[2])), kind, rng.uniform(0.03, 0.2))
    light = Light(
        rng.uniform(0, 0.35), rng.uniform(0, 360), rng.uniform(0, 0.3), float(rng.choice([0, 0, 0.35])),
        rng.uniform(0.55, 0.85), 35.0, rng.uniform(0.06, 0.2),
    )  # fmt: skip
    quality = int(rng.integers(85, 95))
    capture = Capture(
        rng.uniform(0.6, 1.1), rng.uniform(0.004, 0.009), rng.uniform(0.1, 0.5), quality, rng.uniform(0.75, 0.9)
    )
    curl = int(rng.integers(0, 4)) if seed % 4 == 1 else None
    return photograph(flat.linear, corners, size, table, light, capture, rng, curl, rng.uniform(0.05, 0.4))


@dataclass(frozen=True)
class Spoiled:
    """A capture with one ``fault`` (or ``good``), what happened to its file ``after``, and its medium."""

    fault: str
    after: str
    medium: str
    image: Image


def capture_with(fault: str, seed: int, after: str) -> Spoiled:
    """A capture with one fault, or ``good`` / ``good photo`` ones with none."""
    rng = np.random.default_rng(seed * 991 + sum(map(ord, fault)))
    medium = ALL[seed % len(ALL)]
    linear = draw(medium, seed, 220, True).linear
    photo = fault in ("good photo", "shadow", "glare", "uneven_light") or (
        fault in ("blurred", "noisy") and rng.random() < 0.5
    )
    light = Light(rng.uniform(0, 0.15), rng.uniform(0, 360), rng.uniform(0, 0.15) if photo else 0.03)
    quality = int(rng.integers(86, 96))
    capture = (
        Capture(rng.uniform(0.6, 1.0), rng.uniform(0.003, 0.008), rng.uniform(0.1, 0.5), quality, rng.uniform(0.7, 0.92))
        if photo
        else Capture(rng.uniform(0.45, 0.9), rng.uniform(0.002, 0.005), 0, quality if rng.random() < 0.5 else None,
                     rng.uniform(0.85, 0.99))
    )  # fmt: skip
    if fault == "burnt_out":
        capture = replace(capture, exposure=float(rng.uniform(1.35, 1.8) / (np.percentile(linear, 80) / 0.86)))
    elif fault == "blurred":
        capture = replace(capture, blur_px=rng.uniform(2.2, 4), sharpen=0.0)
    elif fault == "noisy":
        capture = replace(capture, noise=rng.uniform(0.03, 0.06), jpeg_quality=None if rng.random() < 0.5 else 90)
    elif fault == "compressed":
        capture = replace(capture, jpeg_quality=int(rng.integers(12, 28)))
    elif fault == "uneven_light":
        light = Light(rng.uniform(0.45, 0.65), rng.uniform(0, 360), rng.uniform(0.15, 0.4))
    elif fault == "shadow":
        light = replace(light, shadow=rng.uniform(0.35, 0.6), shadow_at=rng.uniform(0.4, 0.7),
                        shadow_deg=rng.uniform(0, 360), penumbra=rng.uniform(0.01, 0.05))  # fmt: skip
    if fault == "glare":
        linear = _glare(linear, rng)
        capture = replace(capture, exposure=min(capture.exposure, 0.8))
    image = shot(linear, light, capture, rng)
    if fault == "sharpened":
        image = sharpened(image, rng.uniform(1.2, 2.5), rng.uniform(1.2, 2.0))
    elif fault == "colours_apart":
        image = laid_apart(image, (0.0, rng.uniform(0.3, 1.2)), 0.0 if rng.random() < 0.5 else rng.uniform(0, 0.0012))
    return Spoiled(fault, after, medium, _afterwards(image, after, rng))


def shot(linear: NDArray[np.float32], light: Light, capture: Capture, rng: np.random.Generator) -> Image:
    field = light_field(linear.shape[:2], light) * np.float32(capture.exposure)
    return expose([linear[..., c] for c in range(3)], field, capture, rng)[0]


def _glare(linear: NDArray[np.float32], rng: np.random.Generator) -> NDArray[np.float32]:
    h, w = linear.shape[:2]
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    cx, cy, r = rng.uniform(0.3, 0.7) * w, rng.uniform(0.3, 0.7) * h, rng.uniform(0.07, 0.14) * h
    spot = np.exp(-((((x - cx) ** 2 + (y - cy) ** 2) / (2 * (0.7 * r) ** 2)) ** 1.2)) * rng.uniform(0.5, 0.9)
    return np.asarray(linear + spot[..., None], np.float32)


def _afterwards(image: Image, after: str, rng: np.random.Generator) -> Image:
    if after == "saved anew":
        return saved(image, int(rng.integers(85, 93)))
    if after == "messenger":
        h, w = image.shape[:2]
        share = rng.uniform(0.55, 0.8)
        small = cv2.resize(image, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
        small = saved(np.asarray(small), int(rng.integers(70, 85)))
        return np.asarray(cv2.resize(small, (w, h), interpolation=cv2.INTER_CUBIC))
    return image


def saved(image: Image, quality: int) -> Image:
    data = cv2.imencode(".jpg", image[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return np.ascontiguousarray(np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR))[..., ::-1])
