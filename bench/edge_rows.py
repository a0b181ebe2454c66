"""Rows for thin strokes and edges: how much darkness hairlines keep in the cut-out, what a choke leaves of them, bumps."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.docket.media import starting_docket
from woad.core.edge.shape import Moves, reshape
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.sheet import make_sheet
from woad.core.render.whole import render_whole
from woad.demo.scanner import Capture, Light, Paper, record

WIDTHS = (1.0, 1.25, 1.5, 1.75, 2.0)


def _drawn(size: int, polygons: list[NDArray[np.float64]]) -> NDArray[np.uint8]:
    big = np.zeros((size * 8, size * 8), np.uint8)
    for polygon in polygons:
        cv2.fillPoly(big, [np.rint(polygon * 8 * 16).astype(np.int32)], 255, cv2.LINE_8, 4)
    return np.asarray(cv2.resize(big, (size, size), interpolation=cv2.INTER_AREA))


def _bar(x: float, y: float, length: float, width: float, turn: float) -> NDArray[np.float64]:
    u = np.array([np.cos(turn), np.sin(turn)]) * length / 2
    v = np.array([-np.sin(turn), np.cos(turn)]) * width / 2
    return np.array([x, y]) + np.array([-u - v, u - v, u + v, -u + v])


def edges_row(first: int) -> list[str]:
    """Print the rows and return the misses."""
    misses: list[str] = []
    rng = np.random.default_rng(first)
    size = 720
    places = [
        (float(rng.uniform(90, size - 90)), float(rng.uniform(90, size - 90)), float(rng.uniform(0, np.pi)))
        for _ in range(40)
    ]
    lines = [_bar(x, y, 110, WIDTHS[i % 5], turn) for i, (x, y, turn) in enumerate(places)]
    cover = _drawn(size, [*lines, _bar(60, 60, 80, 80, 0.2)]).astype(np.float32) / 255
    scan = record(cover, (0.04, 0.04, 0.042), 300, Paper(), Light(0.04), Capture(0.55, 0.003), rng)
    sheet = make_sheet(
        take_in("lines.png", cv2.imencode(".png", scan.encoded[..., ::-1])[1].tobytes()), build_pyramid(scan.encoded)
    )
    docket = starting_docket("pen").with_setting("square.on", False).with_setting("scan.ppi", 300)
    alpha = render_whole(sheet, docket).alpha
    assert alpha is not None
    for width in WIDTHS:
        where = (
            cv2.dilate(
                _drawn(size, [b for i, b in enumerate(lines) if WIDTHS[i % 5] == width]), np.ones((9, 9), np.uint8)
            )
            > 0
        )
        where &= (
            cv2.dilate(
                _drawn(size, [b for i, b in enumerate(lines) if WIDTHS[i % 5] != width]), np.ones((9, 9), np.uint8)
            )
            == 0
        )
        kept = float(alpha[where].sum(dtype=np.float64)) / 255 / max(float(cover[where].sum()), 1e-6)
        print(f"  hairlines of {width} px: {kept:.3f} of their darkness kept")
        if kept < 0.98:
            misses.append(f"edges: hairlines of {width} px keep {kept:.3f} of their darkness (bar 0.98)")
    misses += _choke(lines)
    return misses + _bumps(rng)


def _choke(lines: list[NDArray[np.float64]]) -> list[str]:
    worst = 1.0
    for line in lines:
        alpha = _drawn(720, [line])
        left = reshape(alpha, Moves(-1.0, True, 0, 0))
        a, b = (line[0] + line[3]) / 2, (line[1] + line[2]) / 2
        at = (a + (b - a) * np.linspace(0.01, 0.99, 400)[:, None] - 0.5).astype(np.float32)
        # A hairline goes on where it is seen within half a pixel of its middle.
        seen = [
            cv2.remap(p.astype(np.float32), at[None, :, 0], at[None, :, 1], cv2.INTER_LINEAR)[0]
            for p in (cv2.dilate(alpha, np.ones((2, 2), np.uint8)), cv2.dilate(left, np.ones((2, 2), np.uint8)))
        ]
        worst = min(worst, float((seen[1] > 64).sum()) / max(float((seen[0] > 64).sum()), 1))
    print(f"  choke by 1 px: the worst of {len(lines)} hairlines keeps {worst:.3f} of its length")
    return (
        [] if worst >= 0.95 else [f"edges: a hairline keeps {worst:.3f} of its length after a choke of 1 px (bar 0.95)"]
    )


def _bumps(rng: np.random.Generator) -> list[str]:
    out = []
    for grain in (1.2, 2.0):
        x = np.arange(0, 300 * 8) / 8
        bumps = cv2.GaussianBlur(rng.normal(size=(1, x.size)).astype(np.float32), (0, 0), grain * 8)[0]
        line = np.column_stack([x, 150 + 0.7 * bumps / bumps.std()])
        alpha = _drawn(300, [np.vstack([line, [[300, 300], [0, 300]]])])

        def off(a: NDArray[np.uint8]) -> float:
            return float((a[90:210, 30:-30].astype(float).sum(axis=0) / 255).std())

        share = off(reshape(alpha, Moves(0, True, 7.0, 0))) / off(alpha)
        print(f"  smooth 7 px: bumps of grain {grain} px are {share:.2f} of what they were")
        if share > 0.5:
            out.append(f"edges: bumps of grain {grain} px are {share:.2f} of what they were (bar 0.5)")
    for turn in (0.0, 0.35, np.pi / 4):
        square = _drawn(240, [_bar(120, 120, 110, 110, turn)])
        tip = _bar(120, 120, 110, 110, turn)[2]
        along = (tip - 120) / np.hypot(*(tip - 120))
        at = (tip - 0.5 + np.arange(-8, 3, 0.05)[:, None] * along).astype(np.float32)
        one, two = (
            cv2.remap(p.astype(np.float32), at[None, :, 0], at[None, :, 1], cv2.INTER_LINEAR)[0]
            for p in (square, reshape(square, Moves(0, True, 7.0, 0)))
        )
        back = float((one - two).sum()) * 0.05 / 255
        print(f"  smooth 7 px: a corner of 90 degrees turned by {np.degrees(turn):.0f} is drawn back by {back:.2f} px")
        if back >= 1:
            out.append(f"edges: a corner is rounded by {back:.2f} px (bar 1)")
    return out
