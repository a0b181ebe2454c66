"""Where to look first: two telling places on a sheet, for the bench's close-ups."""

from __future__ import annotations

import cv2
import numpy as np

from woad.core.paper.evening import even, make_gain
from woad.core.raster.codes import from_codes
from woad.core.render.sheet import Sheet


def propose_spots(sheet: Sheet) -> tuple[tuple[float, float], tuple[float, float]]:
    """Centres (x, y in pixels of the full scan) of a place rich in edges and of a place with faint or small marks.

    They are kept on the scan, so that they stay on the same marks however the sheet is squared.
    """
    pyramid = sheet.pyramid
    level = pyramid.level_for(600)
    image = pyramid.whole(level)
    h, w = image.shape[:2]
    gain = make_gain(sheet.readings.light, 1.0, sheet.readings.weights)
    dark = np.clip(1 - from_codes(even(image, gain, sheet.readings.cell_px, (0, 0, level))), 0, 1)
    dark = np.where(dark > 1.5 * sheet.readings.floors[min(level, 3)], dark, 0).astype(np.float32)
    cell = max(8, max(h, w) // 24)
    edges = cv2.blur(np.abs(dark - cv2.blur(dark, (3, 3))), (cell, cell))
    amount = cv2.blur(dark, (cell, cell))
    margin = cell
    inside = np.zeros((h, w), np.float32)
    inside[margin : max(margin + 1, h - margin), margin : max(margin + 1, w - margin)] = 1
    first = np.unravel_index(int(np.argmax(edges * inside)), (h, w))
    yy, xx = np.mgrid[0:h, 0:w]
    far = np.hypot(yy - first[0], xx - first[1]) > 4 * cell
    # Small or faint: many edges for little darkness.
    telling = edges / (amount + 0.05) * np.minimum(amount * 12, 1) * inside * far
    second = np.unravel_index(int(np.argmax(telling)), (h, w))
    found = np.array([[first[1], first[0]], [second[1], second[0]]], np.float64) + 0.5
    on_scan = sheet.frame.to_scan(found * (1 << level)) * sheet.scale
    (ax, ay), (bx, by) = on_scan.tolist()
    return (ax, ay), (bx, by)
