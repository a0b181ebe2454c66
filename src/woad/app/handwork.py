"""Work by hand on the chosen sheet: clicked places, brush strokes, drop-out colours. Each ends in one docket change."""

from __future__ import annotations

from woad.app.session import Session
from woad.core.docket.knocking import TonePick
from woad.core.docket.model import Docket
from woad.core.docket.spotting import Area
from woad.core.docket.touches import Touch
from woad.core.render.places import PlaceReading, border_places, read_place_at, refuse_place, shown_colour

Place = tuple[float, float]

# The by-hand tools of Paper and Ink: the step each belongs to, and what it sets.
PLACE_TOOLS = {"paper-place": ("paper", "paper"), "ink-place": ("ink", "ink"), "drop-out": ("ink", "drop-out")}
BRUSH_TOOLS = {
    "lighten": "paper", "darken": "paper", "strengthen": "ink", "mend": "spotting", "copy": "spotting", "keep": "knockout",
    "remove": "knockout", "remove-paper": "knockout", "give-back": "edge", "take-away": "edge",
}  # fmt: skip
FINE_STEPS = ("spotting", "knockout", "edge")  # their brushes are small, and have a size of their own
AREA_TOOLS = {"clear-area": "all", "strays-go": "strays-go", "strays-stay": "strays-stay", "subject": "subject"}
_LABELS = {
    "paper-place": "This is paper", "ink-place": "This is the darkest mark", "drop-out": "Drop-out colour",
    "lighten": "Lighten", "darken": "Darken", "strengthen": "Strengthen", "mend": "Mend", "copy": "Copy over", "keep": "Keep",
    "remove": "Remove", "remove-paper": "Remove paper", "give-back": "Give back", "take-away": "Take away",
    "clear-area": "Clear an area", "strays-go": "Strays go", "strays-stay": "Strays stay", "subject": "Circle the subject",
    "tone": "Remove a tone",
}  # fmt: skip


def step_of(tool: str) -> str:
    """The step that a by-hand tool belongs to."""
    if tool in AREA_TOOLS:
        return "knockout" if tool == "subject" else "spotting"
    if tool in ("tone", "move-art"):
        return "knockout"
    return BRUSH_TOOLS.get(tool) or PLACE_TOOLS.get(tool, ("square", ""))[0]


def label_of(tool: str) -> str:
    return _LABELS[tool]


def places_of(docket: Docket, tool: str) -> tuple[Place, ...]:
    """The places that a tool has set so far."""
    return docket.paper.at if tool == "paper-place" else docket.ink.at if tool == "ink-place" else ()


def reading_at(session: Session, place: Place) -> PlaceReading | None:
    entry = session.entry
    return None if entry is None or entry.sheet is None else read_place_at(entry.sheet, *place)


def click_place(session: Session, tool: str, place: Place) -> None:
    """Take a clicked place for what the tool says; a place that cannot be that becomes a message."""
    entry, docket = session.entry, session.docket
    if entry is None or entry.sheet is None or docket is None:
        return
    step, kind = PLACE_TOOLS[tool]
    why = refuse_place(entry.sheet, docket, kind, *place)
    if why is not None:
        session.refused.emit(why)
        return
    if kind == "drop-out":
        reading = read_place_at(entry.sheet, *place)
        assert reading is not None
        held = docket.ink.drop_out if isinstance(docket.ink.drop_out, tuple) else ()
        session.change("ink.drop_out", (*held[-1:], reading.colour), _LABELS[tool])
        return
    session.change(f"{step}.at", (*places_of(docket, tool), place), _LABELS[tool])


def take_border(session: Session) -> None:
    """Take the sheet's border for paper, if it has one tone."""
    entry, docket = session.entry, session.docket
    if entry is None or entry.sheet is None or docket is None:
        return
    places = border_places(entry.sheet)
    if not places:
        session.refused.emit(session.tr(
            "The border of this sheet is not one tone, so it is hardly paper. Nothing was changed; "
            "click a bare place with This is paper, or trim the frame to the sheet."
        ))  # fmt: skip
        return
    _set_paper(session, docket, places, True, session.tr("The border is paper"))


def _set_paper(session: Session, docket: Docket, places: tuple[Place, ...], only: bool, label: str) -> None:
    paper = docket.paper.model_copy(update={"at": places, "only": only})
    session.put_on(docket.model_copy(update={"paper": paper}), label)


