"""What the pointer does on the view and on sliders: each drag is one change, and Escape in the middle of it is none."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QColorDialog, QPushButton

from captures import image_file, tilted
from hands import on_view, pull
from sheets import DUST
from woad.app import straywork
from woad.app.tools.square import corner_places, trim_rect, turn_handle
from woad.app.widgets.setting_row import SettingRow

LEFT, MIDDLE, NONE = Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def desk(strewn_desk):  # type: ignore[no-untyped-def]
    """The window with the strewn sheet on its own grid, at rest in the Knock-out step."""
    return strewn_desk("knockout")


@pytest.fixture
def frame(window, settle, arrive, tmp_path):  # type: ignore[no-untyped-def]
    """The window in the Square step, with one change behind it that no Escape may take back."""
    (tmp_path / "sheet.png").write_bytes(image_file(tilted(0.0)))
    window.open_files([tmp_path / "sheet.png"])
    arrive(window)
    window.session.go_to("square")
    window.session.change_square("Turn", turn=180)
    settle(window)
    return window


def state(window) -> tuple[object, int]:  # type: ignore[no-untyped-def]
    return window.session.docket, len(window.session.entry.history.entries)


@pytest.mark.proof
def test_escape_takes_a_frame_drag_back_and_nothing_before_it(frame) -> None:  # type: ignore[no-untyped-def]
    """A drag of edge, corner or handle leaves no trace in the history, whether it had moved anything yet or not."""
    view, before = frame.view, state(frame)
    for part in ("edge", "corner", "handle"):
        rect = trim_rect(view)
        start, end = {
            "edge": (QPointF(rect.left(), rect.center().y() + 30), QPointF(50, 0)),
            "corner": (rect.bottomRight(), QPointF(-40, -30)),
            "handle": (turn_handle(view), QPointF(30, 4)),
        }[part]
        pull(view, [start, start + end / 2, start + end], release=False)
        assert state(frame) != before, part
        QTest.keyClick(view, Qt.Key.Key_Escape)
        assert state(frame) == before, part
        QTest.mouseRelease(view, LEFT, NONE, (start + end).toPoint())
        pull(view, [start, start], release=False)
        QTest.keyClick(view, Qt.Key.Key_Escape)
        assert state(frame) == before, part


@pytest.mark.proof
def test_a_corner_that_was_refused_and_let_go_by_escape_takes_nothing_back(frame, settle) -> None:
    """The corner is pulled across the sheet, which is refused; Escape then must not undo the turn made before."""
    frame.take_tool("corners")
    settle(frame)
    places = [on_view(frame, *place) for place in corner_places(frame.view)]
    before = state(frame)
    past = places[2] + (places[2] - places[0]) * 0.1
    pull(frame.view, [places[0], past], release=False)
    assert state(frame) == before
    QTest.keyClick(frame.view, Qt.Key.Key_Escape)
    assert state(frame) == before and frame.session.docket.square.turn == 180


@pytest.mark.proof
@pytest.mark.parametrize(("side", "axis", "index"), [("bottom", 1, 3), ("left", 0, 0), ("top", 1, 1), ("right", 0, 2)])
def test_each_side_of_the_frame_stays_on_the_sheet_and_apart_from_its_opposite(
    frame, settle, side: str, axis: int, index: int
) -> None:
    """Pulled in it moves alone; pulled over the opposite side, the frame keeps a least size; pulled out, the sheet ends it."""

    def sides() -> list[float]:
        x, y, w, h = frame.session.docket.square.trim
        return [x, y, x + w, y + h]

    def pull_side(by: float) -> None:
        rect = trim_rect(frame.view)
        at = {
            "left": QPointF(rect.left(), rect.center().y() + 40),
            "right": QPointF(rect.right(), rect.center().y() + 40),
            "top": QPointF(rect.center().x() + 60, rect.top()),
            "bottom": QPointF(rect.center().x() + 60, rect.bottom()),
        }[side]
        step = QPointF(by, 0) if axis == 0 else QPointF(0, by)
        pull(frame.view, [at, at + step / 2, at + step])
        settle(frame)

    inward = 1 if index < 2 else -1
    pull_side(60 * inward)
    moved = sides()
    shift = 60 / frame.view.viewport_.zoom / frame.view.canvas_now().size[axis]
    assert moved[index] == pytest.approx((0.0 if index < 2 else 1.0) + inward * shift, abs=0.01)
    assert [m for i, m in enumerate(moved) if i != index] == pytest.approx(
        [s for i, s in enumerate((0.0, 0.0, 1.0, 1.0)) if i != index], abs=1e-3
    )
    pull_side(2000 * inward)
    x, y, w, h = frame.session.docket.square.trim
    assert (w, h)[axis] == pytest.approx(0.01, abs=1e-3) and min(x, y) >= 0 and max(x + w, y + h) <= 1 + 1e-9
    frame.session.undo()
    settle(frame)
    pull_side(-2000 * inward)
    assert sides()[index] == pytest.approx(0.0 if index < 2 else 1.0, abs=1e-6)


def test_escape_in_a_brush_stroke_leaves_no_stroke_and_nothing_to_undo(desk, settle) -> None:
    """The stroke acts while it is drawn; let go by Escape, settings and history are as they were."""
    before = state(desk)
    desk.take_tool("keep")
    pull(desk.view, [on_view(desk, 100, 450), on_view(desk, 160, 450), on_view(desk, 220, 450)], release=False)
    assert len(desk.session.docket.knockout.touches) == 1
    QTest.keyClick(desk.view, Qt.Key.Key_Escape)
    assert state(desk) == before
    desk.take_tool("mend")
    pull(desk.view, [on_view(desk, 300, 200), on_view(desk, 340, 200)], release=False)
    QTest.keyClick(desk.view, Qt.Key.Key_Escape)
    assert state(desk) == before and desk.view.drawn == []


def test_a_slider_dragged_acts_on_the_way_and_is_one_undo(desk, settle) -> None:
    """The number follows the pointer; dragged back to where it began it leaves nothing; a double click returns it."""
    row = next(r for r in desk.panels["knockout"].findChildren(SettingRow) if r.setting.path == "knockout.softness")
    own = row.value()
    before = state(desk)
    middle = row.slider.height() // 2
    x = [round(row.slider._x_of(share)) for share in (0.2, 0.5, 0.8)]
    QTest.mousePress(row.slider, LEFT, NONE, QPoint(x[0], middle))
    low = desk.session.docket.knockout.softness
    for place in x[1:]:
        QTest.mouseMove(row.slider, QPoint(place, middle))
    high = desk.session.docket.knockout.softness
    QTest.mouseRelease(row.slider, LEFT, NONE, QPoint(x[2], middle))
    span = row.setting.high - row.setting.low
    assert (low, high) == pytest.approx((row.setting.low + 0.2 * span, row.setting.low + 0.8 * span), abs=0.03 * span)
    assert state(desk)[1] == before[1] + 1
    assert float(row.number.text()) == pytest.approx(high * row.setting.shown_factor, abs=1)
    settle(desk)
    QTest.mouseDClick(row.slider, LEFT, NONE, QPoint(x[0], middle))
    settle(desk)
    assert desk.session.docket.knockout.softness is None and row.value() == pytest.approx(own)


def test_the_sheet_is_moved_by_the_middle_button_and_with_space_held(desk, settle) -> None:
    """Whatever tool is in hand; Space let go in another window is not still held on return."""
    desk.view.look_at(300, 300, 2.0)
    desk.take_tool("remove")
    settle(desk)
    before = state(desk)
    at, by = QPointF(400, 300), QPointF(60, -40)
    for space in (False, True):
        held = desk.view.viewport_
        if space:
            QTest.keyPress(desk.view, Qt.Key.Key_Space)
        pull(desk.view, [at, at + by], button=LEFT if space else MIDDLE)
        moved = desk.view.viewport_
        assert (held.cx - moved.cx, held.cy - moved.cy) == pytest.approx((30, -20), abs=0.6)
    assert state(desk) == before
    desk.viewbar.before.setFocus()
    desk.view.setFocus()
    pull(desk.view, [on_view(desk, 300, 300), on_view(desk, 320, 300)])
    assert len(desk.session.docket.knockout.touches) == 1


def test_the_wipe_is_dragged_and_escape_puts_it_back(desk, settle) -> None:
    """Left of the edge the scan's paper is seen, right of it the backing."""
    desk.session.compare(wipe=True)
    desk.session.look(backing="dark", wipe_at=0.5)
    settle(desk)
    view = desk.view
    y = 0.5 * view.height()
    pull(desk.view, [QPointF(view.wipe_x(), y), QPointF(0.7 * view.width(), y)])
    assert desk.session.wipe_at == pytest.approx(0.7, abs=0.01)
    settle(desk)
    picture = view.grab().toImage()
    ratio = picture.width() / view.width()
    left, right = (picture.pixelColor(round(share * view.width() * ratio), round(y * ratio)).lightness()
                   for share in (0.6, 0.72))  # fmt: skip
    assert left > 180 > 90 > right
    pull(desk.view, [QPointF(view.wipe_x(), y), QPointF(0.3 * view.width(), y)], release=False)
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert desk.session.wipe_at == pytest.approx(0.7, abs=0.01)


