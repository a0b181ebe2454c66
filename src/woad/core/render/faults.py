"""Judging a scan's measurements: from which number on something is a fault, and what to say about it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.raster.pyramid import Pyramid
from woad.core.render.squaring import SURE, Found
from woad.core.scan.halos import Sharpening
from woad.core.scan.light import HARD_PERCENT, LightFaults
from woad.core.scan.register import Register
from woad.core.square.frame import Points
from woad.core.units import MM_PER_INCH, px_to_mm

Mask = NDArray[np.bool_]

PRINT_PPI, LEAST_PPI = 300.0, 200.0

# From these numbers on a fault is reported. Chosen on simulated sheets of other seeds than the bench's.
BURNT_SHARE = 0.10
BLUR_PX = 3.3
LEAST_QUALITY = 40
UNEVEN_RATIO = 1.55
GLARE_PERCENT = 14.0
TILT_DEG = 0.5
KEYSTONE_PERCENT = 3.0
NOISE_STEPS, RESCALED_NOISE_STEPS = 1.6, 0.87


@dataclass(frozen=True, eq=False)
class Fault:
    """``code`` as in the command's contract; ``where`` (h, w) over the whole scan at any size, or None for all of it."""

    code: str
    number: float
    unit: str
    mendable: bool
    says: str
    where: Mask | None = None


def burnt(share: float, where: Mask) -> Fault | None:
    if share < BURNT_SHARE:
        return None
    says = f"{share:.0%} of the paper is burnt out to pure white: faint strokes there are lost. Scan again, a little darker."
    return Fault("burnt_out", round(share * 100, 1), "%", False, says, where)


def blurred(width: float | NoEstimate) -> Fault | None:
    if isinstance(width, NoEstimate) or width < BLUR_PX:
        return None
    says = f"The sharpest edges are {width:.1f} px wide: the scan is blurred. Scan or photograph again, in focus and still."
    return Fault("blurred", round(width, 1), "px", False, says)


def rims_text(found: Sharpening | NoEstimate) -> str:
    """How high the rims beside marks are, in words."""
    return "unknown" if isinstance(found, NoEstimate) else f"{100 * found.rims:.0f} %"


def sharpened(found: Sharpening | None) -> Fault | None:
    if found is None:
        return None
    says = f"The scanner or phone sharpened the picture: rims {100 * found.rims:.0f} % high lie beside its marks. "
    says += "Woad takes them back."
    return Fault("sharpened", round(found.rims * 100, 1), "%", True, says)


def register_text(found: Register | NoEstimate) -> str:
    """How far the colours lie apart, in words."""
    return "unknown" if isinstance(found, NoEstimate) else f"{found.apart_px:.1f} px"


def out_of_register(found: Register | None) -> Fault | None:
    if found is None:
        return None
    says = f"The scanner or lens laid its colours up to {found.apart_px:.1f} px apart: dark marks have coloured rims. "
    says += "Woad lays them back on each other."
    return Fault("colours_apart", round(found.apart_px, 2), "px", True, says)


def compressed(quality: int, scaled: bool) -> Fault | None:
    if quality >= LEAST_QUALITY:
        return None
    since = " and scaled up again" if scaled else ""
    says = (
        f"The picture was once saved as JPEG at quality {quality} of 100{since}: fine marks are damaged. "
        "Get the file as it left the scanner or phone."
    )
    return Fault("compressed", float(quality), "of 100", False, says)


def uneven(light: LightFaults) -> Fault | None:
    if light.ratio < UNEVEN_RATIO:
        return None
    says = f"The best lit paper gets {light.ratio:.1f} times the light of the worst. Woad evens it out."
    return Fault("uneven_light", round(light.ratio, 2), ": 1", True, says, light.dark)


def shadow(light: LightFaults) -> Fault | None:
    if light.shadow < HARD_PERCENT:
        return None
    says = f"A shadow takes {light.shadow:.0f} % of the light. Woad evens it out; look at its edge in the Paper step."
    return Fault("shadow", round(light.shadow, 1), "%", True, says, light.shadow_at)


def glare(light: LightFaults) -> Fault | None:
    if light.glare < GLARE_PERCENT:
        return None
    says = f"A glare spot adds {light.glare:.0f} % of light: marks in it are pale or gone. Photograph again, lit from the side."
    return Fault("glare", round(light.glare, 1), "%", False, says, light.glare_at)


