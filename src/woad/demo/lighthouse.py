"""The lighthouse: a pen drawing with outline, hatching, solid blacks and stipple."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas, Pen, Plane, Points, smooth_path
from woad.demo.scanner import smooth_noise

WIDTH_MM, HEIGHT_MM = 148.0, 196.0


@dataclass(frozen=True)
class Drawing:
    """Marks on a sheet: coverage (H, W) float32 0..1 and where its stipple lies (x_px, y_px, radius_px)."""

    coverage: Plane
    dots: tuple[tuple[float, float, float], ...]


def _xy(*pairs: float) -> Points:
    return np.asarray(pairs, float).reshape(-1, 2)


def draw_lighthouse(ppi: float, seed: int, supersample: int = 2, scale: float = 1.0) -> Drawing:
    """Draw at ``ppi``; ``scale`` enlarges the whole drawing (1.42 fills an A4 sheet)."""
    rng = np.random.default_rng(seed)
    canvas = Canvas(WIDTH_MM * scale, HEIGHT_MM * scale, ppi, supersample)
    canvas.scale *= scale
    pen = Pen(canvas, rng, 0.34)
    _tower(pen)
    _lantern(pen)
    _rocks(pen, rng)
    _sea(pen, rng)
    _sky(pen, rng)
    factor = mm_to_px(1, ppi) * scale
    dots = tuple((x * factor, y * factor, r * factor) for x, y, r in pen.dots)
    return Drawing(roughen(canvas, rng), dots)


def roughen(canvas: Canvas, rng: np.random.Generator) -> Plane:
    """Let ink creep into the paper's fibres: edges get a fine, irregular tooth. Coverage per scan pixel."""
    ink = canvas.ink
    fibre_px = max(1.2, 0.05 * canvas.scale)
    out = np.empty((canvas.height_px, canvas.width_px), np.float32)
    rows = max(1, (4 << 20) // max(1, ink.shape[1]) // canvas.supersample) * canvas.supersample
    for top in range(0, ink.shape[0], rows):
        a, b = max(0, top - 8), min(ink.shape[0], top + rows + 8)
        soft = cv2.GaussianBlur(ink[a:b], (0, 0), max(0.7, 0.012 * canvas.scale)).astype(np.float32) / 255
        creep = smooth_noise(soft.shape, fibre_px, rng)
        # The noise shifts the outline only where there is an outline, so specks don't appear on bare paper.
        soft += 0.16 * creep * (soft * (1 - soft) * 4)
        band = np.clip((soft - 0.5) * 2.6 + 0.5, 0, 1)[top - a :][: min(rows, ink.shape[0] - top)]
        n = band.shape[0] // canvas.supersample
        small = cv2.resize(band, (canvas.width_px, n), interpolation=cv2.INTER_AREA)
        out[top // canvas.supersample :][:n] = small
    return out


def _side(y: float, right: bool) -> Points:
    """The tower's flank at height y: slightly waisted."""
    t = (y - 62.0) / (138.0 - 62.0)
    half = 11.2 + 6.3 * t + 1.6 * t**3
    return np.array([74 + (half if right else -half), y])


def _band(y0: float, y1: float) -> Points:
    left = [_side(y, False) for y in np.linspace(y0, y1, 6)]
    right = [_side(y, True) for y in np.linspace(y1, y0, 6)]
    bottom = [np.array([74 + dx, y1 + 1.8 * (1 - (dx / 18) ** 2)]) for dx in np.linspace(-10, 10, 5)]
    top = [np.array([74 + dx, y0 + 1.4 * (1 - (dx / 16) ** 2)]) for dx in np.linspace(9, -9, 5)]
    return np.array(left + bottom + right + top)


def _tower(pen: Pen) -> None:
    for flank in (False, True):
        pen.curve(np.array([_side(y, flank) for y in np.linspace(61, 140, 7)]), 1.25, hand=0.14)
    pen.curve(np.array([_side(y, True) + [0.3, 0.2] for y in np.linspace(72, 136, 5)]), 0.8, hand=0.2)
    edges = (62.0, 73.5, 86.0, 99.0, 112.0, 125.5, 139.0)
    for y in edges[:-1]:
        left, right = _side(y, False), _side(y, True)
        pen.curve(np.array([left, [74, y + 1.7], right]), 0.9)
    for i in (0, 2, 4):
        band = _band(edges[i], edges[i + 1])
        pen.hatch(band, 88, 0.52, 0.95)
        pen.hatch(band, 84, 0.9, 0.8)
        dark = band[band[:, 0] > 66]
        if len(dark) > 3:
            pen.hatch(np.vstack([dark, [[76, edges[i + 1]], [76, edges[i] + 1.4]]]), 58, 0.75, 0.8)
    for i in (1, 3, 5):
        y0, y1 = edges[i], edges[i + 1]
        strip = np.array([_side(y0, True) - [7.5, -1], _side(y0, True), _side(y1, True), _side(y1, True) - [6, -1]])
        pen.hatch(strip, 3, 0.95, 0.62, skip=0.1)
        pen.hatch(strip * [0.5, 1] + [float(strip[:, 0].max()) * 0.5, 0], 48, 1.1, 0.5, skip=0.2)
    # Courses of stone, hinted at.
    for _ in range(26):
        y = pen.rng.uniform(75, 136)
        i = int(np.searchsorted(edges, y)) - 1
        if i in (1, 3, 5):
            x = pen.rng.uniform(_side(y, False)[0] + 1, 74)
            pen.curve(_xy(x, y, x + 1.4, y + 0.15, x + 2.6, y), 0.5)
    _window(pen, 72.5, 92.2, 1.0)
    _window(pen, 75.0, 118.5, 1.1)
    _door(pen)


def _window(pen: Pen, x: float, y: float, s: float) -> None:
    frame = _xy(-1.7, 2.6, -1.7, -1.0, -1.1, -2.4, 0, -2.9, 1.1, -2.4, 1.7, -1.0, 1.7, 2.6) * s + [x, y]
    pen.canvas.polygon(frame, 0)
    pen.canvas.polygon(frame * 0.78 + np.array([x, y]) * 0.22)
    pen.curve(np.vstack([frame, frame[:1]]), 0.8)
    pen.canvas.stroke(_xy(x + 0.1, y - 2.4 * s, x - 0.05, y + 2.2 * s), 0.26, 0)
    pen.canvas.stroke(_xy(x - 1.4 * s, y + 0.2, x + 1.3 * s, y + 0.05), 0.24, 0)
    pen.line([x - 2.3 * s, y + 3.0 * s], [x + 2.3 * s, y + 3.0 * s], 1.0)


def _door(pen: Pen) -> None:
    frame = _xy(-3, 7, -3, -1.5, -2.2, -3.7, 0, -4.8, 2.2, -3.7, 3, -1.5, 3, 7) + [73.5, 132.2]
    pen.canvas.polygon(frame, 0)
    pen.curve(frame, 1.1)
    pen.curve(frame * 0.86 + np.array([73.5, 133]) * 0.14, 0.6)
    for dx in (-1.5, 0.0, 1.4):
        pen.line([73.5 + dx, 128.6 + abs(dx) * 0.5], [73.5 + dx, 139], 0.6, 0.2)
    pen.canvas.stroke(_xy(75.2, 134.0, 75.3, 134.1), 0.7)


def _lantern(pen: Pen) -> None:
    # Gallery with brackets and railing.
    pen.canvas.polygon(_xy(59.5, 60.2, 88.5, 60.2, 87.2, 62.6, 60.8, 62.6))
    pen.line([58.6, 59.8], [89.3, 59.7], 1.5)
    pen.line([59.6, 62.7], [88.2, 62.8], 1.0)
    for x in np.linspace(60.5, 87.4, 12):
        pen.line([x, 59.5], [x + pen.rng.normal(0, 0.1), 54.6], 0.55, 0.2)
    pen.curve(_xy(59.4, 54.7, 74, 54.3, 88.4, 54.6), 0.9)
    pen.curve(_xy(59.8, 57.0, 74, 56.8, 88.1, 57.0), 0.5)
    # Glass with the lamp inside; the dark behind it is solid.
    glass = _xy(65.2, 59.5, 65.6, 45.0, 82.4, 45.0, 82.8, 59.5)
    pen.hatch(_xy(75.5, 58.8, 75.5, 46, 82.2, 46, 82.4, 58.8), 82, 0.62, 0.7)
    pen.hatch(_xy(78.5, 58.8, 78.5, 46, 82.2, 46, 82.4, 58.8), 62, 0.6, 0.7)
    pen.curve(_xy(74, 48, 76.4, 50, 76.7, 53, 75, 55.5, 73, 55.6, 71.3, 53, 71.6, 50, 74, 48), 0.8)
    pen.curve(_xy(71.8, 51.6, 74, 52.2, 76.3, 51.6), 0.5)
    for a, b in ((0, 1), (1, 2), (2, 3)):
        pen.line(glass[a], glass[b], 1.1, 0.3)
    for x in (69.6, 78.4):
        pen.line([x, 45], [x + 0.2, 59.4], 0.8, 0.2)
    pen.line([65.4, 52], [82.6, 52.1], 0.6, 0.2)
    # Dome, dark on the lee side, with ribs, ball and vane.
    dome = _xy(64.2, 45, 65.3, 40.5, 69.0, 36.9, 74, 35.4, 79, 36.9, 82.7, 40.5, 83.8, 45)
    pen.canvas.polygon(_xy(77, 44.6, 77.4, 40, 76.2, 36.6, 79, 37.3, 82.3, 40.8, 83.4, 44.6))
    pen.hatch(_xy(71, 44.5, 72.5, 37, 77, 36.6, 77.4, 44.6), 80, 0.6, 0.8)
    pen.curve(dome, 1.3, taper=0.02)
    pen.line([63.2, 45], [84.8, 45.2], 1.4)
    for dx in (-5.5, -2.6):
        pen.curve(_xy(74 + dx * 0.15, 35.8, 74 + dx * 0.8, 39.5, 74 + dx * 1.1, 44.6), 0.55)
    pen.line([74, 35.2], [74.1, 28.2], 0.9, 0.1)
    pen.canvas.stroke(_xy(74, 33.2, 74.1, 33.3), 2.3)
    pen.canvas.polygon(_xy(74.2, 28.4, 79.6, 27.0, 78.6, 29.2, 79.8, 30.8, 74.2, 30.0))


def _rocks(pen: Pen, rng: np.random.Generator) -> None:
    top = _xy(
        18,
        158,
        26,
        153,
        31,
        154,
        38,
        147,
        46,
        145,
        53,
        139.5,
        60,
        138.5,
        74,
        140.2,
        88,
        138.6,
        95,
        140,
        101,
        144,
        109,
        146,
        115,
        151,
        123,
        152,
        131,
        159,
    )
    pen.curve(top, 1.35, hand=0.35)
    for _ in range(34):
        x = rng.uniform(26, 122)
        y0 = float(np.interp(x, top[:, 0], top[:, 1])) + rng.uniform(0.5, 3)
        n = int(rng.integers(3, 6))
        steps = np.column_stack([rng.normal(0.4, 1.3, n), rng.uniform(1.2, 2.8, n)])
        path = np.vstack([[[x, y0]], [x, y0] + np.cumsum(steps, axis=0)])
        path = path[path[:, 1] < 165]
        if len(path) >= 3:
            pen.curve(path, rng.uniform(0.7, 1.2), hand=0.25)
            # The lee of each ledge is hatched; some of it closes to black.
            lee = np.vstack([path, path[::-1] + [rng.uniform(2.2, 4.6), 0.8]])
            pen.hatch(lee, rng.uniform(35, 60), rng.uniform(0.5, 0.9), 0.75)
            if rng.random() < 0.35:
                pen.hatch(lee, rng.uniform(100, 120), 0.55, 0.75)
    crack = _xy(
        61,
        141,
        62.6,
        145,
        60.9,
        148,
        61.8,
        152,
        60.8,
        155,
        62.5,
        160,
        63.6,
        156.5,
        64.6,
        153,
        63.8,
        149.5,
        65.6,
        146,
        64.6,
        143.5,
        65.4,
        141,
    )
    pen.canvas.polygon(smooth_path(crack))
    pen.hatch(crack + [3.2, 1.0], 52, 0.7, 0.8)
    for _ in range(420):
        x = rng.uniform(22, 127)
        y = float(np.interp(x, top[:, 0], top[:, 1])) + abs(rng.normal(0, 6)) + 1.0
        if y < 166:
            pen.stipple(x, y, rng.uniform(0.09, 0.2))


def _sea(pen: Pen, rng: np.random.Generator) -> None:
    for row, y in enumerate(np.arange(160, 186, 2.3)):
        x = 10 + rng.uniform(0, 10) + row * 0.7
        while x < 136 - row * 0.6:
            n = rng.uniform(4, 13)
            rise = rng.uniform(0.4, 1.0)
            if y > 164 or not 24 < x < 122:
                pen.curve(
                    _xy(x, y, x + n * 0.25, y - rise, x + n * 0.55, y + rise * 0.6, x + n, y - rise * 0.2),
                    rng.uniform(0.55, 1.1),
                    hand=0.15,
                )
            x += n + rng.uniform(1.0, 7.0)
    for _ in range(16):
        x, y = rng.uniform(20, 128), rng.uniform(158, 163)
        pen.curve(_xy(x, y, x + 1, y - 1.2, x + 2.2, y - 0.6, x + 3, y - 1.4), 0.6)


def _sky(pen: Pen, rng: np.random.Generator) -> None:
    for x, y, s in ((36, 52, 1.0), (44, 58, 0.7), (107, 44, 0.9), (29, 63, 0.55), (115, 51, 0.6)):
        pen.curve(_xy(x - 5 * s, y - 1.2 * s, x - 2.6 * s, y - 2.4 * s, x, y), 0.9, taper=0.02)
        pen.curve(_xy(x, y, x + 2.4 * s, y - 2.7 * s, x + 5.4 * s, y - 1.9 * s), 0.8)
    # A cloud and the lamp's beam in stipple: dots thin out with distance.
    for _ in range(900):
        r = abs(rng.normal(0, 16)) + 4
        a = np.deg2rad(rng.normal(-14, 11))
        x, y = 86 + r * np.cos(a) * 1.4, 52 + r * np.sin(a)
        if x < 140 and rng.random() < np.exp(-r / 30):
            pen.stipple(x, y, rng.uniform(0.07, 0.15))
    for cx, cy, w in ((40, 84, 14), (112, 92, 12)):
        for _ in range(260):
            t = rng.uniform(-1, 1)
            lift = (1 - t * t) * 6 * (0.6 + 0.4 * np.sin(5 * t + cx))
            y = cy - lift + abs(rng.normal(0, 2.2))
            if not 52 < cx + t * w < 96:
                pen.stipple(cx + t * w, y, rng.uniform(0.07, 0.16))
