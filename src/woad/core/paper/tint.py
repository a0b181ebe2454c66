"""Paper that has a colour: the channel in which it is darkest tells best what is lighter than it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

_TINTED = 1.2  # the lightest to the darkest channel of the paper, from which grey hides what one channel shows
_RIM = 0.03  # of the longer side
_LEAST = 0.05  # of the lightest channel, how much lighter white is in it than paper


def is_tinted(paper: Sequence[float]) -> bool:
    """Whether ``paper`` (C,), linear, has a colour of its own."""
    return len(paper) > 1 and max(paper) >= _TINTED * min(paper)


def telling_weights(paper: Sequence[float]) -> tuple[float, ...]:
    """Weights (C,) by which white stands out most from ``paper`` (C,), linear: channels count as white is lighter in them."""
    own = np.maximum(np.asarray(paper, np.float64), 1e-4)
    lighter = own.max() / own - 1 + _LEAST
    return tuple(float(v) for v in lighter / lighter.sum())


def rim_colour(logs: NDArray[np.float32]) -> tuple[float, ...]:
    """The usual colour of a sheet's rim, linear (C,), from its log light (h, w, C)."""
    wide = max(1, round(_RIM * max(logs.shape[:2])))
    sides = logs[:wide], logs[-wide:], logs[:, :wide], logs[:, -wide:]
    rim = np.concatenate([side.reshape(-1, logs.shape[2]) for side in sides])
    return tuple(float(v) for v in np.exp(np.median(rim, axis=0)))
