"""Where the sheet lies in the view: zoom, centre, and the pixels of a pyramid level that must be rendered."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from woad.core.raster.tiles import Region

MIN_ZOOM, MAX_ZOOM = 1 / 64, 16.0


@dataclass(frozen=True)
class Viewport:
    """``zoom`` device pixels per scan pixel; ``cx``, ``cy`` the scan point at the middle of a view of ``w`` x ``h``
    device pixels."""

    w: int
    h: int
    zoom: float = 1.0
    cx: float = 0.0
    cy: float = 0.0

    def to_view(self, x: float, y: float) -> tuple[float, float]:
        return (x - self.cx) * self.zoom + self.w / 2, (y - self.cy) * self.zoom + self.h / 2

    def to_sheet(self, vx: float, vy: float) -> tuple[float, float]:
        return (vx - self.w / 2) / self.zoom + self.cx, (vy - self.h / 2) / self.zoom + self.cy

    def fitted(self, width: int, height: int, margin: int = 24) -> Viewport:
        """The whole sheet in view, with a margin."""
        room_w, room_h = max(self.w - 2 * margin, 16), max(self.h - 2 * margin, 16)
        zoom = min(room_w / max(width, 1), room_h / max(height, 1))
        return replace(self, zoom=float(np.clip(zoom, MIN_ZOOM, MAX_ZOOM)), cx=width / 2, cy=height / 2)

    def zoomed(self, factor: float, vx: float, vy: float) -> Viewport:
        """Zoomed so that the sheet point under (vx, vy) stays there."""
        return self.at_zoom(self.zoom * factor, vx, vy)

    def at_zoom(self, zoom: float, vx: float, vy: float) -> Viewport:
        zoom = float(np.clip(zoom, MIN_ZOOM, MAX_ZOOM))
        x, y = self.to_sheet(vx, vy)
        return replace(self, zoom=zoom, cx=x - (vx - self.w / 2) / zoom, cy=y - (vy - self.h / 2) / zoom)

    def moved(self, dx: float, dy: float) -> Viewport:
        return replace(self, cx=self.cx - dx / self.zoom, cy=self.cy - dy / self.zoom)

    def held(self, width: int, height: int) -> Viewport:
        """Moved back so that the sheet cannot be lost out of sight."""
        return replace(self, cx=float(np.clip(self.cx, 0, width)), cy=float(np.clip(self.cy, 0, height)))


@dataclass(frozen=True)
class Slice:
    """What to render for a viewport: ``box`` of ``level``, shown at ``left, top, right, bottom`` device pixels."""

    level: int
    box: Region
    left: int
    top: int
    right: int
    bottom: int


def visible_slice(view: Viewport, scale: float, sizes: list[tuple[int, int]]) -> Slice | None:
    """The part of the sheet that is in view.

    ``scale`` scan pixels per level-0 pixel of the pyramid; ``sizes`` (width, height) of its levels. The level is the
    smallest that still has nearly one pixel for each of the screen's.
    """
    wanted = -np.log2(view.zoom * scale) - 0.3
    level = int(np.clip(np.ceil(wanted), 0, len(sizes) - 1))
    width, height = sizes[level]
    px = scale * (1 << level)
    x0, y0 = view.to_sheet(0, 0)
    x1, y1 = view.to_sheet(view.w, view.h)
    left, top = int(np.floor(x0 / px)), int(np.floor(y0 / px))
    box = Region(left, top, int(np.ceil(x1 / px)) - left, int(np.ceil(y1 / px)) - top).clip(width, height)
    if box.w < 1 or box.h < 1:
        return None
    vx0, vy0 = view.to_view(box.x * px, box.y * px)
    vx1, vy1 = view.to_view(box.right * px, box.bottom * px)
    # Halves all to one side: a view of half a pixel's shift has as many pixels as the sheet has there.
    corners = [int(np.floor(v + 0.5)) for v in (vx0, vy0, vx1, vy1)]
    return Slice(level, box, corners[0], corners[1], max(corners[2], corners[0] + 1), max(corners[3], corners[1] + 1))
