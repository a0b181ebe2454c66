"""Two takes mixed: the finished pictures are mixed, not the settings, so any two takes have a happy medium."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane8 = NDArray[np.uint8]
Colour = Plane8 | tuple[int, int, int]


def mix_planes(a: Plane8, b: Plane8, share: float) -> Plane8:
    """``share`` 0..1 of ``b`` in ``a``, both uint8 of one shape."""
    return np.asarray(cv2.addWeighted(a, 1 - share, b, share, 0)).reshape(a.shape)


def mix_cut_outs(
    rgb_a: Colour, alpha_a: Plane8 | None, rgb_b: Colour, alpha_b: Plane8 | None, share: float
) -> tuple[Colour, Plane8 | None]:
    """Mix two cut-outs: coverage is mixed, colour in proportion to the coverage each brings (premultiplied).

    ``rgb`` (h, w, 3) straight or one colour for all; ``alpha`` (h, w), None when opaque. Laid over any backing, the mix
    is the same mix of the two pictures.
    """
    if alpha_a is None and alpha_b is None:
        assert not isinstance(rgb_a, tuple) and not isinstance(rgb_b, tuple)
        return mix_planes(rgb_a, rgb_b, share), None
    if alpha_a is None or alpha_b is None:
        like = alpha_a if alpha_a is not None else alpha_b
        assert like is not None
        full = np.full_like(like, 255)
        alpha_a, alpha_b = full if alpha_a is None else alpha_a, full if alpha_b is None else alpha_b
    alpha = mix_planes(alpha_a, alpha_b, share)
    if isinstance(rgb_a, tuple) and rgb_a == rgb_b:
        return rgb_a, alpha
    weight_a = alpha_a.astype(np.float32) * np.float32(1 - share)
    weight_b = alpha_b.astype(np.float32) * np.float32(share)
    total = np.maximum(weight_a + weight_b, np.float32(1e-3))[..., None]
    shape = (*alpha.shape, 3)
    one = np.broadcast_to(np.asarray(rgb_a, np.float32), shape)
    two = np.broadcast_to(np.asarray(rgb_b, np.float32), shape)
    rgb = (one * weight_a[..., None] + two * weight_b[..., None]) / total
    return np.asarray(np.rint(np.clip(rgb, 0, 255)), np.uint8), alpha
