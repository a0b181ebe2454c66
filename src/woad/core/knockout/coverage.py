"""Coverage (alpha) of coloured marks, so that the cut-out laid over white *encodes* to the picture that was seen.

For one ink the Ink step's curve is the coverage. For colour, the least alpha that can explain a pixel is raised to its
share of the paint it belongs to: the paint just inside for an edge pixel, the pixel's own surroundings elsewhere.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.knockout.fringe import REACH_PX, without_fringe
from woad.core.knockout.inner import Extremes, Inside, calmed, edge_width, inner_paint
from woad.core.raster.pyramid import halve

Plane8 = NDArray[np.uint8]
Plane = NDArray[np.float32]

BODY_REACH = 24 + 4 + REACH_PX  # how far around a pixel body_alpha looks, and then with_light, px
_PALE = (
    51.0  # least alpha, of 255, below which a wash stays see-through: one that fades out must not end in a white rim
)
_FULL_AT = 0.85  # share of the paint's own depth from which a pixel is fully covered, so that grain does not pierce it
_RIM = 5.0  # least alpha that an edge's outermost pixels may have without being paint
_CALMED, _STEEPENED = 0.4, 2.0  # edge widths over which pale paint's edge is told, and by how much it is steeper then
_PALE_RIM = 30.0, 60.0  # depth of paint, of 255, up to which that is done fully, and from which not at all
_IN_REACH = 0.002  # weight of paint's inside around a pixel from which it tells of it
_WIDE, _HALVED = 2.0, 0.9  # px (sigma) from which a blur is made at half size; px2 by which halving and enlarging blur
_GREY = 0.7  # share of what makes pale paint's edge uneven that is grey, as paper's grain is


def with_light(dark: Plane8, light: Plane8, edge_px: float) -> Plane8:
    """Coverage (h, w) of ``dark`` and ``light`` marks on toned paper together. Where one meets the other, tones pass through
    the paper's, which lies between theirs; but no paper does: gaps about as narrow as an edge, ``edge_px``, are none."""
    wide = max(2 * round(edge_px * 2 / 3) + 1, 3)
    both = np.asarray(cv2.max(dark, light))
    closed = cv2.morphologyEx(both, cv2.MORPH_CLOSE, np.ones((wide, wide), np.uint8))
    near = np.ones((wide + 2, wide + 2), np.uint8)
    beside = cv2.min(cv2.dilate(dark, near), cv2.dilate(light, near))
    return np.asarray(cv2.max(both, cv2.min(closed, beside)), np.uint8)


def body_alpha(
    least: Plane8,
    body: float,
    edge_px: float,
    inside: Inside | None = None,
    rgb: Plane8 | None = None,
    full_size: Extremes | None = None,
) -> Plane8:
    """Alpha of coloured marks from the least alpha that explains each pixel.

    ``least`` (H, W) uint8 is 255 (1 - min channel), exactly 0 on bare paper. ``body`` 0..1: see-through paint (0), washes
    that are opaque unless pale (0.5), washes that are opaque inside and fade out at their rims (0.75), opaque paint whose
    rims are as full as its inside (1). ``edge_px`` is how wide an edge is; ``inside`` what the whole sheet shows. With
    ``rgb`` (H, W, 3), the picture over white, no edge pixel gets so much that its colour would be lighter than its paint's.
    ``full_size`` is what a reduced picture is of.
    """
    if body <= 0:
        return least
    inner = inner_paint(least, edge_px, inside, rgb, full_size)
    beside = _beside(inner, edge_px)
    own = _own_depth(least, inner, beside, edge_px, full_size)
    pale = _PALE * min(1.0, 2 * (1 - body))
    # Not OpenCV's maximum: beside a picture of one pixel it takes a number for four of them.
    depth = np.maximum(own * np.float32(_FULL_AT), np.float32(max(pale, 1.0)))
    # Outside, the first steps are the scan's blur and noise: counted as paint they would be a light rim on dark grounds.
    faint = np.minimum(np.float32(_RIM), np.float32(0.4) * depth)
    faint *= inner <= 127
    seen = least.astype(np.float32)
    seen -= faint
    depth -= faint
    alpha = cv2.divide(np.maximum(seen, np.float32(0), out=seen), depth, scale=255.0)
    out = cv2.convertScaleAbs(alpha)
    if body > 0.5:
        # Opaque paint has no holes: the fuller the body, the more its inside counts as covered whatever its tone.
        out = cv2.max(out, cv2.convertScaleAbs(inner, alpha=min(1.0, 4 * (body - 0.5))))
    else:
        out = cv2.addWeighted(out, 2 * body, least, 1 - 2 * body, 0)
    if rgb is not None:
        out, calm = _rim_share(np.asarray(out), rgb, inner, beside, edge_px)
        out = without_fringe(out, calm, least, inner)
    if inside is not None and body < 1:
        # Opaque paint has rims as full as its inside, be they soft.
        lacks = cv2.convertScaleAbs(cv2.bitwise_not(inside.fading), alpha=min(1.0, 5 * (1 - body)))
        out = cv2.min(out, cv2.bitwise_not(lacks))
    return np.asarray(cv2.max(out, least))


