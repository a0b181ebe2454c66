"""The demo job: three sheets of the Tidewrack press, drawn by code, shipped as the files a scanner or phone makes."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.demo.lettering import draw_lettering
from woad.demo.lighthouse import draw_lighthouse
from woad.demo.scanner import Capture, Light, Paper, Scan, record
from woad.demo.whelk import draw_whelk

SHEETS = ("lighthouse.jpg", "low-water.jpg", "whelk.png")


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
    return out


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
