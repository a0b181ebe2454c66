"""What was found when a sheet was looked over for strays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.spotting import Decision
from woad.core.docket.touches import Place
from woad.core.spotting.closeup import CloseUp
from woad.core.spotting.folds import Fold
from woad.core.spotting.hairs import Hair
from woad.core.spotting.near import neighbours
from woad.core.spotting.pieces import Pieces
from woad.core.spotting.streaks import Streak
from woad.core.square.frame import Frame
from woad.core.units import mm_to_px

Line = TypeVar("Line", Streak, Fold)

_REACH_MM = 0.6  # a decision holds for the piece under it, or the nearest one within that


@dataclass(frozen=True, eq=False)
class Found:
    """``pieces`` of the sheet; ``dirt`` (n,) 0..1; ``close`` a close look at each and ``hue`` (n, 5) their colour features,
    both None for none or too many; ``lines`` (n,) left by the edge of scanner or sheet; ``hairs`` and dust on paint;
    ``streaks`` along the scan, ``folds`` of the sheet; ``wish`` what they were looked for with; ``frame`` leads to the scan."""

    pieces: Pieces
    dirt: NDArray[np.float32]
    close: CloseUp | None
    hue: NDArray[np.float64] | None
    lines: NDArray[np.bool_]
    hairs: tuple[Hair, ...]
    wish: object
    ppi: float
    frame: Frame
    streaks: tuple[Streak, ...] = ()
    folds: tuple[Fold, ...] = ()

    def places(self) -> NDArray[np.float64]:
        """Where each piece lies, shares of the scan, (n, 2)."""
        if not len(self.pieces):
            return np.zeros((0, 2))
        return self.frame.to_scan(self.pieces.at) / np.array(self.frame.scan, np.float64)

    def on_sheet(self, places: Sequence[Place]) -> NDArray[np.float64]:
        """Places of the scan in px of the sheet, (m, 2)."""
        at = np.asarray(places, np.float64).reshape(-1, 2) * np.array(self.frame.scan, np.float64)
        return self.frame.from_scan(at)

    def inside(self, outline: Sequence[Place]) -> NDArray[np.bool_]:
        """Which pieces lie inside an outline."""
        shape = self.on_sheet(outline).astype(np.float32).reshape(-1, 1, 2)
        low, high = shape.min(axis=(0, 1)), shape.max(axis=(0, 1))
        at = self.pieces.at
        out = np.asarray(((at >= low) & (at <= high)).all(axis=1), np.bool_)
        for i in np.flatnonzero(out):
            out[i] = cv2.pointPolygonTest(shape, (float(at[i, 0]), float(at[i, 1])), False) >= 0
        return out

    def nearest(self, places: Sequence[Place]) -> list[int]:
        """For each place the piece at it, or -1 when there is none."""
        if not places or not len(self.pieces):
            return [-1] * len(places)
        at = self.on_sheet(places)
        gap, index = (found[:, 0] for found in neighbours(self.pieces.at, 1, at))
        reach = np.maximum(mm_to_px(_REACH_MM, self.ppi), 0.6 * self.pieces.length_px[index])
        return [int(i) if g <= r else -1 for g, i, r in zip(gap, index, reach, strict=True)]

    def hair_places(self) -> NDArray[np.float64]:
        """The middle of each hair, shares of the scan, (m, 2)."""
        if not self.hairs:
            return np.zeros((0, 2))
        boxes = np.array([hair.box for hair in self.hairs], np.float64)
        return self.frame.to_scan(boxes[:, :2] + boxes[:, 2:] / 2) / np.array(self.frame.scan, np.float64)

    def streak_places(self) -> NDArray[np.float64]:
        """The middle of each streak, shares of the scan, (m, 2)."""
        w, h = self.frame.scan
        middles = [(s.first + s.end) / 2 / (w if s.upright else h) for s in self.streaks]
        ways = [s.upright for s in self.streaks]
        places = [(at, 0.5) if up else (0.5, at) for at, up in zip(middles, ways, strict=True)]
        return np.array(places, np.float64).reshape(-1, 2)

    def mended_streaks(self, decided: Sequence[Decision]) -> tuple[Streak, ...]:
        """Streaks that are taken off: all but those that were decided to stay."""
        return _but_those(self.streaks, self.streak_places(), decided)

    def fold_places(self) -> NDArray[np.float64]:
        """The middle of each fold, shares of the scan, (m, 2)."""
        size = self.frame.width, self.frame.height
        middles = np.array([fold.middle(*size) for fold in self.folds], np.float64).reshape(-1, 2)
        return self.frame.to_scan(middles) / np.array(self.frame.scan, np.float64)

    def evened_folds(self, decided: Sequence[Decision]) -> tuple[Fold, ...]:
        """Folds that are evened out: all but those that were decided to stay."""
        return _but_those(self.folds, self.fold_places(), decided)

    def mended_hairs(self, decided: Sequence[Decision]) -> tuple[Hair, ...]:
        """Hairs that are mended: all but those that were decided to stay."""
        stays = [one.at for one in decided if not one.goes]
        if not stays or not self.hairs:
            return self.hairs
        at = self.on_sheet(stays)
        out = []
        for hair in self.hairs:
            x, y, w, h = hair.box
            middle = np.array([x + w / 2, y + h / 2])
            if not (np.hypot(*(at - middle).T) < 3).any():
                out.append(hair)
        return tuple(out) if len(out) < len(self.hairs) else self.hairs


def _but_those(lines: tuple[Line, ...], places: NDArray[np.float64], decided: Sequence[Decision]) -> tuple[Line, ...]:
    """Lines at places (m, 2), without those that were decided to stay."""
    stays = np.array([one.at for one in decided if not one.goes], np.float64).reshape(-1, 2)
    return tuple(
        line
        for line, at in zip(lines, places, strict=True)
        if not len(stays) or np.abs(stays - at).max(axis=1).min() > 1e-5
    )
