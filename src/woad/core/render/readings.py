"""What was measured on a sheet. Derived from the original, never typed in and never stored as truth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from woad.core.docket.model import Medium
from woad.core.estimate import NoEstimate
from woad.core.ink.density import InkColour
from woad.core.ink.pencils import Pencil
from woad.core.paper.lighter import LightMarks
from woad.core.paper.ruling import Ruling
from woad.core.paper.white import White
from woad.core.raster.colour import lightness
from woad.core.raster.transfer import srgb_decode
from woad.core.render.negative import as_seen

NOT_LOOKED_FOR = NoEstimate("no colour was looked for")


@dataclass(frozen=True, eq=False)
class Readings:
    """Measurements of one sheet.

    ``light`` (gh, gw, C) float32 linear value of paper at the centres of cells of ``cell_px`` level-0 pixels;
    ``light_doubt`` why the light could not be read, if so; ``light_marks`` marks that are lighter than the paper, on
    cells of ``inside_cell_px``; ``ruling`` what is printed on the paper, which all that follows was measured without;
    ``floors`` darkness that bare paper does not reach, at level 0, 1, 2, …; ``one_ink`` whether all marks are one
    ink, ``second_ink`` whether a few are clearly of another one; ``washes`` whether one ink lies in washes, whose
    half-tones are its tone, ``one_tone`` whether it has its full tone wherever it lies, and what is paler is paper's share;
    ``crayon`` whether marks are of coloured pencils, whose grain lets paper through; ``dark_ink`` whether beside light marks
    all dark ones are of one ink, in whatever depth;
    ``weights`` (C,) that fold channels for one ink; ``hue_share`` share of marks with a hue; ``sharpness`` amount of unsharp
    masking that gives edges back what the scan blurred; ``reverse`` how dark, as a share of full ink, what shows through
    from the other side is at most; ``pencils`` drop-out colours found; ``inside`` (h, w, 3) uint8 how surely cells of
    ``inside_cell_px`` lie inside paint, None for one ink without washes; ``negative`` whether all of this was read on the
    sheet's negative, as its paper is dark; ``white`` what is white beside paper that is darker;
    ``channel_noise`` how much more noise a single channel has than all together, on toned paper;
    ``ink`` colour of full ink; ``histogram`` counts of density -0.1..2.5 in 260 bins after evening.
    """

    light: NDArray[np.float32]
    cell_px: int
    light_doubt: NoEstimate | None
    light_marks: LightMarks | None
    ruling: Ruling | None
    paper_rgb: tuple[int, int, int]
    paper_lightness: float
    unevenness: float
    paper_share: float
    floors: tuple[float, ...]
    one_ink: bool
    weights: tuple[float, ...]
    ink: InkColour | NoEstimate
    ink_fold: float
    histogram: NDArray[np.int64]
    medium: Medium
    medium_sure: float
    medium_why: str
    hue_share: float = 0.0
    second_ink: bool = False
    washes: bool = False
    one_tone: bool = False
    crayon: bool = False
    dark_ink: bool = False
    sharpness: float = 0.0
    reverse: float = 0.0
    pencils: tuple[Pencil, ...] | NoEstimate = NOT_LOOKED_FOR
    inside: NDArray[np.uint8] | None = None
    inside_cell_px: int = 1
    negative: bool = False
    white: White | None = None
    channel_noise: float = 1.8

    @property
    def seen_paper_rgb(self) -> tuple[int, int, int]:
        """The paper's colour on the scan, encoded 0..255."""
        return as_seen(self.paper_rgb, self.negative)

    @property
    def seen_paper_lightness(self) -> float:
        """L* of the paper on the scan."""
        if not self.negative:
            return self.paper_lightness
        r, g, b = srgb_decode(np.array(self.seen_paper_rgb, np.float32) / 255).tolist()
        return lightness((r, g, b))

    @property
    def clearing(self) -> float:
        """Density of the paper's noise floor at single pixels."""
        return float(-np.log10(max(1 - self.floors[0], 1e-3)))

    @property
    def ink_density(self) -> float | None:
        """Density of full ink in the scan, or None without marks."""
        return None if isinstance(self.ink, NoEstimate) else _density(self.ink_fold)

    @property
    def ink_point(self) -> float:
        """Density from which on this sheet's ink counts as full: the light flank of the ink's own hump is full ink still."""
        return 1.2 if isinstance(self.ink, NoEstimate) else full_from(self.ink, self.ink_fold)


def full_from(ink: InkColour, reflectance: float) -> float:
    """Density from which an ink counts as full where it has that ``reflectance``, in one channel or folded."""
    return max(_density(reflectance) - ink.flank_d, 0.1)


def _density(reflectance: float) -> float:
    return float(-np.log10(max(reflectance, 1e-3)))
