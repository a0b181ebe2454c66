"""The demo job: sheets of the Tidewrack press, drawn by code, shipped as the files a scanner or phone makes."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.demo.buoy import paint_buoy
from woad.demo.camera import Table, photograph
from woad.demo.crane import draw_crane
from woad.demo.lettering import draw_lettering
from woad.demo.lighthouse import draw_lighthouse
from woad.demo.mackerel import paint_mackerel
from woad.demo.scanner import Capture, Light, Paper, Scan, expose, light_field, record, smooth_noise
from woad.demo.whelk import draw_whelk

SHEETS = ("lighthouse.jpg", "low-water.jpg", "whelk.png", "buoy.jpg", "crane.jpg", "mackerel.jpg")


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
    out[5].write_bytes(mackerel())
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
    mottle = smooth_noise((h, w), 2.0 * ppi / 25.4, rng) * 0.045 + smooth_noise((h, w), 9 * ppi / 25.4, rng) * 0.03
    paper, light = Paper((0.60, 0.61, 0.59), 0.008), Light(falloff=0.04)
    return record(np.clip(turned, 0, 1), (0.12, 0.12, 0.13), ppi, paper, light, Capture(0.6, 0.003), rng, 0.12, mottle)


def mackerel() -> bytes:
    """Watercolour as it came through a messenger: burnt out by the phone, then compressed hard."""
    rng = np.random.default_rng(1856)
    sheet = paint_mackerel(190, 7)
    light = Light(falloff=0.12, falloff_deg=200)
    field = light_field(sheet.shape[:2], light) * np.float32(1.42)
    _, jpeg = expose([sheet[..., c] for c in range(3)], field, Capture(1.0, 0.004, 0.3, 17), rng)
    assert jpeg is not None
    return jpeg


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
            interpretation="srgb", xres=ppi / 25.4, yres=ppi / 25.4
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
