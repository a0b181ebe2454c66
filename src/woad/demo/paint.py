"""Paint on paper: opaque layers with the streaks of a bristle brush, and washes that pool, granulate and dry with a rim."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas, Points, smooth_path
from woad.demo.scanner import smooth_noise

Linear = NDArray[np.float32]
Plane = NDArray[np.float32]
Colour = tuple[float, float, float]


class Painting:
    """Linear reflectance (h, w, 3) that is painted on; positions in millimetres."""

    def __init__(self, width_mm: float, height_mm: float, ppi: float, paper: Colour, rng: np.random.Generator) -> None:
        self.size_mm, self.ppi, self.rng = (width_mm, height_mm), ppi, rng
        self.canvas = Canvas(width_mm, height_mm, ppi, 2)
        self.shape = (self.canvas.height_px, self.canvas.width_px)
        px = mm_to_px(1, ppi)
        tooth = smooth_noise(self.shape, 0.13 * px, rng) * 0.7 + smooth_noise(self.shape, 0.6 * px, rng) * 0.5
        self.tooth = np.asarray(tooth, np.float32)
        self.linear: Linear = np.asarray((1 + 0.012 * tooth)[..., None] * np.asarray(paper, np.float32), np.float32)

    def cover(self, outline: Points, smooth: bool = True, edge_mm: float = 0.25) -> Plane:
        """Coverage of a shape whose edge a hand has drawn."""
        path = smooth_path(np.vstack([outline, outline[:1]]), 0.5) if smooth else outline
        self.canvas.ink[:] = 0
        self.canvas.polygon(path)
        return self._frayed(self.canvas.coverage(), edge_mm)

    def stroke_cover(self, control: Points, widths_mm: NDArray[np.float64] | float, edge_mm: float = 0.15) -> Plane:
        """Coverage of a brush stroke."""
        path = smooth_path(control, 0.3)
        self.canvas.ink[:] = 0
        w = np.broadcast_to(np.asarray(widths_mm, float), (len(control),))
        self.canvas.stroke(path, np.interp(np.linspace(0, 1, len(path)), np.linspace(0, 1, len(control)), w))
        return self._frayed(self.canvas.coverage(), edge_mm)

    def _frayed(self, cover: Plane, edge_mm: float) -> Plane:
        px = mm_to_px(1, self.ppi)
        h, w = self.shape
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        dx = smooth_noise(self.shape, 2.2 * px, self.rng) * edge_mm * px * 0.5 + self.tooth * edge_mm * px * 0.25
        dy = smooth_noise(self.shape, 2.2 * px, self.rng) * edge_mm * px * 0.5
        return np.asarray(cv2.remap(cover, x + dx, y + dy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))

    def opaque(self, cover: Plane, colour: Colour, streak_deg: float = 0.0, dry: float = 0.0) -> None:
        """Lay opaque paint; ``dry`` 0..1 lets the paper's tooth show through where the brush ran out."""
        px = mm_to_px(1, self.ppi)
        h, w = self.shape
        long, thin = 9.0 * px, 0.35 * px
        side = int(np.hypot(h, w)) + 4
        streaks = cv2.resize(smooth_noise((max(8, int(side / thin)), max(8, int(side / long))), 2, self.rng), (side, side),
                             interpolation=cv2.INTER_CUBIC)  # fmt: skip
        turn = cv2.getRotationMatrix2D((side / 2, side / 2), streak_deg, 1.0)
        turn[:, 2] += (w / 2 - side / 2, h / 2 - side / 2)
        hairs = cv2.warpAffine(np.asarray(streaks, np.float32), turn, (w, h), borderMode=cv2.BORDER_REFLECT_101)
        tone = 1 + 0.05 * hairs + 0.04 * smooth_noise(self.shape, 6 * px, self.rng)
        if dry > 0:
            cover = cover * np.clip(1.6 - dry * (1.2 + 0.9 * hairs + 0.8 * self.tooth), 0, 1)
        paint = np.clip(tone, 0.7, 1.3)[..., None] * np.asarray(colour, np.float32)
        self.linear = np.asarray(self.linear * (1 - cover[..., None]) + cover[..., None] * paint, np.float32)

    def wash(self, cover: Plane, density: Colour, pooling: float = 0.35) -> None:
        """Lay transparent paint of an optical density (natural log) per channel."""
        px = mm_to_px(1, self.ppi)
        soft = cv2.GaussianBlur(cover, (0, 0), 0.55 * px)
        rim = np.clip(cover - soft, 0, 1)
        pool = 1 + pooling * smooth_noise(self.shape, 8 * px, self.rng)
        grain = 1 + 0.14 * self.tooth + 0.1 * smooth_noise(self.shape, 0.35 * px, self.rng)
        depth = np.clip(cover * (0.75 * pool + 0.8 * rim) * grain, 0, 4)
        self.linear = np.asarray(self.linear * np.exp(-depth[..., None] * np.asarray(density, np.float32)), np.float32)
