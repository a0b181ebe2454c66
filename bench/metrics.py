"""What the quality bench measures on one cut-out against the truth."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from sheets import Sheet
from woad.core.ink.curve import encoded_share
from woad.core.raster.transfer import srgb_decode

Plane = NDArray[np.float32]
BRIGHT = (1.0, 0.36, 0.16)


@dataclass(frozen=True)
class Result:
    """A method's answer: ``alpha`` (H, W) 0..1 and straight encoded ``colour`` (3,) or (H, W, 3) 0..1."""

    name: str
    alpha: Plane
    colour: NDArray[np.float32]
    paper: NDArray[np.uint8] | None = None


@dataclass(frozen=True)
class Zones:
    """Parts of a sheet that rows are measured on."""

    edge: NDArray[np.bool_]
    rim: NDArray[np.bool_]  # 1 to 4 px outside marks
    clear: NDArray[np.bool_]
    solid: NDArray[np.bool_]
    faint: NDArray[np.bool_]
    inside: NDArray[np.bool_]


def zones(sheet: Sheet) -> Zones:
    t = sheet.scan.coverage
    any_mark = (t > 0.004).astype(np.uint8)
    box = np.ones((3, 3), np.uint8)
    partial = ((t > 0.02) & (t < 0.98)).astype(np.uint8)
    rim = (cv2.dilate(any_mark, np.ones((9, 9), np.uint8)) > 0) & ~(any_mark > 0)
    full = (t > 0.985).astype(np.uint8)
    inside = cv2.erode((cv2.blur(t, (7, 7)) > 0.25).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    return Zones(
        edge=cv2.dilate(partial, box) > 0,
        rim=rim,
        clear=cv2.dilate(any_mark, np.ones((17, 17), np.uint8)) == 0,
        solid=cv2.erode(full, np.ones((5, 5), np.uint8)) > 0,
        faint=cv2.dilate(sheet.faint.astype(np.uint8), box) > 0,
        inside=inside,
    )


def truths(sheet: Sheet, ink_encoded: float) -> tuple[Plane, Plane]:
    """The two right readings of coverage: geometric share, and the alpha that encodes to the clean picture."""
    t = sheet.scan.coverage
    linear = float(srgb_decode(np.array([ink_encoded], np.float32))[0])
    return t, encoded_share(t, linear)


def _composite(result: Result, backing: tuple[float, float, float], where: NDArray[np.bool_]) -> Plane:
    """Encoded picture (N, 3) of the chosen pixels over a backing."""
    a = result.alpha[where][:, None]
    colour = result.colour if result.colour.ndim == 1 else result.colour[where]
    return (colour * a + np.asarray(backing, np.float32) * (1 - a)).astype(np.float32)


def measure(sheet: Sheet, result: Result, z: Zones) -> dict[str, float]:
    """All rows for one method on one sheet. Errors in steps of 255."""
    ink = result.colour
    if ink.ndim == 3:
        # A way that keeps the scan's colours: its ink is what solid ink looks like; pencil hardly has any.
        ink = np.median(ink[z.solid], axis=0) if z.solid.any() else np.full(3, 0.1)
    ink = np.asarray(ink, np.float32)
    right = truths(sheet, float(ink.mean()))
    rows: dict[str, float] = {}
    for name, backing in (("white", (1.0,) * 3), ("black", (0.0,) * 3), ("bright", BRIGHT)):
        got = _composite(result, backing, z.edge)
        wanted = [_composite(Result("", truth, ink), backing, z.edge) for truth in right]
        rows[f"edge over {name}"] = min(float(np.sqrt(np.mean((got - one) ** 2))) * 255 for one in wanted)
    rows["fringe over black"] = float(_composite(result, (0.0,) * 3, z.rim).mean() * 255)
    rows["paper left, mean"] = float(result.alpha[z.clear].mean() * 255)
    rows["paper left, 99.9 %"] = float(np.percentile(result.alpha[z.clear], 99.9) * 255)
    rows["ink kept"] = float(result.alpha[z.solid].mean()) if z.solid.any() else 1.0
    if z.faint.any():
        kept = [float(result.alpha[z.faint].sum() / max(truth[z.faint].sum(), 1e-6)) for truth in right]
        rows["faint kept"] = min(kept, key=lambda v: abs(v - 1))
    rows["texture"] = max(_texture(result.alpha, truth, z.inside) for truth in right)
    if sheet.dots:
        rows["stipple kept"] = _dots(sheet, result.alpha, right[1])
    if result.paper is not None:
        white = result.paper[z.clear]
        rows["paper, 1st percentile"] = float(np.percentile(white, 1))
        rows["paper, channel spread"] = float(np.ptp(white.astype(np.float64).mean(axis=0)))
    return rows


def _texture(alpha: Plane, truth: Plane, inside: NDArray[np.bool_]) -> float:
    def high(p: Plane) -> Plane:
        return np.asarray(p - cv2.GaussianBlur(p, (0, 0), 4.0))

    a, b = high(alpha)[inside], high(truth)[inside]
    return float(np.corrcoef(a, b)[0, 1]) if a.size > 100 and a.std() > 0 and b.std() > 1e-4 else 1.0


def _dots(sheet: Sheet, alpha: Plane, truth: Plane) -> float:
    """Share of stipple dots that keep at least half of the coverage they truly have."""
    h, w = alpha.shape
    kept = total = 0
    for x, y, r in sheet.dots:
        reach = int(np.ceil(r * 2 + 2))
        x0, y0, x1, y1 = int(x) - reach, int(y) - reach, int(x) + reach + 1, int(y) + reach + 1
        if x0 < 0 or y0 < 0 or x1 > w or y1 > h:
            continue
        total += 1
        kept += float(alpha[y0:y1, x0:x1].sum()) >= 0.5 * float(truth[y0:y1, x0:x1].sum())
    return kept / max(total, 1)
