"""Simulated flatbed scanner and phone camera: what a sheet with known marks looks like in a file."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.transfer import srgb_encode
from woad.core.units import mm_to_px
from woad.demo.canvas import Plane


@dataclass(frozen=True)
class Light:
    """How light falls on the sheet. ``falloff``, ``vignette`` and ``shadow`` are shares of light lost (0 to 1)."""

    falloff: float = 0.02
    falloff_deg: float = 20.0
    vignette: float = 0.0
    shadow: float = 0.0
    shadow_at: float = 0.75  # where the shadow's edge crosses the sheet, share of the diagonal
    shadow_deg: float = 35.0
    penumbra: float = 0.12  # width of the soft edge, share of the diagonal
    shadow_tint: tuple[float, float, float] = (0.95, 1.0, 1.06)
    buckle: float = 0.0  # light gained and lost on the waves of wet-stretched paper
    buckle_waves: float = 5.0  # waves along the diagonal
    warmth: float = 0.0  # how much warmer the light is on one side than on the other


@dataclass(frozen=True)
class Capture:
    """How the sheet is recorded. Lengths in pixels, noise as a share of white in linear light."""

    blur_px: float = 0.6
    noise: float = 0.004
    sharpen: float = 0.0
    jpeg_quality: int | None = None
    exposure: float = 0.9  # linear value that a perfectly white paper would read
    dust: int = 0


@dataclass(frozen=True)
class Paper:
    """The paper itself: linear reflectance per channel and the strength of its texture (relative)."""

    colour: tuple[float, float, float] = (0.86, 0.83, 0.74)
    texture: float = 0.008


@dataclass(frozen=True)
class Scan:
    """A simulated scan with its truth.

    ``encoded`` (H, W, 3) uint8 sRGB; ``coverage`` (H, W) float32 geometric share of ink; ``ink`` linear
    reflectance of full ink relative to the paper, per channel; ``field`` (H, W, 3) float32: linear value of
    bare paper at every pixel, without its texture.
    """

    encoded: NDArray[np.uint8]
    coverage: Plane
    ink: tuple[float, float, float]
    field: NDArray[np.float32]
    ppi: float
    jpeg: bytes | None = None


def smooth_noise(shape: tuple[int, int], size_px: float, rng: np.random.Generator) -> Plane:
    """Unit-variance noise with features about ``size_px`` wide, (H, W) float32."""
    h, w = shape
    step = max(1.0, size_px / 2)
    small = rng.standard_normal((int(h / step) + 3, int(w / step) + 3), dtype=np.float32)
    small = cv2.GaussianBlur(small, (0, 0), 1.0)
    small /= max(float(small.std()), 1e-6)
    return np.asarray(cv2.resize(small, (w, h), interpolation=cv2.INTER_CUBIC))


def light_field(shape: tuple[int, int], light: Light) -> NDArray[np.float32]:
    """Relative light over the sheet, (H, W, 3) float32, at most 1."""
    h, w = shape
    diagonal = float(np.hypot(h, w))
    y, x = np.mgrid[0:h:8, 0:w:8].astype(np.float32)
    cx, cy = (x - w / 2) / diagonal, (y - h / 2) / diagonal

    def along(deg: float) -> Plane:
        a = np.deg2rad(deg)
        return np.asarray(cx * np.cos(a) + cy * np.sin(a), np.float32)

    out = 1 - light.falloff * np.clip(along(light.falloff_deg) + 0.5, 0, 1)
    out = out * (1 - light.vignette * np.clip((cx**2 + cy**2) * 4, 0, 1) ** 1.3)
    edge = (along(light.shadow_deg) + 0.5 - light.shadow_at) / max(light.penumbra, 1e-3)
    dark = light.shadow / (1 + np.exp(-6 * np.clip(edge, -8, 8)))
    tint = np.asarray(light.shadow_tint, np.float32)
    if light.buckle:
        out = out * (1 + light.buckle * _waves(along, cx, cy, light.buckle_waves))
    # The tint belongs to the shadow: full light stays neutral.
    rgb = out[..., None] * (1 - dark[..., None] * (1 - (tint - 1) * (1 - dark[..., None])))
    if light.warmth:
        drift = along(light.falloff_deg + 70)[..., None] * np.array([1, 0, -1.3], np.float32)
        rgb = rgb * (1 + light.warmth * drift)
    return np.asarray(cv2.resize(rgb.astype(np.float32), (w, h), interpolation=cv2.INTER_CUBIC))


def _waves(along: Callable[[float], Plane], cx: Plane, cy: Plane, waves: float) -> Plane:
    """Waves of buckled paper, -1 to 1: highest at the rim of the sheet, where paper stretches most."""
    ridge = np.sin(2 * np.pi * waves * along(20) + 1.7 * np.sin(7 * cy)) * np.sin(
        2 * np.pi * 0.6 * waves * along(105) + 2
    )
    return np.asarray(ridge * np.clip(0.35 + 2.2 * (cx**2 + cy**2), 0, 1), np.float32)


def record(
    coverage: Plane,
    ink: tuple[float, float, float],
    ppi: float,
    paper: Paper,
    light: Light,
    capture: Capture,
    rng: np.random.Generator,
    ink_mottle: float = 0.0,
    paper_mottle: Plane | None = None,
) -> Scan:
    """Scan or photograph a sheet.

    Parameters: ``coverage`` (H, W) in 0..1, ``ink`` linear reflectance relative to the paper, ``ink_mottle`` the
    relative spread of the ink's reflectance, ``paper_mottle``
    (H, W) the paper's own relative unevenness. The recording mixes linearly (light adds), as sensors do.
    """
    h, w = coverage.shape
    field = light_field((h, w), light) * (np.asarray(paper.colour, np.float32) * capture.exposure)
    tooth = smooth_noise((h, w), mm_to_px(0.11, ppi), rng) * 0.7 + smooth_noise((h, w), mm_to_px(0.5, ppi), rng) * 0.5
    paper_texture = 1 + paper.texture * tooth
    if paper_mottle is not None:
        paper_texture = paper_texture * (1 + paper_mottle)
    mottle = 1 + ink_mottle * smooth_noise((h, w), mm_to_px(0.15, ppi), rng) if ink_mottle else None
    specks = _dust(h, w, capture.dust, ppi, rng)
    planes = []
    for c in range(3):
        mark = ink[c] if mottle is None else np.clip(ink[c] * mottle, 0.004, 1)
        plane = (1 - coverage + coverage * mark) * paper_texture
        if specks is not None:
            plane *= 1 - 0.6 * specks
        planes.append(np.asarray(plane, np.float32))
    eight, jpeg = expose(planes, field, capture, rng)
    return Scan(eight, coverage, ink, field, ppi, jpeg)


def sharpened(image: NDArray[Any], radius_px: float, amount: float) -> NDArray[Any]:
    """An image of 8 or 16 bits (h, w) or (h, w, C) after a scanner's own sharpening, ``radius_px`` its sigma."""
    picture = _unsharp_masked(np.asarray(image, np.float32), radius_px, amount)
    return np.asarray(np.clip(np.rint(picture), 0, np.iinfo(image.dtype).max).astype(image.dtype))


