"""The Scan step tells what the scanner sharpened, takes it back, and lets it be when asked."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from captures import image_file
from sheets import colour_scan
from woad.demo.scanner import sharpened

LEFT = Qt.MouseButton.LeftButton


def test_sharpening_is_gone_from_the_file_unless_it_is_kept(window, settle, arrive, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """The report marks it as mended; *Kept* brings it back into the written file, undo takes it off again. Where nothing was
    sharpened nothing is offered."""
    plain, path = tmp_path / "plain.png", tmp_path / "sheet.png"
    plain.write_bytes(image_file(colour_scan().encoded))
    path.write_bytes(image_file(sharpened(colour_scan().encoded, 2.0, 1.6)))
    window.open_files([plain])
    arrive(window)
    QTest.mouseClick(window.bench.tiles["scan"], LEFT)
    settle(window)
    panel = window.panels["scan"]
    assert not panel.sharpening.isVisible()
    window.open_files([path])
    arrive(window)
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_PageDown)
    settle(window)
    assert window.session.entry.name == "sheet.png"
    assert panel.points.rows["sharpened"].state == "mends"
    assert panel.sharpening.isVisible()
    window.editions.overwrite.setChecked(True)

    def paper() -> np.ndarray:
        window.write(False)
        settle(window)
        return cv2.imread(str(window.session.folder / "sheet-paper.png"))[..., ::-1].astype(int)

    def unrest(image: np.ndarray) -> float:
        """How the pale blue, even in truth, varies."""
        return float(image[130:290, 310:450].std(axis=(0, 1)).mean())

    before = paper()
    QTest.mouseClick(panel.sharpening.button(False), LEFT)
    settle(window)
    assert unrest(paper()) > 1.5 * unrest(before)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert np.array_equal(paper(), before)
