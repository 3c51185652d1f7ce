"""Ways to settle findings are tried before they are offered: what they settle, what they raise, what is left out."""

from __future__ import annotations

from dataclasses import replace

from tests.building.desks import Desk

from canaleta.core.rules import Cell, Finding, Fix
from canaleta.plant.changes.ways import Ways, ways_to_settle
from canaleta.plant.records.findings import findings_named, from_body


def found(desk: Desk, key: str) -> Finding:
    with desk.engine.connect() as connection:
        (body,) = findings_named(connection, [key])
    return from_body(body)


def ways(desk: Desk, *findings: Finding) -> Ways:
    with desk.engine.connect() as connection:
        return ways_to_settle(connection, desk.cache.caught_up(connection), findings)


def with_fixes(finding: Finding, *fixes: Fix) -> Finding:
    return replace(finding, fixes=fixes)


def fix(label: str, *edits: tuple[int, str, str]) -> Fix:
    return Fix(label, tuple((Cell(point, field), text) for point, field, text in edits))


def test_a_way_says_what_it_settles(ana: Desk) -> None:
    """PT-3107 measures 0…600 mbar and is scaled 0…500: R07."""
    tried = ways(ana, found(ana, "R07:1"))
    assert [(way.findings, way.settles) for way in tried.offered] == [(1, 1)] * len(tried.offered)
    assert any(dict(way.edits).get(Cell(1, "value_high")) == "600" for way in tried.offered)
    assert tried.left == ()


def test_what_settles_nothing_or_cannot_be_typed_is_left_out_with_its_reason(ana: Desk) -> None:
    finding = with_fixes(
        found(ana, "R07:1"),
        fix("write a note", (1, "notes", "looked at")),
        fix("a word", (1, "value_high", "five hundred")),
        fix("as the device", (1, "value_high", "600")),
    )
    tried = ways(ana, finding)
    assert [way.label for way in tried.offered] == ["as the device"]
    assert [(one.label, one.code) for one in tried.left] == [
        ("write a note", "settles nothing"),
        ("a word", "unreadable"),
    ]


def test_what_raises_something_as_bad_is_left_out(ana: Desk) -> None:
    """TT is a temperature transmitter, and it measures mbar: R49."""
    renamed = fix("as the device, and renamed", (1, "value_high", "600"), (1, "tag", "TT-3107"))
    finding = replace(with_fixes(found(ana, "R07:1"), renamed), severity="settle")
    tried = ways(ana, finding)
    assert tried.offered == ()
    assert [one.code for one in tried.left] == ["raises"]
    assert "temperature transmitter" in tried.left[0].says


def test_it_is_offered_together_with_what_mends_it(ana: Desk) -> None:
    """Without a source in its loop R41 speaks; that the module feeds it mends that."""
    finding = with_fixes(
        found(ana, "R07:1"), fix("as the device, fed by nobody", (1, "value_high", "600"), (1, "supply", "none"))
    )
    (way,) = ways(ana, finding).offered
    assert way.label.startswith("as the device, fed by nobody, and ")
    assert dict(way.edits)[Cell(1, "supply")] in ("module", "own 24 V")
    assert not [f for f in way.raises if f.severity == "bad"]


def test_what_is_less_bad_may_come_with_it_and_is_told(ana: Desk) -> None:
    finding = replace(
        with_fixes(found(ana, "R07:1"), fix("as the device", (1, "value_high", "600"), (1, "alarm_h", "650"))),
        severity="bad",
    )
    (way,) = ways(ana, finding).offered
    assert [f.rule for f in way.raises] == ["R15"]


def test_one_way_for_several_findings_of_a_kind_types_the_figures_of_each(ana: Desk) -> None:
    some = [found(ana, key) for key in sorted(key for key in ana.findings() if key.startswith("R10:"))]
    tried = ways(ana, *some)
    for way in tried.offered:
        assert ":" not in way.label
        assert way.findings <= len(some)
    labels = {label.split(":")[0] for finding in some for label in (f.label for f in finding.fixes)}
    assert {w.label.split(", and ")[0] for w in tried.offered} | {one.label for one in tried.left} == labels


def test_of_many_ways_those_are_tried_that_settle_the_most(ana: Desk) -> None:
    """Twenty labels of their own, and one that two findings share: twelve are tried, that one first."""
    keys = sorted(key for key in ana.findings() if key.startswith("R10:"))[:2]
    some = [
        with_fixes(
            found(ana, key),
            *(
                fix(f"way {n} of {found(ana, key).points[0]}", (found(ana, key).points[0], "notes", "x"))
                for n in range(10)
            ),
            fix("it fails low", (found(ana, key).points[0], "failure_ma", "3.6")),
        )
        for key in keys
    ]
    tried = ways(ana, *some)
    labels = [way.label for way in tried.offered] + [one.label for one in tried.left]
    assert len(labels) == 12
    assert "it fails low" in labels
