"""The Scan and Square steps driven as a user would, down to the written file."""

from __future__ import annotations

from math import hypot
from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from captures import CORNERS, drawn_sheet, image_file, photo, saved, shot, tilted
from hands import pull, type_in
from woad.app.tools.square import bow_places, corner_places, trim_rect, turn_handle
from woad.app.view.rulers import THICK

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def bench(window, settle, arrive, tmp_path: Path):  # type: ignore[no-untyped-def]
    """Opens pictures in the window, at the Square step."""

    def open_(*images: np.ndarray):  # type: ignore[no-untyped-def]
        paths = []
        for i, image in enumerate(images):
            paths.append(tmp_path / f"sheet-{i}.png")
            paths[-1].write_bytes(image_file(image))
        window.open_files(paths)
        arrive(window)
        QTest.mouseClick(window.bench.tiles["square"], LEFT)
        settle(window)
        return window

    return open_


def drag(view, start: QPointF, end: QPointF, release: bool = True) -> None:  # type: ignore[no-untyped-def]
    pull(view, [start + (end - start) * share for share in (0.0, 0.3, 0.7, 1.0)], release=release)


def seen(window) -> np.ndarray:  # type: ignore[no-untyped-def]
    """The view's pixels, (h, w, 3)."""
    image = window.view.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).copy()


