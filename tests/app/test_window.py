"""The window driven as a user would: what is seen, and what ends up in the files."""

from __future__ import annotations

import sys
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication, QImage, QWheelEvent
from PySide6.QtTest import QTest

from hands import type_in
from sheets import SHADOW, pen_scan, pen_sheet, pixels, png_bytes
from woad.app import theme
from woad.core.docket.model import Docket
from woad.core.editions.picture import paper_picture
from woad.core.render.sheet import Sheet
from woad.core.render.whole import render_whole


@pytest.fixture
def scan(tmp_path: Path) -> Path:
    path = tmp_path / "pen.png"
    path.write_bytes(pen_sheet().original.data)
    return path


@pytest.fixture
def opened(window, settle, scan: Path):  # type: ignore[no-untyped-def]
    """The window with one sheet, dropped onto it."""
    drop(window, [scan])
    settle(window)
    return window


def drop(window, paths: list[Path]) -> None:  # type: ignore[no-untyped-def]
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    drop_data(window, data)


def drop_data(window, data: QMimeData) -> None:  # type: ignore[no-untyped-def]
    args = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    enter = QDragEnterEvent(QPoint(400, 300), *args)
    QGuiApplication.sendEvent(window, enter)
    assert enter.isAccepted()
    QGuiApplication.sendEvent(window, QDropEvent(QPointF(400, 300), *args))


