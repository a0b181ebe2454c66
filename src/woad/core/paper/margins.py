"""Single printed lines beside a ruling: a page's margin across it, its head along it.

Such a line runs over all of the sheet, as straight as the ruling and as strong everywhere. The median along it sees nothing
of marks, as long as they leave more than half of it bare; it is told on strips, so that paper that lies bent may bend it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.prints import Print, cycles_of
from woad.core.paper.read_print import plain_places, read_print
from woad.core.raster.channels import grey_of
from woad.core.raster.profiles import medians
from woad.core.raster.tiles import Region

Plane = NDArray[np.float32]
Course = tuple[float, float, float]

_STRIPS = 20  # along a line
_LEAST_PX = 120  # of the shorter side
_AROUND = 15  # px that a line is narrower than, of the level it is looked for on
_DARKEST = 0.35  # darkness that tells no more than this
_LEAN, _LEANS = 0.006, 13  # how far off the ruling's own direction it may lie, as a slope; how many slopes are tried
_BOW, _BOWS = 0.024, 9  # how far it may be bent, px aside for the square of those from the middle, per px of the sheet
_STANDS, _LEAST = 8.0, 0.006  # times the unrest of all places, and darkness, that it stands out with at least
_ALIKE, _MOST = (0.4, 2.2), 0.85  # of its middle that its strength lies in, on so many of the strips
_TOLD = 0.5  # of the strips that must tell
_CLIPPED = 0.8  # of _DARKEST, from which a place tells nothing
_THERE = 0.5  # how much of the ruling there is where such a line must be, too
_LINES, _APART = 8, 3  # that are tried in a direction, and px between two of them
_FOLLOWED = 2  # px that it is looked for beside where it should run
_BOXES, _SIDE_PX = 60, 48  # where it is looked at closely
_LONGEST = 30_000  # samples of a picture as long as the sheet


def find_margins(
    reflectance: Plane, base: int, size: tuple[int, int], ruling: Print, read: Callable[[Region], Plane]
) -> tuple[Print, ...]:
    """The single lines that are printed across a ruling or along it.

    Parameters: ``reflectance`` (h, w, C) float32 of level ``base``, paper 1, without the ``ruling``; ``size`` width and
    height of level 0; ``read`` gives reflectance (h, w, C) of a box of level 0, without the ruling.
    """
    if min(reflectance.shape[:2]) < _LEAST_PX:
        return ()
    dark = np.clip(1 - grey_of(reflectance), -_DARKEST, _DARKEST).astype(np.float32)
    there = np.asarray(cv2.resize(ruling.drift[..., -1], dark.shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)
    fx, fy = ruling.turns[0].tolist()
    aside = fx / fy if abs(fx) < abs(fy) else -fy / fx  # px that what runs upright goes aside, per px down
    out = []
    for upright in (True, False):
        seen, ruled = (one if upright else np.ascontiguousarray(one.T) for one in (dark, there))
        for course in _courses(seen, ruled > _THERE, aside if upright else -aside):
            blank, middle = _blank(course, upright, base, size, ruling.cell_px)
            one = _printed(blank, middle, base, upright, size, read)
            if one is not None:
                out.append(one)
    return tuple(out)


def _courses(dark: Plane, ruled: NDArray[np.bool_], slope: float) -> Iterator[Course]:
    """Where lines run down a sheet of darkness (h, w) that is ``ruled`` (h, w): at ``x = a + b d + c d d`` px, ``d`` px below
    its middle."""
    h, w = dark.shape
    down = np.arange(h, dtype=np.float32)[:, None] - np.float32((h - 1) / 2)
    x = np.arange(w, dtype=np.float32)[None] + np.float32(slope) * down
    straight = cv2.remap(dark, x, _rows(h, w), cv2.INTER_LINEAR)
    edges = np.linspace(0, h, _STRIPS + 1).astype(int)
    strips = [slice(*pair) for pair in pairwise(edges.tolist())]
    profile = np.stack([medians(np.ascontiguousarray(straight[s]), 0) for s in strips])
    ridge = profile - _among(profile)
    known = (profile < _CLIPPED * _DARKEST) & ruled[[(s.start + s.stop) // 2 for s in strips]]
    at = np.array([float(down[s].mean()) for s in strips])
    tried = [(lean, bow / h) for lean in np.linspace(-_LEAN, _LEAN, _LEANS) for bow in np.linspace(-_BOW, _BOW, _BOWS)]
    # Lines of ink would be the highest of all.
    soft = np.asarray(cv2.blur(np.where(known, ridge, np.float32(0)), (3, 1)), np.float32)
    seen = np.stack([medians(_moved(soft, lean * at + bow * at * at), 0) for lean, bow in tried])
    unrest = 1.4826 * float(np.median(np.abs(seen)))
    for _ in range(_LINES):
        number, column = (int(i) for i in np.unravel_index(int(np.argmax(seen)), seen.shape))
        if seen[number, column] < max(_STANDS * unrest, _LEAST):
            return
        lean, bow = tried[number]
        course = _followed(ridge, known, at, column + lean * at + bow * at * at)
        seen[:, max(column - _APART, 0) : column + _APART + 1] = 0
        if course is not None:
            yield course[0], course[1] + slope, course[2]


def _moved(ridge: Plane, by: NDArray[np.float64]) -> Plane:
    """Each of the strips (n, w) moved to the left by so many px, (n,)."""
    n, w = ridge.shape
    x = (np.arange(w)[None] + by[:, None]).astype(np.float32)
    return np.asarray(cv2.remap(ridge, x, _rows(n, w), cv2.INTER_LINEAR), np.float32)


def _rows(height: int, width: int) -> Plane:
    """Of each pixel its row, (h, w)."""
    return np.repeat(np.arange(height, dtype=np.float32)[:, None], width, axis=1)


def _among(profile: Plane) -> Plane:
    """The median of what lies around each place of profiles (n, w)."""
    half = _AROUND // 2
    wide = np.pad(profile, ((0, 0), (half, half)), mode="edge")
    return medians(np.lib.stride_tricks.sliding_window_view(wide, _AROUND, axis=1), 2)


def _followed(
    ridge: Plane, known: NDArray[np.bool_], at: NDArray[np.float64], columns: NDArray[np.float64]
) -> Course | None:
    """The course of a line near ``columns`` (n,) of ``ridge`` (n, w) of strips ``at`` px below the middle; None when it is not
    everywhere."""
    n, w = ridge.shape
    around = np.rint(columns).astype(int)[:, None] + np.arange(-_FOLLOWED, _FOLLOWED + 1)
    inside = (around >= 0).all(axis=1) & (around < w).all(axis=1)
    around = np.clip(around, 0, w - 1)
    own = np.maximum(np.take_along_axis(ridge, around, 1), 0)
    told = np.take_along_axis(known, around, 1).all(axis=1) & inside
    if told.sum() < _TOLD * n:
        return None
    strong = own.max(axis=1)
    middle = float(np.median(strong[told]))
    alike = told & (strong > _ALIKE[0] * middle) & (strong < _ALIKE[1] * middle)
    ends = np.flatnonzero(told)[[0, 1, -2, -1]]  # a frame that is drawn stays within what is ruled
    if alike.sum() < _MOST * told.sum() or not (alike[ends[:2]].any() and alike[ends[2:]].any()):
        return None
    place = (own * around).sum(axis=1) / np.maximum(own.sum(axis=1), 1e-6)
    fit = np.polynomial.polynomial.polyfit(at[alike], place[alike], 2)
    return float(fit[0]), float(fit[1]), float(fit[2])


def _blank(course: Course, upright: bool, base: int, size: tuple[int, int], cell_px: int) -> tuple[Print, float]:
    """A print of nothing yet, one cycle of which is longer than the sheet, and at which cycle the line runs."""
    scale = float(1 << base)
    width, height = size if upright else size[::-1]
    middle = -(-height // (1 << base)) * scale / 2
    a, b, c = (course[0] + 0.5) * scale, course[1], course[2] / scale
    long = float(width + height)
    turns = np.array([[1.0, -b]] if upright else [[-b, 1.0]], np.float32) / np.float32(long)
    gh, gw = -(-size[1] // cell_px), -(-size[0] // cell_px)
    d = (np.arange(gh if upright else gw) + 0.5) * cell_px - middle
    drift = (b * middle - c * d * d) / long
    grid = np.ones((gh, gw, 2), np.float32)
    grid[..., 0] = drift[:, None] if upright else drift[None]
    nothing = np.ones((1, min(int(long), _LONGEST), 1), np.float32)
    return Print(turns, grid, cell_px, nothing, nothing), a / long


def _printed(
    blank: Print, middle: float, base: int, upright: bool, size: tuple[int, int], read: Callable[[Region], Plane]
) -> Print | None:
    """The line of ``blank`` at the cycle ``middle``, as it is seen from close by; None when it is none."""
    long = float(sum(size))
    samples = blank.printed.shape[1]
    half = max(round(_AROUND / 2 * (1 << base) * samples / long), 6)
    first = round(middle * samples) - half
    count = 2 * half + 1

    def sample_of(box: Region) -> NDArray[np.intp]:
        at = np.floor(cycles_of(blank, box, 0)[0][0] * np.float32(samples)).astype(np.intp) - first
        return np.where((at >= 0) & (at < count), at, -1)

    boxes = _boxes(blank, middle, half * long / samples, upright, size)
    plain = plain_places(boxes, read)
    told = read_print(plain, sample_of, (1, count)) if plain else None
    if told is None:
        return None
    channels = told[0].shape[2]
    printed, darkest = (np.ones((1, samples, channels), np.float32) for _ in range(2))
    for whole, own in zip((printed, darkest), told, strict=True):
        low, high = max(first, 0), min(first + count, samples)
        whole[:, low:high] = own[:, low - first : high - first]
    reach, drift = half / samples, blank.drift[..., 0]
    between = middle - reach - float(drift.max()), middle + reach - float(drift.min())
    return replace(blank, printed=printed, darkest=darkest, between=between)


def _boxes(blank: Print, middle: float, half_px: float, upright: bool, size: tuple[int, int]) -> list[Region]:
    """Boxes of level 0 along a line, ``half_px`` wide on either side of it."""
    fx, fy = blank.turns[0].tolist() if upright else blank.turns[0, ::-1].tolist()
    width, height = size if upright else size[::-1]
    out = []
    for i in range(_BOXES):
        y = (2 * i + 1) * height // (2 * _BOXES)
        cell = y // blank.cell_px
        drift = float(blank.drift[cell, 0, 0] if upright else blank.drift[0, cell, 0])
        x = (middle - drift - fy * y) / fx
        left, wide = int(x - half_px), int(2 * half_px) + 2
        box = Region(left, y - _SIDE_PX // 2, wide, _SIDE_PX)
        if left < 0 or left + wide > width:
            continue
        out.append((box if upright else Region(box.y, box.x, box.h, box.w)).clip(*size))
    return out
