"""Frames for the view and close-ups for the bench: frozen requests in, finished images out. Runs on worker threads."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.app.view.canvas import canvas_of
from woad.app.view.compose import bgra, shade, tint, to_size
from woad.app.view.geometry import Slice, Viewport, visible_slice
from woad.app.view.ground import Ground
from woad.core.docket.model import Docket
from woad.core.raster.tiles import Region
from woad.core.render.automatic import Picture, RegionCache
from woad.core.render.region import PLAIN, overlay_region, render_region, step_pyramid
from woad.core.render.sheet import Sheet

Image8 = NDArray[np.uint8]
CUT_STEPS = ("knockout", "edge", "editions")  # what shows a cut-out, and so what lies behind it


@dataclass(frozen=True, eq=False)
class Places:
    """Places of a fault on the scan."""

    where: NDArray[np.bool_]
    colour: tuple[int, int, int]


@dataclass(frozen=True)
class FrameRequest:
    """Everything a frame depends on. ``wipe_view_x`` is where the wipe's edge runs, or None; ``places`` are marked on
    the scan, (h, w) over all of it, with their colour."""

    sheet: Sheet
    docket: Docket
    step: str
    view: Viewport
    backing: str
    bright: tuple[int, int, int]
    overlays: tuple[tuple[str, tuple[int, int, int]], ...]
    wipe_view_x: int | None
    cache: RegionCache
    places: Places | None = None
    ground: Ground | None = None


@dataclass(frozen=True)
class Frame:
    """A finished picture of the visible part: ``image`` (h, w, 4) at ``left``, ``top`` for ``view``."""

    image: Image8
    left: int
    top: int
    view: Viewport
    request: FrameRequest


def make_frame(request: FrameRequest) -> Frame | None:
    """Render what is in view; None when the sheet is out of sight."""
    sheet = request.sheet
    pyramid = step_pyramid(sheet, request.docket, request.step)
    sizes = [pyramid.size(level) for level in range(len(pyramid.levels))]
    part = visible_slice(request.view, sheet.scale, sizes)
    if part is None:
        return None
    image = _layer(request, part, request.step)
    if request.places is not None and request.step == "scan":
        _mark_places(image, request.places, part, pyramid.size(part.level))
    if request.wipe_view_x is not None and request.step not in PLAIN:
        cut = min(max(request.wipe_view_x - part.left, 0), image.shape[1])
        if cut > 0:
            before = _layer(request, part, "before")
            image = np.concatenate([before[:, :cut], image[:, cut:]], axis=1)
    if request.backing == "picture" and request.ground is not None and request.step in CUT_STEPS:
        return Frame(_on_ground(request, request.ground, image, part), 0, 0, request.view, request)
    return Frame(np.ascontiguousarray(image), part.left, part.top, request.view, request)


def _on_ground(request: FrameRequest, ground: Ground, image: Image8, part: Slice) -> Image8:
    """The sheet's part in the middle of the picture, which fills the whole view."""
    view = request.view
    x, y = view.to_sheet(0, 0)
    whole = cv2.cvtColor(ground.view(x, y, 1 / view.zoom, view.w, view.h), cv2.COLOR_RGB2BGRA)
    top, left = max(part.top, 0), max(part.left, 0)
    bottom, right = min(part.top + image.shape[0], view.h), min(part.left + image.shape[1], view.w)
    whole[top:bottom, left:right] = image[top - part.top : bottom - part.top, left - part.left : right - part.left]
    return np.ascontiguousarray(whole)