def noisy(noise: float, rescaled: bool) -> Fault | None:
    """``rescaled``: the picture was made smaller and larger again, which takes most of its noise, not what it hid."""
    if noise < (RESCALED_NOISE_STEPS if rescaled else NOISE_STEPS):
        return None
    says = f"The paper's noise is {noise:.1f} steps of 255. Woad clears it; marks fainter than that are lost in it."
    return Fault("noisy", round(noise, 2), "of 255", True, says)


def tilt_text(found: Found) -> str:
    """Tilt and how sure, in words."""
    tilt = found.tilt
    if isinstance(tilt, NoEstimate) or tilt.sure < SURE:
        return "unsure"
    return f"{tilt.deg:+.2f}°"


def tilted(found: Found) -> Fault | None:
    tilt = found.tilt
    if isinstance(tilt, NoEstimate) or tilt.sure < SURE or abs(tilt.deg) < TILT_DEG:
        return None
    way = "clockwise" if tilt.deg > 0 else "anticlockwise"
    says = f"The sheet is tilted by {abs(tilt.deg):.1f}° {way}. The Square step straightens it."
    return Fault("tilted", round(tilt.deg, 2), "deg", True, says)


def keystone_percent(corners: Points) -> float:
    """By how much the longer of two opposite sides exceeds the other, per cent, the larger of both pairs."""
    side = _sides(corners)
    return float(max(abs(np.log(side[0] / side[2])), abs(np.log(side[1] / side[3]))) * 100)


def _sides(corners: Points) -> list[float]:
    """Lengths of the top, right, bottom and left side on the scan, px."""
    return [float(np.linalg.norm(corners[(i + 1) % 4] - corners[i])) for i in range(4)]


def tilt_of(corners: Points) -> float:
    """By how much the sheet's top and bottom lean, degrees clockwise."""
    along = (corners[1] - corners[0]) + (corners[2] - corners[3])
    return float(np.degrees(np.arctan2(along[1], along[0])))


def sheet_px(scan: Pyramid, found: Found) -> tuple[int, int]:
    """Width and height of the sheet on the scan, px: of the picture itself when no corners are sure."""
    if isinstance(found.corners, NoEstimate) or found.corners.sure < SURE:
        return scan.width, scan.height
    top, right, bottom, left = _sides(found.corners.points)
    return round((top + bottom) / 2), round((left + right) / 2)


def keystone_text(found: Found) -> str:
    if isinstance(found.corners, NoEstimate):
        return "no corners seen"
    if found.corners.sure < SURE:
        return "unsure"
    return f"{keystone_percent(found.corners.points):.1f} %"


def keystone(found: Found) -> Fault | None:
    if isinstance(found.corners, NoEstimate) or found.corners.sure < SURE:
        return None
    percent = keystone_percent(found.corners.points)
    if percent < KEYSTONE_PERCENT:
        return None
    says = (
        f"Opposite sides of the sheet differ by {percent:.0f} %: it was photographed aslant. The Square step undoes it."
    )
    return Fault("keystone", round(percent, 1), "%", True, says)


def print_text(size: tuple[int, int]) -> str:
    """How large a sheet of that ``size`` (width, height, px) prints at 300 ppi."""
    w, h = (px_to_mm(side, PRINT_PPI) for side in size)
    return f"{w:.0f} × {h:.0f} mm at 300 ppi"


def low_ppi(scan: Pyramid, size: tuple[int, int], ppi: float | None, print_mm: float | None) -> Fault | None:
    """``size`` of the sheet on the ``scan``, px; ``ppi`` and the wanted longer side in print, where they are known."""
    if print_mm is not None:
        at = max(size) / print_mm * MM_PER_INCH
        if at >= LEAST_PPI:
            return None
        says = (
            f"A print of {print_mm:.0f} mm gets {at:.0f} ppi only; it needs 200, better 300. "
            "Scan at a higher resolution or print smaller."
        )
        return Fault("low_ppi", round(at, 1), "ppi", False, says)
    if ppi is not None and ppi < LEAST_PPI:
        says = f"The scan has {ppi:.0f} ppi: it prints up to {print_text(size)}. Scan again at 300 ppi or more."
        return Fault("low_ppi", round(ppi, 1), "ppi", False, says)
    long_px = max(scan.width, scan.height)
    if ppi is None and long_px < 800:
        says = f"The picture has {scan.width} × {scan.height} px: {print_text(size)}. Get the full-size file."
        return Fault("low_ppi", round(long_px / 11.69, 1), "ppi", False, says)
    return None
