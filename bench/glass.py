"""Sheets smaller than the scanner's glass, pushed into a corner of it: how much of the lid stays in the frame that Woad sets by
itself, and how much of the sheet is cut away with it."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from captures import saved, shot
from media import ALL, draw
from scan_rows import check, spread
from woad.core.docket.model import Docket
from woad.core.raster.outline import filled
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.squaring import find_square, frame_of
from woad.core.units import mm_to_px
from woad.demo.scanner import Capture, Light

PPI = 180.0
LIDS = ("black", "grey", "white")
_CUT_MM = 2.5  # bar: of the sheet, along its sides, beside what its tilt takes
_ANSWERED = {"black": 0.9, "grey": 0.9, "white": 0.8}  # bars: share of the sheets without lid in their frame


@dataclass(frozen=True, eq=False)
class Laid:
    """A scan with free glass: ``sheet`` (h, w) bool is where the sheet lies."""

    image: NDArray[np.uint8]
    sheet: NDArray[np.bool_]


def laid(lid: str, seed: int) -> Laid:
    """A sheet of A5 in one of the corners of a larger glass, or up to 8 mm off it, straight or a little askew, with the shadow
    that its edges cast on the lid and dust on that."""
    rng = np.random.default_rng(seed * 613 + LIDS.index(lid))
    flat = draw(ALL[seed % len(ALL)], seed, PPI, True).linear
    h, w = flat.shape[:2]
    gap = 0.0 if rng.random() < 0.7 else mm_to_px(float(rng.uniform(2, 8)), PPI)
    width, height = round(w * (1 + rng.uniform(0.04, 0.7)) + gap), round(h * (1 + rng.uniform(0.04, 0.7)) + gap)
    deg = 0.0 if rng.random() < 0.6 else float(rng.uniform(-2.5, 2.5))
    way = cv2.getRotationMatrix2D((w / 2 - 0.5, h / 2 - 0.5), deg, 1.0)
    way[:, 2] += [rest - gap if rng.random() < 0.5 else gap for rest in (width - w, height - h)]
    there = cv2.warpAffine(np.ones((h, w), np.float32), way, (width, height), flags=cv2.INTER_LINEAR)
    art = cv2.warpAffine(flat, way, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    tone = {"black": rng.uniform(0.003, 0.03), "grey": rng.uniform(0.06, 0.3), "white": rng.uniform(0.78, 0.97)}[lid]
    bed = np.full(
        (height, width, 3), tone * np.array([1, rng.uniform(0.98, 1.01), rng.uniform(0.96, 1.02)]), np.float32
    )
    bed *= 1 + np.float32(rng.uniform(-0.06, 0.06)) * np.linspace(-1, 1, width, dtype=np.float32)[None, :, None]
    offset = rng.uniform(-6, 6, 2)
    behind = cv2.warpAffine(there, np.float32([[1, 0, offset[0]], [0, 1, offset[1]]]), (width, height))
    bed *= 1 - np.float32(rng.uniform(0.1, 0.4)) * cv2.GaussianBlur(behind, (0, 0), rng.uniform(2, 5))[..., None]
    for _ in range(int(rng.integers(0, 40))):
        at = (int(rng.integers(0, width)), int(rng.integers(0, height)))
        cv2.circle(bed, at, int(rng.integers(1, 4)), (0.4, 0.4, 0.4), -1, cv2.LINE_AA)
    linear = np.clip(bed + (art - bed) * there[..., None], 0, 1)
    light = Light(falloff=rng.uniform(0, 0.1), falloff_deg=rng.uniform(0, 360), vignette=0.02)
    image = shot(
        linear, light, Capture(rng.uniform(0.5, 0.9), rng.uniform(0.002, 0.006), 0, None, rng.uniform(0.9, 1)), rng
    )
    return Laid(image if rng.random() < 0.5 else saved(image, int(rng.integers(82, 95))), there > 0.5)


def _job(job: tuple[str, int]) -> tuple[str, float, float]:
    """The lid; share of the frame that is lid; what was cut off the sheet, mm along its sides, as its area over its outline."""
    lid, seed = job
    if lid == "none":
        image = draw(ALL[seed % len(ALL)], seed, PPI, True).linear
        rng = np.random.default_rng(seed)
        scan = Laid(shot(image, Light(falloff=0.1), Capture(0.7, 0.004), rng), np.ones(image.shape[:2], bool))
    else:
        scan = laid(lid, seed)
    pyramid = build_pyramid(scan.image)
    frame = frame_of(Docket(), pyramid, find_square(pyramid), PPI)
    outline = np.array([(0, 0), (frame.width, 0), (frame.width, frame.height), (0, frame.height)], np.float64)
    h, w = scan.sheet.shape
    kept = filled(frame.to_scan(outline), (h, w))
    lost = float((scan.sheet & ~kept).sum()) / (2 * (148 + 210) / 25.4 * PPI)
    return lid, float((kept & ~scan.sheet).sum() / max(1, kept.sum())), lost / mm_to_px(1, PPI)


def glass_row(first_seed: int, sheets: int) -> list[str]:
    """For each lid: share of sheets without lid in their frame, and what was cut off them; and plain scans that were cut."""
    found: dict[str, list[tuple[float, float]]] = defaultdict(list)
    for lid, left, lost_mm in spread(_job, [(lid, first_seed + i) for lid in (*LIDS, "none") for i in range(sheets)]):
        found[lid].append((left, lost_mm))
    misses: list[str] = []
    for lid in LIDS:
        clean = [left < 0.002 for left, _ in found[lid]]
        lost = [mm for _, mm in found[lid]]
        share = float(np.mean(clean))
        print(f"glass, {lid} lid: {share:.0%} of {len(clean)} sheets without lid; cut off them {np.median(lost):.1f} mm, "
              f"at most {max(lost):.1f} mm")  # fmt: skip
        misses += check(
            (share >= _ANSWERED[lid], f"glass: {lid} lid left on {1 - share:.0%} (bar {1 - _ANSWERED[lid]:.0%})"),
            (max(lost) < _CUT_MM, f"glass: {max(lost):.1f} mm of a sheet cut away with a {lid} lid (bar {_CUT_MM})"),
        )
    worst = max(mm for _, mm in found["none"])
    print(f"glass, sheets that fill it: cut off them at most {worst:.2f} mm")
    return misses + check((worst < 0.5, f"glass: {worst:.2f} mm of a sheet cut away that fills the glass (bar 0.5)"))
