"""Strays of the chosen sheet as a list to step through, and what is decided of them. Each decision is one docket change."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from woad.app.entry import Entry
from woad.app.session import Session
from woad.core.docket.spotting import MOST_DECIDED, Decision
from woad.core.render.clearing import goes
from woad.core.render.found import Found
from woad.core.spotting.folds import CORE_MM
from woad.core.spotting.holes import LEAST_MM
from woad.core.units import mm_to_px

_UNSURE = 0.15  # from which share of dirt a small mark is listed, though it stays
_SAME_PX = 3.0  # how far a change of settings may move a stray
MANY = 8_000


@dataclass(frozen=True)
class Item:
    """One stray: its ``place`` (shares of the scan), ``size_mm``, ``kind`` (speck, line, hole, hair, dust, streak, fold),
    whether it ``goes``."""

    place: tuple[float, float]
    size_mm: float
    kind: str
    goes: bool


@dataclass(frozen=True, eq=False)
class Items:
    """All strays of a sheet, down the sheet in bands, with their places as one array for drawing."""

    items: tuple[Item, ...]
    places: np.ndarray
    goes: np.ndarray

    def __len__(self) -> int:
        return len(self.items)


NONE = Items((), np.zeros((0, 2)), np.zeros(0, bool))


def items_of(entry: Entry | None) -> Items:
    """The strays of a sheet that go, and those that stay but look doubtful or were decided."""
    if entry is None or entry.sheet is None or entry.sheet.strays is None or entry.history is None:
        return NONE
    found, settings = entry.sheet.strays, entry.history.docket.spotting
    held = entry.stray_items
    if held is not None and held[0] is found and held[1] == settings:
        known: Items = held[2]
        return known
    made = _made(found, entry)
    entry.stray_items = (found, settings, made)
    return made


def _made(found: Found, entry: Entry) -> Items:
    assert entry.history is not None
    settings = entry.history.docket.spotting
    if not settings.on:
        return NONE
    mm = mm_to_px(1, found.ppi)
    gone = goes(found, settings)
    small = found.pieces.size_px <= settings.limit_mm * mm
    listed = gone | (small & (found.dirt > _UNSURE))
    for index, one in zip(found.nearest([d.at for d in settings.decided]), settings.decided, strict=True):
        if index >= 0 and not one.goes:
            listed[index] = True
    out = []
    places = found.places()
    for i in np.flatnonzero(listed).tolist():
        kind = "speck" if not found.lines[i] else "hole" if found.pieces.box[i, 2:].min() >= LEAST_MM * mm else "line"
        at = (float(places[i, 0]), float(places[i, 1]))
        out.append(Item(at, float(found.pieces.size_px[i] / mm), kind, bool(gone[i])))
    mended = {id(hair) for hair in found.mended_hairs(settings.decided)} if settings.hairs else set()
    for hair, at in zip(found.hairs, found.hair_places().tolist(), strict=True):
        kind = "dust" if hair.dust else "hair"
        out.append(Item((at[0], at[1]), hair.length_px / mm, kind, id(hair) in mended))
    taken = found.mended_streaks(settings.decided) if settings.lines else ()
    for streak, at in zip(found.streaks, found.streak_places().tolist(), strict=True):
        out.append(Item((at[0], at[1]), (streak.end - streak.first) / mm, "streak", streak in taken))
    evened = found.evened_folds(settings.decided) if settings.lines else ()
    for fold, at in zip(found.folds, found.fold_places().tolist(), strict=True):
        length = found.frame.height if fold.upright else found.frame.width
        out.append(Item((at[0], at[1]), length / mm, "fold", fold in evened))
    # In bands down the sheet, so that the next one is never far.
    out.sort(key=lambda item: (int(item.place[1] * 12), item.place[0]))
    return Items(
        tuple(out), np.array([item.place for item in out]).reshape(-1, 2), np.array([i.goes for i in out], bool)
    )


def size_px(entry: Entry | None, item: Item) -> float:
    """How large a ring a stray needs, in pixels of the sheet at full size: of a fold, which is as long as the sheet, its
    middle is shown."""
    ppi = None if entry is None or entry.sheet is None else entry.sheet.ppi
    return mm_to_px(2 * CORE_MM if item.kind == "fold" else item.size_mm, ppi or 300.0)


def step(session: Session, by: int) -> Item | None:
    """Go to the next or previous stray, from the last to the first."""
    items = items_of(session.entry)
    if not len(items):
        session.refused.emit(session.tr("No strays were found on this sheet."))
        return None
    session.go_to("spotting")
    now = chosen(session)
    at = now + by if now >= 0 else (0 if by > 0 else len(items) - 1)
    return choose(session, at % len(items))


def choose(session: Session, index: int) -> Item | None:
    items = items_of(session.entry)
    if not 0 <= index < len(items):
        return None
    session.look_at_stray(items.items[index].place)
    session.stray_shown.emit()
    return items.items[index]


def chosen(session: Session) -> int:
    """Where in the list the stray is that is looked at, or -1: a change of settings may have moved it by a little, or have
    taken it off."""
    entry = session.entry
    if entry is None or entry.sheet is None or entry.stray is None:
        return -1
    return nearest(session, entry.stray, _SAME_PX / entry.sheet.scan_size[0])


def current(session: Session) -> Item | None:
    index = chosen(session)
    return items_of(session.entry).items[index] if index >= 0 else None


def decide(session: Session, remove: bool, like: bool = False) -> None:
    """Remove or keep the stray that is looked at, or all of its kind and about its size."""
    docket = session.docket
    if docket is None:
        return
    one = current(session) if session.step == "spotting" else None
    if one is None:
        session.refused.emit(session.tr("No stray is chosen. Nothing was changed; go to the next one (N) first."))
        return
    group = [one]
    if like:
        group = [
            item
            for item in items_of(session.entry).items
            if item.kind == one.kind and 0.75 <= item.size_mm / max(one.size_mm, 1e-6) <= 1.3333
        ]
    taken = {item.place for item in group}
    kept = tuple(known for known in docket.spotting.decided if not _same(known.at, taken))
    if len(kept) + len(group) > MOST_DECIDED:
        session.refused.emit(
            session.tr("That would be more than {0} decisions. Nothing was changed; use the size limit or circle an area.")
            .format(MOST_DECIDED)
        )  # fmt: skip
        return
    fresh = tuple(Decision(at=item.place, goes=remove) for item in group)
    session.change(
        "spotting.decided", (*kept, *fresh), session.tr("Remove strays") if remove else session.tr("Keep strays")
    )


def _same(at: tuple[float, float], places: set[tuple[float, float]]) -> bool:
    return any(abs(at[0] - x) < 1e-4 and abs(at[1] - y) < 1e-4 for x, y in places) if len(places) < 50 else at in places


def nearest(session: Session, place: tuple[float, float], reach: float) -> int:
    """The listed stray nearest to a place within ``reach`` (share of the scan's width), or -1."""
    items = items_of(session.entry)
    entry = session.entry
    if not len(items) or entry is None or entry.sheet is None:
        return -1
    w, h = entry.sheet.scan_size
    gap = np.hypot(items.places[:, 0] - place[0], (items.places[:, 1] - place[1]) * h / w)
    best = int(np.argmin(gap))
    return best if gap[best] <= reach else -1
