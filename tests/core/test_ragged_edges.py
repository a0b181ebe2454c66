"""Ragged edges of opaque paint on a sharpened photo: no light rim in their bays, no colour that belongs to no mark."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from sheets import sheet_of
from woad.core.docket.media import starting_docket
from woad.core.knockout.fringe import fringe_pixels
from woad.core.raster.compositing import over
from woad.core.render.sheet import Sheet
from woad.core.render.whole import render_whole

PAPER, BLUE = np.array((214, 208, 196), np.float32), np.array((52, 92, 124), np.float32)
DOCKET = starting_docket("gouache").with_setting("square.on", False).with_setting("scan.ppi", 200)


@pytest.fixture(scope="module", params=[3, 4])
def sheet(request: pytest.FixtureRequest) -> Sheet:
    """A disc whose edge a dry brush has torn over a few pixels, blurred, sharpened and saved as a JPEG."""
    rng = np.random.default_rng(request.param)
    h, w = 420, 420
    y, x = np.mgrid[:h, :w]
    torn = 9 * cv2.GaussianBlur(rng.normal(0, 1, (h, w)), (0, 0), 1.3)
    cover = np.clip(130 + torn - np.hypot(x - w / 2, y - h / 2) + 0.5, 0, 1).astype(np.float32)[..., None]
    picture = cv2.GaussianBlur(PAPER * (1 - cover) + BLUE * cover, (0, 0), 0.9) + rng.normal(0, 1.2, (h, w, 3))
    picture += 0.5 * (picture - cv2.GaussianBlur(picture, (0, 0), 1.6))
    file = cv2.imencode(".jpg", np.clip(picture, 0, 255).astype(np.uint8)[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 90])[1]
    photo = np.ascontiguousarray(cv2.imdecode(file, cv2.IMREAD_COLOR)[..., ::-1])
    return sheet_of(photo)


@pytest.mark.parametrize("edge", [{}, {"edge.move": 1.5}, {"edge.smooth": 4.0}])
def test_nothing_at_the_edge_is_lighter_than_the_paint(sheet: Sheet, edge: dict[str, float]) -> None:
    """Over black: an opaque pixel in which paper is mixed shows as a white dot there, and a faint one's own colour, spread,
    as one of any hue."""
    docket = DOCKET
    for path, value in edge.items():
        docket = docket.with_setting(path, value)
    cut = render_whole(sheet, docket)
    assert cut.rgb is not None and cut.alpha is not None
    inside = cv2.erode((cut.alpha == 255).astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
    lightest = np.percentile(cut.rgb[inside], 99.9, axis=0)
    beyond = (over(cut.rgb, cut.alpha, (0, 0, 0)).astype(int) - lightest).max(axis=2)
    assert inside.sum() > 20_000 and np.count_nonzero(beyond > 24) < 20
    assert cut.alpha[inside].min() == 255


def test_a_lossy_files_coarse_colour_leaves_no_fringe(sheet: Sheet) -> None:
    cut = render_whole(sheet, DOCKET)
    assert cut.rgb is not None and cut.alpha is not None
    fringe, edge = fringe_pixels(cut.rgb, cut.alpha)
    assert edge > 1500 and np.count_nonzero(fringe) < 0.002 * edge
