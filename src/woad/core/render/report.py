"""The scan report: is the scan good enough, what Woad can mend, what needs a new scan, and where."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.formats.header import kind_of
from woad.core.formats.read import Original
from woad.core.raster.channels import grey_of
from woad.core.raster.pyramid import Pyramid
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import encoded_shares, srgb_decode
from woad.core.render import faults as faults_of
from woad.core.render.closely import LOOK_PX, grey_parts, inside_of, places_of
from woad.core.render.faults import Fault
from woad.core.render.negative import looks_dark
from woad.core.render.squaring import SURE, Found
from woad.core.render.taken_back import as_scanned
from woad.core.scan.blocks import (
    BEST,
    count_coefficients,
    fit_faded_quality,
    fit_quality,
    luma_255,
    quality_before_scaling,
    quality_of,
)
from woad.core.scan.clipping import burnt_share
from woad.core.scan.grid import smoothed_grid
from woad.core.scan.light import LightFaults, find_light_faults
from woad.core.scan.noise import paper_noise
from woad.core.scan.resampled import SCALED, rhythm
from woad.core.scan.sharpness import edge_width

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

_LIGHT_MARK = 2.0  # times the usual light of dark paper, from which there is a mark
_CLEAR, _CLEAR_FADED, _CLEAR_SCALED = 0.6, 0.3, 0.6
_GRID = 0.1  # a smoothed grid of blocks from which the picture was compressed heavily
_NO_FADED, _TOGETHER = 0.11, 0.8  # clearness of pictures that were not; share of a whole that two traces make
_HEAVY = (10, 35)  # qualities that leave one
_SCALED_EDGE_PX = 2.6  # edges of a picture that was scaled up again are at least as wide


@dataclass(frozen=True)
class Point:
    """One line of the report, found or not: its ``name``, its number in words, and the fault's code if it is one."""

    name: str
    reading: str
    code: str


@dataclass(frozen=True, eq=False)
class ScanReport:
    """``faults`` worst first; ``points`` everything that was looked at."""

    faults: tuple[Fault, ...]
    points: tuple[Point, ...]

    def fault(self, code: str) -> Fault | None:
        return next((one for one in self.faults if one.code == code), None)


def look_at_scan(
    original: Original, scan: Pyramid, found: Found, ppi: float | None, print_mm: float | None = None
) -> ScanReport:
    """Measure a scan as it came. ``ppi`` in force, ``print_mm`` the wanted longer side of the print, if set."""
    base = scan.level_for(LOOK_PX)
    scanned = encoded_shares(scan.whole(base))
    corners = found.corners
    sure = corners.points if not isinstance(corners, NoEstimate) and corners.sure >= SURE else None
    inside = inside_of(sure, scanned.shape[:2], float(1 << base))
    # The rims that a scanner's sharpening leaves are no glare, nor is its noise the paper's.
    before = as_scanned(scan, found.own)
    seen = scanned if before is scan else encoded_shares(before.whole(base))
    # The light is looked at on the other core.
    with ThreadPoolExecutor(1) as beside:
        lit = beside.submit(_light_faults, scan, seen, inside)
        busy, calm_at = places_of(scan, scanned, inside, base)
        if before is not scan:
            calm_at = places_of(before, seen, inside, base)[1]
        calm = grey_parts(before, calm_at)
        areas = _areas(scan, inside, 1 << base)
        burnt, burnt_at = burnt_share(scanned, inside)
        width = edge_width(grey_parts(scan, busy))
        light = lit.result()
    soft = not isinstance(width, NoEstimate) and width >= _SCALED_EDGE_PX
    quality, scaled = _worst_quality(original, scan, areas, soft)
    # What heavy compression leaves scattered about is its own.
    rescaled = quality >= faults_of.LEAST_QUALITY and rhythm(calm) >= SCALED
    noise = paper_noise(calm, rescaled)
    faults: list[Fault] = []
    points: list[Point] = []

    def note(name: str, reading: str, fault: Fault | None) -> None:
        points.append(Point(name, reading, fault.code if fault is not None else ""))
        if fault is not None:
            faults.append(fault)

    note("Burnt-out paper", f"{100 * burnt:.0f} %", faults_of.burnt(burnt, burnt_at))
    note("Edge width", "unknown" if isinstance(width, NoEstimate) else f"{width:.1f} px", faults_of.blurred(width))
    note("Rims beside marks", faults_of.rims_text(found.sharpening), faults_of.sharpened(found.own.sharpening))
    note("Colours apart", faults_of.register_text(found.register), faults_of.out_of_register(found.own.register))
    note("Compression", f"quality {quality}" if quality < BEST else "none seen", faults_of.compressed(quality, scaled))
    note("Light, best to worst", f"{light.ratio:.2f} : 1", faults_of.uneven(light))
    note("Shadow", f"{light.shadow:.0f} %", faults_of.shadow(light))
    note("Glare", f"{light.glare:.0f} %", faults_of.glare(light))
    note("Noise", f"{noise:.1f} of 255", faults_of.noisy(noise, rescaled))
    note("Tilt", faults_of.tilt_text(found), faults_of.tilted(found))
    note("Keystone", faults_of.keystone_text(found), faults_of.keystone(found))
    size = faults_of.sheet_px(scan, found)
    note("Prints up to", faults_of.print_text(size), faults_of.low_ppi(scan, size, ppi, print_mm))
    bits = _depth(scan, original)
    points.append(Point("Bit depth", f"{bits} bit", ""))
    return ScanReport(tuple(sorted(faults, key=lambda f: f.mendable)), tuple(points))


