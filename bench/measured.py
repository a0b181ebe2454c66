"""Runs one command from a process that is itself small, and prints its wall seconds and its peak of memory in MB.

A process inherits the peak of the one that started it, so a bench that holds pictures must not start it itself.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time


def run_measured(command: list[str]) -> tuple[float, float]:
    """Wall seconds and peak memory, MB, of a command. Raises RuntimeError when it fails."""
    launcher = [sys.executable, "-S", __file__, *command]
    done = subprocess.run(launcher, capture_output=True, text=True)
    if done.returncode:
        raise RuntimeError(f"{' '.join(command[:5])} failed: {done.stderr.strip()[-300:]}")
    wall, peak = json.loads(done.stdout.strip().splitlines()[-1])
    return float(wall), float(peak)


if __name__ == "__main__":
    start = time.perf_counter()
    pid = os.posix_spawn(
        sys.argv[1],
        sys.argv[1:],
        dict(os.environ),
        file_actions=[(os.POSIX_SPAWN_OPEN, 1, "/dev/null", os.O_WRONLY, 0)],
    )
    _, status, usage = os.wait4(pid, 0)
    print(json.dumps([time.perf_counter() - start, usage.ru_maxrss / 1024]))
    sys.exit(1 if status else 0)
