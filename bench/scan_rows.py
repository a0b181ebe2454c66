"""Quality of the Scan and Square steps against known truth: tilt, corners, bow, resampling, faults, medium."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from multiprocessing import get_context
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from captures import AFTER, FAULTS, capture_with, table_photo, tilted_scan
from media import ALL, draw, turned
from woad.core.docket.model import Docket
from woad.core.estimate import NoEstimate
from woad.core.formats.read import take_in
from woad.core.raster.pyramid import Pyramid, build_pyramid
from woad.core.raster.tiles import Region
from woad.core.render.report import look_at_scan
from woad.core.render.sheet import make_sheet
from woad.core.render.squaring import find_square, looked_closely
from woad.core.square.bow import Bow
from woad.core.square.frame import plain_frame, plane_frame
from woad.core.square.resample import warp
from woad.demo.scanner import Capture, Light, expose, light_field

Misses = list[str]


def spread(work: Callable[[Any], Any], jobs: Iterable[Any]) -> list[Any]:
    """Run jobs on both cores, in order."""
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        return list(pool.map(work, jobs))


def png(image: NDArray[np.uint8]) -> bytes:
    return cv2.imencode(".png", image[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()


# -- tilt ----------------------------------------------------------------------------------------------------------


def tilt_job(job: tuple[int, bool]) -> tuple[bool, float | None, bool]:
    seed, cue = job
    image, deg, _ = tilted_scan(seed, cue)
    tilt = find_square(build_pyramid(image)).tilt
    sure = not isinstance(tilt, NoEstimate) and tilt.sure >= 0.5
    return cue, abs(tilt.deg - deg) if not isinstance(tilt, NoEstimate) else None, sure


def tilt_row(first_seed: int) -> Misses:
    jobs = [(first_seed + i, True) for i in range(60)] + [(first_seed + i, False) for i in range(27)]
    found = spread(tilt_job, jobs)
    errors = [e for cue, e, sure in found if cue and sure and e is not None]
    wrong = [e for _, e, sure in found if sure and e is not None and e > 1]
    loud = sum(sure for cue, _, sure in found if not cue)
    print(f"tilt: {len(errors)} of 60 answered; error median {np.median(errors):.3f}°, 95 % {np.percentile(errors, 95):.3f}°, "
          f"worst {max(errors):.3f}°; sure and wrong by over 1°: {len(wrong)}; without any cue, sure: {loud} of 27")  # fmt: skip
    return check(
        (np.median(errors) < 0.1, "tilt: median error 0.1° or more"),
        (np.percentile(errors, 95) < 0.3, "tilt: 95 % error 0.3° or more"),
        (not wrong, "tilt: sure and wrong by more than 1°"), (loud == 0, "tilt: sure on art without any cue"),
        (len(errors) >= 54, "tilt: fewer than 90 % answered"),
    )  # fmt: skip


# -- corners -------------------------------------------------------------------------------------------------------


def corner_job(job: tuple[int, bool]) -> tuple[bool, float | None, bool]:
    seed, cut = job
    photo = table_photo(seed, cut)
    found = find_square(build_pyramid(photo.encoded)).corners
    if isinstance(found, NoEstimate):
        return cut, None, False
    diagonal = float(np.hypot(*photo.encoded.shape[:2]))
    error = min(np.linalg.norm(np.roll(photo.corners, k, 0) - found.points, axis=1).max() for k in range(4))
    return cut, float(error) / diagonal * 100, found.sure >= 0.5


def corner_row(first_seed: int) -> Misses:
    jobs = [(first_seed + i, False) for i in range(40)] + [(first_seed + i, True) for i in range(20)]
    found = spread(corner_job, jobs)
    errors = [e for cut, e, sure in found if not cut and sure and e is not None]
    wrong = sum(1 for _, e, sure in found if sure and e is not None and e > 2)
    loud = sum(sure for cut, _, sure in found if cut)
    print(f"corners: {len(errors)} of 40 answered; error median {np.median(errors):.3f} %, 95 % "
          f"{np.percentile(errors, 95):.3f} % of the diagonal; sure and wrong by over 2 %: {wrong}; "
          f"cut by the frame, sure: {loud} of 20")  # fmt: skip
    return check(
        (np.median(errors) < 0.1, "corners: median error 0.1 % or more"),
        (np.percentile(errors, 95) < 0.4, "corners: 95 % error 0.4 % or more"),
        (len(errors) >= 36, "corners: fewer than 90 % answered"), (wrong == 0, "corners: sure and wrong by over 2 %"),
        (loud == 0, "corners: sure of a sheet that is cut by the frame"),
    )  # fmt: skip


# -- bow and resampling --------------------------------------------------------------------------------------------


def bow_row(first_seed: int) -> Misses:
    """Lines drawn with a known bend, bent straight from five points on them: how straight, how thick, what else moved."""
    rng = np.random.default_rng(first_seed)
    worst, thick, moved = 0.0, 0.0, 0.0
    for _ in range(12):
        w, h, sag = 1400, 700, rng.uniform(-45, 45)
        x = np.arange(w)
        bend = sag * (1 - ((x - 700) / 560.0) ** 2) + 0.35 * sag * np.sin((x - 140) / 1120 * 2 * np.pi)
        y = np.arange(h)[:, None] + 0.5
        line = np.clip(3.5 - np.abs(y - 350 - bend[None]) + 0.5, 0, 1)
        line[:, (x < 150) | (x > 1250)] = 0
        image = (255 - 230 * line).astype(np.uint8)[..., None]
        at = np.linspace(150, 1250, 7)
        points = tuple((float(px), float(350 + np.interp(px, x, bend))) for px in at)
        frame = replace(plain_frame(w, h), bows=(Bow(points),))
        out = warp(Pyramid((image,)), frame, 0, Region(0, 0, w, h))
        dark = 255.0 - out[..., 0]
        dark[dark < 40] = 0
        columns = np.arange(200, 1200)
        mass = dark[:, columns].sum(axis=0)
        centre = (dark[:, columns] * (np.arange(h)[:, None] + 0.5)).sum(axis=0) / mass
        chord = np.polyval(np.polyfit(columns, centre, 1), columns)
        worst = max(worst, float(np.abs(centre - chord).max()))
        thick = max(thick, float(np.abs(mass / np.median(mass) - 1).max()))
        far = frame.plane_to_scan(np.array([[700.0, 20.0], [700.0, 680.0], [20.0, 40.0]]))
        moved = max(moved, float(np.abs(far - [[700.0, 20.0], [700.0, 680.0], [20.0, 40.0]]).max()))
    print(
        f"bow: lines straight within {worst:.2f} px, thickness within {thick:.1%}, the sheet's corners moved {moved:.2f} px"
    )
    return check(
        (worst < 0.5, "bow: a line is off by 0.5 px or more"), (thick < 0.05, "bow: a stroke changed thickness")
    )


def sharp_row(first_seed: int) -> Misses:
    """Turned, keystone undone and straightened: sharpness left against the same picture drawn straight, beside a chain."""
    flat = draw("pen", first_seed, 180, True)
    linear, _ = turned(flat, 4.3)
    h, w = linear.shape[:2]
    rng = np.random.default_rng(first_seed)
    shot = [expose([one[..., c] for c in range(3)], light_field((h, w), Light()), Capture(0.6, 0.002), rng)[0]
            for one in (linear, flat.linear)]  # fmt: skip
    frame = plane_frame((w, h), 0, False, 4.3, None, "auto")
    left, top = (frame.plane[0] - w) // 2, (frame.plane[1] - h) // 2
    once = warp(Pyramid((shot[0],)), frame, 0, Region(left, top, w, h))
    chain = shot[0]
    for deg in (2.0, 1.3, 1.0):
        matrix = cv2.getRotationMatrix2D((w / 2 - 0.5, h / 2 - 0.5), deg, 1.0)
        chain = np.asarray(
            cv2.warpAffine(chain, matrix, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        )
    inner = (slice(h // 6, -h // 6), slice(w // 6, -w // 6))

    def edges(image: NDArray[np.uint8]) -> float:
        grey = image[inner].astype(np.float32).mean(axis=2)
        gx, gy = cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1)
        return float(np.percentile(np.hypot(gx, gy), 99.5))

    truth = edges(shot[1])
    ours, three = edges(once) / truth, edges(chain) / truth
    error = float(np.abs(once[inner].astype(float) - shot[1][inner]).mean())
    print(f"sharpness: steepest edges {ours:.3f} x the truth's after the one resampling, {three:.3f} x after a chain of three; "
          f"mean error {error:.2f} of 255")  # fmt: skip
    return check((ours > 0.93, "sharpness: more than 7 % lost"), (ours > three, "sharpness: no better than a chain"))


# -- faults and medium ---------------------------------------------------------------------------------------------


def fault_job(job: tuple[str, int, str]) -> tuple[str, str, tuple[str, ...]]:
    fault, seed, after = job
    spoiled = capture_with(fault, seed, after)
    original = take_in("scan.png", png(spoiled.image))
    scan = build_pyramid(spoiled.image)
    report = look_at_scan(original, scan, looked_closely(scan, find_square(scan)), None)
    return fault, after, tuple(one.code for one in report.faults)


def fault_row(first_seed: int, sheets: int) -> Misses:
    goods = [
        (kind, first_seed + i, after) for kind in ("good", "good photo") for i in range(sheets) for after in AFTER[:2]
    ]
    bads = [(fault, first_seed + i, after) for fault in FAULTS for i in range(sheets) for after in AFTER]
    found = spread(fault_job, goods + bads)
    hits: dict[str, dict[str, list[bool]]] = defaultdict(lambda: defaultdict(list))
    false: dict[str, list[bool]] = defaultdict(list)
    clean = [not codes for fault, _, codes in found if fault.startswith("good")]
    for fault, after, codes in found:
        if fault in FAULTS:
            hits[fault][after].append(fault in codes)
        for code in FAULTS:
            if code != fault:
                false[code].append(code in codes)
    misses = check((float(np.mean(clean)) >= 0.95, f"faults: only {np.mean(clean):.1%} of good captures without any"))
    print(f"faults: {np.mean(clean):.1%} of {len(clean)} good captures have none")
    for fault in FAULTS:
        parts = ", ".join(f"{after} {np.mean(hits[fault][after]):.0%}" for after in AFTER)
        print(f"  {fault:13s} found: {parts}; falsely: {np.mean(false[fault]):.1%}")
        for after in AFTER:
            misses += check(
                (
                    float(np.mean(hits[fault][after])) > 0.9,
                    f"faults: {fault}, {after}: found in {np.mean(hits[fault][after]):.0%}",
                )
            )
        misses += check(
            (float(np.mean(false[fault])) < 0.03, f"faults: {fault} falsely in {np.mean(false[fault]):.1%}")
        )
    return misses


def medium_job(job: tuple[str, int, bool]) -> tuple[str, str, float]:
    medium, seed, photo = job
    rng = np.random.default_rng(seed * 13 + ALL.index(medium) + 100 * photo)
    linear = draw(medium, seed, 190, rng.random() < 0.7).linear
    light = Light(rng.uniform(0, 0.25), vignette=rng.uniform(0, 0.2)) if photo else Light(0.03)
    capture = Capture(
        rng.uniform(0.6, 1),
        rng.uniform(0.003, 0.007),
        0.3 if photo else 0,
        88 if photo else None,
        rng.uniform(0.75, 0.95),
    )
    field = light_field(linear.shape[:2], light) * np.float32(capture.exposure)
    image = expose([linear[..., c] for c in range(3)], field, capture, rng)[0]
    sheet = make_sheet(take_in("a.png", png(image)), build_pyramid(image), Docket())
    return medium, sheet.readings.medium, sheet.readings.medium_sure


def medium_row(first_seed: int, sheets: int) -> Misses:
    jobs = [(m, first_seed + i, photo) for m in ALL for i in range(sheets) for photo in (False, True)]
    found = spread(medium_job, jobs)
    right = [medium == got for medium, got, _ in found]
    sure_wrong = sum(1 for medium, got, sure in found if medium != got and sure >= 0.75)
    print(f"medium: {np.mean(right):.1%} of {len(right)} right; surely wrong: {sure_wrong}")
    for medium in ALL:
        wrong = [got for m, got, _ in found if m == medium and got != medium]
        if wrong:
            print(f"  {medium}: taken for {', '.join(wrong)}")
    return check((float(np.mean(right)) > 0.9, f"medium: right in {np.mean(right):.1%}"))


def check(*checks: tuple[Any, str]) -> Misses:
    return [text for ok, text in checks if not ok]
