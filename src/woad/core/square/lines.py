"""Straight edges of a picture: a gradient Hough transform with few, well separated peaks, and steps across a line."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.places import read_at

Plane = NDArray[np.float32]
Points = NDArray[np.float64]


@dataclass(frozen=True)
class Line:
    """``x cos(a) + y sin(a) = rho`` in continuous pixels; ``angle`` in radians, 0 to pi; ``votes`` its weight."""

    angle: float
    rho: float
    votes: float

    @property
    def normal(self) -> Points:
        return np.array([np.cos(self.angle), np.sin(self.angle)])

    @property
    def along(self) -> Points:
        return np.array([-np.sin(self.angle), np.cos(self.angle)])


def gradient(image: Plane, sigma: float) -> tuple[Plane, Plane]:
    """Derivatives of Gaussian of an (h, w, C) picture, each pixel from the channel where they are steepest."""
    out_x = out_y = most = np.zeros(0, np.float32)
    # Channel by channel: over planes that lie together in memory all of this is several times as fast.
    for plane in cv2.split(cv2.GaussianBlur(image, (0, 0), sigma)):
        gx, gy = (np.asarray(cv2.Scharr(plane, cv2.CV_32F, *way, scale=1 / 32), np.float32) for way in ((1, 0), (0, 1)))
        steep = gx * gx + gy * gy
        if not most.size:
            out_x, out_y, most = gx, gy, steep
            continue
        better = cv2.compare(steep, most, cv2.CMP_GT)
        cv2.copyTo(gx, better, out_x)
        cv2.copyTo(gy, better, out_y)
        cv2.max(steep, most, most)
    return out_x, out_y


def find_lines(gx: Plane, gy: Plane, most: int, cap: float = 4.0) -> list[Line]:
    """The strongest straight edges.

    Every pixel votes in the direction of its own gradient only, and none with more than ``cap`` times the noise, so that
    a long faint edge outweighs a short strong one. Source: Ballard (1981); O'Gorman and Clowes (1976).
    """
    h, w = gx.shape
    strength = np.hypot(gx, gy)
    noise = float(np.median(strength[::3, ::3])) + 1e-4
    y, x = np.nonzero(strength > 1.6 * noise)
    if len(x) > 60_000:
        keep = np.argsort(strength[y, x])[-60_000:]
        x, y = x[keep], y[keep]
    weight = np.minimum(strength[y, x] / noise, cap)
    angle = np.arctan2(gy[y, x], gx[y, x]) % np.pi
    bins, reach = 180, int(np.hypot(h, w)) + 2
    table = np.zeros((bins, 2 * reach), np.float32)
    for turn in (-2, -1, 0, 1, 2):
        index = (np.rint(angle / np.pi * bins).astype(int) + turn) % bins
        a = index * np.pi / bins
        rho = np.rint((x + 0.5) * np.cos(a) + (y + 0.5) * np.sin(a)).astype(int) + reach
        share = weight * (1.0, 0.8, 0.4)[abs(turn)]
        flat = np.bincount(index * 2 * reach + rho, share, bins * 2 * reach)
        table += flat.reshape(bins, 2 * reach).astype(np.float32)
    table = np.asarray(cv2.GaussianBlur(table, (0, 0), 1.0, sigmaY=0.6, borderType=cv2.BORDER_REPLICATE))
    out: list[Line] = []
    apart_a, apart_r = 4, max(3, round(0.008 * reach))
    while len(out) < most:
        top = int(np.argmax(table))
        ia, ir = divmod(top, 2 * reach)
        votes = float(table[ia, ir])
        if votes <= 0 or (out and votes < 0.06 * out[0].votes):
            break
        out.append(Line(ia * np.pi / bins, float(ir - reach), votes))
        for turn in range(-apart_a, apart_a + 1):
            # Past half a turn the same line has the other sign of rho.
            row, centre = ia + turn, ir
            if not 0 <= row < bins:
                row, centre = row % bins, 2 * reach - ir
            table[row, max(0, centre - apart_r) : centre + apart_r + 1] = 0
    return out


def inner_lines(image: Plane, most: int) -> list[Line]:
    """The strongest straight edges of an (h, w, C) picture; its own rim is no edge of anything."""
    gx, gy = gradient(image, 1.3)
    for plane in (gx, gy):
        plane[:3], plane[-3:], plane[:, :3], plane[:, -3:] = 0, 0, 0, 0
    return find_lines(gx, gy, most)


def reduced(image: NDArray[Any], longest: int) -> NDArray[Any]:
    """An (h, w, C) picture no longer than that, px."""
    h, w = image.shape[:2]
    factor = min(1.0, longest / max(h, w))
    size = (max(1, round(w * factor)), max(1, round(h * factor)))
    return np.asarray(cv2.resize(image, size, interpolation=cv2.INTER_AREA)).reshape(size[1], size[0], -1)


def normal_towards(p: Points, q: Points, inside: Points) -> Points:
    """Unit normal (2,) of the line through p and q, on the side of a point."""
    along = (q - p) / max(float(np.linalg.norm(q - p)), 1e-9)
    normal = np.array([along[1], -along[0]])
    return -normal if (inside - p) @ normal < 0 else normal


def sample(image: Plane, points: Points) -> Plane:
    """Bilinear values of an (h, w, C) picture at continuous points (..., 2), shape (..., C)."""
    flat = np.asarray(points, np.float32).reshape(-1, 2) - np.float32(0.5)
    return read_at(image, flat[:, 0], flat[:, 1]).reshape(*points.shape[:-1], image.shape[2])


def steps_across(image: Plane, start: Points, end: Points, normal: Points, near: float, far: float, n: int) -> Plane:
    """Difference of the two sides of a segment, (n, C): mean from ``near`` to ``far`` along ``normal`` minus against it."""
    t = (np.arange(n) + 0.5) / n
    base = start + (end - start) * t[:, None]
    offsets = normal * np.linspace(near, far, 4)[:, None]
    ahead, behind = sample(image, np.stack([base[:, None] + offsets, base[:, None] - offsets]))
    both = ahead - behind
    return np.asarray((both[:, 0] + both[:, 1] + both[:, 2] + both[:, 3]) / 4, np.float32)
