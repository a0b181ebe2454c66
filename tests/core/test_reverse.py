"""What shows through from the reverse side goes; a pen's own pale lines stay, and so does all ink."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from sheets import noisy, sheet_of, strokes
from woad.core.docket.media import starting_docket
from woad.core.render.sheet import Sheet
from woad.core.render.whole import render_whole

H, W = 900, 700
PAPER = np.array([0.84, 0.82, 0.76], np.float32)
Plane = NDArray[np.float32]


def lines(seed: int, thick: int) -> Plane:
    own = strokes((H, W), 14, np.random.default_rng(seed))
    return np.asarray(cv2.dilate(own, np.ones((thick, thick), np.uint8)) / np.float32(255), np.float32)


@pytest.fixture(scope="module")
def ink() -> Plane:
    return lines(2, 3)


def drawn(ink: Plane, behind: Plane, depth: float, blur: float) -> Sheet:
    """Ink, and faint marks as from behind, blurred by so many px."""
    soft = cv2.GaussianBlur(behind, (0, 0), blur)
    return sheet_of(noisy(PAPER * (1 - depth * soft[..., None]) * (1 - 0.95 * ink[..., None])))


def alpha_of(sheet: Sheet, **paper: float) -> NDArray[np.uint8]:
    docket = starting_docket("pen")
    for name, value in paper.items():
        docket = docket.with_setting(f"paper.{name}", value)
    alpha = render_whole(sheet, docket).alpha
    assert alpha is not None
    return alpha


@pytest.mark.parametrize("depth", [pytest.param(0.08, marks=pytest.mark.proof), 0.2])
def test_soft_faint_marks_from_behind_go_and_ink_stays(ink: Plane, depth: float) -> None:
    """Found with about their own depth; nothing is left of them but beside ink; ink is as on plain paper; set to 0 by hand they
    stay."""
    behind = lines(9, 7)[:, ::-1]
    sheet, plain = drawn(ink, behind, depth, 2.2), drawn(ink, 0 * behind, depth, 2.2)
    assert plain.readings.reverse == 0
    assert depth < sheet.readings.reverse < 2 * depth
    apart = (behind > 0.5) & (cv2.dilate(ink, np.ones((15, 15))) == 0)
    assert apart.sum() > 3000
    alpha = alpha_of(sheet)
    assert np.percentile(alpha[apart], 99.5) == 0
    assert alpha_of(sheet, blotches=0)[apart].mean() > 8
    inner = cv2.erode(ink, np.ones((3, 3))) > 0.99
    assert abs(float(alpha[inner].mean()) - float(alpha_of(plain)[inner].mean())) < 1


def test_pale_lines_as_crisp_as_the_ink_stay(ink: Plane) -> None:
    """Thinned ink, or a pen that runs dry, is pale without being soft."""
    pale = lines(9, 4)
    sheet = drawn(ink, pale, 0.2, 0.6)
    assert sheet.readings.reverse == 0
    apart = (pale > 0.5) & (cv2.dilate(ink, np.ones((15, 15))) == 0)
    assert alpha_of(sheet)[apart].mean() > 20


def test_a_graphite_drawing_keeps_its_soft_tones(ink: Plane) -> None:
    """A pencil's docket starts with none taken off, whatever is read of the sheet."""
    tones = lines(9, 7)[:, ::-1]
    sheet = drawn(ink, tones, 0.2, 2.2)
    assert sheet.readings.reverse > 0
    alpha = render_whole(sheet, starting_docket("pencil")).alpha
    assert alpha is not None
    assert alpha[(tones > 0.5) & (cv2.dilate(ink, np.ones((15, 15))) == 0)].mean() > 15
