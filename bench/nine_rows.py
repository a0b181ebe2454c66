"""Rows of the quality bench over all nine media: cut-outs against truth beside an oracle and the plain ways; evening."""

from __future__ import annotations

from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import cv2
import numpy as np
from numpy.typing import NDArray

import nine
from metrics import BRIGHT
from nine import Answer, Recorded, record_flat
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.editions.picture import paper_picture
from woad.core.formats.read import take_in
from woad.core.ink.curve import encoded_share
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.sheet import Sheet, load_sheet
from woad.core.render.whole import render_whole
from woad.core.units import mm_to_px

Plane = NDArray[np.float32]
Row = dict[str, float]
WAYS = ("Woad", "oracle", "threshold", "brightness", "divided")
ERRORS = ("edge over white", "whole over white", "fringe over black", "paper left, mean", "paper left, 99.9 %",
          "spoil left", "colour, dE2000", "too light over black", "too light over bright")  # fmt: skip
KEPT = ("faint kept", "texture", "texture gain", "pale kept")
SAME = {"paper left, mean": 0.05, "fringe over black": 0.05, "spoil left": 0.05, "colour, dE2000": 0.1,
        "too light over black": 0.05, "too light over bright": 0.05}  # fmt: skip
COLOUR = ("watercolour", "gouache")


