"""What a clicked place is: its colour against the paper, its density, and why it cannot be what the user says it is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Docket
from woad.core.paper.evening import even, make_gain
from woad.core.paper.samples import read_place
from woad.core.raster.codes import from_codes
from woad.core.raster.compositing import over_white
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import linear_light, srgb_encode
from woad.core.render.hand import on_sheet
from woad.core.render.measure import FIELD_PX
from woad.core.render.negative import as_seen
from woad.core.render.recipe import drop_out_refusal
from woad.core.render.region import region_at_work
from woad.core.render.sheet import Sheet

_HALF = 3  # px around a click that are read
_A_SIDE, _SAME_TONE = 5, 0.3  # places on each side; log light
_INSETS = (0.014, 0.007, 0.004)  # how far inside the border they lie, share of the longer side
MARK_D, BARE_D = 0.45, 0.08  # from here on a place is surely a mark; below it is surely bare


@dataclass(frozen=True)
class PlaceReading:
    """``colour`` sRGB as it would look on white paper; ``density`` against the paper as estimated, 0 on what is
    lighter."""

    colour: tuple[int, int, int]
    density: float


def read_place_at(sheet: Sheet, x: float, y: float) -> PlaceReading | None:
    """Reading at (x, y), shares of the scan's width and height; None outside the squared sheet."""
    at = sheet.frame.from_scan(np.array([x, y]) * np.array(sheet.frame.scan, np.float64))
    w, h = sheet.pyramid.size(0)
    cx, cy = int(np.floor(at[0])), int(np.floor(at[1]))
    if not (0 <= cx < w and 0 <= cy < h):
        return None
    box = Region(cx - _HALF, cy - _HALF, 2 * _HALF + 1, 2 * _HALF + 1).clip(w, h)
    gain = make_gain(sheet.readings.light, 1.0, None)
    codes = even(sheet.pyramid.read(0, box), gain, sheet.readings.cell_px, (box.x, box.y, 0))
    colours = from_codes(codes).reshape(-1, codes.shape[2])
    # A thin stroke fills a part of the patch: its darker half is what was meant.
    order = np.argsort(colours.mean(axis=1))
    own = np.median(colours[order[: max(1, len(order) // 2)]], axis=0)
    rgb = np.rint(srgb_encode(np.clip(np.resize(own, 3) if own.size == 1 else own, 0, 1)) * 255).astype(int)
    middle = float(np.median(colours.mean(axis=1)))
    colour = as_seen((int(rgb[0]), int(rgb[1]), int(rgb[2])), sheet.readings.negative)
    return PlaceReading(colour, float(abs(np.log10(np.clip(middle, 1e-3, 1)))))


def refuse_place(sheet: Sheet, docket: Docket, kind: str, x: float, y: float) -> str | None:
    """Why the place cannot be ``paper``, ``ink`` or a ``drop-out`` colour: one clear sentence, or None."""
    reading = read_place_at(sheet, x, y)
    if reading is None:
        return "That place lies outside the sheet. Nothing was changed; click on the sheet."
    if kind == "paper" and sheet.readings.light_doubt is None and reading.density > MARK_D:
        return f"That place is a mark (D {reading.density:.2f}), not paper. Nothing was changed; click bare paper."
    if kind == "ink" and reading.density < BARE_D:
        return (
            f"That place is bare paper (D {reading.density:.2f}). Nothing was changed; click inside the darkest mark."
        )
    if kind == "drop-out":
        held = docket.ink.drop_out if isinstance(docket.ink.drop_out, tuple) else ()
        why = drop_out_refusal((*held[-1:], reading.colour), sheet.readings)
        if why is not None:
            return f"That colour cannot be dropped out: {why}. Nothing was changed; click a pencil line."
    return None


def border_places(sheet: Sheet) -> tuple[tuple[float, float], ...]:
    """Places along the border of the squared sheet, shares of the scan, that are one and the same light tone; none when
    that is less than half of the border. For sheets whose paper shows nowhere else."""
    # As the places will be read when they are obeyed.
    linear = linear_light(sheet.pyramid.whole(sheet.pyramid.level_for(FIELD_PX)))
    best, lightest = np.zeros((0, 2)), -np.inf
    for share in _INSETS:
        at, light = _one_tone(linear, share)
        if len(at) and light > lightest:
            best, lightest = at, light
    places = sheet.frame.to_scan(best * sheet.pyramid.size(0)) / np.array(sheet.frame.scan, np.float64)
    return tuple((float(px), float(py)) for px, py in places if 0 <= px <= 1 and 0 <= py <= 1)


def _one_tone(linear: NDArray[np.float32], share: float) -> tuple[NDArray[np.float64], float]:
    """Of places so far inside the border (share of the longer side) of a sheet (h, w, C) those of one tone, shares of its
    width and height (n, 2), and its log light."""
    h, w = linear.shape[:2]
    dx, dy = (min(share * max(w, h), 0.25 * min(w, h)) / side for side in (w, h))
    along = (np.arange(_A_SIDE) + 0.5) / _A_SIDE
    x, y, one = dx + along * (1 - 2 * dx), dy + along * (1 - 2 * dy), np.ones(_A_SIDE)
    sides = ((x, dy * one), ((1 - dx) * one, y), (x, (1 - dy) * one), (dx * one, y))
    at = np.concatenate([np.column_stack(side) for side in sides])
    tones = [read_place(linear, px, py) for px, py in at.tolist()]
    logs = np.log(np.maximum(np.stack(tones), 1e-4))
    light = logs.mean(axis=1)
    usual = np.median(logs[light >= np.percentile(light, 60)], axis=0)
    same = np.abs(logs - usual).max(axis=1) < _SAME_TONE
    return at[same] if same.mean() >= 0.5 else at[:0], float(usual.mean())


def shown_colour(sheet: Sheet, docket: Docket, place: tuple[float, float]) -> tuple[int, int, int] | None:
    """Colour (sRGB) of the cut-out on white, or light marks on black, around a place of the scan; None beside the sheet."""
    at = on_sheet([place], sheet.frame)
    if not at:
        return None
    w, h = sheet.pyramid.size(0)
    x, y = min(int(at[0][0] * w), w - 1), min(int(at[0][1] * h), h - 1)
    box = Region(x - 2, y - 2, 5, 5).clip(w, h)
    picture = region_at_work(sheet, docket, "knockout", 0, box)
    own = np.asarray(picture.rgb) if picture.alpha is None else over_white(picture.rgb, picture.alpha)
    r, g, b = np.median(own.reshape(-1, 3), axis=0).astype(int).tolist()
    return as_seen((int(r), int(g), int(b)), sheet.readings.negative)
