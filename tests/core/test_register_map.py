"""The register map: every style of address, what other systems must know, registers given around what is taken; brought back."""

from __future__ import annotations

import csv
import io

import orjson
import pytest
from tests.building.words import layout_with

from canaleta.core.model.conventions import Conventions
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.core.sheet.register_map import MAP_HEADS, given_registers, map_rows
from canaleta.exchange.list_out import as_csv
from canaleta.exchange.register_map import map_sheet, maps_json, plan_map, rows_of_json
from canaleta.plant.changes.seed import stored_row

LAYOUT = layout_with()


def plant(*points: dict[str, str]) -> PlantImage:
    empty = PlantImage.of_rows([{}], LAYOUT, Conventions())
    return PlantImage.of_rows([stored_row(empty, point) for point in points], LAYOUT, empty.conventions)


PT = {"tag": "PT-1", "service": "header", "signal": "4–20 mA", "value_low": "0", "value_high": "10", "value_unit": "bar",
      "value_decimals": "2", "alarm_hh": "9", "published_at": "holding 400 real CDAB", "read_by": "panel 3"}  # fmt: skip
TT = {
    "tag": "TT-2",
    "signal": "4–20 mA",
    "value_unit": "°C",
    "value_type": "INT",
    "value_factor": "10",
    "published_at": "holding 9999 int",
}
LS = {"tag": "LS-3", "signal": "contact NO", "text_0": "clear", "text_1": "blocked", "published_at": "input 7 uint"}


def test_a_row_says_all_that_a_display_needs() -> None:
    """Register 400 is the 401st, 0x190, 40401; the ten-thousandth needs six digits."""
    rows = [dict(zip(MAP_HEADS, row, strict=True)) for row in map_rows(plant(PT, TT, LS))]
    by_tag = {row["tag"]: row for row in rows}
    one = by_tag["PT-1"]
    assert [one[h] for h in ("table", "from 0", "from 1", "hexadecimal", "with the table's digit")] == [
        "holding register", "400", "401", "0x0190", "40401"
    ]  # fmt: skip
    assert [one[h] for h in ("registers", "type", "order", "times", "unit", "decimals", "low", "high", "HH", "when bad", "good at")] == [
        "2", "real", "CDAB", "", "bar", "2", "0", "10", "9", "NaN", "coil 400"
    ]  # fmt: skip
    assert [by_tag["TT-2"][h] for h in ("with the table's digit", "times", "when bad")] == ["410000", "10", "-32768"]
    assert [by_tag["LS-3"][h] for h in ("0 says", "1 says", "when bad", "good at", "unit")] == [
        "clear", "blocked", "65535", "discrete input 7", ""
    ]  # fmt: skip


def csv_rows(image: PlantImage) -> list[list[str]]:
    return list(csv.reader(io.StringIO(b"".join(as_csv(map_sheet(image))).decode("utf-8-sig"))))


def test_what_is_brought_back_unchanged_is_the_same_points() -> None:
    image = plant(PT, TT, LS)
    for rows in (csv_rows(image), rows_of_json(maps_json(image))):
        plan = plan_map(image, rows)
        assert (plan.edits, plan.same, plan.wrong, plan.unmapped) == ((), 3, (), 0)
    bare = plant(*({k: v for k, v in p.items() if k not in ("published_at", "read_by")} for p in (PT, TT, LS)))
    plan = plan_map(bare, csv_rows(image))
    assert {(e.tag, e.field, e.becomes) for e in plan.edits} == {
        ("PT-1", "published_at", "holding 400 real CDAB"), ("PT-1", "read_by", "panel 3"),
        ("TT-2", "published_at", "holding 9999 int"), ("LS-3", "published_at", "input 7 uint"),
    }  # fmt: skip


