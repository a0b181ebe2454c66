"""The Scan step tells what the scanner or lens did of its own, takes it back, and lets it be when asked."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from captures import drawn_sheet, image_file, shot
from sheets import colour_scan
from woad.demo.scanner import laid_apart, sharpened

LEFT = Qt.MouseButton.LeftButton
Image = np.ndarray


def unrest(paper: Image) -> float:
    """How the pale blue, even in truth, varies."""
    return float(paper[130:290, 310:450].std(axis=(0, 1)).mean())


def rims(paper: Image) -> float:
    """How far apart the channels are, where only black is drawn on paper."""
    return float(np.ptp(paper[:410], axis=2).mean())


def painted() -> Image:
    """Black drawing with blue and red paint below it: where black is all there is, it is written without any colour."""
    sheet = drawn_sheet(420, 560)
    sheet[430:520, 60:190], sheet[430:520, 230:360] = (0.1, 0.2, 0.6), (0.6, 0.1, 0.1)
    return shot(sheet)


@pytest.mark.proof
@pytest.mark.parametrize(
    ("code", "row", "plain", "spoil", "seen"),
    [
        pytest.param(
            "sharpened", "sharpening", colour_scan().encoded, lambda image: sharpened(image, 2.0, 1.6), unrest,
        ),
        ("colours_apart", "rims", painted(), lambda image: laid_apart(image, (0.0, 1.0)), rims),
    ],
)  # fmt: skip
def test_it_is_gone_from_the_file_unless_it_is_kept(  # type: ignore[no-untyped-def]
    window, settle, arrive, tmp_path: Path, code: str, row: str, plain: Image, spoil: Callable[[Image], Image],
    seen: Callable[[Image], float],
) -> None:  # fmt: skip
    """The report marks it as mended; *Kept* brings it back into the written file, undo takes it off again. Where nothing was
    done nothing is offered."""
    before_it, path = tmp_path / "plain.png", tmp_path / "sheet.png"
    before_it.write_bytes(image_file(plain))
    path.write_bytes(image_file(spoil(plain)))
    window.open_files([before_it])
    arrive(window)
    QTest.mouseClick(window.bench.tiles["scan"], LEFT)
    settle(window)
    panel = window.panels["scan"]
    choice = getattr(panel, row)
    assert not choice.isVisible()
    window.open_files([path])
    arrive(window)
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_PageDown)
    settle(window)
    assert window.session.entry.name == "sheet.png"
    assert panel.points.rows[code].state == "mends"
    assert choice.isVisible()
    window.editions.overwrite.setChecked(True)

    def paper() -> Image:
        window.write(False)
        settle(window)
        return cv2.imread(str(window.session.folder / "sheet-paper.png"))[..., ::-1].astype(int)

    before = paper()
    QTest.mouseClick(choice.button(False), LEFT)
    settle(window)
    assert seen(paper()) > 1.5 * seen(before)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert np.array_equal(paper(), before)
