"""A whelk shell in pencil: a turned spiral modelled in space, its shading laid down as graphite strokes."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.units import mm_to_px
from woad.demo.canvas import Plane, Points, slow_noise, wobble
from woad.demo.lighthouse import Drawing
from woad.demo.scanner import smooth_noise

WIDTH_MM, HEIGHT_MM = 150.0, 190.0
_TURNS = 6.2
_MAP_PX_PER_MM = 4.0


def draw_whelk(ppi: float, seed: int) -> Drawing:
    """Draw at ``ppi``. Coverage is graphite caught on the paper's tooth."""
    rng = np.random.default_rng(seed)
    tone, flow, edges = _model(rng)
    pressure = _Graphite(ppi)
    _shade(pressure, tone, flow, rng)
    for edge in edges:
        for _ in range(2):  # a searching contour: gone over twice, not quite in the same place
            path = wobble(edge, 0.28, 7.0, rng)
            weight = 0.42 + 0.16 * slow_noise(len(path), 30, rng)
            pressure.stroke(path, 0.34, np.clip(weight, 0.12, 0.75))
    _cast_shadow(pressure, rng)
    return Drawing(pressure.coverage(rng), ())


def _model(rng: np.random.Generator) -> tuple[Plane, NDArray[np.float32], list[Points]]:
    """Tone (0 light, 1 dark), stroke direction (H, W, 2) and contour lines in mm, seen from the front."""
    theta = np.linspace(0, _TURNS * 2 * np.pi, 3400)[:, None]
    phi = np.linspace(0, 2 * np.pi, 900)[None, :]
    grow = np.exp(0.085 * (theta - theta[-1]))
    ribs = 1 + 0.035 * np.sin(theta * 11) * np.clip(np.cos(phi) + 0.4, 0, 1) + 0.012 * np.sin(phi * 34)
    tube = 27.0 * grow * ribs
    radius = 24.0 * grow + tube * np.cos(phi)
    z = -96.0 * grow + tube * np.sin(phi) * 1.45
    # The last half turn draws out into the siphonal canal.
    canal = np.clip((theta - theta[-1] + 2.6) / 2.6, 0, 1) ** 2 * np.clip(-np.sin(phi), 0, 1) ** 2
    z = z - canal * 30
    radius = radius * (1 - 0.45 * canal)
    turn = theta + 0.55
    point = np.stack([radius * np.cos(turn), -z, radius * np.sin(turn)], axis=-1)
    du, dv = np.gradient(point, axis=0), np.gradient(point, axis=1)
    normal = np.cross(du, dv)
    normal /= np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-9)
    normal *= np.sign(np.sum(normal * _outward(phi, turn), axis=-1, keepdims=True))
    tilt = np.deg2rad(-24)
    rot = np.array([[np.cos(tilt), -np.sin(tilt), 0], [np.sin(tilt), np.cos(tilt), 0], [0, 0, 1.0]])
    point, normal, du = point @ rot.T, normal @ rot.T, du @ rot.T
    h, w = round(HEIGHT_MM * _MAP_PX_PER_MM), round(WIDTH_MM * _MAP_PX_PER_MM)
    centre = np.array(
        [(point[..., 0].max() + point[..., 0].min()) / 2, (point[..., 1].max() + point[..., 1].min()) / 2]
    )
    x = ((point[..., 0] - centre[0]) * 0.92 + WIDTH_MM / 2) * _MAP_PX_PER_MM
    y = ((point[..., 1] - centre[1]) * 0.92 + HEIGHT_MM / 2) * _MAP_PX_PER_MM
    order = np.argsort(point[..., 2], axis=None)  # painter's order: nearest is written last
    px = np.clip(x.ravel()[order].astype(int), 0, w - 1)
    py = np.clip(y.ravel()[order].astype(int), 0, h - 1)
    light = np.array([-0.55, -0.62, 0.56])
    lit = np.clip(normal @ light, -1, 1).ravel()[order]
    depth = np.full((h, w), -1e3, np.float32)
    depth[py, px] = point[..., 2].ravel()[order]
    tone = np.zeros((h, w), np.float32)
    within = normal[..., 2].ravel()[order] < -0.05  # looking into the mouth
    tone[py, px] = np.where(within, 0.88, np.clip(0.78 - 0.8 * lit, 0.02, 1) ** 1.3)
    whorl = np.full((h, w), -9, np.float32)
    whorl[py, px] = np.broadcast_to(theta, x.shape).ravel()[order]
    flow = np.zeros((h, w, 2), np.float32)
    flow[py, px] = du[..., :2].reshape(-1, 2)[order]
    solid = cv2.morphologyEx((depth > -500).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    tone = cv2.medianBlur(tone, 5)
    # Each whorl darkens where it tucks under the next: depth steps cast a soft shade.
    deep = np.where(depth > -500, depth, np.float32(depth[depth > -500].min()))
    step = cv2.GaussianBlur(deep, (0, 0), 7) - deep
    tone = np.clip(tone + np.clip(step / 22, -0.08, 0.45), 0.13, 1) * solid
    norm = np.maximum(np.linalg.norm(flow, axis=-1, keepdims=True), 1e-6)
    flow = cv2.blur(flow / norm, (9, 9))
    return tone, flow, _edges(solid, deep, whorl)


def _outward(phi: NDArray[np.float64], turn: NDArray[np.float64]) -> NDArray[np.float64]:
    shape = np.broadcast_shapes(phi.shape, turn.shape)
    out = np.stack([np.cos(phi) * np.cos(turn), -np.sin(phi) + 0 * turn, np.cos(phi) * np.sin(turn)], axis=-1)
    return np.broadcast_to(out, (*shape, 3))


def _edges(solid: NDArray[np.uint8], deep: Plane, whorl: Plane) -> list[Points]:
    """Silhouette and the seams between whorls, as paths in mm."""
    out = []
    contours = cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0]
    silhouette = max(contours, key=len)[:, 0, :].astype(float)
    loop = np.vstack([silhouette, silhouette[:40]])
    kernel = np.ones(15) / 15
    smooth = np.column_stack([np.convolve(np.pad(loop[:, i], 7, mode="edge"), kernel, "valid") for i in (0, 1)])
    out.append(smooth[::2] / _MAP_PX_PER_MM)
    jump = np.abs(cv2.medianBlur(whorl, 5) - cv2.erode(cv2.medianBlur(whorl, 5), np.ones((3, 3)))) > 3.0
    seam = (jump & (cv2.erode(solid, np.ones((9, 9), np.uint8)) > 0)).astype(np.uint8)
    for line in cv2.findContours(seam, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)[0]:
        if len(line) > 60:
            half = line[: len(line) // 2 + 4, 0, :].astype(float)
            path = np.column_stack(
                [np.convolve(np.pad(half[:, i], 6, mode="edge"), np.ones(13) / 13, "valid") for i in (0, 1)]
            )
            out.append(path[::2] / _MAP_PX_PER_MM)
    return out


class _Graphite:
    """How hard the pencil was pressed at every scan pixel; strokes add up."""

    def __init__(self, ppi: float) -> None:
        self.scale = mm_to_px(1, ppi)
        self.pressure = np.zeros((round(HEIGHT_MM * self.scale), round(WIDTH_MM * self.scale)), np.float32)

    def stroke(self, path: Points, width_mm: float, weight: NDArray[np.float64] | float) -> None:
        """A soft-edged line; ``weight`` 0..1 along it."""
        weights = np.broadcast_to(np.asarray(weight, float), (len(path),))
        pad = int(width_mm * self.scale * 2) + 3
        px = path * self.scale
        x0, y0 = np.floor(px.min(axis=0)).astype(int) - pad
        x1, y1 = np.ceil(px.max(axis=0)).astype(int) + pad
        h, w = self.pressure.shape
        x0, y0, x1, y1 = max(0, x0), max(0, y0), min(w, x1), min(h, y1)
        if x1 <= x0 or y1 <= y0:
            return
        patch = np.zeros((y1 - y0, x1 - x0), np.uint8)
        fixed = np.round((px - [x0, y0]) * 16).astype(np.int32)
        thick = max(1, round(width_mm * self.scale))
        for i in range(len(fixed) - 1):
            level = int(np.clip(weights[i], 0, 1) * 255)
            cv2.line(patch, fixed[i].tolist(), fixed[i + 1].tolist(), level, thick, cv2.LINE_AA, 4)
        soft = cv2.GaussianBlur(patch, (0, 0), max(0.6, 0.08 * self.scale)).astype(np.float32) / 255
        target = self.pressure[y0:y1, x0:x1]
        # Graphite builds up, but each further layer takes less.
        target += soft * np.clip(1 - 0.95 * target, 0.06, 1)

    def coverage(self, rng: np.random.Generator) -> Plane:
        """Graphite sits on the tooth's hills first and fills its valleys only under pressure."""
        shape = self.pressure.shape
        tooth = smooth_noise(shape, 0.14 * self.scale, rng) * 0.62 + smooth_noise(shape, 0.32 * self.scale, rng) * 0.55
        hill = 1 / (1 + np.exp(-1.7 * tooth))  # 0..1, even spread
        reach = self.pressure * 1.25
        laid = np.clip((reach - hill * 0.75) * 2.0, 0, 1) * 0.6 + np.clip(reach - 0.1, 0, 1) * 0.4
        return np.asarray(np.clip(laid * (self.pressure > 0.004), 0, 0.97), np.float32)


def _shade(pressure: _Graphite, tone: Plane, flow: NDArray[np.float32], rng: np.random.Generator) -> None:
    h, w = tone.shape
    inside = np.argwhere(tone > 0.05)
    for layer, (count, cross) in enumerate(((4200, False), (2600, True), (2400, False))):
        for y, x in inside[rng.integers(0, len(inside), count)]:
            dark = float(tone[y, x])
            if rng.random() > dark * (1.5 if layer < 2 else 1.2):
                continue
            path = _trace(flow, tone, x, y, rng.uniform(14, 34), cross)
            if len(path) > 5:
                n = len(path)
                under = tone[path[:, 1].astype(int).clip(0, h - 1), path[:, 0].astype(int).clip(0, w - 1)]
                ends = np.minimum(np.linspace(0.2, 3, n), np.linspace(3, 0.1, n)).clip(0, 1)
                weight = (0.045 + 0.2 * under) * ends * (1 + 0.2 * rng.normal())
                pressure.stroke(wobble(path / _MAP_PX_PER_MM, 0.12, 3, rng), rng.uniform(0.28, 0.6), weight)


def _trace(flow: NDArray[np.float32], tone: Plane, x: float, y: float, length: float, cross: bool) -> Points:
    """Follow the form from a point: along the whorl, or across it."""
    h, w = tone.shape
    points = []
    for _ in range(int(length)):
        ix, iy = int(x), int(y)
        if not (0 <= ix < w and 0 <= iy < h) or tone[iy, ix] < 0.03:
            break
        points.append((x, y))
        d = flow[iy, ix]
        n = float(np.hypot(*d))
        if n < 0.2:
            break
        dx, dy = (d / n).tolist()
        if cross:
            dx, dy = -dy, dx
        x, y = x + dx, y + dy
    return np.array(points, float).reshape(-1, 2)


def _cast_shadow(pressure: _Graphite, rng: np.random.Generator) -> None:
    """Quick, faint diagonal strokes under the shell: the faintest marks on the sheet."""
    for _ in range(150):
        t = rng.uniform(-1, 1)
        x, y = 92 + t * 40, 158 + rng.normal(0, 3.2) + 3 * t
        n = rng.uniform(5, 13)
        path = np.linspace([x - n / 2, y + n * 0.16], [x + n / 2, y - n * 0.16], 24)
        weight = np.clip(0.16 * (1 - abs(t)) + 0.07, 0.04, 0.4) * np.sin(np.linspace(0.15, 3.0, 24))
        pressure.stroke(wobble(path, 0.15, 4, rng), 0.4, weight)
