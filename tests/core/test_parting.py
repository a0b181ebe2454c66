"""Specks that hang together with a mark by a faint skirt, against known planes."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.spotting.pieces import LEAST, Pieces, blocks_of, find_pieces

Plane8 = NDArray[np.uint8]
PPI = 300.0


def _blurred(ink: Plane8, skirt: Plane8) -> Plane8:
    """Marks as a scan blurs them, with a faint ``skirt`` of compression around them."""
    return np.asarray(cv2.max(cv2.GaussianBlur(ink, (0, 0), 0.6), skirt))


def _line_and_speck() -> tuple[Plane8, tuple[int, int]]:
    """A drawn line, and a speck that hangs on its skirt."""
    ink, skirt = np.zeros((300, 500), np.uint8), np.zeros((300, 500), np.uint8)
    cv2.line(ink, (20, 150), (480, 150), 255, 4)
    cv2.circle(ink, (250, 160), 2, 150, -1)
    cv2.line(skirt, (20, 150), (480, 150), 14, 21)
    return _blurred(ink, skirt), (250, 160)


def _at(pieces: Pieces, x: int, y: int) -> int:
    return int(pieces.labels[y // pieces.block_px, x // pieces.block_px])


def test_a_speck_on_a_lines_skirt_is_a_piece_of_its_own() -> None:
    """A speck that only a faint skirt joins to a line can be judged, and taken, without the line."""
    for block in (1, 2):
        alpha, (x, y) = _line_and_speck()
        pieces = find_pieces(*blocks_of(alpha, block), block, PPI)
        number = _at(pieces, x, y)
        assert number > 0
        assert np.hypot(*(pieces.at[number - 1] - [x, y])) < 1.5
        assert 2 < pieces.size_px[number - 1] < 7
        assert _at(pieces, 250, 150) == -1 and _at(pieces, 100, 150) == -1


def test_a_speck_in_a_wash_stays_a_part_of_it() -> None:
    """What lies in a wash or in shading is no piece: taking it would leave a hole."""
    alpha = np.zeros((300, 500), np.uint8)
    cv2.rectangle(alpha, (50, 50), (450, 250), 70, -1)
    cv2.circle(alpha, (250, 150), 2, 220, -1)
    pieces = find_pieces(alpha, alpha, 1, PPI)
    assert len(pieces) == 0


def test_two_dots_that_touch_faintly_are_two_pieces() -> None:
    """Dots joined by a skirt are parted, every block of them belongs to one of the two, and a lone dot stays one."""
    ink, skirt = np.zeros((200, 200), np.uint8), np.zeros((200, 200), np.uint8)
    for x in (90, 98, 150):
        cv2.circle(ink, (x, 100), 2, 255, -1)
    cv2.line(skirt, (90, 100), (98, 100), 16, 1)
    alpha = _blurred(ink, skirt)
    pieces = find_pieces(alpha, alpha, 1, PPI)
    assert len(pieces) == 3
    assert np.array_equal(pieces.labels > 0, alpha >= LEAST)
    for x, size in zip((90, 98, 150), np.sort(pieces.size_px), strict=True):
        assert np.hypot(*(pieces.at - [x, 100]).T).min() < 1
        assert 4 < size < 7


def test_what_varies_within_a_line_does_not_break_it() -> None:
    """A long pale line with a few darker places is one mark still."""
    alpha = np.zeros((300, 500), np.uint8)
    cv2.line(alpha, (20, 150), (480, 150), 90, 3)
    for x in range(60, 460, 25):
        alpha[149:152, x : x + 3] = 150
    pieces = find_pieces(alpha, alpha, 1, PPI)
    assert len(pieces) == 0
