"""Dirt or mark: what a small detached piece is, judged by what it is like and what lies around it.

A mark is rarely alone: stipple, spatter and hatching have neighbours of their own size and density, the dot on an i its
stem; it is as dense as ink can be at its size, and of one make with others all over the sheet. Dust is strewn evenly, thin
in density or soft, and does not care where the drawing is. Each of these says a little; boosted trees weigh them together,
fitted on simulated sheets by ``bench/fit_strays.py`` and kept in a data file. What is of a coloured ink's hue is a mark for sure.
"""

from __future__ import annotations

from functools import cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from woad.core.spotting.closeup import CloseUp
from woad.core.spotting.forest import Forest
from woad.core.spotting.kin import kin, make_of, opinion_of_kin
from woad.core.spotting.near import neighbours
from woad.core.spotting.pieces import Pieces
from woad.core.spotting.ridge import against, compactness
from woad.core.units import mm_to_px, px_to_mm

Floats = NDArray[np.float64]

# How far its hue is from the one ink's; how grey it is in coloured art; how far grey is from the one ink's; how far its
# hue is from the nearest of the artwork's: 0..1. How much light it takes to what the artwork's deepest takes.
HUES = ("off ink", "grey", "ink off grey", "off palette", "to the deepest")
_OWN_HUES = [0, 1, 3, 4]  # the ink's own hue says nothing of a piece

FEATURES = (
    "size", "density", "peak", "fill", "far", "company", "company near", "alike", "aligned", "nearest", "third nearest",
    "crowd", "long", "width", "thin", "bow", "stroke", "hair", *(HUES[i] for i in _OWN_HUES), "kin", "wider kin", "share of kin",
    "flock", "flocking", "light taken", "mass", "across", "along", "evenness", "compact",
    "more compact than", "below the ridge", "broader than", "broad for its mass", "evener than", "even for its mass",
)  # fmt: skip
_NEAR_MM, _CROWD_MM, _MOST_NEIGHBOURS = 3.0, 4.0, 24
_FARTHEST_MM = 40.0
# A ruled line: its length, that over its width, and its bow as a share of its length.
_RULED_MM, _THIN, _STRAIGHT = 3.0, 8.0, 0.005
_HUED, _OF_INK = 0.4, 0.2  # how far from grey an ink has to be; how far off its hue, as a share of that, a piece may be


def features(pieces: Pieces, ppi: float, close: CloseUp | None = None, hue: Floats | None = None) -> Floats:
    """What is known of each piece, (n, len(FEATURES)) float64. ``close`` a close look at each, without one it is made up
    from what blocks tell; ``hue`` (n, len(HUES)) what its hue says."""
    mm = mm_to_px(1, ppi)
    size = np.log(np.maximum(pieces.size_px, 0.5) / mm / 0.2)
    dense = np.clip(pieces.peak / pieces.strong, 0, 1.3)
    far = np.log1p(np.minimum(pieces.far_px / mm, _FARTHEST_MM))
    long = pieces.length_px / np.maximum(pieces.width_px, 0.5)
    thin = np.clip(np.log(np.maximum(pieces.width_px, 0.3) / pieces.stroke_px), -3, 2)
    hair = np.clip((long - 4) / 8, 0, 1) * np.clip((0.4 - pieces.width_px / mm) / 0.2, 0, 1)
    bow = np.log(pieces.bow_px / np.maximum(pieces.length_px, 0.5) + 1e-3)
    stroke = np.full(len(pieces), np.log(max(pieces.stroke_px, 0.5) / mm))
    columns = [
        size, dense, pieces.peak, pieces.fill, far, *_company(pieces, mm), np.minimum(long, 30),
        pieces.width_px / mm, thin, bow, stroke, hair,
    ]  # fmt: skip
    own = np.zeros((len(pieces), len(_OWN_HUES))) if hue is None else hue[:, _OWN_HUES]
    of_kin = kin(make_of(pieces, mm, hue), pieces.at / mm)
    return np.column_stack([*columns, own, of_kin, _looks(close or _from_afar(pieces))]).astype(np.float64)


def _looks(close: CloseUp) -> Floats:
    """What a close look tells of each piece, by itself and against others of about its mass, (n, 12)."""
    mass, across = np.log(close.mass), np.log(close.across)
    compact = compactness(close.peak, close.mass)
    return np.column_stack([
        close.peak, mass, across, np.log(close.along), close.evenness, compact, against(mass, compact, 0.9),
        against(mass, across, 0.5), against(mass, close.evenness, 0.5),
    ])  # fmt: skip


def _from_afar(pieces: Pieces) -> CloseUp:
    """What blocks tell of what a close look would."""
    peak = np.asarray(np.maximum(pieces.peak, 0.02), np.float64)
    mass = np.square(np.maximum(pieces.size_px, 0.5)) * np.pi / 4 * peak
    across, along = (np.square(side.astype(np.float64)) / 12 + 0.5 for side in (pieces.width_px, pieces.length_px))
    return CloseUp(np.zeros((len(pieces), 1)), peak, mass, across, along, pieces.fill.astype(np.float64))


