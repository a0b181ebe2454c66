"""A scanner's black surround: cut away on the sides that have one, and only there."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from captures import image_file, tilted
from woad.core.docket.model import Docket
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import build_pyramid
from woad.core.render.sheet import make_sheet
from woad.core.square.surround import find_surround

SHEET = tilted(0.0)
H, W = SHEET.shape[:2]


def laid(deg: float, right: float, down: float) -> tuple[NDArray[np.uint8], NDArray[np.float64]]:
    """The sheet laid on the glass turned and shifted, under an open lid; and where its corners come to lie."""
    way = cv2.getRotationMatrix2D((W / 2, H / 2), deg, 1)
    way[:, 2] += right, down
    scan = cv2.warpAffine(SHEET, way, (W, H), flags=cv2.INTER_AREA, borderValue=(14, 12, 13))
    corners = np.array([[0, 0], [W, 0], [W, H], [0, H]], np.float64) @ way[:, :2].T + way[:, 2]
    return np.asarray(scan, np.uint8), corners


def off_line(points: NDArray[np.float64], p: NDArray[np.float64], q: NDArray[np.float64]) -> float:
    normal = np.array([p[1] - q[1], q[0] - p[0]]) / np.linalg.norm(q - p)
    return float(np.abs((points - p) @ normal).max())


@pytest.mark.parametrize(
    ("deg", "right", "down", "sides"),
    [
        pytest.param(0, 20, 0, (3,), marks=pytest.mark.proof),
        pytest.param(1.2, 16, -20, (2, 3), marks=pytest.mark.proof),
        (-0.8, -24, 18, (0, 1)),
    ],
)
def test_a_black_surround_is_found_and_cut_away(deg: float, right: float, down: float, sides: tuple[int, ...]) -> None:
    """Its inner edges lie within 1.5 px of the sheet's, and the sheet that is worked on has nothing black along its rim."""
    scan, corners = laid(deg, right, down)
    found = find_surround(scan)
    assert found is not None
    for i in sides:  # top, right, bottom, left
        k = (i + 1) % 4
        assert off_line(found.corners[[i, k]], corners[i], corners[k]) < 1.5
    sheet = make_sheet(take_in("a.png", image_file(scan)), build_pyramid(scan), Docket())
    pixels = sheet.pyramid.whole(0)
    for rim in (pixels[:4], pixels[-4:], pixels[:, :4], pixels[:, -4:]):
        assert rim.min() > 120
    assert pixels.shape[0] > 0.93 * H
    assert pixels.shape[1] > 0.93 * W


def test_what_is_painted_up_to_the_rim_is_no_surround() -> None:
    """A broad black area, a wavy strip and a grey one run off the sheet; a sheet without any of it has no surround either."""
    broad, wavy, grey = SHEET.copy(), SHEET.copy(), SHEET.copy()
    broad[:, : W // 5] = 20
    for y in range(H):
        wavy[y, : 20 + int(8 * np.sin(y / 25))] = 20
    grey[:, :20] = 110
    for picture in (SHEET, broad, wavy, grey):
        assert find_surround(picture) is None
