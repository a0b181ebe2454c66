"""A sheet to draw on: coverage of ink at a multiple of the scan's resolution, drawn with hand-like strokes."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.units import mm_to_px

Points = NDArray[np.float64]
Plane = NDArray[np.float32]

_SHIFT = 4  # sub-pixel bits of cv2's drawing calls


def smooth_path(control: Points, step: float = 0.2) -> Points:
    """Catmull-Rom curve through ``control`` (N, 2), sampled about every ``step`` in the same unit."""
    control = np.asarray(control, dtype=np.float64)
    if len(control) < 3:
        return line_path(control[0], control[-1], step)
    padded = np.vstack([2 * control[0] - control[1], control, 2 * control[-1] - control[-2]])
    parts = []
    for i in range(len(control) - 1):
        a, b, c, d = padded[i : i + 4]
        n = max(2, int(np.ceil(np.linalg.norm(c - b) / step)))
        t = np.linspace(0, 1, n, endpoint=False)[:, None]
        parts.append(0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3))
    return np.vstack([*parts, control[-1:]])


def line_path(start: Points, end: Points, step: float = 0.4) -> Points:
    """Straight path from ``start`` to ``end``, sampled about every ``step``."""
    start, end = np.asarray(start, float), np.asarray(end, float)
    n = max(2, int(np.ceil(np.linalg.norm(end - start) / step)) + 1)
    return start + (end - start) * np.linspace(0, 1, n)[:, None]


def slow_noise(n: int, every: float, rng: np.random.Generator) -> NDArray[np.float64]:
    """Smooth noise of unit scale along ``n`` samples, with a knot about every ``every`` samples."""
    knots = rng.normal(size=max(4, int(n / max(every, 1e-6)) + 4))
    at = np.linspace(1, len(knots) - 2.001, n)
    i = at.astype(int)
    f = at - i
    f = f * f * (3 - 2 * f)
    return np.asarray(knots[i] * (1 - f) + knots[i + 1] * f, np.float64)


def wobble(path: Points, amount_mm: float, wave_mm: float, rng: np.random.Generator) -> Points:
    """The path as an unsteady hand draws it: moved sideways by smooth noise."""
    if len(path) < 3:
        return path
    tangent = np.gradient(path, axis=0)
    length = np.maximum(np.linalg.norm(tangent, axis=1), 1e-9)
    normal = np.column_stack([-tangent[:, 1], tangent[:, 0]]) / length[:, None]
    shift = slow_noise(len(path), wave_mm / max(float(length.mean()), 1e-6), rng) * amount_mm
    return np.asarray(path + normal * shift[:, None], np.float64)


class Canvas:
    """Coverage drawn at ``ppi * supersample``; positions and widths in millimetres."""

    def __init__(self, width_mm: float, height_mm: float, ppi: float, supersample: int = 2) -> None:
        self.supersample = supersample
        self.ppi = ppi
        self.width_px = round(mm_to_px(width_mm, ppi))
        self.height_px = round(mm_to_px(height_mm, ppi))
        self.scale = mm_to_px(supersample, ppi)
        shape = (self.height_px * supersample, self.width_px * supersample)
        self.ink: NDArray[np.uint8] = np.zeros(shape, np.uint8)

    def _fixed(self, points: Points) -> NDArray[np.int32]:
        return np.round((np.asarray(points) * self.scale - 0.5) * (1 << _SHIFT)).astype(np.int32)

    def stroke(self, path: Points, widths_mm: NDArray[np.float64] | float, value: int = 255) -> None:
        """Draw ``path`` (N, 2) with a width at every point."""
        widths = np.broadcast_to(np.asarray(widths_mm, float), (len(path),))
        fixed = self._fixed(path)
        radius = np.maximum(np.round(widths * self.scale / 2 * (1 << _SHIFT)), 4).astype(int)
        tangent = np.diff(path, axis=0)
        tangent /= np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), 1e-9)
        normal = np.column_stack([-tangent[:, 1], tangent[:, 0]])
        left = fixed[:-1] + normal * radius[:-1, None]
        right = fixed[:-1] - normal * radius[:-1, None]
        left_end = fixed[1:] + normal * radius[1:, None]
        right_end = fixed[1:] - normal * radius[1:, None]
        quads = np.stack([left, left_end, right_end, right], axis=1).round().astype(np.int32)
        for quad in quads:
            cv2.fillConvexPoly(self.ink, quad, value, cv2.LINE_AA, _SHIFT)
        for (x, y), r in zip(fixed.tolist(), radius.tolist(), strict=True):
            cv2.circle(self.ink, (x, y), r, value, -1, cv2.LINE_AA, _SHIFT)

    def polygon(self, points: Points, value: int = 255) -> None:
        """Fill a polygon (N, 2)."""
        cv2.fillPoly(self.ink, [self._fixed(points)], value, cv2.LINE_AA, _SHIFT)

    def coverage(self) -> Plane:
        """Geometric coverage per scan pixel, (H, W) float32, 0 to 1."""
        small = cv2.resize(self.ink, (self.width_px, self.height_px), interpolation=cv2.INTER_AREA)
        return np.asarray(small, np.float32) / np.float32(255)


class Pen:
    """A hand with a dip pen: pressure, overshoot, wobble, hatching and stipple."""

    def __init__(self, canvas: Canvas, rng: np.random.Generator, width_mm: float = 0.32) -> None:
        self.canvas, self.rng, self.width_mm = canvas, rng, width_mm
        self.dots: list[tuple[float, float, float]] = []  # x_mm, y_mm, radius_mm of stipple

    def _widths(self, n: int, width_mm: float, taper: float) -> NDArray[np.float64]:
        s = np.linspace(0, 1, n)
        # A nib lands firmly and leaves lightly.
        ends = np.clip(s / 0.04, 0.55, 1) * np.clip((1 - s) / max(taper, 1e-3), 0.25, 1)
        return width_mm * ends * (1 + 0.13 * slow_noise(n, max(n / 6, 3), self.rng))

    def curve(self, control: Points, width: float = 1.0, taper: float = 0.12, hand: float = 0.1) -> None:
        """A stroke through control points; ``width`` is relative to the pen's."""
        path = wobble(smooth_path(control, 0.25), hand, 5.0, self.rng)
        path = wobble(path, hand * 0.22, 0.9, self.rng)
        self.canvas.stroke(path, self._widths(len(path), self.width_mm * width, taper))

    def line(
        self, begin: Points | list[float], finish: Points | list[float], width: float = 1.0, overshoot: float = 0.5
    ) -> None:
        """A near-straight stroke that runs a little past its ends."""
        start, end = np.asarray(begin, float), np.asarray(finish, float)
        along = (end - start) / max(float(np.linalg.norm(end - start)), 1e-9)
        past = np.abs(self.rng.normal(0, overshoot, 2))
        sag = np.array([-along[1], along[0]]) * self.rng.normal(0, 0.12)
        self.curve(np.array([start - along * past[0], (start + end) / 2 + sag, end + along * past[1]]), width)

    def hatch(self, outline: Points, angle_deg: float, gap_mm: float, width: float = 0.7, skip: float = 0.04) -> None:
        """Parallel strokes across a polygon, each with its own start, end and pressure."""
        a = np.deg2rad(angle_deg)
        along, across = np.array([np.cos(a), np.sin(a)]), np.array([-np.sin(a), np.cos(a)])
        offsets = outline @ across
        at = offsets.min() + gap_mm * 0.5
        while at < offsets.max():
            for t0, t1 in _crossings(outline, along, across, at):
                if t1 - t0 > gap_mm and self.rng.random() > skip:
                    j = self.rng.normal(0, 0.25, 2)
                    tilt = across * self.rng.normal(0, gap_mm * 0.12)
                    self.line(along * (t0 + j[0]) + across * at, along * (t1 + j[1]) + across * at + tilt, width, 0.1)
            at += gap_mm * self.rng.uniform(0.75, 1.25)

    def stipple(self, x_mm: float, y_mm: float, radius_mm: float) -> None:
        """One dot, not quite round."""
        for _ in range(3):
            dx, dy = self.rng.normal(0, radius_mm * 0.2, 2)
            self.canvas.stroke(np.array([[x_mm + dx, y_mm + dy], [x_mm + dx * 0.5, y_mm - dy * 0.5]]), radius_mm * 1.7)
        self.dots.append((x_mm, y_mm, radius_mm))


def _crossings(outline: Points, along: Points, across: Points, at: float) -> list[tuple[float, float]]:
    """Where the line ``across . p = at`` runs inside the polygon: pairs of positions along it."""
    u, v = outline @ along, outline @ across - at
    hits = []
    for i in range(len(outline)):
        j = (i + 1) % len(outline)
        if (v[i] < 0) != (v[j] < 0):
            hits.append(u[i] + (u[j] - u[i]) * v[i] / (v[i] - v[j]))
    hits.sort()
    return list(zip(hits[::2], hits[1::2], strict=False))