def undo(window) -> None:  # type: ignore[no-untyped-def]
    QTest.keyClick(window.view, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def written(window, settle, name: str = "sheet-0-paper.png") -> np.ndarray:  # type: ignore[no-untyped-def]
    window.editions.overwrite.setChecked(True)
    window.write(False)
    settle(window)
    image = cv2.imread(str(window.session.folder / name))
    assert image is not None
    return image


def tilt_of(image: np.ndarray) -> float:
    """Tilt of the written sheet's longest level line, degrees, by a plain fit."""
    dark = image.min(axis=2) < 128
    h, w = dark.shape
    rows = [int(np.argmax(dark[: h // 3, x])) for x in (w // 3, w // 2, 2 * w // 3)]
    return float(np.degrees(np.arctan2(rows[2] - rows[0], w // 3)))


def test_a_tilted_scan_is_straight_in_the_written_file(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """Found by itself, shown on tile and panel, and out of the edition's pixels."""
    window = bench(tilted(4.0))
    assert window.bench.tiles["square"].reading == "4.0°"
    assert "+4.0" in window.panels["square"].tilt.value.text()
    assert not window.panels["square"].tape.isVisible()
    assert abs(tilt_of(written(window, settle))) < 0.25


def test_a_drawn_level_line_straightens_and_undo_takes_it_back(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """Straightening set to 0 by number; a line drawn along the slanting frame is level afterwards, also in the file."""
    window = bench(tilted(4.0))
    number = window.panels["square"].straighten.number
    type_in(number, "0")
    settle(window)
    assert abs(tilt_of(written(window, settle)) - 4.0) < 0.5
    QTest.mouseClick(window.panels["square"].tools["level"], LEFT)
    view = window.view
    a = view.widget_point(150, 300)
    b = a + QPointF(240, 240 * np.tan(np.deg2rad(4.0)))
    drag(view, a, b)
    settle(window)
    assert window.session.docket.square.straighten == pytest.approx(4.0, abs=0.35)
    assert window.session.tool == ""
    assert abs(tilt_of(written(window, settle))) < 0.5
    undo(window)
    settle(window)
    assert window.session.docket.square.straighten == 0


def test_corners_are_dragged_on_the_scan_with_a_magnifier(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """The handles lie on the found corners; one dragged 30 px moves that corner in the docket; undo brings it back."""
    window = bench(photo().encoded)
    assert window.bench.tiles["square"].reading == "keystone undone"
    QTest.mouseClick(window.panels["square"].tools["corners"], LEFT)
    settle(window)
    view = window.view
    assert view.canvas_now().kind == "scan"
    places = corner_places(view)
    assert np.abs(np.array(places) - CORNERS).max() < 1.5
    start = view.widget_point(*places[2])
    drag(view, start, start + QPointF(-30, -20), release=False)
    settle(window)
    lens = view.grab().toImage().pixelColor(80, 30)
    QTest.mouseRelease(view, LEFT, pos=(start + QPointF(-30, -20)).toPoint())
    settle(window)
    assert lens != view.grab().toImage().pixelColor(80, 30)
    moved = np.array(corner_places(view)[2]) - places[2]
    zoom = view.viewport_.zoom
    assert hypot(moved[0] + 30 / zoom, moved[1] + 20 / zoom) < 3 / zoom
    undo(window)
    settle(window)
    assert window.session.docket.square.corners == "auto"


def test_crossed_corners_are_refused_in_a_sentence(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """A corner dragged across the opposite side changes nothing; the bar says why."""
    window = bench(photo().encoded)
    window.session.take_tool("corners")
    settle(window)
    places = [window.view.widget_point(x, y) for x, y in corner_places(window.view)]
    QTest.mousePress(window.view, LEFT, pos=places[0].toPoint())
    QTest.mouseMove(window.view, (places[2] + QPointF(60, 40)).toPoint())
    QTest.mouseRelease(window.view, LEFT, pos=(places[2] + QPointF(60, 40)).toPoint())
    settle(window)
    # In the words of the screen: the setting's name and its numbers are for scripts.
    assert window.messages.text.text().startswith("The corners cross")
    assert window.session.docket.square.corners == "auto"
    # It goes when work goes on; what was said about a file stays.
    window.session.turn("left")
    assert not window.messages.isVisible()
    window.session.message.emit("A file could not be read.")
    window.session.turn("right")
    assert window.messages.isVisible()


@pytest.mark.proof
def test_a_set_trim_frame_comes_back_with_a_corner_dragged_away_and_back(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """A corner taken so far in that the frame would lie beside the sheet: nothing is refused, and on the way back the
    frame is where it was."""
    window = bench(photo().encoded)
    window.session.change_square("Trim", trim=(0.02, 0.9, 0.1, 0.08))
    window.session.take_tool("corners")
    settle(window)
    before = window.session.docket.square.trim
    places = [window.view.widget_point(x, y) for x, y in corner_places(window.view)]
    home, inside = places[3], (places[0] * 2 + places[1] + places[3] + QPointF(3, 0)) / 4
    QTest.mousePress(window.view, LEFT, pos=home.toPoint())
    QTest.mouseMove(window.view, inside.toPoint())
    QTest.mouseMove(window.view, (inside + QPointF(2, 2)).toPoint())
    settle(window)
    assert window.session.docket.square.trim != before
    QTest.mouseMove(window.view, home.toPoint())
    QTest.mouseRelease(window.view, LEFT, pos=home.toPoint())
    settle(window)
    assert not window.messages.isVisible()
    assert np.abs(np.subtract(window.session.docket.square.trim, before)).max() < 0.01


def test_the_trim_frame_is_dragged_typed_and_written(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """Its right edge dragged in, its numbers typed: the edition has just that size."""
    window = bench(tilted(0.0))
    view = window.view
    rect = trim_rect(view)
    start = QPointF(rect.right(), rect.center().y() - 40)
    drag(view, start, start - QPointF(60, 0))
    settle(window)
    width = window.session.entry.sheet.width
    assert width == pytest.approx(700 - 60 / view.viewport_.zoom, abs=3)
    assert written(window, settle).shape[1] == width
    fields = window.panels["square"].numbers
    window.session.look(unit="px")
    for field, text in zip(fields, ("50", "60", "400", "500"), strict=True):
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
    QTest.keyClick(fields[3], Qt.Key.Key_Return)
    settle(window)
    assert window.session.entry.sheet.full_size == (400, 500)
    for _ in range(5):  # four numbers and the drag
        undo(window)
    settle(window)
    assert window.session.entry.sheet.full_size == (700, 960)


@pytest.mark.proof
def test_the_frame_is_turned_by_its_handle(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """Dragging the handle a quarter of the way round straightens by as many degrees; one drag is one undo."""
    window = bench(tilted(0.0))
    view = window.view
    handle, centre = turn_handle(view), trim_rect(view).center()
    length = centre.y() - handle.y()
    angle = np.deg2rad(3.0)
    end = centre + QPointF(length * np.sin(angle), -length * np.cos(angle))
    drag(view, handle, end)
    settle(window)
    assert window.session.docket.square.straighten == pytest.approx(3.0, abs=0.4)
    undo(window)
    assert window.session.docket.square.straighten is None


def test_turning_mirroring_and_upside_down(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """Two quarter turns are half a turn; the written file is the scan's marks, turned."""
    window = bench(tilted(0.0))
    before = written(window, settle)
    QTest.mouseClick(window.panels["square"].turn_buttons["half"], LEFT)
    settle(window)
    assert np.abs(written(window, settle)[::-1, ::-1].astype(int) - before).mean() < 1
    QTest.mouseClick(window.panels["square"].turn_buttons["right"], LEFT)
    QTest.mouseClick(window.panels["square"].turn_buttons["right"], LEFT)
    QTest.mouseClick(window.panels["square"].turn_buttons["mirror"], LEFT)
    settle(window)
    assert window.session.docket.square.turn == 0
    assert np.abs(written(window, settle)[:, ::-1].astype(int) - before).mean() < 1


def sagging() -> np.ndarray:
    """A line of lettering that sags by 22 px."""
    image = np.full((500, 900, 3), 235, np.uint8)
    cv2.putText(image, "LOW WATER SPRING TIDE", (80, 240), cv2.FONT_HERSHEY_DUPLEX, 1.9, (20, 20, 20), 5, cv2.LINE_AA)
    y, x = np.mgrid[0:500, 0:900].astype(np.float32)
    sag = 22 * (1 - ((x - 450) / 370) ** 2)
    image = cv2.remap(image, x, y - sag, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.clip(image + np.random.default_rng(0).normal(0, 1.0, image.shape), 0, 255).astype(np.uint8)


def feet(image: np.ndarray) -> np.ndarray:
    """The lowest dark pixel in bands across the lettering."""
    dark = image.min(axis=2) < 128
    bands = [dark[:, x : x + 60].any(axis=1) for x in range(110, 760, 60)]
    return np.array([np.nonzero(band)[0].max() for band in bands], float)


@pytest.mark.proof
def test_a_bow_drawn_along_lettering_straightens_it(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """Drawn along the sagging feet, the feet end level in the file; dragging a point bends on; undo step by step."""
    window = bench(sagging())
    window.session.change_square("Straighten", straighten=0)
    settle(window)
    assert np.ptp(feet(written(window, settle))) > 12
    QTest.mouseClick(window.panels["square"].tools["bow"], LEFT)
    settle(window)
    view = window.view
    path = [view.widget_point(x, 243 + 22 * (1 - ((x - 450) / 370) ** 2)) for x in np.linspace(90, 810, 40)]
    QTest.mousePress(view, LEFT, pos=path[0].toPoint())
    for p in path[1:]:
        QTest.mouseMove(view, p.toPoint())
    QTest.mouseRelease(view, LEFT, pos=path[-1].toPoint())
    settle(window)
    assert len(window.session.docket.square.bows) == 1
    assert np.ptp(feet(written(window, settle))) < 6
    held = window.session.docket.square.bows[0].points[2]
    at = view.widget_point(*bow_places(view, window.session.docket, 0, True)[2])
    drag(view, at, at + QPointF(0, 12))
    settle(window)
    assert window.session.docket.square.bows[0].points[2][1] > held[1] + 0.01
    undo(window)
    assert window.session.docket.square.bows[0].points[2] == held
    undo(window)
    assert window.session.docket.square.bows == ()


def test_rulers_guides_and_grid_are_seen_and_never_written(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """A guide pulled from the ruler stays, catches the trim frame, hides with one key, and is in no file."""
    window = bench(tilted(0.0))
    before = written(window, settle)
    view = window.view
    for key in (Qt.Key.Key_R, Qt.Key.Key_M):
        QTest.keyClick(view, key)
    settle(window)
    target = view.widget_point(500, 400)
    drag(view, QPointF(THICK / 2, 300), QPointF(target.x(), 300))
    settle(window)
    (upright, place), *_ = window.session.entry.guides
    assert upright
    assert place == pytest.approx(500, abs=4)
    shown = view.grab().toImage()
    QTest.keyClick(view, Qt.Key.Key_G)
    settle(window)
    assert shown != view.grab().toImage()
    assert np.array_equal(written(window, settle), before)
    QTest.keyClick(view, Qt.Key.Key_G)
    rect = trim_rect(view)
    start = QPointF(rect.right(), rect.center().y() - 40)
    at_guide = view.widget_point(place, 0).x() + 4
    drag(view, start, QPointF(at_guide, start.y()))
    settle(window)
    box = window.session.docket.square.trim
    assert (box[0] + box[2]) * 700 == pytest.approx(place, abs=0.6)


def test_the_report_names_faults_and_shows_where(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """A hard-compressed, burnt-out sheet: two rows in madder, the tile's corner, and places shown on the sheet."""
    burnt = np.clip(tilted(0.0).astype(float) * 1.7, 0, 255).astype(np.uint8)
    window = bench(saved(burnt, 20))
    QTest.mouseClick(window.bench.tiles["scan"], LEFT)
    settle(window)
    panel = window.panels["scan"]
    assert panel.points.rows["burnt_out"].state == "lost"
    assert panel.points.rows["compressed"].state == "lost"
    assert "new scan" in window.bench.tiles["scan"].toolTip() or "Scan again" in window.bench.tiles["scan"].toolTip()
    plain = seen(window)
    QTest.mouseClick(panel.points.rows["burnt_out"], LEFT)
    settle(window)
    changed = (np.abs(seen(window).astype(int) - plain) > 20).any(axis=2)
    where = window.session.entry.report.fault("burnt_out").where
    shown = where.mean() * 700 * 960 * window.view.viewport_.zoom**2
    assert changed.sum() == pytest.approx(shown, rel=0.3)
    assert "burnt out" in panel.verdict.text()


def test_resolution_is_asked_in_one_field_and_everything_follows(bench, settle, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """A file without ppi: typed 350, the size is said in mm and in, the print is judged, the edition is tagged."""
    window = bench(tilted(0.0))
    QTest.mouseClick(window.bench.tiles["scan"], LEFT)
    panel = window.panels["scan"]
    assert "not in file" in panel.ppi_note.text()
    QTest.keyClicks(panel.ppi, "350")
    QTest.keyClick(panel.ppi, Qt.Key.Key_Return)
    settle(window)
    assert "51 × 70 mm" in panel.sizes.text()
    assert "in" in panel.sizes.text()
    panel.ppi.selectAll()
    QTest.keyClicks(panel.ppi, "5")
    QTest.keyClick(panel.ppi, Qt.Key.Key_Return)
    assert "from 20 to 10000 ppi" in window.messages.text.text()
    assert panel.ppi.text() == "350"
    QTest.keyClicks(panel.print_size, "400")
    QTest.keyClick(panel.print_size, Qt.Key.Key_Return)
    settle(window)
    assert panel.points.rows["low_ppi"].state == "lost"
    written(window, settle)
    from PIL import Image

    with Image.open(window.session.folder / "sheet-0-paper.png") as image:
        assert image.info["dpi"][0] == pytest.approx(350, abs=1)


@pytest.mark.proof
def test_watch_spots_stay_on_their_marks_when_the_sheet_is_turned(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """They are kept on the scan: after half a turn the spot is at the opposite place of the view."""
    window = bench(tilted(0.0))
    first = window.view.spot_rects()[0].center()
    window.session.turn("half")
    settle(window)
    second = window.view.spot_rects()[0].center()
    middle = trim_rect(window.view).center()
    assert (first + second - 2 * middle).manhattanLength() < 4
    assert QPoint(0, 0) != first.toPoint()


@pytest.mark.proof
def test_tape_is_gone_from_the_file_unless_it_is_kept(bench, settle) -> None:  # type: ignore[no-untyped-def]
    """The panel offers it only where there is tape; Kept brings it back into the written file."""
    w, h = 480, 640
    drawing, cover = drawn_sheet(w, h), np.zeros((h, w), np.uint8)
    for at, deg in (((20, 10), -50), ((450, 20), 35), ((20, 625), 48)):
        cv2.fillPoly(cover, [np.rint(cv2.boxPoints((at, (160, 60), deg))).astype(np.int32)], 1)
    taped = np.where(cover[..., None] > 0, np.array([0.78, 0.62, 0.38], np.float32), drawing)
    window = bench(shot(np.asarray(taped)))
    panel = window.panels["square"]
    assert panel.tape.isVisible()
    window.editions.overwrite.setChecked(True)
    middle = cv2.erode(cover, np.ones((9, 9), np.uint8)) > 0

    def alpha() -> np.ndarray:
        window.write(False)
        settle(window)
        return cv2.imread(str(window.session.folder / "sheet-0-cutout.png"), cv2.IMREAD_UNCHANGED)[middle, 3]

    assert alpha().max() == 0
    QTest.mouseClick(panel.tape.button(False), LEFT)
    settle(window)
    assert alpha().mean() > 60
