"""Lists laid out in any way: what columns mean, what is new, what changes, what is told; one change set or
nothing."""

from __future__ import annotations

import pytest
from tests.building.database import Database

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.core.model.fields import STORED
from canaleta.core.model.image import PlantImage
from canaleta.exchange.bring_in import Choices, Line, ListPlan, apply_plan, plan_list
from canaleta.exchange.headings import read_heading
from canaleta.exchange.recognise import FoundList, find_list, find_page
from canaleta.exchange.sheets import Page, SheetError, read_book
from canaleta.plant.changes.apply import Applied, Edit, Proposal, apply
from canaleta.plant.changes.undo import redo, undo
from canaleta.plant.records.image_cache import ImageCache

LAYOUT = layout_of(demo_plant())
LIST = """tag;service;signal;range low;URV;range unit;channel;input mode;eu low;eu high;eu;vendor
PT-3107;gas header;4-20 mA;0;600;mbar;KC-2·1·2·1;4–20 mA;0;600;mbar;Ormeu
PT-9001;a new one;4 to 20 mA;0-6 bar(g);;;KC-2·1·2·8;4–20 mA;0;6;bar;Ormeu
PT-9002;its range is odd;4-20 mA;low;10;bar;;;0;10;bar;
"""


def page_of(text: str) -> Page:
    return read_book(text.encode())[0]


def found_in(text: str) -> FoundList:
    return find_list(page_of(text), LAYOUT)


def planned(image: PlantImage, text: str, **choices: object) -> ListPlan:
    page = page_of(text)
    return plan_list(image, page, find_list(page, image.layout), Choices.model_validate(choices))


def brought(database: Database, cache: ImageCache, text: str, **choices: object) -> tuple[Applied, ListPlan]:
    page = page_of(text)
    chosen = Choices.model_validate(choices)
    found = find_list(page, LAYOUT)

    def plan(image: PlantImage) -> ListPlan:
        return plan_list(image, page, found, chosen)

    return apply_plan(database.engine, cache, plan, plan(cache.current()), chosen, "ana", "import list.csv")


def line(plan: ListPlan, tag: str) -> Line:
    return next(line for line in plan.lines if line.tag == tag)


# Headings ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("heading", "target", "unit"),
    [
        ("Tag No", "tag", ""), ("TAG NUMBER", "tag", ""), ("Messstelle", "tag", ""), ("Description", "service", ""),
        ("Beschreibung", "service", ""), ("Descripción", "service", ""), ("LRV", "device_low", ""),
        ("Range min", "device_low", ""), ("Range max [bar]", "device_high", "bar"), ("EU max", "value_high", ""),
        ("Raw Lo", "counts_low", ""), ("Scaled high", "value_high", ""), ("Messbereich", "device_low", ""),
        ("Unit", "device_unit", ""), ("EU", "value_unit", ""), ("Signal type", "signal", ""),
        ("HH alarm", "alarm_hh", ""), ("Alarm limit LL", "alarm_ll", ""), ("High alarm", "alarm_h", ""),
        ("I/O address", "channel", ""), ("Remarks", "notes", ""), ("shunt_ohm", "shunt_ohm", ""),
        ("DEVICE law", "device_law", ""), ("Slot", "part of address: slot", ""), ("Klemme", "strip", ""),
        ("Drawing rev", "", ""), ("Vendor", "", ""), ("Max load weight", "", ""),
    ],
)  # fmt: skip
def test_headings_mean_what_they_say(heading: str, target: str, unit: str) -> None:
    read = read_heading(heading)
    assert (read.target, read.unit) == (target, unit)


def test_every_field_is_known_by_its_own_name_and_by_station_and_label() -> None:
    for field in STORED:
        assert read_heading(field.name).target == field.name
    heads = [read_heading(f"{f.station} {f.label}").target for f in STORED]
    assert heads == [f.name for f in STORED], "no two fields of a station are called the same"


# Layouts -------------------------------------------------------------------------------------------


def test_headings_are_found_below_a_title_and_above_a_group_row() -> None:
    found = found_in(
        "Vallroja Tileworks;;;;\nI/O list of kiln 2, rev C;;;;\n;;;;\n"
        ";;Instrument;;;Engineering;;\nTag;Text;min;max;unit;min;max;unit\nPT-1;gas;0;6;bar;0;600;kPa\n"
    )
    assert found.last == 4
    assert list(found.targets.values()) == [
        "tag",
        "service",
        "device_low",
        "device_high",
        "device_unit",
        "value_low",
        "value_high",
        "value_unit",
    ]


def test_a_list_without_headings_is_told_by_what_its_cells_hold() -> None:
    found = found_in(
        "PT-1,4-20 mA,0-6 bar,KC-2·1·2·1\nPT-2,4-20 mA,0-10 bar,KC-2·1·2·2\nTT-3,Pt100,0-250 °C,KC-2·1·4·1\n"
    )
    assert (found.last, found.headings[0]) == (-1, "column A")
    assert found.targets == {0: "tag", 1: "signal", 2: "device_low", 3: "channel"}


