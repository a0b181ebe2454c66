"""Binding holes along a sketchbook's side go; dots that were drawn, and what touches a hole, stay."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from sheets import sheet_of, strokes
from woad.core.docket.media import starting_docket
from woad.core.render.whole import render_whole
from woad.core.spotting.holes import binding_holes

W, H, MM = 800, 1100, 5.0


def row_of_boxes(x: float, lean: float = 0.0, rng: np.random.Generator | None = None) -> np.ndarray:
    """Boxes of holes 20 px large, 45 px apart; at random places along their line with ``rng``."""
    y = np.arange(40, H - 40, 45) if rng is None else np.sort(rng.uniform(40, H - 40, 23))
    return np.stack([x + lean * y, y, np.full(len(y), 20), np.full(len(y), 20)], axis=1).astype(np.int32)


@pytest.mark.parametrize("side", ["left", "right", "top"])
def test_a_row_of_holes_is_told_on_any_side(side: str) -> None:
    """A leaning one too, with one hole hidden by a mark, and with other marks near; nothing else is."""
    row = np.delete(row_of_boxes(15 if side != "right" else W - 40, 0.01), 6, axis=0)
    marks = np.array([[30, 300, 60, 12], [20, 620, 12, 50], [400, 500, 20, 20], [W - 90, 700, 20, 20]], np.int32)
    box = np.concatenate([row, marks])
    size = (W, H)
    if side == "top":
        box, size = box[:, [1, 0, 3, 2]], (H, W)
    assert binding_holes(box, *size, MM).tolist() == [True] * len(row) + [False] * len(marks)


def test_drawn_dots_are_no_holes() -> None:
    """Rows on two sides are a frame of dots; dots at no pitch, few of them, or far from the side are none either."""
    rng = np.random.default_rng(1)
    frame = np.concatenate([row_of_boxes(15), row_of_boxes(W - 40)])
    for box in (frame, row_of_boxes(15, rng=rng), row_of_boxes(15)[:7], row_of_boxes(200), row_of_boxes(15)[:0]):
        assert not binding_holes(box, W, H, MM).any()


def test_the_holes_of_a_sketchbook_page_are_not_written() -> None:
    rng = np.random.default_rng(4)
    page = np.full((1000, 760), 225, np.float32) + rng.normal(0, 1.2, (1000, 760))
    ink = cv2.GaussianBlur(strokes((1000, 760), 12, rng), (0, 0), 0.7).astype(np.float32) / 255
    ink[:, :80] = 0
    page = page * (1 - 0.85 * ink)
    for y in range(30, 990, 44):
        cv2.circle(page, (24, y), 11, 35.0, -1, cv2.LINE_AA)
        cv2.line(page, (0, y - 5), (22, y), 90.0, 5, cv2.LINE_AA)
    docket = starting_docket("pen").with_setting("square.on", False).with_setting("scan.ppi", 150)
    planes = render_whole(sheet_of(np.repeat(page.clip(0, 255).astype(np.uint8)[..., None], 3, axis=2)), docket)
    assert planes.alpha is not None
    assert planes.alpha[:, :40].max() < 12
    assert (planes.alpha[ink > 0.9] > 200).mean() > 0.99
