"""A plant that is right has nothing against it; two hundred faults planted in it are found, and nothing else is."""

from collections import Counter

from tests.building.planted import KINDS, clean_plant, rounds, weighed


def test_on_a_correct_plant_there_is_not_one_finding() -> None:
    image = clean_plant()
    assert len(image) == 286
    assert weighed(image, []).false == ()


def test_two_hundred_planted_faults_are_found_none_missed_none_false() -> None:
    outcomes = [weighed(image, planted) for image, planted in rounds(clean_plant())]
    assert [(p.kind.says, p.points) for o in outcomes for p in o.missed] == []
    assert [(f.rule, f.text) for o in outcomes for f in o.false] == []
    assert sum(len(o.found) for o in outcomes) >= 200


def test_every_kind_is_planted() -> None:
    planted = Counter(p.kind.says for _, faults in rounds(clean_plant()) for p in faults)
    assert set(planted) == {kind.says for kind in KINDS}


def test_a_fault_is_missed_where_it_is_not_planted() -> None:
    """The scales weigh: what is said to be planted and is not counts as missed, what is there unsaid as false."""
    image, planted = next(rounds(clean_plant()))
    assert len(weighed(clean_plant(), planted).missed) == len(planted)
    assert weighed(image, []).false != ()
