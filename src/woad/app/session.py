"""The only holder of state: the pile, the chosen sheet and step, the view's wishes, histories."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from woad.app.entry import Entry, Loaded
from woad.core.docket.history import History
from woad.core.docket.media import starting_docket
from woad.core.docket.model import Docket
from woad.core.errors import BadSetting, WoadError
from woad.core.render.region import PLAIN
from woad.core.render.sheet import Sheet
from woad.core.render.squaring import carried

if TYPE_CHECKING:
    from woad.app.view.ground import Ground

STEPS: tuple[tuple[str, str], ...] = (
    ("scan", "Scan"),
    ("square", "Square"),
    ("paper", "Paper"),
    ("ink", "Ink"),
    ("spotting", "Spotting"),
    ("knockout", "Knock-out"),
    ("edge", "Edge"),
    ("editions", "Editions"),
)
BACKINGS = ("white", "bright", "dark", "checks", "picture")


class Session(QObject):
    """State and its signals. Every change of settings goes through :meth:`change`."""

    pile_changed = Signal()
    sheet_changed = Signal()  # another sheet, or the same one settled
    docket_changed = Signal()
    step_changed = Signal()
    view_changed = Signal()  # backing, compare, overlays, spots
    checks_changed = Signal()
    sheet_chosen = Signal()  # another sheet of the pile
    stray_shown = Signal()  # a stray was gone to
    message = Signal(str)
    refused = Signal(str)  # why a wish was not met; no longer of interest after the next one that is

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.entries: list[Entry] = []
        self.at = -1
        self.step = "knockout"
        self.backing = "white"
        self._light = self._lent = False  # whether a sheet of light marks is chosen; and was lent the dark backing
        self.wipe = False
        self.wipe_at = 0.5
        self.before_held = False
        self.side_by_side = False  # the scan beside the view
        self.overlays: frozenset[str] = frozenset({"strays"})
        self.fault_shown = ""  # the fault whose places are shown on the scan
        self.tool = ""  # the by-hand tool in hand: level, corners, bow
        self.brush = 0.03  # radius, share of the scan's longer side
        self.brush_strength = 0.35
        self.fine_brush = 0.006  # the same for the brushes from Spotting on
        self.fine_strength = 1.0
        self.brush_hard = 0.5
        self.copy_source: tuple[float, float] | None = None  # where copy over takes from, shares of the scan
        self.tone_reach, self.tone_together = 24.0, False  # what the next picked tone will have
        self.bright: tuple[int, int, int] = (201, 70, 56)
        self.picture: Ground | None = None
        self.rulers = False
        self.guides_shown = True
        self.grid = False
        self.unit = "mm"
        self.spot_zoom = 1
        self.sheet_changed.connect(self._suit_backing)
        self.folder: Path = Path.cwd() / "out"
        self.folder_chosen = False
        self.scans: set[Path] = set()  # files that were opened; nothing is ever written over them
        self.written: set[Path] = set()  # editions that are written or being written; a watched folder may hold them
        self.taken_off: list[Entry] = []
        self._gesture = self._looks = 0

    # -- reading -----------------------------------------------------------------------------------------------

    @property
    def entry(self) -> Entry | None:
        return self.entries[self.at] if 0 <= self.at < len(self.entries) else None

    @property
    def docket(self) -> Docket | None:
        entry = self.entry
        return entry.history.docket if entry is not None and entry.history is not None else None

    @property
    def shown_step(self) -> str:
        """The step the view shows: the sheet before Paper while *before* is held; the scan while corners are set."""
        if self.step == "square" and self.tool == "corners":
            return "scan"
        return "before" if self.before_held and self.step not in ("scan", "square") else self.step

    @property
    def past_ink(self) -> bool:
        """Whether the step in view shows what Spotting leaves."""
        return self.step in ("spotting", "knockout", "edge", "editions")

    def new_gesture(self) -> int:
        """A number that ties the steps of one drag together."""
        self._gesture += 1
        return self._gesture

    # -- the pile ----------------------------------------------------------------------------------------------

    def add(self, name: str) -> Entry:
        """A place on the pile for a sheet that is being opened; the first one is chosen."""
        entry = Entry(name)
        self.entries.append(entry)
        if self.at < 0:
            self.at = 0
            self._seen()
        self.pile_changed.emit()
        return entry

    def part(self, entry: Entry, names: list[str]) -> list[Entry]:
        """A file turned out to hold several sheets: its place on the pile is the first one's, the others follow."""
        at = self.entries.index(entry)
        entry.name = names[0]
        others = [Entry(name) for name in names[1:]]
        self.entries[at + 1 : at + 1] = others
        if self.at > at:
            self.at += len(others)
        self.pile_changed.emit()
        return [entry, *others]

    def stem_of(self, entry: Entry) -> str:
        """What a sheet's editions are called after. Sheets of one name, from two folders say, get a number each, so that
        none replaces another's."""
        taken: set[str] = set()
        for one in self.entries:
            own = stem = Path(one.name).stem if one.original is None else one.original.stem
            number = 2
            while stem in taken:
                stem, number = f"{own}-{number}", number + 1
            if one is entry:
                return stem
            taken.add(stem)
        raise ValueError("the sheet is not on the pile")

    def settle(self, entry: Entry, loaded: Loaded) -> None:
        """A sheet has been read (a first look, or in full). Settings made meanwhile stay."""
        if entry.put_by is not None:
            entry.history, entry.put_by = entry.put_by[0], None
        first = entry.history is None
        entry.original = loaded.original
        entry.show(loaded.sheet)
        if first:
            entry.spots = loaded.spots
        if not entry.known and (entry.history is None or len(entry.history.entries) == 1):
            entry.history = History.start(starting_docket(loaded.sheet.readings.medium))
        entry.known = entry.known or loaded.sheet.settled
        self.pile_changed.emit()
        if entry is self.entry:
            self.sheet_changed.emit()

    def fail(self, entry: Entry, says: str) -> None:
        """A file could not be read: it leaves the pile, the sentence stays on screen."""
        if entry in self.entries and entry.sheet is None:
            index = self.entries.index(entry)
            self.entries.remove(entry)
            if self.at >= index:
                self.at = min(max(self.at - 1, 0 if self.entries else -1), len(self.entries) - 1)
            self.pile_changed.emit()
            self.sheet_changed.emit()
        self.message.emit(says)

    def take_off(self) -> None:
        """The chosen sheet leaves the pile; it can be put back with all its settings. The newest one comes back at once, of
        those before it the pixels are let go: a day's sheets would not fit into memory."""
        entry = self.entry
        if entry is not None:
            self.entries.remove(entry)
            if self.taken_off:
                self.taken_off[-1].let_go()
            self.taken_off.append(entry)
            self._chosen(min(self.at, len(self.entries) - 1))

    def put_back(self) -> None:
        """The sheet taken off last comes back as it was, and is chosen."""
        if self.taken_off:
            self.entries.append(self.taken_off.pop())
            self._chosen(len(self.entries) - 1)

    def choose(self, index: int) -> None:
        if 0 <= index < len(self.entries) and index != self.at:
            self._chosen(index)

    def _chosen(self, at: int) -> None:
        self.at, self.copy_source = at, None  # where a brush takes from is a place of one sheet
        self._seen()
        self.sheet_chosen.emit()
        self.pile_changed.emit()
        self.sheet_changed.emit()

    def _suit_backing(self) -> None:
        """Light marks are not seen on white, which gives way to the dark backing for as long as such a sheet is chosen."""
        if self.entry is None or self.entry.sheet is None:
            return
        light, before = self.entry.sheet.readings.negative, self._light
        self._light = light
        if light and not before and self.backing == "white":
            self._lent = True
            self.look(backing="dark")
        elif self._lent and not light:
            self._lent = False
            if self.backing == "dark":
                self.look(backing="white")

    def _seen(self) -> None:
        if self.entry is not None:
            self._looks += 1
            self.entry.seen = self._looks

    # -- settings ----------------------------------------------------------------------------------------------

    def change(self, path: str, value: Any, label: str, gesture: int | None = None) -> None:
        """Change one setting of the chosen sheet; refused values become a message."""
        docket = self.docket
        if docket is None:
            return
        try:
            self._push(docket.with_setting(path, value), label, gesture)
        except WoadError as error:
            self.refused.emit(_said(error))

    def change_square(self, label: str, gesture: int | None = None, **settings: Any) -> None:
        """Change settings of the Square step; a set trim frame and bows stay on the marks they were set on."""
        docket, entry = self.docket, self.entry
        if docket is None or entry is None or entry.sheet is None or entry.history is None:
            return
        try:
            new = docket
            for name, value in settings.items():
                new = new.with_setting(f"square.{name}", value)
            if not {"trim", "bows"} & set(settings):
                # From where the drag began: what went over the border on the way comes back with it.
                started = entry.history.before(gesture)
                new = carried(started, new, entry.sheet.scan, entry.sheet.found)
            self._push(new, label, gesture)
        except WoadError as error:
            self.refused.emit(_said(error))

    def turn(self, how: str) -> None:
        """Turn the sheet as seen now: ``left``, ``right`` or ``half``, or ``mirror`` it."""
        if self.docket is None:
            return
        square = self.docket.square
        if how == "mirror":
            # The tilt that is set is seen from the other side.
            tilt = None if square.straighten is None else -square.straighten
            self.change_square("Mirror", mirror=not square.mirror, straighten=tilt)
            return
        by = {"left": 270, "right": 90, "half": 180}[how]
        # The mirror comes after the turn: seen through it, turns go the other way.
        self.change_square("Turn", turn=(square.turn + (-by if square.mirror else by)) % 360)

    def change_medium(self, medium: Any) -> None:
        """Another medium brings its own starting values for every step; one undo takes it back."""
        if self.docket is not None and self.docket.medium != medium:
            start = starting_docket(medium)
            kept = _kept_by_hand(self.docket, start)
            self._push(kept, "Medium", None)

    def put_on(self, docket: Docket, label: str, gesture: int | None = None) -> None:
        """Take over a whole docket: a take, a mix."""
        if self.docket is not None:
            self._push(docket, label, gesture)

    def _push(self, docket: Docket, label: str, gesture: int | None) -> None:
        entry = self.entry
        assert entry is not None and entry.history is not None
        history = entry.history.push(docket, label, gesture)
        if history is not entry.history:
            entry.history, entry.checks, entry.written = history, None, ()
            self.docket_changed.emit()

    def undo(self) -> None:
        self._move(-1)

    def redo(self) -> None:
        self._move(1)

    def _move(self, by: int) -> None:
        entry = self.entry
        if entry is None or entry.history is None:
            return
        history = entry.history.undo() if by < 0 else entry.history.redo()
        if history.at != entry.history.at:
            entry.history, entry.checks = history, None
            self.docket_changed.emit()

    # -- the view ----------------------------------------------------------------------------------------------

    def go_to(self, step: str) -> None:
        if step != self.step:
            self.step, self.tool = step, ""
            self.step_changed.emit()

    def take_tool(self, tool: str) -> None:
        """Take a by-hand tool, or put it away when it is in hand already."""
        self.look(tool="" if tool == self.tool else tool)

    def replace_sheet(self, entry: Entry, sheet: Sheet) -> None:
        """The same sheet, squared anew."""
        entry.show(sheet)
        if entry is self.entry:
            self.sheet_changed.emit()

    def look_at_stray(self, place: tuple[float, float]) -> None:
        """Choose a stray of the sheet by its place; each sheet keeps its own."""
        if self.entry is not None and self.entry.stray != place:
            self.entry.stray = place
            self.view_changed.emit()

    def know_strays(self, entry: Entry, sheet: Sheet) -> None:
        """The same sheet, looked over for strays."""
        entry.sheet, entry.checks = sheet, None
        if entry is self.entry:
            self.sheet_changed.emit()

    def go_by(self, by: int) -> None:
        names = [name for name, _ in STEPS]
        self.go_to(names[min(max(names.index(self.step) + by, 0), len(names) - 1)])

    def look(self, **wishes: Any) -> None:
        """Set backing, wipe, before_held, overlays, tool, rulers and the like; the view follows."""
        changed = False
        for name, value in wishes.items():
            if getattr(self, name) != value:
                setattr(self, name, value)
                changed = True
        if changed:
            self.view_changed.emit()

    @property
    def shows_beside(self) -> bool:
        """Whether the scan lies beside the view: not on steps that show the scan themselves."""
        return self.side_by_side and self.step not in PLAIN

    def compare(self, wipe: bool = False, side_by_side: bool = False) -> None:
        """Show before and after in one way or the other, or not at all."""
        self.look(wipe=wipe, side_by_side=side_by_side)

    def toggle_overlay(self, name: str, on: bool) -> None:
        self.look(overlays=self.overlays | {name} if on else self.overlays - {name})

    def move_spot(self, which: int, x: float, y: float) -> None:
        entry = self.entry
        if entry is None:
            return
        spots = list(entry.spots)
        spots[which] = (x, y)
        entry.spots = (spots[0], spots[1])
        self.view_changed.emit()


def _kept_by_hand(docket: Docket, start: Docket) -> Docket:
    """Another medium's starting values with everything that belongs to this sheet: its frame, places and strokes."""
    spotting, knockout = docket.spotting, docket.knockout
    knockout = start.knockout.model_copy(
        update={name: getattr(knockout, name) for name in ("see_through", "gap_mm", "tones", "subject", "touches")}
    )
    paper = start.paper.model_copy(
        update={"at": docket.paper.at, "only": docket.paper.only, "touches": docket.paper.touches}
    )
    ink = start.ink.model_copy(update={"at": docket.ink.at, "touches": docket.ink.touches})
    return start.model_copy(
        update={
            "scan": docket.scan, "square": docket.square, "paper": paper, "ink": ink, "spotting": spotting,
            "knockout": knockout, "edge": docket.edge,
        }
    )  # fmt: skip


def _said(error: WoadError) -> str:
    """As it is said beside the control that was used."""
    return error.plain if isinstance(error, BadSetting) else str(error)
