"""Line drawings coloured in with felt pens, a little or a lot: which colours are kept, and what is left of the paper."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.color import deltaE_ciede2000, rgb2lab

import nine
from media import Flat
from nine import LIGHTS, captured
from nine_rows import opened
from woad.core.docket.media import starting_docket
from woad.core.editions.picture import paper_picture
from woad.core.raster.transfer import srgb_encode
from woad.core.render.whole import render_whole
from woad.core.units import mm_to_px
from woad.demo.scanner import smooth_noise

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]
W_MM, H_MM, PPI = 120, 160, 220
PAPERS = ((0.86, 0.86, 0.85), (0.85, 0.81, 0.7), (0.88, 0.89, 0.92))
FELT = ((0.55, 0.78, 0.9), (0.95, 0.8, 0.35), (0.93, 0.55, 0.45), (0.62, 0.82, 0.5), (0.8, 0.62, 0.82), (0.45, 0.62, 0.85),
        (0.7, 0.88, 0.86), (0.95, 0.7, 0.4))  # fmt: skip
FILLED = {"a spot": (1, 2), "a few": (3, 4), "most": (6, 8)}
PLAIN = {"threshold": nine.threshold, "brightness": nine.brightness, "divided": nine.divided}
_KEPT = 6.0  # CIEDE2000 from truth within which a colour is kept
_LEFT = 0.1  # mean alpha of clear paper, of 255, at most


def _outline(centre: NDArray[np.float64], radius: float, rng: np.random.Generator) -> NDArray[np.int32]:
    turn = np.linspace(0, 2 * np.pi, 60)
    reach = radius * (1 + 0.2 * np.sin(2 * turn + rng.uniform(0, 6)) + 0.12 * np.sin(3 * turn + rng.uniform(0, 6)))
    return np.rint((centre + np.column_stack([np.cos(turn), np.sin(turn)]) * reach[:, None]) * 16).astype(np.int32)


def _streaked(fill: Plane, wobble: Plane, mottle: Plane, rng: np.random.Generator) -> Plane:
    """How much ink lies in an area gone over in strokes that overlap, by place."""
    h, w = fill.shape
    y, x = np.mgrid[:h, :w].astype(np.float32)
    lean, pitch = rng.uniform(0, np.pi), mm_to_px(rng.uniform(2.5, 5), PPI)
    across = x * np.cos(lean) + y * np.sin(lean) + mm_to_px(0.3, PPI) * wobble
    twice = cv2.GaussianBlur((across % pitch < 0.2 * pitch).astype(np.float32), (0, 0), mm_to_px(0.12, PPI))
    return np.asarray(fill * (0.85 + 0.3 * twice) * (1 + 0.03 * mottle))


def draw(filled: int, rng: np.random.Generator) -> tuple[Flat, list[Mask]]:
    """A drawing of eight outlines and of strokes across, ``filled`` of the outlines coloured in; and where each fill lies
    by itself."""
    shape = h, w = round(mm_to_px(H_MM, PPI)), round(mm_to_px(W_MM, PPI))
    ink, art = np.zeros(shape, np.uint8), np.ones((h, w, 3), np.float32)
    areas, noise = [], [smooth_noise(shape, mm_to_px(size, PPI), rng) for size in (6, 0.3)]
    for k, at in enumerate(rng.permutation(8)):
        centre = np.array([0.28 + 0.44 * (at % 2), 0.15 + 0.23 * (at // 2)]) * (w, h) + rng.normal(
            0, mm_to_px(3, PPI), 2
        )
        outline = _outline(centre, mm_to_px(rng.uniform(6, 12), PPI), rng)
        cv2.polylines(ink, [outline], True, 255, round(mm_to_px(0.5, PPI)), cv2.LINE_AA, 4)
        if k < filled:
            area = cv2.fillPoly(np.zeros(shape, np.uint8), [outline], 255, cv2.LINE_AA, 4).astype(np.float32) / 255
            depth = np.log(np.array(FELT[rng.integers(len(FELT))], np.float32))
            art *= np.exp(depth * _streaked(area, *noise, rng)[..., None])
            areas.append(area)
    share = np.linspace(0, 1, 60)[:, None]
    for _ in range(rng.integers(6, 20)):
        bends = rng.uniform((0.08 * w, 0.08 * h), (0.92 * w, 0.92 * h), (3, 2))
        curve = (1 - share) ** 2 * bends[0] + 2 * share * (1 - share) * bends[1] + share**2 * bends[2]
        thick = max(1, round(mm_to_px(rng.uniform(0.3, 0.6), PPI)))
        cv2.polylines(ink, [np.rint(curve * 16).astype(np.int32)], False, 255, thick, cv2.LINE_AA, 4)
    art *= 1 - 0.97 * ink[..., None] / np.float32(255)
    clear = cv2.dilate(ink, np.ones((9, 9))) == 0
    alone = [(cv2.erode(one, np.ones((9, 9))) == 1) & (np.sum(areas, axis=0) < 1.5) & clear for one in areas]
    tone = PAPERS[rng.integers(len(PAPERS))]
    grain = 1 + 0.005 * smooth_noise(shape, 1.3, rng) + 0.004 * smooth_noise(shape, 6, rng)
    marks = art.min(axis=2) < 0.98
    return Flat("pen", art * grain[..., None] * np.array(tone, np.float32), marks, PPI, art, tone), alone


def felt_row(first: int, seeds: int) -> list[str]:
    """Print the row and return the misses. Each sheet is opened as a user would: nobody says what it is."""
    misses, far = [], np.ones((13, 13), np.uint8)
    for amount, (least, most) in FILLED.items():
        off: dict[str, list[float]] = {way: [] for way in ("Woad", *PLAIN)}
        left, told = [], []
        for seed in range(first, first + seeds):
            for light in LIGHTS:
                rng = np.random.default_rng((seed, LIGHTS.index(light), least))
                flat, fills = draw(int(rng.integers(least, most + 1)), rng)
                sheet = captured(flat, flat.linear, light, seed, rng)
                loaded = opened(sheet)
                planes = render_whole(loaded, starting_docket(loaded.readings.medium).with_setting("square.on", False))
                assert planes.alpha is not None
                pictures = {
                    "Woad": paper_picture(planes) / 255.0,
                    **{way: plain(sheet).white for way, plain in PLAIN.items()},
                }
                truth = srgb_encode(flat.art)
                for way, picture in pictures.items():
                    for fill in fills:
                        seen, true = (np.median(one[fill], axis=0) for one in (picture, truth))
                        off[way].append(float(deltaE_ciede2000(rgb2lab(seen), rgb2lab(true))))
                left.append(float(planes.alpha[cv2.dilate(flat.marks.astype(np.uint8), far) == 0].mean()))
                told.append(loaded.readings.medium)
        lost = [value for value in off["Woad"] if value > _KEPT]
        print(f"  {amount:8s} colours kept {len(off['Woad']) - len(lost)} of {len(off['Woad'])}; dE2000 "
              + ", ".join(f"{way} {np.mean(values):.1f}" for way, values in off.items())
              + f"; paper left {np.mean(left):.3f}, at most {max(left):.3f}; told "
              + ", ".join(f"{medium} {told.count(medium)}" for medium in sorted(set(told))))  # fmt: skip
        if lost:
            misses.append(f"felt, {amount}: {len(lost)} of {len(off['Woad'])} colours lost, worst {max(lost):.1f}")
        misses += [f"felt, {amount}: paper left {one:.3f} of 255 (bar {_LEFT})" for one in left if one > _LEFT]
    return misses
