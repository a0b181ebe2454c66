"""The scan report: every fault found where it is, nothing found where nothing is, and the command's contract."""

from __future__ import annotations

import json
from dataclasses import is_dataclass, replace
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest

from captures import drawn_sheet, image_file, photo, saved, shot, tilted
from command import woad
from sheets import sheet_of
from woad.core.docket.media import starting_docket
from woad.core.docket.model import MEDIA
from woad.core.estimate import NoEstimate
from woad.core.formats.read import Original, take_in
from woad.core.raster.pyramid import Pyramid, build_pyramid
from woad.core.render.faults import BLUR_PX
from woad.core.render.hue_traits import Hues
from woad.core.render.medium import propose_medium
from woad.core.render.report import ScanReport, look_at_scan
from woad.core.render.squaring import Found, find_square
from woad.core.render.traits import PaperTraits, Shape, Tones, Traits
from woad.core.render.whole import render_whole
from woad.core.scan.blocks import luma_255, past_quality, quality_of
from woad.core.scan.clipping import burnt_share
from woad.core.scan.grid import smoothed_grid
from woad.core.scan.noise import paper_noise
from woad.core.scan.resampled import SCALED, rhythm
from woad.core.scan.sharpness import edge_width
from woad.demo.job import demo_files
from woad.demo.scanner import Capture, Light, sharpened

GOOD = Capture(0.6, 0.003, exposure=0.9)


@cache
def read(pixels: bytes, shape: tuple[int, ...]) -> tuple[Original, Pyramid, Found]:
    scan = build_pyramid(np.frombuffer(pixels, np.uint8).reshape(shape))
    return take_in("a.png", image_file(scan.levels[0])), scan, find_square(scan)


def report_on(image: np.ndarray, ppi: float | None = None, print_mm: float | None = None) -> ScanReport:
    original, scan, square = read(image.tobytes(), image.shape)
    return look_at_scan(original, scan, square, ppi, print_mm)


def codes(image: np.ndarray) -> set[str]:
    return {fault.code for fault in report_on(image).faults}


def with_glare() -> np.ndarray:
    linear = drawn_sheet()
    h, w = linear.shape[:2]
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    spot = np.exp(-((x - 350) ** 2 + (y - 620) ** 2) / (2 * 70.0**2)) * 0.7
    return shot(np.asarray(linear + spot[..., None], np.float32), None, replace(GOOD, exposure=0.75))


SPOILED = {
    "burnt_out": lambda: shot(drawn_sheet(), None, replace(GOOD, exposure=1.5)),
    "blurred": lambda: shot(drawn_sheet(), None, replace(GOOD, blur_px=3.0)),
    "compressed": lambda: saved(shot(drawn_sheet()), 18),
    "uneven_light": lambda: shot(drawn_sheet(), Light(0.6, 30, 0.3)),
    "shadow": lambda: shot(drawn_sheet(), Light(shadow=0.5, shadow_at=0.55, penumbra=0.02)),
    "glare": with_glare,
    "noisy": lambda: shot(drawn_sheet(), None, replace(GOOD, noise=0.05)),
    "sharpened": lambda: sharpened(shot(drawn_sheet()), 1.5, 1.5),
    "tilted": lambda: tilted(3.0),
    "keystone": lambda: photo().encoded,
}


@cache
def spoiled(code: str) -> np.ndarray:
    return SPOILED[code]()


def test_good_scans_have_no_faults() -> None:
    """A plain scan, one saved as JPEG at a usual quality, and one in a little uneven light."""
    for image in (shot(drawn_sheet()), saved(shot(drawn_sheet()), 88), shot(drawn_sheet(), Light(0.15, 30, 0.1), GOOD)):
        assert codes(image) == set()


@pytest.mark.proof
def test_grey_paint_among_other_paint_is_no_uneven_light() -> None:
    """A stone grey of no hue, wholly within a dark red, is paint; nothing around it lies in such light."""
    linear = np.full((960, 700, 3), 0.85, np.float32)
    cv2.rectangle(linear, (90, 180), (610, 700), (0.09, 0.012, 0.025), -1)
    cv2.ellipse(linear, (350, 440), (150, 170), 0, 0, 360, (0.5, 0.49, 0.48), -1, cv2.LINE_AA)
    assert "uneven_light" not in codes(shot(linear))


@pytest.mark.parametrize("code", SPOILED)
def test_each_fault_is_found_by_its_own_code(code: str) -> None:
    """The fault is named, says a sentence with its number, and no other measured fault is blamed."""
    report = report_on(spoiled(code))
    fault = report.fault(code)
    assert fault is not None
    assert fault.says.endswith(".")
    allowed = {code, "tilted", "keystone"} if code == "keystone" else {code}
    assert {one.code for one in report.faults} <= allowed


