"""Parts of the window on their own: lanes of work, the tone plot's flags, slider rows, the session."""

from __future__ import annotations

import threading
from itertools import pairwise

import numpy as np
import pytest
from PySide6.QtCore import QObject, Qt
from PySide6.QtTest import QTest

from sheets import pen_sheet
from woad.app import theme
from woad.app.entry import Loaded
from woad.app.readings import cast_text
from woad.app.session import Session
from woad.app.widgets.setting_row import SettingRow
from woad.app.widgets.tone_plot import TonePlot
from woad.app.worker import Lane, Result
from woad.core.docket.catalogue import setting
from woad.core.ink.curve import TonePoints
from woad.core.render.patches import PatchStore
from woad.core.render.spots import propose_spots


@pytest.fixture
def lane(qtbot):  # type: ignore[no-untyped-def]
    owner = QObject()
    made = Lane("test", owner)
    yield made
    made.close()


def test_the_newest_request_wins(lane: Lane, qtbot) -> None:  # type: ignore[no-untyped-def]
    """Requests that came while one was under way are dropped but for the last; the late result is dropped too."""
    gate, seen = threading.Event(), []
    lane.submit(lambda: gate.wait(5), lambda r: seen.append("first"))
    qtbot.wait(20)
    for i in range(5):
        lane.submit(lambda i=i: i, lambda r: seen.append(r.value))
    gate.set()
    qtbot.waitUntil(lambda: not lane.busy)
    assert seen == [4]


def test_what_stands_behind_the_view_begins_when_the_view_is_done(lane: Lane, qtbot) -> None:  # type: ignore[no-untyped-def]
    """Nothing begins while the first lane is busy; of what was asked for meanwhile the newest is worked on."""
    second, gate, order = Lane("second", lane.parent(), behind=lane), threading.Event(), []
    lane.submit(lambda: order.append("view") if gate.wait(5) else None, lambda r: None)
    for i in range(3):
        second.submit(lambda i=i: order.append(i), lambda r: None)
    qtbot.wait(60)
    assert order == []
    gate.set()
    qtbot.waitUntil(lambda: not lane.busy and not second.busy)
    second.close()
    assert order == ["view", 2]


def test_a_lane_does_not_wait_for_ever(lane: Lane, qtbot) -> None:  # type: ignore[no-untyped-def]
    """A view that is busy all the time holds the others up for half a second, not for good."""
    second, gate, done = Lane("second", lane.parent(), behind=lane), threading.Event(), []
    lane.submit(lambda: gate.wait(5), lambda r: None)
    second.submit(lambda: 1, done.append)
    qtbot.waitUntil(lambda: bool(done), timeout=4000)
    assert lane.busy
    gate.set()
    second.close()


def test_what_two_threads_want_is_made_once() -> None:
    """The second waits for the first; after a failure it tries for itself."""
    store, gate, made, got = PatchStore(), threading.Event(), [], []

    def make() -> int:
        made.append(1)
        gate.wait(5)
        if len(made) == 1:
            raise ValueError("the first time")
        return 7

    def want() -> None:
        try:
            got.append(store.made("key", make))
        except ValueError:
            got.append(None)

    threads = [threading.Thread(target=want) for _ in range(3)]
    for thread in threads:
        thread.start()
    gate.set()
    for thread in threads:
        thread.join(5)
    assert sorted(got, key=str) == [7, 7, None]
    assert len(made) == 2  # one that failed, one for both others


def test_a_failed_request_is_delivered_and_leaves_nothing_working(lane: Lane, qtbot) -> None:  # type: ignore[no-untyped-def]
    """The error arrives as a result; the lane goes on."""
    got: list[Result] = []

    def fail() -> None:
        raise ValueError("broken")

    lane.submit(fail, got.append)
    qtbot.waitUntil(lambda: bool(got))
    assert isinstance(got[0].error, ValueError)
    assert not lane.busy
    lane.submit(lambda: 7, got.append)
    qtbot.waitUntil(lambda: len(got) == 2)
    assert got[1].value == 7


