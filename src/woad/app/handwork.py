"""Work by hand on the chosen sheet: clicked places, brush strokes, drop-out colours. Each ends in one docket change."""

from __future__ import annotations

from woad.app.session import Session
from woad.core.docket.model import Docket
from woad.core.docket.touches import Touch
from woad.core.render.places import PlaceReading, read_place_at, refuse_place

Place = tuple[float, float]

# The by-hand tools of Paper and Ink: the step each belongs to, and what it sets.
PLACE_TOOLS = {"paper-place": ("paper", "paper"), "ink-place": ("ink", "ink"), "drop-out": ("ink", "drop-out")}
BRUSH_TOOLS = {"lighten": "paper", "darken": "paper", "strengthen": "ink"}
_LABELS = {
    "paper-place": "This is paper", "ink-place": "This is the darkest mark", "drop-out": "Drop-out colour",
    "lighten": "Lighten", "darken": "Darken", "strengthen": "Strengthen",
}  # fmt: skip


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
        session.message.emit(why)
        return
    if kind == "drop-out":
        reading = read_place_at(entry.sheet, *place)
        assert reading is not None
        held = docket.ink.drop_out if isinstance(docket.ink.drop_out, tuple) else ()
        session.change("ink.drop_out", (*held[-1:], reading.colour), _LABELS[tool])
        return
    session.change(f"{step}.at", (*places_of(docket, tool), place), _LABELS[tool])


def remove_place(session: Session, tool: str, index: int) -> None:
    docket = session.docket
    if docket is not None:
        held = places_of(docket, tool)
        kept = held[:index] + held[index + 1 :]
        session.change(f"{PLACE_TOOLS[tool][0]}.at", kept, session.tr("Take a place away"))


def remove_places(session: Session, tool: str) -> None:
    session.change(f"{PLACE_TOOLS[tool][0]}.at", (), session.tr("Take all places away"))


def lay_touch(session: Session, tool: str, before: tuple[Touch, ...], points: list[Place], gesture: int) -> None:
    """One stroke while it is drawn: ``before`` are the strokes that were there."""
    step = BRUSH_TOOLS[tool]
    touch = Touch(kind=tool, points=tuple(points), radius=session.brush, strength=session.brush_strength)  # type: ignore[arg-type]
    session.change(f"{step}.touches", (*before, touch), _LABELS[tool], gesture)


def touches_of(docket: Docket, tool: str) -> tuple[Touch, ...]:
    return docket.paper.touches if BRUSH_TOOLS[tool] == "paper" else docket.ink.touches


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
