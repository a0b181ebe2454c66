"""Memory that a thread has done with goes back to all."""

from __future__ import annotations

import ctypes
import sys

_M_ARENA_MAX, _ARENAS = -8, 2


def share_memory() -> None:
    """Let all threads take their memory from the same two places, before the first of them starts.

    The C library (glibc's ``mallopt``) gives every thread one of its own, which keeps what a large tile once took: with
    ten threads that is some 200 MB on a large sheet. Elsewhere nothing is done.
    """
    if not sys.platform.startswith("linux"):
        return
    try:
        ctypes.CDLL(None).mallopt(_M_ARENA_MAX, _ARENAS)
    except (AttributeError, OSError):
        return  # another C library
