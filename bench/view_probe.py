"""Open a sheet in the real window, move settings (or, with ``mend``, mend places), and time each until its picture is
painted. Prints JSON seconds.

Run by speed.py: view_probe.py SHEET [mend]
"""

from __future__ import annotations

import json
import os
import sys
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QCoreApplication, QEventLoop, QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from woad.app import theme
from woad.app.thrift import share_memory
from woad.app.window import MainWindow


def rest(app: QCoreApplication) -> None:
    """Let a few milliseconds pass. Not by QTest.qWait: it holds the interpreter, and the window's threads stand still."""
    app.processEvents()
    time.sleep(0.004)


def main() -> None:
    share_memory()
    app = QApplication(sys.argv[:1])
    assert app is not None  # held for as long as the window lives
    theme.apply("light")
    window = MainWindow()
    window.resize(1200 + 148 + 304, 700 + 200)
    window.show()
    window.complete()
    window.open_files([Path(sys.argv[1])])
    while not window.idle() or window.session.docket is None:
        if not window.session.entries:
            raise SystemExit(f"{sys.argv[1]} is no sheet that can be opened")
        rest(app)
    view = window.view
    times: list[float] = []
    loop = QEventLoop()
    view.painted.connect(loop.quit)

    def timed(change: object) -> None:
        deadline = QTimer()
        deadline.setSingleShot(True)
        deadline.timeout.connect(loop.quit)
        deadline.start(20_000)
        start = time.perf_counter()
        change()  # type: ignore[operator]
        loop.exec()
        times.append(time.perf_counter() - start)
        # The next move comes as in a drag: once everything is drawn, not once all has been counted and looked over.
        while any(lane.busy for lane in (view.lane, window.bench.lane, window.pile.lane)):
            rest(app)

    session = window.session
    if sys.argv[2:] == ["mend"]:
        session.go_to("spotting")
        view.zoom_to(1.0)
        session.take_tool("mend")
        while not window.idle():
            rest(app)
        for i in range(12):
            start = view.rect().center() + QPoint(-150 + 25 * i, -60 + 11 * i)
            QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
            QTest.mouseMove(view, start + QPoint(20, 3))
            timed(lambda s=start: QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=s + QPoint(20, 3)))
        print(json.dumps(times))
        sys.stdout.flush()
        os._exit(0)
    for zoom in (None, 0.5, 1.0, 3.0):
        if zoom is None:
            view.fit()
        else:
            view.zoom_to(zoom)
        while not window.idle():
            rest(app)
        for i in range(8):
            # Paper, ink and knock-out settings in turn: the first costs the whole chain, the others only curves.
            timed(lambda i=i: session.change("paper.evening", 0.99 - 0.01 * i, "x"))
            timed(lambda i=i: session.change("ink.middle", 0.2 + 0.01 * i, "x"))
            timed(lambda i=i: session.change("knockout.clearing", 0.05 + 0.005 * i, "x"))
    print(json.dumps(times))
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
