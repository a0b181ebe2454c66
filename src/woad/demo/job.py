"""The demo job: sheets of the Tidewrack press, drawn by code, shipped as the files a scanner or phone makes."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.units import mm_to_px
from woad.demo.boat import draw_boat
from woad.demo.buoy import paint_buoy
from woad.demo.camera import Table, photograph
from woad.demo.canvas import Canvas, smooth_path
from woad.demo.crane import draw_crane
from woad.demo.knots import draw_knots
from woad.demo.lettering import draw_lettering
from woad.demo.lighthouse import draw_lighthouse
from woad.demo.mackerel import paint_mackerel
from woad.demo.scanner import Capture, Light, Paper, Scan, expose, light_field, record, smooth_noise
from woad.demo.signature import draw_signature
from woad.demo.whelk import draw_whelk

SHEETS = (
    "lighthouse.jpg", "low-water.jpg", "whelk.png", "buoy.jpg", "crane.jpg", "mackerel-by-messenger.jpg", "boat.jpg",
    "mackerel.jpg", "knots.jpg", "signature.jpg",
)  # fmt: skip


def demo_files() -> list[Path]:
    """The shipped demo scans."""
    folder = files("woad.demo").joinpath("sheets")
    return [Path(str(folder.joinpath(name))) for name in SHEETS]


def draw_demo_sheets(folder: Path) -> list[Path]:
    """Draw and "scan" the demo sheets into ``folder``."""
    folder.mkdir(parents=True, exist_ok=True)
    out = [folder / name for name in SHEETS]
    _save(lighthouse(300), out[0], "jpeg", 94)
    _save(low_water(260), out[1], "jpeg", 91, says_ppi=False)
    _save(whelk(300), out[2], "grey", 0)
    out[3].write_bytes(buoy())
    _save(crane(300), out[4], "jpeg", 90)
    out[5].write_bytes(mackerel_by_messenger())
    _save(boat(300), out[6], "jpeg", 93)
    _save(mackerel(240), out[7], "jpeg", 93)
    _save(knots(260), out[8], "jpeg", 92)
    _save(signature(400), out[9], "jpeg", 93)
    return out


def buoy() -> bytes:
    """Opaque paint, photographed aslant on a wooden table by a window; a corner of the sheet is bent up."""
    rng = np.random.default_rng(1854)
    corners = np.array([[262.0, 196.0], [1187.0, 262.0], [1302.0, 1692.0], [121.0, 1583.0]])
    light = Light(falloff=0.22, falloff_deg=30, vignette=0.12)
    capture = Capture(0.8, 0.004, 0.35, 89, 0.86)
    table = Table((0.16, 0.085, 0.045), "wood", 0.16)
    photo = photograph(paint_buoy(220, 7), corners, (1440, 1860), table, light, capture, rng, curl=1, shadow=0.35)
    assert photo.jpeg is not None
    return photo.jpeg


def crane(ppi: float) -> Scan:
    """Marker on tracing paper, laid on the scanner upside down and askew."""
    rng = np.random.default_rng(1855)
    coverage = draw_crane(ppi, 7)
    h, w = coverage.shape
    matrix = cv2.getRotationMatrix2D((w / 2 - 0.5, h / 2 - 0.5), 180 - 3.4, 1.0)
    turned = np.asarray(cv2.warpAffine(coverage, matrix, (w, h), flags=cv2.INTER_CUBIC), np.float32)
    mottle = smooth_noise((h, w), mm_to_px(2.0, ppi), rng) * 0.045 + smooth_noise((h, w), mm_to_px(9, ppi), rng) * 0.03
    paper, light = Paper((0.60, 0.61, 0.59), 0.008), Light(falloff=0.04)
    return record(np.clip(turned, 0, 1), (0.12, 0.12, 0.13), ppi, paper, light, Capture(0.6, 0.003), rng, 0.12, mottle)


def mackerel_by_messenger() -> bytes:
    """Watercolour as it came through a messenger: burnt out by the phone, then compressed hard."""
    rng = np.random.default_rng(1856)
    sheet = paint_mackerel(190, 7)
    light = Light(falloff=0.12, falloff_deg=200)
    field = light_field(sheet.shape[:2], light) * np.float32(1.42)
    _, jpeg = expose([sheet[..., c] for c in range(3)], field, Capture(1.0, 0.004, 0.3, 17), rng)
    assert jpeg is not None
    return jpeg


def boat(ppi: float) -> Scan:
    """Ink over light-blue pencil, flatbed."""
    rng = np.random.default_rng(1857)
    drawing = draw_boat(ppi, 7)
    blue = 1 - drawing.pencil[..., None] * (1 - np.array([0.42, 0.69, 0.94], np.float32))
    mottle = 1 + 0.12 * smooth_noise(drawing.ink.shape, mm_to_px(0.15, ppi), rng)
    mark = np.clip(0.034 * mottle, 0.01, 1)
    sheet = _rough((0.885, 0.88, 0.86), 0.007, drawing.ink.shape, ppi, rng) * blue
    sheet = sheet * (1 - drawing.ink + drawing.ink * mark)[..., None]
    return _captured(sheet, drawing.ink, ppi, Light(falloff=0.04), Capture(0.6, 0.003), rng)


def mackerel(ppi: float) -> Scan:
    """The watercolour as it should be scanned: paper buckled by the wet, dust on the glass, two brush hairs in the paint."""
    rng = np.random.default_rng(1858)
    sheet = paint_mackerel(ppi, 7)
    h, w = sheet.shape[:2]
    px = mm_to_px(1, ppi)
    dirt = np.zeros((h, w), np.uint8)
    for _ in range(46):
        x, y, r = rng.uniform(0, w), rng.uniform(0, h), rng.uniform(0.04, 0.13) * px
        cv2.circle(dirt, (int(x * 16), int(y * 16)), int(r * 16), int(rng.integers(70, 210)), -1, cv2.LINE_AA, 4)
    hairs = Canvas(w / px, h / px, ppi, 2)
    for x, y, turn in ((70.0, 58.0, 0.4), (118.0, 70.0, 2.2), (150.0, 26.0, 1.2)):
        a = turn + np.cumsum(rng.normal(0, 0.16, 12))
        hair = np.array([x, y]) + np.cumsum(np.column_stack([np.cos(a), np.sin(a)]) * 0.75, axis=0)
        hairs.stroke(smooth_path(hair, 0.1), 0.07)
    lost = np.maximum(dirt.astype(np.float32) / 255 * 0.55, hairs.coverage()[:h, :w] * 0.7)
    sheet = sheet * (1 - lost[..., None] * np.array([1, 0.98, 0.94], np.float32))
    light = Light(falloff=0.05, falloff_deg=10, buckle=0.075, buckle_waves=4.2)
    return _captured(sheet, np.zeros((h, w), np.float32), ppi, light, Capture(0.6, 0.003), rng)


def knots(ppi: float) -> Scan:
    """An old plate on yellowed, foxed paper, browner towards its edges; print shows through from the other side."""
    rng = np.random.default_rng(1859)
    plate = draw_knots(ppi, 7)
    shape = plate.ink.shape
    y, x = np.mgrid[-1 : 1 : shape[0] * 1j, -1 : 1 : shape[1] * 1j].astype(np.float32)
    age = np.clip(0.25 * (x**4 + y**4) + 0.05 * smooth_noise(shape, mm_to_px(22, ppi), rng), 0, 1)[..., None]
    sheet = _rough((0.76, 0.66, 0.47), 0.012, shape, ppi, rng) * (1 - age * np.array([0.35, 0.5, 0.7], np.float32))
    sheet = sheet * (1 - plate.spots[..., None] * np.array([0.2, 0.42, 0.6], np.float32))
    sheet = sheet * (1 - 0.07 * plate.back[..., None])
    mottle = 1 + 0.25 * smooth_noise(shape, mm_to_px(0.12, ppi), rng)
    cover = np.clip(plate.ink * np.clip(1.02 - 0.08 * np.abs(smooth_noise(shape, mm_to_px(0.3, ppi), rng)), 0, 1), 0, 1)
    mark = np.clip(np.array([0.105, 0.085, 0.07], np.float32) * mottle[..., None], 0.01, 1)
    sheet = sheet * (1 - cover[..., None] + cover[..., None] * mark)
    return _captured(np.asarray(sheet, np.float32), plate.ink, ppi, Light(falloff=0.05), Capture(0.65, 0.004), rng)


def signature(ppi: float) -> Scan:
    """Blue-black ink on an office slip."""
    rng = np.random.default_rng(1860)
    cover = draw_signature(ppi, 7)
    sheet = _rough((0.88, 0.88, 0.87), 0.004, cover.shape, ppi, rng)
    mark = np.array([0.045, 0.06, 0.19], np.float32)
    sheet = sheet * (1 - cover[..., None] + cover[..., None] * mark)
    return _captured(sheet, cover, ppi, Light(falloff=0.04), Capture(0.6, 0.003), rng)


def _rough(
    colour: tuple[float, float, float], texture: float, shape: tuple[int, int], ppi: float, rng: np.random.Generator
) -> NDArray[np.float32]:
    """Bare paper with its tooth, linear reflectance (h, w, 3)."""
    tooth = smooth_noise(shape, mm_to_px(0.11, ppi), rng) * 0.7 + smooth_noise(shape, mm_to_px(0.5, ppi), rng) * 0.5
    return np.asarray((1 + texture * tooth)[..., None] * np.asarray(colour, np.float32), np.float32)


def _captured(
    sheet: NDArray[np.float32],
    cover: NDArray[np.float32],
    ppi: float,
    light: Light,
    capture: Capture,
    rng: np.random.Generator,
) -> Scan:
    field = light_field(sheet.shape[:2], light) * np.float32(capture.exposure)
    encoded, jpeg = expose([sheet[..., c] for c in range(3)], field, capture, rng)
    return Scan(encoded, cover, (0.05, 0.05, 0.05), field, ppi, jpeg)


def lighthouse(ppi: float, scale: float = 1.0) -> Scan:
    """Pen drawing on cream paper, flatbed."""
    rng = np.random.default_rng(1851)
    drawing = draw_lighthouse(ppi, 7, 2 if ppi <= 400 else 1, scale)
    paper, light = Paper((0.88, 0.85, 0.76), 0.007), Light(falloff=0.05)
    return record(drawing.coverage, (0.032, 0.033, 0.04), ppi, paper, light, Capture(0.55, 0.003, dust=14), rng, 0.15)


def low_water(ppi: float) -> Scan:
    """Brush lettering photographed by phone: fall-off and a soft shadow."""
    rng = np.random.default_rng(1852)
    drawing = draw_lettering(ppi, 7)
    light = Light(falloff=0.2, vignette=0.2, shadow=0.42, shadow_at=0.78, penumbra=0.16)
    capture = Capture(0.9, 0.006, 0.4, None, 0.8)
    return record(
        drawing.coverage, (0.045, 0.045, 0.05), ppi, Paper((0.85, 0.81, 0.72), 0.009), light, capture, rng, 0.15
    )


def whelk(ppi: float) -> Scan:
    """Pencil on grey paper with dark corners."""
    rng = np.random.default_rng(1853)
    drawing = draw_whelk(ppi, 7)
    paper, light = Paper((0.63, 0.63, 0.62), 0.014), Light(falloff=0.08, vignette=0.35)
    return record(drawing.coverage, (0.12, 0.12, 0.125), ppi, paper, light, Capture(0.65, 0.004), rng, 0.1)


def bench_sheet(folder: Path, ppi: float = 600, scale: float = 1.42) -> dict[str, Path]:
    """The lighthouse as an A4 sheet at 600 ppi, as JPEG, PNG and TIFF; made once per folder."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = {kind: folder / f"lighthouse-{ppi:.0f}-{scale:g}.{kind}" for kind in ("jpg", "png", "tif")}
    if not all(path.exists() for path in paths.values()):
        import pyvips

        scan = lighthouse(ppi, scale)
        image: Any = pyvips.Image.new_from_array(_a4(scan.encoded, ppi, scale)).copy(
            interpretation="srgb", xres=mm_to_px(1, ppi), yres=mm_to_px(1, ppi)
        )
        image.jpegsave(str(paths["jpg"]), Q=92)
        image.pngsave(str(paths["png"]), compression=3)
        image.tiffsave(str(paths["tif"]), compression="deflate", predictor="horizontal", tile=True)
    return paths


def _a4(encoded: NDArray[np.uint8], ppi: float, scale: float) -> NDArray[np.uint8]:
    """Bring the sheet to the A-size format's exact proportions by repeating the paper at its edges."""
    # A4 at 600 ppi is 4960 x 7016.
    part = ppi / 600 * scale / 1.42
    w, h = round(4960 * part), round(7016 * part)
    encoded = encoded[:h, :w]
    down, right = h - encoded.shape[0], w - encoded.shape[1]
    return np.asarray(cv2.copyMakeBorder(encoded, down // 2, down - down // 2, 0, right, cv2.BORDER_REFLECT_101))


def _save(scan: Scan, path: Path, kind: str, quality: int, says_ppi: bool = True) -> None:
    from PIL import Image

    picture = Image.fromarray(scan.encoded)
    dpi = (round(scan.ppi), round(scan.ppi))
    if kind == "jpeg":
        extra: dict[str, Any] = {"dpi": dpi} if says_ppi else {}
        picture.save(path, "JPEG", quality=quality, **extra)
    else:
        picture.convert("L").save(path, "PNG", optimize=True, dpi=dpi)
