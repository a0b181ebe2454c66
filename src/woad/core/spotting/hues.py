"""The colour that each piece of a sheet takes from the paper, from the darkest of its pixels."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of
from woad.core.raster.transfer import linear_light

Encoded = NDArray[np.uint8] | NDArray[np.uint16]
Floats = NDArray[np.float64]

_AT_ONCE = 500_000  # pixels; what is worked on stays small


def taken_by(parts: Sequence[Encoded], papers: NDArray[np.float32]) -> Floats:
    """What each piece takes per channel, 0 to 1, (n, 3): the mean of its deepest pixels.

    Parameters: ``parts`` n encoded pictures (h, w, 3) of a piece each, of any sizes but none empty; ``papers`` (n, 3)
    linear light of bare paper there.
    """
    out = np.zeros((len(parts), 3))
    every = np.array([part.shape[0] * part.shape[1] for part in parts], np.int64)
    for some in _portions(every.tolist()):
        sizes = every[some]
        first = np.concatenate([[0], np.cumsum(sizes)[:-1]])
        flat: Encoded = np.concatenate([part.reshape(-1, 3) for part in parts[some]])
        dark = 1 - linear_light(flat) / np.repeat(papers[some], sizes, axis=0)
        deep = grey_of(np.asarray(dark, np.float32))
        most = np.maximum.reduceat(deep, first)
        own = deep >= np.repeat(most - 0.4 * np.abs(most), sizes)
        total = np.add.reduceat(np.where(own[:, None], dark, 0), first, axis=0, dtype=np.float64)
        out[some] = total / np.add.reduceat(own, first, dtype=np.int64)[:, None]
    return out


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
