"""Shared fixtures: the window, and waiting until it is idle."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent))

import pytest


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
    """What several tests open is decoded and measured once; each gets a sheet that remembers nothing of the others."""
    from woad.app import jobs
    from woad.core.render.patches import PatchStore

    known: dict[tuple[str, bytes], jobs.Loaded] = {}
    patch = pytest.MonkeyPatch()
    plain = jobs.load_full

    def load_full(first: jobs.Loaded) -> jobs.Loaded:
        key = (first.original.name, first.original.data)
        if key not in known:
            known[key] = plain(first)
        loaded = known[key]
        return replace(
            loaded, sheet=replace(loaded.sheet, original=first.original, mends=PatchStore(), held=PatchStore(10))
        )

    patch.setattr(jobs, "load_full", load_full)
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
