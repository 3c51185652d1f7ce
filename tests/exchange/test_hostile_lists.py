"""Files that were never meant well, or went wrong on their way: each gets a sentence or is read as it was meant."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import pytest
import xlsxwriter

from canaleta.exchange.lists.apart import Wish, bring_apart, read_here
from canaleta.exchange.lists.places import Seats
from canaleta.exchange.sheets import SheetError, read_book

HEAD = "tag;service;signal;range\n"


def understood(data: bytes) -> dict[str, Any]:
    return read_here(read_book(data), Wish(Seats(), {}))


@pytest.mark.parametrize(
    ("text", "line", "swallows"),
    [
        (HEAD + 'PT-1;"gas;4-20 mA;0-10 bar\n' + "PT-2;x;4-20 mA;0-6 bar\n" * 5, 2, 5),
        (HEAD + 'PT-1;gas;4-20 mA;0-1 bar\nPT-2;"air;4-20 mA;0-1 bar\nPT-3;"gas;4-20 mA;0-2 bar\n', 3, 1),
    ],
)
def test_an_unclosed_quote_names_its_line_and_what_it_would_swallow(text: str, line: int, swallows: int) -> None:
    with pytest.raises(SheetError, match=f"^line {line} opens a quote .*swallow the {swallows} lines"):
        read_book(text.encode())


def test_a_quote_over_two_lines_that_is_closed_is_one_cell() -> None:
    (page,) = read_book((HEAD + 'PT-1;"gas\nheader";4-20 mA;0-10 bar\n').encode())
    assert page.rows[1] == ("PT-1", "gas header", "4-20 mA", "0-10 bar")


def test_two_encodings_in_one_file_are_told_with_their_rows() -> None:
    data = (HEAD + "PT-1;Gerät;Pt100;0-250 °C\n").encode() + "PT-2;Zähler;Pt100;0-80 °C\n".encode("cp1252")
    (page,) = read_book(data)
    assert [row[1] for row in page.rows[1:]] == ["Gerät", "Zähler"]
    assert [(told.code, told.rows) for told in page.told] == [("encodings", (3,))]


def test_letters_mangled_on_the_way_are_read_as_they_were_meant_and_told() -> None:
    mangled = "PT-1;Gerät;Pt100;0-250 °C\n".encode().decode("cp1252")
    (page,) = read_book((HEAD + mangled).encode())
    assert page.rows[1][1::2] == ("Gerät", "0-250 °C")
    assert [(told.code, told.rows) for told in page.told] == [("mangled", (2,))]


def test_a_text_in_sixteen_bits_without_its_mark_is_read() -> None:
    text = HEAD + "PT-1;gas;4-20 mA;0-10 bar\n" * 20
    assert read_book(text.encode("utf-16-le"))[0].rows[1][0] == "PT-1"


def workbook() -> bytes:
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out)
    page = book.add_worksheet("list")
    percent = book.add_format({"num_format": "0%"})
    day = book.add_format({"num_format": "dd.mm.yyyy"})
    for column, head in enumerate(("Tag", "Service", "Signal", "Low", "High", "Unit", "Checked on", "Alarm H")):
        page.write(0, column, head)
    for row, tag in enumerate(("PT-1", "PT-2", "PT-3"), start=1):
        page.write_row(row, 0, (tag, f"pressure {row}", "4-20 mA", 0, 12.345, "%"))
        page.write_number(row, 6, 46000, day)
    page.write_formula(1, 4, "=1/0", None, "#DIV/0!")
    page.write_formula(2, 4, "=A1", None, "")
    page.write_number(3, 7, 0.5, percent)
    page.merge_range(1, 8, 3, 8, "kiln 2")
    page.write(0, 8, "Area")
    book.close()
    return out.getvalue()


def test_formulas_that_failed_are_told_and_their_cells_are_not_read_as_empty_or_nought() -> None:
    (page,) = read_book(workbook())
    assert page.rows[1][4] == "#DIV/0!"
    assert [(told.code, told.rows) for told in page.told] == [("formulas", (2,))]
    (table,) = understood(workbook())["tables"]
    assert [(d["target"], d["code"]) for d in table["doubts"]["0"]] == [("device_high", "error")]
    assert table["fields"]["device_high"][0] == ""


def test_a_number_of_a_workbook_is_what_it_is_and_a_share_is_shown_as_percent() -> None:
    (table,) = understood(workbook())["tables"]
    # 12.345 as a cell's own number is no twelve thousand, whatever a comma means elsewhere.
    assert table["fields"]["device_high"][2] == "12.345"
    assert table["fields"]["alarm_h"][2] == "50", "what the sheet shows as 50 %"
    assert table["fields"]["area"] == ["kiln 2"] * 3, "cells joined downwards hold for each of their rows"
    assert [c["target"] for c in table["columns"] if c["heading"] == "Checked on"] == [""]


@pytest.mark.parametrize(
    "data",
    [
        b"\xff\xfe" + b"\x00\xd8" * 40,
        b"PK\x03\x04" + b"\0" * 4000,
        b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\xff" * 4000,
        b"<html><table><tr><td>tag</td></tr></table></html>",
        b"%PDF-1.7 nothing",
        b"\x00" * 4000,
        b'"' * 5000,
        b";" * 250 + b"\n",
        ("\u202e" * 3000).encode(),
        b"tag\n" * 50_000,
        b"=cmd|' /C calc'!A0;service\n" * 10,
        ("tag;service\n" + "".join(f"{'a' * 3000};{'b' * 3000}\n" for _ in range(50))).encode(),
        b"\n".join(b"tag;service;signal" for _ in range(3000)),
        b"tag;tag;tag;tag\nPT-1;PT-1;PT-1;PT-1\n",
        ("tag;service\n" + "PT-1;" + "é" * 3900 + "\n").encode(),
        b"1;2;3\n4;5;6\n7;8;9\n",
        b"Tag;Range\nPT-1;" + b"0-" * 500 + b"\n",
        b"Tag;Signal\nPT-1;" + b"(" * 500 + b"\n",
    ],
    ids=map(str, range(18)),
)
def test_a_hostile_file_gets_a_sentence_or_is_read_and_never_ends_anything_else(data: bytes) -> None:
    says = ""
    try:
        read = bring_apart(data, Wish(Seats(), {})).understood
    except SheetError as error:
        read, says = {"questions": []}, str(error)
    assert not says or 10 < len(says) < 700
    assert "more memory" not in says, "the child ended: nobody knows why"
    assert len(read["questions"]) <= 4


def test_a_part_of_a_workbook_that_lies_about_its_size_is_measured() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("[Content_Types].xml", b"<x/>")
        packed.writestr("xl/worksheets/sheet1.xml", b" " * (201 * 1024 * 1024))
    with pytest.raises(SheetError, match="more than 200 MB: save the list alone"):
        bring_apart(out.getvalue(), Wish(Seats(), {}))


def test_advice_fits_the_kind_of_file() -> None:
    with pytest.raises(SheetError, match="save it as XLSX again, or as CSV"):
        read_book(b"PK\x03\x04" + b"x" * 100)
