"""Straight-alpha compositing in encoded values, as screens and browsers mix."""

from __future__ import annotations

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
