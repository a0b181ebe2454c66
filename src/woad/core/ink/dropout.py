"""Drop-out colours: a pencil's marks taken out in density space, on paper and under ink.

Densities of overlapping colorants add (Beer-Lambert), so a pixel's density is split into ink and pencil by least
squares on their density vectors; negative shares count as none. A pencil's grain covers the paper in part, which bends
its density vector a little: the share is therefore turned into coverage by that very curve, and its light divided out.
Source: Ruifrok and Johnston, Quantification of histochemical staining by colour deconvolution (2001).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.codes import PAPER_CODE, Codes, to_codes

Plane = NDArray[np.float32]
Colour = tuple[float, float, float]

_STEPS = 256
_RESIDUE = 0.5  # share of what was taken that may be left by chroma coarser than light (JPEG), cleared with it
_STRIP_VALUES = 240_000
REACH_PX = 4
# Fewer pixels tell a thin line's hue less surely from a photo's noise; more reach further into marks beside it.
_AROUND = (9, 9)
_BOX3 = np.ones((3, 3), np.uint8)
_WHOLLY = (0.3, 0.5)  # share of the darkness around a pixel that is pencil's, from which all of it is taken for pencil


@dataclass(frozen=True)
class Dropper:
    """Made once per colours: ``rows`` (n, 3) linear functionals giving each pencil's share of a density, ``alone``
    (n, 3) the same with the other pencils left out, ``tables`` (n, _STEPS, 3) the light a share lets through;
    ``ink`` mean reflectance of full ink, ``greys`` (n,) mean density of each pencil at full strength."""

    rows: Plane
    alone: Plane
    tables: Plane
    ink: float
    greys: tuple[float, ...]


def refusal(colours: Sequence[Colour], ink: Colour) -> str | None:
    """Why these drop-out colours (reflectance against paper, per channel) cannot be told apart, or None."""
    basis = [_density(ink), *(_density(c) for c in colours)]
    for colour in colours:
        if float(_density(colour).max()) < 0.08:
            return "this colour is the paper's own"
    for i in range(1, len(basis)):
        if _sine(basis[i], basis[0]) < 0.14:
            return "this colour is the ink's own, only paler, so dropping it would take the ink as well"
    if len(colours) == 2 and _sine(basis[1], basis[2]) < 0.12:
        return "the two colours are nearly the same"
    return None


def _density(colour: Colour) -> NDArray[np.float64]:
    return -np.log(np.clip(np.asarray(colour, np.float64), 0.01, 1.0))


def _sine(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    cosine = float(a @ b / max(float(np.linalg.norm(a) * np.linalg.norm(b)), 1e-9))
    return float(np.sqrt(max(0.0, 1 - cosine**2)))


def make_dropper(colours: Sequence[Colour], ink: Colour) -> Dropper:
    """Prepare to drop ``colours`` (one or two) beside an ``ink``, all as reflectance against the paper, 0..1."""
    pencils = [_density(c) for c in colours]
    # Half-covered ink is nearly neutral whatever its own hue: its edges are what is told from pencil.
    ink_vector = 0.5 * _density(ink) / max(float(_density(ink).max()), 1e-6) + 0.5
    rows = np.linalg.pinv(np.column_stack([ink_vector, *pencils]))[1:]
    alone = np.stack([np.linalg.pinv(np.column_stack([ink_vector, p]))[1] for p in pencils])
    cover = np.linspace(0, 1.5, 400)
    tables = []
    for colour, row in zip(colours, alone, strict=True):
        through = np.clip(1 - cover[:, None] * (1 - np.asarray(colour)), 0.02, 1)
        share = -np.log(through) @ row
        at = np.linspace(0, 2, _STEPS)
        grown = np.maximum.accumulate(share)
        tables.append(np.stack([np.interp(at, grown, through[:, c]) for c in range(3)], axis=1))
    return Dropper(
        rows=rows.astype(np.float32),
        alone=alone.astype(np.float32),
        tables=np.asarray(tables, np.float32),
        ink=float(np.mean(ink)),
        greys=tuple(float(pencil.mean()) for pencil in pencils),
    )


def shares(codes: Codes, dropper: Dropper) -> list[Plane]:
    """How much of each pencil lies on every pixel of reflectance codes (h, w, 3): (h, w) float32 each, 1 is its full
    strength."""
    return _shares_of(np.asarray(cv2.LUT(codes, _density_table()), np.float32), dropper)


@cache
def _density_table() -> Plane:
    return -np.log(np.maximum(np.arange(65536, dtype=np.float32) / PAPER_CODE, np.float32(0.004)))


def _shares_of(density: Plane, dropper: Dropper) -> list[Plane]:
    parts = [_functional(density, row) for row in dropper.rows]
    if len(parts) == 2:
        # A negative share of one pencil would be made up for by the other: then there is only the other.
        first, second = parts
        parts = [
            np.where(second < 0, _functional(density, dropper.alone[0]), first),
            np.where(first < 0, _functional(density, dropper.alone[1]), second),
        ]
    return [np.asarray(np.clip(part, 0, 2), np.float32) for part in parts]


def _functional(density: Plane, row: Plane) -> Plane:
    return np.asarray(cv2.transform(density, row.reshape(1, 3)), np.float32).reshape(density.shape[:2])


def drop_out(codes: Codes, dropper: Dropper) -> Codes:
    """Reflectance codes (h, w, 3) without the pencils."""
    out = np.empty_like(codes)
    rows = max(8, _STRIP_VALUES // max(1, codes.shape[1] * 3))
    for top in range(0, codes.shape[0], rows):
        # A few rows more on each side: a pixel's neighbours have a part in it.
        first = max(top - REACH_PX, 0)
        part = np.ascontiguousarray(codes[first : top + rows + REACH_PX])
        out[top : top + rows] = _cleared(part, dropper)[top - first :][: codes[top : top + rows].shape[0]]
    return out


def _cleared(codes: Codes, dropper: Dropper) -> Codes:
    density = np.asarray(cv2.LUT(codes, _density_table()), np.float32)
    r, g, b = cv2.split(codes)
    lightest = cv2.max(cv2.max(r, g), b).astype(np.float32) * np.float32(1 / PAPER_CODE)
    # In full ink noise outweighs hue, and what lies under it cannot be seen: it stays whole.
    sure = np.clip((lightest - np.float32(1.5 * dropper.ink)) * np.float32(1 / 0.15), 0, 1)
    parts = _shares_of(density, dropper)
    through = np.ones(density.shape, np.float32)
    pencils = np.zeros(lightest.shape, np.float32)
    for part, table, grey in zip(parts, dropper.tables, dropper.greys, strict=True):
        at = cv2.multiply(part, sure, scale=(_STEPS - 1) / 2, dtype=cv2.CV_8U)
        through *= cv2.LUT(cv2.merge([at, at, at]), table.reshape(1, _STEPS, 3))
        pencils += part * np.float32(grey)
    cleared = cv2.divide(codes.astype(np.float32), through, scale=1 / PAPER_CODE)
    third = np.full((1, 3), 1 / 3, np.float32)
    pale = np.clip(2 * cv2.transform(cleared, third) - 1, 0, 1)
    taken = 1 - cv2.erode(cv2.transform(through, third), _BOX3)
    # Cameras keep colour at half the sharpness of light: a thin line's hue lies beside it, too weak on it. Where the
    # darkness of a neighbourhood is pencil's by its hue, all of it is.
    around = cv2.blur(np.maximum(cv2.transform(density, third), 0), _AROUND)
    wholly = cv2.divide(cv2.blur(pencils, _AROUND), np.maximum(around, 0.012))
    share = np.clip((wholly - _WHOLLY[0]) * (1 / (_WHOLLY[1] - _WHOLLY[0])), 0, 1)
    share *= np.clip(4 * lightest - 1.4, 0, 1)
    lift = _RESIDUE * taken * pale
    cleared += cv2.merge([lift, lift, lift])
    missing = np.maximum(1 - cleared, 0)
    cleared += missing * cv2.merge([share, share, share])
    return to_codes(np.asarray(cleared, np.float32))
