"""Dirt or mark: what a small detached piece is, judged by what it is like and what lies around it.

A mark is rarely alone: stipple, spatter and hatching have neighbours of their own size and density, the dot on an i its
stem; and it is as dense as the ink. Dust is strewn evenly, thin in density or soft, and does not care where the drawing
is. Each of these says a little; they are weighed together (logistic regression, Cox 1958), with weights fitted on
simulated sheets by ``bench/strays.py`` and kept in a data file.
"""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from woad.core.spotting.near import neighbours
from woad.core.spotting.pieces import Pieces

Floats = NDArray[np.float64]

FEATURES = (
    "size", "size squared", "density", "density of the small", "fill", "far", "far and alone", "company", "company near",
    "alike", "aligned", "thin", "hair", "other hue", "grey",
)  # fmt: skip
_NEAR_MM, _MOST_NEIGHBOURS = 3.0, 24


def features(pieces: Pieces, ppi: float, hue: Floats | None = None) -> Floats:
    """What is known of each piece, (n, len(FEATURES)) float64. ``hue`` (n, 2): how far its hue is from the one ink's; how
    grey it is in coloured art; 0..1 each."""
    mm = ppi / 25.4
    size = np.log(np.maximum(pieces.size_px, 0.5) / mm / 0.2)
    dense = np.clip(pieces.peak / pieces.strong, 0, 1.3)
    far = np.log1p(np.minimum(pieces.far_px / mm, 40))
    company, near, alike, aligned = _company(pieces, mm)
    long = pieces.length_px / np.maximum(pieces.width_px, 0.5)
    thin = np.clip(np.log(np.maximum(pieces.width_px, 0.3) / pieces.stroke_px), -3, 2)
    hair = np.clip((long - 4) / 8, 0, 1) * np.clip((0.4 - pieces.width_px / mm) / 0.2, 0, 1)
    columns = [
        size, np.minimum(size * size, 9), dense, dense * np.minimum(size, 0), pieces.fill, far, far / (1 + company), company,
        near, alike, aligned, thin, hair,
    ]  # fmt: skip
    own = np.zeros((len(pieces), 2)) if hue is None else hue
    return np.column_stack([*columns, own]).astype(np.float64)


def _company(pieces: Pieces, mm: float) -> tuple[Floats, Floats, Floats, Floats]:
    """Of each piece: its neighbours of about its size and density (log of how many), how near the third of them is, how
    alike the nearest ones are, and whether a long piece lies along or beside long ones of its own direction."""
    n = len(pieces)
    if n < 2:
        return np.zeros(n), np.zeros(n), np.zeros(n), np.zeros(n)
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
    return company, np.clip(1 - third / _NEAR_MM, 0, 1), best, aligned.astype(np.float64)


def with_products(columns: Floats) -> Floats:
    """The columns and all products of two of them: what one feature says depends on the others."""
    i, j = np.triu_indices(columns.shape[1])
    return np.column_stack([columns, columns[:, i] * columns[:, j]])


def opinion_around(pieces: Pieces, ppi: float, dirt: Floats) -> Floats:
    """How much mark and how much dirt of its own size lies around each piece, by a first judgement, (n, 2)."""
    n = len(pieces)
    if n < 3:
        return np.zeros((n, 2))
    gap, other = neighbours(pieces.at, min(13, n))
    gap, other = gap[:, 1:] * 25.4 / ppi, other[:, 1:]
    size = np.log(np.maximum(pieces.size_px, 0.5))
    off = np.abs(size[other] - size[:, None]) + np.abs(pieces.peak[other] - pieces.peak[:, None]) / (
        0.35 * pieces.strong
    )
    weight = np.exp(-gap / _NEAR_MM - off)
    return np.column_stack([(weight * (1 - dirt[other])).sum(axis=1), (weight * dirt[other]).sum(axis=1)])


@cache
def weights() -> tuple[tuple[Floats, float], tuple[Floats, float]]:
    """Fitted weights and constant of the first and the second judgement."""
    data = json.loads(files("woad.core.spotting").joinpath("weights.json").read_text(encoding="utf-8"))
    first, second = ((np.array(data[k]["weights"]), float(data[k]["constant"])) for k in ("first", "second"))
    return first, second


def judged(columns: Floats, by: tuple[Floats, float]) -> Floats:
    """Share of dirt by one judgement, (n,) 0..1."""
    return np.asarray(1 / (1 + np.exp(-np.clip(with_products(columns) @ by[0] + by[1], -30, 30))))


def dirt_share(pieces: Pieces, ppi: float, hue: Floats | None = None) -> NDArray[np.float32]:
    """How surely each piece is dirt, (n,) float32, 0 mark to 1 dirt: judged alone, then anew in the light of what its
    neighbours were judged to be."""
    if not len(pieces):
        return np.zeros(0, np.float32)
    own = features(pieces, ppi, hue)
    first, second = weights()
    around = opinion_around(pieces, ppi, judged(own, first))
    return np.asarray(judged(np.column_stack([own, around]), second), np.float32)
