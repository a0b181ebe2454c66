"""The command as tests run it."""

from __future__ import annotations

import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from io import StringIO
from unittest.mock import patch

from woad.cli.main import main

Done = subprocess.CompletedProcess[str]


def woad(*args: object) -> Done:
    """Run the command in this process: what starts a process of its own loads and measures everything anew."""
    line = ["woad", *map(str, args)]
    code, out, errors = 0, StringIO(), StringIO()
    with patch.object(sys, "argv", line), redirect_stdout(out), redirect_stderr(errors):
        try:
            main()
        except SystemExit as left:
            code = left.code if isinstance(left.code, int) else int(left.code is not None)
    return Done(line, code, out.getvalue(), errors.getvalue())


def woad_started(*args: object) -> Done:
    """Run the command as it is typed, in a process of its own."""
    return subprocess.run([sys.executable, "-m", "woad.cli", *map(str, args)], capture_output=True, text=True)
