"""The ways the quality bench compares: Woad, an oracle that is given the truth, and three plain ways."""

from __future__ import annotations

import cv2
import numpy as np

from metrics import Result
from sheets import Sheet
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.editions.picture import paper_picture
from woad.core.formats.read import take_in
from woad.core.ink.curve import encoded_share
from woad.core.raster.transfer import srgb_decode
from woad.core.render.sheet import load_sheet
from woad.core.render.whole import render_whole


def file_of(sheet: Sheet) -> bytes:
    """The scan as the file a user would have."""
    if sheet.scan.jpeg is not None:
        return sheet.scan.jpeg
    return cv2.imencode(".png", sheet.scan.encoded[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()


def woad(sheet: Sheet) -> tuple[Result, Docket]:
    loaded = load_sheet(take_in(f"{sheet.name}.img", file_of(sheet)), Docket().with_setting("square.on", False))
    docket = starting_docket(loaded.readings.medium)
    planes = render_whole(loaded, docket)
    assert planes.alpha is not None
    colour = np.array(planes.ink_rgb, np.float32) / 255 if planes.rgb is None else planes.rgb.astype(np.float32) / 255
    alpha = planes.alpha.astype(np.float32) / 255
    return Result("Woad", alpha, colour, paper_picture(planes)), docket


def oracle(sheet: Sheet, ink_encoded: float, halftones: str) -> Result:
    """True light, true ink: unmixed per pixel with the best linear weights, laid down in Woad's ink."""
    linear = srgb_decode(sheet.scan.encoded.astype(np.float32) / 255)
    absorbs = 1 - np.asarray(sheet.scan.ink, np.float32)
    weights = np.array([0.299, 0.587, 0.114], np.float32) * absorbs
    weights /= float((weights * absorbs).sum())
    share = np.clip((1 - linear / sheet.scan.field) @ weights, 0, 1)
    k = float(srgb_decode(np.array([ink_encoded], np.float32))[0])
    # Both readings of coverage are right; the oracle gives the one that Woad's medium uses.
    alpha = share if halftones != "seen" else encoded_share(share, k)
    return Result("oracle", alpha, np.full(3, ink_encoded, np.float32))


def threshold(sheet: Sheet) -> Result:
    """One global threshold; the kept pixels keep their own colour."""
    grey = cv2.cvtColor(sheet.scan.encoded, cv2.COLOR_RGB2GRAY)
    _, mask = cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY_INV | cv2.THRESH_OTSU)
    return Result("threshold", mask.astype(np.float32) / 255, sheet.scan.encoded.astype(np.float32) / 255)


def brightness(sheet: Sheet) -> Result:
    """Brightness inverted as alpha, painted black."""
    grey = cv2.cvtColor(sheet.scan.encoded, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255
    return Result("brightness", 1 - grey, np.zeros(3, np.float32))


def divided(sheet: Sheet) -> Result:
    """Divided by a blurred copy, stretched between white and the darkest, brightness as alpha."""
    grey = cv2.cvtColor(sheet.scan.encoded, cv2.COLOR_RGB2GRAY).astype(np.float32) + 1
    even = grey / cv2.GaussianBlur(grey, (0, 0), 50)
    low = float(np.percentile(even, 0.5))
    alpha = np.clip((0.95 - even) / max(0.95 - low, 1e-3), 0, 1)
    return Result("divided", alpha, np.zeros(3, np.float32))
