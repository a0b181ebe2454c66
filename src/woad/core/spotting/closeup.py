"""A close look at small pieces, in the light that the scan saw: how much each takes at most and in all, how that is spread,
and in which colour. The blocks that pieces are found on tell this roughly, and only after the ink was darkened."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of
from woad.core.raster.transfer import linear_light
from woad.core.spotting.moments import PLACE, moments_of
from woad.core.spotting.pieces import Pieces

Encoded = NDArray[np.uint8] | NDArray[np.uint16]
Indices = NDArray[np.intp]
Floats = NDArray[np.float64]

_AT_ONCE = 500_000  # pixels, or pairs of hues; what is worked on stays small
_OWN, _DEEP = 0.15, 0.6  # of the most light taken: what still belongs to a piece; what its colour is read from
_LEAST = 1e-3
_FEW = 5  # places whose colour is nobody's: an edge, a stray among the artwork


@dataclass(frozen=True, eq=False)
class CloseUp:
    """Of n pieces: ``taken`` (n, C) light that the deepest pixels take per channel, 0..1; ``peak`` (n,) most that one takes
    and ``mass`` (n,) what all take, px squared, as shares of what full ink takes; ``across`` and ``along`` (n,) variance of
    it, px squared; ``evenness`` (n,) 1 where all of a piece takes as much as its deepest pixel, 0.5 where it fades out like
    a blurred point."""

    taken: Floats
    peak: Floats
    mass: Floats
    across: Floats
    along: Floats
    evenness: Floats


def look_closely(
    pieces: Pieces, parts: Sequence[Encoded], corners: NDArray[np.int32], papers: NDArray[np.float32], full: float
) -> CloseUp:
    """A close look at all of ``pieces``.

    Parameters: ``parts`` an encoded picture (h, w, C) of each piece, or of a part of it, none empty; ``corners`` (n, 2)
    where its upper left pixel lies on the sheet, x, y; ``papers`` (n, C) linear light of bare paper there; ``full``
    light that full ink takes, above 0 to 1.
    """
    n, channels = papers.shape
    taken, rest = np.zeros((n, channels)), np.zeros((n, 5))
    for some in _portions([part.shape[0] * part.shape[1] for part in parts]):
        x, y, which = _places(np.array([part.shape[:2] for part in parts[some]]), corners[some])
        mine = pieces.labels[y // pieces.block_px, x // pieces.block_px] == which + (some.start + 1)
        missed = np.bincount(which[mine], minlength=some.stop - some.start) == 0  # a bent hair may lie around its part
        mine |= missed[which]
        flat: Encoded = np.concatenate([part.reshape(-1, channels) for part in parts[some]])[mine]
        x, y, which = x[mine], y[mine], which[mine]
        dark = 1 - linear_light(flat).reshape(-1, channels) / papers[some][which]
        deep = np.maximum(grey_of(np.asarray(dark, np.float32)), 0).astype(np.float64)
        most = np.full(some.stop - some.start, _LEAST)
        np.maximum.at(most, which, deep)
        sure, own = deep >= _DEEP * most[which], deep > _OWN * most[which]
        many = np.maximum(np.bincount(which[sure], minlength=len(most)), 1)
        for channel in range(channels):
            taken[some, channel] = np.bincount(which[sure], dark[sure, channel], len(most)) / many
        m = moments_of(which[own], deep[own], x[own], y[own], len(most))
        mass = np.maximum(m.total, _LEAST)
        across, along = ((m.xx + m.yy + sign * m.apart) / 2 + PLACE for sign in (-1, 1))
        evenness = np.bincount(which[own], deep[own] * deep[own], len(most)) / (mass * most)
        rest[some] = np.column_stack([most, mass, np.maximum(across, PLACE), along, evenness])
    return CloseUp(taken, rest[:, 0] / full, rest[:, 1] / full, *rest[:, 2:].T)


def off_line(taken: Floats, line: Floats) -> Floats:
    """How far the hues of light ``taken`` (n, 3) are from what an ink takes, ``line`` (3,): 0 none, 1 far, (n,)."""
    along = line / np.linalg.norm(line)
    beside = taken - (taken @ along)[:, None] * along
    size = np.maximum(np.linalg.norm(taken, axis=1), 1e-3)
    return np.asarray(np.minimum(np.linalg.norm(beside, axis=1) / size * 4, 1.0), np.float64)


def off_palette(taken: Floats, paint: Floats) -> Floats:
    """How far the hues of light ``taken`` (n, 3) are from the nearest of what the artwork takes, ``paint`` (k, 3), k >= 1:
    0 none, 1 far, (n,), n >= 1. A colour counts that more than a few places have."""
    hue = taken / np.maximum(np.linalg.norm(taken, axis=1), 1e-3)[:, None]
    hues = (paint / np.linalg.norm(paint, axis=1)[:, None]).T
    few = min(len(paint) - 1, _FEW)
    rows = max(1, _AT_ONCE // len(paint))  # of twenty thousand pieces not all at once
    alike = np.concatenate([
        np.partition(hue[top : top + rows] @ hues, -1 - few, axis=1)[:, -1 - few] for top in range(0, len(hue), rows)
    ])  # fmt: skip
    return np.asarray(np.minimum(np.sqrt(np.maximum(1 - np.square(np.clip(alike, 0, 1)), 0)) * 4, 1.0), np.float64)


def _places(shapes: Indices, corners: NDArray[np.int32]) -> tuple[Indices, Indices, Indices]:
    """Of every pixel of pictures of ``shapes`` (n, 2), row by row: its column and row on the sheet, and which picture it
    is of."""
    high, wide = shapes.T
    sizes = high * wide
    which = np.repeat(np.arange(len(sizes)), sizes)
    step = np.arange(len(which)) - np.repeat(np.cumsum(sizes) - sizes, sizes)
    down, along = np.divmod(step, wide[which])
    return along + corners[which, 0], down + corners[which, 1], which


def _portions(sizes: Sequence[int]) -> Iterator[slice]:
    """Runs of pieces of at most about :data:`_AT_ONCE` pixels."""
    begin = held = 0
    for i, size in enumerate(sizes):
        if held and held + size > _AT_ONCE:
            yield slice(begin, i)
            begin, held = i, 0
        held += size
    if held:
        yield slice(begin, len(sizes))
