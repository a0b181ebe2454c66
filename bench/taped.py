"""Sheets held down by strips of masking tape, scanned, photographed close and on a board: what of the tape is left."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from media import ALL, Flat, draw
from scan_rows import png
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.formats.read import take_in
from woad.core.render.sheet import Sheet, load_sheet
from woad.core.render.whole import render_whole
from woad.demo.scanner import Capture, Light, expose, light_field, smooth_noise

Plane = NDArray[np.float32]
CAPTURES = ("scan", "close photo", "board")
LAID = ("across corners", "from the sides", "any way")
PPI = 180.0
_LEFT = 0.1  # bar: of 255, mean, as on clear paper
_MEDIA = [medium for medium in ALL if medium != "print"]  # on paper as yellow as tape it is not looked for
TAPES = ((0.82, 0.72, 0.5), (0.78, 0.6, 0.36), (0.86, 0.78, 0.6), (0.72, 0.58, 0.38))
BOARDS = ((0.2, 0.13, 0.08), (0.1, 0.1, 0.11), (0.08, 0.2, 0.17), (0.42, 0.3, 0.17))


@dataclass(frozen=True, eq=False)
class Taped:
    """``encoded`` (h, w, 3) capture of a drawing ``flat``, laid ``at`` (x, y) px in it; ``tape`` (h, w) its coverage."""

    encoded: NDArray[np.uint8]
    flat: Flat
    at: tuple[int, int]
    tape: Plane


def _strip(
    rng: np.random.Generator, at: NDArray[np.float64], deg: float, long: float, wide: float
) -> NDArray[np.float64]:
    """Outline of a strip with straight sides and torn ends, px, its middle ``at``."""
    n = max(round(wide / 3), 4)
    y = np.linspace(-wide / 2, wide / 2, n)
    ends = [np.cumsum(rng.normal(0, 0.05 * wide / n**0.5, n)) + rng.normal(0, 0.02 * wide, n) for _ in range(2)]
    left, right = np.column_stack([-long / 2 + ends[0], y]), np.column_stack([long / 2 + ends[1], y])
    a = np.deg2rad(deg)
    turn = np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]])
    return np.concatenate([left, right[::-1]]) @ turn + at


def strips(
    rng: np.random.Generator, shape: tuple[int, int], box: tuple[int, int, int, int], mm: float, how: str
) -> Plane:
    """Coverage (h, w) of tape that holds the sheet in ``box`` (x, y, w, h) of a picture; ``mm`` px to one."""
    x, y, w, h = box
    mask = np.zeros(shape, np.uint8)
    wide = rng.uniform(12, 25) * mm
    for k, (cx, cy) in enumerate(((x, y), (x + w, y), (x + w, y + h), (x, y + h))):
        this = how if how != "any way" else str(rng.choice(LAID[:2]))
        inward = np.array([1 if k in (0, 3) else -1, 1 if k in (0, 1) else -1])
        long = rng.uniform(35, 60) * mm
        if this == "across corners":
            middle = np.array([cx, cy]) + inward * rng.uniform(0.0, 0.5) * wide
            deg = (-45 if k % 2 == 0 else 45) - rng.normal(0, 7)
        else:
            along = rng.random() < 0.5
            reach = rng.uniform(0.25, 0.45) * long
            off = rng.uniform(0.6, 1.6) * wide
            middle = np.array([cx, cy]) + inward * (
                np.array([reach - long / 2, off]) if along else np.array([off, reach - long / 2])
            )
            deg = (0 if along else 90) + rng.normal(0, 5)
        outline = _strip(rng, middle, deg, long, wide)
        cv2.fillPoly(mask, [np.rint(outline * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    return np.asarray(cv2.GaussianBlur(mask.astype(np.float32) / 255, (0, 0), 0.7))


def taped(medium: str, seed: int, how: str, capture: str, ppi: float = PPI) -> Taped:
    rng = np.random.default_rng(seed * 613 + 7 * len(how) + len(capture))
    flat = draw(medium, seed, ppi, True)
    mm = ppi / 25.4
    linear, at = flat.linear, (0, 0)
    h, w = linear.shape[:2]
    if capture == "board":
        edge = round(rng.uniform(14, 30) * mm)
        board = np.array(BOARDS[rng.integers(len(BOARDS))], np.float32)
        tall, broad = h + 2 * edge, w + 2 * edge
        streaks = 1 + 0.12 * cv2.GaussianBlur(smooth_noise((tall, broad), 3, rng), (0, 0), 25, sigmaY=0.5)
        ground = board * streaks[..., None]
        shade = np.zeros((tall, broad), np.float32)
        shade[edge : edge + h, edge : edge + w] = 1
        ground = ground * (1 - 0.3 * cv2.GaussianBlur(shade, (0, 0), 0.8 * mm))[..., None]
        ground[edge : edge + h, edge : edge + w] = linear
        linear, at = np.asarray(ground, np.float32), (edge, edge)
    shape = linear.shape[:2]
    cover = strips(rng, shape, (*at, w, h), mm, how)
    # It lies on top, lets a little through, and throws a shadow as thin as itself.
    colour = np.array(TAPES[rng.integers(len(TAPES))], np.float32)
    crepe = 1 + 0.04 * smooth_noise(shape, 1.2, rng) + 0.02 * smooth_noise(shape, 12, rng)
    through = rng.uniform(0.05, 0.25)
    top = colour * crepe[..., None] * (1 - through + through * linear / np.float32(0.87))
    shadow = np.roll(cv2.GaussianBlur(cover, (0, 0), 0.15 * mm), (1, 1), (0, 1))
    linear = linear * (1 - 0.12 * shadow)[..., None]
    linear = np.asarray(linear + (top - linear) * cover[..., None], np.float32)
    if capture == "scan":
        light, shot = Light(0.04), Capture(0.6, 0.003, 0.0, None, 0.92)
    else:
        light = Light(rng.uniform(0.1, 0.3), rng.uniform(0, 360), 0.1)
        shot = Capture(0.8, 0.006, 0.3, 91, 0.85)
    field = light_field(shape, light) * np.float32(shot.exposure)
    encoded, _ = expose([linear[..., c] for c in range(3)], field, shot, rng)
    return Taped(encoded, flat, at, cover)


def taped_row(first: int, seeds: int) -> list[str]:
    """Print the row and return the misses."""
    misses = []
    print(f"\ntape: left of it and of the paper around, of 255, worst of {seeds}; pieces that were found on sheets")
    for capture in CAPTURES:
        left, high, found, there = [], [], 0, 0
        for seed in range(first, first + seeds):
            rng = np.random.default_rng(seed)
            one = taped(str(rng.choice(_MEDIA)), seed, str(rng.choice(LAID)), capture)
            sheet = load_sheet(take_in("taped.png", png(one.encoded)), Docket().with_setting("scan.ppi", PPI))
            docket = starting_docket(sheet.readings.medium).with_setting("scan.ppi", PPI)
            alpha = render_whole(sheet, docket).alpha
            assert alpha is not None
            bare = _bare(one, sheet)
            left.append(float(alpha[bare].mean()))
            high.append(float(np.percentile(alpha[bare], 99.9)))
            found += len(sheet.found.tape)
            there += 4
        print(f"  {capture:12s} left {max(left):.2f} (99.9 % {max(high):.0f}), found {found} of {there}")
        misses += [f"tape, {capture}: {value:.2f} left (bar {_LEFT})" for value in left if value > _LEFT]
    return misses


def _bare(one: Taped, sheet: Sheet) -> NDArray[np.bool_]:
    """Where on the squared sheet there is tape, or paper near it, and no mark."""
    w, h = sheet.full_size
    y, x = np.mgrid[0:h, 0:w]
    at = sheet.frame.to_scan(np.stack([x + 0.5, y + 0.5], axis=-1, dtype=np.float64)) - 0.5
    marks = np.zeros(one.tape.shape, np.uint8)
    (left, top), (tall, broad) = one.at, one.flat.art.shape[:2]
    marks[top : top + tall, left : left + broad] = one.flat.art.reshape(tall, broad, -1).min(axis=2) < 0.98
    near = cv2.dilate((one.tape > 0.02).astype(np.uint8), np.ones((41, 41), np.uint8))
    bare = near & (cv2.dilate(marks, np.ones((9, 9), np.uint8)) ^ 1)
    return cv2.remap(bare, at[..., 0].astype(np.float32), at[..., 1].astype(np.float32), cv2.INTER_NEAREST) > 0