def test_of_several_sheets_the_one_with_the_list_is_taken() -> None:
    pages = (
        Page("cover", (("Vallroja Tileworks",), ("rev", "C"))),
        Page("list", (("Tag", "Service", "Signal"), ("PT-1", "gas", "4-20 mA"))),
    )
    assert find_page(pages, LAYOUT) == 1


def test_an_address_in_four_columns_is_one_channel(database: Database) -> None:
    image = ImageCache(database.engine).current()
    plan = planned(
        image, "Panel,Rack,Slot,Channel no,Tag,Signal\nKC-2,1,2,8,PT-9001,4-20 mA\nKC-2,1,2,,PT-9002,4-20 mA\n"
    )
    assert [c for c in line(plan, "PT-9001").cells if c[0] == "channel"] == [("channel", "", "KC-2·1·2·8")]
    assert all(name != "channel" for name, _, _ in line(plan, "PT-9002").cells)


def test_the_unit_of_a_heading_goes_with_its_figures(database: Database) -> None:
    plan = planned(ImageCache(database.engine).current(), "Tag,Min [bar],Max [bar]\nPT-9001,0,6\n")
    assert {n: v for n, _, v in line(plan, "PT-9001").cells} == {
        "tag": "PT-9001",
        "device_low": "0",
        "device_high": "6",
        "device_unit": "bar",
    }


def test_a_comma_before_three_digits_is_asked_about_and_settled_once(database: Database) -> None:
    image = ImageCache(database.engine).current()
    text = "tag;range max\nPT-9001;1,200\nPT-9002;0,125\n"
    asked = planned(image, text)
    assert asked.counts()["wrong"] == 1
    assert "can be read two ways" in line(asked, "PT-9001").troubles[0][2]
    for comma, value in (("decimal", "1.200"), ("thousands", "1200")):
        settled = planned(image, text, comma=comma)
        assert [str(row["device_high"]) for row in settled.new] == [value, "0.125"]


def test_a_mapping_by_hand_wins_and_an_empty_one_leaves_a_column_out(database: Database) -> None:
    image = ImageCache(database.engine).current()
    plan = planned(image, "tag,vendor,service\nPT-9001,Ormeu,gas\n", columns={1: "device_model", 2: ""})
    assert [name for name, _, _ in line(plan, "PT-9001").cells] == ["tag", "device_model"]


def test_pages_with_their_headings_again_and_lines_without_a_tag_are_left_out(database: Database) -> None:
    image = ImageCache(database.engine).current()
    plan = planned(image, "tag,service\nX-1,one\nKILN 2,\n,a heading\ntag,service\nX-2,two\n")
    assert [(x.row, x.kind) for x in plan.lines if x.kind == "out"] == [(4, "out"), (5, "out")]
    assert plan.counts()["added"] == 3


# What it does --------------------------------------------------------------------------------------


def test_a_dry_run_tells_everything_and_changes_nothing(database: Database) -> None:
    cache = ImageCache(database.engine)
    before = cache.current()
    plan = planned(before, LIST)
    assert plan.counts() == {
        "added": 2,
        "changed": 1,
        "same": 0,
        "out": 0,
        "cells": 2,
        "wrong": 1,
        "unmatched": len(before) - 1,
    }
    assert line(plan, "PT-3107").cells == (
        ("service", "burner gas header pressure", "gas header"),
        ("value_high", "500", "600"),
    )
    assert line(plan, "PT-9002").troubles == (("device_low", "low", "“low” is not a number"),)
    assert cache.current().seq == before.seq


def test_a_list_is_one_change_set_that_can_be_undone_and_redone(database: Database) -> None:
    cache = ImageCache(database.engine)
    before = cache.current()
    done, _ = brought(database, cache, LIST)
    after = cache.current()
    assert done.seq == after.seq == before.seq + 1
    row = after.row_of(int(after.ids[-2]))
    assert [
        after.text(f, row) for f in ("tag", "device_low", "device_high", "device_unit", "device_reference", "channel")
    ] == [
        "PT-9001",
        "0",
        "6",
        "bar",
        "gauge",
        "KC-2·1·2·8",
    ]
    assert after.landed[row]
    assert after.text("value_high", after.row_of(1)) == "600"
    # What another process reads from the database is the same.
    fresh = ImageCache(database.engine).current()
    assert [fresh.text(f.name, row) for f in STORED] == [after.text(f.name, row) for f in STORED]

    undo(database.engine, cache, "ana")
    back = ImageCache(database.engine).current()
    assert back.ids.tolist() == before.ids.tolist()
    assert all((back.cells[f.name] == before.cells[f.name]).all() for f in STORED)

    redo(database.engine, cache, "ana")
    again = ImageCache(database.engine).current()
    assert again.ids.tolist() == after.ids.tolist()
    assert again.text("channel", again.row_of(int(after.ids[-2]))) == "KC-2·1·2·8"


def test_the_same_list_again_is_no_difference(database: Database) -> None:
    cache = ImageCache(database.engine)
    brought(database, cache, LIST)
    plan = planned(cache.current(), LIST)
    assert (plan.counts()["same"], plan.changes, plan.new) == (3, {}, [])


