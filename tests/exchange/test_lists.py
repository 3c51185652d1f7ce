"""Lists laid out in any way: what columns mean, what is new, what changes, what is told; one change set or
nothing."""

from __future__ import annotations

from typing import Any

import pytest
from tests.building.database import Database

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.core.model.fields import STORED
from canaleta.core.model.image import PlantImage
from canaleta.exchange.bring_in import Choices, Line, ListPlan, apply_plan, plan_list
from canaleta.exchange.lists.apart import Wish, read_here
from canaleta.exchange.lists.headings import read_heading
from canaleta.exchange.lists.memory import look
from canaleta.exchange.lists.places import Seats
from canaleta.exchange.sheets import Page, SheetError, read_book
from canaleta.plant.changes.apply import Applied, Edit, Proposal, apply
from canaleta.plant.changes.undo import redo, undo
from canaleta.plant.records.image_cache import ImageCache

LAYOUT = layout_of(demo_plant())
SEATS = Seats.of(LAYOUT)
LIST = """tag;service;signal;range low;URV;range unit;channel;input mode;eu low;eu high;eu;vendor
PT-3107;gas header;4-20 mA;0;600;mbar;KC-2·1·2·1;4–20 mA;0;600;mbar;Ormeu
PT-9001;a new one;4 to 20 mA;0-6 bar(g);;;KC-2·1·2·8;4–20 mA;0;6;bar;Ormeu
PT-9002;its range is odd;4-20 mA;low;10;bar;;;0;10;bar;
"""


def understood(text: str | tuple[Page, ...], **choices: Any) -> dict[str, Any]:
    pages = read_book(text.encode()) if isinstance(text, str) else text
    chosen = Choices.model_validate(choices)
    return read_here(pages, Wish(SEATS, chosen.answers, chosen.sheet, chosen.header, by=chosen.match_by))


def targets(text: str, table: int = 0) -> dict[str, str]:
    """{head: what it is taken for} of a list."""
    columns = understood(text)["tables"][table]["columns"]
    return {column["heading"]: column["target"] for column in columns}


def planned(image: PlantImage, text: str, **choices: Any) -> ListPlan:
    return plan_list(image, understood(text, **choices), Choices.model_validate(choices))


def brought(database: Database, cache: ImageCache, text: str, **choices: Any) -> tuple[Applied, ListPlan]:
    read, chosen = understood(text, **choices), Choices.model_validate(choices)

    def plan(image: PlantImage) -> ListPlan:
        return plan_list(image, read, chosen)

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
        ("Raw Lo", "counts_low", ""), ("Scaled high", "value_high", ""), ("Messbereich", "device_range", ""),
        ("Unit", "device_unit", ""), ("Signal type", "signal", ""), ("Plage de mesure", "device_range", ""),
        ("HH alarm", "alarm_hh", ""), ("Alarm limit LL", "alarm_ll", ""), ("High alarm", "alarm_h", ""),
        ("Seuil très haut", "alarm_hh", ""), ("Umbral muy bajo", "alarm_ll", ""), ("Alarm H (bar)", "alarm_h", "bar"),
        ("I/O address", "channel", ""), ("Remarks", "notes", ""), ("shunt_ohm", "shunt_ohm", ""),
        ("DEVICE law", "device_law", ""), ("Slot", "part of address: slot", ""), ("Klemme", "strip", ""),
        ("Rk/Sl/Ch", "channel", ""), ("Borna +", "terminal: first", ""), ("Messstelle / Tag", "tag", ""),
        ("Range, bar", "device_range", "bar"), ("Min [°C]", "device_low", "°C"), ("Messbereich von", "device_low", ""),
        ("Vendor", "no field: a maker", ""), ("Drawing No", "no field: a drawing", ""), ("Max load weight", "", ""),
    ],
)  # fmt: skip
def test_heads_mean_what_they_say(heading: str, target: str, unit: str) -> None:
    read = read_heading(heading)
    assert (read.best, read.unit) == (target, unit)


