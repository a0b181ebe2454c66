"""How soft edges are, and that what a scan's blur took is given back: no less, and no more."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.ink.edge_softness import MOST, PERFECT_PX, SOFT_MARKS, edge_softness, sharpening_for
from woad.core.ink.sharpness import sharpen

Plane = NDArray[np.float32]
FINE = 8  # drawn so much larger


def drawn(thin: bool) -> Plane:
    """True coverage (h, w) 0..1: discs and a ring, or hatching with lines of 1.7 px some 5 px apart."""
    large = np.zeros((320 * FINE, 320 * FINE), np.uint8)
    if thin:
        for i in range(-320, 640, 5):
            x0, x1 = int((i + 0.3) * FINE), int((i + 119.7) * FINE)
            cv2.line(large, (x0, 0), (x1, 320 * FINE), 255, round(1.7 * FINE))
    else:
        for x, y, r in ((70, 80, 40), (200, 90, 55), (110, 230, 60), (245, 235, 30)):
            cv2.circle(large, (int((x + 0.4) * FINE), int((y + 0.7) * FINE)), r * FINE, 255, -1)
        cv2.circle(large, (200 * FINE, 90 * FINE), 25 * FINE, 0, -1)
    return cv2.resize(large, (320, 320), interpolation=cv2.INTER_AREA).astype(np.float32) / 255


def scanned(truth: Plane, blur_px: float, noise: float = 0.01) -> NDArray[np.uint8]:
    soft = cv2.GaussianBlur(truth, (0, 0), blur_px) if blur_px else truth
    rough = soft + np.random.default_rng(4).normal(0, noise, truth.shape) * (soft > 0.03)
    return np.rint(np.clip(rough, 0, 1) * 255).astype(np.uint8)


def off(picture: NDArray[np.uint8], truth: Plane) -> float:
    """Root mean square error at edges."""
    edge = cv2.dilate(((truth > 0.02) & (truth < 0.98)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return float(np.sqrt(np.mean((picture[edge] / 255 - truth[edge]) ** 2)))


@pytest.mark.parametrize("thin", [False, True])
def test_softness_is_a_sixth_of_a_pixel_unless_something_blurred(thin: bool) -> None:
    truth = drawn(thin)
    assert edge_softness([scanned(truth, 0, 0)]) == pytest.approx(PERFECT_PX, rel=0.12)
    soft = [edge_softness([scanned(truth, blur, 0)]) for blur in (0.5, 0.7, 1.0)]
    assert all(isinstance(s, float) for s in soft) and soft == sorted(soft)  # type: ignore[type-var]
    if not thin:  # lines that run into one another lose height as well
        assert soft[2] == pytest.approx(np.sqrt((1 + 1 / 12) / np.pi), rel=0.12)


@pytest.mark.parametrize("thin", [False, True])
@pytest.mark.parametrize("blur", [0.5, 0.7])
def test_what_blur_took_is_given_back(thin: bool, blur: float) -> None:
    """The amount that is chosen makes the error at edges far less, and hardly any other amount makes it less still."""
    truth = drawn(thin)
    scan = scanned(truth, blur)
    amount = sharpening_for([scan])
    assert isinstance(amount, float)
    errors = {a: off(sharpen(scan, a), truth) for a in np.linspace(0, MOST, 11)}
    assert off(sharpen(scan, amount), truth) < 0.55 * errors[0]
    assert off(sharpen(scan, amount), truth) < 1.3 * min(errors.values())


def test_sharp_scans_and_soft_marks_are_left_more_or_less_alone() -> None:
    truth = drawn(False)
    sharp = sharpening_for([scanned(truth, 0)])
    assert isinstance(sharp, float) and sharp < 0.15
    charcoal = sharpening_for([scanned(truth, 4.0)])
    assert charcoal == pytest.approx(SOFT_MARKS)
    assert isinstance(sharpening_for([np.full((320, 320), 30, np.uint8)]), NoEstimate)


def test_faint_grain_is_not_sharpened_but_a_thin_line_gets_its_ink_back() -> None:
    rng = np.random.default_rng(9)
    film = np.clip(rng.normal(30, 2.5, (200, 200)), 0, 255).astype(np.uint8)
    assert float(sharpen(film, 2.0).std()) < 1.5 * float(film.std())  # evenly sharpened it would be 2.5
    line = np.zeros((60, 60), np.float32)
    line[:, 29:31] = 1
    scan = scanned(line, 0.7, 0)
    assert sharpen(scan, 1.2)[30, 29:31].mean() > scan[30, 29:31].mean() + 15
    assert sharpen(scan, 1.2)[:, :25].max() == 0


def test_faint_strokes_keep_their_weight() -> None:
    """A dry stroke's broken grey is made clearer, and hardly heavier."""
    rng = np.random.default_rng(2)
    grain = cv2.GaussianBlur(rng.normal(0, 1, (200, 200)).astype(np.float32), (0, 0), 0.8)
    stroke = np.zeros((200, 200), np.float32)
    stroke[60:140, 20:180] = np.clip(0.25 / grain.std() * grain[60:140, 20:180], 0, 0.35)
    scan = scanned(stroke, 0.7, 0)
    sharp = sharpen(scan, 2.0)
    assert abs(float(sharp.sum()) / float(scan.sum()) - 1) < 0.03
    assert sharp[60:140, 20:180].std() > 1.1 * scan[60:140, 20:180].std()
