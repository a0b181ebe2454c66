"""A pile higher than memory: what rests looks, comes back and is written as if it had been there all the time."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from sheets import SHADOW, colour_scan, pen_scan, pixels, png_bytes


@pytest.fixture
def pile(window, settle, tmp_path: Path):  # type: ignore[no-untyped-def]
    """Three sheets, and room for none but the chosen one."""
    paths = []
    for name, scan in (("buoy", colour_scan()), ("crane", pen_scan()), ("crane-dim", pen_scan(SHADOW))):
        paths.append(tmp_path / f"{name}.png")
        paths[-1].write_bytes(png_bytes(scan.encoded[:300, :360]))
    window.complete()
    window.session.go_to("ink")  # nothing is looked over for strays before they are asked for
    window.desk.keeper.room = 0
    window.open_files(paths)
    settle(window)
    return window


def rests(window) -> list[bool]:  # type: ignore[no-untyped-def]
    return [entry.sheet is None for entry in window.session.entries]


def test_what_rests_is_seen_on_the_pile_and_comes_back_as_it_was(pile, settle) -> None:  # type: ignore[no-untyped-def]
    """Its thumbnail follows the backing; its settings, undo and picture are there when it is chosen again."""
    assert rests(pile) == [False, True, True]
    assert [entry.state for entry in pile.session.entries] == ["ready"] * 3
    item = pile.pile.items[1]
    assert item.picture[2, 2, :3].min() > 250
    QTest.keyClick(pile.view, Qt.Key.Key_3)
    assert item.picture[2, 2, :3].max() < 60
    QTest.keyClick(pile.view, Qt.Key.Key_1)
    QTest.mouseClick(item, Qt.MouseButton.LeftButton)
    settle(pile)
    assert rests(pile) == [True, False, True]
    pile.session.turn("right")
    pile.session.change("knockout.softness", 0.1, "Softness")
    settle(pile)
    before, size = pile.view.grab().toImage(), pile.session.entry.sheet.full_size
    pile.session.choose(0)
    settle(pile)
    assert rests(pile) == [False, True, True]
    QTest.keyClick(pile.view, Qt.Key.Key_3)  # pictures of the sheet before are still being made then
    QTest.keyClick(pile.view, Qt.Key.Key_1)
    pile.session.choose(1)
    assert pile.view.frame is None and pile.bench.tiles["ink"].pictures is None
    soft = pile.view.grab().toImage().pixelColor(pile.view.width() // 2, 40)
    assert min(soft.getRgb()[:3]) > 240  # its thumbnail, white there, and not the view's grey
    settle(pile)
    assert pile.session.entry.sheet.full_size == size
    assert pile.view.grab().toImage() == before
    pile.session.undo()
    assert pile.session.docket.knockout.softness is None
    assert pile.session.docket.square.turn == 90


@pytest.mark.proof
def test_what_rests_is_written_with_its_settings(pile, settle) -> None:  # type: ignore[no-untyped-def]
    """The files of the whole pile are the same whether sheets rest or not, and the pile says that they are written."""
    pile.session.choose(1)
    settle(pile)
    pile.session.turn("right")
    pile.session.change("ink.boldness", 0.4, "Boldness")
    pile.write(False)
    settle(pile)
    cutout = pile.session.folder / "crane-cutout.png"
    before = pixels(cutout)
    cutout.unlink()
    pile.session.choose(2)
    settle(pile)
    assert rests(pile) == [True, True, False]
    pile.editions.overwrite.setChecked(True)
    pile.write(True)
    settle(pile)
    np.testing.assert_array_equal(pixels(cutout), before)
    assert [entry.state for entry in pile.session.entries] == ["written"] * 3
    assert rests(pile) == [True, True, False]


@pytest.mark.proof
def test_the_sheet_that_is_looked_at_does_not_wait_for_the_others(window, settle, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """The first of many files is there in full before another one is read, and so is one that is chosen meanwhile."""
    for number in range(5):
        (tmp_path / f"knots-{number}.png").write_bytes(png_bytes(pen_scan().encoded[:300, :400]))
    window.complete()
    window.session.go_to("ink")
    order: list[int] = []

    def note() -> None:
        for at, entry in enumerate(window.session.entries):
            if at not in order and entry.sheet is not None and entry.sheet.settled:
                order.append(at)
                if order == [0]:
                    assert all(other.sheet is None for other in window.session.entries[1:])
                    window.session.choose(3)

    window.session.pile_changed.connect(note)
    window.open_files(sorted(tmp_path.glob("knots-*.png")))
    settle(window)
    assert order == [0, 3, 1, 2, 4]