def laid_apart(image: NDArray[Any], by: tuple[float, float], lens: float = 0.0) -> NDArray[Any]:
    """An image of 8 or 16 bits (h, w, 3) whose scanner lays red ``by`` (x, y) px to one side of green and blue as far to the
    other; or whose lens draws red the share ``lens`` larger than green, and blue as much smaller."""
    h, w = image.shape[:2]
    out = image.copy()
    for channel, sign in ((0, 1), (2, -1)):
        size = 1 + sign * lens
        way = np.array([[size, 0, sign * by[0] + (1 - size) * w / 2], [0, size, sign * by[1] + (1 - size) * h / 2]])
        plane = np.ascontiguousarray(image[..., channel])
        out[..., channel] = cv2.warpAffine(
            plane, way, (w, h), flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE
        )
    return out


def _unsharp_masked(picture: Plane, radius_px: float, amount: float) -> Plane:
    return np.asarray(
        picture + np.float32(amount) * (picture - cv2.GaussianBlur(picture, (0, 0), radius_px)), np.float32
    )


def expose(
    planes: Sequence[Plane], field: NDArray[np.float32], capture: Capture, rng: np.random.Generator
) -> tuple[NDArray[np.uint8], bytes | None]:
    """What the sensor and the file make of reflectance: three ``planes`` (H, W) lit by ``field`` (H, W, 3).

    Returns the encoded picture (H, W, 3) and, if one was asked for, its JPEG file.
    """
    h, w = planes[0].shape
    linear = np.empty((h, w, 3), np.float32)
    for c, whole in enumerate(planes):
        plane = cv2.GaussianBlur(whole, (0, 0), capture.blur_px) if capture.blur_px > 0 else whole
        plane = plane * field[..., c]
        grain = rng.standard_normal((h, w), dtype=np.float32)
        plane += capture.noise * np.sqrt(np.clip(plane, 0.002, 1)) * grain
        linear[..., c] = plane
    encoded = srgb_encode(np.clip(linear, 0, 1))
    if capture.sharpen:
        # Cameras sharpen what they have already encoded.
        encoded = _unsharp_masked(encoded, 1.6, capture.sharpen)
    eight = np.clip(encoded * 255 + 0.5, 0, 255).astype(np.uint8)
    if capture.jpeg_quality is None:
        return eight, None
    settings = [cv2.IMWRITE_JPEG_QUALITY, capture.jpeg_quality]
    jpeg = cv2.imencode(".jpg", eight[..., ::-1], settings)[1].tobytes()
    decoded = np.asarray(cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_COLOR), np.uint8)
    return np.ascontiguousarray(decoded[..., ::-1]), jpeg


def _dust(h: int, w: int, count: int, ppi: float, rng: np.random.Generator) -> Plane | None:
    if not count:
        return None
    plane = np.zeros((h, w), np.uint8)
    for _ in range(count):
        x, y = int(rng.integers(0, w)), int(rng.integers(0, h))
        r = mm_to_px(rng.uniform(0.02, 0.05), ppi)
        cv2.circle(plane, (x * 16, y * 16), int(r * 16), int(rng.integers(90, 220)), -1, cv2.LINE_AA, 4)
    return np.asarray(plane, np.float32) / np.float32(255)
