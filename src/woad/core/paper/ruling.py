"""Printed ruling: lines, squares or dots of the paper itself, which go with the paper.

They are one small picture, repeated: what a print absorbs around one of its crossings is the mean of what it absorbs around
all of them. Single lines may be printed beside them: a page's margin and its head.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from woad.core.paper.evening import regular_grid
from woad.core.paper.prints import Print, cycles_of, divided_out
from woad.core.paper.read_print import Seen, plain_places, read_print
from woad.core.paper.repeats import find_repeats
from woad.core.raster.channels import grey_of
from woad.core.raster.codes import Codes
from woad.core.raster.surfaces import quadratic
from woad.core.raster.tiles import Region

Plane = NDArray[np.float32]

_PLACES, _ACROSS = 60, 1.6  # where the print is looked at; how many periods at once
_GOLDEN = 0.6180339887  # Fibonacci's lattice
_STEPS = 128  # of a period, that drift is set right by
_NEAR, _LEAST_TELLING = 0.2, 12  # cycles that a place may be off to tell, and how many must
_SAMPLES = (6, 160)  # of one period
_DOTTED = 0.5  # of the depth, that the mean along a line has at most if it is a row of dots


@dataclass(frozen=True, eq=False)
class Ruling(Print):
    """What repeats, and the single lines beside it: ``margins``."""

    margins: tuple[Print, ...] = ()

    @property
    def period_px(self) -> float:
        """From line to line, level-0 px."""
        return 1 / float(np.hypot(*self.turns[0]))

    @property
    def kind(self) -> str:
        """``lines``, ``squares`` or ``dots``."""
        if len(self.turns) == 1:
            return "lines"
        missing = 1 - grey_of(self.printed)
        return "dots" if float(missing.mean(axis=0).max()) < _DOTTED * float(missing.max()) else "squares"


def find_ruling(
    reflectance: Plane, base: int, size: tuple[int, int], cell_px: int, read: Callable[[Region], Plane]
) -> Ruling | None:
    """The ruling of a sheet, None when its paper is plain.

    Parameters: ``reflectance`` (h, w, C) float32 of level ``base``, paper 1; ``size`` width and height of level 0;
    ``cell_px`` of the grid it is told on; ``read`` gives reflectance (h, w, C) of a box of level 0.
    """
    repeats = find_repeats(reflectance)
    if not repeats:
        return None
    h, w = reflectance.shape[:2]

    def on_cells(plane: Plane) -> Plane:
        return regular_grid(plane[..., None], cell_px, *size, (float(w << base), float(h << base)))

    there = np.maximum.reduce([on_cells(one.there) for one in repeats])
    drift = np.concatenate([*(on_cells(one.drift) for one in repeats), there], axis=2)
    turns = np.array([one.turns for one in repeats], np.float32) / np.float32(1 << base)
    none = np.ones((1, 1, reflectance.shape[2]), np.float32)
    blank = Print(turns, drift, cell_px, none, none)
    plain = plain_places(_boxes(blank, size), read)
    if not plain:
        return None
    blank = _in_step(blank, plain)
    printed = _printed(blank, plain)
    return None if printed is None else Ruling(turns, blank.drift, cell_px, *printed)


def without_ruling(
    codes: Codes, ruling: Ruling, place: tuple[int, int, int], weights: tuple[float, ...] | None = None
) -> Codes:
    """Reflectance codes of a tile at ``place`` (x, y, level), (h, w, C) or folded by ``weights`` (h, w), without the print."""
    for one in (ruling, *ruling.margins):
        codes = divided_out(codes, one, place, weights)
    return codes


def _boxes(ruling: Print, size: tuple[int, int]) -> list[Region]:
    """Boxes of level 0, whose width and height is ``size``, where the print is, spread over the sheet."""
    side = int(_ACROSS / float(np.hypot(*ruling.turns.T).min()))
    out = []
    for i in range(_PLACES):
        # A lattice without rows, so that no line that is drawn runs through many of them.
        x, y = int((i * _GOLDEN) % 1 * size[0]), int((i + 0.5) / _PLACES * size[1])
        if ruling.drift[y // ruling.cell_px, x // ruling.cell_px, -1] > 0.9:
            out.append(Region(x - side // 2, y - side // 2, side, side).clip(*size))
    return out


def _in_step(blank: Print, plain: list[Seen]) -> Print:
    """The same with its drift set right by what ``plain`` places show: marks pull at phases that are told from afar, and a
    line is only a pixel or two wide.

    Source: the shift at which two signals correlate best, by their spectra."""
    places = np.array([(box.x + box.w / 2, box.y + box.h / 2) for box, _ in plain])
    gh, gw = blank.drift.shape[:2]
    whole = np.array([gw, gh]) * blank.cell_px
    cells = np.stack(np.meshgrid(np.arange(gw) + 0.5, np.arange(gh) + 0.5), axis=2) * blank.cell_px
    profiles = np.stack([_profiles(blank, *one) for one in plain])
    spectra = np.fft.rfft(profiles, axis=2)
    alike = np.fft.irfft(spectra * np.conj(spectra.mean(axis=0)), n=_STEPS, axis=2)
    best = alike.argmax(axis=2) / _STEPS
    drift = blank.drift.copy()
    for number, off in enumerate((best - np.rint(best)).T):
        drift[..., number] -= _surface(places / whole, off, cells / whole)
    return replace(blank, drift=drift)


def _profiles(blank: Print, box: Region, own: Plane) -> NDArray[np.float64]:
    """Darkness over a period of each family, as a box shows it, (n, _STEPS)."""
    dark = 1 - grey_of(own).ravel()
    out = []
    for cycles in cycles_of(blank, box, 0)[0]:
        at = np.minimum((cycles * _STEPS).astype(np.intp), _STEPS - 1).ravel()
        profile = np.bincount(at, weights=dark, minlength=_STEPS) / np.maximum(np.bincount(at, minlength=_STEPS), 1)
        out.append(profile - profile.mean())
    return np.stack(out)


def _surface(places: NDArray[np.float64], off: NDArray[np.float64], cells: NDArray[np.float64]) -> Plane:
    """How far off it is at ``cells`` (h, w, 2), by a quadratic surface through what most of ``places`` (n, 2) say."""
    terms, kept = quadratic(*(places - 0.5).T), np.abs(off) < _NEAR
    for _ in range(3):
        if kept.sum() < _LEAST_TELLING:
            return np.zeros(cells.shape[:2], np.float32)
        found = np.linalg.lstsq(terms[kept], off[kept], rcond=None)[0]
        far = np.abs(off - terms @ found)
        kept = far < max(3 * float(np.median(far[kept])), 1 / _STEPS)
    return np.asarray(quadratic(cells[..., 0] - 0.5, cells[..., 1] - 0.5) @ found, np.float32)


def _printed(blank: Print, plain: list[Seen]) -> tuple[Plane, Plane] | None:
    """The light that the print lets through, in the mean of what ``plain`` places show and where it is darkest; None when
    that is none."""
    samples = [int(np.clip(round(1 / float(np.hypot(*turn))), *_SAMPLES)) for turn in blank.turns]
    u, v = samples[0], samples[1] if len(samples) > 1 else 1

    def sample_of(box: Region) -> NDArray[np.intp]:
        cycles, _ = cycles_of(blank, box, 0)
        across = np.minimum((cycles[0] * u).astype(np.intp), u - 1)
        return across if v == 1 else np.minimum((cycles[1] * v).astype(np.intp), v - 1) * u + across

    return read_print(plain, sample_of, (v, u))
