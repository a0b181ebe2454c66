"""The rows of the speed bench."""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import cv2
import numpy as np

import plain
from measured import run_measured
from woad.core.units import mm_to_px
from woad.demo.job import bench_sheet, demo_files

OUT = Path(__file__).parent / "out"


@dataclass(frozen=True)
class Row:
    """``value`` is a ratio (or MB); ``of`` says to what."""

    name: str
    value: float
    bar: float
    of: str


def best(work: Callable[[], object], times: int = 3) -> float:
    """The shortest of a few runs, seconds."""
    out = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        out.append(time.perf_counter() - start)
    return min(out)


# -- view ---------------------------------------------------------------------------------------------------------


def _view_times(path: Path, *how: str) -> list[float]:
    """Seconds from a setting moved until the new picture is painted, for many moves, in a view of 1200 x 700."""
    script = Path(__file__).parent / "view_probe.py"
    text = subprocess.run(
        [sys.executable, str(script), str(path), *how], check=True, capture_output=True, text=True
    ).stdout
    return [float(v) for v in json.loads(text.strip().splitlines()[-1])]


def view_rows(_kinds: list[str]) -> list[Row]:
    sheet = bench_sheet(OUT)["jpg"]
    plain_time = plain.view_formulas(sheet, 1200, 700)
    times = _view_times(sheet)
    small = _view_times(bench_sheet(OUT, 300, 1.0)["jpg"])
    large = _view_times(large_sheet())
    paint = _view_times(next(path for path in demo_files() if path.stem == "mackerel"))
    median = statistics.median(times)
    return [
        Row("view, A4 at 600 ppi: median", median / plain_time, 0.5, "the same formulas in plain NumPy"),
        Row("view, A4 at 600 ppi: 95th percentile", float(np.percentile(times, 95)) / plain_time, 1.0, "the same"),
        Row("view, a painting: median", statistics.median(paint) / plain_time, 0.5, "the same, of an ink drawing"),
        Row("view, a painting: 95th percentile", float(np.percentile(paint, 95)) / plain_time, 1.0, "the same"),
        Row("view, A3 at 1200 ppi: median", statistics.median(large) / statistics.median(small), 1.2, "A5 at 300 ppi"),
    ]


def mend_rows(_kinds: list[str]) -> list[Row]:
    """How long after a stroke of the mend brush its result is painted, at 100 % on a painting. The bar is a time."""
    times = _view_times(next(path for path in demo_files() if path.stem == "mackerel"), "mend")
    milliseconds = "ms from the end of the stroke"
    return [
        Row("mend, median", 1000 * statistics.median(times), 200, milliseconds),
        Row("mend, slowest of 12", 1000 * max(times), 200, milliseconds),
    ]


def large_sheet() -> Path:
    """A3 at 1200 ppi (278 megapixels): the A4 sheet enlarged, JPEG; made once."""
    path = OUT / "a3-1200.jpg"
    if not path.exists():
        import pyvips

        image = pyvips.Image.new_from_file(str(bench_sheet(OUT)["jpg"])).rot90()
        image.resize(19843 / image.width, vscale=14031 / image.height, kernel="linear").copy(
            xres=mm_to_px(1, 1200), yres=mm_to_px(1, 1200)
        ).jpegsave(str(path), Q=90)
    return path


# -- open ---------------------------------------------------------------------------------------------------------


def open_rows(kinds: list[str]) -> list[Row]:
    from woad.app.entry import Loaded, load_first, load_full

    out = []
    for kind in kinds:
        path = bench_sheet(OUT)[kind]
        decode = best(lambda p=path: plain.fastest_decode(p))  # type: ignore[misc]
        load_full(load_first(path))  # once for the imports
        firsts, settled = [], []
        for _ in range(3):
            start = time.perf_counter()
            first: Loaded = load_first(path)
            firsts.append(time.perf_counter() - start)
            load_full(first)
            settled.append(time.perf_counter() - start)
        bar = 1.0 if kind == "jpg" else 1.3
        out.append(Row(f"open {kind}: first picture", min(firsts) / decode, bar, "its full decode"))
        out.append(Row(f"open {kind}: settled view", min(settled) / decode, 4.0, "its full decode"))
    return out


# -- clean, memory, growth -----------------------------------------------------------------------------------------


def _clean(path: Path, folder: Path) -> tuple[float, float]:
    """Wall seconds of the whole command, and the peak of its memory in MB."""
    command = [sys.executable, "-m", "woad.cli", "clean", str(path), "--out", str(folder), "--overwrite", "--json"]
    return run_measured(command)


