"""The frame: one mapping from the squared sheet back to the scan. Turn, keystone, tilt, bow and trim are all in it.

Coordinates are continuous pixels: the first pixel covers 0 to 1 and its centre lies at 0.5. The *plane* is the sheet
turned, mirrored, with keystone and tilt undone and bows straightened, but not yet trimmed.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.square.bow import Bow

Points = NDArray[np.float64]
Outlines = tuple[tuple[tuple[float, float], ...], ...]

MARGIN = 0.06  # how much of the table stays to be seen around a sheet with corners, share of its side
A_SIZE, LETTER = 2**0.5, 11 / 8.5


@dataclass(frozen=True)
class Frame:
    """``width``, ``height`` of the squared sheet, px; ``left``, ``top`` where it begins on the plane, whose size is
    ``plane``; ``matrix`` (9 numbers, row by row) maps plane to scan before bows; ``bows``
    were drawn on the plane one after the other, each on what the ones before had straightened;
    ``scan`` is the scan's size; ``blanks`` are outlines on the scan where there is table, or tape, instead of paper;
    ``inset`` how much of the table lies along each side of the plane, share of it."""

    scan: tuple[int, int]
    plane: tuple[int, int]
    matrix: tuple[float, ...]
    bows: tuple[Bow, ...]
    left: float
    top: float
    width: int
    height: int
    blanks: Outlines = ()
    inset: float = 0.0

    @property
    def identity(self) -> bool:
        """Whether the squared sheet is the scan, pixel for pixel."""
        return self.in_place and not self.blanks

    @property
    def in_place(self) -> bool:
        """Whether every pixel of the squared sheet lies where it lies on the scan, filled or not."""
        same = np.allclose(self.matrix, np.eye(3).ravel(), atol=1e-12)
        return bool(same) and not self.bows and (self.left, self.top, self.width, self.height) == (0, 0, *self.scan)

    def plane_to_scan(self, points: Points) -> Points:
        """Plane points (..., 2) to scan points."""
        p = np.asarray(points, np.float64)
        for bow in reversed(self.bows):
            p = p + bow.shift(p)
        m = np.asarray(self.matrix).reshape(3, 3)
        x, y = p[..., 0], p[..., 1]
        if m[2, 0] == 0 and m[2, 1] == 0:
            return np.stack([m[0, 0] * x + m[0, 1] * y + m[0, 2], m[1, 0] * x + m[1, 1] * y + m[1, 2]], axis=-1)
        w = m[2, 0] * x + m[2, 1] * y + m[2, 2]
        return np.stack([(m[0, 0] * x + m[0, 1] * y + m[0, 2]) / w, (m[1, 0] * x + m[1, 1] * y + m[1, 2]) / w], axis=-1)

    def scan_to_plane(self, points: Points) -> Points:
        """Scan points (..., 2) to plane points; bows are undone one after the other by fixed-point steps."""
        p = np.asarray(points, np.float64)
        flat = np.ascontiguousarray(p.reshape(-1, 1, 2))
        inverse = np.linalg.inv(np.asarray(self.matrix).reshape(3, 3))
        target = np.asarray(cv2.perspectiveTransform(flat, inverse), np.float64).reshape(p.shape)
        for bow in self.bows:
            out = target
            for _ in range(12):
                out = target - bow.shift(out)
            target = out
        return target

    def to_scan(self, points: Points) -> Points:
        """Points of the squared sheet to scan points."""
        return self.plane_to_scan(np.asarray(points, np.float64) + (self.left, self.top))

    def from_scan(self, points: Points) -> Points:
        return self.scan_to_plane(points) - (self.left, self.top)


def plain_frame(width: int, height: int) -> Frame:
    """The frame that changes nothing."""
    eye = tuple(float(v) for v in np.eye(3).ravel())
    return Frame((width, height), (width, height), eye, (), 0.0, 0.0, width, height)


def plane_frame(
    scan: tuple[int, int], turn: int, mirror: bool, tilt_deg: float, corners: Points | None, proportions: str
) -> Frame:
    """The untrimmed frame.

    Parameters: ``scan`` (width, height); ``turn`` clockwise, 0, 90, 180 or 270; ``mirror`` left to right after the
    turn; ``tilt_deg`` the tilt taken out, clockwise positive, as seen after turn and mirror; ``corners`` (4, 2) of the
    sheet on the scan, clockwise from its top left, or None; ``proportions`` auto, seen, a-size or letter.
    """
    w, h = scan
    chain = np.eye(3)
    if corners is not None:
        sheet_w, sheet_h = sheet_size(np.asarray(corners, np.float64), scan, proportions)
        mx, my = MARGIN * sheet_w, MARGIN * sheet_h
        flat = np.array([[mx, my], [mx + sheet_w, my], [mx + sheet_w, my + sheet_h], [mx, my + sheet_h]], np.float32)
        chain = np.asarray(cv2.getPerspectiveTransform(flat, np.asarray(corners, np.float32)), np.float64)
        w, h = round(sheet_w + 2 * mx), round(sheet_h + 2 * my)
    chain = chain @ _quarter(turn, w, h)
    if turn % 180:
        w, h = h, w
    if mirror:
        chain = chain @ np.array([[-1.0, 0, w], [0, 1, 0], [0, 0, 1]])
    if tilt_deg:
        turned = _rotation(tilt_deg, w / 2, h / 2)
        a = np.deg2rad(abs(tilt_deg))
        # The plane grows so that no corner of the scan is cut off.
        wide, high = round(w * np.cos(a) + h * np.sin(a)), round(w * np.sin(a) + h * np.cos(a))
        chain = chain @ turned @ np.array([[1.0, 0, (w - wide) / 2], [0, 1, (h - high) / 2], [0, 0, 1]])
        w, h = wide, high
    chain = chain / chain[2, 2]
    inset = 0.0 if corners is None else MARGIN / (1 + 2 * MARGIN)
    return Frame(scan, (w, h), tuple(float(v) for v in chain.ravel()), (), 0.0, 0.0, w, h, inset=inset)


def _quarter(turn: int, w: int, h: int) -> Points:
    """Plane after a clockwise quarter turn to the plane before it, of ``w`` x ``h``."""
    return {
        0: np.eye(3),
        90: np.array([[0.0, 1, 0], [-1, 0, h], [0, 0, 1]]),
        180: np.array([[-1.0, 0, w], [0, -1, h], [0, 0, 1]]),
        270: np.array([[0.0, -1, w], [1, 0, 0], [0, 0, 1]]),
    }[turn % 360]


def _rotation(deg: float, cx: float, cy: float) -> Points:
    a = np.deg2rad(deg)
    c, s = np.cos(a), np.sin(a)
    return np.array([[c, -s, cx - c * cx + s * cy], [s, c, cy - s * cx - c * cy], [0, 0, 1]])


def sheet_size(corners: Points, scan: tuple[int, int], proportions: str) -> tuple[float, float]:
    """Width and height in px of the flat sheet behind four corners; no side gets fewer pixels than it had."""
    tl, tr, br, bl = corners
    w = max(float(np.linalg.norm(tr - tl)), float(np.linalg.norm(br - bl)))
    h = max(float(np.linalg.norm(bl - tl)), float(np.linalg.norm(br - tr)))
    seen = w / max(h, 1e-6)
    if proportions == "seen":
        return w, h
    ratio = seen
    if proportions in ("a-size", "letter"):
        ratio = A_SIZE if proportions == "a-size" else LETTER
        ratio = ratio if seen >= 1 else 1 / ratio
    else:
        true = true_ratio(corners, scan)
        ratio = seen if true is None else true
        for usual in (A_SIZE, 1 / A_SIZE):
            # Near enough to an A size, it is one: corners are never found to the last pixel.
            if abs(np.log(ratio / usual)) < 0.02:
                ratio = usual
    return (w, w / ratio) if w / h > ratio else (h * ratio, h)


def true_ratio(corners: Points, scan: tuple[int, int]) -> float | None:
    """Width to height of a flat rectangle from its picture, or None when the view is too straight or too odd to tell.

    Assumes square pixels and the lens's axis at the picture's middle.
    Source: Zhang and He, Whiteboard scanning and image enhancement (2007).
    """
    centre = np.array([scan[0] / 2, scan[1] / 2])
    m1, m2, m4, m3 = (np.append(c - centre, 1.0) for c in corners)  # tl, tr, br, bl; the paper counts m3 = bl, m4 = br
    k2 = np.dot(np.cross(m1, m4), m3) / np.dot(np.cross(m2, m4), m3)
    k3 = np.dot(np.cross(m1, m4), m2) / np.dot(np.cross(m3, m4), m2)
    n2, n3 = k2 * m2 - m1, k3 * m3 - m1
    if abs(n2[2]) < 1e-3 or abs(n3[2]) < 1e-3:
        # Parallel sides: no perspective along one direction, so the lens cannot be told; the picture's own ratio holds
        # as long as the other direction is hardly foreshortened either.
        f2 = (1.2 * max(scan)) ** 2
    else:
        f2 = -(n2[0] * n3[0] + n2[1] * n3[1]) / (n2[2] * n3[2])
        # Lenses from very wide to long; outside of that the corners are too uncertain to tell.
        if not (0.45 * max(scan)) ** 2 < f2 < (6 * max(scan)) ** 2:
            f2 = (1.2 * max(scan)) ** 2
    across = n2[0] ** 2 + n2[1] ** 2 + f2 * n2[2] ** 2
    down = n3[0] ** 2 + n3[1] ** 2 + f2 * n3[2] ** 2
    ratio = float(np.sqrt(across / max(down, 1e-12)))
    return ratio if 0.1 < ratio < 10 else None


def trimmed(frame: Frame, box: tuple[float, float, float, float]) -> Frame:
    """The frame cut to ``box`` (x, y, width, height on the plane, px), rounded to whole pixels, at least one."""
    x, y = round(max(box[0], 0.0)), round(max(box[1], 0.0))
    right = min(round(box[0] + box[2]), frame.plane[0])
    bottom = min(round(box[1] + box[3]), frame.plane[1])
    x, y = min(x, frame.plane[0] - 1), min(y, frame.plane[1] - 1)
    return replace(frame, left=float(x), top=float(y), width=max(1, right - x), height=max(1, bottom - y))
