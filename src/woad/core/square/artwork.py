"""Where the artwork lies: the outline of all marks, without the scanner's edges and without single specks."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate

Points = NDArray[np.float64]


def find_artwork(pixels: NDArray[np.uint8] | NDArray[np.uint16], corners: Points | None = None) -> Points | NoEstimate:
    """Convex outline (N, 2) of all marks, in pixels of ``pixels`` (h, w, C), about 800 to 1500 long.

    Marks stand out from the paper around them; what touches the picture's rim (or the sheet's, if its ``corners`` are
    known) is edge, bed or table. Tiny lonely specks do not count.
    """
    h, w = pixels.shape[:2]
    channels = pixels.shape[2]
    row = np.full((1, channels), 1 / channels / np.iinfo(pixels.dtype).max, np.float32)
    grey = np.asarray(cv2.transform(np.asarray(pixels, np.float32), row), np.float32).reshape(h, w)
    inside = np.ones((h, w), np.uint8)
    if corners is not None:
        inside = np.zeros((h, w), np.uint8)
        centre = corners.mean(axis=0)
        shrunk = centre + (corners - centre) * 0.975
        cv2.fillConvexPoly(inside, np.round(shrunk).astype(np.int32), 1)
        # Outside the sheet is as light as the sheet's own paper, so that its edge is no mark.
        grey = np.where(inside > 0, grey, float(np.percentile(grey[inside > 0], 70))).astype(np.float32)
    side = max(9, round(0.05 * max(h, w)) | 1)
    step = max(1, side // 24)
    # The paper's tone around each place: the lighter quarter of a wide neighbourhood, found on a reduced copy.
    small = cv2.resize(grey, (max(1, w // step), max(1, h // step)), interpolation=cv2.INTER_AREA)
    light = cv2.dilate(cv2.medianBlur(_eight(small), 5), np.ones((side // step | 1, side // step | 1), np.uint8))
    light = cv2.GaussianBlur(np.asarray(light, np.float32) / 255, (0, 0), side / step / 3)
    paper = np.asarray(cv2.resize(light, (w, h), interpolation=cv2.INTER_LINEAR))
    dark = cv2.GaussianBlur(paper - grey, (0, 0), 0.8)
    few = dark[::3, ::3]
    usual = float(np.median(few))
    noise = float(np.median(np.abs(few - usual))) / 0.6745
    high = dark > usual + max(0.07, 5 * noise)
    low = dark > usual + max(0.035, 3 * noise)
    mask = _connected(np.asarray(low & (inside > 0)), np.asarray(high & (inside > 0)), max(8, round(2e-5 * h * w)))
    if np.count_nonzero(mask) < 12:
        return NoEstimate("no marks stand out from the paper")
    # The first and last mark of every row are all that the outline can touch.
    y = np.nonzero(mask.any(axis=1))[0]
    first, last = mask[y].argmax(axis=1), w - 1 - mask[y][:, ::-1].argmax(axis=1)
    points = np.column_stack([np.concatenate([first, last]), np.concatenate([y, y])]).astype(np.float32) + np.float32(
        0.5
    )
    hull = np.asarray(cv2.convexHull(points), np.float64).reshape(-1, 2)
    return hull


def _eight(plane: NDArray[np.float32]) -> NDArray[np.uint8]:
    return np.asarray(np.clip(plane * 255 + 0.5, 0, 255), np.uint8)


def _connected(low: NDArray[np.bool_], high: NDArray[np.bool_], least: int) -> NDArray[np.bool_]:
    """Low pixels joined to a high one (hysteresis), without specks and without what runs along the picture's rim."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(low.astype(np.uint8), connectivity=8)
    keep = np.zeros(count, bool)
    keep[np.unique(labels[high])] = True
    keep &= stats[:, cv2.CC_STAT_AREA] >= least
    h, w = low.shape
    left, top = stats[:, cv2.CC_STAT_LEFT], stats[:, cv2.CC_STAT_TOP]
    right, bottom = left + stats[:, cv2.CC_STAT_WIDTH], top + stats[:, cv2.CC_STAT_HEIGHT]
    on_rim = (left <= 1).astype(int) + (top <= 1) + (right >= w - 1) + (bottom >= h - 1)
    long = (stats[:, cv2.CC_STAT_WIDTH] > 0.5 * w) | (stats[:, cv2.CC_STAT_HEIGHT] > 0.5 * h)
    keep &= ~((on_rim >= 1) & long)
    keep[0] = False
    return np.asarray(keep[labels])
