"""Paintings in opaque paint on toned paper, some of it lighter than the paper: colours and cut-out against truth, beside
colours balanced by the paper and a plain cut."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.color import deltaE_ciede2000, rgb2lab

from art import blob, paper_of
from scan_rows import Misses, check, png, spread
from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.raster.compositing import over
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.transfer import srgb_encode
from woad.core.render.sheet import make_sheet
from woad.core.render.whole import render_whole
from woad.core.units import mm_to_px
from woad.demo.canvas import Canvas
from woad.demo.scanner import Capture, Light, expose, light_field, smooth_noise

Plane = NDArray[np.float32]

_W_MM, _H_MM, _PPI = 130.0, 170.0, 200.0
_PAPERS = {"grey": (0.6, 0.6, 0.58), "kraft": (0.52, 0.41, 0.28), "blue": (0.36, 0.43, 0.5), "sand": (0.66, 0.58, 0.44),
           "cream": (0.8, 0.74, 0.6), "rose": (0.8, 0.62, 0.6)}  # fmt: skip
_LAMPS = ((1.0, 1.0, 1.0), (1.0, 0.93, 0.8))
_WHITE = np.array([0.88, 0.87, 0.84], np.float32)
_GROUND = (201, 70, 56)


@dataclass(frozen=True)
class Seen:
    """Of one sheet: whether it was ``told`` as opaque paint, how far its colours are ``off`` (mean CIEDE2000) and were if
    balanced by the ``paper``, how much of light paint is ``kept``, the mean alpha ``left`` on paper, and how far the cut-out
    over a bright ground is off truth beside a ``cut`` by a threshold of distance to the paper's colour, steps of 255."""

    told: bool
    off: float
    paper: float
    kept: float
    left: float
    over: float
    cut: float


def _draw(rng: np.random.Generator, paper: tuple[float, float, float]) -> tuple[Plane, Plane, Plane, NDArray[np.bool_]]:
    """Linear light of the sheet and of its paints alone (h, w, 3), what they cover (h, w), and where they are light."""
    canvas = Canvas(_W_MM, _H_MM, _PPI, 2)
    shape = canvas.height_px, canvas.width_px
    sheet = paper_of(shape, paper, 0.01, _PPI, rng)
    art, cover, light = np.zeros((*shape, 3), np.float32), np.zeros(shape, np.float32), np.zeros(shape, bool)
    for i in range(int(rng.integers(6, 10))):
        one = Canvas(_W_MM, _H_MM, _PPI, 2)
        place = rng.uniform(0.28, 0.72) * _W_MM, rng.uniform(0.25, 0.75) * _H_MM
        one.polygon(blob(rng, *place, rng.uniform(9, 22)))
        colour = _WHITE if i == 3 else rng.uniform(0.02, 0.75, 3) ** 1.2
        brushed = colour * (1 + 0.03 * smooth_noise(shape, mm_to_px(0.8, _PPI), rng))[..., None]
        laid = one.coverage()
        for plane in (sheet, art):
            plane *= 1 - laid[..., None]
            plane += laid[..., None] * brushed
        cover = laid + cover * (1 - laid)
        light = (light & (laid < 0.02)) | ((laid > 0.98) if i == 3 else np.zeros(shape, bool))
    return sheet, art, np.asarray(cover, np.float32), light


def _job(job: tuple[str, int]) -> Seen:
    name, seed = job
    rng = np.random.default_rng(seed * 41 + list(_PAPERS).index(name))
    sheet, art, cover, light = _draw(rng, _PAPERS[name])
    lamp = np.array(_LAMPS[seed % 2], np.float32)
    phone = rng.random() < 0.5
    capture = Capture(0.9, 0.006, 0.2, 90, 0.82) if phone else Capture(0.6, 0.004, 0.0, None, 0.9)
    lit = Light(rng.uniform(0.1, 0.3), rng.uniform(0, 360), 0.1) if phone else Light(0.04)
    field = light_field(cover.shape, lit) * capture.exposure * lamp
    scan = expose([sheet[..., c] for c in range(3)], np.asarray(field, np.float32), capture, rng)[0]
    own = starting_docket("gouache").with_setting("square.on", False).with_setting("scan.ppi", _PPI)
    ready = make_sheet(take_in("toned.png", png(scan)), build_pyramid(scan), own)
    planes, by_paper = (render_whole(ready, own.with_setting("ink.white", white)) for white in ("auto", "paper"))
    assert planes.alpha is not None and planes.rgb is not None and by_paper.rgb is not None
    # Where no white was laid bare the lamp is not told: truth is then as the lamp shows it.
    true = srgb_encode(np.clip(art / np.maximum(cover, 1e-3)[..., None] / _WHITE, 0, 1))
    inside = np.flatnonzero(cv2.erode((cover > 0.99).astype(np.uint8), np.ones((7, 7), np.uint8)))[::17]

    def off(rgb: NDArray[np.uint8]) -> float:
        pair = (plane.reshape(-1, 3)[inside] for plane in (true, rgb / 255))
        return float(np.mean(deltaE_ciede2000(*(rgb2lab(one) for one in pair))))

    ground = np.array(_GROUND, np.float32)
    truth = true * 255 * cover[..., None] + ground * (1 - cover[..., None])
    paper = np.median(scan[cover < 0.01], axis=0)
    cut = (np.abs(scan - paper).max(axis=2) > 40).astype(np.uint8) * np.uint8(255)
    near = cv2.dilate((cover > 0.05).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    results = [np.abs(over(*one, _GROUND) - truth)[near].mean() for one in ((planes.rgb, planes.alpha), (scan, cut))]
    clear = cv2.dilate((cover > 0).astype(np.uint8), np.ones((15, 15), np.uint8)) == 0
    kept = float(planes.alpha[light].mean() / 255) if light.sum() > 200 else 1.0
    told = ready.readings.medium == "gouache"
    return Seen(told, off(planes.rgb), off(by_paper.rgb), kept, float(planes.alpha[clear].mean()), *map(float, results))


def toned_row(first: int, sheets: int) -> Misses:
    """Print the row and return the misses."""
    misses: Misses = []
    for name in _PAPERS:
        seen = spread(_job, [(name, seed) for seed in range(first, first + sheets)])
        mean = {field: float(np.mean([getattr(one, field) for one in seen])) for field in Seen.__dataclass_fields__}
        print(
            f"  {name}: told as paint {mean['told']:.0%} of {sheets}; colours off {mean['off']:.1f} dE2000, "
            f"balanced by the paper {mean['paper']:.1f}; white kept {mean['kept']:.3f}; paper left {mean['left']:.2f}; "
            f"over bright {mean['over']:.1f}, plain cut {mean['cut']:.1f}"
        )
        misses += check(
            (mean["off"] <= 2, f"toned, {name}: colours {mean['off']:.1f} (bar 2.0)"),
            (mean["kept"] >= 0.95, f"toned, {name}: white paint kept {mean['kept']:.3f} (bar 0.95)"),
            (mean["left"] <= 0.1, f"toned, {name}: paper left {mean['left']:.2f} (bar 0.1)"),
            (mean["over"] < mean["cut"], f"toned, {name}: over bright {mean['over']:.1f}, plain {mean['cut']:.1f}"),
        )
    return misses