@pytest.mark.parametrize(
    ("heading", "may_be"),
    [
        ("Type", {"io class", "signal", "no field: what kind of device it is"}),
        ("EU", {"device_unit", "value_unit"}),
        ("Designation", {"tag", "service"}),
        ("L", {"alarm_l"}),
        ("Kanal", {"channel", "part of address: channel"}),
        ("Low", {"device_low", "value_low", "alarm_l"}),
    ],
)
def test_heads_that_may_mean_several_things_say_so(heading: str, may_be: set[str]) -> None:
    assert may_be <= set(read_heading(heading).meanings)


def test_every_field_is_known_by_its_own_name_and_by_station_and_label() -> None:
    for field in STORED:
        assert read_heading(field.name).best == field.name
    heads = [read_heading(f"{f.station} {f.label}").best for f in STORED]
    assert heads == [f.name for f in STORED], "no two fields of a station are called the same"


# Layouts -------------------------------------------------------------------------------------------


def test_heads_are_found_below_a_title_and_under_heads_of_groups() -> None:
    text = (
        "Vallroja Tileworks;;;;\nI/O list of kiln 2, rev C;;;;\n;;;;\n"
        ";;Instrument;;;Engineering;;\nTag;Text;min;max;unit;min;max;unit\nPT-1;gas;0;6;bar;0;600;kPa\n"
    )
    (table,) = understood(text)["tables"]
    assert table["heads"] == [3, 5]
    assert [column["target"] for column in table["columns"]] == [
        "tag",
        "service",
        "device_low",
        "device_high",
        "device_unit",
        "value_low",
        "value_high",
        "value_unit",
    ]


def test_a_list_without_heads_is_told_by_what_its_cells_hold() -> None:
    text = "PT-1,4-20 mA,0-6 bar,KC-2·1·2·1\nPT-2,4-20 mA,0-10 bar,KC-2·1·2·2\nTT-3,Pt100,0-250 °C,KC-2·1·4·1\n"
    assert targets(text) == {
        "column A": "tag",
        "column B": "signal",
        "column C": "device_range",
        "column D": "channel",
    }


def test_the_row_of_the_heads_can_be_said_and_must_be_there() -> None:
    text = "some;words;here\nTag;Service;Signal\nPT-1;gas;4-20 mA\n"
    assert understood(text, header=1)["tables"][0]["heads"] == [1, 2]
    bare = "PT-1;gas;4-20 mA\nPT-2;air;4-20 mA\n"
    assert understood(bare, sheet=0, header=-1)["tables"][0]["data"] == [0, 2]
    with pytest.raises(SheetError, match="has 3 rows: choose the row"):
        understood(text, header=700)
    with pytest.raises(SheetError, match="has 1 sheet:"):
        understood(text, sheet=7)


def test_sheets_that_are_no_list_are_told_and_left_alone() -> None:
    pages = (
        Page("cover", (("Vallroja Tileworks",), ("rev", "C"))),
        Page("list", (("Tag", "Service", "Signal"), ("PT-1", "gas", "4-20 mA"))),
    )
    read = understood(pages)
    assert [table["name"] for table in read["tables"]] == ["list"]
    assert [beside[1] for beside in read["beside"]] == ["cover"]


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
    # 0,125 in the same file marks decimals: 1,200 is 1.2 then. Alone, it could be either.
    assert [str(row["device_high"]) for row in planned(image, text).new] == ["1.200", "0.125"]
    text = "tag;range max\nPT-9001;1,200\nPT-9002;125\n"
    asked = planned(image, text)
    assert asked.counts()["wrong"] == 1
    assert "can be read two ways" in line(asked, "PT-9001").troubles[0][2]
    assert [q["id"] for q in understood(text)["questions"]] == ["figures_comma@file"]
    for said, value in (("decimal", "1.200"), ("thousands", "1200")):
        settled = planned(image, text, answers={"figures_comma@file": said})
        assert [str(row["device_high"]) for row in settled.new] == [value, "125"]