@pytest.mark.parametrize(
    ("heads", "cells", "becomes"),
    [
        (
            ["Tag", "Address", "Data type", "Byte order"],
            ["pt-1", "40401", "FLOAT32", "CDAB"],
            "holding 400 real CDAB",
        ),
        (["Name", "Modbus address", "Format"], ["PT-1", "400401", "float"], "holding 400 real"),
        (["Name", "Modbus address", "Format"], ["PT-1", "4x401", "int16"], "holding 400 int"),
        (["Variable", "Area", "Offset", "Type"], ["PT-1", "Input registers", "12", "U32"], "input 12 udint"),
        (["tag", "function", "hex address", "type"], ["PT-1", "HR", "1F0h", "word"], "holding 496 uint"),
        (["tag", "table", "register number", "type"], ["PT-1", "holding", "401", "INT"], "holding 400 int"),
        (["tag", "table", "address", "type"], ["PT-1", "holding", "400", "INT"], "holding 400 int"),
    ],
)
def test_maps_of_other_hands_are_read_in_their_own_style(heads: list[str], cells: list[str], becomes: str) -> None:
    plan = plan_map(plant(PT | {"published_at": ""}), [["Register list of panel 3"], [], heads, cells])
    assert [(e.field, e.becomes, e.row) for e in plan.edits if e.field == "published_at"] == [
        ("published_at", becomes, 4)
    ]


def test_doubles_overlaps_and_what_nobody_knows_are_told_and_taken_by_nobody() -> None:
    image = plant(PT, TT, LS)
    heads = ["tag", "published at"]
    plan = plan_map(
        image,
        [heads, ["PT-1", "holding 10 real"], ["TT-2", "holding 11 int"], ["LS-3", "input 1 uint"], ["LS-3", "input 2 uint"],
         ["XX-9", "holding 50 int"], ["", ""]],
    )  # fmt: skip
    assert plan.edits == ()
    assert [(row, tag) for row, tag, _ in plan.wrong] == [
        (2, "PT-1"),
        (3, "TT-2"),
        (4, "LS-3"),
        (5, "LS-3"),
        (6, "XX-9"),
    ]
    assert plan.wrong[0][2] == "its registers are those of TT-2 as well: neither is taken"
    assert plan.unmapped == 3, "what the list has stays"


@pytest.mark.parametrize(
    ("heads", "cells", "says"),
    [
        (["tag", "from 0", "from 1", "type", "table"], ["PT-1", "400", "400", "int", "holding"], "do not agree"),
        (["tag", "from 0", "type"], ["PT-1", "400", "int"], "an input or a holding register"),
        (["tag", "address", "type"], ["PT-1", "40401", "complex"], "is no data type"),
        (["tag", "address", "type", "order"], ["PT-1", "40401", "real", "CDBA"], "is no order of bytes"),
        (["tag", "address", "type"], ["PT-1", "00401", "int"], "is a bit"),
        (["tag", "published at"], ["PT-1", "at 12"], "write where it stands"),
    ],
)
def test_a_line_that_could_mean_two_things_is_left_out_with_its_reason(
    heads: list[str], cells: list[str], says: str
) -> None:
    plan = plan_map(plant(PT), [heads, cells])
    assert plan.edits == ()
    assert says in plan.wrong[0][2]


def test_a_file_that_is_no_map_is_refused_in_words() -> None:
    with pytest.raises(TextError, match="no row has the heads"):
        plan_map(plant(PT), [["a", "b"], ["1", "2"]])
    for data in (b"{", b"3", orjson.dumps({"values": [1]})):
        with pytest.raises(TextError):
            rows_of_json(data)


def test_registers_are_given_around_what_is_taken_and_not_beyond_the_last() -> None:
    image = plant(
        PT | {"published_at": ""},
        TT | {"published_at": "holding 101 int"},
        LS | {"published_at": ""},
        {"tag": "FT-4"},
    )
    assert given_registers(image, range(4), 100, order="CDAB") == [
        (0, "holding 102 real CDAB"), (2, "holding 104 uint"), (3, "holding 105 real CDAB")
    ]  # fmt: skip
    assert given_registers(image, range(4), 65_534, function="input") == [(0, "input 65534 real")]
