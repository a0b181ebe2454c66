"""Shared fixtures: the window, and waiting until it is idle."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent))

import cv2
import pytest

cv2.setNumThreads(1)  # tests run side by side, one to a core: threads of their own would only wait for each other


@pytest.fixture
def window(qtbot, tmp_path) -> Iterator[object]:  # type: ignore[no-untyped-def]
    """The main window, empty, writing to a folder of the test's own."""
    from woad.app import theme
    from woad.app.window import MainWindow

    theme.apply("light")
    made = MainWindow()
    qtbot.addWidget(made)
    made.resize(1280, 800)
    made.show()
    qtbot.waitExposed(made)
    made.complete()
    made.session.folder, made.session.folder_chosen = tmp_path / "out", True
    yield made
    made.close()


@pytest.fixture(autouse=True, scope="session")
def opened_once() -> Iterator[None]:
    """What several tests open is decoded, measured and judged once; each gets a sheet that remembers nothing of the others."""
    from woad.app import jobs, opening
    from woad.app.entry import Loaded
    from woad.core.docket.model import Docket
    from woad.core.formats.read import Original
    from woad.core.raster.pyramid import Pyramid
    from woad.core.render.patches import PatchStore
    from woad.core.render.report import ScanReport
    from woad.core.render.sheet import Sheet
    from woad.core.render.squaring import Found

    known: dict[tuple[str, bytes], Loaded] = {}
    squared: dict[tuple[str, bytes, str], Sheet] = {}
    reports: dict[tuple[object, ...], ScanReport] = {}
    patch = pytest.MonkeyPatch()
    plain, square, look = opening.load_full, jobs.resquare, jobs.look_at_scan

    def fresh(sheet: Sheet, like: Original) -> Sheet:
        return replace(sheet, original=like, mends=PatchStore(), held=PatchStore(10))

    def load_full(first: Loaded, docket: Docket | None) -> Loaded:
        if docket is not None:
            return plain(first, docket)
        key = (first.original.name, first.original.data)
        if key not in known:
            known[key] = plain(first)
        return replace(known[key], sheet=fresh(known[key].sheet, first.original))

    def resquare(sheet: Sheet, docket: Docket) -> Sheet:
        if sheet.strays is not None:
            return square(sheet, docket)
        key = (sheet.original.name, sheet.original.data, docket.to_json())
        if key not in squared:
            squared[key] = square(sheet, docket)
        return fresh(squared[key], sheet.original)

    def look_at_scan(
        original: Original, scan: Pyramid, found: Found, ppi: float | None, print_mm: float | None
    ) -> ScanReport:
        key = (original.name, original.data, scan.width, scan.height, ppi, print_mm)
        if key not in reports:
            reports[key] = look(original, scan, found, ppi, print_mm)
        return reports[key]

    patch.setattr(opening, "load_full", load_full)
    patch.setattr(jobs, "look_at_scan", look_at_scan)
    patch.setattr(jobs, "resquare", resquare)
    yield
    patch.undo()


@pytest.fixture
def settle(qtbot):  # type: ignore[no-untyped-def]
    """Wait until the window has nothing left to do."""

    def wait(window: object) -> None:
        calm = 0
        for _ in range(4000):
            qtbot.wait(5)
            calm = calm + 1 if window.idle() else 0  # type: ignore[attr-defined]
            if calm >= 4:
                return
        raise AssertionError("the window did not come to rest")

    return wait


@pytest.fixture
def arrive(qtbot):  # type: ignore[no-untyped-def]
    """Wait until the chosen sheet is measured; what else is made of it as it came would be thrown away by the next setting."""

    def wait(window: object) -> None:
        def measured() -> bool:
            entry = window.session.entry  # type: ignore[attr-defined]
            return entry is not None and entry.sheet is not None and entry.sheet.settled

        qtbot.waitUntil(measured, timeout=20_000)

    return wait


@pytest.fixture
def strewn_desk(window, settle, arrive, tmp_path):  # type: ignore[no-untyped-def]
    """The window with the strewn sheet on its own grid, at rest in the step that is asked for."""
    from sheets import strewn_file

    def open_in(step: str):  # type: ignore[no-untyped-def]
        window.open_files([strewn_file(tmp_path)])
        arrive(window)
        window.session.change("square.on", False, "x")
        window.session.go_to(step)
        settle(window)
        return window

    return open_in
