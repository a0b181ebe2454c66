"""How sheets arrive: a watched folder, PDF pages, several at once; and files that vanish."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from captures import image_file, pdf_of, tilted
from woad.app.watch import LOOK_MS


@pytest.fixture
def inbox(window, tmp_path: Path, monkeypatch):  # type: ignore[no-untyped-def]
    """A watched folder with one old picture in it, looked at three times as often as usual."""
    monkeypatch.setattr("woad.app.watch.LOOK_MS", LOOK_MS // 3)
    folder = tmp_path / "inbox"
    folder.mkdir()
    (folder / "old.png").write_bytes(image_file(tilted(0.0)))
    window.start_watching(folder)
    assert window.desk.watch.folder == folder
    return folder


def names(window) -> list[str]:  # type: ignore[no-untyped-def]
    return [entry.name for entry in window.session.entries]


def test_a_file_that_grows_slowly_is_taken_in_once_it_is_whole(window, qtbot, settle, inbox: Path) -> None:  # type: ignore[no-untyped-def]
    """Not while it grows, not while it rests half-way, then once; what was there before and other files are left."""
    data = image_file(tilted(0.0))
    path = inbox / "new.png"
    part = len(data) // 3
    with open(path, "wb") as file:
        for i in range(2):
            file.write(data[i * part : (i + 1) * part])
            file.flush()
            qtbot.wait(100)
        qtbot.wait(400)
        assert names(window) == []
        file.write(data[2 * part :])
    (inbox / "notes.txt").write_text("no picture")
    qtbot.waitUntil(lambda: names(window) == ["new.png"], timeout=10_000)
    settle(window)
    qtbot.wait(300)
    assert names(window) == ["new.png"]
    assert window.session.entry.state == "ready"


def test_a_file_moved_in_whole_is_taken_in(window, qtbot, settle, inbox: Path, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """As browsers and phones do it: written elsewhere or under another name, then renamed."""
    part = inbox / "scan.jpg.part"
    part.write_bytes(image_file(tilted(0.0)))
    qtbot.wait(200)
    assert names(window) == []
    part.rename(inbox / "scan.png")
    qtbot.waitUntil(lambda: names(window) == ["scan.png"], timeout=10_000)
    settle(window)


@pytest.mark.proof
def test_a_vanished_folder_is_said_and_sheets_stay(window, qtbot, settle, inbox: Path) -> None:  # type: ignore[no-untyped-def]
    """One sentence; the watch is over; what was taken in is safe."""
    (inbox / "new.png").write_bytes(image_file(tilted(0.0)))
    qtbot.waitUntil(lambda: names(window) == ["new.png"], timeout=10_000)
    settle(window)
    shutil.rmtree(inbox)
    qtbot.waitUntil(lambda: window.desk.watch.folder is None, timeout=10_000)
    assert "inbox is gone" in window.messages.text.text()
    assert names(window) == ["new.png"]
    window.start_watching(inbox)
    assert "cannot be watched" in window.messages.text.text()


def test_editions_written_into_the_watched_folder_are_not_taken_in(window, qtbot, settle, inbox: Path) -> None:  # type: ignore[no-untyped-def]
    """Else each edition would be cleaned and written as a sheet of its own, without an end."""
    (inbox / "new.png").write_bytes(image_file(tilted(0.0)))
    qtbot.waitUntil(lambda: names(window) == ["new.png"], timeout=10_000)
    settle(window)
    window.session.folder = inbox
    window.write(False)
    settle(window)
    assert (inbox / "new-paper.png").exists()
    (inbox / "next.png").write_bytes(image_file(tilted(0.0)))
    qtbot.waitUntil(lambda: "next.png" in names(window), timeout=10_000)
    settle(window)
    assert names(window) == ["new.png", "next.png"]


def test_watching_stops_on_request(window, qtbot, inbox: Path) -> None:  # type: ignore[no-untyped-def]
    """The same menu entry ends it; later files are left alone."""
    window.actions_["watch"].trigger()
    assert window.desk.watch.folder is None
    (inbox / "later.png").write_bytes(image_file(tilted(0.0)))
    qtbot.wait(400)
    assert names(window) == []


def test_pages_of_a_pdf_become_sheets_and_bad_ones_a_sentence(window, settle, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """Two pages, two sheets with their resolution; a PDF without a picture says so and takes nothing away."""
    good, bad = tmp_path / "scans.pdf", tmp_path / "text.pdf"
    good.write_bytes(pdf_of(tilted(0.0), 3.5, 2))
    bad.write_bytes(pdf_of(None))
    window.open_files([good, bad])
    settle(window)
    assert names(window) == ["scans-page-1", "scans-page-2"]
    assert window.session.entry.sheet.ppi == pytest.approx(200, abs=1)
    assert "no scanned picture" in window.messages.text.text()


@pytest.mark.proof
def test_pages_are_read_beside_the_window(window, settle, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """A PDF has its place on the pile at once; its pages come in there, and the sheet chosen meanwhile stays so."""
    scans, other = tmp_path / "scans.pdf", tmp_path / "other.png"
    scans.write_bytes(pdf_of(tilted(0.0), 3.5, 2))
    other.write_bytes(image_file(tilted(0.0)))
    window.open_files([scans, other])
    assert names(window) == ["scans.pdf", "other.png"]
    window.session.choose(1)
    settle(window)
    assert names(window) == ["scans-page-1", "scans-page-2", "other.png"]
    assert window.session.entry.name == "other.png"
    assert [entry.state for entry in window.session.entries] == ["ready"] * 3


def test_a_file_removed_while_it_waits_is_said(window, settle, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """Several dropped at once, one of them gone before its turn: the others open."""
    paths = [tmp_path / f"{name}.png" for name in ("one", "two", "three")]
    for path in paths:
        path.write_bytes(image_file(tilted(0.0)))
    window.open_files(paths)
    paths[2].unlink()
    settle(window)
    assert names(window)[:2] == ["one.png", "two.png"]
    said = window.messages.text.text()
    assert names(window) == ["one.png", "two.png", "three.png"] or "three.png is not there" in said
