"""Spotting, Knock-out and Edge driven as a user would, down to the pixels of the written file."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from hands import on_view, pull, type_in
from sheets import DUST, STIPPLE, noisy, png_bytes, strewn_file
from woad.app import straywork
from woad.app.view.ground import Ground

H, W = 600, 780


@pytest.fixture
def desk(strewn_desk):  # type: ignore[no-untyped-def]
    """The window with the strewn sheet on its own grid, in the Spotting step."""
    return strewn_desk("spotting")


def at(window, x: float, y: float) -> QPoint:  # type: ignore[no-untyped-def]
    return on_view(window, x, y).toPoint()


def drag(window, *points: tuple[float, float]) -> None:  # type: ignore[no-untyped-def]
    pull(window.view, [on_view(window, *point) for point in points])


def written(window, settle) -> np.ndarray:  # type: ignore[no-untyped-def]
    """The cut-out as it is written now, (h, w, 4)."""
    window.editions.overwrite.setChecked(True)
    window.write(False)
    settle(window)
    return np.asarray(Image.open(window.session.folder / "strewn-cutout.png"))


def around(picture: np.ndarray, place: tuple[int, int], r: int = 4) -> int:
    x, y = place
    return int(picture[y - r : y + r + 1, x - r : x + r + 1, 3].max())


def test_stepping_through_strays_and_deciding(desk, settle) -> None:
    """N goes from one to the next, near enough to see it; Insert keeps one, Delete removes one; the file shows it."""
    items = straywork.items_of(desk.session.entry)
    assert {(round(i.place[0] * W / 10), round(i.place[1] * H / 10)) for i in items.items if i.goes} == {
        (round(x / 10), round(y / 10)) for x, y in DUST
    }
    seen = []
    for _ in range(len(items)):
        QTest.keyClick(desk.view, Qt.Key.Key_N)
        settle(desk)
        seen.append(straywork.current(desk.session))
        view = desk.view.viewport_
        assert abs(view.cx - seen[-1].place[0] * W) < 3 and view.zoom >= 2
    assert set(seen) == set(items.items)
    QTest.keyClick(desk.view, Qt.Key.Key_Insert)
    settle(desk)
    kept = seen[-1]
    picture = written(desk, settle)
    for x, y in DUST:
        near = abs(x - kept.place[0] * W) < 5 and abs(y - kept.place[1] * H) < 5
        assert (around(picture, (x, y)) > 0) == near
    assert all(around(picture, place) > 150 for place in STIPPLE)
    QTest.keyClick(desk.view, Qt.Key.Key_Delete)
    settle(desk)
    assert all(around(written(desk, settle), place) == 0 for place in DUST)
    assert desk.panels["spotting"].ring_count.text().startswith("5 go")
    desk.session.undo()
    desk.session.undo()
    assert desk.session.docket.spotting.decided == ()


def test_what_is_chosen_is_a_stray_of_this_sheet_and_not_a_place_in_a_list(desk, settle, tmp_path) -> None:
    """Delete on another sheet, or in another step, decides nothing; a speck wiped off above the chosen one in the list leaves
    it chosen."""
    other = tmp_path / "other.png"
    other.write_bytes((tmp_path / "strewn.png").read_bytes())
    for _ in range(3):
        QTest.keyClick(desk.view, Qt.Key.Key_N)
    settle(desk)
    third, before = straywork.current(desk.session), desk.session.docket
    desk.session.go_to("paper")
    QTest.keyClick(desk.view, Qt.Key.Key_Delete)
    assert desk.session.docket is before and "No stray is chosen" in desk.messages.text.text()
    desk.session.go_to("spotting")
    desk.open_files([other])
    settle(desk)
    QTest.keyClick(desk.view, Qt.Key.Key_PageDown)
    settle(desk)
    assert straywork.current(desk.session) is None
    untouched = desk.session.docket
    QTest.keyClick(desk.view, Qt.Key.Key_Delete)
    assert desk.session.docket is untouched and desk.messages.isVisible()
    QTest.keyClick(desk.view, Qt.Key.Key_PageUp)
    settle(desk)
    assert straywork.current(desk.session) == third
    assert not desk.messages.isVisible()  # it was said of the other sheet
    first = straywork.items_of(desk.session.entry).items[0].place
    at_first = np.array([first[0] * W, first[1] * H])
    desk.take_tool("mend")
    desk.session.look(fine_brush=8 / W)
    drag(desk, tuple(at_first), tuple(at_first + 2))
    settle(desk)
    items = straywork.items_of(desk.session.entry).items
    assert first not in [item.place for item in items]
    assert straywork.current(desk.session).place == pytest.approx(third.place, abs=0.003)
    assert items.index(straywork.current(desk.session)) == 1


@pytest.mark.proof
@pytest.mark.parametrize(
    ("kind", "around", "core"),
    [
        ("streak", np.s_[5:-5, 38:44, 3], np.s_[5:-5, 40:42, 3]),
        # It wavers, and shapes lie on it further down.
        ("fold", np.s_[5:110, 203:209, 3], np.s_[5:110, 203:209, 3]),
    ],
)
def test_a_line_along_the_sheet_is_listed_gone_from_the_file_and_can_be_kept(
    kind, around, core, window, settle, arrive, tmp_path
) -> None:
    """A dark column along the whole scan, or a fold: in the list, not in the file; kept, it is written; undone, it is gone."""
    picture = np.asarray(Image.open(strewn_file(tmp_path))).copy()
    if kind == "streak":
        light = np.where(np.abs(np.arange(W) - 40.5) < 1, 0.6, 1.0)[None]
    else:
        away = (np.arange(W)[None] - 205.5 - 2 * np.sin(np.arange(len(picture))[:, None] / 60)) / 12
        light = 1 - 0.08 * np.sign(away) * np.exp(-np.abs(away) / 2) - 0.2 * np.exp(-((away / 0.2) ** 2))
    (tmp_path / "strewn.png").write_bytes(png_bytes(np.clip(picture * light[..., None], 0, 255).astype(np.uint8)))
    window.open_files([tmp_path / "strewn.png"])
    arrive(window)
    window.session.change("square.on", False, "x")
    window.session.go_to("spotting")
    settle(window)
    items = straywork.items_of(window.session.entry).items
    (index,) = [i for i, item in enumerate(items) if item.kind == kind]
    assert items[index].goes
    assert written(window, settle)[around].max() < 40
    straywork.choose(window.session, index)
    QTest.mouseClick(window.panels["spotting"].keep, Qt.MouseButton.LeftButton)
    settle(window)
    back = written(window, settle)[core]
    assert np.median(back if kind == "streak" else back.max(axis=1)) > 60
    window.session.undo()
    settle(window)
    assert written(window, settle)[around].max() < 40


@pytest.mark.proof
def test_rings_are_the_same_size_at_any_zoom(desk, settle) -> None:
    """A speck of two pixels has a ring of some 20 on the screen, whole sheet in view or at 300 %; S hides them."""

    def madder(image: QImage) -> int:
        data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)
        place = at(desk, *DUST[0])
        part = data[place.y() - 16 : place.y() + 17, place.x() - 16 : place.x() + 17, :3].astype(int)
        return int(((part[..., 2] > 140) & (part[..., 1] < 110)).sum())

    sizes = []
    for zoom in (0.6, 1.0, 3.0):
        desk.view.look_at(*DUST[0], zoom)
        settle(desk)
        sizes.append(madder(desk.view.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)))
    assert min(sizes) > 40
    QTest.keyClick(desk.view, Qt.Key.Key_S)
    settle(desk)
    assert madder(desk.view.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)) < 5


def test_circling_and_mending_reach_the_file(desk, settle) -> None:
    """Clear an area takes marks too; the mend brush takes the dot off the i; beside the sheet nothing happens."""
    before = written(desk, settle)
    desk.take_tool("clear-area")
    drag(desk, (505, 320), (625, 320), (625, 400), (505, 400))
    settle(desk)
    desk.take_tool("mend")
    desk.session.look(fine_brush=10 / W)
    drag(desk, (458, 186), (462, 186))
    settle(desk)
    assert len(desk.session.docket.spotting.touches) == 1
    after = written(desk, settle)
    assert not after[330:390, 520:610, 3].any() and before[330:390, 520:610, 3].any()
    assert around(after, (460, 186)) < 30 < around(before, (460, 186))
    np.testing.assert_array_equal(after[140:360, 120:420], before[140:360, 120:420])
    desk.view.look_at(-200, -200, 1.0)
    settle(desk)
    docket, depth = desk.session.docket, desk.session.entry.history.at
    for tool, way in (
        ("strengthen", ((-250, -250), (-200, -240))),
        ("mend", ((-250, -250), (-200, -240))),
        ("clear-area", ((-250, -250), (-200, -240), (-220, -200))),
    ):
        desk.messages.hide()
        desk.take_tool(tool)
        drag(desk, *way)
        assert "beside the sheet" in desk.messages.text.text() and desk.messages.isVisible()
        assert desk.session.docket is docket and desk.session.entry.history.at == depth
    np.testing.assert_array_equal(written(desk, settle), after)


def test_copy_over_takes_from_where_it_was_told(desk, settle) -> None:
    """The first click says where from, the stroke lays it there."""
    desk.take_tool("copy")
    desk.session.look(fine_brush=12 / W)
    QTest.mouseClick(desk.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at(desk, 460, 186))
    assert desk.session.copy_source is not None and not desk.session.docket.spotting.touches
    drag(desk, (250, 500), (251, 500))
    settle(desk)
    desk.session.change("spotting.strays", "none", "x")
    settle(desk)
    assert around(written(desk, settle), (250, 500)) > 150
    desk.session.take_off()
    desk.session.put_back()
    assert desk.session.copy_source is None  # it was a place of that sheet, and the chosen one may be another


def test_keep_remove_tone_and_subject(desk, settle) -> None:
    """Each by-hand tool of Knock-out, by gesture, in the file; each is one undo."""
    before = written(desk, settle)
    depth = desk.session.entry.history.at
    desk.take_tool("keep")
    desk.session.look(fine_brush=20 / W, brush_hard=1.0)
    drag(desk, (100, 450), (130, 450))
    settle(desk)
    desk.take_tool("remove")
    drag(desk, (200, 152), (215, 152))
    settle(desk)
    picture = written(desk, settle)
    assert picture[450, 115, 3] == 255 and picture[450, 115, :3].min() > 245
    assert not picture[148:160, 203:212, 3].any() and before[148:160, 203:212, 3].any()
    desk.take_tool("tone")
    QTest.mouseClick(desk.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at(desk, 300, 197))
    settle(desk)
    assert len(desk.session.docket.knockout.tones) == 1
    assert written(desk, settle)[..., 3][330:390, 520:610].mean() < 0.7 * before[..., 3][330:390, 520:610].mean()
    desk.session.undo()
    desk.take_tool("subject")
    drag(desk, (100, 120), (450, 120), (450, 380), (100, 380))
    settle(desk)
    picture = written(desk, settle)
    assert not picture[:, 470:, 3].any() and picture[150:360, 130:420, 3].any()
    for _ in range(3):
        desk.session.undo()
    assert desk.session.entry.history.at == depth
    np.testing.assert_array_equal(written(desk, settle), before)


def test_a_picture_behind_the_art_is_never_exported(desk, settle, tmp_path) -> None:
    """The art is seen on the picture and can be moved and sized on it; the file is the same; a broken one is refused."""
    before = written(desk, settle)
    picture = np.zeros((300, 500, 3), np.uint8)
    picture[:] = (40, 160, 90)
    cv2.imwrite(str(tmp_path / "ground.png"), picture[..., ::-1])
    desk.session.go_to("knockout")
    desk.desk.backing.lay_on(tmp_path / "ground.png")
    settle(desk)
    assert isinstance(desk.session.picture, Ground)
    frame = desk.view.frame.image
    assert (np.abs(frame[frame.shape[0] // 2, 5, :3].astype(int) - (90, 160, 40)) < 3).all()
    desk.viewbar.art.setValue(50)
    settle(desk)
    assert desk.session.picture.art_share(W) == pytest.approx(0.5, abs=0.01)
    desk.take_tool("move-art")
    held = desk.session.picture.x
    drag(desk, (300, 300), (360, 300))
    assert desk.session.picture.x == pytest.approx(held - 60, abs=3)
    settle(desk)
    np.testing.assert_array_equal(written(desk, settle), before)
    (tmp_path / "broken.png").write_bytes(b"\x89PNG no picture")
    desk.desk.backing.lay_on(tmp_path / "broken.png")
    settle(desk)
    assert "backing stays" in desk.messages.text.text() and desk.session.picture is not None


def test_edge_settings_act_in_view_and_file(desk, settle) -> None:
    """A choke typed in takes a rim of ink; thin strokes stay; its reading appears on the tile."""
    before = written(desk, settle)
    desk.session.go_to("edge")
    row = desk.panels["edge"].move_row
    type_in(row.number, "-1.0")
    settle(desk)
    assert desk.session.docket.edge.move == -1.0
    assert desk.bench.tiles["edge"].reading == "-1.0 px"
    after = written(desk, settle)
    share = after[..., 3].sum() / before[..., 3].sum()
    assert 0.4 < share < 0.9
    line = before[170:172, 150:400, 3] > 200
    assert (after[170:172, 150:400, 3][line] > 64).mean() > 0.95 if line.any() else True
    assert desk.session.entry.checks.edges.move_px < 0


def test_all_marks_removed_says_nothing_wrong(desk, settle) -> None:
    """A sheet circled as a whole is empty in view and file, and everything still works."""
    desk.take_tool("clear-area")
    drag(desk, (0, 0), (W - 1, 0), (W - 1, H - 1), (0, H - 1))
    settle(desk)
    for step in ("spotting", "knockout", "edge"):
        desk.session.go_to(step)
        settle(desk)
    assert not written(desk, settle)[5:-5, 5:-5, 3].any()


@pytest.mark.parametrize("many", [1_500, pytest.param(straywork.MANY, marks=pytest.mark.proof)])
def test_very_many_specks_stay_usable(window, settle, arrive, monkeypatch, tmp_path, many: int) -> None:
    """Very many are counted and drawn as dots, the panel says so, and one setting takes them all off."""
    monkeypatch.setattr(straywork, "MANY", many)
    rng = np.random.default_rng(2)
    side, drawn = round(10 * many**0.5), round(1.6 * many)
    linear = np.ones((side, side, 3), np.float32)
    linear[rng.integers(0, side, drawn), rng.integers(0, side, drawn)] = 0.3
    (tmp_path / "specks.png").write_bytes(png_bytes(noisy(linear)))
    window.open_files([tmp_path / "specks.png"])
    arrive(window)
    window.session.change("square.on", False, "x")
    window.session.change("spotting.strays", "small", "x")
    window.session.go_to("spotting")
    settle(window)
    assert len(straywork.items_of(window.session.entry)) > many
    assert window.panels["spotting"].list.note.isVisible()
    window.next_stray(1)
    window.toggle_overlay("strays")
    settle(window)
    picture = window.view.frame.image[..., :3]
    assert picture.min() > 150