def test_rows_and_cells_stay_out_by_choice(database: Database) -> None:
    image = ImageCache(database.engine).current()
    plan = planned(image, LIST, leave=[3], ours=[{"row": 2, "field": "value_high"}])
    assert line(plan, "PT-9001").says == "left out by choice"
    assert [name for name, _, _ in line(plan, "PT-3107").cells] == ["service"]


def test_a_new_channel_keeps_the_old_one_beside_it(database: Database) -> None:
    image = ImageCache(database.engine).current()
    text = "tag,channel\nPT-3107,KC-2·1·2·8\n"
    assert [c[::2] for c in line(planned(image, text), "PT-3107").cells] == [
        ("channel", "KC-2·1·2·8"),
        ("old_address", "KC-2·1·2·1"),
    ]
    assert len(line(planned(image, text, keep_old=False), "PT-3107").cells) == 1


def test_rows_are_found_by_their_old_address_after_everything_was_renamed(database: Database) -> None:
    cache = ImageCache(database.engine)
    brought(database, cache, "tag,old address\nPT-3107,IW64\n")
    plan = planned(cache.current(), "old address,new tag,service\nIW64,x,renamed\n", match_by="old_address")
    assert line(plan, "PT-3107").cells == (("service", "burner gas header pressure", "renamed"),)


def test_points_that_the_file_does_not_have_go_only_if_that_is_chosen(database: Database) -> None:
    cache = ImageCache(database.engine)
    count = len(cache.current())
    brought(database, cache, LIST)
    assert len(cache.current()) == count + 2
    _, plan = brought(database, cache, LIST, gone=True)
    assert len(plan.unmatched) == count - 1
    assert sorted(cache.current().cells["tag"]) == ["PT-3107", "PT-9001", "PT-9002"]
    undo(database.engine, cache, "ana")
    assert len(cache.current()) == count + 2


def test_a_plant_that_changed_meanwhile_is_planned_again_under_the_lock(database: Database) -> None:
    cache = ImageCache(database.engine)
    page = page_of(LIST)
    found = find_list(page, LAYOUT)
    old = plan_list(cache.current(), page, found)
    apply(database.engine, cache, Proposal((Edit(1, "service", "burner gas header pressure", "gas header"),)), "ben")
    done, plan = apply_plan(
        database.engine, cache, lambda image: plan_list(image, page, found), old, Choices(), "ana", "import"
    )
    assert line(plan, "PT-3107").cells == (("value_high", "500", "600"),)
    assert len(done.preview.cells) == 1


def test_a_new_point_that_somebody_went_on_with_stays_when_the_list_is_undone(database: Database) -> None:
    cache = ImageCache(database.engine)
    brought(database, cache, LIST)
    new = int(cache.current().ids[-1])
    apply(database.engine, cache, Proposal((Edit(new, "area", "", "kiln 1"),)), "ben")
    done = undo(database.engine, cache, "ana")
    assert cache.current().has(new)
    assert (new, "tag") in done.kept


def test_a_channel_that_is_taken_stays_with_its_holder(database: Database) -> None:
    cache = ImageCache(database.engine)
    brought(database, cache, "tag,channel\nPT-9,KC-2 1 2 1\n")
    image = cache.current()
    assert image.landed[image.row_of(1)]
    assert not image.landed[-1]


def test_two_points_may_change_places(database: Database) -> None:
    cache = ImageCache(database.engine)
    brought(database, cache, "tag,channel\nPT-3107,KC-2·1·2·2\nPT-3108,KC-2·1·2·1\n")
    image = ImageCache(database.engine).current()
    assert [image.text("channel", image.row_of(n)) for n in (1, 2)] == ["KC-2·1·2·2", "KC-2·1·2·1"]
    assert image.landed[[image.row_of(1), image.row_of(2)]].all()


def test_many_changed_rows_are_written_as_few_are(database: Database) -> None:
    cache = ImageCache(database.engine)
    tags = list(cache.current().cells["tag"])
    assert len(tags) > 200, "above this a bulk way of writing is used"
    brought(database, cache, "tag,notes,decimals\n" + "".join(f"{tag},of {tag},1\n" for tag in dict.fromkeys(tags)))
    fresh = ImageCache(database.engine).current()
    assert [fresh.text("notes", row) for row in range(len(fresh))] == [f"of {tag}" for tag in tags]


def test_rows_without_tag_or_with_one_twice_are_left_out(database: Database) -> None:
    image = ImageCache(database.engine).current()
    plan = planned(image, "tag,service\n,nameless\nX-1,one\nx-1,two\nX-2,fine\n")
    assert plan.counts()["added"] == 1
    assert [x.row for x in plan.lines if x.kind == "out"] == [2, 3, 4]


def test_a_list_without_tags_is_refused(database: Database) -> None:
    with pytest.raises(SheetError, match="no column is the tag"):
        planned(ImageCache(database.engine).current(), "vendor,service\nOrmeu,b\n")
