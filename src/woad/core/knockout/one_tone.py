"""Coverage of flat prints and paint in one colour: every pixel is a share of that colour and of paper, however small a gap is
or a chip that is left between two cuts."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.inner import edge_width
from woad.core.raster.channels import folded

Plane8 = NDArray[np.uint8]

# Share of the full tone up to which a pixel is a mixture; and from which, with no such pixel beside it, it is covered whole.
_PART, _FULL = 0.5, 0.85


def one_tone_alpha(rgb: Plane8, full: Plane8, least: Plane8, edge_px: float) -> Plane8:
    """Alpha of marks in one flat colour, at least as much as explains each pixel.

    ``rgb`` (H, W, 3) uint8 the picture over white, ``full`` (3,) uint8 the colour of full paint in it, ``least`` (H, W) uint8
    the least alpha that explains a pixel, ``edge_px`` how wide an edge is. What is a little paler than full paint is paint
    laid on thinner, and opaque; but at an edge it is mixed with paper.

    Source: least-squares mixture of two known colours (Smith and Blinn, Blue screen matting, 1996).
    """
    missing = 255 - full.astype(np.float32)
    weights = missing / max(float(missing @ missing), 1.0)
    share = cv2.convertScaleAbs(folded(cv2.bitwise_not(rgb).astype(np.float32), weights.tolist()), alpha=255.0)
    side = (2 * edge_width(edge_px) + 1,) * 2
    apart = cv2.erode(share, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, side))
    whole = (apart > 255 * _PART).astype(np.uint8) * np.uint8(255)
    within = cv2.blur(whole, side)  # by degrees, or its outline would show
    more = cv2.multiply(cv2.LUT(share, _LACKS), within, scale=1 / 255)
    return np.asarray(cv2.max(cv2.add(share, more), least))


_SHARE = np.arange(256) / 255
_LACKS = np.rint(255 * (np.interp(_SHARE, (0, _PART, _FULL), (0, _PART, 1)) - _SHARE)).astype(np.uint8)