def opened(sheet: Recorded, ppi: float | None = None) -> Sheet:
    """The sheet as Woad reads it from its file, on the scan's own grid; at ``ppi``, as if the file said so."""
    data = sheet.jpeg
    if data is None:
        data = cv2.imencode(".png", sheet.encoded[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()
    docket = Docket().with_setting("square.on", False)
    return load_sheet(take_in("sheet.img", data), docket.with_setting("scan.ppi", ppi) if ppi else docket)


def woad(sheet: Recorded, loaded: Sheet) -> tuple[Answer, Docket]:
    docket = starting_docket(sheet.flat.medium)  # type: ignore[arg-type]
    planes = render_whole(loaded, docket)
    assert planes.alpha is not None
    alpha = planes.alpha.astype(np.float32) / 255
    if planes.rgb is not None:
        colour = planes.rgb.astype(np.float32) / 255
        return Answer(alpha, colour, paper_picture(planes).astype(np.float32) / 255), docket
    ink = np.array(planes.ink_rgb, np.float32) / 255
    return Answer(alpha, ink, nine.over_white(alpha, ink), ink), docket


def truth_pictures(sheet: Recorded, ink: NDArray[np.float32] | None) -> list[Plane]:
    """Right pictures over white: for one ink both readings of coverage, laid in the way's ink."""
    flat = sheet.flat
    if flat.cover is None or ink is None:
        return [srgb_encode(np.clip(flat.art, 0, 1))]
    k = float(srgb_decode(ink.mean(keepdims=True))[0])
    return [nine.over_white(t, ink) for t in (flat.cover, encoded_share(flat.cover, k))]


def measure(sheet: Recorded, answer: Answer) -> Row:
    """All rows of one way on one sheet; errors in steps of 255."""
    flat = sheet.flat
    any_mark = ((1 - flat.art).max(axis=2) > 0.004).astype(np.uint8)
    px = np.ones
    outline = cv2.morphologyEx(flat.marks.astype(np.uint8), cv2.MORPH_GRADIENT, px((3, 3), np.uint8))
    edge = cv2.dilate(outline, px((3, 3), np.uint8)) > 0
    near = cv2.dilate(any_mark, px((17, 17), np.uint8)) > 0
    spoiled = np.zeros(near.shape, bool) if flat.spoil is None else flat.spoil > 0.08
    touched = cv2.dilate(spoiled.astype(np.uint8), px((9, 9), np.uint8)) > 0
    clear = ~near & ~touched
    rim = (cv2.dilate(any_mark, px((9, 9), np.uint8)) > 0) & (any_mark == 0) & ~touched
    rows: Row = {}
    truths = truth_pictures(sheet, answer.ink)
    for name, where in (("edge over white", edge), ("whole over white", np.ones(edge.shape, bool))):
        rows[name] = min(float(np.sqrt(np.mean((answer.white[where] - t[where]) ** 2))) * 255 for t in truths)
    a, colour = answer.alpha, answer.colour
    seen = a[rim][:, None] * (colour if colour.ndim == 1 else colour[rim])
    rows["fringe over black"] = float(seen.mean() * 255)
    for name, ground in (("black", (0.0,) * 3), ("bright", BRIGHT)):
        rows[f"too light over {name}"] = _too_light(answer, truths, rim, flat.marks, ground)
    rows["paper left, mean"] = float(a[clear].mean() * 255)
    rows["paper left, 99.9 %"] = float(np.percentile(a[clear], 99.9) * 255)
    lone = spoiled & ~near
    if lone.any():
        rows["spoil left"] = float(a[lone].mean() * 255)
    _kept(sheet, answer, truths, rows)
    return rows


def _too_light(
    answer: Answer, truths: list[Plane], rim: NDArray[np.bool_], marks: NDArray[np.bool_], ground: tuple[float, ...]
) -> float:
    """How much lighter the rim is than any mixture of the ground and the marks beside it could be, mean steps of 255.

    The marks' colours are the true ones within 10 px, their edges left out; with one ink, what it was laid in counts as well.
    """
    a, colour = answer.alpha[rim][:, None], answer.colour
    back = np.asarray(ground, np.float32)
    seen = a * (colour if colour.ndim == 1 else colour[rim]) + (1 - a) * back
    core = cv2.erode(marks.astype(np.uint8), np.ones((5, 5), np.uint8))
    core = np.where(cv2.dilate(core, np.ones((9, 9), np.uint8)) > 0, core, marks).astype(np.uint8)
    lightest = cv2.dilate(truths[0] * core[..., None], np.ones((21, 21), np.uint8))
    most = np.maximum(lightest[rim], back)
    if answer.ink is not None:
        most = np.maximum(most, answer.ink)
    return float(np.maximum(seen - most, 0).mean() * 255)


def _kept(sheet: Recorded, answer: Answer, truths: list[Plane], rows: Row) -> None:
    flat = sheet.flat
    grey = 1 - flat.art.mean(axis=2)
    inside = cv2.erode(flat.marks.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    if flat.cover is not None:
        soft = cv2.GaussianBlur(flat.cover, (0, 0), 2.0)
        pale = (soft > 0.03) & (cv2.dilate(flat.cover, np.ones((9, 9))) < 0.45)
        right = [flat.cover, encoded_share(flat.cover, 0.0)]
        if pale.sum() > 200:
            kept = [float(answer.alpha[pale].sum() / t[pale].sum()) for t in right]
            rows["faint kept"] = min(kept, key=lambda v: abs(v - 1))
    else:
        pale = (grey > 0.04) & (grey < 0.25) & inside
        if pale.sum() > 500:
            got = 1 - srgb_decode(answer.white[pale]).mean(axis=1)
            rows["faint kept"] = float(got.sum() / grey[pale].sum())
        if inside.any():
            from skimage.color import deltaE_ciede2000, rgb2lab

            pick = np.flatnonzero(inside)[:: max(1, int(inside.sum()) // 60_000)]
            got_lab = rgb2lab(_soft(answer.white).reshape(-1, 3)[pick])
            true_lab = rgb2lab(_soft(truths[0]).reshape(-1, 3)[pick])
            rows["colour, dE2000"] = float(deltaE_ciede2000(true_lab, got_lab).mean())
    if inside.sum() > 500:
        best = max((_texture(answer.white, t, inside) for t in truths), key=lambda pair: pair[0])
        rows["texture"], rows["texture gain"] = best
    if flat.pale is not None and flat.pale.sum() > 300:
        well_inside = cv2.erode(flat.pale.astype(np.uint8), np.ones((7, 7))) > 0
        if well_inside.any():
            rows["pale kept"] = float(answer.alpha[well_inside].mean())


def _soft(picture: Plane) -> Plane:
    # Colour is judged as an eye does, over a few pixels, not on single grains of sensor noise.
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), 1.5), np.float32)


def _texture(white: Plane, truth: Plane, inside: NDArray[np.bool_]) -> tuple[float, float]:
    def high(p: Plane) -> Plane:
        grey = p.mean(axis=2)
        return np.asarray(grey - cv2.GaussianBlur(grey, (0, 0), 4.0))

    a, b = high(white)[inside].astype(np.float64), high(truth)[inside].astype(np.float64)
    if a.std() < 1e-6 or b.std() < 1e-4:
        return 1.0, 1.0
    return float(np.corrcoef(a, b)[0, 1]), float((a * b).sum() / (b * b).sum())


def one(job: tuple[str, str, int]) -> tuple[str, str, int, dict[str, Row]]:
    medium, light, seed = job
    sheet = record_flat(medium, light, seed)
    loaded = opened(sheet)
    ours, docket = woad(sheet, loaded)
    answers = {"Woad": ours, "oracle": nine.oracle(sheet, ours.ink, docket.ink.halftones),
               "threshold": nine.threshold(sheet), "brightness": nine.brightness(sheet),
               "divided": nine.divided(sheet)}  # fmt: skip
    rows = {name: measure(sheet, answer) for name, answer in answers.items()}
    rows["Woad"] |= _evening(sheet, loaded)
    return medium, light, seed, rows


def _evening(sheet: Recorded, loaded: Sheet) -> Row:
    """Estimated light against the true one, relative error in percent: on paper and under marks."""
    from woad.core.paper.evening import sample_grid

    h, w = sheet.encoded.shape[:2]
    r = loaded.readings
    found = sample_grid(r.light, r.cell_px, 0, 0, w, h, 0)
    off = np.log(np.maximum(found, 1e-4) / sheet.field)
    if sheet.flat.blotches is not None:
        # Mottled paper: its blotches have to be evened with the light. Both are compared as coarsely as they can be told.
        off -= np.log(sheet.flat.blotches)[..., None]
        off = cv2.GaussianBlur(off, (0, 0), mm_to_px(4, sheet.flat.ppi))
    off = np.abs(off).mean(axis=2) * 100
    marked = cv2.dilate(((1 - sheet.flat.art).max(axis=2) > 0.012).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    out = {}
    for name, where in (("paper", ~marked), ("marks", marked)):
        out[f"light on {name}, median %"] = float(np.median(off[where]))
        out[f"light on {name}, 95 %"] = float(np.percentile(off[where], 95))
    return out


def nine_row(first: int, sheets: int, media: list[str], lights: list[str]) -> list[str]:
    """Print a table per medium and return the misses in words."""
    jobs = [(m, light, first + i) for m in media for light in lights for i in range(sheets)]
    groups: dict[str, list[tuple[str, int, dict[str, Row]]]] = defaultdict(list)
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        for medium, light, seed, rows in pool.map(one, jobs):
            groups[medium].append((light, seed, rows))
            print(".", end="", flush=True)
    print()
    misses: list[str] = []
    for medium, group in groups.items():
        misses += _report(medium, [rows for _, _, rows in group])
        for light, seed, rows in group:
            misses += [f"{medium}-{light}-{seed}: {text}" for text in _bars(medium, rows)]
    return misses


def _report(medium: str, group: list[dict[str, Row]]) -> list[str]:
    print(f"\n{medium}: mean of {len(group)} sheets")
    print(f"  {'':24s}" + "".join(f"{way:>12s}" for way in WAYS))
    names = [*ERRORS, *KEPT, *(n for n in group[0]["Woad"] if n.startswith("light on"))]
    misses = []
    for name in names:
        mean = {w: float(np.mean([g[w][name] for g in group if name in g[w]])) for w in WAYS
                if any(name in g[w] for g in group)}  # fmt: skip
        if not mean:
            continue
        print(f"  {name:24s}" + "".join(f"{mean[w]:12.3f}" if w in mean else f"{'':12s}" for w in WAYS))
        plain = [mean[w] for w in WAYS[2:] if w in mean]
        if name in ERRORS and plain and not mean["Woad"] < min(plain) + SAME.get(name, 1.0):
            misses.append(f"{medium}: {name} {mean['Woad']:.3f} is not better than a plain way's {min(plain):.3f}")
        if name in KEPT and plain:
            best = min(plain, key=lambda v: abs(1 - v))
            if abs(1 - mean["Woad"]) > abs(1 - best) + 0.005:
                misses.append(f"{medium}: {name} {mean['Woad']:.3f} is worse than a plain way's {best:.3f}")
    return misses


def _bars(medium: str, rows: dict[str, Row]) -> list[str]:
    """The bars of a single sheet."""
    ours, true = rows["Woad"], rows["oracle"]
    out: list[str] = []

    def most(name: str, bar: float) -> None:
        if name in ours and not ours[name] <= bar:
            out.append(f"{name} {ours[name]:.2f} (bar {bar:g})")

    def between(name: str, low: float, high: float) -> None:
        if name in ours and not low <= ours[name] <= high:
            # What a capture's own blur takes, nobody who knows the true light and colours gets back either.
            out.append(f"{name} {ours[name]:.3f} (bar {low:g} to {high:g}; the oracle's {true.get(name, 1):.3f})")

    ratio = 1.8 if medium in ("tracing", "print") else 1.3
    for name in ("edge over white", "whole over white"):
        share = ours[name] / max(true[name], 1e-6)
        if share > ratio:
            out.append(f"{name} is {share:.2f} x the oracle's (bar {ratio})")
    most("paper left, mean", 0.5 if medium == "print" else 0.1)
    most("paper left, 99.9 %", 40 if medium == "print" else 8)
    most("too light over black", 0.05)
    most("too light over bright", 0.05)
    most("spoil left", 1.0 if medium == "blue-pencil" else 2.0)
    most("colour, dE2000", 1.2 if medium == "watercolour" else 2.0)
    between("faint kept", *((0.85, 1.1) if medium in COLOUR else (0.93, 1.07)))
    if "texture" in ours and ours["texture"] < 0.97 * true["texture"]:
        out.append(f"texture {ours['texture'] / true['texture']:.3f} x the oracle's (bar 0.97)")
    between("texture gain", 0.95, 1.1)
    between("pale kept", 0.9, 1.01)
    for name, bar in (("paper, median %", 1), ("paper, 95 %", 3), ("marks, median %", 3), ("marks, 95 %", 6)):
        most(f"light on {name}", bar)
    return out
