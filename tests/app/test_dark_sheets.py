"""Light marks on dark and on toned paper, in the window."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from captures import drawn_sheet, shot
from sheets import pixels, png_bytes
from woad.core.raster.transfer import srgb_encode

LEFT = Qt.MouseButton.LeftButton


@pytest.mark.proof
def test_dark_paper_is_told_shown_on_dark_and_written(window, settle, arrive, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """The view lends the dark backing while such a sheet is chosen; the panel says it and can have it otherwise; the file has
    white marks without their paper."""
    ink = 1 - drawn_sheet(400, 480)[..., 0] / 0.86
    light = np.asarray(0.04 + 0.75 * np.clip(ink, 0, 1)[..., None] * np.ones(3), np.float32)
    (tmp_path / "chalk.png").write_bytes(png_bytes(shot(light)))
    (tmp_path / "plain.png").write_bytes(png_bytes(shot(drawn_sheet(400, 480))))
    session, panel = window.session, window.panels["paper"]
    window.open_files([tmp_path / "chalk.png", tmp_path / "plain.png"])
    arrive(window)
    session.change("square.on", False, "as it lies")
    session.go_to("paper")
    settle(window)
    assert session.entry.sheet.readings.negative and session.backing == "dark"
    assert panel.ground.button("auto").text() == "It is dark"
    assert session.entry.thumb.over("white", (0, 0, 0))[5, 5, :3].max() < 60
    QTest.mouseClick(panel.ground.button("light"), LEFT)
    settle(window)
    assert not session.entry.sheet.readings.negative and session.backing == "white"
    session.undo()
    settle(window)
    assert session.backing == "dark"
    session.go_to("editions")
    assert "black paper" in window.editions.ground.text()
    window.write(False)
    settle(window)
    cut = pixels(session.folder / "chalk-cutout.png")
    full, bare = ink > 0.9, ink < 0.05
    assert np.median(cut[..., 3][full]) == 255 and np.median(cut[..., 3][bare]) == 0
    assert cut[..., :3][full & (cut[..., 3] > 250)].min() > 240
    session.choose(1)
    settle(window)
    assert session.backing == "white" and "white paper" in window.editions.ground.text()
    session.look(backing="dark")  # one's own choice is nobody's to take back
    for number in (0, 1):
        session.choose(number)
        settle(window)
        assert session.backing == "dark"


@pytest.mark.proof
def test_white_is_the_lightest_paint_on_toned_paper_or_the_paper(window, settle, arrive, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """Pink and white paint on brown paper are written in their own colours; *White: Paper* makes the pink what it is beside the
    brown, undo takes that back. On white paper nothing is offered."""
    linear = np.ones((480, 400, 3), np.float32) * (0.46, 0.36, 0.24)
    for at, colour in ((60, (0.04, 0.1, 0.3)), (180, (0.7, 0.45, 0.4)), (300, (0.85, 0.84, 0.82))):
        linear[at : at + 100, 90:310] = colour
    (tmp_path / "brown.png").write_bytes(png_bytes(shot(linear)))
    (tmp_path / "plain.png").write_bytes(png_bytes(shot(drawn_sheet(400, 480))))
    window.open_files([tmp_path / "brown.png", tmp_path / "plain.png"])
    arrive(window)
    window.session.change("square.on", False, "as it lies")
    window.session.change("knockout.body", 1.0, "paint")
    QTest.mouseClick(window.bench.tiles["ink"], LEFT)
    settle(window)
    choice = window.panels["ink"].white
    assert choice.isVisible()
    window.editions.overwrite.setChecked(True)

    def pink() -> np.ndarray:
        window.write(False)
        settle(window)
        cut = pixels(window.session.folder / "brown-cutout.png")
        assert cut[200:260, 120:280, 3].min() == 255
        return np.asarray(cut[200:260, 120:280, :3].reshape(-1, 3).mean(axis=0))

    own = srgb_encode(np.array([0.7, 0.45, 0.4], np.float32) / np.array([0.85, 0.84, 0.82], np.float32)) * 255
    assert np.abs(pink() - own).max() < 6
    QTest.mouseClick(choice.button("paper"), LEFT)
    settle(window)
    assert pink().min() > 250
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert np.abs(pink() - own).max() < 6
    QTest.keyClick(window, Qt.Key.Key_PageDown)
    settle(window)
    assert window.session.entry.name == "plain.png"
    assert not choice.isVisible()