def test_a_mapping_by_hand_wins_and_an_empty_one_leaves_a_column_out(database: Database) -> None:
    image = ImageCache(database.engine).current()
    plan = planned(
        image,
        "tag,vendor,service\nPT-9001,Ormeu,gas\n",
        answers={"column@vendor~words": "device_model", "column@service~words": "left out"},
    )
    assert [name for name, _, _ in line(plan, "PT-9001").cells] == ["tag", "device_model"]


def test_pages_with_their_headings_again_and_lines_without_a_tag_are_left_out(database: Database) -> None:
    image = ImageCache(database.engine).current()
    plan = planned(image, "tag,service\nX-1,one\nKILN 2,\n,a heading\ntag,service\nX-2,two\n")
    assert [(x.row, x.kind) for x in plan.lines if x.kind == "out"] == [(3, "out"), (4, "out"), (5, "out")]
    assert [x.code for x in plan.lines if x.kind == "out"] == ["group", "group", "heads"]
    assert plan.counts()["added"] == 2


# What it does --------------------------------------------------------------------------------------


def test_a_dry_run_tells_everything_and_changes_nothing(database: Database) -> None:
    cache = ImageCache(database.engine)
    before = cache.current()
    plan = planned(before, LIST)
    assert plan.counts() == {
        "added": 2,
        "changed": 1,
        "same": 0,
        "renamed": 0,
        "out": 0,
        "cells": 2,
        "wrong": 1,
        "unmatched": len(before) - 1,
    }
    assert line(plan, "PT-3107").cells == (
        ("service", "burner gas header pressure", "gas header"),
        ("value_high", "500", "600"),
    )
    assert line(plan, "PT-9002").troubles == (("device_low", "low", "“low” is not a number", "figure"),)
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
    plan = planned(image, LIST, leave=[{"row": 3}], ours=[{"row": 2, "field": "value_high"}])
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
    read = understood(LIST)
    old = plan_list(cache.current(), read)
    apply(database.engine, cache, Proposal((Edit(1, "service", "burner gas header pressure", "gas header"),)), "ben")
    done, plan = apply_plan(
        database.engine, cache, lambda image: plan_list(image, read), old, Choices(), "ana", "import"
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
    with pytest.raises(SheetError, match="no sheet of the file holds a list of points"):
        planned(ImageCache(database.engine).current(), "vendor,service\nOrmeu,b\n")


# Second issues of a list ------------------------------------------------------------------------------


def test_equal_figures_are_equal_however_they_are_typed(database: Database) -> None:
    image = ImageCache(database.engine).current()
    plan = planned(image, "tag;range low;range high;value high\nPT-3107;0.0;600.00;500.0\n")
    assert plan.counts()["same"] == 1


RENAMED = "tag,service,channel\nPT-3999,burner gas header pressure,KC-2·1·2·1\nPT-3108,furnace draught,KC-2·1·2·2\n"


def test_a_renamed_tag_is_proposed_and_nothing_becomes_of_it_until_it_is_said(database: Database) -> None:
    image = ImageCache(database.engine).current()
    plan = planned(image, RENAMED)
    told = line(plan, "PT-3999")
    assert (told.kind, told.point, told.cells) == ("renamed", 1, (("tag", "PT-3107", "PT-3999"),))
    assert plan.new == []
    assert plan.changes == {}
    assert 1 not in plan.unmatched, "it may be this one: it is not taken away with what the file does not have"


def test_renamed_tags_are_joined_by_one_choice_or_one_by_one_or_stay_apart(database: Database) -> None:
    cache = ImageCache(database.engine)
    joined = planned(cache.current(), RENAMED, renamed="joined")
    assert line(joined, "PT-3107").cells == (("tag", "PT-3107", "PT-3999"),)
    assert planned(cache.current(), RENAMED, joined=[{"row": 2}]).changes == joined.changes
    apart = planned(cache.current(), RENAMED, renamed="new")
    assert line(apart, "PT-3999").kind == "added"
    brought(database, cache, RENAMED, renamed="joined")
    assert cache.current().text("tag", 0) == "PT-3999"
    assert len(cache.current()) == len(ImageCache(database.engine).current())


def test_another_service_on_the_same_channel_is_no_rename(database: Database) -> None:
    plan = planned(ImageCache(database.engine).current(), "tag,service,channel\nPT-3999,something else,KC-2·1·2·1\n")
    assert line(plan, "PT-3999").kind == "added"


# Several lists of one file ------------------------------------------------------------------------------


def test_what_two_sheets_say_of_one_point_is_joined_and_a_contradiction_is_told(database: Database) -> None:
    pages = (
        Page("points", (("Tag", "Service", "Signal"), ("X-1", "gas", "4-20 mA"), ("X-2", "air", "4-20 mA"))),
        Page("cables", (("Tag", "Cable", "Service"), ("X-1", "W-1", "gas"), ("X-2", "W-2", "water"))),
    )
    plan = plan_list(ImageCache(database.engine).current(), understood(pages))
    assert {n: v for n, _, v in line(plan, "X-1").cells}["cable"] == "W-1"
    assert [t[0] for t in line(plan, "X-2").troubles] == ["service"]
    assert {n: v for n, _, v in line(plan, "X-2").cells}["service"] == "air", "the first one stands"
    assert [(x.sheet, x.code) for x in plan.lines if x.kind == "out"] == [(1, "joined"), (1, "joined")]


def test_a_reason_is_told_once_however_many_rows_it_touches(database: Database) -> None:
    rows = "".join(f"X-{n},25 bar,4-20 mA\n" for n in range(60))
    plan = planned(ImageCache(database.engine).current(), f"tag,range,signal\n{rows}")
    assert [(r["code"], r["cells"], r["asked"]) for r in plan.reasons()] == [("alone", 60, True)]


# What was answered is remembered by the look ------------------------------------------------------------

CONTRACTOR = "Tag;Was es ist;Signal;Bereich\nPT-1;Gas;24 V DC;0-10 bar\nPT-2;Luft;24 V DC;0-6 bar\n"
ANSWERS = {"form@signal~signal": "NC", "column@wasesist~words": "service"}


def look_of_list(text: str) -> dict[str, Any]:
    return {
        "name": "contractor",
        "look": look([t["columns"] for t in understood(text)["tables"]]),
        "answers": ANSWERS,
    }


def test_a_list_that_looks_so_is_read_so(database: Database) -> None:
    kept = look_of_list(CONTRACTOR)
    again = read_here(read_book(CONTRACTOR.replace("PT-", "LT-").encode()), Wish(SEATS, {}, looks=[kept]))
    assert again["recalled"] == "contractor"
    assert again["tables"][0]["fields"]["service"] == ["Gas", "Luft"]
    assert again["tables"][0]["fields"]["signal"] == ["contact NC", "contact NC"]


def test_its_heads_may_have_been_renamed() -> None:
    kept = look_of_list(CONTRACTOR)
    text = CONTRACTOR.replace("Was es ist", "Wozu").replace("Bereich", "Messbereich")
    again = read_here(read_book(text.encode()), Wish(SEATS, {}, looks=[kept]))
    assert again["recalled"] == "contractor"
    assert again["tables"][0]["fields"]["service"] == ["Gas", "Luft"]


def test_another_list_is_not_read_so() -> None:
    kept = look_of_list(CONTRACTOR)
    other = "tag,vendor,checked on\nX-1,Ormeu,2026-01-01\n"
    assert read_here(read_book(other.encode()), Wish(SEATS, {}, looks=[kept]))["recalled"] == ""
