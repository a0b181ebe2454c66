"""The tour: drives the real window through the demo job with clicks, drags and keys, writes editions and pictures."""

from __future__ import annotations

import sys
import traceback
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtTest import QTest

from woad.app.window import MainWindow
from woad.demo.job import demo_files

_PATIENCE_MS = 120_000


class Tour:
    """A list of acts; each begins when the window has nothing left to do."""

    def __init__(self, window: MainWindow, out: Path) -> None:
        self.window, self.out = window, out
        self.exit_code = 1
        self._acts: list[Callable[[], None]] = [
            window.open_demo, self._lighthouse, self._edges, self._drag_flag, self._undo, self._lettering, self._light,
            self._light_off, self._drop_out, self._takes, self._mix, self._painting, self._spots, self._one_spot,
            self._all_spots, self._print, self._on_a_picture, self._smaller_on_it, self._choke, self._scan, self._square,
            self._crane, self._bow, self._unbow, self._pencil, self._dark, self._editions, self._write, self._end,
        ]  # fmt: skip
        self._timer = QTimer(window)
        self._timer.setInterval(20)
        self._timer.timeout.connect(self._next)
        self._waited = 0
        self._settled = 0

    def start(self) -> None:
        self.window.complete()
        # Keys go to the active window; on a bare virtual display nobody else makes it so.
        self.window.activateWindow()
        self.window.view.setFocus()
        self.out.mkdir(parents=True, exist_ok=True)
        self._timer.start()

    def _next(self) -> None:
        self._waited += self._timer.interval()
        if self._waited > _PATIENCE_MS:
            self._give_up("the window did not come to rest")
            return
        self._settled = self._settled + 1 if self.window.idle() else 0
        if self._settled < 4:
            return
        self._settled = self._waited = 0
        act = self._acts.pop(0)
        try:
            act()
        except Exception:  # a slot's exception would be printed and forgotten, and the acts after it build on this one
            traceback.print_exc()
            self._give_up(f"it failed at {act.__name__.strip('_').replace('_', ' ')}")

    def _give_up(self, why: str) -> None:
        """End with what went wrong, what the window said of it, and a bad exit code."""
        self._timer.stop()
        said = self.window.messages.text.text()
        print(f"The demo could not be shown: {why}. {said}".strip(), file=sys.stderr)
        self.window.close()

    def picture(self, name: str) -> None:
        self.window.grab().save(str(self.out / f"{name}.png"))

    def _key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(self.window.view, key, modifier)

    def _lighthouse(self) -> None:
        self.window.view.setFocus()
        self._key(Qt.Key.Key_2)
        self._key(Qt.Key.Key_W)

    def _edges(self) -> None:
        self.picture("lighthouse")
        self._key(Qt.Key.Key_W)
        self.window.view.look_at(860, 560, 3.0)

    def _drag_flag(self) -> None:
        self.picture("edges-300")
        self._key(Qt.Key.Key_F)
        self._key(Qt.Key.Key_1)
        self._key(Qt.Key.Key_W)
        QTest.mouseClick(self.window.bench.tiles["ink"], Qt.MouseButton.LeftButton)
        plot = self.window.panels["ink"].plot  # type: ignore[attr-defined]
        at = plot.flag_rects()["middle"].center()
        QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=at.toPoint())
        for step in range(1, 7):
            QTest.mouseMove(plot, QPointF(at.x() + 4 * step, at.y()).toPoint())
        QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=QPoint(round(at.x()) + 24, round(at.y())))

    def _undo(self) -> None:
        self.picture("ink")
        self._key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)

    def _lettering(self) -> None:
        QTest.mouseClick(self.window.pile.items[1], Qt.MouseButton.LeftButton)
        QTest.mouseClick(self.window.bench.tiles["paper"], Qt.MouseButton.LeftButton)

    def _light(self) -> None:
        self.picture("lettering")
        self._key(Qt.Key.Key_W)
        self._key(Qt.Key.Key_V)
        view = self.window.view
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=view.widget_point(240, 170).toPoint())
        self._key(Qt.Key.Key_E)

    def _light_off(self) -> None:
        self.picture("light")
        self._key(Qt.Key.Key_E)
        self._key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)

    def _drop_out(self) -> None:
        self._key(Qt.Key.Key_W)
        self._go(6, "ink")
        self.window.view.look_at(880, 1360, 1.0)

    def _takes(self) -> None:
        self.picture("drop-out")
        self._key(Qt.Key.Key_F)
        self._key(Qt.Key.Key_W)
        self._key(Qt.Key.Key_Y)
        panel = self.window.panels["ink"]
        QTest.mouseClick(panel.more.head, Qt.MouseButton.LeftButton)  # type: ignore[attr-defined]
        QTest.mouseClick(panel.two_tone.button("shape"), Qt.MouseButton.LeftButton)  # type: ignore[attr-defined]
        self._key(Qt.Key.Key_Y)

    def _mix(self) -> None:
        takes = self.window.panels["ink"].takes  # type: ignore[attr-defined]
        takes.which.setCurrentIndex(1)
        takes.which.activated.emit(1)
        bar = self.window.panels.currentWidget().verticalScrollBar()  # type: ignore[union-attr]
        bar.setValue(bar.maximum())

    def _painting(self) -> None:
        self.picture("takes")
        self._key(Qt.Key.Key_T)
        panel = self.window.panels["ink"]
        QTest.mouseClick(panel.more.head, Qt.MouseButton.LeftButton)  # type: ignore[attr-defined]
        self._go(7, "knockout")
        self._key(Qt.Key.Key_2)
        self._key(Qt.Key.Key_D)
        self.window.view.look_at(900, 620, 1.0)

    def _spots(self) -> None:
        self.picture("painting")
        self._key(Qt.Key.Key_D)
        self._key(Qt.Key.Key_F)
        self._key(Qt.Key.Key_1)
        QTest.mouseClick(self.window.bench.tiles["spotting"], Qt.MouseButton.LeftButton)

    def _one_spot(self) -> None:
        self._key(Qt.Key.Key_N)

    def _all_spots(self) -> None:
        self._key(Qt.Key.Key_F)

    def _print(self) -> None:
        self.picture("spotting")
        self._key(Qt.Key.Key_W)
        self._go(8, "ink")

    def _on_a_picture(self) -> None:
        self.picture("print")
        self._key(Qt.Key.Key_W)
        self._go(1, "knockout")
        self.window.desk.backing.lay_on(next(path for path in demo_files() if path.stem == "buoy"))

    def _smaller_on_it(self) -> None:
        self.window.viewbar.art.setValue(60)

    def _choke(self) -> None:
        self.picture("on-a-picture")
        self._key(Qt.Key.Key_1)
        self._go(0, "edge")
        self.window.session.change("edge.move", -1.0, "Choke")
        self.window.view.look_at(860, 560, 3.0)
        self._key(Qt.Key.Key_W)

    def _scan(self) -> None:
        self.picture("edge")
        self._key(Qt.Key.Key_W)
        self._key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self._key(Qt.Key.Key_F)
        self._go(5, "scan")
        QTest.mouseClick(self.window.panels["scan"].points.rows["burnt_out"], Qt.MouseButton.LeftButton)  # type: ignore[attr-defined]

    def _square(self) -> None:
        self.picture("scan")
        self._go(3, "square")

    def _crane(self) -> None:
        self.picture("square")
        self._go(4, "square")
        QTest.mouseClick(self.window.panels["square"].turn_buttons["half"], Qt.MouseButton.LeftButton)  # type: ignore[attr-defined]
        self._key(Qt.Key.Key_R)

    def _bow(self) -> None:
        self.picture("crane")
        self._key(Qt.Key.Key_R)
        self._go(1, "square")
        QTest.mouseClick(self.window.panels["square"].tools["bow"], Qt.MouseButton.LeftButton)
        view = self.window.view
        feet = [(570, 1102), (760, 1108), (960, 1112), (1160, 1106), (1340, 1098), (1440, 1094)]
        path = [view.widget_point(x, y).toPoint() for x, y in feet]
        QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=path[0])
        for point in path[1:]:
            QTest.mouseMove(view, point)
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=path[-1])

    def _unbow(self) -> None:
        self.picture("bow")
        self._key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)

    def _go(self, sheet: int, step: str) -> None:
        """Another sheet of the pile, another step of the bench."""
        QTest.mouseClick(self.window.pile.items[sheet], Qt.MouseButton.LeftButton)
        QTest.mouseClick(self.window.bench.tiles[step], Qt.MouseButton.LeftButton)

    def _pencil(self) -> None:
        self._go(2, "ink")
        self._key(Qt.Key.Key_W)

    def _dark(self) -> None:
        self.picture("pencil")
        self.window.set_theme("dark")
        self._key(Qt.Key.Key_2)
        QTest.mouseClick(self.window.bench.tiles["knockout"], Qt.MouseButton.LeftButton)

    def _editions(self) -> None:
        self.picture("dark")
        self.window.set_theme("light")
        self._key(Qt.Key.Key_4)
        QTest.mouseClick(self.window.bench.tiles["editions"], Qt.MouseButton.LeftButton)
        self.window.session.folder = self.out
        self.window.editions.overwrite.setChecked(True)
        self.window.editions.refresh()

    def _write(self) -> None:
        QTest.mouseClick(self.window.editions.write_all, Qt.MouseButton.LeftButton)

    def _end(self) -> None:
        self.picture("window")
        self._timer.stop()
        written = [path for entry in self.window.session.entries for path in entry.written]
        self.exit_code = 0 if len(written) == 2 * len(self.window.session.entries) else 1
        print(f"The demo job was cleaned in the window. Look in {self.out}/: window.png is the window, and")
        for path in written:
            print(f"  {path.name}")
        self.window.close()
