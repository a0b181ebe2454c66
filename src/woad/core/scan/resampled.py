"""Whether a picture was scaled up since it was taken: interpolated pixels lie between their neighbours in a rhythm.

Where pixels of the smaller picture are hit, the second difference is as large as noise makes it; between them it is small.
Along rows and along columns that repeats with the scale, whatever is drawn.
Source: Gallagher (2005), Detection of linear and cubic interpolation in JPEG compressed images.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

SCALED = 4.0  # from here on a picture was scaled up; others with noise to speak of stay below 2.5
_SIDE, _BINS = 256, 512
_CAP = 6 / 255  # an edge must not outweigh all the noise
_BAND = 0.15, 0.48  # cycles a pixel
_BLOCKS = (0.25, 0.375)  # JPEG blocks of 8 px make these by themselves
_CLEAR = 0.008


def rhythm(crops: Sequence[Plane]) -> float:
    """How far the strongest rhythm of second differences that rows and columns share stands out from the others, 1 and
    more; 0 when the ``crops``, full-size grey parts (h, w) in 0..1 of calm paper, are too small."""
    whole = [crop[:_SIDE, :_SIDE] for crop in crops if min(crop.shape) >= _SIDE]
    if not whole:
        return 0.0
    both = _power([part.T for part in whole]) * _power(whole)
    at = np.arange(len(both)) / _BINS
    looked = (at > _BAND[0]) & (at < _BAND[1])
    for one in _BLOCKS:
        looked &= np.abs(at - one) > _CLEAR
    usual = float(np.median(both[looked]))
    return float(both[looked].max() / usual) ** 0.25 if usual > 0 else 0.0


def _power(parts: Sequence[Plane]) -> NDArray[np.float64]:
    """Power of the rhythm along rows, summed over the parts."""
    total = np.zeros(_BINS // 2 + 1)
    for part in parts:
        second = np.minimum(np.abs(2 * part[:, 1:-1] - part[:, :-2] - part[:, 2:]), _CAP).mean(axis=0, dtype=np.float64)
        total += np.abs(np.fft.rfft((second - second.mean()) * np.hanning(len(second)), _BINS)) ** 2
    return total
