"""Takes named, flipped and forgotten; strays decided by kind; tools that refuse, each in one sentence."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from sheets import noisy, png_bytes
from woad.app import handwork, straywork, takes

LEFT = Qt.MouseButton.LeftButton


def drawn(specks: int, frame: bool = True) -> np.ndarray:
    """A drawn frame with a few strokes, and specks strewn inside it."""
    rng = np.random.default_rng(6)
    cover = np.zeros((840, 1120), np.float32)
    if frame:
        cv2.rectangle(cover, (40, 40), (1080, 800), 1.0, 3)
        cv2.line(cover, (60, 770), (1060, 720), 1.0, 4, cv2.LINE_AA)
    for _ in range(specks):
        at = (int(rng.integers(70, 1050)), int(rng.integers(60, 690)))
        cv2.circle(cover, at, 1, float(rng.uniform(0.2, 0.6)), -1, cv2.LINE_AA)  # dust is thin, now more, now less
    return noisy(np.repeat((1 - cover * 0.96)[..., None], 3, axis=2))


@pytest.fixture
def desk(window, settle, arrive, tmp_path: Path):  # type: ignore[no-untyped-def]
    """The window with the drawn sheet, a list of what it said, in the Ink step."""
    path = tmp_path / "drawn.png"
    path.write_bytes(png_bytes(drawn(8)))
    window.open_files([path])
    arrive(window)
    window.session.change("square.on", False, "x")
    window.session.go_to("ink")
    settle(window)
    said: list[str] = []
    window.session.refused.connect(said.append)
    return window, said


def press(window, settle, button) -> None:  # type: ignore[no-untyped-def]
    QTest.mouseClick(button, LEFT)
    settle(window)


def test_takes_are_named_put_on_and_forgotten(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """A name of one's own is taken, an empty one is refused and the old one stays; what is forgotten is gone for good."""
    window, said = desk
    session, panel = window.session, window.panels["ink"].takes
    for solid in (0.0, 0.4):
        session.change("ink.solid", solid, "Solid")
        press(window, settle, panel.keep)
    panel.names[1].selectAll()
    QTest.keyClicks(panel.names[1], "firm")
    QTest.keyClick(panel.names[1], Qt.Key.Key_Return)
    settle(window)
    assert [take.name for take in session.entry.takes] == ["take 1", "firm"]
    panel.names[0].clear()
    QTest.keyClick(panel.names[0], Qt.Key.Key_Return)
    settle(window)
    assert session.entry.takes[0].name == "take 1" and "name of its own" in said[-1]
    press(window, settle, panel.buttons[0])
    assert session.docket.ink.solid == 0.0 and takes.now_on(session) == 0
    takes.forget(session, 0)
    settle(window)
    assert [field.text() for field in panel.names] == ["firm"]


def test_flipping_goes_round_and_comes_back_to_what_was_no_take(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """From settings that are no take through all takes and back to them; without a take it says what to do."""
    window, said = desk
    session = window.session
    takes.flip(session)
    assert "no take" in said[-1]
    for solid in (0.2, 0.5):
        session.change("ink.solid", solid, "Solid")
        takes.keep(session)
    session.change("ink.solid", 0.9, "Solid")
    seen = []
    for _ in range(4):
        takes.flip(session)
        seen.append(session.docket.ink.solid)
    assert seen == [0.2, 0.5, 0.9, 0.2]
    takes.mix(session, 1, 0.3)
    assert (session.docket.mix.name, session.docket.mix.share) == ("take 2", 0.3)
    takes.mix(session, None, 0.0)
    assert session.docket.mix is None


def test_all_strays_of_a_size_are_decided_at_once_and_taken_back_at_once(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """Keep all like this one: none of them goes any more; one undo, and all go again."""
    window, _ = desk
    session = window.session
    session.go_to("spotting")
    settle(window)
    before = [item for item in straywork.items_of(session.entry).items if item.goes]
    assert len(before) >= 6
    straywork.step(session, 1)
    straywork.decide(session, remove=False, like=True)
    settle(window)
    after = straywork.items_of(session.entry).items
    chosen = straywork.current(session)
    alike = [i for i in after if 0.76 <= i.size_mm / chosen.size_mm <= 1.33]
    assert len(alike) >= 4 and not any(item.goes for item in alike)
    QTest.keyClick(window.view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert sum(item.goes for item in straywork.items_of(session.entry).items) == len(before)


@pytest.mark.proof
def test_stepping_on_a_clean_sheet_says_that_there_is_nothing(window, settle, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """No stray: one sentence, and the view stays where it was."""
    path = tmp_path / "clean.png"
    path.write_bytes(png_bytes(drawn(0)))
    window.open_files([path])
    settle(window)
    window.session.go_to("spotting")
    settle(window)
    said: list[str] = []
    window.session.refused.connect(said.append)
    assert straywork.step(window.session, 1) is None
    assert "No strays" in said[-1]


def test_tools_refuse_what_cannot_be_in_one_sentence(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """A tone beside the sheet, a thirteenth tone, a border that is not one tone: said, and nothing is changed."""
    window, said = desk
    session = window.session
    docket = session.docket
    handwork.pick_tone(session, (1.4, 0.5))
    assert "beside the sheet" in said[-1] and session.docket is docket
    for i in range(13):
        handwork.pick_tone(session, (0.1 + 0.05 * i, 0.5))
    assert len(session.docket.knockout.tones) == 12 and "take one away first" in said[-1]
    handwork.change_tone(session, reach=20)
    assert session.docket.knockout.tones[-1].reach == 20
    handwork.circle(session, "subject", [(0.1, 0.1), (0.9, 0.1)])
    assert not session.docket.knockout.subject
