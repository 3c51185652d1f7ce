"""Waivers: a finding accepted with a reason and a name, as long as the facts it rests on stay."""

import hashlib
from typing import Any

import pytest
from sqlalchemy import select, update
from tests.building.database import Database

from canaleta.plant.changes.accepting import WaiverError, lift, waive
from canaleta.plant.changes.apply import Applied, Edit, Proposal, apply, reaudit
from canaleta.plant.changes.undo import redo, undo
from canaleta.plant.database import tables as t
from canaleta.plant.records.findings import stored_findings
from canaleta.plant.records.image_cache import ImageCache

PT_3107 = 1
RANGES = "R07:1"


class Plant:
    def __init__(self, database: Database) -> None:
        self.engine, self.cache = database.engine, ImageCache(database.engine)

    def waived(self, key: str = RANGES) -> Any:
        """What is said of a finding's waiver; "settled" where there is no such finding."""
        with self.engine.connect() as connection:
            found = {body["key"]: body["waived"] for body in stored_findings(connection)}
        return found.get(key, "settled")

    def edit(self, field: str, text: str) -> Applied:
        image = self.cache.current()
        done = apply(self.engine, self.cache, Proposal((Edit(PT_3107, field, image.text(field, 0), text),)), "ana")
        assert isinstance(done, Applied)
        return done

    def waive(self, *keys: str, reason: str = "the display is changed in May") -> Applied:
        return waive(self.engine, self.cache, keys or (RANGES,), reason, "ana")


@pytest.fixture
def plant(database: Database) -> Plant:
    return Plant(database)


def test_an_accepted_finding_says_why_by_whom_and_when(plant: Plant) -> None:
    done = plant.waive()
    told = plant.waived()
    assert (told["reason"], told["who"], told["holds"]) == ("the display is changed in May", "ana", True)
    assert told["at"].startswith("20")
    assert [found.key for found in done.preview.opened] == [RANGES], "every open screen is told"
    with plant.engine.connect() as connection:
        row = connection.execute(select(t.change_set).where(t.change_set.c.seq == done.seq)).one()
    assert (row.source, row.why) == ("accepted a finding", "the display is changed in May")


def test_it_holds_while_other_cells_change_and_over_another_audit(plant: Plant) -> None:
    plant.waive()
    plant.edit("service", "gas header, renamed")
    with plant.engine.begin() as connection:
        reaudit(connection, plant.cache.caught_up(connection))
    assert plant.waived()["holds"]


def test_it_is_void_when_the_facts_change_and_good_again_when_they_come_back(plant: Plant) -> None:
    plant.waive()
    done = plant.edit("value_high", "450")
    assert plant.waived()["holds"] is False
    assert [found.key for found in done.preview.opened] == [RANGES]
    plant.edit("value_high", "500")
    assert plant.waived()["holds"] is True


def test_a_settled_finding_takes_nothing_along_but_is_known_when_it_returns(plant: Plant) -> None:
    plant.waive()
    plant.edit("value_high", "600")
    assert plant.waived() == "settled"
    undo(plant.engine, plant.cache, "ana")
    assert plant.waived()["holds"]


def test_accepting_is_undone_and_redone_like_any_change(plant: Plant) -> None:
    plant.waive()
    undo(plant.engine, plant.cache, "ana")
    assert plant.waived() is None
    redo(plant.engine, plant.cache, "ana")
    assert plant.waived()["holds"]


def test_several_are_accepted_in_one_step_and_opened_again(plant: Plant) -> None:
    keys = [f"R10:{point}" for point in range(186, 192)]
    before = plant.cache.current().seq
    done = plant.waive(*keys)
    assert done.seq == before + 1
    assert all(plant.waived(key)["holds"] for key in keys)
    lift(plant.engine, plant.cache, keys[:2], "bru")
    assert [plant.waived(key) is None for key in keys] == [True, True, False, False, False, False]


@pytest.mark.parametrize(
    ("keys", "reason", "says"), [((RANGES,), " ", "say why"), (("R07:1", "R99:1"), "so", "1 of them is settled")]
)
def test_without_a_reason_or_for_what_is_settled_nothing_is_accepted(
    plant: Plant, keys: tuple[str, ...], reason: str, says: str
) -> None:
    with pytest.raises(WaiverError, match=says):
        plant.waive(*keys, reason=reason)
    assert plant.waived() is None
    with pytest.raises(WaiverError, match="not accepted"):
        lift(plant.engine, plant.cache, [RANGES], "ana")


def test_one_that_an_earlier_version_sealed_holds_whatever_the_sentence_is_now(plant: Plant) -> None:
    """Version 0.1 sealed the words as well: the cells and the figures decide, not the sentence."""
    plant.waive()
    with plant.engine.begin() as connection:
        body = next(b for b in stored_findings(connection) if b["key"] == RANGES)
        for words, holds in ((f"formerly said so: {body['text']}", True), (f"{body['text']} by 17 mbar", False)):
            old = hashlib.sha256(f"{body['facts']}\x1f{words}".encode()).hexdigest()[:16]
            connection.execute(update(t.waiver).values(fingerprint=old, text=words))
            reaudit(connection, plant.cache.caught_up(connection))
            told = next(b["waived"] for b in stored_findings(connection) if b["key"] == RANGES)
            assert told["holds"] is holds
