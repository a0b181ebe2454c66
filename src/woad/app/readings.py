"""Readings as the screen words them: key readings of tiles, lines of panels, what wants attention."""

from __future__ import annotations

from woad.app import straywork
from woad.app.entry import Entry
from woad.core.estimate import NoEstimate
from woad.core.paper.ruling import Ruling
from woad.core.render.faults import KEYSTONE_PERCENT, keystone_percent, tilt_of
from woad.core.render.recipe import make_recipe
from woad.core.render.sheet import Sheet
from woad.core.render.squaring import SURE, corners_in_force, tilt_in_force
from woad.core.render.trouble import ink_trouble, paper_trouble
from woad.core.units import px_to_mm


def key_reading(entry: Entry | None, step: str) -> str:
    """The small figure under a step's name."""
    if entry is None or entry.sheet is None or entry.history is None:
        return ""
    sheet, docket = entry.sheet, entry.history.docket
    r = sheet.readings
    if step == "scan":
        return f"{sheet.ppi:.0f} ppi" if sheet.ppi else f"{sheet.scan_size[0] * sheet.scan_size[1] / 1e6:.1f} MP"
    if step == "square":
        corners = corners_in_force(docket.square, sheet.scan, sheet.found)
        tilt = tilt_in_force(docket.square, corners, sheet.found)
        if corners is None or docket.square.straighten is not None:
            return f"{tilt:z.1f}°"
        return f"{tilt_of(corners):z.1f}°" if keystone_percent(corners) < KEYSTONE_PERCENT else "keystone undone"
    if step == "paper":
        return f"L* {paper_after(entry):.1f}"
    if step == "ink":
        return f"D {ink_after(entry):.2f}"
    if step == "spotting":
        if sheet.strays is None:
            return "not looked yet"
        going = int(straywork.items_of(entry).goes.sum())
        return "no strays" if not going else "1 stray" if going == 1 else f"{going} strays"
    if step == "knockout":
        if entry.checks is not None and entry.checks.edges is not None:
            return f"fringe {entry.checks.edges.fringe * 100:.1f} %"
        clearing = r.clearing if docket.knockout.clearing is None else docket.knockout.clearing
        return f"clears D {clearing:.2f}"
    if step == "edge":
        edge = docket.edge
        return f"{edge.move:+.1f} {edge.unit}" if edge.move else "evened" if edge.acts() else "as it is"
    return f"{len(entry.written)} written" if entry.written else "not written"


def ruling_text(ruling: Ruling, ppi: float | None) -> str:
    """What is printed on the paper, how far apart, and whether with a margin."""
    apart = ruling.period_px
    every = f"{px_to_mm(apart, ppi):.1f} mm" if ppi else f"{apart:.0f} px"
    return f"{ruling.kind}, {every}{', margin' if ruling.margins else ''}"


def trouble(entry: Entry | None, step: str) -> str:
    """Why a step wants attention, or an empty text."""
    if entry is None or entry.sheet is None:
        return ""
    r = entry.sheet.readings
    if step == "scan" and entry.report is not None:
        worst = [fault for fault in entry.report.faults if not fault.mendable]
        if worst:
            return worst[0].says
    if step == "square" and entry.sheet.settled and _corners_wanted(entry):
        return "The sheet seems to lie on a table, but its corners are not sure: set them by hand"
    if step == "paper" and entry.history is not None:
        return paper_trouble(entry.history.docket, r)
    if step == "ink":
        return ink_trouble(r)
    if step == "knockout" and entry.checks is not None and entry.checks.lost_share > 0.002:
        return f"{entry.checks.lost} strokes are about to be lost"
    edges = None if entry.checks is None else entry.checks.edges
    if step == "knockout" and edges is not None and edges.fringe > 0.02:
        return f"{edges.fringe:.1%} of the edge pixels are lighter or darker than their marks"
    if step == "edge" and edges is not None and edges.lost:
        return f"{edges.lost} parts are lost to the choke"
    return ""


def _corners_wanted(entry: Entry) -> bool:
    """Corners were seen, but not surely enough to act on, and nobody has decided yet."""
    assert entry.sheet is not None and entry.history is not None
    found = entry.sheet.found.corners
    doubtful = not isinstance(found, NoEstimate) and 0.15 <= found.sure < SURE
    return doubtful and entry.history.docket.square.on and entry.history.docket.square.corners == "auto"


def sure_text(sure: float) -> str:
    """How sure, in words."""
    return "sure" if sure >= 0.75 else "fairly sure" if sure >= SURE else "unsure"


def tilt_reading(sheet: Sheet) -> str:
    tilt = sheet.found.tilt
    if isinstance(tilt, NoEstimate):
        return "cannot tell"
    return f"{tilt.deg:+z.2f}°, {sure_text(tilt.sure)}" if tilt.sure >= SURE else "unsure"


def corners_text(sheet: Sheet) -> str:
    corners = sheet.found.corners
    if sheet.found.surround is not None:
        return "none, a rim beside it"
    if sheet.found.part is not None:
        return "none, it runs out"
    if isinstance(corners, NoEstimate):
        return "none"
    return f"four, {sure_text(corners.sure)}"


def paper_after(entry: Entry) -> float:
    """L* of the paper as it leaves the Paper step: 100 when evened in full, of dark paper 0."""
    assert entry.sheet is not None and entry.history is not None
    r = entry.sheet.readings
    recipe = make_recipe(entry.history.docket, r)
    best = 0.0 if r.negative else 100.0
    return best + (r.seen_paper_lightness - best) * (1 - recipe.evening)


def ink_after(entry: Entry) -> float:
    """Density of full ink as it leaves the Ink step."""
    assert entry.sheet is not None and entry.history is not None
    return make_recipe(entry.history.docket, entry.sheet.readings).full_density


def size_text(entry: Entry) -> str:
    """Pixels of the squared sheet and, where its resolution is known, millimetres."""
    assert entry.sheet is not None
    (w, h), ppi = entry.sheet.full_size, entry.sheet.ppi
    return f"{w} × {h} px" + (f" · {px_to_mm(w, ppi):.0f} × {px_to_mm(h, ppi):.0f} mm" if ppi else "")


def sizes_text(entry: Entry) -> str:
    """Pixels of the scan and, where its resolution is known, millimetres and inches."""
    assert entry.sheet is not None
    w, h = entry.sheet.scan_size
    ppi = entry.sheet.ppi
    if ppi is None:
        return f"{w} × {h} px"
    return f"{w} × {h} px · {px_to_mm(w, ppi):.0f} × {px_to_mm(h, ppi):.0f} mm · {w / ppi:.1f} × {h / ppi:.1f} in"


def cast_text(rgb: tuple[int, int, int]) -> str:
    """The paper's cast in plain words."""
    r, g, b = rgb
    spread = max(rgb) - min(rgb)
    if spread <= 3:
        return "neutral"
    strength = "slightly " if spread <= 10 else "" if spread <= 30 else "strongly "
    if r >= g >= b:
        return f"{strength}warm"
    if b >= g >= r:
        return f"{strength}cool"
    return f"{strength}greenish" if g == max(rgb) else f"{strength}pinkish"
