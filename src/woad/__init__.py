"""Woad: turns scanned drawings, lettering and paintings into clean digital artwork."""

import os

# Our matrices are small. Threads for them only spin, and on a busy machine a fit took eight times as long for it. Read by
# the libraries when they are loaded, so it stands before all else.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
