"""The docket: validated, JSON and back, wrong fields named; history of changes."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from woad.core.docket.catalogue import setting
from woad.core.docket.history import History
from woad.core.docket.media import MEDIUM_NAMES, starting_docket
from woad.core.docket.model import MEDIA, Docket, docket_from_json, setting_paths
from woad.core.errors import BadSetting


@given(st.floats(0, 1), st.floats(0, 1), st.one_of(st.none(), st.floats(0.01, 0.3)))
def test_json_gives_the_same_docket_back(evening: float, grain: float, clearing: float | None) -> None:
    """What is saved is what is read."""
    docket = Docket().with_setting("paper.evening", evening).with_setting("paper.grain", grain)
    docket = docket.with_setting("knockout.clearing", clearing)
    assert docket_from_json(docket.to_json()) == docket
    assert hash(docket_from_json(docket.to_json())) == hash(docket)


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ('{"paper": {"sparkle": 1}}', "paper.sparkle"),
        ('{"lens": {}}', "lens"),
        ('{"paper": {"grain": 2}}', "paper.grain"),
        ('{"ink": {"ink": "dark"}}', "ink.ink"),
        ('{"medium": "crayon"}', "medium"),
        ('{"version": 7}', "version"),
        ('{"ink": {"paper": 0.9, "ink": 0.5}}', "ink"),
        ("[1, 2]", "docket"),
        ("{", "docket"),
    ],
)
def test_wrong_fields_are_named(text: str, field: str) -> None:
    """The error names the field, and says that nothing was changed."""
    with pytest.raises(BadSetting) as caught:
        docket_from_json(text)
    assert caught.value.field == field
    assert "Nothing was changed" in str(caught.value)


def test_a_docket_never_changes() -> None:
    """Changing a setting makes another docket."""
    first = Docket()
    second = first.with_setting("paper.grain", 0.5)
    assert first.paper.grain == 0.0
    assert second.paper.grain == 0.5
    with pytest.raises(Exception, match="frozen"):
        first.paper.grain = 1.0  # type: ignore[misc]
    with pytest.raises(BadSetting, match=r"paper\.nothing"):
        first.with_setting("paper.nothing", 1)


def test_every_medium_has_starting_values_and_a_name() -> None:
    """Nine data files, all valid."""
    for medium in MEDIA:
        assert starting_docket(medium).medium == medium  # type: ignore[arg-type]
        assert MEDIUM_NAMES[medium]


def test_catalogue_knows_ranges_and_words_of_numbers() -> None:
    """Window, command and handbook read the same ranges."""
    grain = setting("paper.grain")
    assert (grain.low, grain.high, grain.unit, grain.shown_factor) == (0, 1, "%", 100)
    assert "ink.middle" in setting_paths()


def test_history_undoes_and_a_drag_is_one_entry() -> None:
    """Ten steps of one drag are taken back by one undo; a new change forgets what was undone."""
    history = History.start(Docket())
    for i in range(1, 11):
        history = history.push(Docket().with_setting("paper.grain", i / 10), "Grain", gesture=1)
    history = history.push(history.docket.with_setting("paper.evening", 0.5), "Evening")
    assert history.undo_label == "Evening"
    assert history.before(1) is history.docket
    assert history.undo().before(1) == Docket()
    history = history.undo().undo()
    assert history.docket == Docket()
    assert history.undo_label is None
    assert history.redo().docket.paper.grain == 1.0
    history = history.push(Docket().with_setting("paper.grain", 0.3), "Grain")
    assert history.redo_label is None
    assert history.push(history.docket, "Nothing") is history
    away = history.push(Docket(), "Grain", gesture=2)
    back = away.push(history.docket, "Grain", gesture=2)
    assert back == history and back.push(Docket(), "Grain", gesture=2) == away