@pytest.fixture
def plot(qtbot) -> TonePlot:  # type: ignore[no-untyped-def]
    theme.apply("light")
    made = TonePlot()
    qtbot.addWidget(made)
    made.resize(272, 158)
    made.show()
    made.show_tones(np.ones(260, np.int64), TonePoints(0.0, 0.3, 1.4), TonePoints(0.0, 0.3, 1.4), 0.03)
    return made


def test_flags_never_cross_nor_cover_each_other(plot: TonePlot) -> None:
    """However far a flag is dragged it stops before its neighbour; labels keep apart and inside."""
    moved: list[tuple[str, float]] = []
    plot.moved.connect(lambda flag, density, finished: moved.append((flag, density)))
    start = plot.flag_rects()["middle"].center().toPoint()
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(plot, start + start * 0 + plot.rect().bottomRight())
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=plot.rect().bottomRight())
    assert moved[-1][0] == "middle"
    assert moved[-1][1] == pytest.approx(1.38)
    for points in (TonePoints(0.0, 0.02, 0.08), TonePoints(1.3, 1.4, 1.98), TonePoints(0.0, 1.9, 1.95)):
        plot.show_tones(np.ones(260, np.int64), points, points, 0.03)
        rects = list(plot.flag_rects().values())
        assert all(a.right() <= b.left() + 0.5 for a, b in pairwise(rects))
        assert rects[-1].right() <= plot.width()


def test_flags_move_by_keys_and_return_by_double_click(plot: TonePlot) -> None:
    """Arrows move the chosen flag by 0.01; a double click asks for the sheet's own value."""
    moved: list[object] = []
    plot.moved.connect(lambda flag, density, finished: moved.append((flag, density)))
    plot.setFocus()
    QTest.keyClick(plot, Qt.Key.Key_Left)
    QTest.keyClick(plot, Qt.Key.Key_Up)
    QTest.keyClick(plot, Qt.Key.Key_Right)
    assert moved == [("ink", 1.39), ("middle", 0.31)]
    QTest.mouseDClick(plot, Qt.MouseButton.LeftButton, pos=plot.flag_rects()["ink"].center().toPoint())
    assert moved[-1] == ("ink", None)


def test_a_percent_row_shows_hundreds_and_refuses_words(qtbot) -> None:  # type: ignore[no-untyped-def]
    """0.4 is shown as 40; typed nonsense goes back to the value; numbers out of range stop at the end."""
    row = SettingRow(setting("paper.grain"))
    qtbot.addWidget(row)
    row.show_value(0.4, 0.0)
    assert row.number.text() == "40"
    got: list[float] = []
    row.changed.connect(lambda value, finished: got.append(value))
    for typed in ("words", "250", "12,5"):
        row.number.selectAll()
        QTest.keyClicks(row.number, typed)
        QTest.keyClick(row.number, Qt.Key.Key_Return)
    assert got == [1.0, 0.125]


def test_settings_made_on_a_first_look_survive_settling(qtbot) -> None:  # type: ignore[no-untyped-def]
    """A change made before the full sheet is there is not lost when it comes; refusals become a message."""
    session = Session()
    sheet = pen_sheet()
    loaded = Loaded(sheet.original, sheet, propose_spots(sheet))
    entry = session.add("a.png")
    session.settle(entry, loaded)
    session.change("paper.grain", 0.7, "Grain")
    session.settle(entry, loaded)
    assert session.docket is not None
    assert session.docket.paper.grain == 0.7
    with qtbot.waitSignal(session.refused):
        session.change("paper.grain", 7, "Grain")
    assert session.docket.paper.grain == 0.7


def test_watch_spots_are_proposed_on_marks_and_apart() -> None:
    """Both lie on the sheet, some way from each other."""
    (ax, ay), (bx, by) = propose_spots(pen_sheet())
    w, h = pen_sheet().full_size
    assert 0 < ax < w
    assert 0 < by < h
    assert np.hypot(ax - bx, ay - by) > 60


@pytest.mark.parametrize(
    ("rgb", "words"),
    [
        ((250, 250, 249), "neutral"),
        ((228, 224, 213), "warm"),
        ((200, 205, 208), "slightly cool"),
        ((240, 200, 180), "strongly warm"),
    ],
)
def test_casts_are_named_in_plain_words(rgb: tuple[int, int, int], words: str) -> None:
    """Numbers and words agree."""
    assert cast_text(rgb) == words
