"""Reduced views of coloured marks: a line narrower than a pixel covers what it covers at full size."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from sheets import png_bytes
from woad.core.docket.media import starting_docket
from woad.core.formats.read import take_in
from woad.core.raster.compositing import over
from woad.core.raster.pyramid import build_pyramid
from woad.core.raster.tiles import Region
from woad.core.raster.transfer import srgb_encode
from woad.core.render.region import render_region
from woad.core.render.sheet import make_sheet
from woad.core.render.whole import render_whole

BLACK = (0, 0, 0)


PENS = ((0.02, 0.02, 0.03), (0.6, 0.03, 0.04))
CHALKS = ((0.85, 0.84, 0.82), (0.5, 0.64, 0.8))


def two_pens(paper: tuple[float, float, float], colours: tuple[tuple[float, float, float], ...] = PENS) -> np.ndarray:
    """Lines of two pens, 3 and 4 px wide, and two patches, (900, 1200, 3) uint16, as a scanner sees them."""
    rng = np.random.default_rng(4)
    linear = np.full((900, 1200, 3), paper, np.float32)
    for colour, thick in zip(colours, (3, 4), strict=True):
        cover = np.zeros((900, 1200), np.uint8)
        cv2.circle(cover, (300 + 150 * thick, 600), 60, 255, -1, cv2.LINE_AA)
        for _ in range(40):
            start, end = rng.uniform(60, 840, 2), rng.uniform(60, 840, 2)
            cv2.line(cover, *(tuple(int(v) for v in place) for place in (start, end)), 255, thick, cv2.LINE_AA)
        share = cover[..., None] / np.float32(255)
        linear += share * (np.array(colour, np.float32) - linear)
    linear = cv2.GaussianBlur(linear, (0, 0), 0.8) + rng.normal(0, 0.003, linear.shape).astype(np.float32)
    return np.rint(srgb_encode(np.clip(linear, 0, 1)) * 65535).astype(np.uint16)


@pytest.mark.parametrize(
    ("kind", "level", "most"),
    [
        ("plain", 1, 8),
        ("plain", 2, 12),
        ("plain", 3, 26),
        ("turned", 2, 12),
        ("16 bit", 2, 12),
        ("cream", 2, 12),
        ("kraft", 2, 16),
    ],
)
def test_thin_lines_of_a_reduced_view_are_as_dark_over_black_as_at_full_size(
    kind: str, level: int, most: float
) -> None:
    """Taken for paint of the tone that its pixels have, it were light grey there."""
    paper = {"cream": (0.8, 0.72, 0.55), "kraft": (0.42, 0.3, 0.19)}.get(kind, (0.86, 0.85, 0.83))
    encoded = two_pens(paper, CHALKS if kind == "kraft" else PENS)
    if kind != "16 bit":
        encoded = (encoded >> 8).astype(np.uint8)
    settings = starting_docket("watercolour").with_setting("square.on", False)
    if kind == "turned":
        settings = settings.with_setting("square.on", True).with_setting("square.straighten", 7.0)
    sheet = make_sheet(
        take_in("pens.png", png_bytes(encoded[:8, :8].astype(np.uint8))), build_pyramid(encoded), settings
    )
    planes = render_whole(sheet, settings)
    assert planes.rgb is not None and not sheet.readings.one_ink
    by, (w, h) = 1 << level, sheet.pyramid.size(level)
    picture = render_region(sheet, settings, "knockout", level, Region(0, 0, w, h))
    whole = over(planes.rgb, planes.alpha, BLACK)[: planes.rgb.shape[0] // by * by, : planes.rgb.shape[1] // by * by]
    truth = cv2.resize(whole, (w, h), interpolation=cv2.INTER_AREA).astype(int)
    assert isinstance(picture.rgb, np.ndarray) and picture.alpha is not None
    seen = over(picture.rgb, picture.alpha, BLACK).astype(int)
    marks = picture.alpha > 40
    assert (seen - truth).max(axis=2)[marks].mean() < most
    assert (truth - seen).max(axis=2)[marks].mean() < most
