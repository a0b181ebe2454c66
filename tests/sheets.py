"""Small simulated sheets with known truth, and encoded files of them, for all tests."""

from __future__ import annotations

import io
import struct
import zlib
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from woad.core.docket.model import Docket
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.transfer import srgb_encode
from woad.core.render.sheet import Sheet, make_sheet
from woad.demo.canvas import Canvas, Pen
from woad.demo.lighthouse import roughen
from woad.demo.scanner import Capture, Light, Paper, Scan, record

SHADOW = Light(falloff=0.2, vignette=0.15, shadow=0.42, shadow_at=0.7, penumbra=0.2)


@cache
def pen_scan(light: Light = Light(0.05), seed: int = 5, ink: tuple[float, float, float] = (0.04, 0.04, 0.045)) -> Scan:
    """Strokes, a solid and stipple on cream paper, about 830 x 670 px at 300 ppi."""
    rng = np.random.default_rng(seed)
    canvas = Canvas(70, 57, 300, 2)
    pen = Pen(canvas, rng, 0.34)
    for i in range(9):
        y = 6 + i * 5
        pen.curve(np.array([[6, y], [20, y + rng.normal(0, 2)], [40, y]]), rng.uniform(0.6, 1.4))
    canvas.polygon(np.array([[46, 8], [60, 8], [60, 20], [46, 20]]))
    for _ in range(60):
        pen.stipple(rng.uniform(46, 64), rng.uniform(28, 50), rng.uniform(0.1, 0.2))
    return record(roughen(canvas, rng), ink, 300, Paper(), light, Capture(0.5, 0.003), rng, 0.1)


@cache
def colour_scan(seed: int = 6) -> Scan:
    """Two coloured patches, one pale, and a black line on white paper."""
    rng = np.random.default_rng(seed)
    h, w = 400, 520
    red, blue, line = (np.zeros((h, w), np.float32) for _ in range(3))
    cv2.circle(red, (150, 200), 90, 1.0, -1, cv2.LINE_AA)
    cv2.rectangle(blue, (300, 120), (460, 300), 1.0, -1)
    cv2.line(line, (40, 360), (480, 350), 1.0, 5, cv2.LINE_AA)
    linear = np.ones((h, w, 3), np.float32)
    for cover, colour in ((red, (0.6, 0.05, 0.04)), (blue, (0.55, 0.7, 0.9)), (line, (0.03, 0.03, 0.03))):
        linear = linear * (1 - cover[..., None]) + cover[..., None] * np.array(colour, np.float32)
    linear = cv2.GaussianBlur(linear, (0, 0), 0.6) * 0.86
    linear += rng.normal(0, 0.003, linear.shape).astype(np.float32)
    eight = np.clip(srgb_encode(np.clip(linear, 0, 1)) * 255 + 0.5, 0, 255).astype(np.uint8)
    cover = np.maximum.reduce([red, blue, line])
    return Scan(eight, cover, (0, 0, 0), np.full((h, w, 3), 0.86, np.float32), 300)


def sheet_of(encoded: NDArray[Any], name: str = "sheet.png") -> Sheet:
    """A measured sheet from pixels."""
    return make_sheet(take_in(name, png_bytes(encoded)), build_pyramid(encoded), FLAT)


FLAT = Docket().with_setting("square.on", False)


@cache
def pen_sheet(light: Light = Light(0.05)) -> Sheet:
    return sheet_of(pen_scan(light).encoded)


@cache
def colour_sheet() -> Sheet:
    return sheet_of(colour_scan().encoded)


def png_bytes(pixels: NDArray[Any], **extra: Any) -> bytes:
    return image_bytes(pixels, "PNG", dpi=(300, 300), **extra)


def image_bytes(pixels: NDArray[Any], kind: str, **extra: Any) -> bytes:
    out = io.BytesIO()
    quick = {"compress_level": 0} if kind == "PNG" else {}  # written and read over and over
    Image.fromarray(pixels).save(out, kind, **quick | extra)
    return out.getvalue()


def png_claiming(width: int, height: int) -> bytes:
    """A tiny PNG whose header claims a size it does not have."""

    def chunk(tag: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + tag + data + struct.pack(">I", zlib.crc32(tag + data))

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    body = zlib.compress(bytes(1000))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


DUST = ((60, 60), (700, 70), (90, 520), (640, 540), (380, 40))
STIPPLE = tuple((520 + 14 * (i % 7) + 3 * (i % 3), 330 + 13 * (i // 7) + 2 * (i % 4)) for i in range(35))


def noisy(linear: NDArray[np.float32], seed: int = 3) -> NDArray[np.uint8]:
    """A plain flatbed scan of reflectance (h, w, 3)."""
    rng = np.random.default_rng(seed)
    lit = cv2.GaussianBlur(linear, (0, 0), 0.6) * 0.85 + rng.normal(0, 0.003, linear.shape)
    return np.clip(srgb_encode(np.clip(lit, 0, 1).astype(np.float32)) * 255 + 0.5, 0, 255).astype(np.uint8)


@cache
def strewn() -> Sheet:
    """Ink strokes, a field of stipple, an i with its dot, and five soft grey specks far from all of them."""
    cover = np.zeros((600, 780), np.float32)
    for i in range(6):
        cv2.line(cover, (120, 150 + 40 * i), (430, 165 + 38 * i), 1.0, 5, cv2.LINE_AA)
    for x, y in STIPPLE:
        cv2.circle(cover, (x, y), 2, 1.0, -1, cv2.LINE_AA)
    cv2.line(cover, (460, 200), (460, 240), 1.0, 5, cv2.LINE_AA)
    cv2.circle(cover, (460, 186), 4, 1.0, -1, cv2.LINE_AA)
    dust = np.zeros_like(cover)
    for x, y in DUST:
        cv2.circle(dust, (x, y), 1, 0.5, -1, cv2.LINE_AA)
    grey = (1 - cover * 0.96) * (1 - cv2.GaussianBlur(dust, (0, 0), 0.5))
    return sheet_of(noisy(np.repeat(grey[..., None], 3, axis=2)))


def strewn_file(folder: Path) -> Path:
    """The strewn sheet as a file."""
    path = folder / "strewn.png"
    path.write_bytes(png_bytes(np.ascontiguousarray(strewn().pyramid.levels[0])))
    return path


def pixels(path: str | Path) -> NDArray[Any]:
    """What an image file holds, as it is stored."""
    with Image.open(path) as image:
        return np.asarray(image)


def strokes(shape: tuple[int, int], many: int, rng: np.random.Generator) -> NDArray[np.uint8]:
    """Ink (h, w), 0 to 255, of so many strokes all over a sheet."""
    ink = np.zeros(shape, np.uint8)
    for _ in range(many):
        path = np.array([rng.uniform(0, shape[1]), rng.uniform(0, shape[0])]) + np.cumsum(rng.normal(0, 45, (4, 2)), 0)
        cv2.polylines(ink, [path.astype(np.int32)], False, 255, int(rng.integers(1, 5)), cv2.LINE_AA)
    return ink
