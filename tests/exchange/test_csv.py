"""Lists as CSV: how columns are read, what is new, what changes, what is told; and the child that reads them."""

import csv
import io

import pytest
from tests.conftest import Database

from canaleta.core.fields import STORED
from canaleta.exchange.bring_in import bring_in, plan_list
from canaleta.exchange.csv_list import CsvError, columns_of, read_csv, read_csv_apart
from canaleta.plant.keeper import PlantKeeper
from canaleta.plant.undo import redo, undo

LIST = """tag;service;signal;range low;URV;range unit;channel;input mode;eu low;eu high;eu;vendor
PT-3107;gas header;4-20 mA;0;600;mbar;KC-2·1·2·1;4–20 mA;0;600;mbar;Ormeu
PT-9001;a new one;4 to 20 mA;0-6 bar(g);;;KC-2·1·2·8;4–20 mA;0;6;bar;Ormeu
PT-9002;its range is odd;4-20 mA;low;10;bar;;;0;10;bar;
"""


def test_headers_are_known_by_name_label_and_synonym() -> None:
    columns, unknown = columns_of(
        ("Tag No", "Description", "LRV", "upper", "VALUE unit", "DEVICE law", "shunt_ohm", "tag")
    )
    assert {at: f.name for at, f in columns.items()} == {
        0: "tag", 1: "service", 2: "device_low", 4: "value_unit", 5: "device_law", 6: "shunt_ohm",
    }  # fmt: skip
    assert unknown == ["upper", "tag"]


def test_every_field_has_a_header_of_its_own() -> None:
    columns, unknown = columns_of(tuple(f.name for f in STORED))
    assert (len(columns), unknown) == (len(STORED), [])


@pytest.mark.parametrize("mark", [",", ";", "\t"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "cp1252"])
def test_cells_apart_by_comma_semicolon_or_tab_in_either_encoding(mark: str, encoding: str) -> None:
    text = io.StringIO()
    csv.writer(text, delimiter=mark).writerows([["tag", "service"], ["T-1", f"größe{mark} 20 °C\nzweite"], ["T-2"]])
    sheet = read_csv(text.getvalue().encode(encoding))
    assert sheet.rows == (("T-1", f"größe{mark} 20 °C\nzweite"), ("T-2", ""))


def test_a_cell_kept_from_being_computed_is_itself_again() -> None:
    assert read_csv(b"tag,service\nT-1,'=now()\n").rows[0][1] == "=now()"


@pytest.mark.parametrize(
    ("data", "says"),
    [(b"", "a line of headers"), (b"tag\n", "at least one point"), (b"tag\nT\0-1\n", "not text"),
     (b"tag," * 301 + b"\nx\n", "at most 200000 of 300"), (b"tag\n" + b"x" * 5000, "more than 4000 characters")],
)  # fmt: skip
def test_files_that_are_no_list_are_told(data: bytes, says: str) -> None:
    with pytest.raises(CsvError, match=says):
        read_csv(data)
    with pytest.raises(CsvError, match=says):
        read_csv_apart(data)


def test_the_child_reads_what_the_reader_reads() -> None:
    assert read_csv_apart(LIST.encode()) == read_csv(LIST.encode())


def test_a_dry_run_tells_everything_and_changes_nothing(database: Database) -> None:
    keeper = PlantKeeper(database.engine)
    before = keeper.current()
    said = plan_list(before, read_csv(LIST.encode())).said
    assert (said.added, said.changed, said.cells, said.same) == (2, 1, 2, 0)
    assert said.ignored == ("vendor",)
    assert [(t.row, t.header, t.typed) for t in said.troubles] == [(4, "range low", "low")]
    assert keeper.current().seq == before.seq


def test_a_list_is_one_change_set_that_can_be_undone_and_redone(database: Database) -> None:
    keeper = PlantKeeper(database.engine)
    before = keeper.current()
    done = bring_in(database.engine, keeper, read_csv(LIST.encode()), "ana", "import list.csv")
    after = keeper.current()
    assert done.seq == after.seq == before.seq + 1
    row = after.row_of(int(after.ids[-2]))
    assert [after.text(f, row) for f in ("tag", "device_low", "device_high", "device_unit", "device_reference", "channel")] == [
        "PT-9001", "0", "6", "bar", "gauge", "KC-2·1·2·8",
    ]  # fmt: skip
    assert after.landed[row]
    assert after.text("value_high", after.row_of(1)) == "600"
    # What another process reads from the database is the same.
    fresh = PlantKeeper(database.engine).current()
    assert [fresh.text(f.name, row) for f in STORED] == [after.text(f.name, row) for f in STORED]

    undo(database.engine, keeper, "ana")
    back = PlantKeeper(database.engine).current()
    assert back.ids.tolist() == before.ids.tolist()
    assert all((back.cells[f.name] == before.cells[f.name]).all() for f in STORED)

    redo(database.engine, keeper, "ana")
    again = PlantKeeper(database.engine).current()
    assert again.ids.tolist() == after.ids.tolist()
    assert again.text("channel", again.row_of(int(after.ids[-2]))) == "KC-2·1·2·8"


def test_a_new_point_that_somebody_went_on_with_stays_when_the_list_is_undone(database: Database) -> None:
    from canaleta.plant.proposals import Edit, Proposal, apply

    keeper = PlantKeeper(database.engine)
    bring_in(database.engine, keeper, read_csv(LIST.encode()), "ana", "import")
    new = int(keeper.current().ids[-1])
    apply(database.engine, keeper, Proposal((Edit(new, "area", "", "kiln 1"),)), "ben")
    done = undo(database.engine, keeper, "ana")
    assert keeper.current().has(new)
    assert (new, "tag") in done.kept


def test_a_channel_that_is_taken_stays_with_its_holder(database: Database) -> None:
    keeper = PlantKeeper(database.engine)
    bring_in(database.engine, keeper, read_csv(b"tag,channel\nPT-9,KC-2 1 2 1\n"), "ana", "import")
    image = keeper.current()
    assert image.landed[image.row_of(1)]
    assert not image.landed[-1]


def test_rows_without_tag_or_with_one_twice_are_left_out(database: Database) -> None:
    image = PlantKeeper(database.engine).current()
    said = plan_list(image, read_csv(b"tag,service\n,nameless\nX-1,one\nx-1,two\nX-2,fine\n")).said
    assert said.added == 1
    assert [t.row for t in said.troubles] == [2, 3, 4]


def test_a_list_without_tags_is_refused(database: Database) -> None:
    with pytest.raises(CsvError, match="no column is the tag"):
        plan_list(PlantKeeper(database.engine).current(), read_csv(b"vendor,service\nA,b\n"))