def _company(pieces: Pieces, mm: float) -> tuple[Floats, ...]:
    """Of each piece: its neighbours of about its size and density (log of how many), how near the third of them is, how
    alike the nearest ones are, and whether a long piece lies along or beside long ones of its own direction; and of all
    kinds of neighbours, how far the nearest and the third are (log mm) and how many are close."""
    n = len(pieces)
    if n < 2:
        alone = np.full(n, np.log(_FARTHEST_MM))
        return np.zeros(n), np.zeros(n), np.zeros(n), np.zeros(n), alone, alone, np.zeros(n)
    many = min(_MOST_NEIGHBOURS, n - 1)
    gap, other = neighbours(pieces.at, many + 1)
    gap, other = gap[:, 1:] / mm, other[:, 1:]
    size, peak = np.log(np.maximum(pieces.size_px, 0.5)), pieces.peak
    off = np.abs(size[other] - size[:, None]) / 0.7 + np.abs(peak[other] - peak[:, None]) / (0.25 * pieces.strong)
    close = gap < _NEAR_MM
    like = np.exp(-0.5 * off * off) * close
    company = np.log1p(like.sum(axis=1))
    third = np.sort(np.where(off < 1.5, gap, 9.0), axis=1)[:, min(2, many - 1)]
    best = np.sort(like, axis=1)[:, -min(4, many) :].mean(axis=1)
    long = pieces.length_px / np.maximum(pieces.width_px, 0.5) > 2.2
    turned = np.abs(np.sin(pieces.turn[other] - pieces.turn[:, None])) < 0.25
    aligned = np.minimum((turned & long[other] & close & (off < 2.5)).sum(axis=1) / 2, 1) * long
    apart = np.log(np.minimum(gap, _FARTHEST_MM) + 0.02)
    return (
        company, np.clip(1 - third / _NEAR_MM, 0, 1), best, aligned.astype(np.float64), apart[:, 0],
        apart[:, min(2, many - 1)], (gap < _CROWD_MM).sum(axis=1).astype(np.float64),
    )  # fmt: skip


def opinion_around(pieces: Pieces, ppi: float, dirt: Floats) -> Floats:
    """How much mark and how much dirt of its own size lies around each piece, by a first judgement, (n, 2)."""
    n = len(pieces)
    if n < 3:
        return np.zeros((n, 2))
    gap, other = neighbours(pieces.at, min(13, n))
    gap, other = gap[:, 1:] * px_to_mm(1, ppi), other[:, 1:]
    size = np.log(np.maximum(pieces.size_px, 0.5))
    off = np.abs(size[other] - size[:, None]) + np.abs(pieces.peak[other] - pieces.peak[:, None]) / (
        0.35 * pieces.strong
    )
    weight = np.exp(-gap / _NEAR_MM - off)
    return np.column_stack([(weight * (1 - dirt[other])).sum(axis=1), (weight * dirt[other]).sum(axis=1)])


def second_look(columns: Floats, pieces: Pieces, ppi: float, hue: Floats | None, first: Floats) -> Floats:
    """What the second judgement goes by: the features, the first judgement, and what that was around each piece and of
    its kin."""
    mm = mm_to_px(1, ppi)
    of_kin = opinion_of_kin(make_of(pieces, mm, hue), pieces.at / mm, first)
    return np.column_stack([columns, first, opinion_around(pieces, ppi, first), of_kin])


@cache
def forests() -> tuple[Forest, Forest]:
    """The trees of the first and of the second judgement."""
    with files("woad.core.spotting").joinpath("trees.npz").open("rb") as file:
        data = np.load(file)
        names = ("column", "limit", "others", "value")
        first, second = (
            Forest(**{name: data[f"{which}_{name}"] for name in names}, base=float(data[which]))
            for which in ("first", "second")
        )
    return first, second


def dirt_share(
    pieces: Pieces, ppi: float, close: CloseUp | None = None, hue: Floats | None = None
) -> NDArray[np.float32]:
    """How surely each piece is dirt, (n,) float32, 0 mark to 1 dirt: judged alone, then anew in the light of what its
    neighbours were judged to be."""
    if not len(pieces):
        return np.zeros(0, np.float32)
    own = features(pieces, ppi, close, hue)
    first, second = forests()
    share = second.share(second_look(own, pieces, ppi, hue, first.share(own)))
    share[_ruled(pieces, ppi)] = 0
    if hue is not None:
        share[_in_ink(hue)] = 0
    return np.asarray(share, np.float32)


def _ruled(pieces: Pieces, ppi: float) -> NDArray[np.bool_]:
    """Which pieces are thin and straight: somebody drew them. A hair is as thin, but never lies straight."""
    thin = pieces.length_px > _THIN * np.maximum(pieces.width_px, 0.5)
    long = pieces.length_px >= mm_to_px(_RULED_MM, ppi)
    return np.asarray(thin & long & (pieces.bow_px < _STRAIGHT * pieces.length_px))


def _in_ink(hue: Floats) -> NDArray[np.bool_]:
    """Which pieces are of the hue of an ink that has one: dust and hairs are grey or nearly so."""
    return np.asarray((hue[:, 2] > _HUED) & (hue[:, 0] < _OF_INK * hue[:, 2]))
