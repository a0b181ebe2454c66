"""Speed and memory as ratios to something measured in the same run, each beside its bar in the design.

Run: ./run bench speed [--rows view,mend,open,clean,memory,start,growth] [--kinds jpg,png,tif]. Exits 1 when a bar is missed.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import speed_rows
from asked import names
from speed_rows import Row

ROWS: dict[str, Callable[[list[str]], list[Row]]] = {
    "view": speed_rows.view_rows,
    "mend": speed_rows.mend_rows,
    "open": speed_rows.open_rows,
    "clean": speed_rows.clean_rows,
    "memory": speed_rows.memory_rows,
    "start": speed_rows.start_rows,
    "growth": speed_rows.growth_rows,
    "idle": speed_rows.idle_rows,
    "report": speed_rows.report_rows,
}

KINDS = ("jpg", "png", "tif")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", default=",".join(ROWS))
    parser.add_argument("--kinds", default=",".join(KINDS))
    args = parser.parse_args()
    rows, kinds = names(parser, args.rows, ROWS), names(parser, args.kinds, KINDS)
    missed = 0
    print(f"{'row':52s}{'measured':>10s}{'bar':>8s}   of what")
    for name in rows:
        for row in ROWS[name](kinds):
            ok = row.value <= row.bar
            missed += not ok
            print(f"{row.name:52s}{row.value:10.2f}{row.bar:8.2f}   {row.of}{'' if ok else '   MISSED'}", flush=True)
    print(f"{missed} bars missed")
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())
