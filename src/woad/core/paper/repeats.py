"""What repeats over a whole sheet at one distance: families of printed lines, or rows of printed dots.

A print repeats to a hair all over its paper, whatever is drawn on it; nothing that is drawn does. Its frequency is the
highest peak of the sheet's spectrum near one of the axes; where exactly its lines run, on paper that lies bent before a
lens, is the phase of the sheet demodulated by that frequency.
Source: Takeda, Ina and Kobayashi, Fourier-transform method of fringe-pattern analysis (1982).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.phases import Waves, phases, smooth
from woad.core.raster.channels import grey_of
from woad.core.raster.thinning import thinned

Plane = NDArray[np.float32]

_ENOUGH = 1000  # px of the longer side, from which half as many tell as much
_FEWEST, _MOST = 12, 170  # lines along the longer side
_FINEST = 1 / 3  # cycles per px
_LEAN = 0.2  # sine of the angle up to which lines count as upright or level
_PEAK = 60.0  # times the middle of the spectrum that a peak has at least
_TRIED, _APART = 3, 3.0  # how many peaks are tried, and how far apart they are, cycles over the sheet
_HARMONIC = 0.1  # of a peak, that a lower frequency has of which it is the harmonic
_PALEST, _MARK = 0.12, (0.3, 0.5)  # darkness from which it is no print but a mark: at least; what is tried as the most
# Percentile of what is pale that a print reaches, if it is one, and times it that is more than print.
_PALE, _ABOVE = 99, 1.6
_AROUND, _FEWER = (
    20,
    4,
)  # part of the sheet's longer side that paper's tone is told over; from pixels so many times as large
_WINDOW = 1.5  # periods, the spread that a phase is told over
_FEW = 0.02  # bare paper in the window, below which nothing is known of a print
_CELL = 0.25  # of a period, that phases are told on
_OTHER = 1.45  # times the frequency, where a print has nothing
_ALIKE, _ALL = (0.5, 1.8), 0.7  # of their middle that amplitudes lie in, on so much of the paper
_ELSE, _ELSE_OF_TWO = 0.35, 0.5  # of that middle, what is found at the other frequency; beside a second family as wide
_SAME = 1.03  # times the distance of one family, that another's is, to be as wide
_STEADY = 0.055  # cycles that the phase moves by within half a period, on nearly all of the paper
_THERE = (0.15, 0.35)  # of that middle, from where on the print is there, up to where it surely is
_TOLD = 0.2  # of the sheet that must be bare


@dataclass(frozen=True, eq=False)
class Repeat:
    """A family of lines: ``turns`` (x, y) cycles per px; on cells that share the sheet's width and height evenly, (ch, cw)
    float32, ``drift`` cycles to be added to these, steady over the sheet, and ``there`` 0..1 where the family is printed;
    ``doubt`` what is found at another frequency, as a share of the family."""

    turns: tuple[float, float]
    drift: Plane
    there: Plane
    doubt: float


def find_repeats(reflectance: Plane) -> tuple[Repeat, ...]:
    """The upright family and the level one, as far as there are such. ``reflectance`` (h, w, C) float32, paper 1, 500 to
    1400 px long."""
    dark = 1 - grey_of(reflectance)
    h, w = dark.shape
    less = (w // 2, h // 2) if max(h, w) > _ENOUGH else (w, h)
    dark = np.asarray(cv2.resize(dark, less, interpolation=cv2.INTER_AREA), np.float32)
    families: tuple[Repeat, ...] = ()
    for most in _MARK:
        if len(families) < 2:  # of squares one family may be seen only with the paler marks left in
            families = max(families, _families(dark, most), key=len)
    sx, sy = less[0] / w, less[1] / h
    return tuple(replace(one, turns=(one.turns[0] * sx, one.turns[1] * sy)) for one in families)


def _families(dark: Plane, most: float) -> tuple[Repeat, ...]:
    """The families in darkness (h, w), of which what is darker than ``most`` is no print."""
    fine, bare = _fine_darkness(dark, most)
    if bare.mean() <= _TOLD:
        return ()
    found = [one for one in (_first(fine, bare, peaks) for peaks in _peaks(fine)) if one is not None]
    # Of pale dots neither tells for sure; but two that are alike do.
    return tuple(found if _alike(found) else [one for one in found if one.doubt < _ELSE])


def _alike(families: list[Repeat]) -> bool:
    """Whether two families are as far apart."""
    apart = [float(np.hypot(*one.turns)) for one in families]
    return len(apart) > 1 and max(apart) < _SAME * min(apart)


def _first(fine: Plane, bare: Plane, peaks: list[tuple[float, float]]) -> Repeat | None:
    """The first that is sure, else the first there is."""
    doubtful = None
    for turns in peaks:
        one = _family(fine, bare, turns)
        if one is not None and one.doubt < _ELSE:
            return one
        doubtful = doubtful or one
    return doubtful


def _fine_darkness(dark: Plane, most: float) -> tuple[Plane, Plane]:
    """Darkness (h, w) against the surroundings, 0 on marks, and where there are none (h, w), 0 or 1. What is darker than
    ``most`` is a mark, and so may be what is paler, as it is on paper whose print is pale."""
    soft = np.asarray(cv2.blur(dark, (3, 3)), np.float32)
    pale = soft[soft < most]
    print_at_most = _ABOVE * float(np.percentile(thinned(pale), _PALE)) if pale.size else 0.0
    marks = cv2.dilate((soft > np.clip(print_at_most, _PALEST, most)).astype(np.uint8), np.ones((7, 7), np.uint8))
    bare = (1 - marks).astype(np.float32)
    own = np.clip(dark, -0.1, 0.5).astype(np.float32) * bare
    h, w = dark.shape
    few = max(w // _FEWER, 1), max(h // _FEWER, 1)  # so wide a mean is told from fewer pixels as well
    wide = (max(few) // _AROUND | 1,) * 2
    tone, told = (cv2.blur(cv2.resize(one, few, interpolation=cv2.INTER_AREA), wide) for one in (own, bare))
    around = cv2.resize(tone / np.maximum(told, np.float32(0.05)), (w, h), interpolation=cv2.INTER_LINEAR)
    return np.asarray(own - around * bare, np.float32), bare


def _peaks(fine: Plane) -> list[list[tuple[float, float]]]:
    """Cycles per px (x, y) of what stands out near each axis of the spectrum, with what it may be a harmonic of before it."""
    h, w = fine.shape
    size = cv2.getOptimalDFTSize(h), cv2.getOptimalDFTSize(w)
    across, down = np.hanning(w).astype(np.float32), np.hanning(h).astype(np.float32)
    padded = np.zeros(size, np.float32)
    padded[:h, :w] = fine * across[None] * down[:, None]
    spectrum = cv2.dft(padded, flags=cv2.DFT_COMPLEX_OUTPUT, nonzeroRows=h)
    y, x = np.fft.fftfreq(size[0]).astype(np.float32), np.fft.rfftfreq(size[1]).astype(np.float32)
    out = []
    for most_x, most_y in ((_FINEST, _LEAN * _FINEST), (_LEAN * _FINEST, _FINEST)):
        rows, columns = np.flatnonzero(np.abs(y) <= most_y), np.flatnonzero(x <= most_x)
        strong = np.asarray(cv2.magnitude(*cv2.split(spectrum[np.ix_(rows, columns)])), np.float32)
        out.append(_highest(strong, x[None, columns], y[rows, None], size, max(h, w)))
    return out


def _highest(strong: Plane, x: Plane, y: Plane, size: tuple[int, int], long: int) -> list[tuple[float, float]]:
    """The highest peaks of a part of a spectrum near an axis, ``strong`` (m, n) at ``x`` (1, n) and ``y`` (m, 1) cycles per
    px, of a picture padded to a ``size`` whose longer side is ``long`` px."""
    far = np.hypot(x, y)
    # Drawings have the more the lower the frequency is (1 / f).
    power = np.asarray((strong * far) ** 2, np.float32)
    along, aside = (x, y) if x.max() > np.abs(y).max() else (y, x)
    power[(np.abs(aside) > _LEAN * np.abs(along)) | (far * long < _FEWEST) | (far * long > _MOST) | (far > _FINEST)] = 0
    usual = float(np.median(power[power > 0])) if power.any() else np.inf
    found: list[tuple[float, float]] = []
    for _ in range(_TRIED):
        top = np.unravel_index(int(np.argmax(power)), power.shape)
        if power[top] < _PEAK * usual:
            break
        highest = float(power[top] / far[top] ** 2)
        turns = float(x[0, top[1]]), float(y[top[0], 0])
        for over in range(8, 0, -1):
            close = (np.abs(x - turns[0] / over) <= 1.5 / size[1]) & (np.abs(y - turns[1] / over) <= 1.5 / size[0])
            best = np.unravel_index(int(np.argmax(np.where(close, power, 0))), power.shape)
            if power[best] > _HARMONIC * highest * far[best] ** 2:
                found.append((float(x[0, best[1]]), float(y[best[0], 0])))
        for sign in (1, -1):  # of what has no part along x, the spectrum holds both
            power[np.hypot(x - sign * turns[0], y - sign * turns[1]) * long < _APART] = 0
    return list(dict.fromkeys(found))


def _family(fine: Plane, bare: Plane, turns: tuple[float, float]) -> Repeat | None:
    """The family of a frequency, if it is a print: as strong, and in step, all over the paper."""
    period_px = 1 / float(np.hypot(*turns))
    cell = max(int(_CELL * period_px), 1)
    period = period_px / cell
    spread = _WINDOW * period
    total, told = _demodulated(fine, bare, turns, cell)
    waves, weight = smooth(total, spread), cv2.GaussianBlur(told, (0, 0), spread)
    each = max(int(period / 2), 1)
    places = slice(each // 2, None, each)
    known = weight[places, places] > 0.5
    if known.sum() < 40:
        return None
    seen = waves[places, places] / np.maximum(weight[places, places], np.float32(0.05))
    strong = np.abs(seen)
    middle = float(np.median(strong[known]))
    # What costs least comes first: nearly all that is tried on plain paper is no print.
    if ((strong > _ALIKE[0] * middle) & (strong < _ALIKE[1] * middle))[known].mean() < _ALL:
        return None
    printed = known & (strong > _ALIKE[0] * middle)
    step = np.abs(np.angle(seen[1:] * np.conj(seen[:-1])))[printed[1:] & printed[:-1]] / (2 * np.pi)
    if step.size < 20 or float(np.percentile(step, 95)) > _STEADY:
        return None
    other = _demodulated(fine, bare, (turns[0] * _OTHER, turns[1] * _OTHER), cell)[0]
    doubt = float(np.median(np.abs(smooth(other, spread)[places, places])[known])) / middle
    if doubt > _ELSE_OF_TWO:
        return None
    strength = np.abs(waves) / np.maximum(weight, np.float32(1e-3)) / np.float32(middle)
    there = np.clip((strength - _THERE[0]) / (_THERE[1] - _THERE[0]), 0, 1) * (weight > _FEW)
    drift = phases(total, spread)
    lean = [float(np.diff(drift, axis=axis).mean()) for axis in (1, 0)]
    h, w = drift.shape
    drift -= np.float32(lean[0]) * (np.arange(w, dtype=np.float32) + np.float32(0.5))[None]
    drift -= np.float32(lean[1]) * (np.arange(h, dtype=np.float32) + np.float32(0.5))[:, None]
    own = turns[0] + lean[0] * w / fine.shape[1], turns[1] + lean[1] * h / fine.shape[0]
    return Repeat(own, drift, np.asarray(there, np.float32), doubt)


def _demodulated(fine: Plane, bare: Plane, turns: tuple[float, float], cell: int) -> tuple[Waves, Plane]:
    """Amplitude and phase of a frequency, complex, and how much bare paper tells them, 0..1, on cells of so many px."""
    h, w = fine.shape
    across = np.exp(-2j * np.pi * turns[0] * (np.arange(w) + 0.5)).astype(np.complex64)
    down = np.exp(-2j * np.pi * turns[1] * (np.arange(h) + 0.5)).astype(np.complex64)
    size = max(w // cell, 1), max(h // cell, 1)
    waves = np.ascontiguousarray((fine * across[None]) * down[:, None]).view(np.float32).reshape(h, w, 2)
    seen = np.ascontiguousarray(cv2.resize(waves, size, interpolation=cv2.INTER_AREA)).view(np.complex64)[..., 0]
    return seen, np.asarray(cv2.resize(bare, size, interpolation=cv2.INTER_AREA), np.float32)
