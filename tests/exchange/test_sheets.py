"""Files from outside: what they may look like, what is refused and in which words; and the child that reads them."""

from __future__ import annotations

import csv
import io
import struct
import zipfile
from collections.abc import Iterator, Sequence

import pytest
import xlsxwriter

from canaleta.exchange.lists.apart import Wish, bring_apart, unpacked_pages
from canaleta.exchange.lists.places import Seats
from canaleta.exchange.sheets import Page, SheetError, read_book
from canaleta.exchange.workbook import Form, Sheet, as_workbook, streamed_workbook


def workbook(*sheets: Sequence[Sequence[object]]) -> bytes:
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out)
    for rows in sheets:
        page = book.add_worksheet()
        for r, row in enumerate(rows):
            for c, cell in enumerate(row):
                page.write(r, c, cell)
    book.close()
    return out.getvalue()


def read_apart(data: bytes) -> tuple[Page, ...]:
    """The sheets of a file as the child read them."""
    return unpacked_pages(bring_apart(data, Wish(Seats(), {})).packed)


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, data in files.items():
            packed.writestr(name, data)
    return out.getvalue()


@pytest.mark.parametrize("mark", [",", ";", "\t", "|"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "cp1252", "utf-16"])
def test_cells_are_told_apart_whatever_stands_between_them(mark: str, encoding: str) -> None:
    text = io.StringIO()
    rows = [["tag", "service", "range"], ["T-1", f"größe{mark} 20 °C\nzweite", "0,5"], ["T-2", "x", "1"]]
    csv.writer(text, delimiter=mark).writerows(rows)
    (page,) = read_book(text.getvalue().encode(encoding))
    kept = f"größe{mark} 20 °C zweite".replace("\t ", " ")
    assert page.rows[1] == ("T-1", kept, "0,5"), "one line, its blanks told as one"
    assert len(page.rows) == 3


def test_a_workbook_has_figures_as_they_are_and_every_sheet_that_holds_something() -> None:
    data = workbook([["tag", "low", "share", "yes"], ["PT-1", 6.0, 0.1, True]], [], [["other"]])
    first, last = read_book(data)
    assert first.rows[1] == ("PT-1", "6", "0.1", "yes")
    assert (first.name, last.name, last.rows) == ("Sheet1", "Sheet3", (("other",),))


def test_what_an_export_kept_from_being_computed_is_itself_again() -> None:
    assert read_book(b"tag,service\nT-1,'=now()\n")[0].rows[1][1] == "=now()"
    assert read_book(workbook([["tag", "service"], ["T-1", "=1+1"]]))[0].rows[1][1] in ("0", "2"), (
        "a formula's result"
    )


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "the file is empty"),
        (b"   \n", "the file is empty"),
        (b"tag\nT\0-1\n", "neither text nor a workbook"),
        (b"tag," * 301 + b"x\nx\n", "at most 200000 of 300"),
        (b"tag\n" + b"x" * 5000, "more than 4000 characters: it begins with “xxx"),
        (zipped({"letter.txt": b"hello"}), "an archive, not a workbook"),
        (
            zipped({"[Content_Types].xml": b"<x/>", "a": b"\0" * 210 * 1024 * 1024}),
            "unpacked, the file has more than 200 MB",
        ),
        (b"PK\x03\x04 and then nothing that fits", "is damaged"),
        (zipped({"[Content_Types].xml": b"<x/>"}), "cannot be read"),
        (
            zipped(
                {"[Content_Types].xml": b"", "xl/worksheets/sheet1.xml": b'<row r="1048576"><c r="A1048576"/></row>'}
            ),
            "cells below row 200000",
        ),
        (
            zipped({"[Content_Types].xml": b"", "xl/worksheets/sheet1.xml": b'<row r="1"><c r="XFD1"/></row>'}),
            "cells beyond column 300",
        ),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 600, "cannot be read"),
    ],
    # Bytes are no names: those of an archive hold the time it was made, and each worker makes its own.
    ids=map(str, range(12)),
)
def test_files_that_are_no_list_get_a_sentence(data: bytes, says: str) -> None:
    with pytest.raises(SheetError, match=says):
        read_apart(data)