def clean_rows(kinds: list[str]) -> list[Row]:
    out = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for kind in kinds:
            path = bench_sheet(OUT)[kind]
            wall = min(_clean(path, folder)[0] for _ in range(3))
            decode = best(lambda p=path: plain.fastest_decode(p))  # type: ignore[misc]
            pictures = [
                cv2.imread(str(folder / f"{path.stem}-{edition}.png"), cv2.IMREAD_UNCHANGED)
                for edition in ("cutout", "paper")
            ]
            encode = sum(plain.fastest_encode(picture) for picture in pictures)
            out.append(Row(f"clean {kind}", wall / (decode + encode), 2.0, "fastest decode + fastest encode of both"))
    return out


def memory_rows(_kinds: list[str]) -> list[Row]:
    with tempfile.TemporaryDirectory() as name:
        a4 = max(_clean(path, Path(name))[1] for path in bench_sheet(OUT).values())
        a3 = _clean(large_sheet(), Path(name))[1]
    return [
        Row("memory, clean A4 at 600 ppi", a4, 700, "MB, peak of the process"),
        Row("memory, clean A3 at 1200 ppi", a3, 1536, "MB, peak of the process"),
        Row("memory, window on A3 at 1200 ppi", _window_memory(large_sheet()), 1536, "MB, peak of the process"),
    ]


def _window_memory(path: Path) -> float:
    script = Path(__file__).parent / "view_probe.py"
    return run_measured([sys.executable, str(script), str(path)])[1]


def growth_rows(_kinds: list[str]) -> list[Row]:
    with tempfile.TemporaryDirectory() as name:
        half = OUT / "a4-300.jpg"
        if not half.exists():
            image = cv2.imread(str(bench_sheet(OUT)["jpg"]))
            cv2.imwrite(str(half), cv2.resize(image, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA))
        small = min(_clean(half, Path(name))[0] for _ in range(3))
        large = min(_clean(bench_sheet(OUT)["jpg"], Path(name))[0] for _ in range(3))
    return [Row("growth, megapixels times 4", large / small, 4.4, "the time of a quarter of the pixels")]


# -- start, idle ---------------------------------------------------------------------------------------------------


def _started(code: str) -> float:
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}

    def run() -> None:
        subprocess.run([sys.executable, "-c", code], check=True, env=env, capture_output=True)

    return best(run, 5)


_BARE = """
import numpy, cv2
from PySide6.QtWidgets import QApplication, QWidget
app = QApplication([])
class W(QWidget):
    def paintEvent(self, e):
        app.exit()
w = W(); w.resize(1280, 800); w.show(); app.exec()
"""

_WOAD = """
from PySide6.QtWidgets import QApplication
from woad.app import theme
from woad.app.window import MainWindow
import os
app = QApplication([])
theme.apply()
w = MainWindow()
paint = w.welcome.paintEvent
def painted(e):
    paint(e); app.exit()
w.welcome.paintEvent = painted
w.show(); app.exec(); os._exit(0)
"""


def start_rows(_kinds: list[str]) -> list[Row]:
    bare, ours = _started(_BARE), _started(_WOAD)
    return [Row("start, empty window painted", ours / bare, 2.0, "bare numpy, cv2, QtWidgets and an empty window")]


def idle_rows(_kinds: list[str]) -> list[Row]:
    code = """
import os, sys, time
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication
from view_probe import rest
from woad.app import theme
from woad.app.window import MainWindow
app = QApplication([]); theme.apply(); w = MainWindow(); w.show(); w.complete(); w.open_demo()
while not w.idle() or not w.session.entries: rest(app)
def wait(ms):
    loop = QEventLoop(); QTimer.singleShot(ms, loop.quit); loop.exec()
wait(500)
before = time.process_time()
wait(4000)
print(time.process_time() - before); sys.stdout.flush(); os._exit(0)
"""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(Path(__file__).parent)}
    text = subprocess.run([sys.executable, "-c", code], check=True, env=env, capture_output=True, text=True).stdout
    return [
        Row("idle, CPU with the demo job open", float(text.strip().splitlines()[-1]) / 4 * 100, 1.0, "% of one core")
    ]


# -- report --------------------------------------------------------------------------------------------------------


def report_rows(kinds: list[str]) -> list[Row]:
    """Report, straightening and corners of the A4 sheet that is decoded already, against decoding it twice."""
    from woad.core.formats.read import open_original, pixels_of
    from woad.core.raster.pyramid import build_pyramid
    from woad.core.render.report import look_at_scan
    from woad.core.render.squaring import find_square, looked_closely

    out = []
    for kind in kinds:
        original = open_original(bench_sheet(OUT)[kind])
        decode = best(partial(pixels_of, original))
        scan = build_pyramid(pixels_of(original), lean=True)
        look = best(lambda o=original, s=scan: look_at_scan(o, s, looked_closely(s, find_square(s)), 600.0), 5)  # type: ignore[misc]
        out.append(Row(f"report, straighten, corners, A4 {kind}", look / decode, 2.0, "its decode"))
    return out