def key(window, which: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:  # type: ignore[no-untyped-def]
    QTest.keyClick(window.view, which, modifier)


def colour_at(window, x: float, y: float) -> tuple[int, int, int]:  # type: ignore[no-untyped-def]
    """The colour painted on screen where a scan pixel lies."""
    at = window.view.widget_point(x, y).toPoint()
    return window.view.grab().toImage().pixelColor(at).getRgb()[:3]


PAPER, SOLID = (300.0, 640.0), (620.0, 165.0)


def test_a_dropped_sheet_is_clean_at_once(opened) -> None:  # type: ignore[no-untyped-def]
    """Without any setting touched the paper is white and the ink black on screen."""
    assert opened.session.entry.state == "ready"
    assert min(colour_at(opened, *PAPER)) == 255
    assert max(colour_at(opened, *SOLID)) < 10
    assert all(tile.pictures is not None for tile in opened.bench.tiles.values())
    assert opened.pile.items[0].picture is not None


def test_dragging_a_flag_acts_and_one_undo_takes_it_back(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """The ink flag dragged right makes ink lighter on screen; undo brings docket and picture back."""
    before = opened.session.docket
    QTest.mouseClick(opened.bench.tiles["ink"], Qt.MouseButton.LeftButton)
    settle(opened)
    plot = opened.panels["ink"].plot
    black = colour_at(opened, *SOLID)
    start = plot.flag_rects()["ink"].center().toPoint()
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=start)
    for dx in range(5, 86, 10):
        QTest.mouseMove(plot, start + QPoint(dx, 0))
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=start + QPoint(85, 0))
    settle(opened)
    assert opened.session.docket.ink.ink > 1.6
    assert colour_at(opened, *SOLID)[0] > black[0] + 4
    assert len(opened.session.entry.history.entries) == 2
    key(opened, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(opened)
    assert opened.session.docket == before
    assert colour_at(opened, *SOLID) == black
    key(opened, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert opened.session.docket.ink.ink > 1.6


def test_backings_show_through_and_never_reach_the_file(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """On a bright backing paper shows it; the written files hold exactly the computed planes."""
    key(opened, Qt.Key.Key_2)
    settle(opened)
    assert colour_at(opened, *PAPER) == theme.BRIGHT
    key(opened, Qt.Key.Key_3)
    settle(opened)
    assert max(colour_at(opened, *PAPER)) < 50
    QTest.mouseClick(opened.bench.tiles["editions"], Qt.MouseButton.LeftButton)
    settle(opened)
    QTest.mouseClick(opened.editions.write, Qt.MouseButton.LeftButton)
    settle(opened)
    planes = render_whole(pen_sheet(), opened.session.docket)
    cut = pixels(opened.session.folder / "pen-cutout.png")
    np.testing.assert_array_equal(cut[..., 3], planes.alpha)
    np.testing.assert_array_equal(pixels(opened.session.folder / "pen-paper.png"), paper_picture(planes))
    assert opened.session.entry.state == "written"


def test_before_is_seen_while_held_and_wipe_splits_the_view(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """B shows the scan's cream paper until it is let go; W shows it left of a draggable edge."""
    QTest.keyPress(opened.view, Qt.Key.Key_B)
    settle(opened)
    assert min(colour_at(opened, *PAPER)) < 240
    QTest.keyRelease(opened.view, Qt.Key.Key_B)
    settle(opened)
    assert min(colour_at(opened, *PAPER)) == 255
    key(opened, Qt.Key.Key_W)
    view = opened.view
    middle = round(view.wipe_x())
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(middle, 40))
    QTest.mouseMove(view, QPoint(middle - 120, 40))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(middle - 120, 40))
    settle(opened)
    edge, _ = view.sheet_point(QPointF(view.wipe_x(), 0))
    assert view.wipe_x() == pytest.approx(middle - 120, abs=2)
    assert min(colour_at(opened, edge - 20, PAPER[1])) < 240
    assert min(colour_at(opened, edge + 20, PAPER[1])) == 255


def test_scan_and_step_lie_side_by_side(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """D shows the scan beside the step, at the same place and zoom, and moves along; D again, or the wipe, ends it."""
    before, view = opened.desk.before, opened.view
    settle(opened)
    assert before.isHidden()
    key(opened, Qt.Key.Key_D)
    settle(opened)
    scan = opened.session.entry.sheet.pyramid.whole(0)
    view.look_at(200, 150, 2.0)
    QTest.mousePress(before, Qt.MouseButton.LeftButton, pos=before.rect().center())
    QTest.mouseMove(before, before.rect().center() + QPoint(-60, -40))
    QTest.mouseRelease(before, Qt.MouseButton.LeftButton, pos=before.rect().center() + QPoint(-60, -40))
    settle(opened)
    assert (view.viewport_.cx, view.viewport_.cy) == (230, 170)
    seen = before.grab().toImage().pixelColor(before.rect().center()).getRgb()[:3]
    assert np.abs(np.array(seen) - scan[170, 230]).max() <= 8
    assert colour_at(opened, 230, 170) == (255, 255, 255)
    key(opened, Qt.Key.Key_W)
    assert before.isHidden()
    key(opened, Qt.Key.Key_D)
    assert not before.isHidden()
    assert not opened.session.wipe
    key(opened, Qt.Key.Key_D)
    assert before.isHidden()


def test_zoom_stays_under_the_pointer_and_keys_give_exact_zooms(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """The scan point under the wheel stays there; 0 and 9 mean 100 and 300 %, F the whole sheet."""
    view = opened.view
    at = QPointF(300, 200)
    x, y = view.sheet_point(at)
    wheel = QWheelEvent(at, at, QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
                        Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QGuiApplication.sendEvent(view, wheel)
    assert view.sheet_point(at) == pytest.approx((x, y), abs=0.6)
    key(opened, Qt.Key.Key_9)
    assert view.viewport_.zoom == 3.0
    settle(opened)
    assert view.frame.image.shape[0] <= view.height() + 3
    before = view.sheet_point(QPointF(0, 0))
    QTest.mousePress(view, Qt.MouseButton.MiddleButton, pos=QPoint(200, 200))
    QTest.mouseMove(view, QPoint(170, 185))
    QTest.mouseRelease(view, Qt.MouseButton.MiddleButton, pos=QPoint(170, 185))
    assert view.sheet_point(QPointF(0, 0)) == pytest.approx((before[0] + 10, before[1] + 5), abs=0.1)
    key(opened, Qt.Key.Key_0)
    assert view.viewport_.zoom == 1.0
    key(opened, Qt.Key.Key_F)
    corner = view.widget_point(0, 0)
    assert corner.x() >= 0
    assert corner.y() >= 0


def test_sliders_numbers_and_double_click(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """A typed number and an arrow key change the docket; a double click returns to the sheet's own value."""
    for _ in range(2):
        key(opened, Qt.Key.Key_Comma)  # over Spotting to Ink
    assert opened.session.step == "ink"
    row = opened.panels["ink"]._rows[1][0]
    type_in(row.number, "0.50")
    assert opened.session.docket.ink.middle == pytest.approx(0.5)
    row.slider.setFocus()
    QTest.keyClick(row.slider, Qt.Key.Key_Right)
    assert opened.session.docket.ink.middle == pytest.approx(0.51)
    QTest.mouseDClick(row.slider, Qt.MouseButton.LeftButton)
    assert opened.session.docket.ink.middle is None
    settle(opened)


def test_medium_brings_its_starting_values(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """Choosing pencil in the Scan step makes half-tones as seen; one undo takes it back."""
    before = opened.session.docket.medium
    QTest.mouseClick(opened.bench.tiles["scan"], Qt.MouseButton.LeftButton)
    opened.panels["scan"].medium.setCurrentIndex(1)
    opened.panels["scan"].medium.activated.emit(1)
    assert opened.session.docket.ink.halftones == "seen"
    key(opened, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert opened.session.docket.medium == before
    settle(opened)


def test_overlays_and_pointer_readings(opened, settle, qtbot) -> None:  # type: ignore[no-untyped-def]
    """Marks that settings drop turn red; the bottom line reads what lies under the pointer."""
    at = opened.view.widget_point(*SOLID).toPoint()
    QTest.mouseMove(opened.view, at)
    settle(opened)
    assert "coverage 100 %" in opened.status.coverage.text()
    assert "mm" in opened.status.place.text()
    opened.session.change("ink.paper", 1.0, "x")
    key(opened, Qt.Key.Key_L)
    settle(opened)
    image = opened.view.frame.image.astype(int)
    red = (image[..., 2] > 150) & (image[..., 0] < 80)
    assert red.sum() > 20
    assert opened.session.entry.checks is not None


def test_watch_spots_can_be_moved(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """Dragging spot a changes its place and its close-up."""
    view = opened.view
    before = opened.session.entry.spots[0]
    picture = opened.bench.tiles["ink"].pictures[0].copy()
    rect = view.spot_rects()[0]
    grip = QPoint(round(rect.right()) + 10, round(rect.top()) + 6)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=grip)
    QTest.mouseMove(view, grip + QPoint(-90, 110))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=grip + QPoint(-90, 110))
    settle(opened)
    assert opened.session.entry.spots[0] != before
    assert not np.array_equal(opened.bench.tiles["ink"].pictures[0], picture)


def test_a_broken_file_says_so_and_good_ones_open(window, settle, scan: Path, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """One sentence in the bar over the view; the pile holds only what could be read."""
    broken = tmp_path / "broken.png"
    broken.write_bytes(scan.read_bytes()[:4000])
    drop(window, [broken, scan])
    settle(window)
    assert [entry.name for entry in window.session.entries] == ["pen.png"]
    shown = window.messages.text.text() + window.empty_note.text.text()
    assert "broken.png" in shown
    assert "unchanged" in shown


def test_paste_takes_a_picture_from_the_clipboard(window, settle) -> None:  # type: ignore[no-untyped-def]
    """An image on the clipboard becomes a sheet; words become a sentence, and so does a clipboard without anything."""
    QGuiApplication.clipboard().clear()
    QTest.keyClick(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert "no picture on the clipboard" in window.empty_note.text.text()
    encoded = np.ascontiguousarray(pen_scan().encoded)
    h, w = encoded.shape[:2]
    QGuiApplication.clipboard().setImage(QImage(encoded.data, w, h, w * 3, QImage.Format.Format_RGB888).copy())
    QTest.keyClick(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert window.session.entry.sheet.full_size == (w, h)
    QGuiApplication.clipboard().setText("words")
    QTest.keyClick(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert "no picture on the clipboard" in window.messages.text.text()


def test_a_folder_and_a_picture_are_dropped(window, settle, tmp_path: Path) -> None:
    """A folder's images come as they are numbered, its other files not; a picture without a file becomes a sheet; what is
    neither becomes a sentence."""
    full, empty = tmp_path / "job", tmp_path / "none"
    full.mkdir()
    empty.mkdir()
    for name in ("sheet-10.png", "sheet-2.png", ".sheet-1.png"):
        (full / name).write_bytes(pen_sheet().original.data)
    (full / "notes.txt").write_text("two sheets")
    window.session.folder_chosen = False
    drop(window, [empty, full])
    assert "no image in the folder none" in window.messages.text.text()
    assert [entry.name for entry in window.session.entries] == ["sheet-2.png", "sheet-10.png"]
    assert window.session.folder == full / "editions"
    data = QMimeData()
    data.setImageData(QImage(str(full / "sheet-2.png")))
    drop_data(window, data)
    settle(window)
    assert [entry.name for entry in window.session.entries][2:] == ["dropped-1.png"]
    assert window.session.entries[2].sheet.full_size == window.session.entries[0].sheet.full_size
    data = QMimeData()
    data.setUrls([QUrl("ftp://tidewrack.example/crane.png")])
    drop_data(window, data)
    assert "no file of this computer" in window.messages.text.text()
    assert len(window.session.entries) == 3


def test_writing_twice_refuses_and_a_stop_leaves_nothing(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """Existing files are not replaced unasked; a stopped run leaves no half file."""
    opened.write(False)
    opened.writer.stop()
    settle(opened)
    assert not list(opened.session.folder.glob("*"))
    opened.write(False)
    opened.writer.stop()
    opened.write(False)  # at once: what was stopped is not written after all
    settle(opened)
    assert "already there" not in opened.messages.text.text()
    first = (opened.session.folder / "pen-cutout.png").read_bytes()
    opened.write(False)
    settle(opened)
    assert "already there" in opened.messages.text.text()
    assert (opened.session.folder / "pen-cutout.png").read_bytes() == first
    opened.editions.overwrite.setChecked(True)
    opened.session.change("ink.darkness", 1.0, "x")
    opened.write(False)
    settle(opened)
    assert (opened.session.folder / "pen-cutout.png").read_bytes() != first


def test_a_pile_is_written_as_far_as_it_is_ready(window, settle, scan: Path, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """A sheet that is still being opened is not passed over in silence."""
    late = tmp_path / "late.png"
    late.write_bytes(scan.read_bytes())
    drop(window, [scan])
    settle(window)
    drop(window, [late])
    window.write(True)
    settle(window)
    assert "Not written: 1 of 2 sheets" in window.messages.text.text()
    assert {path.name for path in window.session.folder.iterdir()} == {"pen-cutout.png", "pen-paper.png"}


def test_a_pile_keeps_each_sheets_own_settings(window, settle, scan: Path, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """Two sheets, each with its own docket; both are written with theirs."""
    second = tmp_path / "shadow.png"
    second.write_bytes(png_bytes(pen_scan(SHADOW).encoded[:400, :480]))
    drop(window, [scan, second])
    settle(window)
    window.session.change("knockout.on", False, "x")
    key(window, Qt.Key.Key_PageDown)
    settle(window)
    assert window.session.docket.knockout.on
    QTest.mouseClick(window.pile.items[0], Qt.MouseButton.LeftButton)
    settle(window)
    assert not window.session.docket.knockout.on
    window.write(True)
    settle(window)
    assert sorted(p.name for p in window.session.folder.iterdir()) == ["shadow-cutout.png", "shadow-paper.png"]
    assert "Knock-out is off" in window.messages.text.text()


@pytest.mark.proof
def test_a_sheet_taken_off_the_pile_comes_back_with_its_settings(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """Nothing is destroyed: the empty job shows the drop place, and the sheet returns as it was."""
    opened.session.change("paper.grain", 0.6, "x")
    opened.actions_["remove-sheet"].trigger()
    settle(opened)
    assert opened.stack.currentIndex() == 0
    opened.actions_["put-back"].trigger()
    settle(opened)
    assert opened.session.docket.paper.grain == 0.6
    assert max(colour_at(opened, *SOLID)) < 10


@pytest.mark.proof
def test_sheets_taken_off_one_after_the_other_are_read_again_when_they_come_back(
    opened, settle, tmp_path: Path
) -> None:  # type: ignore[no-untyped-def]
    """Only the newest keeps its pixels; the other one has its settings, its undo and its picture all the same."""
    opened.session.change("knockout.softness", 0.1, "x")
    opened.write(False)
    settle(opened)
    before = pixels(opened.session.folder / "pen-cutout.png")
    second = tmp_path / "shadow.png"
    second.write_bytes(pen_sheet(SHADOW).original.data)
    drop(opened, [second])
    settle(opened)
    for _ in range(2):
        opened.actions_["remove-sheet"].trigger()
        settle(opened)
    assert [entry.sheet is None for entry in opened.session.taken_off] == [True, False]
    opened.actions_["put-back"].trigger()
    opened.actions_["put-back"].trigger()
    settle(opened)
    assert [entry.name for entry in opened.session.entries] == ["shadow.png", "pen.png"]
    assert opened.session.docket.knockout.softness == 0.1
    opened.editions.overwrite.setChecked(True)
    opened.write(False)
    settle(opened)
    np.testing.assert_array_equal(pixels(opened.session.folder / "pen-cutout.png"), before)
    opened.session.undo()
    assert opened.session.docket.knockout.softness is None


def test_editions_go_beside_the_scans_unless_told_otherwise(window, settle, scan: Path) -> None:  # type: ignore[no-untyped-def]
    """Without a chosen folder they are written into one of their own next to the first sheet."""
    window.session.folder_chosen = False
    drop(window, [scan])
    settle(window)
    window.write(False)
    settle(window)
    assert (scan.parent / "editions" / "pen-cutout.png").exists()


def test_dark_theme_and_every_panel_paint_without_a_complaint(opened, settle) -> None:  # type: ignore[no-untyped-def]
    """Every step in the dark theme; the surround stays a neutral grey by which white can be judged."""
    opened.set_theme("dark")
    for step in ("scan", "paper", "ink", "spotting", "knockout", "edge", "editions"):
        opened.session.go_to(step)
        settle(opened)
        opened.grab()
    r, g, b = opened.view.grab().toImage().pixelColor(3, 3).getRgb()[:3]
    assert max(r, g, b) - min(r, g, b) <= 4
    opened.show_keys()
    opened.show_about()
    opened.set_theme("light")


def test_every_action_has_a_menu_and_no_key_means_two_things(window) -> None:  # type: ignore[no-untyped-def]
    """All actions are reachable by menu; each key is bound once."""
    keys = [s.toString() for a in window.actions_.values() for s in a.shortcuts()]
    assert len(keys) == len(set(keys))
    for action in window.actions_.values():
        assert action.text()


def test_the_window_library_keeps_its_references(window) -> None:  # type: ignore[no-untyped-def]
    """Some builds drop a reference to None with every call and abort after a few thousand: this one must not."""
    window.setToolTip("a")
    before = sys.getrefcount(None)
    for _ in range(200):
        window.setToolTip("a")
    assert abs(sys.getrefcount(None) - before) < 50


def test_a_first_look_comes_before_the_settled_sheet(window, settle, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """A large JPEG shows from a reduced decode first; what settles is the full scan in the same place."""
    big = np.kron(pen_scan().encoded[:400, :480], np.ones((5, 5, 1), np.uint8))
    path = tmp_path / "big.jpg"
    Image.fromarray(big).save(path, quality=90)
    shown: list[Sheet] = []

    def note() -> None:
        entry = window.session.entry
        if entry and entry.sheet:
            shown.append(entry.sheet)

    window.session.sheet_changed.connect(note)
    drop(window, [path])
    settle(window)
    states = [(sheet.settled, sheet.full_size) for sheet in shown]
    assert [settled for settled, _ in states][:2] == [False, True]
    assert states[0][1] == states[1][1] == (big.shape[1], big.shape[0])
    assert shown[0].scale > 4  # smaller files are decoded in full at once
    assert shown[1].scale == 1
    assert isinstance(window.session.docket, Docket)


def test_sheets_of_one_name_replace_neither_each_other_nor_a_scan(window, settle, tmp_path: Path) -> None:
    """Two files called alike and a scan called as an edition would be: all editions are written, with a number where one is
    needed; with overwriting allowed, the scan is still what it was."""
    paths = [tmp_path / "left" / "pen.png", tmp_path / "right" / "pen.png", tmp_path / "out" / "pen-paper.png"]
    for path, amount in zip(paths, (1, 2, 3), strict=True):
        path.parent.mkdir()
        picture = pen_scan().encoded[:250, :300].copy()
        cv2.circle(picture, (130, 130), 28 * amount, (30, 30, 30), -1)
        path.write_bytes(png_bytes(picture))
    before = paths[2].read_bytes()
    window.open_files(paths)
    settle(window)
    window.editions.paper.setChecked(False)
    window.editions.overwrite.setChecked(True)
    window.write(True)
    settle(window)
    names = ["pen-cutout.png", "pen-2-cutout.png", "pen-paper-cutout.png"]
    assert {path.name for path in window.session.folder.iterdir()} == {*names, "pen-paper.png"}
    dark = [int((pixels(window.session.folder / name)[..., 3] > 200).sum()) for name in names]
    assert dark[0] < dark[1] < dark[2]
    window.editions.paper.setChecked(True)
    window.session.choose(0)
    settle(window)
    window.write(False)
    settle(window)
    assert "one of the scans" in window.messages.text.text()
    assert paths[2].read_bytes() == before
