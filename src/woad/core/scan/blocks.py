"""Traces of heavy JPEG compression: coefficients that lie on multiples of large steps, also after saving anew."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.thinning import thinned

Plane = NDArray[np.float32]

# The example luminance table of ITU-T T.81, annex K, which nearly every encoder scales.
_TABLE = np.array(
    [
        [16, 11, 10, 16, 24, 40, 51, 61], [12, 12, 14, 19, 26, 58, 60, 55], [14, 13, 16, 24, 40, 57, 69, 56],
        [14, 17, 22, 29, 51, 87, 80, 62], [18, 22, 37, 56, 68, 109, 103, 77], [24, 35, 55, 64, 81, 104, 113, 92],
        [49, 64, 78, 87, 103, 121, 120, 101], [72, 92, 95, 98, 112, 100, 103, 99],
    ],
    np.float64,
)  # fmt: skip
_PLACES = ((0, 1), (1, 0), (1, 1), (0, 2), (2, 0), (1, 2), (2, 1), (0, 3), (3, 0), (2, 2))
WORST, BEST = 4, 60
_BIN, _BINS = 0.5, 1600

Counts = dict[tuple[int, int], NDArray[np.float64]]


def steps_at(quality: int) -> NDArray[np.float64]:
    """The luminance steps (8, 8) of a quality 1 to 100."""
    scale = 5000 / quality if quality < 50 else 200 - 2 * quality
    return np.clip(np.floor((_TABLE * scale + 50) / 100), 1, 255)


def past_quality(areas: Sequence[Plane]) -> tuple[int, float]:
    """The lowest quality the picture was ever saved with, if it was below about 60, and how clearly it shows, -1 to 1.

    Parameters: ``areas`` full-size luma (h, w) in 0..255, each beginning at a multiple of 8 px on both axes.
    A coefficient once rounded to a coarse step stays near its multiples when the file is saved anew with finer ones.
    Source: Fan and de Queiroz (2003), Identification of bitmap compression history.
    """
    return fit_quality(count_coefficients(areas))


def fit_quality(counts: Counts) -> tuple[int, float]:
    """:func:`past_quality` from coefficients that are counted already."""
    return _best_fit(counts, _PLACES, float("inf"), 150)


def fit_faded_quality(counts: Counts) -> tuple[int, float]:
    """The same when the picture was scaled down and up since: scaling blurs the multiples, the first ones least. It
    takes more coefficients to be as sure, and a much lower clearness is telling."""
    return _best_fit(counts, _PLACES[:5], 1.5, 900)


def _best_fit(counts: Counts, places: tuple[tuple[int, int], ...], most: float, least: int) -> tuple[int, float]:
    size = np.arange(_BINS) * _BIN
    best, clear = BEST, -1.0
    for quality in range(WORST, BEST):
        steps = steps_at(quality)
        total, number = 0.0, 0
        for place in places:
            step = float(steps[place])
            if step < 9:
                continue
            low, high = int(0.55 * step / _BIN) + 1, min(_BINS, int(min(most * step, _BINS * _BIN) / _BIN))
            used = counts[place][low:high]
            count = int(used.sum())
            if count < 30:
                continue
            total += float(used @ np.cos(2 * np.pi / step * size[low:high]))
            number += count
        if number >= least and total / number > clear:
            best, clear = quality, total / number
    return best, clear


def quality_before_scaling(luma: Plane, long_px: int) -> tuple[int, float]:
    """As :func:`past_quality`, for a picture that was scaled down, compressed and scaled up again, as messengers do.

    Parameters: ``luma`` (h, w) in 0..255, a part of the full-size picture that begins at its top left corner;
    ``long_px`` the longer side of the whole picture. Sizes that messengers use and plain fractions are tried.
    """
    best = (BEST, -1.0)
    shares = {size / long_px for size in _USUAL_SIZES} | set(_USUAL_SHARES)
    for share in sorted(shares):
        if not 0.2 < share < 0.93:
            continue
        # The whole picture's size is rounded, not this part's: scale about the common corner.
        size = (round(luma.shape[1] * share), round(luma.shape[0] * share))
        if min(size) < 96:
            continue
        matrix = np.array([[1 / share, 0, 0.5 / share - 0.5], [0, 1 / share, 0.5 / share - 0.5]])
        smooth = cv2.GaussianBlur(luma, (0, 0), 0.35 / share)
        small = cv2.warpAffine(
            smooth, matrix, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
        )
        quality, clear = past_quality([np.asarray(small, np.float32)])
        if clear > best[1]:
            best = (quality, clear)
    return best


_USUAL_SIZES = (800, 960, 1024, 1080, 1280, 1600, 1920, 2048, 2560)
_USUAL_SHARES = (0.25, 0.3, 1 / 3, 0.35, 0.4, 0.45, 0.5, 0.55, 0.6, 0.65, 2 / 3, 0.7, 0.75, 0.8, 0.85, 0.9)


def count_coefficients(areas: Sequence[Plane]) -> Counts:
    """Counts of the sizes of some low coefficients over all blocks with something in them; bare paper says nothing."""
    out = {place: np.zeros(_BINS) for place in _PLACES}
    for area in areas:
        h, w = (n // 8 * 8 for n in area.shape)
        blocks = (area[:h, :w] - np.float32(128)).reshape(h // 8, 8, w // 8, 8).transpose(0, 2, 1, 3).reshape(-1, 8, 8)
        blocks = thinned(blocks, 6000)
        rows = blocks.reshape(-1, 64)
        rows = rows[np.ptp(rows, axis=1) > 12][:4000]
        for place, sizes in zip(_PLACES, (np.abs(rows @ _WAVES) / _BIN).T, strict=True):
            out[place] += np.bincount(np.minimum(sizes + 0.5, _BINS - 1).astype(int), minlength=_BINS)
    return out


def _waves() -> Plane:
    """What the low coefficients stand for: cosines over a block of 8 x 8 px, (64, n)."""
    k, n = np.mgrid[0:8, 0:8]
    matrix = np.cos((2 * n + 1) * k * np.pi / 16) / 2
    matrix[0] /= 2**0.5
    return np.stack([np.outer(matrix[v], matrix[u]).ravel() for v, u in _PLACES], axis=1).astype(np.float32)


_WAVES = _waves()


def quality_of(data: bytes) -> int | None:
    """The quality a JPEG file itself was saved with, 1 to 100 on the reference encoder's scale, or None.

    Read from the luminance quantisation table.
    """
    at = data.find(b"\xff\xdb", 2, 65_536)
    while at >= 0:
        table = data[at + 4 : at + 4 + 65]
        if len(table) == 65 and table[0] == 0:
            scale = float(np.frombuffer(table[1:], np.uint8).mean()) / float(_TABLE.mean()) * 100
            return round(float(np.clip(5000 / scale if scale > 100 else (200 - scale) / 2, 1, 100)))
        at = data.find(b"\xff\xdb", at + 2, 65_536)
    return None


def luma_255(encoded: NDArray[np.float32]) -> Plane:
    """Luma of an (h, w, C) picture in 0..1, (h, w) in 0..255 (ITU-R BT.601, as JPEG has it)."""
    if encoded.shape[2] == 1:
        return np.asarray(encoded[..., 0] * 255, np.float32)
    row = np.array([[0.299, 0.587, 0.114]], np.float32) * 255
    return np.asarray(cv2.transform(encoded, row), np.float32).reshape(encoded.shape[:2])
