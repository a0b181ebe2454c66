"""What lies under the view in each step: the scan, the untrimmed plane, or the squared sheet; and the ways between them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.render.sheet import Sheet
from woad.core.render.squaring import plane_of
from woad.core.square.frame import Frame

XY = tuple[float, float]


@dataclass(frozen=True)
class Canvas:
    """``kind`` scan, plane or sheet. Points are in full-size pixels of that picture."""

    kind: str
    size: tuple[int, int]
    frame: Frame
    scale: float

    def to_scan(self, x: float, y: float) -> XY:
        """A point here, on the scan."""
        if self.kind == "scan":
            return x, y
        p = np.array([x, y]) / self.scale
        out = (self.frame.plane_to_scan(p) if self.kind == "plane" else self.frame.to_scan(p)) * self.scale
        return float(out[0]), float(out[1])

    def many_from_scan(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Points (n, 2) of the scan, here."""
        if self.kind == "scan":
            return points
        p = points / self.scale
        return np.asarray(
            (self.frame.scan_to_plane(p) if self.kind == "plane" else self.frame.from_scan(p)) * self.scale
        )

    def from_scan(self, x: float, y: float) -> XY:
        """A point of the scan, here."""
        if self.kind == "scan":
            return x, y
        p = np.array([x, y]) / self.scale
        out = (self.frame.scan_to_plane(p) if self.kind == "plane" else self.frame.from_scan(p)) * self.scale
        return float(out[0]), float(out[1])


def canvas_of(sheet: Sheet, docket: Docket, step: str) -> Canvas:
    """The canvas a step is shown on."""
    if step == "scan":
        return Canvas("scan", sheet.scan_size, sheet.frame, sheet.scale)
    if step == "square":
        frame = plane_of(docket, sheet.scan, sheet.found)
        w, h = frame.plane
        return Canvas("plane", (round(w * sheet.scale), round(h * sheet.scale)), frame, sheet.scale)
    return Canvas("sheet", sheet.full_size, sheet.frame, sheet.scale)
