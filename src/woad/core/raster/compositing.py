"""Straight-alpha compositing in encoded values, as screens and browsers mix."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Image8 = NDArray[np.uint8]


def over(colour: Image8, alpha: Image8, backing: Image8 | tuple[int, int, int]) -> Image8:
    """Lay straight ``colour`` (H, W, 3) with ``alpha`` (H, W) over a backing; (H, W, 3) uint8.

    Source: Porter and Duff, Compositing digital images (1984), the "over" operator.
    """
    a = alpha.astype(np.float32)[..., None] / 255
    back = np.asarray(backing, np.float32)
    return (colour.astype(np.float32) * a + back * (1 - a) + 0.5).astype(np.uint8)


def on_white(coverage: Image8, colour: tuple[int, int, int]) -> Image8:
    """One ink of ``colour`` with ``coverage`` (H, W) 0..255 laid on white, (H, W, 3) uint8, by one look-up."""
    table = on_white_table(colour)
    # A neutral ink needs one look-up instead of three.
    planes = {value: cv2.LUT(coverage, table[:, i]) for i, value in enumerate(colour)}
    return np.asarray(cv2.merge([planes[value] for value in colour]))


def on_white_table(colour: tuple[int, int, int]) -> Image8:
    """What :func:`on_white` gives for each coverage, (256, 3) uint8."""
    a = np.arange(256, dtype=np.float64)[:, None] / 255
    return np.rint(255 - a * (255 - np.asarray(colour, np.float64)[None, :])).astype(np.uint8)


def over_white(colour: Image8 | tuple[int, int, int], alpha: Image8) -> Image8:
    """A cut-out laid on white, (H, W, 3) uint8: straight ``colour`` (H, W, 3), or one for all, with ``alpha`` (H, W)."""
    return on_white(alpha, colour) if isinstance(colour, tuple) else over(colour, alpha, (255, 255, 255))
