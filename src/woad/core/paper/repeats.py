"""What repeats over a whole sheet at one distance: families of printed lines, or rows of printed dots.

A print repeats to a hair all over its paper, whatever is drawn on it; nothing that is drawn does. Its frequency is the
highest peak of the sheet's spectrum near one of the axes; where exactly its lines run, on paper that lies bent before a
lens, is the phase of the sheet demodulated by that frequency.
Source: Takeda, Ina and Kobayashi, Fourier-transform method of fringe-pattern analysis (1982).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.phases import Waves, phases, smooth
from woad.core.raster.channels import grey_of

Plane = NDArray[np.float32]

_FEWEST, _MOST = 12, 170  # lines along the longer side
_FINEST = 1 / 3  # cycles per px
_LEAN = 0.2  # sine of the angle up to which lines count as upright or level
_PEAK = 60.0  # times the middle of the spectrum that a peak has at least
_TRIED, _APART = 3, 3.0  # how many peaks are tried, and how far apart they are, cycles over the sheet
_HARMONIC = 0.1  # of a peak, that a lower frequency has of which it is the harmonic
_MARK = (0.12, 0.3)  # darkness from which it is no printed line but a mark: on paper whose print is pale, and at most
# Percentile of what is pale that a print reaches, if it is one, and times it that is more than print.
_PALE, _ABOVE = 97, 1.6
_AROUND = 20  # of the sheet's longer side, that paper's tone is told over
_WINDOW = 1.5  # periods, the spread that a phase is told over
_FEW = 0.02  # bare paper in the window, below which nothing is known of a print
_CELL = 0.25  # of a period, that phases are told on
_OTHER = 1.45  # times the frequency, where a print has nothing
_ALIKE, _ALL = (0.5, 1.8), 0.7  # of their middle that amplitudes lie in, on so much of the paper
_ELSE = 0.35  # of that middle, what is found at the other frequency
_STEADY = 0.055  # cycles that the phase moves by within half a period, on nearly all of the paper
_THERE = (0.15, 0.35)  # of that middle, from where on the print is there, up to where it surely is
_TOLD = 0.2  # of the sheet that must be bare


@dataclass(frozen=True, eq=False)
class Repeat:
    """A family of lines: ``turns`` (x, y) cycles per px; on cells that share the sheet's width and height evenly, (ch, cw)
    float32, ``drift`` cycles to be added to these, steady over the sheet, and ``there`` 0..1 where the family is printed."""

    turns: tuple[float, float]
    drift: Plane
    there: Plane

    @property
    def period(self) -> float:
        """From line to line, px."""
        return 1 / float(np.hypot(*self.turns))


def find_repeats(reflectance: Plane) -> tuple[Repeat, ...]:
    """The upright family and the level one, as far as there are such. ``reflectance`` (h, w, C) float32, paper 1, 500 to
    1400 px long."""
    fine, bare = _fine_darkness(reflectance)
    if bare.mean() < _TOLD:
        return ()
    found = (_first(fine, bare, peaks) for peaks in _peaks(fine))
    return tuple(one for one in found if one is not None)


def _first(fine: Plane, bare: Plane, peaks: list[tuple[float, float]]) -> Repeat | None:
    for turns in peaks:
        one = _family(fine, bare, turns)
        if one is not None:
            return one
    return None


def _fine_darkness(reflectance: Plane) -> tuple[Plane, Plane]:
    """Darkness against the surroundings (h, w), 0 on marks, and where there are none (h, w), 0 or 1."""
    dark = 1 - grey_of(reflectance)
    soft = np.asarray(cv2.blur(dark, (3, 3)), np.float32)
    pale = soft[soft < _MARK[1]]
    print_at_most = _ABOVE * float(np.percentile(pale[:: max(1, pale.size // 50_000)], _PALE)) if pale.size else 0.0
    marks = cv2.dilate((soft > np.clip(print_at_most, *_MARK)).astype(np.uint8), np.ones((7, 7), np.uint8))
    bare = (1 - marks).astype(np.float32)
    own = np.clip(dark, -0.1, 0.5).astype(np.float32) * bare
    wide = (max(reflectance.shape[:2]) // _AROUND | 1,) * 2
    around = cv2.blur(own, wide) / np.maximum(cv2.blur(bare, wide), np.float32(0.05))
    return np.asarray(own - around * bare, np.float32), bare


def _peaks(fine: Plane) -> list[list[tuple[float, float]]]:
    """Cycles per px (x, y) of what stands out near each axis of the spectrum, with what it may be a harmonic of before it."""
    h, w = fine.shape
    size = cv2.getOptimalDFTSize(h), cv2.getOptimalDFTSize(w)
    window = np.outer(np.hanning(h), np.hanning(w)).astype(np.float32)
    y, x = np.meshgrid(np.fft.fftfreq(size[0]), np.fft.rfftfreq(size[1]), indexing="ij")
    long, far = max(h, w), np.hypot(x, y)
    # Drawings have the more the lower the frequency is (1 / f).
    power = (np.abs(np.fft.rfft2(fine * window, size)) * far) ** 2
    power[(far * long < _FEWEST) | (far * long > _MOST) | (far > _FINEST)] = 0
    out = []
    for along, aside in ((x, y), (y, x)):
        near = np.where(np.abs(aside) <= _LEAN * np.abs(along), power, 0)
        usual = float(np.median(near[near > 0])) if near.any() else np.inf
        families: list[tuple[float, float]] = []
        for _ in range(_TRIED):
            top = np.unravel_index(int(np.argmax(near)), near.shape)
            if near[top] < _PEAK * usual:
                break
            highest = float(power[top] / far[top] ** 2)
            turns = float(x[top]), float(y[top])
            for over in range(8, 0, -1):
                close = (np.abs(x - turns[0] / over) <= 1.5 / size[1]) & (np.abs(y - turns[1] / over) <= 1.5 / size[0])
                best = np.unravel_index(int(np.argmax(np.where(close, near, 0))), near.shape)
                if near[best] > _HARMONIC * highest * far[best] ** 2:
                    families.append((float(x[best]), float(y[best])))
            for sign in (1, -1):  # of what has no part along x, the spectrum holds both
                near = np.where(np.hypot(x - sign * turns[0], y - sign * turns[1]) * long < _APART, 0, near)
        out.append(list(dict.fromkeys(families)))
    return out


def _family(fine: Plane, bare: Plane, turns: tuple[float, float]) -> Repeat | None:
    """The family of a frequency, if it is a print: as strong, and in step, all over the paper."""
    cell = max(int(_CELL / float(np.hypot(*turns))), 1)
    period = 1 / float(np.hypot(*turns)) / cell
    total, told = _demodulated(fine, bare, turns, cell)
    waves, weight = smooth(total, _WINDOW * period), cv2.GaussianBlur(told, (0, 0), _WINDOW * period)
    each = max(int(period / 2), 1)
    places = slice(each // 2, None, each)
    known = weight[places, places] > 0.5
    if known.sum() < 40:
        return None
    seen = waves[places, places] / np.maximum(weight[places, places], np.float32(0.05))
    strong = np.abs(seen)
    middle = float(np.median(strong[known]))
    other = _demodulated(fine, bare, (turns[0] * _OTHER, turns[1] * _OTHER), cell)[0]
    if float(np.median(np.abs(smooth(other, _WINDOW * period)[places, places])[known])) > _ELSE * middle:
        return None
    if ((strong > _ALIKE[0] * middle) & (strong < _ALIKE[1] * middle))[known].mean() < _ALL:
        return None
    printed = known & (strong > _ALIKE[0] * middle)
    step = np.abs(np.angle(seen[1:] * np.conj(seen[:-1])))[printed[1:] & printed[:-1]] / (2 * np.pi)
    if step.size < 20 or float(np.percentile(step, 95)) > _STEADY:
        return None
    strength = np.abs(waves) / np.maximum(weight, np.float32(1e-3)) / np.float32(middle)
    there = np.clip((strength - _THERE[0]) / (_THERE[1] - _THERE[0]), 0, 1) * (weight > _FEW)
    drift = phases(total, _WINDOW * period)
    lean = [float(np.diff(drift, axis=axis).mean()) for axis in (1, 0)]
    h, w = drift.shape
    drift -= np.float32(lean[0]) * (np.arange(w, dtype=np.float32) + np.float32(0.5))[None]
    drift -= np.float32(lean[1]) * (np.arange(h, dtype=np.float32) + np.float32(0.5))[:, None]
    own = turns[0] + lean[0] * w / fine.shape[1], turns[1] + lean[1] * h / fine.shape[0]
    return Repeat(own, drift, np.asarray(there, np.float32))


def _demodulated(fine: Plane, bare: Plane, turns: tuple[float, float], cell: int) -> tuple[Waves, Plane]:
    """Amplitude and phase of a frequency, complex, and how much bare paper tells them, 0..1, on cells of so many px."""
    h, w = fine.shape
    across = np.exp(-2j * np.pi * turns[0] * (np.arange(w) + 0.5)).astype(np.complex64)
    down = np.exp(-2j * np.pi * turns[1] * (np.arange(h) + 0.5)).astype(np.complex64)
    size = max(w // cell, 1), max(h // cell, 1)
    waves = fine * across[None] * down[:, None]
    parts = (np.ascontiguousarray(part) for part in (waves.real, waves.imag, bare))
    real, imaginary, told = (cv2.resize(part, size, interpolation=cv2.INTER_AREA) for part in parts)
    return np.asarray(real + 1j * imaginary, np.complex64), np.asarray(told, np.float32)
