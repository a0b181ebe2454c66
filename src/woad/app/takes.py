"""Takes: kept settings of a sheet, put on again with one key, and mixed."""

from __future__ import annotations

from dataclasses import dataclass

from woad.app.session import Session
from woad.core.docket.model import Docket, Mix


@dataclass(frozen=True)
class Take:
    """Kept settings under a ``name``."""

    name: str
    docket: Docket


def keep(session: Session) -> None:
    """Keep the present settings as a new take."""
    entry, docket = session.entry, session.docket
    if entry is None or docket is None:
        return
    taken = {take.name for take in entry.takes}
    number = next(n for n in range(1, len(taken) + 2) if f"take {n}" not in taken)
    entry.takes = (*entry.takes, Take(f"take {number}", docket.unmixed()))
    session.view_changed.emit()


def rename(session: Session, index: int, name: str) -> None:
    """Give a take another name; an empty one, or one that is taken, is refused."""
    entry = session.entry
    name = name.strip()
    if entry is None or name == entry.takes[index].name:
        return
    if not name or any(take.name == name for take in entry.takes):
        says = session.tr("A take needs a name of its own. It keeps its old name; choose another one.")
        session.refused.emit(says)
    else:
        takes = list(entry.takes)
        takes[index] = Take(name, takes[index].docket)
        entry.takes = tuple(takes)
    session.view_changed.emit()


def forget(session: Session, index: int) -> None:
    entry = session.entry
    if entry is not None:
        entry.takes = entry.takes[:index] + entry.takes[index + 1 :]
        session.view_changed.emit()


def put_on(session: Session, index: int) -> None:
    """Work with a take's settings; how the sheet is scanned and squared stays."""
    entry, docket = session.entry, session.docket
    if entry is None or docket is None:
        return
    take = entry.takes[index]
    if now_on(session) is None:
        entry.off_take = docket
    session.put_on(_on_this_square(take.docket, docket), take.name)


def _on_this_square(take: Docket, docket: Docket) -> Docket:
    return take.model_copy(update={"scan": docket.scan, "square": docket.square})


def now_on(session: Session) -> int | None:
    """Which take has the present settings, or None."""
    entry, docket = session.entry, session.docket
    if entry is None or docket is None:
        return None
    plain = docket.unmixed()
    return next((i for i, t in enumerate(entry.takes) if _on_this_square(t.docket, docket) == plain), None)


def flip(session: Session) -> None:
    """On to the next take; after the last one back to the settings that were no take, if there were any."""
    entry, docket = session.entry, session.docket
    if entry is None or docket is None:
        return
    if not entry.takes:
        session.refused.emit(
            session.tr("There is no take to flip to. Nothing was changed; keep the present settings as a take first.")
        )
        return
    at = now_on(session)
    if at is None:
        put_on(session, 0)
    elif at + 1 < len(entry.takes):
        put_on(session, at + 1)
    elif entry.off_take is not None and entry.off_take.unmixed() not in [t.docket for t in entry.takes]:
        session.put_on(_on_this_square(entry.off_take, docket), session.tr("no take"))
    else:
        put_on(session, 0)


def mix(session: Session, index: int | None, share: float, gesture: int | None = None) -> None:
    """Mix a take into the present settings' picture, ``share`` 0..1 of it; None mixes nothing in."""
    entry, docket = session.entry, session.docket
    if entry is None or docket is None:
        return
    if index is None:
        session.put_on(docket.unmixed(), session.tr("Mix"), gesture)
        return
    take = entry.takes[index]
    value = Mix(name=take.name, share=share, take=take.docket)
    session.put_on(docket.model_copy(update={"mix": value}), session.tr("Mix"), gesture)
