"""Paper and Ink driven as a user would: clicks, brushes, keys; and what the written file's pixels then are."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from captures import drawn_sheet, shot
from hands import type_in
from sheets import png_bytes
from woad.app import handwork
from woad.app.tools.hand import place_point
from woad.core.docket.marking import PaperSettings
from woad.core.raster.transfer import srgb_encode
from woad.demo.scanner import Light

LEFT = Qt.MouseButton.LeftButton
W, H = 640, 480


def drawing() -> np.ndarray:
    """Black strokes, a grey block, faint lines and blue pencil on cream paper, (h, w, 3)."""
    rng = np.random.default_rng(11)
    linear = np.ones((H, W, 3), np.float32) * np.array([0.84, 0.82, 0.76], np.float32)
    pencil = np.zeros((H, W), np.float32)
    for x in range(60, 600, 60):
        cv2.line(pencil, (x, 240), (x + 20, 460), 1.0, 4, cv2.LINE_AA)
    linear *= 1 - pencil[..., None] * (1 - np.array([0.45, 0.7, 0.94], np.float32))
    ink = np.zeros((H, W), np.float32)
    for y in (260, 320, 380):
        cv2.line(ink, (30, y), (610, y + 10), 1.0, 5, cv2.LINE_AA)
    cv2.rectangle(ink, (60, 40), (180, 120), 1.0, -1)
    cv2.rectangle(ink, (250, 50), (350, 110), 0.55, -1)
    linear *= 1 - ink[..., None] * 0.955
    linear *= np.linspace(1, 0.7, W, dtype=np.float32)[None, :, None]
    linear = cv2.GaussianBlur(linear, (0, 0), 0.6) + rng.normal(0, 0.0025, linear.shape)
    return np.clip(srgb_encode(np.clip(linear, 0, 1)) * 255 + 0.5, 0, 255).astype(np.uint8)


@pytest.fixture
def desk(window, settle, arrive, tmp_path: Path):  # type: ignore[no-untyped-def]
    """The drawing opened as it lies, at the Paper step."""
    path = tmp_path / "boat.png"
    path.write_bytes(png_bytes(drawing()))
    window.open_files([path])
    arrive(window)
    window.session.change("square.on", False, "as it lies")
    window.session.change_medium("pen")
    window.session.change("knockout.colour", "one ink", "One ink")
    QTest.mouseClick(window.bench.tiles["paper"], LEFT)
    settle(window)
    return window


def at(window, x: float, y: float) -> QPoint:  # type: ignore[no-untyped-def]
    """A point of the scan, in the view."""
    return place_point(window.view, (x / W, y / H)).toPoint()


def click(window, settle, x: float, y: float) -> None:  # type: ignore[no-untyped-def]
    QTest.mouseClick(window.view, LEFT, pos=at(window, x, y))
    settle(window)


def brush(window, settle, *points: tuple[float, float]) -> None:  # type: ignore[no-untyped-def]
    QTest.mousePress(window.view, LEFT, pos=at(window, *points[0]))
    for point in points[1:]:
        QTest.mouseMove(window.view, at(window, *point))
    QTest.mouseRelease(window.view, LEFT, pos=at(window, *points[-1]))
    settle(window)


def key(window, settle, which: Qt.Key, with_: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:  # type: ignore[no-untyped-def]
    QTest.keyClick(window.view, which, with_)
    settle(window)


def undo(window, settle) -> None:  # type: ignore[no-untyped-def]
    key(window, settle, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def alpha(window, settle) -> np.ndarray:  # type: ignore[no-untyped-def]
    """Alpha of the cut-out as written."""
    window.editions.overwrite.setChecked(True)
    window.write(False)
    settle(window)
    image = cv2.imread(str(window.session.folder / "boat-cutout.png"), cv2.IMREAD_UNCHANGED)
    assert image is not None
    return image[..., 3]


def test_places_are_set_shown_taken_away_and_undone(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """A click on paper makes a pin, a click on ink is refused with a sentence, a click on the pin takes it away."""
    said: list[str] = []
    desk.session.refused.connect(said.append)
    key(desk, settle, Qt.Key.Key_V)
    click(desk, settle, 500, 100)
    assert len(desk.session.docket.paper.at) == 1
    assert desk.session.docket.paper.at[0] == pytest.approx((500 / W, 100 / H), abs=0.005)
    assert desk.session.entry.sheet.said.paper
    reading = desk.view.pin_reading(desk.session.docket.paper.at[0])
    assert min(reading.colour) >= 250
    click(desk, settle, 120, 80)
    assert len(desk.session.docket.paper.at) == 1
    assert "mark" in said[-1]
    click(desk, settle, 500, 100)
    assert desk.session.docket.paper.at == ()
    undo(desk, settle)
    assert len(desk.session.docket.paper.at) == 1
    QTest.mouseClick(desk.panels["paper"].brush.clear, LEFT)
    settle(desk)
    assert not desk.session.entry.sheet.said.paper


def test_the_darkest_mark_is_what_was_clicked(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """Half-tone grey clicked as the darkest mark is written fully opaque; without the click it is not."""
    before = alpha(desk, settle)[80, 300]
    key(desk, settle, Qt.Key.Key_X)
    assert desk.session.step == "ink"
    click(desk, settle, 300, 80)
    assert before < 245
    assert alpha(desk, settle)[60:100, 260:340].mean() >= 250


def test_a_brush_darkens_where_it_went(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """One stroke is one undo entry; paper under the brush stays bare, the mark gets denser, and undo takes it back."""
    plain = alpha(desk, settle)
    entries = len(desk.session.entry.history.entries)
    key(desk, settle, Qt.Key.Key_J)
    desk.session.look(brush=0.1, brush_strength=1.0)
    brush(desk, settle, (250, 80), (280, 80), (320, 80), (360, 80), (420, 80))
    assert len(desk.session.entry.history.entries) == entries + 1
    assert desk.session.docket.paper.touches[0].kind == "darken"
    dark = alpha(desk, settle)
    assert dark[75:85, 280:330].mean() > plain[75:85, 280:330].mean() + 10
    assert dark[75:85, 385:430].max() == 0
    np.testing.assert_array_equal(dark[300:], plain[300:])
    undo(desk, settle)
    np.testing.assert_array_equal(alpha(desk, settle), plain)


def test_strengthened_marks_are_stronger_in_the_file(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """Pencil that is brushed over covers more in the file there, nothing else does, and one undo takes it back."""
    before = alpha(desk, settle)
    key(desk, settle, Qt.Key.Key_U)
    assert desk.session.step == "ink"
    brush(desk, settle, (190, 280), (192, 290), (194, 300))
    assert len(desk.session.docket.ink.touches) == 1
    after = alpha(desk, settle)
    lines = (slice(272, 305), slice(170, 220))
    assert after[lines].max() > before[lines].max() + 20 and after[lines].sum() > 1.2 * before[lines].sum()
    bare = cv2.dilate(before, np.ones((3, 3), np.uint8))[lines] == 0  # beside a mark its blur had been sharpened away
    assert bare.sum() > 300 and after[lines][bare].max() < 6  # bare paper stays bare, but for a grain or two
    np.testing.assert_array_equal(after[:, 320:], before[:, 320:])
    undo(desk, settle)
    np.testing.assert_array_equal(alpha(desk, settle), before)


def test_a_pencil_colour_is_picked_and_vanishes(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """Clicked once, the blue is gone from the file, the ink across it is whole; its chip brings it back."""
    key(desk, settle, Qt.Key.Key_Z)
    click(desk, settle, 64.5, 290)
    panel = desk.panels["ink"]
    cut = alpha(desk, settle)
    assert cut[275:305, 60:85].mean() < 1
    assert cut[264:266, 290:350].min() > 240
    assert panel.drop_out.chips[0].isVisible()
    assert "of 255" in panel.pencil.value.text()
    QTest.mouseClick(panel.drop_out.chips[0], LEFT)
    settle(desk)
    assert desk.session.docket.ink.drop_out == "off"
    assert alpha(desk, settle)[275:305, 60:85].mean() > 10


def test_ink_that_is_picked_as_drop_out_is_refused(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """A clear sentence, and the settings stay."""
    said: list[str] = []
    desk.session.refused.connect(said.append)
    key(desk, settle, Qt.Key.Key_Z)
    click(desk, settle, 120, 80)
    assert "cannot be dropped out" in said[-1]
    click(desk, settle, 500, 100)
    assert "paper's own" in said[-1]
    assert desk.session.docket.ink.drop_out == "off"


def test_two_tone_by_the_panel_is_written(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """Behind More: black and white only, apart from edges."""
    QTest.mouseClick(desk.bench.tiles["ink"], LEFT)
    panel = desk.panels["ink"]
    QTest.mouseClick(panel.more.head, LEFT)
    QTest.mouseClick(panel.two_tone.button("shape"), LEFT)
    settle(desk)
    cut = alpha(desk, settle)
    assert ((cut > 8) & (cut < 247)).mean() < 0.25 * (cut > 127).mean()
    assert cut[60:100, 80:160].min() == 255


def test_sharpening_typed_in_too_high_is_called_overdone(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """The reading says so beyond what the sheet asks for, and no more once it is put back."""
    QTest.mouseClick(desk.bench.tiles["ink"], LEFT)
    settle(desk)
    panel = desk.panels["ink"]
    assert "overdone" not in panel.beyond.value.text()
    number = panel.sharpness.number
    type_in(number, "200")
    settle(desk)
    assert desk.session.docket.ink.sharpness == 2.0
    assert "overdone" in panel.beyond.value.text()
    undo(desk, settle)
    assert "overdone" not in panel.beyond.value.text()


def test_takes_are_kept_flipped_and_mixed(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """Two takes flip with one key; half of one in the other is written as the mean of both pictures."""
    key(desk, settle, Qt.Key.Key_Y)
    pen = alpha(desk, settle).astype(int)
    desk.session.change("ink.two_tone", "shape", "Two-tone")
    desk.session.change("ink.boldness", 0.8, "Boldness")
    key(desk, settle, Qt.Key.Key_Y)
    bold = alpha(desk, settle).astype(int)
    assert [take.name for take in desk.session.entry.takes] == ["take 1", "take 2"]
    key(desk, settle, Qt.Key.Key_T)
    assert desk.session.docket.ink.two_tone == "off"
    QTest.mouseClick(desk.bench.tiles["ink"], LEFT)
    settle(desk)
    made = desk.panels["ink"].takes
    made.which.setCurrentIndex(2)
    made.which.activated.emit(2)
    settle(desk)
    assert desk.session.docket.mix.name == "take 2"
    assert np.abs(alpha(desk, settle) - (pen + bold) / 2).max() <= 1
    key(desk, settle, Qt.Key.Key_T)
    assert desk.session.docket.ink.two_tone == "shape"
    type_in(made.names[0], "take 2")
    assert desk.session.entry.takes[0].name == "take 1"
    QTest.mouseClick(made.keep, LEFT)
    assert len(desk.session.entry.takes) == 3


def test_the_light_is_shown_only_where_it_belongs(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """E lays the light over the Paper step; the exported file knows nothing of it."""
    plain = alpha(desk, settle)
    image = desk.view.frame.image.copy()
    key(desk, settle, Qt.Key.Key_E)
    assert np.abs(desk.view.frame.image.astype(int) - image).mean() > 0.5
    np.testing.assert_array_equal(alpha(desk, settle), plain)
    QTest.mouseClick(desk.bench.tiles["ink"], LEFT)
    settle(desk)
    assert all(kind != "light" for kind, _ in desk.view.request().overlays)


def test_points_that_cross_on_the_plot_are_refused(desk, settle) -> None:  # type: ignore[no-untyped-def]
    """A typed ink point lighter than the middle point: one sentence, the old value stays."""
    said: list[str] = []
    desk.session.refused.connect(said.append)
    desk.session.change("ink.middle", 0.5, "Middle")
    desk.session.change("ink.ink", 0.3, "Ink")
    assert "in this order" in said[-1]
    assert desk.session.docket.ink.ink is None


def test_a_sheet_without_ink_stays_usable(window, settle, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """Every tool can be taken and used on an empty sheet; nothing breaks, and the panel says that no ink was found."""
    rng = np.random.default_rng(1)
    (tmp_path / "empty.png").write_bytes(png_bytes(np.clip(rng.normal(225, 2, (300, 400, 3)), 0, 255).astype(np.uint8)))
    window.open_files([tmp_path / "empty.png"])
    settle(window)
    said: list[str] = []
    window.session.refused.connect(said.append)
    for which in (Qt.Key.Key_X, Qt.Key.Key_Z, Qt.Key.Key_U, Qt.Key.Key_H):
        key(window, settle, which)
        QTest.mouseClick(window.view, LEFT, pos=window.view.rect().center())
        settle(window)
    assert window.panels["ink"].before.value.text() == "none found"
    assert len(said) == 2


@pytest.mark.proof
def test_paper_offers_the_border_and_says_what_a_hard_shadow_leaves(window, settle, arrive, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """A sheet painted almost to its edge offers its border, in one undo; one with a hard shadow says what stays."""
    rng = np.random.default_rng(2)
    linear = np.full((600, 480, 3), 0.55, np.float32)
    wash = cv2.GaussianBlur(rng.random((600, 480, 3)).astype(np.float32), (0, 0), 25)
    linear[7:-7, 7:-7] = 0.05 + 0.3 * ((wash - wash.min()) / np.ptp(wash))[7:-7, 7:-7]
    eight = np.rint(srgb_encode(linear + rng.normal(0, 0.002, linear.shape).astype(np.float32)) * 255).astype(np.uint8)
    (tmp_path / "wash.png").write_bytes(png_bytes(eight))
    hard = shot(drawn_sheet(480, 600), Light(shadow=0.5, shadow_at=0.55, penumbra=0.02))
    (tmp_path / "shadow.png").write_bytes(png_bytes(hard))
    window.open_files([tmp_path / "wash.png", tmp_path / "shadow.png"])
    arrive(window)
    window.session.choose(0)
    arrive(window)
    window.session.change("square.on", False, "as it lies")
    QTest.mouseClick(window.bench.tiles["paper"], LEFT)
    settle(window)
    panel = window.panels["paper"]
    assert not panel.shadow.name.text()
    QTest.mouseClick(panel.border, LEFT)
    settle(window)
    assert len(window.session.docket.paper.at) >= 10
    window.write(False)
    settle(window)
    paper = cv2.imread(str(window.session.folder / "wash-paper.png"))
    assert paper[2:5].min(axis=2).mean() > 250  # the rim is white, and the wash is a wash
    assert paper[100:-100, 100:-100].mean() < 190
    handwork.remove_places(window.session, "paper-place")
    assert window.session.docket.paper == PaperSettings()  # the next click is a click like any other
    undo(window, settle)
    assert window.session.docket.paper.only
    undo(window, settle)
    assert window.session.docket.paper.at == ()
    window.session.choose(1)
    settle(window)
    assert "hard edge" in panel.shadow.name.text()


@pytest.mark.proof
def test_printed_squares_are_gone_from_the_file_unless_they_are_kept(window, settle, arrive, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """The panel offers it only where there is a print, says what it is, and Kept leaves it."""
    sheet = drawn_sheet(400, 480)
    squares = np.zeros((480, 400), np.float32)
    squares[6::20], squares[:, 9::20] = 1.0, 1.0
    for name, linear in (("plain", sheet), ("squares", sheet * (1 - 0.25 * squares[..., None]))):
        (tmp_path / f"{name}.png").write_bytes(png_bytes(shot(linear, Light(0.05))))
    window.open_files([tmp_path / "plain.png", tmp_path / "squares.png"])
    panel = window.panels["paper"]
    for number, there in ((0, False), (1, True)):
        window.session.choose(number)
        arrive(window)
        window.session.change("square.on", False, "as it lies")
        QTest.mouseClick(window.bench.tiles["paper"], LEFT)
        settle(window)
        assert panel.ruling.isVisible() == there
    assert panel.printed.value.text().startswith("squares, 1.7 mm")
    window.editions.overwrite.setChecked(True)
    bare = (squares > 0) & (cv2.erode(sheet.min(axis=2), np.ones((9, 9))) > 0.6)

    def written() -> np.ndarray:
        window.write(False)
        settle(window)
        return cv2.imread(str(window.session.folder / "squares-paper.png"))[bare]

    assert np.percentile(written(), 1) >= 253
    QTest.mouseClick(panel.ruling.button(False), LEFT)
    settle(window)
    assert written().mean() < 240


@pytest.mark.proof
def test_the_reverse_side_is_gone_from_the_file_until_blotches_are_set_to_nothing(  # type: ignore[no-untyped-def]
    window, settle, arrive, tmp_path: Path
) -> None:
    """The panel says that something shows through, and starts the slider there."""
    sheet = drawn_sheet(480, 600)
    behind = np.zeros((600, 480), np.float32)
    for x in range(85, 380, 40):
        cv2.line(behind, (x, 80), (x + 25, 100), 1.0, 6, cv2.LINE_AA)
        cv2.line(behind, (x, 515), (x + 25, 495), 1.0, 6, cv2.LINE_AA)
    behind = cv2.GaussianBlur(behind, (0, 0), 1.8)
    (tmp_path / "page.png").write_bytes(png_bytes(shot(sheet * (1 - 0.16 * behind[..., None]), Light(0.05))))
    window.open_files([tmp_path / "page.png"])
    arrive(window)
    QTest.mouseClick(window.bench.tiles["paper"], LEFT)
    settle(window)
    panel = window.panels["paper"]
    assert panel.behind.isVisible()
    assert float(panel.blotches.number.text()) > 10
    window.editions.overwrite.setChecked(True)
    ink = cv2.dilate((sheet.min(axis=2) < 0.6).astype(np.uint8), np.ones((13, 13), np.uint8)) > 0
    faint = (behind > 0.5) & ~ink

    def coverage() -> float:
        window.write(False)
        settle(window)
        return float(cv2.imread(str(window.session.folder / "page-cutout.png"), cv2.IMREAD_UNCHANGED)[faint, 3].mean())

    assert coverage() == 0
    type_in(panel.blotches.number, "0")
    settle(window)
    assert coverage() > 8
