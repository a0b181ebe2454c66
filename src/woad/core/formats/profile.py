"""Colour profiles: whatever a file was recorded in becomes sRGB for work."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.uint8] | NDArray[np.uint16]


def to_srgb(pixels: Pixels, profile: bytes | None) -> Pixels:
    """Convert (H, W, C) from an embedded ICC profile to sRGB; unchanged where there is none or it is sRGB.

    A profile that does not fit the pixels (or is broken) is ignored, as colour management prescribes: the values
    are then taken as sRGB.
    """
    if not profile or _is_srgb(profile):
        return pixels
    space = profile[16:20]
    if (space == b"GRAY") != (pixels.shape[2] == 1) or space not in (b"GRAY", b"RGB "):
        return pixels
    import imagecodecs

    grey = pixels.shape[2] == 1
    try:
        if grey:
            return _grey_to_srgb(pixels, profile)
        target = imagecodecs.cms_profile("srgb")
        out = imagecodecs.cms_transform(
            np.ascontiguousarray(pixels), profile, target, colorspace="rgb", outcolorspace="rgb", intent=1
        )
    except (imagecodecs.CmsError, ValueError):
        return pixels
    return _same_depth(out, pixels)


def _same_depth(out: object, like: Pixels) -> Pixels:
    return np.asarray(out, np.uint8) if like.dtype == np.uint8 else np.asarray(out, np.uint16)


def _grey_to_srgb(pixels: Pixels, profile: bytes) -> Pixels:
    """Grey profiles: tabulate the profile's curve through a ramp, so that the transform runs once."""
    import imagecodecs

    top = int(np.iinfo(pixels.dtype).max)
    ramp = np.arange(top + 1, dtype=pixels.dtype).reshape(1, -1)
    rgb = imagecodecs.cms_transform(
        ramp, profile, imagecodecs.cms_profile("srgb"), colorspace="gray", outcolorspace="rgb", intent=1
    )
    table = np.asarray(rgb).reshape(-1, 3)[:, 1]
    return _same_depth(table[pixels], pixels)


def _is_srgb(profile: bytes) -> bool:
    """Names used by the common sRGB profiles; their curves differ by less than an 8-bit step."""
    return b"sRGB" in profile[:4096] or b"s\x00R\x00G\x00B" in profile[:4096]
