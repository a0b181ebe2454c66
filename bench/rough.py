"""Rough papers lit from the side: what is left of their relief, what is kept of the marks, and which medium is told."""

from __future__ import annotations

from collections import defaultdict

import cv2
import numpy as np
from numpy.typing import NDArray

import nine
from media import draw
from nine_rows import measure, opened, woad
from woad.core.units import mm_to_px
from woad.demo.scanner import smooth_noise

Plane = NDArray[np.float32]
PPI = 200
# How much its relief changes the light from place to place, natural log (rms).
PAPERS = {"cold-pressed": (0.015, 0.03), "rough": (0.03, 0.05), "laid": (0.01, 0.025), "canvas": (0.025, 0.05)}
MEDIA = ("pen", "pencil", "lettering", "blue-pencil", "watercolour", "gouache", "signature")
LIGHTS = ("flatbed", "falloff", "flatbed", "shadow")
PLAIN = {"threshold": nine.threshold, "brightness": nine.brightness, "divided": nine.divided}
_LEFT = 0.1  # mean alpha of clear paper, of 255, at most


def height(kind: str, shape: tuple[int, int], rng: np.random.Generator) -> Plane:
    """A paper's relief (h, w), of unit variance: felt's pits, a mould's wires, or threads over and under each other."""
    px, (h, w) = mm_to_px(1, PPI), shape
    y, x = np.mgrid[:h, :w].astype(np.float32)
    if kind == "laid":
        wires = np.sin(2 * np.pi * (y + 0.12 * px * smooth_noise(shape, 8 * px, rng)) / (rng.uniform(0.8, 1.2) * px))
        chains = np.exp(
            -((((x + 0.2 * px * smooth_noise(shape, 12 * px, rng)) % (25 * px) - 12 * px) / (0.4 * px)) ** 2)
        )
        out = wires + 0.8 * chains + 0.5 * smooth_noise(shape, 0.5 * px, rng)
    elif kind == "canvas":
        pitch = rng.uniform(0.7, 1.1) * px
        across, down = (2 * np.pi * (at + 0.1 * px * smooth_noise(shape, 10 * px, rng)) / pitch for at in (x, y))
        over = np.cos(across) * np.where(np.cos(down) > 0, 1, 0.3) + np.cos(down) * np.where(np.cos(across) > 0, 0.3, 1)
        out = over + 0.4 * smooth_noise(shape, 0.4 * px, rng)
    else:
        size = rng.uniform(1.2, 1.8) if kind == "rough" else rng.uniform(0.6, 0.9)
        out = sum(
            share * smooth_noise(shape, part * size * px, rng) for share, part in ((1, 1), (0.6, 0.5), (0.35, 0.25))
        )
    return np.asarray((out - out.mean()) / out.std(), np.float32)


def relief(kind: str, rms: float, shape: tuple[int, int], rng: np.random.Generator) -> Plane:
    """Light that falls on a rough paper from one side, (h, w) around 1: slopes that face it are lighter."""
    tall, turn = height(kind, shape, rng), rng.uniform(0, 2 * np.pi)
    calm = cv2.GaussianBlur(tall, (0, 0), 0.8)
    slope = cv2.Sobel(calm, cv2.CV_32F, 1, 0) * np.cos(turn) + cv2.Sobel(calm, cv2.CV_32F, 0, 1) * np.sin(turn)
    return np.asarray(1 + rms * slope / slope.std() + 0.25 * rms * tall, np.float32)


def rough_row(first: int, seeds: int) -> list[str]:
    """Print the row and return the misses. Cut-outs are of the true medium's starting values."""
    told: dict[str, list[bool]] = defaultdict(list)
    rows: dict[tuple[str, str, str], list[float]] = defaultdict(list)
    wrong = []
    for seed in range(first, first + seeds):
        for medium in MEDIA:
            flat = draw(medium, seed, PPI)
            for (kind, (least, most)), light in zip(PAPERS.items(), LIGHTS, strict=True):
                rng = np.random.default_rng((seed, MEDIA.index(medium), list(PAPERS).index(kind)))
                lit = relief(kind, float(rng.uniform(least, most)), flat.marks.shape, rng)
                on_paper = np.asarray(flat.linear * lit[..., None], np.float32)
                sheet = nine.captured(flat, on_paper, light, seed, rng)
                loaded = opened(sheet)
                told[kind].append(loaded.readings.medium == medium)
                if not told[kind][-1]:
                    wrong.append(f"{medium} on {kind} ({seed}) as {loaded.readings.medium}")
                answers = {"Woad": woad(sheet, loaded)[0], **{way: plain(sheet) for way, plain in PLAIN.items()}}
                for way, answer in answers.items():
                    for name, value in measure(sheet, answer).items():
                        rows[kind, way, name].append(value)
    misses = []
    for kind in PAPERS:
        print(f"  {kind:12s} media told {sum(told[kind])} of {len(told[kind])}")
        for name in ("paper left, mean", "paper left, 99.9 %", "edge over white", "whole over white", "faint kept"):
            means = {way: float(np.mean(rows[kind, way, name])) for way in ("Woad", *PLAIN)}
            print(f"    {name:20s}" + ", ".join(f"{way} {mean:.3f}" for way, mean in means.items()))
            if "over white" in name and means["Woad"] > min(means[way] for way in PLAIN):
                misses.append(f"rough: {name} on {kind} {means['Woad']:.2f}, a plain way's is less")
        left = rows[kind, "Woad", "paper left, mean"]
        misses += [f"rough: paper left on {kind} {one:.3f} of 255 (bar {_LEFT})" for one in left if one > _LEFT]
    for text in wrong:
        print("    told", text)
    return misses
