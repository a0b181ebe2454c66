"""The paper's tone over a scan, small: what the squared sheet is filled with where it has no paper."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of
from woad.core.raster.pyramid import Pyramid
from woad.core.square.frame import Frame

Plane = NDArray[np.float32]

_NEAR = np.ones((9, 9), np.uint8)
_PAPER = 0.95  # of the lightest nearby, encoded: as light is paper
_INSET = 0.02  # share of the sheet's side: what lies along it may be its edge
_SIGMAS = (2.5, 6.0, 18.0, 60.0)  # px of the small picture: as near as there is paper enough
_ENOUGH = 0.05


def paper_tone(source: Pyramid, frame: Frame) -> Plane:
    """The paper's tone, (h, w, C) codes of the smallest level of ``source``, smooth; of the sheet alone if some of what lies
    within it is none, and carried on from there."""
    level = np.asarray(source.levels[source.deepest], np.float32)
    h, w = level.shape[:2]
    sheet = np.ones((h, w), np.float32)
    if frame.blanks:
        low = frame.inset + _INSET
        inner = np.array([[low, low], [1 - low, low], [1 - low, 1 - low], [low, 1 - low]]) * frame.plane
        to_level = np.array([w / frame.scan[0], h / frame.scan[1]])
        mask = np.zeros((h, w), np.uint8)
        cv2.fillConvexPoly(mask, np.round(frame.plane_to_scan(inner) * to_level - 0.5).astype(np.int32), 1)
        for blank in frame.blanks:
            cv2.fillConvexPoly(mask, np.round(np.array(blank) * to_level - 0.5).astype(np.int32), 0)
        sheet = mask.astype(np.float32) if mask.any() else sheet
    grey = np.asarray(grey_of(level) * sheet, np.float32)
    lightest = cv2.GaussianBlur(cv2.dilate(grey, _NEAR), (0, 0), 2.0)
    weight = np.asarray(sheet * (grey > _PAPER * lightest), np.float32)
    out = np.zeros(level.shape, np.float32)
    known = np.zeros((h, w), np.bool_)
    for sigma in _SIGMAS:
        share, tone = (
            np.asarray(cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE), np.float32)
            for plane in (weight, level * weight[..., None])
        )
        fresh = ~known & (share > _ENOUGH)
        out[fresh] = (tone.reshape(level.shape) / np.maximum(share, 1e-6)[..., None])[fresh]
        known |= fresh
    return out
