"""The slow proofs among the tests: large sheets, and variants of what ``./run test`` holds in a quicker one."""

from __future__ import annotations

import sys

import pytest

if __name__ == "__main__":
    sys.exit(pytest.main(["-n", "2", "--dist", "worksteal", "-m", "proof", *sys.argv[1:]]))
