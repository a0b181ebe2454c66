"""Light ink on dark paper, scanned and photographed: the cut-out against truth, beside plain ways on the negative."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from media import draw
from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.ink.curve import encoded_share
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.sheet import make_sheet
from woad.core.render.whole import render_whole
from woad.demo.scanner import Capture, Light, expose, light_field, smooth_noise

Plane = NDArray[np.float32]
PAPERS = {"black": (0.035, 0.034, 0.037), "blue": (0.03, 0.05, 0.13), "brown": (0.09, 0.055, 0.035)}
INKS = {"white": (0.8, 0.8, 0.78), "gold": (0.55, 0.37, 0.1), "pink": (0.75, 0.4, 0.45)}
_CLEAR, _FAINT, _KEPT = 0.1, (4, 8), (0.9, 1.15)  # mean alpha on paper; its 99.9th percentile, scan and photo; ink kept


def _recorded(cover: Plane, paper: Plane, ink: Plane, photo: bool, rng: np.random.Generator) -> NDArray[np.uint8]:
    light = Light(0.25, float(rng.uniform(0, 360)), 0.15) if photo else Light(0.04)
    capture = Capture(0.9, 0.006, 0.3, 90, 0.85) if photo else Capture(0.6, 0.003, 0.0, None, 0.9)
    tooth = 1 + 0.02 * smooth_noise(cover.shape, 2.0, rng)
    linear = [tooth * (paper[c] + (ink[c] - paper[c]) * cover) for c in range(3)]
    return expose(linear, light_field(cover.shape, light) * np.float32(capture.exposure), capture, rng)[0]


def _plain(encoded: NDArray[np.uint8]) -> dict[str, Plane]:
    """Coverage by plain ways: a threshold, and how light a pixel is, stretched from the usual paper to the lightest."""
    grey = cv2.cvtColor(encoded, cv2.COLOR_RGB2GRAY)
    cut = cv2.threshold(grey, 0, 1, cv2.THRESH_BINARY | cv2.THRESH_OTSU)[1]
    low, high = np.percentile(grey, [50, 99.8])
    return {
        "threshold": np.asarray(cut, np.float32),
        "lightness": np.clip((grey.astype(np.float32) - low) / max(high - low, 1), 0, 1).astype(np.float32),
    }


def dark_row(first: int, seeds: int) -> list[str]:
    """Print the row and return the misses."""
    misses: list[str] = []
    for kind in ("scan", "photo"):
        told, rows = 0, {way: [] for way in ("Woad", "threshold", "lightness")}
        for seed in range(first, first + seeds):
            rng = np.random.default_rng(seed)
            flat = draw(("pen", "lettering")[seed % 2], seed, 200)
            assert flat.cover is not None
            paper, ink = (np.array(list(of.values())[int(rng.integers(3))], np.float32) for of in (PAPERS, INKS))
            encoded = _recorded(flat.cover, paper, ink, kind == "photo", rng)
            file = cv2.imencode(".png", encoded[..., ::-1])[1].tobytes()
            docket = starting_docket("pen").with_setting("square.on", False).with_setting("scan.ppi", 200)
            sheet = make_sheet(take_in("dark.png", file), build_pyramid(encoded), docket)
            told += sheet.readings.negative
            planes = render_whole(sheet, starting_docket(sheet.readings.medium).with_setting("square.on", False))
            assert planes.alpha is not None
            near = cv2.dilate((flat.cover > 0.004).astype(np.uint8), np.ones((17, 17), np.uint8)) > 0
            # Coverage as the pixel's share, or as it looks on its own paper: the nearer of both counts.
            truths = flat.cover, encoded_share(flat.cover, 0.02), 1 - encoded_share(1 - flat.cover, 0.02)
            for way, alpha in {"Woad": planes.alpha.astype(np.float32) / 255, **_plain(encoded)}.items():
                off = min(float(np.abs(alpha - truth)[near].mean()) for truth in truths)
                bare = 255 * alpha[~near]
                kept = float(alpha[near].sum() / flat.cover[near].sum())
                rows[way].append((255 * off, bare.mean(), np.percentile(bare, 99.9), kept))
        print(f"  {kind:6s} told as dark paper {told} of {seeds}")
        for way, values in rows.items():
            off, mean, high, kept = np.mean(values, axis=0)
            print(
                f"    {way:10s} off near marks {off:5.1f}, paper left {mean:6.3f}, 99.9 % {high:5.1f}, ink kept {kept:.3f}"
            )
        ours, best = np.array(rows["Woad"]), min(np.mean(rows[way], axis=0)[0] for way in ("threshold", "lightness"))
        bars = (
            (told == seeds, f"{seeds - told} sheets are not told"),
            (ours[:, 0].mean() < best, f"off near marks {ours[:, 0].mean():.1f}, plain {best:.1f}"),
            (ours[:, 1].max() <= _CLEAR, f"paper left {ours[:, 1].max():.3f} (bar {_CLEAR})"),
            (ours[:, 2].max() <= _FAINT[kind == "photo"], f"paper left, 99.9 % {ours[:, 2].max():.1f}"),
            (_KEPT[0] <= ours[:, 3].min() and ours[:, 3].max() <= _KEPT[1],
             f"ink kept {ours[:, 3].min():.3f} to {ours[:, 3].max():.3f} (bar {_KEPT})"),
        )  # fmt: skip
        misses += [f"dark, {kind}: {text}" for ok, text in bars if not ok]
    return misses
