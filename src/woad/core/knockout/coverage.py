"""Coverage (alpha) of coloured marks, so that the cut-out laid over white *encodes* to the picture that was seen.

For one ink the Ink step's curve is the coverage. For colour, the least alpha that can explain a pixel is raised to its
share of the paint it belongs to: the paint just inside for an edge pixel, the pixel's own surroundings elsewhere.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.fringe import REACH_PX, most_without_fringe

Plane8 = NDArray[np.uint8]
Plane = NDArray[np.float32]

BODY_REACH = 24 + REACH_PX  # how far around a pixel body_alpha looks, px
_PALE = (
    51.0  # least alpha, of 255, below which a wash stays see-through: one that fades out must not end in a white rim
)
_FULL_AT = 0.85  # share of the paint's own depth from which a pixel is fully covered, so that grain does not pierce it
_RIM = 5.0  # least alpha that an edge's outermost pixels may have without being paint
_CALM_EDGE = 2  # up to this edge width, px, the picture is a reduced one
_NOISE = 5  # least alpha, of 255, up to which paint is not told from noise


@dataclass(frozen=True, eq=False)
class Inside:
    """What the whole sheet shows of each pixel, (H, W) uint8: 255 where it lies inside paint (``core``), and where paint
    that has an inside is so ``near`` that the pixel may belong to it."""

    core: Plane8
    near: Plane8


def body_alpha(
    least: Plane8, body: float, edge_px: float, inside: Inside | None = None, rgb: Plane8 | None = None
) -> Plane8:
    """Alpha of coloured marks from the least alpha that explains each pixel.

    ``least`` (H, W) uint8 is 255 (1 - min channel), exactly 0 on bare paper. ``body`` 0..1: see-through paint (0), washes
    that are opaque unless pale (0.5), washes that are opaque inside and fade out at their rims (0.75), opaque paint whose
    rims are as full as its inside (1). ``edge_px`` is how wide an edge is; ``inside`` what the whole sheet shows. With
    ``rgb`` (H, W, 3), the picture over white, no edge pixel gets so much that its colour would be lighter than its paint's.
    """
    if body <= 0:
        return least
    inner = _inside(least, edge_px)
    if inside is not None:
        inner = np.asarray(cv2.max(inner, inside.core))
    inner = _without_pale_rims(inner, least, inside, edge_px)
    own = _own_depth(least, inner, edge_px)
    pale = _PALE * min(1.0, 2 * (1 - body))
    depth = cv2.max(own * np.float32(_FULL_AT), max(pale, 1.0))
    # Outside, the first steps are the scan's blur and noise: counted as paint they would be a light rim on dark grounds.
    faint = np.where(inner > 127, np.float32(0), np.minimum(np.float32(_RIM), 0.4 * depth)).astype(np.float32)
    alpha = cv2.divide(cv2.max(least.astype(np.float32) - faint, 0.0), depth - faint, scale=255.0)
    out = cv2.convertScaleAbs(alpha)
    if body > 0.5:
        # Opaque paint has no holes: the fuller the body, the more its inside counts as covered whatever its tone.
        out = cv2.max(out, cv2.convertScaleAbs(inner, alpha=min(1.0, 4 * (body - 0.5))))
    else:
        out = cv2.addWeighted(out, 2 * body, least, 1 - 2 * body, 0)
    if rgb is not None:
        out = _rim_share(np.asarray(out), rgb, inner, edge_px)
        most = most_without_fringe(rgb, least, inner)
        out = cv2.min(out, cv2.max(most, inner))
    return np.asarray(cv2.max(out, least))


def _without_pale_rims(inner: Plane8, least: Plane8, inside: Inside | None, edge_px: float) -> Plane8:
    """The inside of paint without pale paint (or paper, in a corner) that runs along it as a narrow band: made opaque it
    would be a white rim. Broad pale paint stays."""
    calm = (cv2.GaussianBlur(least, (3, 3), 0) if _edge(edge_px) > _CALM_EDGE else least).astype(np.float32)
    pale = cv2.bitwise_and(inner, cv2.threshold(np.asarray(calm), 40, 255, cv2.THRESH_BINARY_INV)[1].astype(np.uint8))
    reach = 2 * max(1, round(2.4 * edge_px)) + 1
    broad = cv2.morphologyEx(pale, cv2.MORPH_OPEN, np.ones((reach, reach), np.uint8))
    # What lies between broad pale paint and deep paint belongs to both.
    broad = cv2.dilate(broad, np.ones((5, 5), np.uint8))
    if inside is not None:
        # Paper between strokes, darkened a little by their blur, looks as pale paint does; the sheet at large knows.
        broad = cv2.max(cv2.min(broad, inside.near), inside.core)
    # Elsewhere a pixel belongs to the inside from about half the depth of the paint beside it.
    around = cv2.dilate(calm, np.ones((7, 7), np.uint8))
    share = calm / np.maximum(around, 28)
    deep = np.clip((share - 0.35) / 0.25, 0, 1) * 255
    # Right beside paper nearly all of it is asked for: a paler pixel there is mixed with paper.
    beside = 2 * max(1, round(0.7 * edge_px)) + 1
    close = cv2.erode(inner, np.ones((beside, beside), np.uint8)) < 128
    deep = np.where(close, np.clip((share - 0.62) / 0.3, 0, 1) * 255, deep)
    firm = cv2.max(broad, np.rint(deep).astype(np.uint8))
    return np.asarray(cv2.min(inner, firm))


def _rim_share(alpha: Plane8, rgb: Plane8, inner: Plane8, edge_px: float) -> Plane8:
    """Coverage of edge pixels as the share of the paint just inside them: the least-squares mixture of that paint's colour
    with paper. With it, paper's part in an edge pixel goes, and what is left has the paint's own colour.

    Source: unmixing as in alpha estimation from known foreground and background (Smith and Blinn, Blue screen matting, 1996).
    """
    sigma = 0.8 * _edge(edge_px) + 0.4
    share = inner.astype(np.float32) * np.float32(1 / 255)
    weight = cv2.GaussianBlur(share, (0, 0), sigma)
    rim = (inner <= 127) & (weight > 0.01)
    if not rim.any():
        return alpha
    near = np.maximum(weight, 1e-3)
    missing = cv2.bitwise_not(rgb).astype(np.float32)
    own = cv2.GaussianBlur(missing * share[..., None], (0, 0), sigma) / near[..., None]
    covered = cv2.GaussianBlur(alpha * share, (0, 0), sigma) / near
    mixed = np.einsum("ijk,ijk->ij", missing, own) / np.maximum(np.einsum("ijk,ijk->ij", own, own), 1.0)
    out = np.clip(mixed, 0, 1) * covered
    return np.where(rim, np.rint(out), alpha).astype(np.uint8)


def _inside(least: Plane8, edge_px: float) -> Plane8:
    """255 where paint is that does not touch paper within an edge's width."""
    # A few steps of noise beside a mark are not paint; over a few pixels pale paint stands above them.
    # A reduced picture is calm already, and its edges are too narrow for wide windows.
    r = _edge(edge_px)
    wide, most = (5, 7) if r > _CALM_EDGE else (3, 3)
    calm = cv2.GaussianBlur(least, (wide, wide), 0)
    paint = cv2.medianBlur(cv2.threshold(calm, _NOISE, 255, cv2.THRESH_BINARY)[1], most)
    return np.asarray(cv2.erode(paint, np.ones((2 * r + 1, 2 * r + 1), np.uint8)))