@dataclass(frozen=True, eq=False)
class _Beside:
    """What lies just inside of each pixel: ``inner`` (H, W) 0..255 paint's inside, and its ``weight`` around, 0..1, over
    ``sigma`` px."""

    inner: Plane8
    weight: Plane
    sigma: float

    def mean(self, plane: Plane8, at: NDArray[np.intp]) -> Plane:
        """Of a plane (H, W), the mean by what is inside around pixels ``at`` (n,), counted row by row, (n,)."""
        # In whole numbers up to the blur: 255 * 255 fit into 16 bits.
        total = blurred(np.multiply(plane, self.inner, dtype=np.uint16), self.sigma)
        return np.asarray(total.ravel()[at] / (np.float32(255) * self.weight.ravel()[at]))


def _beside(inner: Plane8, edge_px: float) -> _Beside:
    # An edge is what lies right inside of it: within an outline, that, and not the paler paint behind.
    sigma = 0.35 * edge_width(edge_px) + 0.4
    return _Beside(inner, blurred(inner.astype(np.float32), sigma) * np.float32(1 / 255), sigma)


def blurred(plane: NDArray[np.generic], sigma: float) -> Plane:
    """A plane (H, W) blurred by ``sigma`` px, float32, at half its size where that leaves nothing fine: the way there and
    back blurs by itself."""
    if sigma < _WIDE:
        return np.asarray(cv2.GaussianBlur(plane.astype(np.float32), (0, 0), sigma), np.float32)
    half = np.asarray(halve(plane)).astype(np.float32)
    half = np.asarray(cv2.GaussianBlur(half, (0, 0), np.sqrt(sigma**2 - _HALVED) / 2))
    out = cv2.resize(half, (2 * half.shape[1], 2 * half.shape[0]), interpolation=cv2.INTER_LINEAR)
    return np.asarray(out[: plane.shape[0], : plane.shape[1]])


def _rim_share(alpha: Plane8, rgb: Plane8, inner: Plane8, beside: _Beside, edge_px: float) -> tuple[Plane8, Plane8]:
    """Coverage of edge pixels as the share of the paint just inside them: the least-squares mixture of that paint's colour
    with paper. With it, paper's part in an edge pixel goes, and what is left has the paint's own colour. With the coverage
    comes the picture that it was read from, calm at edges of pale paint.

    Source: unmixing as in alpha estimation from known foreground and background (Smith and Blinn, Blue screen matting, 1996).
    """
    rim = np.flatnonzero((inner < 255) & (beside.weight > _IN_REACH))
    if not rim.size:
        return alpha, rgb
    planes = cv2.split(cv2.bitwise_not(rgb))
    own = np.array([beside.mean(plane, rim) for plane in planes])
    depth2 = np.maximum(np.einsum("ij,ij->j", own, own), 1.0)
    # Pale paint's edge drowns in noise pixel by pixel; over a few it stands out, and is made as steep again as it was.
    pale = np.interp(np.sqrt(depth2 / 3), _PALE_RIM, (1, 0))
    missing = np.array([plane.ravel()[rim] for plane in planes], np.float32)
    if pale.any():
        blur = cv2.getGaussianKernel(2 * round(4 * _CALMED * edge_px) + 1, _CALMED * edge_px)
        calm = np.array([cv2.sepFilter2D(plane, cv2.CV_32F, blur, blur).ravel()[rim] for plane in planes])
        missing += (calm - missing) * pale
    # Grain beside a pale coloured wash may be as dark as its edge, but not of its hue: by how much the part of both that is
    # grey counts less (generalised least squares; Aitken 1935).
    hued = own - _GREY * pale * own.mean(axis=0)
    mixed = np.einsum("ij,ij->j", missing, hued) / np.maximum(np.einsum("ij,ij->j", own, hued), 1.0)
    mixed += (_STEEPENED - 1) * pale * (mixed - 0.5)
    out, seen = alpha.copy(), rgb.copy()
    share = np.clip(mixed, 0, 1) * beside.mean(alpha, rim)
    # What is inside by little only is an edge pixel nearly as much as its neighbour that is not: between a deep paint and a
    # paler one such pixels, fully covered, were a light line along it.
    own_alpha, held = alpha.ravel()[rim].astype(np.float32), inner.ravel()[rim].astype(np.float32)
    within = np.clip((held - 127) / 128, 0, 1)
    share += (own_alpha - share) * within
    out.ravel()[rim] = np.rint(np.maximum(share, within * np.minimum(own_alpha, held)))
    seen.reshape(-1, 3)[rim] = np.rint(255 - missing).T
    return out, seen