@pytest.mark.parametrize(
    "code",
    [
        "compressed",
        *(
            pytest.param(code, marks=pytest.mark.proof)
            for code in ("noisy", "burnt_out", "blurred", "uneven_light", "shadow", "glare")
        ),
    ],
)
def test_faults_are_still_found_in_a_file_saved_anew(code: str) -> None:
    """Saving at a good quality hides nothing."""
    assert code in codes(saved(spoiled(code), 90))


def test_overlays_lie_where_the_fault_is() -> None:
    """The shadow's places are its dark side, the glare's its spot, the burnt ones the lit paper."""
    shadow = report_on(spoiled("shadow")).fault("shadow")
    assert shadow is not None and shadow.where is not None
    h, w = shadow.where.shape
    assert shadow.where[-h // 4 :, -w // 4 :].mean() > 0.5
    assert shadow.where[: h // 4, : w // 4].mean() < 0.05
    glare = report_on(with_glare()).fault("glare")
    assert glare is not None and glare.where is not None
    y, x = np.nonzero(glare.where)
    assert abs(x.mean() / glare.where.shape[1] - 0.5) < 0.06
    assert abs(y.mean() / glare.where.shape[0] - 620 / 960) < 0.06


def test_numbers_follow_the_truth() -> None:
    """Edge width grows with the blur, noise with the noise, the burnt share with exposure."""

    def grey(capture: Capture) -> np.ndarray:
        return shot(drawn_sheet(), None, capture).astype(np.float32).mean(axis=2) / 255

    block = np.full((300, 300, 3), 0.85, np.float32)
    block[80:220, 80:220] = 0.05
    for blur in (1.0, 2.0, 3.0):
        width = edge_width([shot(block, None, replace(GOOD, blur_px=blur)).astype(np.float32).mean(axis=2) / 255])
        assert not isinstance(width, NoEstimate)
        assert abs(width - 2.5 * blur) < 0.9
    # Hatching whose lines run into each other is as blurred as the block.
    hatched = np.full((300, 300, 3), 0.85, np.float32)
    for x in range(20, 280, 10):
        hatched[20:280, x : x + 2] = 0.05
    crossed = [edge_width([shot(hatched, None, replace(GOOD, blur_px=blur)).astype(np.float32).mean(axis=2) / 255])
               for blur in (0.6, 2.4)]  # fmt: skip
    assert not isinstance(crossed[0], NoEstimate) and not isinstance(crossed[1], NoEstimate)
    assert crossed[0] < 1.0 and crossed[1] > BLUR_PX
    noise = [paper_noise([grey(replace(GOOD, noise=n))[700:950, 20:60]]) for n in (0.0, 0.02, 0.06)]
    assert noise[0] < noise[1] < noise[2]
    picture = shot(drawn_sheet(), None, replace(GOOD, exposure=1.6)).astype(np.float32) / 255
    assert burnt_share(picture, np.ones(picture.shape[:2], bool))[0] > 0.9


@pytest.mark.parametrize("quality", [12, 25, 38])
def test_a_past_quality_is_read_off_the_picture(quality: int) -> None:
    """Also after saving anew at 92; a picture that was never compressed hard shows nothing."""
    image = saved(saved(shot(drawn_sheet()), quality), 92)
    luma = cv2.cvtColor(image, cv2.COLOR_RGB2YCrCb)[..., 0].astype(np.float32)
    found, clear = past_quality([luma])
    assert abs(found - quality) <= 1
    assert clear > 0.8
    plain = cv2.cvtColor(saved(shot(drawn_sheet()), 92), cv2.COLOR_RGB2YCrCb)[..., 0].astype(np.float32)
    assert past_quality([plain])[1] < 0.4


def by_messenger(image: np.ndarray, share: float, quality: int) -> np.ndarray:
    """Scaled down, compressed, scaled up again."""
    h, w = image.shape[:2]
    small = saved(np.asarray(cv2.resize(image, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)), quality)
    return np.asarray(cv2.resize(small, (w, h), interpolation=cv2.INTER_CUBIC))


@pytest.mark.proof
@pytest.mark.parametrize("share", [0.58, 0.7])
def test_heavy_compression_shows_through_what_a_messenger_does(share: float) -> None:
    """A good scan that went the same way, or was saved once more at its own size, shows none."""
    heavy, good = saved(shot(drawn_sheet()), 22), shot(drawn_sheet())
    assert "compressed" in codes(by_messenger(heavy, share, 78))
    assert "compressed" not in codes(by_messenger(good, share, 78))
    grid = [
        smoothed_grid([luma_255(one.astype(np.float32) / 255)])
        for one in (by_messenger(heavy, share, 78), saved(good, 86))
    ]
    assert grid[0] > 0.1 and grid[1] == 0


@pytest.mark.proof
@pytest.mark.parametrize("share", [0.62, 0.74])
def test_noise_shows_through_what_a_messenger_does(share: float) -> None:
    """That a picture was scaled up is seen; what noise it has left then counts for more."""
    noisy, good = spoiled("noisy"), shot(drawn_sheet())
    assert "noisy" in codes(by_messenger(noisy, share, 78))
    assert "noisy" not in codes(by_messenger(good, share, 78))

    def calm(image: np.ndarray) -> list[np.ndarray]:
        return [luma_255(one.astype(np.float32) / 255) / 255 for one in (image[30:286, 10:266], image[690:946, 10:266])]

    assert rhythm(calm(by_messenger(noisy, share, 78))) > SCALED
    assert max(rhythm(calm(image)) for image in (noisy, saved(noisy, 90))) < 2.5


@pytest.mark.proof
def test_a_shadows_edge_is_followed_behind_paint() -> None:
    """Paint across the middle of the sheet leaves two short stretches of the edge: they are one shadow's."""
    linear = np.full((960, 720, 3), 0.82, np.float32)
    linear[300:720, 90:630] = (0.1, 0.25, 0.4)
    report = report_on(shot(linear, Light(shadow=0.45, shadow_at=0.5, shadow_deg=80, penumbra=0.03)))
    fault = report.fault("shadow")
    assert fault is not None and fault.where is not None
    assert report.fault("uneven_light") is None


def test_a_pale_wash_tells_blur_too() -> None:
    """Edges too low for ink are measured where there are no others."""
    wash = np.full((300, 300, 3), 0.85, np.float32)
    wash[80:220, 80:220] *= (0.72, 0.86, 0.94)
    for blur in (1.0, 3.0):
        width = edge_width([shot(wash, None, replace(GOOD, blur_px=blur)).astype(np.float32).mean(axis=2) / 255])
        assert not isinstance(width, NoEstimate)
        assert abs(width - 2.5 * blur) < 1.0


def test_a_files_own_quality_is_read_off_its_table() -> None:
    image = shot(drawn_sheet())
    for quality in (20, 55, 90):
        data = cv2.imencode(".jpg", image, [cv2.IMWRITE_JPEG_QUALITY, quality])[1].tobytes()
        assert abs((quality_of(data) or 0) - quality) <= 2
    assert quality_of(image_file(image)) is None


def test_print_size_and_resolution_are_judged() -> None:
    """150 ppi is too little; 700 px for a 300 mm print too; 300 ppi as it is fine."""
    image = shot(drawn_sheet())
    assert report_on(image, 150).fault("low_ppi") is not None
    assert report_on(image, 300).fault("low_ppi") is None
    low = report_on(image, 300, 300).fault("low_ppi")
    assert low is not None
    assert low.number == pytest.approx(960 / 300 * 25.4, abs=0.1)
    assert report_on(image, 300, 80).fault("low_ppi") is None


def test_print_size_is_the_sheets_not_its_tables() -> None:
    """A sheet that lies on a table has only its own pixels to print."""
    image = shot(drawn_sheet())
    h, w = image.shape[:2]
    on_table = cv2.copyMakeBorder(image, h // 2, h // 2, w // 2, w // 2, cv2.BORDER_CONSTANT, value=(52, 70, 92))
    report = report_on(on_table)
    point = next(one for one in report.points if one.name == "Prints up to")
    wide, high = (float(part.split()[0]) for part in point.reading.split("×"))
    assert wide == pytest.approx(w / 300 * 25.4, rel=0.02)
    assert high == pytest.approx(h / 300 * 25.4, rel=0.02)


def test_starting_values_never_lose_marks() -> None:
    """Whatever medium a sheet is taken for, no start clears more than the sheet's own noise or moves its paper point."""
    for medium in MEDIA:
        docket = starting_docket(medium)
        assert docket.knockout.clearing is None
        assert docket.ink.paper is None
        assert docket.paper.evening == 1.0


PEN = Traits(
    Shape(cover=0.04, broad=0.01, width=0.005, extent=0.6, aspect=1.0, pieces=40),
    Tones(density=1.4, dark_ink=0.3, half_tones=0.03, flat=0.3),
    PaperTraits(lightness=0.85, warm=0.05, mottle=0.015, blotched=0.004),
    Hues(),
)


def pen(**other: float) -> Traits:
    """A pen drawing's traits with ``other`` ones, by their names."""
    groups = {
        name: replace(group, **{key: other.pop(key) for key in list(other) if hasattr(group, key)})
        for name, group in vars(PEN).items()
        if is_dataclass(group)
    }
    assert not other
    return replace(PEN, **groups)


@pytest.mark.parametrize(
    ("traits", "medium"),
    [
        (PEN, "pen"),
        (pen(half_tones=0.45, density=0.85), "pencil"),
        (pen(width=0.017, dark_ink=0.75), "lettering"),
        (pen(density=0.85, lightness=0.7, warm=0.0, mottle=0.035), "tracing"),
        (pen(blue=0.5, half_tones=0.35, dark_ink=0.12), "blue-pencil"),
        (pen(blue_lines=0.1, warm=0.25, blotched=0.02), "blue-pencil"),
        (pen(blue_lines=0.01), "pen"),
        (pen(blue=0.35, coloured=0.5, thin=0.8, dark_ink=0.1, blue_tone=0.4), "pen"),  # a blue pen's hatching
        (pen(blue=0.35, coloured=0.5, thin=0.8, dark_ink=0.1, blue_tone=0.65), "blue-pencil"),
        (pen(coloured=0.5, broad=0.6, pale=1.0, density=0.3, dark_ink=0, runs=0.3), "watercolour"),
        (pen(coloured=0.5, broad=0.6, pale=1.0, density=0.3, dark_ink=0, runs=0.3, thin=0.9), "pen"),
        (pen(coloured=0.8, broad=0.8, pale=0.2, dark_ink=0.4, runs=0.3), "gouache"),
        (pen(coloured=0.5, broad=0.6, pale=1.0, density=0.3, dark_ink=0, runs=0.05), "gouache"),
        (pen(blue=0.3, broad=0.3, pale=0.0), "blue-pencil"),  # solid blacks over it
        (pen(density=0.85, blotched=0.04, mottle=0.03, lightness=0.88, warm=0.0), "tracing"),
        (pen(half_tones=0.7, density=0.6, broad=0.2, flat=0.7, pale=1.0, grain=0.3), "pencil"),
        (pen(half_tones=0.3, density=0.9, broad=0.25, flat=0.8, toned=0.5), "pen"),  # in washes
        (pen(half_tones=0.39, density=0.5, thin=0.99, pieces=0), "pen"),  # dots, and no stroke among them
        (pen(coloured=0.5, broad=0.6, pale=1.0, dark_ink=0, runs=0.3, above=0.5), "gouache"),
        (pen(warm=0.25, half_tones=0.2, blotched=0.02), "print"),
        (pen(warm=0.25, half_tones=0.2, blotched=0.02, grain=0.45, thin=0.65), "print"),
        (pen(warm=0.25, half_tones=0.2, blotched=0.02, grain=0.3, thin=0.45, density=1.1), "print"),
        (pen(warm=0.25, half_tones=0.2, blotched=0.02, grain=0.3, thin=0.45), "pencil"),  # a dry brush on such paper
        (pen(warm=0.25), "pen"),
        (pen(warm=0.25, half_tones=0.45, density=0.85), "pencil"),
        (pen(cover=0.004, extent=0.05), "signature"),
    ],
)
def test_each_medium_has_its_traits(traits: Traits, medium: str) -> None:
    """The traits of a medium propose it, surely, with a reason."""
    found = propose_medium(traits)
    assert found.medium == medium
    assert found.sure >= 0.5
    assert found.why


@pytest.mark.proof
def test_dust_and_a_hair_do_not_make_a_signature_a_drawing() -> None:
    """A line of writing on a sheet strewn with specks from top to bottom is a signature; the same dots as large as its
    strokes are a drawing."""
    rng = np.random.default_rng(5)
    t = np.linspace(0, 1, 200)
    line = np.column_stack([300 + 500 * t, 700 + 60 * np.sin(24 * t) * (1 - t)]).astype(np.int32)
    media = []
    for many, radius in ((40, 1), (160, 5)):
        picture = np.full((1400, 1100, 3), 240, np.float32)
        cv2.polylines(picture, [line], False, (60, 45, 35), 5, cv2.LINE_AA)
        for x, y in rng.integers(20, 1080, (many, 2)).tolist():
            cv2.circle(picture, (x, y * 1400 // 1100), radius, (90, 88, 85), -1, cv2.LINE_AA)
        cv2.ellipse(picture, (700, 250), (70, 50), 20, 0, 200, (120, 115, 110), 1, cv2.LINE_AA)
        picture = cv2.GaussianBlur(picture, (0, 0), 0.7) + rng.normal(0, 1.5, picture.shape)
        media.append(sheet_of(np.clip(picture, 0, 255).astype(np.uint8)).readings.medium)
    assert media[0] == "signature" != media[1]


@pytest.mark.proof
@pytest.mark.parametrize(
    ("washes", "medium"),
    [
        (((222, 236, 234), (224, 238, 218), (243, 226, 228), (241, 237, 214)), "watercolour"),
        pytest.param(((238, 229, 208),), "pen", id="stain"),
    ],
)
def test_washes_hardly_darker_than_paper_make_a_painting_and_a_stain_does_not(
    washes: tuple[tuple[int, int, int], ...], medium: str
) -> None:
    """Fine black lines over broad shapes; what is a painting keeps its colours."""
    rng = np.random.default_rng(8)
    picture = np.full((800, 1000, 3), (243, 240, 234), np.float32)
    places = [(260, 230), (700, 260), (280, 580), (700, 570)]
    for place, wash in zip(places, washes, strict=False):
        cv2.ellipse(picture, place, (170, 140), 20, 0, 360, wash, -1, cv2.LINE_AA)
    for y in (200, 380, 610):
        cv2.line(picture, (80, y), (920, y + 30), (45, 42, 44), 4, cv2.LINE_AA)
    picture = cv2.GaussianBlur(picture, (0, 0), 0.7) + rng.normal(0, 1.5, picture.shape)
    sheet = sheet_of(np.clip(picture, 0, 255).astype(np.uint8))
    assert sheet.readings.medium == medium
    if medium == "pen":
        return
    planes = render_whole(sheet, starting_docket(medium).with_setting("square.on", False))
    assert planes.rgb is not None
    for (x, y), wash in zip(places, washes, strict=True):
        own = planes.rgb[y + 60 : y + 90, x - 15 : x + 15].mean(axis=(0, 1))
        assert np.argmin(own) == np.argmin(np.array(wash) / (243, 240, 234))
        assert np.ptp(own) > 6


def test_the_report_command_keeps_its_contract(tmp_path: Path) -> None:
    """One JSON object a line with the promised fields; a file that is no image has an error and exit code 1."""
    bad = tmp_path / "notes.txt"
    bad.write_text("not a picture")
    done = woad("report", "--json", demo_files()[3], demo_files()[5], bad)
    assert done.returncode == 1
    buoy, mackerel, notes = (json.loads(line) for line in done.stdout.splitlines())
    fields = {"file", "width_px", "height_px", "ppi", "tilt_deg", "tilt_sure", "corners_px", "corners_sure", "medium",
              "medium_sure", "faults"}  # fmt: skip
    assert fields <= set(buoy)
    truth = np.array([[262.0, 196.0], [1187.0, 262.0], [1302.0, 1692.0], [121.0, 1583.0]])
    assert np.abs(np.array(buoy["corners_px"]) - truth).max() < 2.5
    assert buoy["corners_sure"] >= 0.5
    assert buoy["medium"] == "gouache"
    assert {f["code"] for f in mackerel["faults"]} == {"burnt_out", "compressed"}
    assert set(mackerel["faults"][0]) == {"code", "number", "unit", "mendable", "says"}
    assert not any(f["mendable"] for f in mackerel["faults"])
    assert "not an image" in notes["error"]


def test_clean_squares_by_itself_and_keeps_the_frame_on_request(tmp_path: Path) -> None:
    """Without --keep-frame a photo comes out flat and upright; with it on the scan's own grid, also from a docket."""
    scan = tmp_path / "photo.png"
    scan.write_bytes(image_file(photo().encoded))
    done = woad("clean", scan, "--out", tmp_path / "a", "--json", "--editions", "paper")
    report = json.loads(done.stdout)
    assert report["readings"]["square"]["corners_px"] is not None
    flat = cv2.resize(cv2.imread(str(tmp_path / "a" / "photo-paper.png"), cv2.IMREAD_GRAYSCALE), (700, 960))
    assert np.corrcoef(flat.ravel(), drawn_sheet().mean(axis=2).ravel())[0, 1] > 0.6  # every line on its place
    wish = ("--keep-frame", "--json", "--set", "square.turn=90", "--editions", "paper")
    done = woad("clean", scan, "--out", tmp_path / "b", *wish)
    assert done.returncode == 0, done.stderr
    assert cv2.imread(str(tmp_path / "b" / "photo-paper.png")).shape == photo().encoded.shape
    assert json.loads(done.stdout)["readings"]["square"]["resampled"] is False