def _edge(edge_px: float) -> int:
    return int(np.clip(round(edge_px), 1, 4))


def _own_depth(least: Plane8, inner: Plane8, edge_px: float) -> Plane:
    """The depth of the paint each pixel belongs to: its own surroundings inside; at an edge, what lies just inside; in
    strokes too thin to have an inside, their deepest pixel near."""
    r = _edge(edge_px)
    share = inner.astype(np.float32) * np.float32(1 / 255)
    deep = least.astype(np.float32)
    sigma = 0.8 * r + 0.4
    weight = cv2.GaussianBlur(share, (0, 0), sigma)
    near = cv2.divide(cv2.GaussianBlur(deep * share, (0, 0), sigma), cv2.max(weight, 1e-3))
    thin = cv2.dilate(cv2.GaussianBlur(least, (3, 3), 0), np.ones((2 * r + 3, 2 * r + 3), np.uint8))
    around = cv2.blur(deep, (5, 5))
    # A speck of noise is thin and pale: it must not be taken for paint at full depth.
    edge = np.where(weight > 0.02, near, np.maximum(thin.astype(np.float32), _PALE))
    # Between a pale and a deep paint there is no paper: each side's own tone, not the other's, is its depth.
    return np.asarray(np.where(inner > 127, np.minimum(around, deep / np.float32(_FULL_AT)), edge), np.float32)


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
