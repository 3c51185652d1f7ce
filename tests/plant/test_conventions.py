"""Conventions of the plant: a change set like any other, obeyed everywhere at once, undone to the last digit."""

import pytest
from tests.building.database import Database

from canaleta.core.model.convention_fields import convention_texts
from canaleta.plant.changes.conventions import (
    ConventionEdit,
    ConventionRefused,
    change_conventions,
    moved_levels,
    preview_conventions,
)
from canaleta.plant.changes.undo import undo
from canaleta.plant.records.findings import stored_findings
from canaleta.plant.records.image_cache import ImageCache

FROM_ZERO = [ConventionEdit("channel_base", "1", "0")]


def test_counting_channels_from_zero_changes_every_label_and_no_assignment(database: Database) -> None:
    cache = ImageCache(database.engine)
    before = cache.current()
    change_conventions(database.engine, cache, FROM_ZERO, "ana")
    after = ImageCache(database.engine).current()
    assert (before.text("channel", 0), after.text("channel", 0)) == ("KC-2·1·2·1", "KC-2·1·2·0")
    assert (before.channel == after.channel).all()
    assert (before.module == after.module).all()
    assert after.layout.first_registers == before.layout.first_registers


def test_a_preview_names_the_labels_and_writes_nothing(database: Database) -> None:
    cache = ImageCache(database.engine)
    renamed = preview_conventions(cache.current(), FROM_ZERO)
    assert (renamed[0].was, renamed[0].becomes) == ("KC-2·1·2·1", "KC-2·1·2·0")
    assert cache.current().seq == 0


def test_undo_brings_every_digit_back(database: Database) -> None:
    cache = ImageCache(database.engine)
    was = convention_texts(cache.current().conventions)
    change_conventions(database.engine, cache, [ConventionEdit("agreement_share", "0.001", "0.00125")], "ana")
    undo(database.engine, cache, "ana")
    assert convention_texts(ImageCache(database.engine).current().conventions) == was


def test_what_the_plant_agrees_on_is_audited_again(database: Database) -> None:
    """With a fifth of the span allowed, 500 mbar for 600 is no finding."""
    cache = ImageCache(database.engine)
    change_conventions(database.engine, cache, [ConventionEdit("agreement_share", "0.001", "0.05")], "ana")
    with database.engine.connect() as connection:
        keys = [body["key"] for body in stored_findings(connection)]
    assert "R07:1" in keys, "a sixth of span is more than the most that can be allowed"
    assert "R07:14" not in keys, "two degrees of 200 are allowed now"


def test_somebody_elses_change_is_not_written_over(database: Database) -> None:
    cache = ImageCache(database.engine)
    change_conventions(database.engine, cache, [ConventionEdit("mains_hz", "50", "60")], "ben")
    with pytest.raises(ConventionRefused, match="somebody changed it to “60”"):
        change_conventions(database.engine, cache, [ConventionEdit("mains_hz", "50", "60")], "ana")


def test_limits_that_move_together_are_read_together(database: Database) -> None:
    cache = ImageCache(database.engine)
    edits = [ConventionEdit("namur.good_to_ma", "20.5", "21.2"), ConventionEdit("namur.failed_high_ma", "21", "21.6")]
    change_conventions(database.engine, cache, edits, "ana")
    with pytest.raises(ConventionRefused, match="four limits rise"):
        change_conventions(database.engine, cache, [ConventionEdit("namur.good_to_ma", "21.2", "22")], "ana")


def test_levels_that_follow_the_supply_are_listed_when_it_changes(database: Database) -> None:
    """Off below 8 V and on from 14 V at 24 V are 10 and 17.5 V at 30 V; fixed levels are not named."""
    cache = ImageCache(database.engine)
    image = cache.current()
    row = next(r for r in range(len(image)) if image.label(r) == "ZS-6102")
    following = image.with_cells({(row, "mode"): "moves with the supply"})
    moved = moved_levels(following, [ConventionEdit("supply_v", "24", "30")])
    assert [(following.label(following.row_of(m.point)), m.was, m.becomes) for m in moved] == [
        ("ZS-6102", "off below 8.00 V, on from 14.00 V", "off below 10.00 V, on from 17.50 V")
    ]
    assert moved_levels(image, [ConventionEdit("supply_v", "24", "30")]) == []
