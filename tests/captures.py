"""Small scans and photos with known geometry, for the tests of the Scan and Square steps."""

from __future__ import annotations

from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.demo.camera import Photo, Table, photograph
from woad.demo.scanner import Capture, Light, expose, light_field, smooth_noise

Image = NDArray[np.uint8]
CORNERS = np.array([[96.0, 70.0], [700.0, 104.0], [742.0, 900.0], [58.0, 868.0]])


@cache
def drawn_sheet(w: int = 700, h: int = 960, ruled: bool = True, seed: int = 4) -> NDArray[np.float32]:
    """Linear reflectance (h, w, 3) of a sheet with a ruled frame and lettering, or with curls only."""
    rng = np.random.default_rng(seed)
    ink = np.zeros((h * 2, w * 2), np.uint8)
    for _ in range(7):
        centre = rng.uniform(0.3, 0.7, 2) * (w * 2, h * 2)
        a = np.linspace(0, 2 * np.pi, 60)
        r = rng.uniform(60, 150) * (1 + 0.25 * np.cos(3 * a + rng.uniform(0, 6)))
        curve = np.column_stack([centre[0] + r * np.cos(a), centre[1] + r * np.sin(a)])
        cv2.polylines(ink, [np.round(curve * 16).astype(np.int32)], True, 255, 7, cv2.LINE_AA, 4)
    if ruled:
        cv2.rectangle(ink, (120, 130), (w * 2 - 120, h * 2 - 130), 255, 5, cv2.LINE_AA)
        for y in (400, 640, 880):
            cv2.putText(ink, "TIDEWRACK PRESS", (230, y), cv2.FONT_HERSHEY_DUPLEX, 2.6, 255, 9, cv2.LINE_AA)
    cover = cv2.resize(ink, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32)[..., None] / 255
    paper = (1 + 0.008 * smooth_noise((h, w), 2.5, rng))[..., None] * np.array([0.86, 0.84, 0.78], np.float32)
    return np.asarray(paper * (1 - cover * 0.95), np.float32)


def shot(
    linear: NDArray[np.float32], light: Light | None = None, capture: Capture | None = None, seed: int = 1
) -> Image:
    """The linear picture as a camera or scanner records it."""
    capture = capture or Capture(0.6, 0.003)
    field = light_field(linear.shape[:2], light or Light()) * np.float32(capture.exposure)
    return expose([linear[..., c] for c in range(3)], field, capture, np.random.default_rng(seed))[0]


@cache
def tilted(deg: float, ruled: bool = True) -> Image:
    """A scan tilted clockwise by ``deg``, paper filling the glass."""
    linear = drawn_sheet(ruled=ruled)
    h, w = linear.shape[:2]
    matrix = cv2.getRotationMatrix2D((w / 2 - 0.5, h / 2 - 0.5), -deg, 1.0)
    return shot(cv2.warpAffine(linear, matrix, (w, h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101))


@cache
def photo(table: float = 0.2, curl: int | None = None, shift: tuple[float, float] = (0, 0)) -> Photo:
    """The sheet on a table of reflectance ``table``, moved by ``shift`` px."""
    rng = np.random.default_rng(9)
    corners = CORNERS + shift
    ground = Table((table, table * 0.97, table * 0.92), "plain", 0.01)
    return photograph(
        drawn_sheet(), corners, (800, 980), ground, Light(0.1), Capture(0.7, 0.004, 0.2, None, 0.85), rng, curl, 0.2
    )


def saved(image: Image, quality: int) -> Image:
    """The picture after a turn as JPEG."""
    data = cv2.imencode(".jpg", image[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return np.ascontiguousarray(np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR))[..., ::-1])


def pdf_of(image: Image | None, width_in: float = 2.0, pages: int = 1, locked: bool = False) -> bytes:
    """A PDF with the picture on each page, ``width_in`` wide, or with a drawn line only."""
    import io

    import pypdfium2
    from pypdfium2 import raw

    document = pypdfium2.PdfDocument.new()
    for _ in range(pages):
        if image is None:
            document.new_page(200, 200)
            continue
        h, w = image.shape[:2]
        page = document.new_page(width_in * 72, width_in * 72 * h / w)
        picture = pypdfium2.PdfImage.new(document)
        data = cv2.imencode(".jpg", image[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 95])[1].tobytes()
        picture.load_jpeg(io.BytesIO(data), inline=True)
        picture.set_matrix(pypdfium2.PdfMatrix().scale(width_in * 72, width_in * 72 * h / w))
        page.insert_obj(picture)
        page.gen_content()
    out = io.BytesIO()
    document.save(out)
    del raw
    return _locked(out.getvalue()) if locked else out.getvalue()


def _locked(data: bytes) -> bytes:
    """The same with an encryption dictionary that no empty password opens."""
    entry = (
        b"/Encrypt << /Filter /Standard /V 1 /R 2 /Length 40 /P -4 /O <"
        + b"41" * 32
        + b"> /U <"
        + b"42" * 32
        + b"> >> "
        b"/ID [<00112233445566778899aabbccddeeff> <00112233445566778899aabbccddeeff>] "
    )
    at = data.rindex(b"trailer")
    start = data.index(b"<<", at) + 2
    return data[:start] + entry + data[start:]


def image_file(image: NDArray[Any]) -> bytes:
    return cv2.imencode(".png", image[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 0])[1].tobytes()
