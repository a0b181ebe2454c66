"""Drawings in coloured pencils of several colours, rubbed over a paper's tooth: the cut-out against truth, beside plain ways."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.raster.compositing import over
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.sheet import make_sheet
from woad.core.render.whole import render_whole
from woad.core.units import mm_to_px
from woad.demo.scanner import Capture, Light, expose, light_field, smooth_noise

Plane = NDArray[np.float32]
W_MM, H_MM, PPI = 110, 80, 250
PAPERS = ((0.88, 0.88, 0.86), (0.86, 0.82, 0.72), (0.55, 0.54, 0.52))
PIGMENTS = ((0.62, 0.08, 0.07), (0.75, 0.48, 0.12), (0.1, 0.22, 0.6), (0.12, 0.42, 0.16), (0.35, 0.14, 0.5),
            (0.92, 0.78, 0.12), (0.25, 0.26, 0.3), (0.9, 0.5, 0.55), (0.45, 0.7, 0.88))  # fmt: skip
_FILLS = 0.5  # pressed from so hard on, it fills the tooth and may be told as paint
GROUNDS = {"black": (0, 0, 0), "bright": (201, 70, 56), "white": (255, 255, 255)}


def _hatched(shape: tuple[int, int], centre: NDArray[np.float64], force: float, rng: np.random.Generator) -> Plane:
    """How hard a pencil was pressed, (h, w): a blob hatched to and fro in one direction, and gone over once more."""
    px = mm_to_px(1, PPI)
    turn = np.linspace(0, 2 * np.pi, 40)
    radius = mm_to_px(13, PPI) * (1 + 0.12 * np.sin(3 * turn + rng.uniform(0, 6)))
    outline = centre + np.column_stack([np.cos(turn), np.sin(turn)]) * radius[:, None]
    blob = cv2.fillPoly(np.zeros(shape, np.uint8), [np.rint(outline).astype(np.int32)], 1)
    out = np.zeros(shape, np.float32)
    for lean in rng.uniform(0, np.pi) + np.array([0, 0.25]):
        along, across = np.array([np.cos(lean), np.sin(lean)]), np.array([-np.sin(lean), np.cos(lean)])
        lines = np.zeros(shape, np.uint8)
        for aside in np.arange(-16 * px, 16 * px, 0.5 * px):
            ends = [centre + along * way * 16 * px + across * (aside + rng.normal(0, 0.12 * px)) for way in (-1, 1)]
            a, b = (tuple(np.rint(end * 16).astype(int).tolist()) for end in ends)
            cv2.line(lines, a, b, int(255 * rng.uniform(0.5, 1)), max(1, round(0.42 * px)), cv2.LINE_AA, 4)
        out += cv2.GaussianBlur(lines * blob, (0, 0), 0.08 * px).astype(np.float32) / 255
    return np.asarray(force * out)


def draw(rng: np.random.Generator, force: float) -> tuple[Plane, Plane]:
    """Reflectance (h, w, 3) on ideal paper, and coverage (h, w)."""
    shape = round(mm_to_px(H_MM, PPI)), round(mm_to_px(W_MM, PPI))
    tooth = 0.62 * smooth_noise(shape, mm_to_px(0.14, PPI), rng) + 0.55 * smooth_noise(shape, mm_to_px(0.32, PPI), rng)
    hill = 1 / (1 + np.exp(-1.7 * tooth))
    linear, bare = np.ones((*shape, 3), np.float32), np.ones(shape, np.float32)
    for k, pigment in enumerate(rng.permutation(PIGMENTS)):
        centre = np.array([0.2 + 0.3 * (k // 2 % 3), 0.28 + 0.44 * (k // 6)]) * shape[::-1]
        pressed = _hatched(shape, centre + rng.normal(0, mm_to_px(3, PPI), 2), force, rng)
        # On the hills first; into the valleys only under pressure.
        laid = 0.6 * np.clip((1.25 * pressed - 0.75 * hill) * 2, 0, 1) + 0.4 * np.clip(1.25 * pressed - 0.1, 0, 1)
        laid = np.clip(laid * (pressed > 0.004), 0, 0.97).astype(np.float32)
        linear *= 1 - laid[..., None] * (1 - pigment.astype(np.float32))
        bare *= 1 - laid
    return linear, np.asarray(1 - bare)


def _recorded(linear: Plane, photo: bool, rng: np.random.Generator) -> NDArray[np.uint8]:
    light = Light(0.2, 40, 0.12, 0.25, 0.75) if photo else Light(0.04)
    capture = Capture(0.9, 0.007, 0.3, 90, 0.8) if photo else Capture(0.6, 0.004, 0.0, None, 0.9)
    shape = linear.shape[:2]
    grain = 1 + 0.012 * smooth_noise(shape, 1.3, rng) + 0.006 * smooth_noise(shape, 6, rng)
    field = light_field(shape, light) * np.array(PAPERS[int(rng.integers(len(PAPERS)))], np.float32) * capture.exposure
    return expose([linear[..., c] * grain for c in range(3)], np.asarray(field, np.float32), capture, rng)[0]


def _plain(white: NDArray[np.uint8]) -> dict[str, NDArray[np.uint8]]:
    """Alphas of plain ways on Woad's own even picture over white: what is left between them is the knock-out's."""
    grey = cv2.cvtColor(white, cv2.COLOR_RGB2GRAY)
    cut = cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY_INV | cv2.THRESH_OTSU)[1]
    return {"threshold": np.asarray(cut, np.uint8), "brightness": np.asarray(255 - grey, np.uint8)}


def crayons_row(first: int, seeds: int) -> list[str]:
    """Print the row and return the misses."""
    misses: list[str] = []
    for force in (0.25, 0.4, 0.6):
        named, off = [], {(way, name): [] for way in ("Woad", "threshold", "brightness") for name in GROUNDS}
        for seed in range(first, first + seeds):
            rng = np.random.default_rng(seed)
            linear, cover = draw(rng, force)
            encoded = _recorded(linear, bool(seed % 2), rng)
            file = cv2.imencode(".png", encoded[..., ::-1])[1].tobytes()
            docket = starting_docket("pencil").with_setting("square.on", False).with_setting("scan.ppi", PPI)
            sheet = make_sheet(take_in("pencils.png", file), build_pyramid(encoded), docket)
            named.append(sheet.readings.medium == "pencil")
            planes = render_whole(sheet, starting_docket(sheet.readings.medium).with_setting("square.on", False))
            assert planes.alpha is not None and planes.rgb is not None
            white = over(planes.rgb, planes.alpha, GROUNDS["white"])
            ways = {"Woad": (planes.rgb, planes.alpha), **{name: (white, a) for name, a in _plain(white).items()}}
            at = cv2.dilate((cover > 0.05).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
            for name, ground in GROUNDS.items():
                behind = srgb_decode(np.array(ground, np.float32) / 255)
                truth = srgb_encode(np.clip(linear - (1 - cover[..., None]) * (1 - behind), 0, 1)) * 255
                for way, (rgb, alpha) in ways.items():
                    off[way, name].append(float(np.abs(over(rgb, alpha, ground).astype(float) - truth)[at].mean()))
        text = "; ".join(
            f"{name} "
            + ", ".join(f"{way} {np.mean(off[way, name]):.1f}" for way in ("Woad", "threshold", "brightness"))
            for name in GROUNDS
        )
        print(f"  pressed {force:.2f}: told as pencil {sum(named)} of {len(named)}; off truth over {text}")
        for name in ("black", "bright"):
            best = min(float(np.mean(off[way, name])) for way in ("threshold", "brightness"))
            if np.mean(off["Woad", name]) > best:
                misses.append(
                    f"crayons, pressed {force}: over {name} {np.mean(off['Woad', name]):.1f}, plain {best:.1f}"
                )
        if force < _FILLS and not all(named):
            misses.append(f"crayons, pressed {force}: {len(named) - sum(named)} of {len(named)} are not told as pencil")
    return misses
