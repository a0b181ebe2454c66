"""Following a sheet's sides to a fraction of a pixel: robust line fits along their middle parts."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.square.lines import sample

Plane = NDArray[np.float32]
Points = NDArray[np.float64]


def follow_sides(image: Plane, quad: Points) -> tuple[Points, float] | None:
    """Corners from robust line fits to the edge along the middle of each side; and the share of places that fit."""
    lines, shares = [], []
    for i in range(4):
        fitted = follow_side(image, quad[i], quad[(i + 1) % 4])
        if fitted is None:
            return None
        lines.append((fitted[0], fitted[1]))
        shares.append(fitted[2])
    corners = [crossing(lines[i - 1], lines[i]) for i in range(4)]
    if any(c is None for c in corners):
        return None
    return np.array(corners), min(shares)


def follow_side(image: Plane, p: Points, q: Points) -> tuple[Points, Points, float] | None:
    """The edge near p..q: its line through two points beside p and q, and the share of places that fit."""
    fitted = None
    for reach in (9.0, 4.0):
        fitted = _fit_side(image, p, q, reach)
        if fitted is None:
            return None
        p, q = fitted[0], fitted[1]
    return fitted


def _fit_side(image: Plane, p: Points, q: Points, reach: float) -> tuple[Points, Points, float] | None:
    """The edge near p..q: its line through two points beside p and q, and the share of places within 1.2 px of it."""
    length = float(np.linalg.norm(q - p))
    if length < 20:
        return None
    along = (q - p) / length
    normal = np.array([-along[1], along[0]])
    n, fine = 180, 4
    t = np.linspace(0.1, 0.9, n)
    offsets = np.arange(-reach - 3, reach + 3 + 1e-6, 1 / fine)
    # Averaging along the side by the distance between two places leaves no pixel out and keeps the edge sharp.
    spread = np.linspace(-0.4, 0.4, 3) * 0.8 * length / n
    base = p + (q - p) * t[:, None]
    points = base[:, None, None, :] + along * spread[None, :, None, None] + normal * offsets[None, None, :, None]
    profile = sample(image, points).mean(axis=1)
    typical = np.median(profile[:, -2 * fine :].mean(axis=1) - profile[:, : 2 * fine].mean(axis=1), axis=0)
    size = float(np.linalg.norm(typical))
    if size < 1e-3:
        return None
    tone = np.asarray(profile @ (typical / size), np.float64)
    kernel = np.arange(-6, 7) / fine
    weights = kernel * np.exp(-(kernel**2) / 2 / 0.7**2)
    slope = np.asarray(cv2.filter2D(tone, cv2.CV_64F, weights[None], borderType=cv2.BORDER_CONSTANT))
    inner = slice(3 * fine, len(offsets) - 3 * fine)
    # One and the same edge: first where all places together have it, then each place near there.
    offsets_in, slope_in = offsets[inner], slope[:, inner]
    k = np.clip(np.argmax(slope_in, axis=1), 1, slope_in.shape[1] - 2)
    rows = np.arange(n)
    left, mid, right = slope_in[rows, k - 1], slope_in[rows, k], slope_in[rows, k + 1]
    bend = left - 2 * mid + right
    delta = np.where(np.abs(bend) > 1e-9, 0.5 * (left - right) / np.where(np.abs(bend) > 1e-9, bend, 1), 0)
    at = offsets_in[k] + np.clip(delta, -1, 1) / fine
    s = t - 0.5
    weight = np.maximum(mid, 0)
    fit = _robust_line(s, at, weight)
    share = float((np.abs(at - (fit[0] + fit[1] * s)) < 1.2).mean())
    a = base[0] + along * 0 + normal * (fit[0] + fit[1] * s[0]) - along * 0.1 * length
    b = base[-1] + normal * (fit[0] + fit[1] * s[-1]) + along * 0.1 * length
    slope_px = fit[1] / length
    return a - normal * slope_px * 0.1 * length, b + normal * slope_px * 0.1 * length, share


def _robust_line(s: Points, at: Points, weight: Points) -> Points:
    """Least squares with Tukey's biweight, from a start that half of the places may spoil (Theil 1950, Tukey 1977)."""
    i, j = np.arange(0, len(s) // 2), np.arange(len(s) // 2, len(s) // 2 * 2)
    slope = float(np.median((at[j] - at[i]) / (s[j] - s[i])))
    fit = np.array([float(np.median(at - slope * s)), slope])
    for give in (6.0, 3.0, 2.0, 1.2, 1.2, 1.2):
        r = (at - fit[0] - fit[1] * s) / give
        u = weight * np.where(np.abs(r) < 1, (1 - r * r) ** 2, 0)
        if u.sum() <= 1e-9:
            break
        ms, ma = np.average(s, weights=u), np.average(at, weights=u)
        var = np.average((s - ms) ** 2, weights=u)
        slope = np.average((s - ms) * (at - ma), weights=u) / max(var, 1e-6)
        fit = np.array([ma - slope * ms, slope])
    return fit


def crossing(one: tuple[Points, Points], other: tuple[Points, Points]) -> Points | None:
    """Where two lines cross, each through two points; None when they are parallel."""
    d1, d2 = one[1] - one[0], other[1] - other[0]
    det = d1[0] * -d2[1] + d2[0] * d1[1]
    if abs(det) < 1e-9:
        return None
    r = other[0] - one[0]
    t = (r[0] * -d2[1] + d2[0] * r[1]) / det
    return np.asarray(one[0] + t * d1)