@pytest.mark.parametrize("form", ["xlsx", "ods"])
def test_what_is_written_is_read_again_whatever_is_in_it(form: Form) -> None:
    """Signs of markup, characters that XML does not have, blanks at the ends, figures that are none."""
    rows = [
        ("PT-1", "<a & b>", "12.50"),
        ("PT-2", "x\x01y", "-3"),
        ("PT-3", " two  blanks ", "1e5"),
        ("PT-4", "", ""),
    ]
    sheet = Sheet(
        "li<s>t", ["POINT", "POINT", "VALUE"], ["tag", "service", "low"], [9, 9, 9], [False, False, True], rows
    )
    empty = Sheet("empty", [""], ["tag"], [9], [False], [])
    (page, heads) = read_book(as_workbook([sheet, empty], form))
    assert page.name == "li<s>t"
    assert [row[:3] for row in page.rows[2:]] == [
        ("PT-1", "<a & b>", "12.5"), ("PT-2", "xy", "-3"), ("PT-3", "two blanks", "1e5"), ("PT-4", "", ""),
    ]  # fmt: skip
    assert heads.rows == (("tag",),)


def test_a_workbook_comes_while_its_rows_are_taken_and_a_fault_of_theirs_is_told() -> None:
    taken = []

    def rows() -> Iterator[tuple[str]]:
        for number in range(5000):
            taken.append(number)
            yield (f"PT-{number}",)
        raise LookupError("the rest is gone")

    pieces = streamed_workbook([Sheet("list", [""], ["tag"], [9], [False], rows())])
    with pytest.raises(LookupError, match="the rest is gone"):
        list(pieces)
    assert len(taken) == 5000


def test_a_locked_workbook_asks_for_its_password_to_be_taken_away() -> None:
    data = bytearray(workbook([["tag"]]))
    # The flag that the entry is encrypted, in the central directory of the archive.
    at = data.find(b"PK\x01\x02")
    data[at + 8 : at + 10] = struct.pack("<H", struct.unpack("<H", data[at + 8 : at + 10])[0] | 1)
    with pytest.raises(SheetError, match="locked with a password"):
        read_book(bytes(data))


def test_the_child_reads_what_the_reader_reads() -> None:
    data = workbook([["tag", "service"], ["T-1", "größe"]])
    assert read_apart(data) == read_book(data)
    assert read_apart(b"tag;service\nT-1;x\n") == read_book(b"tag;service\nT-1;x\n")


def test_an_open_document_sheet_is_read_as_well() -> None:
    cells = [["tag", "service"], ["PT-1", "gas"]]
    rows = "".join(
        "<table:table-row>"
        + "".join(
            f'<table:table-cell office:value-type="string"><text:p>{c}</text:p></table:table-cell>' for c in row
        )
        + "</table:table-row>"
        for row in cells
    )
    names = "".join(
        f' xmlns:{short}="urn:oasis:names:tc:opendocument:xmlns:{short}:1.0"' for short in ("office", "table", "text")
    )
    content = (
        f'<?xml version="1.0"?><office:document-content{names} office:version="1.2"><office:body><office:spreadsheet>'
        f'<table:table table:name="points">{rows}</table:table></office:spreadsheet></office:body></office:document-content>'
    )
    files = {
        "mimetype": b"application/vnd.oasis.opendocument.spreadsheet",
        "content.xml": content.encode(),
        "META-INF/manifest.xml": b'<?xml version="1.0"?><manifest:manifest '
        b'xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
    }
    (page,) = read_apart(zipped(files))
    assert (page.name, page.rows) == ("points", (("tag", "service"), ("PT-1", "gas")))
