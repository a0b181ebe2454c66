"""An edition: one version that leaves the studio, and how it is written."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from pathlib import Path
from threading import Event
from typing import Any, Literal

import numpy as np

from woad.core.errors import BadSetting, Impossible
from woad.core.formats.write import refuse_existing, save_image
from woad.core.raster.compositing import on_white_table
from woad.core.render.whole import Planes
from woad.core.units import mm_to_px

Kind = Literal["cutout", "paper", "darken"]
Format = Literal["png", "jpeg", "tiff"]
KINDS = ("cutout", "paper", "darken")
SUFFIX: dict[str, str] = {"png": ".png", "jpeg": ".jpg", "tiff": ".tif"}
NO_CUTOUT = "Knock-out is off, so there is no cut-out to write. Nothing was written; turn it on, or write only the paper edition."
NOTHING_DARK = (
    "The marks are lighter than their paper: a darkening version shows nothing. It was not written; use a cut-out."
)
Progress = Callable[[float], None]


@dataclass(frozen=True)
class Edition:
    """``cutout`` has transparency, ``paper`` lies on white paper, ``darken`` is the cut-out on white without
    transparency: multiplied (the open blend mode) over anything, it only ever darkens. The backing of the view is never
    part of any."""

    kind: Kind
    format: Format = "png"

    def __post_init__(self) -> None:
        if self.kind == "cutout" and self.format == "jpeg":
            raise Impossible("JPEG has no transparency. Nothing was written; use PNG or TIFF for the cut-out.")

    def path_for(self, stem: str, folder: Path) -> Path:
        return folder / f"{stem}-{self.kind}{SUFFIX[self.format]}"


@dataclass(frozen=True)
class Destination:
    """Where a sheet's editions go: a ``folder``, what their names begin with (``stem``), whether files that are there may be
    replaced (``overwrite``), and the ``scans``, which never are."""

    folder: Path
    stem: str
    overwrite: bool = False
    scans: Collection[Path] = ()

    def path(self, edition: Edition) -> Path:
        """The edition's file. Raises ``CannotWrite`` when it is there and may not be replaced."""
        path = edition.path_for(self.stem, self.folder)
        refuse_existing(path, self.overwrite, self.scans)
        return path


def parse_editions(text: str) -> tuple[Edition, ...]:
    """``"cutout,paper:jpeg"`` to editions. Raises :class:`BadSetting` or :class:`Impossible`."""
    out: list[Edition] = []
    for part in (p.strip() for p in text.split(",")):
        kind, _, form = part.partition(":")
        form = {"jpg": "jpeg", "tif": "tiff", "": "png"}.get(form, form)
        if kind not in KINDS or form not in SUFFIX:
            raise BadSetting(
                "editions",
                f"There is no edition {part!r}. Use cutout, paper or darken, with :png, :jpeg or :tiff after it.",
            )
        edition = Edition(kind, form)  # type: ignore[arg-type]
        if edition not in out:
            out.append(edition)
    return tuple(out)


def write_edition(
    planes: Planes,
    edition: Edition,
    target: Path,
    ppi: float | None,
    overwrite: bool,
    progress: Progress | None = None,
    stop: Event | None = None,
) -> None:
    """Write one edition at full resolution, tagged sRGB and with its ppi.

    Raises :class:`Impossible` for a cut-out of a sheet whose Knock-out is off, and ``CannotWrite``.
    """
    image = {"cutout": _cutout, "paper": _paper, "darken": _darken}[edition.kind](planes)
    pixels_per_mm = mm_to_px(1, ppi or 72.0)
    tagged = image.copy(interpretation="srgb", xres=pixels_per_mm, yres=pixels_per_mm)
    save_image(_with_srgb(tagged), target, edition.format, overwrite, progress, stop)


def _with_srgb(image: Any) -> Any:
    import pyvips

    profile = pyvips.Operation.call("profile_load", "srgb")
    image = image.copy()
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile)
    return image


def _cutout(planes: Planes) -> Any:
    import pyvips

    if planes.alpha is None:
        raise Impossible(NO_CUTOUT)
    alpha = pyvips.Image.new_from_array(planes.alpha)
    if planes.rgb is not None:
        return pyvips.Image.new_from_array(planes.rgb).bandjoin(alpha)
    return alpha.new_from_image(list(planes.ink_rgb)).cast("uchar").bandjoin(alpha)


def _darken(planes: Planes) -> Any:
    """The cut-out on white: white leaves what lies beneath as it is. Grey when every mark is."""
    if planes.alpha is None:
        raise Impossible(NO_CUTOUT)
    if planes.light:
        raise Impossible(NOTHING_DARK)
    if planes.rgb is None:
        import pyvips

        table = pyvips.Image.new_from_array(np.ascontiguousarray(on_white_table(planes.ink_rgb)[None, :, :]))
        return pyvips.Image.new_from_array(planes.alpha).maplut(table)
    return _cutout(planes).flatten(background=[255, 255, 255])


def _paper(planes: Planes) -> Any:
    import pyvips

    if planes.paper_rgb is not None:
        return pyvips.Image.new_from_array(planes.paper_rgb)
    assert planes.tone is not None
    table = pyvips.Image.new_from_array(np.ascontiguousarray(on_white_table(planes.ink_rgb)[None, :, :]))
    return pyvips.Image.new_from_array(planes.tone).maplut(table)
