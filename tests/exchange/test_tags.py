"""Prints for whoever does not see them: every word belongs to an element or is decoration, tables have rows and heads, drawings
have words (ISO 32000-1, 14.7 and 14.8). Read by a library of other hands than the one that writes."""

from __future__ import annotations

import io
from collections.abc import Iterator
from functools import lru_cache
from typing import Any

import numpy as np
import pytest
from pypdf import PdfReader
from pypdf.generic import ContentStream, DictionaryObject
from tests.building.planted import demo_image

from canaleta.exchange.list_print import Issue, printed_list
from canaleta.exchange.pages import Page
from canaleta.exchange.prints import paper
from canaleta.exchange.prints.documents import DOCUMENTS, printed
from canaleta.exchange.prints.labels import Stock, labels
from canaleta.exchange.prints.paper import About

ABOUT = About("Vallroja Tileworks", "A", "2026-12-01", (("issued", "bru"),))
SHOWS = {b"Tj", b"TJ", b"'", b'"'}
PAINTS = {b"f", b"F", b"f*", b"B", b"B*", b"b", b"b*", b"S", b"s", b"Do"}


@lru_cache(maxsize=1)
def plant() -> Any:
    return demo_image()


def grid() -> bytes:
    """A table of ours that goes on over pages, with a cell of several lines, and a paragraph that does."""
    page = Page()
    page.add_page()
    page.words("a heading", 14, bold=True)
    page.grid(["point", "what it says"], [[f"PT-{k}", "a word and another " * (20 if k == 3 else 1)] for k in range(90)], [30, 70])  # fmt: skip
    page.words("many words " * 1500)
    page.picture(b"no picture")
    return bytes(page.output())


def document(name: str) -> bytes:
    rows = np.arange(len(plant()))
    if name == "list":
        return printed_list(plant(), rows.tolist(), "Vallroja", "2026-12-01", Issue("A", {}))
    if name in ("devices", "terminals of strips"):
        kind: Any = "devices" if name == "devices" else "terminals"
        return labels(plant(), rows[:60], kind, Stock(), "http://plant")
    if name == "grid":
        return grid()
    return printed(name, plant(), rows[:120] if name == "loops" else rows, ABOUT, "A4", plant())


def elements(root: Any) -> Iterator[Any]:
    """Every element, from the document down."""
    waiting = [root["/StructTreeRoot"]["/K"][0].get_object()]
    while waiting:
        one = waiting.pop()
        yield one
        kids = [kid.get_object() for kid in one.get("/K", [])]
        waiting += [kid for kid in kids if isinstance(kid, DictionaryObject) and "/S" in kid]


def kinds_within(element: Any) -> list[str]:
    kids = [kid.get_object() for kid in element.get("/K", [])]
    return [str(kid["/S"]) for kid in kids if isinstance(kid, DictionaryObject) and "/S" in kid]


ALL = (*DOCUMENTS, "list", "devices", "terminals of strips", "grid")


@pytest.mark.parametrize("name", ALL)
def test_every_word_is_of_an_element_or_decoration_and_found_from_its_page(name: str) -> None:
    reader = PdfReader(io.BytesIO(document(name)))
    root: Any = reader.trailer["/Root"]
    assert (root["/MarkInfo"]["/Marked"], root["/Lang"], root["/ViewerPreferences"]["/DisplayDocTitle"]) == (
        True,
        "en",
        True,
    )
    nums = root["/StructTreeRoot"]["/ParentTree"]["/Nums"]
    of_page = {int(nums[k]): nums[k + 1].get_object() for k in range(0, len(nums), 2)}
    for page in reader.pages:
        marks: list[int | None] = []
        seen: list[int] = []
        contents = page.get_contents()
        assert contents is not None
        for operands, operator in ContentStream(contents, reader).operations:
            if operator in (b"BDC", b"BMC"):
                assert not marks, "nothing is marked within something that is"
                number = operands[1]["/MCID"] if operator == b"BDC" else None
                marks.append(number)
                if number is not None:
                    seen.append(int(number))
            elif operator == b"EMC":
                marks.pop()
            elif operator in SHOWS | PAINTS:
                assert marks, f"{operator!r} stands outside of all"
        assert marks == []
        assert seen == list(range(len(seen)))
        if seen:
            parents = of_page[int(page["/StructParents"])]
            assert len(parents) == len(seen)
            for number, parent in enumerate(parents):
                element = parent.get_object()
                kids = [kid.get_object() for kid in element["/K"]]
                far = [
                    k["/MCID"] for k in kids if isinstance(k, DictionaryObject) and "/MCID" in k and is_page(k, page)
                ]
                assert number in (kids if "/Pg" in element and is_page(element, page) else far)


def is_page(one: Any, page: Any) -> bool:
    return bool(one.raw_get("/Pg").idnum == page.indirect_reference.idnum)


@pytest.mark.parametrize("name", ALL)
def test_tables_have_rows_of_one_width_and_drawings_have_words(name: str) -> None:
    root: Any = PdfReader(io.BytesIO(document(name))).trailer["/Root"]
    tables = figures = 0
    for element in elements(root):
        kind = str(element["/S"])
        if kind == "/Table":
            tables += 1
            assert set(kinds_within(element)) == {"/TR"}
            rows = [kinds_within(kid.get_object()) for kid in element["/K"]]
            assert set(rows[0]) == {"/TH"}
            assert {len(row) for row in rows} <= {len(rows[0]), 1}, "a heading within a table is one cell"
            assert all(set(row) <= {"/TH", "/TD"} for row in rows)
        if kind == "/TH":
            assert element["/A"]["/Scope"] in ("/Column", "/Row")
        if kind == "/Figure":
            figures += 1
            assert len(str(element["/Alt"])) > 5
    assert bool(tables) is (name not in ("loops", "elevations", "devices", "terminals of strips"))
    assert bool(figures) is (name in ("loops", "devices"))


def test_what_changed_is_told_and_not_shown_alone() -> None:
    """The list against an issue in which PT-3107 had another service, and TE-2101 was not there."""
    image = plant()
    rows = [image.row_of(p) for p in (1, 6)]
    was = dict(image.filled_texts()[rows[0]]) | {"service": "another"}
    body = printed_list(image, rows, "Vallroja", "2026-12-01", Issue("A", {1: was}))
    root: Any = PdfReader(io.BytesIO(body)).trailer["/Root"]
    told = [(str(e["/S"]), str(e["/T"])) for e in elements(root) if "/T" in e]
    assert sorted(told) == [("/TD", "changed"), ("/TR", "new")]


def test_the_words_of_a_drawing_are_found_by_a_search() -> None:
    reader = PdfReader(io.BytesIO(document("loops")))
    assert "PT-3107" in "".join(page.extract_text() for page in reader.pages[:20])


def test_a_table_of_very_many_cells_is_told_row_by_row(monkeypatch: pytest.MonkeyPatch) -> None:
    """286 points of eight columns, where 2,000 cells are very many: as many paragraphs as rows, and one for the heads."""
    monkeypatch.setattr(paper, "_MOST_CELLS", 2000)
    reader = PdfReader(io.BytesIO(document("list")))
    root: Any = reader.trailer["/Root"]
    kinds = [str(e["/S"]) for e in elements(root)]
    assert (kinds.count("/P"), kinds.count("/Table")) == (len(plant()) + 1, 0)


def test_packed_it_is_a_few_times_what_is_drawn_and_not_many() -> None:
    """The list of 286 points: 40 kB are drawn."""
    assert len(document("list")) < 200_000
