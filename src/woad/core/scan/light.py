"""How light fell on the sheet as it was scanned: unevenness, a hard shadow, a glare spot."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of, highest
from woad.core.scan.light_edges import edge_pieces

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

_BLOCKS = 72
_AS_LIGHT = 0.15  # natural log, how far from the light around it paper between marks may be
HARD_PERCENT = 18.0  # light lost over a twenty-fourth of the sheet; a softer edge is uneven light


@dataclass(frozen=True, eq=False)
class LightFaults:
    """``ratio`` of the best to the worst lit paper; ``shadow`` and ``glare`` in per cent of light, 0 when there is none;
    masks (gh, gw) of where, on a grid laid over the picture."""

    ratio: float
    shadow: float
    glare: float
    dark: Mask
    shadow_at: Mask
    glare_at: Mask


def find_light_faults(linear: Plane, inside: Mask) -> LightFaults:
    """Look at the paper's tone block by block.

    Parameters: ``linear`` (h, w, C) linear light, about 800 to 1500 px long; ``inside`` (h, w) where the sheet lies.
    A block's tone is that of its lighter part, so thin marks do not count. Light changes all channels alike and has no
    sharp rim; paint changes the colour or ends within a pixel or two. That tells a shadow from a wash.
    """
    h, w = linear.shape[:2]
    size = max(4, round(max(h, w) / _BLOCKS))
    tone, inside_blocks = _tones(linear, inside, size)
    log = np.log(np.maximum(grey_of(tone), 1e-3))
    paper = _in_one_light(_same_paper(tone, log, inside_blocks), log, inside_blocks)
    none = np.zeros(log.shape, bool)
    if paper.sum() < 12:
        return LightFaults(1.0, 0.0, 0.0, none, none, none)
    soft = _softness(linear, size, log.shape)
    glare, glare_at = _glare(log, tone, inside_blocks, soft)
    # A glare spot has a rim of its own, and a shadow is no slow fall of light: what one explains, the others leave out.
    rest = paper & ~_grown(glare_at, 9)
    shadow, shadow_at, edge, between = _shadow(log, rest, inside_blocks, soft)
    if shadow >= HARD_PERCENT:
        rest = rest & ~_grown(shadow_at, 5) & ~_grown(edge, 5) & (log > between)
    if rest.sum() < 12:
        rest = paper
    low, high = np.percentile(log[rest], [2, 98])
    dark = rest & (log < high - np.log(1.4))
    return LightFaults(float(np.exp(high - low)), shadow, glare, dark, shadow_at, glare_at)


def _border(inside: Mask) -> Mask:
    """The outermost two blocks of the sheet."""
    return np.asarray(
        inside & ~(cv2.erode(np.pad(inside, 1).astype(np.uint8), np.ones((5, 5), np.uint8))[1:-1, 1:-1] > 0)
    )


def _grown(mask: Mask, by: int) -> Mask:
    return np.asarray(cv2.dilate(mask.astype(np.uint8), np.ones((by, by), np.uint8)) > 0)


def _tones(linear: Plane, inside: Mask, size: int) -> tuple[Plane, Mask]:
    """Per block the 80th percentile of each channel, and whether the block lies on the sheet."""
    h, w, c = linear.shape
    gh, gw = -(-h // size), -(-w // size)
    padded = cv2.copyMakeBorder(linear, 0, gh * size - h, 0, gw * size - w, cv2.BORDER_REFLECT_101).reshape(
        -1, gw * size, c
    )
    cells = padded.reshape(gh, size, gw, size, c).transpose(0, 2, 1, 3, 4).reshape(gh, gw, size * size, c)
    # Ordered by lightness, so that the channels of one and the same pixels are kept together.
    grey = grey_of(cells)
    k = int(size * size * 0.8)
    order = np.argpartition(grey, k, axis=2)[..., k:]
    tone = np.take_along_axis(cells, order[..., None], 2).mean(axis=2)
    there = cv2.resize(inside.astype(np.uint8), (gw, gh), interpolation=cv2.INTER_AREA) > 0
    share = cv2.resize(inside.astype(np.float32), (gw, gh), interpolation=cv2.INTER_AREA)
    return tone.astype(np.float32), np.asarray(there & (share > 0.98))


def _same_paper(tone: Plane, log: Plane, inside: Mask) -> Mask:
    """Blocks of the paper's own colour: hue as the lighter half's, not as dark as ink, and no dip among their neighbours.

    Marks that fill a block make a dip a few blocks wide; light does not change as fast and back again.
    """
    if not inside.any():
        return inside
    outside = np.where(inside, log, log[inside].min()).astype(np.float32)
    side = max(5, max(log.shape) // 8) | 1
    surface = cv2.morphologyEx(outside, cv2.MORPH_CLOSE, np.ones((side, side), np.uint8))
    inside = inside & (log > surface - 0.10)
    usual = float(np.percentile(log[inside], 80))
    keep = inside & (log > usual - 1.6)
    if tone.shape[2] == 3 and keep.any():
        hue = np.log(np.maximum(tone, 1e-3)) - log[..., None]
        lighter = keep & (log >= float(np.percentile(log[keep], 50)))
        centre = np.median(hue[lighter], axis=0)
        keep &= highest(np.abs(hue - centre)) < 0.09
    return np.asarray(keep)


def _in_one_light(paper: Mask, log: Plane, inside: Mask) -> Mask:
    """Blocks of paper without grey paint that other paint surrounds: no light falls on a place within the sheet and nowhere
    around it."""
    count, parts, stats, _ = cv2.connectedComponentsWithStats(paper.astype(np.uint8), connectivity=8)
    if count <= 2:
        return paper
    largest = 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
    off = log - _filled(log, parts == largest)
    at_rim = np.unique(parts[_border(inside)])
    kept = [
        part
        for part in range(1, count)
        if part in (largest, *at_rim) or abs(float(np.median(off[parts == part]))) < _AS_LIGHT
    ]
    return np.asarray(np.isin(parts, kept))


def _softness(linear: Plane, size: int, shape: tuple[int, int]) -> Plane:
    """Per block how sharp the sharpest edge of the smoothed tone is: log step over four pixels, marks closed away."""
    grey = np.log(np.maximum(grey_of(linear), 2e-3)).astype(np.float32)
    closed = cv2.morphologyEx(cv2.medianBlur(grey, 5), cv2.MORPH_CLOSE, np.ones((size | 1, size | 1), np.uint8))
    gx = np.abs(closed[:, 4:] - closed[:, :-4])
    gy = np.abs(closed[4:] - closed[:-4])
    step = np.zeros_like(closed)
    step[:, 2:-2] = gx
    step[2:-2] = np.maximum(step[2:-2], gy)
    gh, gw = shape
    padded = cv2.copyMakeBorder(step, 0, gh * size - step.shape[0], 0, gw * size - step.shape[1], cv2.BORDER_REPLICATE)
    return np.asarray(padded.reshape(gh, size, gw, size).max(axis=(1, 3)), np.float32)


def _shadow(log: Plane, paper: Mask, inside: Mask, soft: Plane) -> tuple[float, Mask, Mask, float]:
    """Depth in per cent of the hardest shadow, the blocks it covers, those of its edge, and the log tone between its two
    sides.

    A shadow is cast by something beside the sheet: it comes in over the sheet's rim, and its edge runs on for a while.
    """
    filled = _filled(log, paper)
    span = 3
    gx, gy = np.zeros_like(log), np.zeros_like(log)
    gx[:, span:] = filled[:, span:] - filled[:, :-span]
    gy[span:] = filled[span:] - filled[:-span]
    ok_x, ok_y = paper.copy(), paper.copy()
    ok_x[:, span:] &= paper[:, :-span]
    ok_y[span:] &= paper[:-span]
    step = np.maximum(np.abs(gx) * ok_x, np.abs(gy) * ok_y)
    pieces = edge_pieces(step > _SHADOW_STEP, step, gx, gy)
    # A step is noted on its right or lower side only: halfway back is between the two.
    halfway = filled - np.where(np.abs(gx) * ok_x >= np.abs(gy) * ok_y, gx, gy) / 2
    best, where, rim_of, level = 0.0, np.zeros(log.shape, bool), np.zeros(log.shape, bool), 0.0
    border = _border(inside)
    for part in pieces:
        depth = float(np.percentile(step[part], 80))
        if depth <= best:
            continue
        # Paint ends within a few pixels: a share of sharp blocks along the edge gives it away.
        if float((soft[part] > 0.6 * step[part]).mean()) > 0.5:
            continue
        between = float(np.median(halfway[part]))
        dark = paper & (filled < between)
        groups, ids = cv2.connectedComponents(dark.astype(np.uint8), connectivity=8)
        beside = np.unique(ids[_grown(part, 5) & dark])
        dark = np.isin(ids, beside[beside > 0])
        if groups < 2 or float((dark & border).sum()) < 0.05 * border.sum():
            continue
        best, where, rim_of, level = depth, dark, part, between
    return float((1 - np.exp(-best)) * 100), where, rim_of, level


_SHADOW_STEP = float(np.log(1.16))  # over three blocks, a twenty-fourth of the sheet


def _glare(log: Plane, tone: Plane, inside: Mask, soft: Plane) -> tuple[float, Mask]:
    """Strength in per cent of a light, soft-rimmed spot that is near white, and its blocks."""
    filled = _filled(log, inside)
    radius = max(5, round(0.2 * max(log.shape))) | 1
    around = np.asarray(cv2.GaussianBlur(cv2.medianBlur(filled, 5), (0, 0), radius / 2.5))
    base = np.asarray(cv2.erode(around, np.ones((radius, radius), np.uint8)))
    base = np.asarray(cv2.GaussianBlur(base, (0, 0), radius / 3))
    lift = filled - np.maximum(base, np.percentile(filled, 30))
    bright = tone.max(axis=2) > 0.75
    spot = (lift > np.log(1.15)) & bright & inside
    count, labels, stats, _ = cv2.connectedComponentsWithStats(spot.astype(np.uint8), connectivity=8)
    best, where, border = 0.0, np.zeros(log.shape, bool), _border(inside)
    for i in range(1, count):
        part = labels == i
        area = stats[i, cv2.CC_STAT_AREA]
        # A spot lies on the sheet; what is light along the sheet's rim is the lit side of a shadow.
        if area < 6 or area > 0.2 * log.size or float((part & border).sum()) > 0.25 * np.sqrt(area):
            continue
        rim = (cv2.dilate(part.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0) & ~part & inside
        if not rim.any():
            continue
        height = float(np.percentile(filled[part], 90) - np.percentile(filled[rim], 30))
        if height < np.log(1.12) or float((soft[part | rim] > 0.5 * height).mean()) > 0.35:
            continue
        if height > best:
            best, where = height, part
    return float((np.exp(best) - 1) * 100), where


def _filled(log: Plane, paper: Mask) -> Plane:
    """Tone with blocks that are not paper filled in from their neighbours."""
    weight = paper.astype(np.float32)
    out, known = log * weight, weight
    for sigma in (1.5, 4.0, 12.0):
        num = cv2.GaussianBlur(log * weight, (0, 0), sigma)
        den = cv2.GaussianBlur(weight, (0, 0), sigma)
        fresh = (known < 0.5) & (den > 0.02)
        out = np.where(fresh, num / np.maximum(den, 1e-6), out)
        known = np.maximum(known, fresh.astype(np.float32))
    usual = float(np.median(log[paper])) if paper.any() else 0.0
    return np.asarray(np.where(known > 0.5, out, usual), np.float32)
