"""Shared fixtures: the window, and waiting until it is idle."""

from __future__ import annotations

import os
import sys
from collections.abc import Hashable, Iterator
from pathlib import Path
from types import ModuleType

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent))

import cv2
import pytest
from hypothesis import HealthCheck, settings

settings.register_profile("no time limits", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("no time limits")  # a machine may be as slow as it is

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
def measured_once() -> Iterator[None]:
    """What several tests open is looked at and measured once; all else of a sheet is each test's own."""
    from woad.app import jobs
    from woad.core.render import sheet

    patch = pytest.MonkeyPatch()

    def once(module: ModuleType, name: str) -> None:
        known: dict[tuple[Hashable, ...], object] = {}
        plain = getattr(module, name)

        def asked(*args: object, **named: object) -> object:
            key = (*map(_shown, args), *named.items())
            if key not in known:
                known[key] = plain(*args, **named)
            return known[key]

        patch.setattr(module, name, asked)

    once(sheet, "measure")
    once(sheet, "find_square")
    once(jobs, "look_at_scan")
    yield
    patch.undo()


def _shown(value: object) -> Hashable:
    """What a pyramid shows: its scan, and the frame that it is seen through. Other values stand for themselves."""
    from woad.core.raster.pyramid import Pyramid

    if not isinstance(value, Pyramid):
        return value  # type: ignore[return-value]
    top, seen = value.levels[0], getattr(value, "base", value) if value.negative else value
    return hash(top.tobytes()), top.shape, top.dtype.str, getattr(seen, "frame", None), value.negative


@pytest.fixture
def settle(qtbot):  # type: ignore[no-untyped-def]
    """Wait until the window has nothing left to do."""

    def wait(window: object) -> None:
        from PySide6.QtCore import QEventLoop, QTimer

        calm, looks, loop, clock = 0, 0, QEventLoop(), QTimer()

        def look() -> None:
            nonlocal calm, looks
            calm, looks = (calm + 1 if window.idle() else 0), looks + 1  # type: ignore[attr-defined]
            if calm >= 4 or looks >= 4000:
                loop.quit()

        clock.timeout.connect(look)
        clock.start(5)
        loop.exec()
        clock.stop()
        assert calm >= 4, "the window did not come to rest"

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
