"""Coverage (alpha) of coloured marks, so that the cut-out laid over white *encodes* to the picture that was seen.

For one ink the Ink step's curve is the coverage. For colour, the least alpha that can explain a pixel is raised to the
body of the mark it belongs to.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]


_LEAST_BODY = 0.2  # marks paler than this never become opaque: a wash that fades out must not end in a white rim
_FULL_AT = 0.85  # share of the body from which a pixel is fully covered, so that grain does not pierce it
_STEP = 4  # the body is looked for on a grid of this many pixels


def body_alpha(least: Plane8, reach_px: float) -> Plane8:
    """Alpha of coloured marks from the least alpha that explains each pixel.

    ``least`` (H, W) uint8 is 255 (1 - min channel). A mark's body is the mean of the least alpha around a pixel,
    weighted with itself: paper, which has none, does not count, and the mark's own depth does. A pixel's coverage is its
    share of that body. ``reach_px`` is the standard deviation of the neighbourhood.
    """
    h, w = least.shape
    padded = cv2.copyMakeBorder(least, 0, -h % _STEP, 0, -w % _STEP, cv2.BORDER_REPLICATE)
    size = (padded.shape[1] // _STEP, padded.shape[0] // _STEP)
    small = cv2.resize(padded, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    sigma = max(reach_px / _STEP, 0.6)
    # The means of thin marks are diluted by the grid; their own squares on the fine grid would cost sixteen times more.
    weighted = cv2.GaussianBlur(small * small, (0, 0), sigma)
    weight = cv2.GaussianBlur(small, (0, 0), sigma)
    body = np.maximum(_FULL_AT * weighted / (weight + np.float32(0.5)), np.float32(255 * _LEAST_BODY))
    body = cv2.resize(body, (padded.shape[1], padded.shape[0]), interpolation=cv2.INTER_LINEAR)[:h, :w]
    alpha = cv2.divide(least.astype(np.float32), body, scale=255.0)
    return np.asarray(cv2.max(cv2.convertScaleAbs(alpha), least))


def opaque_alpha(least: Plane8, wash: Plane8, reach_px: float) -> Plane8:
    """Alpha of opaque paint: full inside, however pale it is; only its edge with the paper is partly covered.

    ``least`` (H, W) as in :func:`body_alpha`, exactly 0 on bare paper; ``wash`` its answer for marks too thin to have an
    inside. ``reach_px`` is how wide an edge is. An edge pixel is covered by its share of the paint just inside.
    """
    # A few steps of noise beside a mark are not paint; over 3 x 3 pixels pale paint stands above them.
    calm = cv2.GaussianBlur(least, (3, 3), 0)
    paint = cv2.morphologyEx(cv2.threshold(calm, _NOISE, 255, cv2.THRESH_BINARY)[1], cv2.MORPH_CLOSE, _BOX5)
    paint = cv2.morphologyEx(paint, cv2.MORPH_OPEN, _BOX5)
    r = int(np.clip(round(reach_px), 1, OPAQUE_REACH // 3))
    inner = cv2.erode(paint, np.ones((2 * r + 1, 2 * r + 1), np.uint8))
    sigma = 0.8 * r + 0.4
    share = inner.astype(np.float32) * np.float32(1 / 255)
    weight = cv2.GaussianBlur(share, (0, 0), sigma)
    near = cv2.GaussianBlur(least.astype(np.float32) * share, (0, 0), sigma)
    own = cv2.divide(near, cv2.max(weight, 1e-3))
    above = cv2.max(least.astype(np.float32) - _NOISE / 2, 0.0)
    edge = cv2.convertScaleAbs(cv2.divide(above, cv2.max(0.97 * own - _NOISE / 2, 1.0), scale=255))
    answer = np.where(weight > 0.02, edge, wash)
    return np.asarray(cv2.max(cv2.max(np.asarray(answer, np.uint8), inner), least))


OPAQUE_REACH = 16  # px
_NOISE = 5  # least alpha, of 255, up to which paint is not told from noise
_BOX5 = np.ones((5, 5), np.uint8)


def body_reach(reach_px: float) -> int:
    """How far around a pixel :func:`body_alpha` looks, px."""
    return int(np.ceil(5 * reach_px)) + 4 * _STEP


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
