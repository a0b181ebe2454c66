"""The noise of a sheet's paper: its floors, from close parts at full size and from small levels, as far as any view reaches."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.paper.evening import sample_grid
from woad.core.paper.lighter import LightMarks
from woad.core.paper.marks import SCALES, measure_floors
from woad.core.raster.channels import folded, grey_of
from woad.core.raster.codes import PAPER_CODE, Codes, to_codes
from woad.core.raster.pyramid import Pyramid
from woad.core.raster.tiles import Region
from woad.core.render.lighting import Lit

Plane = NDArray[np.float32]

_CROP_PX = 320


def close_parts(pyramid: Pyramid, reduced: Plane, each: int) -> list[Region]:
    """Full-size boxes to look at closely: where marks on a ``reduced`` sheet (h, w, C) are most, where they are few, and
    spread evenly, ``each`` about so many."""
    size = _CROP_PX
    columns, rows = max(1, pyramid.width // size), max(1, pyramid.height // size)
    dark = np.clip(1 - grey_of(reduced), 0, 1)
    cells = cv2.resize(dark, (columns, rows), interpolation=cv2.INTER_AREA).reshape(rows, columns)
    order = np.argsort(cells, axis=None)
    n = order.size
    wanted = np.unique(
        np.concatenate([order[-each:], order[(np.linspace(0.05, 0.95, min(each, n)) * (n - 1)).astype(int)]])
    )
    out = []
    for flat in wanted.tolist():
        row, column = divmod(flat, columns)
        x, y = column * size // 8 * 8, row * size // 8 * 8
        out.append(Region(x, y, size, size).clip(pyramid.width, pyramid.height))
    return [box for box in out if box.w and box.h]


@dataclass(frozen=True, eq=False)
class Noise:
    """Where the noise of a sheet is read: ``crops`` (h, w, C), reflectance of its ``boxes`` at full size, and the levels of
    what is ``lit``, whose reduced one is ``base``. Where ``light_marks`` lie, which are no noise, paper is put."""

    lit: Lit
    base: int
    boxes: list[Region]
    crops: list[Plane]
    light_marks: LightMarks | None

    def finest(self, weights: tuple[float, ...]) -> float:
        """The floor at full size, channels folded by ``weights``."""
        return measure_floors(self._close(weights), 1)[0]

    def floors(self, weights: tuple[float, ...], quick: bool) -> tuple[float, ...]:
        """Floors of level 0, 1, 2, … as far as any view reaches; ``quick``, those of small levels are guessed."""
        pyramid = self.lit.evenly.pyramid
        floors = list(measure_floors(self._close(weights)))
        if quick:
            return (*floors, *(floors[-1] for _ in range(pyramid.deepest + 1)))
        while len(floors) < pyramid.deepest + SCALES + 1:
            level = min(len(floors) - 1, pyramid.deepest)
            while not pyramid.holds(level):  # dropped from a lean pyramid
                level += 1
            more = measure_floors([self._whole(level, weights)])
            floors += [floors[-1]] * (level - len(floors) + 1)
            floors += [min(value, floors[-1]) for value in more[1:]]
        return tuple(floors)

    def noisiest_channel(self, floor: float) -> float:
        """How much noisier than a ``floor`` at full size the noisiest channel by itself is."""
        return max(self.finest(tuple(row)) for row in np.eye(3).tolist()) / floor

    def _close(self, weights: tuple[float, ...]) -> list[Codes]:
        return [self._paper(crop, weights, box, 0) for crop, box in zip(self.crops, self.boxes, strict=True)]

    def _whole(self, level: int, weights: tuple[float, ...]) -> Codes:
        box = Region(0, 0, *self.lit.evenly.pyramid.size(level))
        seen = self.lit.reduced if level == self.base else self.lit.evenly.read(level, box)
        return self._paper(seen, weights, box, level)

    def _paper(self, reflectance: Plane, weights: tuple[float, ...], box: Region, level: int) -> Codes:
        """Folded codes of a box of a level that hold no marks lighter than the paper."""
        codes = to_codes(folded(reflectance, weights))
        if self.light_marks is not None:
            near = sample_grid(self.light_marks.where, 1 << self.base, box.x, box.y, box.w, box.h, level)[..., 0]
            codes[near > 0] = PAPER_CODE
        return codes
