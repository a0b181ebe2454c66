"""Physical size of pixels."""

from __future__ import annotations

MM_PER_INCH = 25.4


def px_to_mm(px: float, ppi: float) -> float:
    """Length in millimetres of ``px`` pixels at ``ppi`` pixels per inch."""
    return px * MM_PER_INCH / ppi


def mm_to_px(mm: float, ppi: float) -> float:
    """The same, the other way round."""
    return mm * ppi / MM_PER_INCH
