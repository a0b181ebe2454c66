"""The sheet block by block: the tone and hue of the lightest material in each, and how much of it there is."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Blocks = tuple[Plane, Plane, float]


def blocks_of(guide: Plane, size: int) -> Blocks:
    """Per block: the tone its lightest material has, the share of the block that has it; and the paper's spread."""
    h, w = guide.shape
    gh, gw = _many(h, size), _many(w, size)
    padded = _padded(guide, size, cv2.BORDER_REFLECT_101)
    cells = padded.reshape(gh, size, gw, size).transpose(0, 2, 1, 3).reshape(gh, gw, size * size)
    cells = np.sort(cells, axis=2)
    n = cells.shape[2]
    high = cells[..., int(n * 0.9)]
    # Spread of bare paper, from the lighter half of each block only; the flattest third of all blocks is paper.
    at = {share: cells[..., min(n - 1, int(n * share))] for share in (0.5, 0.8, 0.95, 0.98)}
    upper = (high - at[0.5]) / np.float32(1.2816)
    bright = high >= np.percentile(high, 40)
    spread = float(np.percentile(upper[bright], 35))
    if spread > 0.03:
        # No paper is as rough as that at this scale: hatching or shading lies nearly everywhere, and only the lightest
        # slices of a block are paper.
        slices = np.minimum((at[0.95] - at[0.8]) / 0.8033, (at[0.98] - high) / 0.7722)
        spread = min(0.03, float(np.percentile(slices[bright], 35)))
    spread = max(spread, 0.0015)
    window = cells >= (high - 2.6 * spread)[..., None]
    count = window.sum(axis=2)
    tone = (cells * window).sum(axis=2) / count
    texture = np.sqrt(np.maximum((cells**2 * window).sum(axis=2) / count - tone**2, 0))
    share = np.clip((count / n - 0.1) / 0.4, 0.02, 1)
    # Graphite and dry brush are rougher than bare paper in the same light.
    rough = np.clip((upper / (spread * 3.0)) - 0.5, 0, 1)
    share = share * (1 - 0.9 * rough) * np.where(texture > 0, 1, 0.8)
    return tone.astype(np.float32), share.astype(np.float32), spread


def _many(px: int, size: int) -> int:
    """Blocks along a side; the last one may reach beyond the sheet."""
    return -(-px // size)


def _padded(plane: Plane, size: int, border: int) -> Plane:
    """A plane (h, w) to the end of its last blocks; ``border`` OpenCV's way to go on beyond the sheet."""
    h, w = plane.shape
    beyond = _many(h, size) * size - h, _many(w, size) * size - w
    return np.asarray(cv2.copyMakeBorder(plane, 0, beyond[0], 0, beyond[1], border))


def hues(logs: Plane, guide: Plane, tone: Plane, spread: float, size: int) -> Plane:
    """Mean hue per block of what is as light as its paper, (gh, gw, C)."""
    gh, gw = tone.shape
    # Every second pixel tells a block's hue as well as all, in a quarter of the time.
    some, light = logs[::2, ::2], guide[::2, ::2]
    h, w = light.shape
    paper = (light > spanning(tone, size, *guide.shape)[::2, ::2] - 3 * spread).astype(np.float32)
    hue = np.dstack([(some - light[..., None]) * paper[..., None], paper])
    high, wide = -(-gh * size // 2), -(-gw * size // 2)
    hue = cv2.copyMakeBorder(hue, 0, high - h, 0, wide - w, cv2.BORDER_CONSTANT)
    mean = cv2.resize(hue, (gw, gh), interpolation=cv2.INTER_AREA)
    return np.asarray(mean[..., :-1] / np.maximum(mean[..., -1:], np.float32(1e-3)), np.float32)


def to_blocks(plane: Plane, size: int) -> Plane:
    """Mean per block of a plane (h, w) over the sheet, (gh, gw); the last blocks reach beyond it."""
    h, w = plane.shape
    padded = _padded(plane, size, cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(padded, (_many(w, size), _many(h, size)), interpolation=cv2.INTER_AREA), np.float32)


def at_blocks(numbers: NDArray[np.int32], shape: tuple[int, int], size: int) -> NDArray[np.int32]:
    """What lies at the middles of blocks of a sheet of ``shape`` (h, w), of a coarser grid over all of it, (gh, gw)."""
    rows, columns = (
        np.minimum((np.arange(_many(full, size)) * size + size // 2) * few // full, few - 1)
        for full, few in zip(shape, numbers.shape, strict=True)
    )
    return numbers[np.ix_(rows, columns)]


def spanning(blocks: Plane, size: int, h: int, w: int) -> Plane:
    """A plane of blocks enlarged to the sheet (h, w)."""
    gh, gw = blocks.shape
    large = cv2.resize(blocks, (gw * size, gh * size), interpolation=cv2.INTER_LINEAR)
    return np.asarray(large, np.float32)[:h, :w]
