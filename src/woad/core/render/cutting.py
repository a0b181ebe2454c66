"""What is done to a finished cut-out: enclosed paper kept, tones and places removed or kept by hand, edges reshaped."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.knocking import EdgeSettings, KnockoutSettings, TonePick
from woad.core.docket.touches import Touch
from woad.core.edge.shape import Moves, carried_colour, reshape
from woad.core.knockout.enclosed import enclosed_pixels
from woad.core.knockout.removing import less, looks_like_paper, stroke_share, unlike, with_edges
from woad.core.paper.hand import BrushStroke, stroke_near
from woad.core.raster.compositing import over_white
from woad.core.raster.outline import fill_outline
from woad.core.raster.tiles import Region
from woad.core.square.frame import Frame

Plane8 = NDArray[np.uint8]
Plane = NDArray[np.float32]
Colour = NDArray[np.uint8] | tuple[int, int, int]

_TAKEN_PX = 3.0  # how far a full take-away stroke of the Edge step moves an edge inwards


@dataclass(frozen=True, eq=False)
class Cutting:
    """Settings made ready for any tile. ``cells`` which paper is enclosed, over cells of ``cell_px``; ``tones`` with the
    places (same cells) they hang together with; ``subject`` outline and ``strokes``, px of the sheet."""

    cells: Plane8 | None
    cell_px: int
    tones: tuple[tuple[TonePick, Plane8 | None], ...]
    subject: NDArray[np.float64] | None
    strokes: tuple[tuple[Touch, BrushStroke], ...]
    edge: EdgeSettings
    move_px: float
    edge_strokes: tuple[tuple[Touch, BrushStroke], ...]

    @property
    def by_hand(self) -> bool:
        """Whether anything comes before the edges."""
        return self.cells is not None or bool(self.tones or self.strokes) or self.subject is not None

    @property
    def colours(self) -> bool:
        """Whether paper may come back, so that one ink is no longer all there is."""
        return self.cells is not None or any(touch.kind == "keep" for touch, _ in self.strokes)

    def moves(self, level: int) -> Moves:
        """What is done to edges at a level."""
        if not self.edge.on:
            return Moves(0.0, True, 0.0, 0.0)
        by = 1 << level
        crisp = self.edge.crispness if level < 2 else 0.0  # a reduced picture's edges are crisp as they are
        return Moves(self.move_px / by, self.edge.thin, self.edge.smooth / by, crisp)

    def reach_px(self, level: int) -> int:
        """How far around a tile must be known."""
        reach = 2 if not self.tones else 8
        if self.cells is not None:
            reach = max(reach, 3 * self.cell_px // (1 << level) + 8)
        moves = self.moves(level)
        edge = 0 if moves.still and not self.edge_strokes else max(moves.reach_px, 24)
        return reach + edge


def make_cutting(
    knockout: KnockoutSettings,
    edge: EdgeSettings,
    frame: Frame,
    ppi: float | None,
    cells: Plane8 | None,
    cell_px: int,
    together: tuple[Plane8 | None, ...],
) -> Cutting | None:
    """Everything by hand and the edges; None when nothing is done."""
    size = np.array(frame.scan, np.float64)
    subject = None
    if len(knockout.subject) >= 3:
        subject = frame.from_scan(np.asarray(knockout.subject, np.float64) * size)
    strokes = tuple((t, _stroke(t, frame)) for t in knockout.touches)
    edge_strokes = tuple((t, _stroke(t, frame)) for t in edge.touches) if edge.on else ()
    tones = tuple(zip(knockout.tones, together, strict=True))
    out = Cutting(cells, cell_px, tones, subject, strokes, edge, edge.move_px(ppi), edge_strokes)
    return out if out.by_hand or edge.acts() or edge_strokes else None


def _stroke(touch: Touch, frame: Frame) -> BrushStroke:
    points = frame.from_scan(np.asarray(touch.points, np.float64) * np.array(frame.scan, np.float64))
    return BrushStroke(points, touch.radius * max(frame.scan), touch.strength)


def cut(
    cutting: Cutting, colour: Colour, alpha: Plane8, before: Callable[[], Plane8], box: Region, level: int, edge: bool
) -> tuple[Colour, Plane8]:
    """Apply to a tile at ``box`` of ``level``: straight ``colour`` (one for all, or (h, w, 3)) and ``alpha`` (h, w).

    ``before`` gives the picture with paper (h, w, 3), for what is kept by hand; ``edge`` whether edges are reshaped too.
    """
    if cutting.cells is not None:
        colour, alpha = _kept_white(cutting, colour, alpha, box, level)
    for tone, where in cutting.tones:
        shown = over_white(colour, alpha)
        keep = with_edges(unlike(shown, tone.colour, tone.reach), alpha)
        if where is not None:
            keep = np.maximum(keep, 1 - _cells_at(where, cutting.cell_px, box, level, smooth=True) / np.float32(255))
        rgb = None if isinstance(colour, tuple) else colour
        alpha, changed = less(alpha, rgb, shown, keep, tone.colour)
        colour = colour if changed is None else changed
    if cutting.subject is not None:
        inside = fill_outline(cutting.subject, box, level)
        alpha = np.zeros_like(alpha) if inside is None else np.asarray(cv2.min(alpha, inside))
    for touch, stroke in cutting.strokes:
        share = _share(touch, stroke, box, level)
        if share is not None:
            colour, alpha = _by_brush(touch.kind, colour, alpha, share, before)
    return _reshaped(cutting, colour, alpha, box, level) if edge else (colour, alpha)


def _cells_at(cells: Plane8, cell_px: int, box: Region, level: int, smooth: bool = False) -> NDArray[np.uint8]:
    """Values of cells at every pixel of a box."""
    step = (1 << level) / cell_px
    x = ((box.x + np.arange(box.w) + 0.5) * step - (0.5 if smooth else 0)).astype(np.float32)
    y = ((box.y + np.arange(box.h) + 0.5) * step - (0.5 if smooth else 0)).astype(np.float32)
    if not smooth:
        yy = np.minimum(y.astype(int), cells.shape[0] - 1)
        return np.asarray(cells[yy[:, None], np.minimum(x.astype(int), cells.shape[1] - 1)[None, :]], np.uint8)
    mx, my = np.meshgrid(x, y)
    return np.asarray(cv2.remap(cells, mx, my, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def _kept_white(cutting: Cutting, colour: Colour, alpha: Plane8, box: Region, level: int) -> tuple[Colour, Plane8]:
    assert cutting.cells is not None
    inside = enclosed_pixels(alpha, _cells_at(cutting.cells, cutting.cell_px, box, level))
    if not inside.any():
        return colour, alpha
    shown = over_white(colour, alpha)
    straight = np.full_like(shown, colour) if isinstance(colour, tuple) else colour
    return np.where(inside[..., None] > 0, shown, straight), np.asarray(cv2.max(alpha, inside))


def _share(touch: Touch, stroke: BrushStroke, box: Region, level: int) -> Plane | None:
    """Strength of a stroke over a tile, or None beside it."""
    by = 1 << level
    near = stroke_near(BrushStroke(stroke.points / by - [box.x, box.y], stroke.radius_px / by, 1.0), box.w, box.h)
    if near is None:
        return None
    out = np.zeros((box.h, box.w), np.float32)
    where, gap = near
    out[where] = stroke_share(gap, max(stroke.radius_px / by, 1.0), touch.hard) * touch.strength
    return out


def _by_brush(
    kind: str, colour: Colour, alpha: Plane8, share: Plane, before: Callable[[], Plane8]
) -> tuple[Colour, Plane8]:
    if kind == "keep":
        shown = before()
        straight = np.full_like(shown, colour) if isinstance(colour, tuple) else colour
        kept = np.rint(alpha + (255 - alpha.astype(np.float32)) * share)
        # The colours of what was there and of what comes back, each by its share of the coverage.
        part = (alpha * (1 - share) / np.maximum(kept, 1))[..., None]
        mixed = np.rint(straight * part + shown * (1 - part)).astype(np.uint8)
        return np.where(share[..., None] > 0, mixed, straight), kept.astype(np.uint8)
    if kind == "remove-paper":
        share = share * looks_like_paper(over_white(colour, alpha))
    return colour, np.rint(alpha * (1 - share)).astype(np.uint8)


def _reshaped(cutting: Cutting, colour: Colour, alpha: Plane8, box: Region, level: int) -> tuple[Colour, Plane8]:
    moves = cutting.moves(level)
    out = reshape(alpha, moves)
    for touch, stroke in cutting.edge_strokes:
        share = _share(touch, stroke, box, level)
        if share is None:
            continue
        if touch.kind == "take-away":
            goal = reshape(alpha, Moves(min(moves.move, 0) - _TAKEN_PX / (1 << level), False, 0.0, 0.0))
        else:
            goal = np.asarray(cv2.max(alpha, out))
        out = np.rint(out + (goal.astype(np.float32) - out) * share).astype(np.uint8)
    if not isinstance(colour, tuple):
        colour = carried_colour(colour, alpha, out, max(moves.move, 0) + moves.smooth + 2)
    return colour, out
