"""The demo job and its simulators: shipped files open, drawings are repeatable, truth is what was scanned."""

from __future__ import annotations

import numpy as np
import pytest

from woad.core.formats.read import open_original
from woad.core.render.sheet import glance_sheet, load_sheet
from woad.demo.canvas import Canvas, smooth_path
from woad.demo.job import demo_files
from woad.demo.lettering import draw_lettering
from woad.demo.scanner import Capture, Light, Paper, light_field, record

PAINTINGS = ("buoy", "mackerel", "mackerel-by-messenger")


@pytest.mark.proof
def test_shipped_sheets_open_at_a_glance() -> None:
    """Ten files, each under 3 MB and with paper to go by; drawings are one ink, paintings are colour."""
    files = demo_files()
    assert len(files) == 10
    for path in files:
        assert path.stat().st_size < 3_000_000
        readings = glance_sheet(open_original(path)).readings
        assert readings.light_doubt is None
        assert readings.one_ink == (path.stem not in PAINTINGS)


@pytest.mark.proof
def test_shipped_sheets_are_taken_for_what_they_are() -> None:
    """Measured in full, each is taken for its own medium."""
    media = []
    for path in demo_files():
        sheet = load_sheet(open_original(path))
        assert sheet.readings.light_doubt is None
        media.append(sheet.readings.medium)
        if path.stem not in ("boat", "signature"):  # coloured pencil, or blue ink: the medium says what they are
            assert sheet.readings.one_ink == (path.stem not in PAINTINGS)
    assert media == [
        "pen", "lettering", "pencil", "gouache", "tracing", "watercolour", "blue-pencil", "watercolour", "print", "signature",
    ]  # fmt: skip


@pytest.mark.proof
def test_a_seed_gives_the_same_drawing_and_another_seed_another() -> None:
    """Benches can be repeated, and have sheets that nobody has seen."""
    first, again, other = (draw_lettering(40, seed, 1).coverage for seed in (3, 3, 4))
    np.testing.assert_array_equal(first, again)
    assert np.abs(first - other).mean() > 1e-3
    assert 0 <= first.min() <= first.max() <= 1


def test_a_stroke_covers_its_width() -> None:
    """A straight stroke of 1 mm covers one square millimetre per millimetre, give or take a pixel of soft edge."""
    canvas = Canvas(40, 20, 300)
    canvas.stroke(smooth_path(np.array([[5.0, 10.0], [20.0, 10.0], [35.0, 10.0]])), 1.0)
    area = float(canvas.coverage().sum()) / (300 / 25.4) ** 2
    assert area == pytest.approx(30 + np.pi / 4, rel=0.09)


def test_a_recording_holds_its_truth() -> None:
    """Without noise and blur a scan is field times (1 - coverage + coverage x ink), within rounding."""
    coverage = np.zeros((64, 80), np.float32)
    coverage[20:40, 20:60] = 0.5
    rng = np.random.default_rng(0)
    scan = record(coverage, (0.1, 0.1, 0.1), 300, Paper((0.8, 0.8, 0.8), 0.0), Light(0.2), Capture(0.0, 0.0), rng)
    from woad.core.raster.transfer import srgb_decode

    seen = srgb_decode(scan.encoded.astype(np.float32) / 255) / scan.field
    wanted = 1 - coverage * 0.9
    assert np.abs(seen.mean(axis=2) - wanted).max() < 0.01


def test_a_shadow_has_a_soft_edge_of_its_width() -> None:
    """Full light on one side, the stated loss on the other, and no step between neighbours."""
    light = light_field(
        (400, 600), Light(0.0, shadow=0.5, shadow_at=0.5, shadow_deg=0, penumbra=0.2, shadow_tint=(1, 1, 1))
    )
    row = light[200, :, 0]
    assert row[0] == pytest.approx(1, abs=0.03)
    assert row[-1] == pytest.approx(0.5, abs=0.03)
    assert np.abs(np.diff(row)).max() < 0.01