def _own_depth(least: Plane8, inner: Plane8, beside: _Beside, edge_px: float, full_size: Extremes | None) -> Plane:
    """The depth of the paint each pixel belongs to: its own surroundings inside; at an edge, what lies just inside; in
    strokes too thin to have an inside, their deepest pixel near."""
    r = edge_width(edge_px)
    if full_size is not None:
        # What a reduced picture mixes with paper is full at its deepest only.
        thin = full_size.deepest * np.float32(1 / _FULL_AT)
    else:
        thin = cv2.dilate(calmed(least, r), np.ones((2 * r + 3, 2 * r + 3), np.uint8)).astype(np.float32)
    # A speck of noise is thin and pale: it must not be taken for paint at full depth.
    out = np.maximum(thin, np.float32(_PALE))
    within = inner > 127
    edge = np.flatnonzero((beside.weight > _IN_REACH) & ~within)
    if edge.size:
        out.ravel()[edge] = beside.mean(least, edge)
    # Between a pale and a deep paint there is no paper: each side's own tone, not the other's, is its depth.
    around = cv2.min(cv2.boxFilter(least, cv2.CV_32F, (5, 5)), cv2.multiply(least, 1 / _FULL_AT, dtype=cv2.CV_32F))
    return np.asarray(cv2.copyTo(around, within.view(np.uint8), out), np.float32)


def unmix(encoded: NDArray[np.uint8], alpha: Plane8) -> NDArray[np.uint8]:
    """Straight colour of the mark: the paper's share taken out of each pixel.

    ``encoded`` (H, W, 3) with paper white; ``alpha`` (H, W) at least ``255 - min channel``. Laid over white, the
    colour with its alpha gives ``encoded`` back. Bare pixels get the colour black, which compresses best.
    """
    a = cv2.merge([alpha, alpha, alpha])
    missing = cv2.bitwise_not(encoded)
    lost = cv2.divide(missing, a, scale=255.0, dtype=cv2.CV_8U)
    colour = cv2.bitwise_not(np.asarray(lost))
    return _bare_black(np.asarray(colour), alpha)


def unmix_from(encoded: NDArray[np.uint8], alpha: Plane8, paper: tuple[int, int, int]) -> NDArray[np.uint8]:
    """:func:`unmix` of a picture (H, W, 3) with ``paper`` of a tone of its own, which marks may be lighter than."""
    ground = np.broadcast_to(np.array(paper, np.uint8), encoded.shape)
    a = cv2.merge([alpha, alpha, alpha])
    darker, lighter = (
        cv2.divide(cv2.subtract(*pair), a, scale=255.0, dtype=cv2.CV_8U)
        for pair in ((ground, encoded), (encoded, ground))
    )
    return _bare_black(np.asarray(cv2.subtract(cv2.add(ground, lighter), darker)), alpha)


def _bare_black(colour: NDArray[np.uint8], alpha: Plane8) -> NDArray[np.uint8]:
    """A picture (H, W, 3) that is black where nothing is covered."""
    return np.asarray(cv2.bitwise_and(colour, colour, mask=cv2.threshold(alpha, 0, 255, cv2.THRESH_BINARY)[1]))
