"""Coverage (alpha) of coloured marks, so that the cut-out laid over white *encodes* to the picture that was seen.

For one ink the Ink step's curve is the coverage. For colour, the least alpha that can explain a pixel is raised to the
body of the mark it belongs to.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]


def body_alpha(least: Plane8, reach_px: int) -> Plane8:
    """Alpha of coloured marks from the least alpha that explains each pixel.

    ``least`` (H, W) uint8 is 255 (1 - min channel). A mark's body is the deepest tone within ``reach_px``; a pixel's
    coverage is its share of that. Where no paper is within reach, paint lies on paint and is opaque, however pale.
    """
    size = 2 * reach_px + 1
    box = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    body = cv2.blur(cv2.dilate(least, box), (reach_px | 1, reach_px | 1))
    body = cv2.max(body, least)
    alpha = cv2.divide(least, body, scale=255.0, dtype=cv2.CV_8U)
    # The lowest tone within reach against the body of a wider neighbourhood: a soft edge that fades out stays soft.
    lowest = cv2.erode(least, box)
    wide = cv2.blur(body, (6 * reach_px + 1, 6 * reach_px + 1))
    inside = cv2.divide(lowest, cv2.max(wide, 8), scale=510.0, dtype=cv2.CV_8U)
    return np.asarray(cv2.max(alpha, inside))


def body_reach(reach_px: int) -> int:
    """How far around a pixel :func:`body_alpha` looks, px."""
    return 5 * reach_px + 2


def unmix(encoded: NDArray[np.uint8], alpha: Plane8) -> NDArray[np.uint8]:
    """Straight colour of the mark: the paper's share taken out of each pixel.

    ``encoded`` (H, W, 3) with paper white; ``alpha`` (H, W) at least ``255 - min channel``. Laid over white, the
    colour with its alpha gives ``encoded`` back. Bare pixels get the colour black, which compresses best.
    """
    a = cv2.merge([alpha, alpha, alpha])
    missing = cv2.bitwise_not(encoded)
    lost = cv2.divide(missing, a, scale=255.0, dtype=cv2.CV_8U)
    colour = cv2.bitwise_not(np.asarray(lost))
    return np.asarray(cv2.bitwise_and(colour, colour, mask=cv2.threshold(alpha, 0, 255, cv2.THRESH_BINARY)[1]))