def _layer(request: FrameRequest, part: Slice, step: str) -> Image8:
    picture = render_region(request.sheet, request.docket, step, part.level, part.box, request.cache)
    w, h = part.right - part.left, part.bottom - part.top
    if picture.alpha is not None and request.backing == "checks":
        # Checks belong to the screen: scale the artwork first, then lay it on them.
        rgb = picture.rgb if isinstance(picture.rgb, tuple) else to_size(picture.rgb, w, h)
        picture = Picture(rgb, to_size(picture.alpha, w, h))
    ground = None
    if request.backing == "picture" and request.ground is not None and picture.alpha is not None:
        ground = request.ground.region(part.box, request.sheet.scale * (1 << part.level))
    image = bgra(picture, request.backing, request.bright, (part.left, part.top), ground)
    if step not in PLAIN:
        for kind, colour in request.overlays:
            mask = overlay_region(request.sheet, request.docket, kind, part.level, part.box, request.cache)
            if image.shape[:2] != mask.shape:
                mask = to_size(mask, image.shape[1], image.shape[0])
            image = np.ascontiguousarray(image)
            if kind in ("light", "strays"):
                shade(image, mask, colour)
            else:
                tint(image, mask, colour)
    return to_size(image, w, h)


def _mark_places(image: Image8, places: Places, part: Slice, size: tuple[int, int]) -> None:
    """Lay a see-through colour over a fault's places, in place."""
    gh, gw = places.where.shape
    h, w = image.shape[:2]
    sx, sy = gw / size[0] * part.box.w / w, gh / size[1] * part.box.h / h
    x0, y0 = part.box.x * gw / size[0], part.box.y * gh / size[1]
    matrix = np.array([[sx, 0, x0 + sx / 2 - 0.5], [0, sy, y0 + sy / 2 - 0.5]])
    how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    mask = cv2.warpAffine(places.where.astype(np.float32), matrix, (w, h), flags=how, borderMode=cv2.BORDER_REPLICATE)
    on = mask > 0.5
    rim = on & (cv2.erode(on.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0)
    colour = np.array(places.colour[::-1], np.float32)
    image[..., :3][on] = (image[..., :3][on] * 0.6 + colour * 0.4).astype(np.uint8)
    image[..., :3][rim] = colour.astype(np.uint8)


@dataclass(frozen=True)
class CloseUpRequest:
    """Close-ups of two places as every step leaves them, ``size`` device pixels square."""

    sheet: Sheet
    docket: Docket
    steps: tuple[str, ...]
    spots: tuple[tuple[float, float], tuple[float, float]]
    size: int
    level: int
    backing: str
    bright: tuple[int, int, int]


def make_close_ups(request: CloseUpRequest) -> dict[str, tuple[Image8, Image8]]:
    """For each step the pictures of watch spots a and b, (size, size, 4)."""
    out: dict[str, tuple[Image8, Image8]] = {}
    cache = RegionCache(2_000_000)
    # What leaves Edge is what is written; and what leaves Knock-out, as long as Edge does nothing.
    docket = request.docket
    same = (
        {"editions": "edge"}
        if docket.edge.acts() or docket.edge.touches
        else {"edge": "knockout", "editions": "knockout"}
    )
    for step in request.steps:
        if same.get(step) in out:
            out[step] = out[same[step]]
            continue
        pair = [_close_up(request, step, spot, cache) for spot in request.spots]
        out[step] = (pair[0], pair[1])
    return out


def _close_up(request: CloseUpRequest, step: str, spot: tuple[float, float], cache: RegionCache) -> Image8:
    pyramid = step_pyramid(request.sheet, request.docket, step)
    spot = canvas_of(request.sheet, request.docket, step).from_scan(*spot)
    level = min(request.level, pyramid.deepest)
    width, height = pyramid.size(level)
    px = request.sheet.scale * (1 << level)
    size = request.size
    x = min(max(int(spot[0] / px) - size // 2, 0), max(width - size, 0))
    y = min(max(int(spot[1] / px) - size // 2, 0), max(height - size, 0))
    box = Region(x, y, size, size).clip(width, height)
    picture = render_region(request.sheet, request.docket, step, level, box, cache)
    out = bgra(picture, request.backing, request.bright)
    if out.shape[:2] != (size, size):
        out = to_size(out, size, size)
    return out
