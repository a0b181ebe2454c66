"""What a print lets through, read from places that show hardly anything else."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.raster.channels import grey_of
from woad.core.raster.tiles import Region

Plane = NDArray[np.float32]
Seen = tuple[Region, Plane]

_MARKED = 1.5  # times the depth that is not exceeded by one in four, from which a place has marks
_TO_BLACK = 0.25  # of what is left to black, that they are deeper at least
_LEAST_PLACES = 8
_FEWEST = 4  # pixels that show a sample
_DEPTH = 0.015, 0.85  # of the paper's light, that a print takes at least and at most where it is darkest
_EXPLAINED = 0.55  # of all that varies beyond the paper's noise, that the mean of all places explains in a print
_TIED = 1.5  # times as much, as the noise of pixels beside each other is tied
_NOISE = 3.0  # times its own unrest that a print stands out of the paper
_MOST = 0.9  # of the light that is divided by, at most
_COVER = 0.35  # of the paper, that is at least half as dark, at most
_DARKER = 1.5  # times the spread of what is seen of a place of the print, that it is darker at its darkest


def read_print(
    plain: list[Seen], sample_of: Callable[[Region], NDArray[np.intp]], samples: tuple[int, int]
) -> tuple[Plane, Plane] | None:
    """The light (v, u, C) that a print lets through, in the mean of what is seen of it and where it is darkest; None when
    that is none.

    Parameters: ``plain`` boxes of level 0 with the reflectance (h, w, C) that they show, see :func:`plain_places`;
    ``sample_of`` which of the ``samples`` (v, u) each pixel (h, w) of a box belongs to, row by row, -1 for none.
    """
    v, u = samples
    seen = sum(own.size for _, own in plain) / (v * u * plain[0][1].shape[2])  # pixels that show a sample
    shown = [(sample_of(box).ravel(), own.reshape(-1, own.shape[2])) for box, own in plain]
    told = _moments(shown, v * u)
    if told is None:
        return None
    mean, squares = (one.reshape(v, u, -1) for one in told)
    paper = np.percentile(told[0], 70, axis=0).astype(np.float32)
    varied = np.maximum(squares - mean**2, 0)
    # A thin line is darkest where pixels lie right along it, and paler where it runs between two of them.
    beyond = np.maximum(varied - np.median(varied, axis=(0, 1)), 0)
    missing = np.asarray(1 - mean / np.maximum(paper, np.float32(0.05)), np.float32)
    explained = float((np.maximum(missing, 0) ** 2).mean())
    # Variances of a few pixels each are not alike either: of what is normal, the upper half adds this to their mean.
    by_chance = float(np.median(varied)) * (2 / seen) ** 0.5 * _TIED / (2 * np.pi) ** 0.5
    if explained < _EXPLAINED * (explained + max(float(beyond.mean()) - by_chance, 0.0)):
        return None  # lines that are drawn, however evenly, do not lie as alike
    return _as_print(missing, np.asarray(_DARKER * np.sqrt(beyond), np.float32))


def _moments(shown: list[tuple[NDArray[np.intp], Plane]], count: int) -> tuple[Plane, Plane] | None:
    """Mean, and mean square, of the light (n, C) that was seen at samples (n,) of so many, -1 for none: (count, C) each; None
    where hardly anything was seen of one."""
    at = np.concatenate([places for places, _ in shown])
    light = np.concatenate([own for _, own in shown])[at >= 0]
    at = at[at >= 0]
    seen = np.bincount(at, minlength=count)
    if (seen < _FEWEST).any():
        return None
    mean, squares = (
        np.stack([np.bincount(at, weights=own, minlength=count) / seen for own in values.T], axis=1).astype(np.float32)
        for values in (light, light**2)
    )
    return mean, squares


def plain_places(boxes: Sequence[Region], read: Callable[[Region], Plane]) -> list[Seen]:
    """Those of ``boxes`` of level 0 that show hardly more than the plainest do, as there are no marks, with the reflectance
    (h, w, C) that ``read`` gives of them; empty if they are too few to tell anything."""
    seen = [(box, read(box)) for box in boxes if box.w > 8 and box.h > 8]
    depths = [float(np.percentile(1 - grey_of(values), 99.5)) for _, values in seen]
    pale = [depth for depth in depths if depth < _DEPTH[1]]
    if len(pale) < _LEAST_PLACES:
        return []
    usual = float(np.percentile(pale, 25))
    # Of a dark print, marks are hardly darker.
    most = usual + min((_MARKED - 1) * usual, _TO_BLACK * (1 - usual)) + 0.02
    plain = [one for one, depth in zip(seen, depths, strict=True) if depth < most]
    return plain if len(plain) >= _LEAST_PLACES else []


def _as_print(missing: Plane, darker: Plane) -> tuple[Plane, Plane] | None:
    """The light that a print lets through, in the mean and at its darkest, from the light (v, u, C) that is missing in the
    mean and how much ``darker`` it is at its darkest; None when nothing stands out of the noise that is one."""
    grey = grey_of(missing)
    unrest = 1.4826 * float(np.median(np.abs(grey - np.median(grey)))) + 1e-4
    deepest = float(grey.max())
    if not max(_DEPTH[0], _NOISE * unrest) < deepest < _DEPTH[1] or (grey > deepest / 2).mean() > _COVER:
        return None
    stands = np.clip(grey / (_NOISE * unrest) - 1, 0, 1)[..., None]
    usual = np.minimum(np.maximum(missing, 0) * stands, _MOST)
    around = np.pad(np.asarray(usual + darker * stands, np.float32), ((1, 1), (1, 1), (0, 0)), mode="wrap")
    wider = np.asarray(cv2.dilate(around, np.ones((1 if len(missing) == 1 else 3, 3), np.uint8))).reshape(around.shape)
    most = np.minimum(wider[1:-1, 1:-1], _MOST)
    return np.asarray(1 - usual, np.float32), np.ascontiguousarray(1 - most, np.float32)
