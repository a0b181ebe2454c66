"""The whole way for one scan without a screen: file in, editions out. The command and the window both use it."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from threading import Event

import numpy as np

from woad.core.docket.model import Docket
from woad.core.editions.edition import NO_CUTOUT, Destination, Edition, write_edition
from woad.core.errors import Impossible
from woad.core.estimate import NoEstimate
from woad.core.paper.ruling import Ruling
from woad.core.render.clearing import goes
from woad.core.render.found import Found
from woad.core.render.negative import as_seen
from woad.core.render.recipe import make_recipe, resolve_points
from woad.core.render.sheet import Sheet
from woad.core.render.squaring import corners_in_force, tilt_in_force
from woad.core.render.whole import render_whole

Progress = Callable[[float], None]


@dataclass(frozen=True)
class Written:
    """One file that was written."""

    edition: Edition
    path: Path


@dataclass(frozen=True)
class Done:
    """The files that were written, and what was found when the sheet was looked over for strays, None without that."""

    written: tuple[Written, ...]
    found: Found | None


def write_sheet(
    sheet: Sheet,
    docket: Docket,
    editions: tuple[Edition, ...],
    to: Destination,
    progress: Progress | None = None,
    stop: Event | None = None,
) -> Done:
    """Render once, then write every edition, side by side. Raises ``TheirError`` or ``Cancelled``.

    Targets are checked before any work is done, so a name that is taken costs no waiting.
    """
    targets = targets_of(docket, editions, to)

    def part(low: float, high: float) -> Progress | None:
        return None if progress is None else lambda share: progress(low + (high - low) * share)

    planes = render_whole(sheet, docket, part(0.0, 0.6), stop)
    with ThreadPoolExecutor(2) as pool:
        jobs = [
            pool.submit(
                write_edition, planes, one.edition, one.path, sheet.ppi, to.overwrite,
                part(0.6, 1.0) if i == 0 else None, stop,
            )
            for i, one in enumerate(targets)
        ]  # fmt: skip
        for job in jobs:
            job.result()
    if progress is not None:
        progress(1.0)
    return Done(targets, planes.found)


def targets_of(docket: Docket, editions: tuple[Edition, ...], to: Destination) -> tuple[Written, ...]:
    """What would be written where. Raises ``TheirError`` when it can not be, or must not."""
    if not docket.knockout.on and any(edition.kind != "paper" for edition in editions):
        raise Impossible(NO_CUTOUT)
    return tuple(Written(edition, to.path(edition)) for edition in editions)


def readings_json(sheet: Sheet, docket: Docket, found: Found | None) -> dict[str, object]:
    """What was measured and done, for scripts; ``found`` when the sheet was looked over for strays. Densities in D,
    lightness in L*, colours 0..255."""
    r = sheet.readings
    recipe = make_recipe(docket, r)
    points = resolve_points(docket, r, recipe.one_ink)
    grey = r.ink if isinstance(r.ink, NoEstimate) else None
    return {
        "width_px": sheet.width,
        "height_px": sheet.height,
        "ppi": sheet.ppi,
        "square": _square_json(sheet, docket),
        "sharpening": _sharpening_json(sheet),
        "register": _register_json(sheet),
        "medium": docket.medium,
        "medium_proposed": r.medium,
        "medium_why": r.medium_why,
        "one_ink": recipe.one_ink,
        "paper": {
            "rgb": list(r.seen_paper_rgb),
            "lightness": round(r.seen_paper_lightness, 2),
            "dark": r.negative,
            "unevenness": round(r.unevenness, 3),
            "noise_density": round(r.clearing, 4),
            "reverse": round(r.reverse, 3),
            "tone": None if recipe.paper_tone is None else [round(v, 3) for v in recipe.paper_tone],
            "light_marks": 0.0 if r.light_marks is None else round(r.light_marks.share, 4),
            "ruling": None if r.ruling is None else _ruling_json(r.ruling),
            "doubt": r.light_doubt.reason if r.light_doubt is not None else None,
        },
        "ink": {
            "density_scan": None if r.ink_density is None else round(r.ink_density, 3),
            "rgb_written": list(as_seen(recipe.ink_rgb, r.negative)) if recipe.one_ink else None,
            "points": {"paper": points.paper, "middle": round(points.middle, 4), "ink": round(points.ink, 4)},
            "doubt": grey.reason if grey is not None else None,
            "drop_out": [[round(v, 3) for v in colour] for colour in recipe.dropped],
        },
        "spotting": None if found is None else _spotting_json(found, docket),
    }


def _spotting_json(found: Found, docket: Docket) -> dict[str, int]:
    """How many small detached pieces there are and how many of them went; what was mended on paint and across the sheet."""
    decided = docket.spotting.decided
    return {
        "pieces": len(found.pieces),
        "taken_off": int(goes(found, docket.spotting).sum()),
        "hairs": len(found.mended_hairs(decided)),
        "streaks": len(found.mended_streaks(decided)),
        "folds": len(found.evened_folds(decided)),
    }


def _sharpening_json(sheet: Sheet) -> dict[str, object] | None:
    """What the scanner or phone sharpened, if Woad can take it back; None without."""
    own = sheet.found.own.sharpening
    if own is None:
        return None
    return {
        "rims": round(own.rims, 3),
        "radius_px": own.radius_px,
        "amount": own.amount,
        "taken_back": sheet.back.sharpening is not None,
    }


def _register_json(sheet: Sheet) -> dict[str, object] | None:
    """How far red and blue lie beside green, if that is enough to be laid back; None otherwise."""
    own = sheet.found.own.register
    if own is None:
        return None
    ways = {name: [round(v, 3) for v in (one.x, one.y)] for name, one in (("red_px", own.red), ("blue_px", own.blue))}
    lens = [own.red.lens, own.blue.lens]
    return {"apart_px": round(own.apart_px, 3), **ways, "lens": lens, "laid_back": sheet.back.register is not None}


def _ruling_json(ruling: Ruling) -> dict[str, object]:
    return {"kind": ruling.kind, "period_px": round(ruling.period_px, 2), "margins": len(ruling.margins)}


def _square_json(sheet: Sheet, docket: Docket) -> dict[str, object]:
    """How the sheet was squared; all places in scan pixels."""
    frame, found = sheet.frame, sheet.found
    corners = corners_in_force(docket.square, sheet.scan, found) if docket.square.on else None
    box = np.array([[0, 0], [frame.width, 0], [frame.width, frame.height], [0, frame.height]], np.float64)
    return {
        "resampled": not frame.identity,
        "tilt_deg": round(tilt_in_force(docket.square, corners, found), 3) if docket.square.on else 0.0,
        "corners_px": None if corners is None else corners.round(2).tolist(),
        "frame_px": frame.to_scan(box).round(2).tolist(),
        "tape_px": [one.round(1).tolist() for one in found.tape],
    }
