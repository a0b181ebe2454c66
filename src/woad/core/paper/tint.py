"""Paper that has a colour: the channel in which it is darkest tells best what is lighter than it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

_TINTED = 1.2  # the lightest to the darkest channel of the paper, from which grey hides what one channel shows
_LEAST = 0.05  # of the lightest channel, how much lighter white is in it than paper


def telling_weights(paper: Sequence[float]) -> tuple[float, ...] | None:
    """Weights (C,) by which white stands out most from ``paper`` (C,), linear: channels count as white is lighter in them.
    None of paper without a colour of its own, from which it stands out in grey."""
    if not paper or max(paper) < _TINTED * min(paper):
        return None
    own = np.maximum(np.asarray(paper, np.float64), 1e-4)
    lighter = own.max() / own - 1 + _LEAST
    return tuple(float(v) for v in lighter / lighter.sum())
