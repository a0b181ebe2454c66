"""What lies along a sheet's border."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Kind = TypeVar("Kind", bound=np.generic)


def border_of(plane: NDArray[Kind]) -> NDArray[Kind]:
    """The values of a plane (h, w) along its four sides, (2 h + 2 w,): a corner belongs to two of them."""
    return np.concatenate([plane[0], plane[-1], plane[:, 0], plane[:, -1]])