def test_a_click_on_a_ring_chooses_its_stray_and_one_beside_moves_on(desk, settle) -> None:
    """Without a tool in hand; a click on bare paper far from any ring leaves the choice as it is."""
    desk.session.go_to("spotting")
    settle(desk)
    items = straywork.items_of(desk.session.entry)
    w, h = desk.session.entry.sheet.scan_size
    for x, y in DUST[:3]:
        QTest.mouseClick(desk.view, LEFT, NONE, on_view(desk, x + 2, y - 2).toPoint())
        place = straywork.current(desk.session).place
        assert (place[0] * w, place[1] * h) == pytest.approx((x, y), abs=6)
    chosen = straywork.current(desk.session)
    gap = np.hypot(items.places[:, 0] * w - 300, items.places[:, 1] * h - 560)
    assert gap.min() > 40
    QTest.mouseClick(desk.view, LEFT, NONE, on_view(desk, 300, 560).toPoint())
    assert straywork.current(desk.session) == chosen


def test_reach_and_hanging_together_act_on_the_last_tone(desk, settle) -> None:
    """A tone is picked, and the ink then made paler; its reach is dragged wide and narrow, tied to what hangs together, and
    the tone taken away again."""
    panel = desk.panels["knockout"]
    depth = state(desk)[1]
    desk.take_tool("tone")
    QTest.mouseClick(desk.view, LEFT, NONE, on_view(desk, 300, 197).toPoint())
    desk.session.change("ink.darkness", 1.5, "x")
    settle(desk)
    share = []
    for reach in (5.0, 60.0):
        panel.reach.changed.emit(reach, True)
        settle(desk)
        assert desk.session.docket.knockout.tones[-1].reach == pytest.approx(reach)
        share.append(float((desk.view.frame.image[..., :3].min(axis=2) < 128).mean()))
    assert share[1] < share[0]
    QTest.mouseClick(panel.together, LEFT, NONE, QPoint(8, panel.together.height() // 2))
    assert desk.session.docket.knockout.tones[-1].together
    settle(desk)
    QTest.mouseClick(panel.last_tone, LEFT)
    settle(desk)
    assert desk.session.docket.knockout.tones == ()
    assert state(desk)[1] == depth + 6


def test_the_bright_backing_takes_the_colour_that_is_chosen(desk, settle) -> None:
    """The dialog acts at once, and the settings of the sheet are not touched."""
    before = state(desk)
    desk.desk.backing.choose_bright()
    (dialog,) = desk.findChildren(QColorDialog)
    dialog.setCurrentColor(QColor(20, 160, 90))
    settle(desk)
    assert desk.session.backing == "bright"
    corner = desk.view.frame.image[desk.view.frame.image.shape[0] // 2, 5, :3]
    assert np.abs(corner.astype(int) - (90, 160, 20)).max() <= 3
    assert state(desk) == before
    dialog.close()


def test_a_stroke_is_taken_away_by_its_button(desk, settle) -> None:
    """Of two strokes the last one goes; the first stays and one undo brings the second back."""
    desk.take_tool("keep")
    pull(desk.view, [on_view(desk, 100, 450), on_view(desk, 160, 450)])
    pull(desk.view, [on_view(desk, 100, 500), on_view(desk, 160, 500)])
    first, second = desk.session.docket.knockout.touches
    buttons = desk.panels["knockout"].findChildren(QPushButton)
    (back,) = [b for b in buttons if b.text() == "Take the last stroke away" and b.isVisible()]
    QTest.mouseClick(back, LEFT)
    assert desk.session.docket.knockout.touches == (first,)
    desk.session.undo()
    assert desk.session.docket.knockout.touches == (first, second)
