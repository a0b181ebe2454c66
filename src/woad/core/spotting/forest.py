"""Boosted trees: many small decisions added up, each fitted to what those before it left wrong."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
LEAVES = 8  # of a tree at most: one bit each of a byte
_ROWS = 4000
_FIRST_BIT = np.array([(i & -i).bit_length() - 1 if i else 0 for i in range(256)], np.intp)


@dataclass(frozen=True, eq=False)
class Forest:
    """Trees (t) of at most LEAVES leaves, numbered from the left. Each of their nodes, in any order, asks whether ``column``
    is at most ``limit`` (t, LEAVES - 1), and if it is not, only the leaves of ``others`` (bits) are left: those that are
    not on the node's left. The first leaf left adds its ``value`` (t, LEAVES) to ``base``.

    Sources: Friedman, Greedy function approximation: a gradient boosting machine (2001); Lucchese and others, QuickScorer
    (2015), for the bits, which let all rows and trees take each step together.
    """

    column: NDArray[np.int16]
    limit: NDArray[np.float32]
    others: NDArray[np.uint8]
    value: NDArray[np.float32]
    base: float

    def share(self, columns: Floats) -> Floats:
        """How sure the trees are, 0..1, of each row of ``columns`` (n, k), (n,)."""
        parts = [self._sum(columns[i : i + _ROWS]) for i in range(0, len(columns), _ROWS)]
        total = self.base + np.concatenate([np.zeros(0), *parts])
        return np.asarray(1 / (1 + np.exp(-np.clip(total, -30, 30))), np.float64)

    def _sum(self, columns: Floats) -> Floats:
        by_column = np.ascontiguousarray(columns.T, np.float32)
        left = np.full((len(self.column), len(columns)), 255, np.uint8)
        for node in range(LEAVES - 1):
            beyond = by_column[self.column[:, node]] > self.limit[:, node, None]
            left &= np.where(beyond, self.others[:, node, None], np.uint8(255))
        leaf = _FIRST_BIT[left]
        return np.asarray(np.take_along_axis(self.value, leaf, axis=1).sum(axis=0), np.float64)
