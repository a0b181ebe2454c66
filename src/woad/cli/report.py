"""``woad report``: is a scan good enough? One JSON object a line, or plain text. A contract: fields are added, never changed."""

from __future__ import annotations

import argparse
import json
import sys
from typing import TYPE_CHECKING, Any

from woad.cli.scans import pictures
from woad.core.errors import TheirError

if TYPE_CHECKING:
    from woad.core.formats.read import Original, Pixels


def report(args: argparse.Namespace) -> int:
    """Report on every scan; 0 if all could be read, else 1."""
    failed = 0
    for picture in pictures(args.scans):
        found = picture.told()
        try:
            found |= report_of(*picture.take())
        except TheirError as error:
            failed += 1
            found["error"] = str(error)
        if args.json:
            print(json.dumps(found), flush=True)
        elif "error" in found:
            print(f"woad: {found['error']}", file=sys.stderr)
        else:
            print(as_text(found))
    return 1 if failed else 0


def report_of(original: Original, pixels: Pixels) -> dict[str, Any]:
    """Everything ``woad report --json`` says of one picture.

    Pixels are those of the picture turned upright by its orientation tag; angles in degrees, clockwise positive.
    """
    from woad.core.estimate import NoEstimate
    from woad.core.raster.pyramid import build_pyramid
    from woad.core.render.report import look_at_scan
    from woad.core.render.sheet import make_sheet

    sheet = make_sheet(original, build_pyramid(pixels, lean=True))
    looked = look_at_scan(original, sheet.scan, sheet.found, sheet.ppi)
    tilt, corners, readings = sheet.found.tilt, sheet.found.corners, sheet.readings
    return {
        "width_px": sheet.scan_size[0],
        "height_px": sheet.scan_size[1],
        "ppi": sheet.ppi,
        "tilt_deg": None if isinstance(tilt, NoEstimate) else round(tilt.deg, 3),
        "tilt_sure": 0.0 if isinstance(tilt, NoEstimate) else round(tilt.sure, 3),
        "tilt_why": tilt.reason if isinstance(tilt, NoEstimate) else tilt.why,
        "corners_px": None if isinstance(corners, NoEstimate) else corners.points.round(2).tolist(),
        "corners_sure": 0.0 if isinstance(corners, NoEstimate) else round(corners.sure, 3),
        "corners_why": corners.reason if isinstance(corners, NoEstimate) else corners.why,
        "medium": readings.medium,
        "medium_sure": round(readings.medium_sure, 3),
        "medium_why": readings.medium_why,
        "faults": [
            {"code": f.code, "number": f.number, "unit": f.unit, "mendable": f.mendable, "says": f.says}
            for f in looked.faults
        ],
        "points": [{"name": p.name, "reading": p.reading} for p in looked.points],
    }


def as_text(found: dict[str, Any]) -> str:
    """The report for a reader."""
    ppi = f", {found['ppi']:.0f} ppi" if found["ppi"] else ", resolution unknown"
    sure = "surely" if found["medium_sure"] >= 0.75 else "probably" if found["medium_sure"] >= 0.4 else "perhaps"
    page = f", page {found['page']}" if "page" in found else ""
    lines = [f"{found['file']}{page}: {found['width_px']} x {found['height_px']} px{ppi}; {sure} {found['medium']}"]
    for fault in found["faults"]:
        lines.append(f"  {'Woad mends' if fault['mendable'] else 'needs a new scan'}: {fault['says']}")
    if not found["faults"]:
        lines.append("  Nothing is wrong with this scan.")
    return "\n".join(lines)
