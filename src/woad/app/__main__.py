"""Start the window: ``python -m woad.app [--demo] [--tour OUT] [FILES]``."""

from __future__ import annotations

import argparse
import signal
import sys
from pathlib import Path


def main() -> int:
    parser = argparse.ArgumentParser(prog="woad", description="Open Woad's window.")
    parser.add_argument("files", nargs="*", type=Path, help="sheets to open")
    parser.add_argument("--demo", action="store_true", help="open the demo job")
    parser.add_argument("--theme", choices=("system", "light", "dark"), default="system")
    parser.add_argument(
        "--tour", type=Path, metavar="OUT", help="drive the window through the demo, write to OUT, quit"
    )
    args = parser.parse_args()

    from woad.app.thrift import share_memory

    share_memory()
    from PySide6.QtWidgets import QApplication

    from woad.app import theme
    from woad.app.window import MainWindow

    app = QApplication(sys.argv[:1])
    app.setApplicationName("Woad")
    theme.apply(args.theme)
    window = MainWindow()
    # Ctrl+C in the terminal ends the program as it does any other.
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    window.show()
    if args.tour is not None:
        from woad.app.tour import Tour

        tour = Tour(window, args.tour)
        window.when_shown(tour.start)
        code = app.exec()
        return code or tour.exit_code
    files = list(args.files)
    if args.demo:
        window.when_shown(window.open_demo)
    if files:
        window.when_shown(lambda: window.open_files(files))
    return app.exec()


if __name__ == "__main__":
    sys.exit(main())