def _light_faults(scan: Pyramid, seen: Plane, inside: Mask) -> LightFaults:
    """The light's faults; of dark paper those that it shows beside its marks."""
    linear = np.asarray(srgb_decode(seen), np.float32)
    if looks_dark(scan):
        grey = grey_of(linear)
        marks = (grey > _LIGHT_MARK * float(np.median(grey))).astype(np.uint8)
        inside = inside & (cv2.dilate(marks, np.ones((9, 9), np.uint8)) == 0)
    return find_light_faults(linear, inside)


# -- looking -------------------------------------------------------------------------------------------------------


def _areas(scan: Pyramid, inside: Mask, px: int) -> list[Plane]:
    """Luma of two bands of full-size pixels through the sheet, across and down, that begin where JPEG blocks do."""
    rows, columns = np.nonzero(inside.any(axis=1))[0], np.nonzero(inside.any(axis=0))[0]
    y, x = int(rows[len(rows) // 2]) * px // 8 * 8, int(columns[len(columns) // 2]) * px // 8 * 8
    left, top = int(columns[0]) * px // 8 * 8, int(rows[0]) * px // 8 * 8
    wide, high = min((int(columns[-1]) + 1) * px - left, 4096), min((int(rows[-1]) + 1) * px - top, 4096)
    out = []
    for box in (Region(left, max(0, y - 256), wide, 512), Region(max(0, x - 256), top, 512, high)):
        box = box.clip(scan.width, scan.height)
        if box.w >= 64 and box.h >= 64:
            out.append(luma_255(encoded_shares(scan.read(0, box))))
    return out


def _worst_quality(original: Original, scan: Pyramid, areas: list[Plane], soft: bool) -> tuple[int, bool]:
    """The lowest JPEG quality the picture ever had, 60 when nothing shows; and whether it was scaled up since."""
    own = quality_of(original.picture) if kind_of(original.picture) == "jpeg" else None
    if own is not None and own < faults_of.LEAST_QUALITY:
        return own, False
    counts = count_coefficients(areas)
    quality, clear = fit_quality(counts)
    if clear >= _CLEAR:
        return quality, False
    quality, clear = fit_faded_quality(counts)
    heavy = min(max(quality, _HEAVY[0]), _HEAVY[1])
    if clear >= _CLEAR_FADED and quality == heavy:
        return quality, True
    grid = smoothed_grid(areas)
    # Two traces that are each too weak tell together what one of them would.
    both = (clear - _NO_FADED) / (_CLEAR_FADED - _NO_FADED) + grid / _GRID
    if grid >= _GRID or (grid > 0 and quality == heavy and both >= _TOGETHER):
        # That it was compressed is sure; to which quality is the best guess.
        return heavy, True
    if soft:
        corner = Region(0, 0, 2048, 1024).clip(scan.width, scan.height)
        luma = luma_255(encoded_shares(scan.read(0, corner)))
        quality, clear = quality_before_scaling(luma, max(scan.width, scan.height))
        if clear >= _CLEAR_SCALED and quality >= 12:
            return quality, True
    return BEST, False


def _depth(scan: Pyramid, original: Original) -> int:
    """Bits that are really used: a picture of few grey levels says 8 bit and has less."""
    part = scan.read(0, Region(0, 0, min(scan.width, 2000), min(scan.height, 2000)))[::5, ::5, 0]
    codes = len(np.unique(part))
    return original.header.bits if codes > 64 else max(1, int(np.ceil(np.log2(max(codes, 2)))))
