"""The hub: the same bytes for everybody, the newest block only, and a word to those who are too slow."""

import json

from tests.building.columns import unpacked
from tests.building.database import Database
from tests.building.words import plant_of

from canaleta.plant.changes.apply import Applied, Edit, Proposal, apply
from canaleta.plant.records.image_cache import ImageCache
from canaleta.web.kit.hub import LONGEST_QUEUE, Subscriber, changes_since, event
from canaleta.web.kit.state import Snapshots, snapshot


def test_of_live_blocks_only_the_newest_of_ones_own_racks_is_kept() -> None:
    stream = Subscriber(frozenset({1, 2}))
    for rack, data in ((1, b"old"), (2, b"two"), (1, b"new"), (9, b"other")):
        stream.live(rack, data)
    assert sorted(stream.take(0)) == [b"new", b"two"]
    assert stream.take(0) == []


def test_changes_keep_their_order_and_a_slow_reader_is_told() -> None:
    stream = Subscriber(frozenset())
    for number in range(LONGEST_QUEUE):
        stream.change(str(number).encode())
    assert not stream.lost
    stream.change(b"one too many")
    assert stream.lost
    assert stream.take(0) == [str(n).encode() for n in range(LONGEST_QUEUE)]


def test_an_event_has_its_name_and_number() -> None:
    assert event("change", {"a": 1}, 7) == b'id: 7\nevent: change\ndata: {"a":1}\n\n'


def test_changes_since_are_cells_as_text_oldest_first(database: Database) -> None:
    cache = ImageCache(database.engine)
    for was, text in (("500", "600"), ("600", "650.50")):
        done = apply(database.engine, cache, Proposal((Edit(1, "value_high", was, text),)), "ana")
        assert isinstance(done, Applied)
    channel = apply(database.engine, cache, Proposal((Edit(1, "channel", "KC-2·1·2·1", "KC-2 1 2 8"),)), "ana")
    assert isinstance(channel, Applied)
    with database.engine.connect() as connection:
        told = [
            json.loads(data.decode().split("data: ")[1]) for _, data in changes_since(connection, channel.image, 1)
        ]
    assert [t["cells"] for t in told] == [
        [[1, "value_high", "650.50"]],
        [
            [1, "channel", "KC-2·1·2·8"],
            [1, "cabinet", "KC-2"],
            [1, "terminals", "22, 23, 24"],
            [1, "register", "8"],
            [1, "direct", "%IW1.8"],
        ],
    ]


def test_a_small_plants_snapshot_is_always_new(database: Database) -> None:
    image = ImageCache(database.engine).current()
    kept = Snapshots()
    assert kept.fresh_enough(image).seq == 0
    small = plant_of("4–20 mA")
    of_small = Snapshots()
    assert of_small.fresh_enough(small).seq == 0
    assert of_small.fresh_enough(small.with_cells({}, seq=1)).seq == 1
    _, ids, racks, _ = unpacked(snapshot(image))
    assert len(ids) == len(racks) == 286
    assert set(racks) == set(range(11)), "ten racks, and none for those that wait"


def test_a_large_plants_snapshot_is_made_anew_only_when_it_is_far_behind() -> None:
    image = plant_of(*["contact NO, nowhere"] * 100)
    kept = Snapshots()
    first = kept.fresh_enough(image)
    assert kept.fresh_enough(image.with_cells({}, seq=4)) is first, "changes since come by the stream"
    assert kept.fresh_enough(image.with_cells({}, seq=5)).seq == 5
    assert kept.fresh_enough(image).seq == 0, "a database brought back is older, and that is the truth"