def remove_place(session: Session, tool: str, index: int) -> None:
    docket = session.docket
    if docket is not None:
        held = places_of(docket, tool)
        _keep_places(session, docket, tool, held[:index] + held[index + 1 :], session.tr("Take a place away"))


def remove_places(session: Session, tool: str) -> None:
    docket = session.docket
    if docket is not None:
        _keep_places(session, docket, tool, (), session.tr("Take all places away"))


def _keep_places(session: Session, docket: Docket, tool: str, kept: tuple[Place, ...], label: str) -> None:
    if tool == "paper-place":
        # The next place that is clicked adds to what the sheet itself tells, as ever.
        _set_paper(session, docket, kept, docket.paper.only and bool(kept), label)
    else:
        session.change(f"{PLACE_TOOLS[tool][0]}.at", kept, label)


def brush_of(session: Session) -> tuple[float, float]:
    """Radius (share of the scan's longer side) and strength of the brush in hand."""
    if BRUSH_TOOLS.get(session.tool, session.step) in FINE_STEPS:
        return session.fine_brush, session.fine_strength
    return session.brush, session.brush_strength


def lay_touch(session: Session, tool: str, before: tuple[Touch, ...], points: list[Place], gesture: int) -> None:
    """One stroke while it is drawn: ``before`` are the strokes that were there."""
    radius, strength = brush_of(session)
    step = BRUSH_TOOLS[tool]
    source = session.copy_source if tool == "copy" else None
    hard = session.brush_hard if step in ("knockout", "edge") else 0.0
    touch = Touch(kind=tool, points=tuple(points), radius=radius, strength=strength, hard=hard, source=source)  # type: ignore[arg-type]
    session.change(f"{step}.touches", (*before, touch), _LABELS[tool], gesture)


def touches_of(docket: Docket, tool: str) -> tuple[Touch, ...]:
    return getattr(docket, BRUSH_TOOLS[tool]).touches  # type: ignore[no-any-return]


def circle(session: Session, tool: str, outline: list[Place]) -> None:
    """What the tool in hand does to a circled area."""
    docket = session.docket
    if docket is None or len(outline) < 3:
        return
    inside = tuple((min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0)) for x, y in outline)
    if tool == "subject":
        session.change("knockout.subject", inside, _LABELS[tool])
        return
    area = Area(kind=AREA_TOOLS[tool], outline=inside)  # type: ignore[arg-type]
    session.change("spotting.areas", (*docket.spotting.areas, area), _LABELS[tool])


def refuse_beside(session: Session) -> None:
    session.refused.emit(session.tr("That is beside the sheet. Nothing was changed; click or draw on the sheet."))


def pick_tone(session: Session, place: Place) -> None:
    """Remove the tone that the cut-out has at a place, seen on white."""
    entry, docket = session.entry, session.docket
    if entry is None or entry.sheet is None or docket is None:
        return
    colour = shown_colour(entry.sheet, docket, place)
    if colour is None:
        refuse_beside(session)
        return
    tone = TonePick(at=place, colour=colour, reach=session.tone_reach, together=session.tone_together)
    if len(docket.knockout.tones) >= 12:
        session.refused.emit(session.tr("Twelve tones are removed already. Nothing was changed; take one away first."))
        return
    session.change("knockout.tones", (*docket.knockout.tones, tone), _LABELS["tone"])


def change_tone(session: Session, gesture: int | None = None, **to: object) -> None:
    """Change the tone picked last."""
    docket = session.docket
    if docket is not None and docket.knockout.tones:
        last = docket.knockout.tones[-1].model_copy(update=to)
        session.change("knockout.tones", (*docket.knockout.tones[:-1], last), _LABELS["tone"], gesture)


def take_last_touch(session: Session, step: str) -> None:
    """Take the newest stroke of a step away; the ones under it stay."""
    docket = session.docket
    if docket is not None:
        held = getattr(docket, step).touches
        session.change(f"{step}.touches", held[:-1], session.tr("Take a stroke away"))


def drop_colour(session: Session, index: int) -> None:
    """Stop dropping one of the picked colours out."""
    docket = session.docket
    if docket is not None and isinstance(docket.ink.drop_out, tuple):
        held = docket.ink.drop_out
        kept = held[:index] + held[index + 1 :]
        session.change("ink.drop_out", kept or "off", session.tr("Drop-out colour"))
