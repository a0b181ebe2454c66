"""Noise of a scan: the finest unrest on bare paper, in steps of 255."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.profiles import medians

Plane = NDArray[np.float32]


def paper_noise(crops: Sequence[Plane], rescaled: bool = False) -> float:
    """Standard deviation of pixel noise, in steps of 255.

    Parameters: ``crops`` full-size grey parts (h, w) in 0..1; ``rescaled`` whether the picture was made smaller and larger
    again: the compression between leaves only scattered traces of the noise, which a median does not see. Taken from the
    flattest parts of each crop as the larger of two octaves, so that noise which JPEG or scaling has made coarser still
    counts.
    Source: median absolute deviation of wavelet-like details, after Donoho and Johnstone (1994).
    """
    values = []
    for crop in crops:
        if min(crop.shape) < 32:
            continue
        # Neighbours two apart: sharpening and interpolation tie direct neighbours together.
        fine = (crop - np.asarray(cv2.GaussianBlur(crop, (0, 0), 1.4))) / np.float32(0.90)
        half = np.asarray(cv2.resize(crop, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA))
        coarse = (half - np.asarray(cv2.GaussianBlur(half, (0, 0), 1.4))) / np.float32(0.90)
        values.append(max(_flattest(fine, rescaled), 1.25 * _flattest(coarse, rescaled)))
    return float(np.median(values)) * 255 if values else 0.0


def _flattest(detail: Plane, scattered: bool) -> float:
    """Deviation of the calmest third of all 16 px blocks, robust unless it is ``scattered``."""
    h, w = (n // 16 * 16 for n in detail.shape)
    if not h or not w:
        return 0.0
    blocks = np.abs(detail[:h, :w]).reshape(h // 16, 16, w // 16, 16).transpose(0, 2, 1, 3).reshape(-1, 256)
    spread = np.sqrt((blocks**2).mean(axis=1)) if scattered else medians(blocks, 1) / 0.6745
    return float(np.percentile(spread, 33))
