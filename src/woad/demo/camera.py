"""A sheet photographed on a table: keystone, a table of wood, cloth or plain, contact shadow, a curled corner."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.demo.canvas import Plane
from woad.demo.scanner import Capture, Light, expose, light_field, smooth_noise

Points = NDArray[np.float64]
Linear = NDArray[np.float32]


@dataclass(frozen=True)
class Table:
    """``colour`` linear reflectance; ``kind`` plain, wood or cloth; ``strength`` of its texture (relative)."""

    colour: tuple[float, float, float] = (0.22, 0.13, 0.07)
    kind: str = "wood"
    strength: float = 0.15


@dataclass(frozen=True)
class Photo:
    """``encoded`` (H, W, 3) uint8; ``corners`` (4, 2) of the flat sheet, px, clockwise from its top left."""

    encoded: NDArray[np.uint8]
    corners: Points
    jpeg: bytes | None = None


def photograph(
    sheet: Linear,
    corners: Points,
    size: tuple[int, int],
    table: Table,
    light: Light,
    capture: Capture,
    rng: np.random.Generator,
    curl: int | None = None,
    shadow: float = 0.3,
) -> Photo:
    """Photograph a sheet.

    Parameters: ``sheet`` (h, w, 3) linear reflectance; ``corners`` (4, 2) where its corners come to lie, px from the
    picture's corner; ``size`` (width, height) of the picture; ``curl`` the number of a corner that is bent up, or None;
    ``shadow`` share of light the sheet keeps from the table beside it.
    """
    w, h = size
    twice = (w * 2, h * 2)
    sh, sw = sheet.shape[:2]
    flat = np.array([[0, 0], [sw, 0], [sw, sh], [0, sh]], np.float32)
    to_photo = cv2.getPerspectiveTransform(flat, np.asarray(corners * 2, np.float32))
    # OpenCV counts from pixel centres, corners are counted from pixel edges.
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    matrix = np.linalg.inv(shift) @ to_photo @ shift
    mask_flat = np.ones((sh, sw), np.float32) if curl is None else _curled(sh, sw, curl)
    big = cv2.warpPerspective(sheet, matrix, twice, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    mask = cv2.warpPerspective(np.pad(mask_flat, 2), np.asarray(matrix @ _offset(-2)), twice, flags=cv2.INTER_LINEAR)
    sheet_small = np.asarray(cv2.resize(big * mask[..., None], size, interpolation=cv2.INTER_AREA))
    mask_small = np.asarray(cv2.resize(mask, size, interpolation=cv2.INTER_AREA))
    ground = _ground((h, w), table, rng)
    reach = 0.006 * float(np.hypot(w, h))
    near = cv2.GaussianBlur(mask_small, (0, 0), reach)
    drop = np.roll(near, (round(reach * 0.8), round(reach * 0.5)), (0, 1))
    ground *= (1 - shadow * np.clip(drop * 1.4, 0, 1))[..., None]
    scene = sheet_small + ground * (1 - mask_small[..., None])
    field = light_field((h, w), light) * np.float32(capture.exposure)
    eight, jpeg = expose([scene[..., c] for c in range(3)], field, capture, rng)
    return Photo(eight, np.asarray(corners, np.float64), jpeg)


def _offset(by: float) -> NDArray[np.float64]:
    return np.array([[1, 0, by], [0, 1, by], [0, 0, 1.0]])


def _curled(h: int, w: int, corner: int) -> Plane:
    """Coverage of a sheet whose corner is bent over: a rounded piece is missing."""
    mask = np.ones((h, w), np.float32)
    reach = 0.07 * max(h, w)
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    dx = x if corner in (0, 3) else w - 1 - x
    dy = y if corner in (0, 1) else h - 1 - y
    # A super-ellipse leaves the two sides smoothly.
    gone = ((reach - dx) / reach).clip(0) ** 1.6 + ((reach - dy) / reach).clip(0) ** 1.6
    mask[(gone > 1.05) & (dx < reach) & (dy < reach)] = 0
    return mask


def _ground(shape: tuple[int, int], table: Table, rng: np.random.Generator) -> Linear:
    h, w = shape
    if table.kind == "wood":
        rings = smooth_noise((h, max(8, w // 24)), max(3.0, h / 130), rng)
        grain = np.asarray(cv2.resize(rings, (w, h), interpolation=cv2.INTER_CUBIC)) * 0.7
        grain = grain + 0.5 * smooth_noise(shape, max(h, w) / 9, rng)
    elif table.kind == "cloth":
        y, x = np.mgrid[0:h, 0:w].astype(np.float32)
        weave = np.sin(x * 2 * np.pi / 7.3) * np.sin(y * 2 * np.pi / 6.7)
        grain = 0.6 * weave + 0.8 * smooth_noise(shape, max(h, w) / 30, rng)
    else:
        grain = 0.5 * smooth_noise(shape, max(h, w) / 12, rng) + 0.3 * smooth_noise(shape, 3, rng)
    tone = np.exp(table.strength * grain)[..., None] * np.asarray(table.colour, np.float32)
    return np.asarray(np.clip(tone, 0.005, 0.95), np.float32)


def view_from(
    size: tuple[int, int], proportions: float, rng: np.random.Generator, strength: float = 0.12, turn_deg: float = 6.0
) -> Points:
    """Corners of a sheet of width to height ``proportions`` seen by a real lens from a little aside, (4, 2) px."""
    w, h = size
    focal = rng.uniform(0.75, 1.3) * max(w, h)
    half = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], np.float64) * [proportions / 2, 0.5]
    turn = np.deg2rad(rng.uniform(-turn_deg, turn_deg))
    tip, pan = rng.uniform(-1, 1, 2) * strength * 2.2
    cz, sz, cx, sx, cy, sy = np.cos(turn), np.sin(turn), np.cos(tip), np.sin(tip), np.cos(pan), np.sin(pan)
    rotation = (
        np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
        @ np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
        @ np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
    )
    space = np.column_stack([half, np.zeros(4)]) @ rotation.T
    fill = rng.uniform(0.66, 0.86)
    for distance in np.linspace(0.6, 6, 200):
        at = space + [0, 0, distance]
        seen = at[:, :2] / at[:, 2:] * focal
        seen -= (seen.max(axis=0) + seen.min(axis=0)) / 2
        if (np.ptp(seen, axis=0) <= np.array([w, h]) * fill).all():
            break
    shift = rng.uniform(-0.3, 0.3, 2) * (np.array([w, h]) - np.ptp(seen, axis=0)) / 2
    return np.asarray(seen + shift + [w / 2, h / 2], np.float64)
