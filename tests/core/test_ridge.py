"""Where a piece lies against the densest that there can be of its size."""

from __future__ import annotations

import cv2
import numpy as np

from woad.core.spotting.pieces import Pieces, find_pieces
from woad.core.spotting.ridge import against, compactness


def _against_ridge(pieces: Pieces) -> np.ndarray:
    peak = pieces.peak.astype(np.float64)
    mass = np.square(pieces.size_px, dtype=np.float64) * peak
    return against(mass, compactness(peak, mass), 0.9)


def test_dots_of_full_ink_lie_on_the_ridge_whatever_their_size_and_dust_below_it() -> None:
    """A scan makes the smallest dots as faint as larger dust; against their own size they are dense, and dust is not."""
    rng = np.random.default_rng(3)
    large = np.zeros((1200 * 4, 1200 * 4), np.float32)
    dots, dust = [], []
    for i in range(300):
        x, y = 40 + (i % 20) * 58, 40 + (i // 20) * 75
        speck, r = i % 5 == 0, float(rng.uniform(0.8, 3.5))
        cv2.circle(
            large, (int(x * 64), int(y * 64)), int(r * 64), float(rng.uniform(0.25, 0.6)) if speck else 1.0, -1, 8, 4
        )
        (dust if speck else dots).append((x, y, r))
    cover = cv2.resize(large, (1200, 1200), interpolation=cv2.INTER_AREA)
    alpha = np.rint(np.clip(cv2.GaussianBlur(cover, (0, 0), 0.7), 0, 1) * 255).astype(np.uint8)
    pieces = find_pieces(alpha, alpha, 1, 300)
    found = _against_ridge(pieces)

    def of(places: list[tuple[float, float, float]]) -> tuple[np.ndarray, np.ndarray]:
        which = [int(np.hypot(*(pieces.at - (x, y)).T).argmin()) for x, y, _ in places]
        return pieces.peak[which], found[which]

    (ink, above), (dim, below) = of(dots), of(dust)
    assert ink.min() < np.percentile(dim, 90)  # density alone does not tell them apart
    assert above[:, 1].min() > -0.6 > -0.8 > np.median(below[:, 1])
    smallest = np.argsort([r for _, _, r in dots])[:12]
    assert (above[smallest, 1] > -0.1).all()
    assert above[:, 0].mean() > below[:, 0].mean() + 0.3


def test_one_piece_or_none() -> None:
    alpha = np.zeros((60, 60), np.uint8)
    assert _against_ridge(find_pieces(alpha, alpha, 1, 300)).shape == (0, 2)
    alpha[30:33, 30:33] = 200
    np.testing.assert_allclose(_against_ridge(find_pieces(alpha, alpha, 1, 300)), [[0, 0]], atol=1e-9)
