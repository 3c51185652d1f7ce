"""The list on paper: every point once, heads on each page, what changed since the last issue marked."""

from __future__ import annotations

from typing import Any

import pytest
from tests.building.words import plant_of

from canaleta.exchange.list_print import Issue, printed_list
from canaleta.exchange.prints.paper import About, Column, Framed

PLANT = plant_of("PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar", "PT-2: 4–20 mA, 0…6 bar, shows 0…6 bar")


@pytest.fixture
def drawn(monkeypatch: pytest.MonkeyPatch) -> list[tuple[list[str], list[bool], bool]]:
    """What is drawn as rows: texts, which of them changed, whether the point is new."""
    rows: list[tuple[list[str], list[bool], bool]] = []
    draw = Framed.point

    def told(self: Any, texts: Any, changed: Any, *, new: bool) -> None:
        rows.append((list(texts), list(changed), new))
        draw(self, texts, changed, new=new)

    monkeypatch.setattr(Framed, "point", told)
    return rows


def printed(issue: Issue = Issue(), paper: Any = "A3") -> bytes:  # noqa: B008 - it cannot be changed
    return printed_list(PLANT, range(2), "Vallroja Tileworks", "2026-12-01", issue, paper)


def test_a_range_is_one_cell_with_its_unit(drawn: list[tuple[list[str], list[bool], bool]]) -> None:
    data = printed()
    assert data.startswith(b"%PDF-")
    texts, changed, _ = drawn[0]
    assert texts[0] == "PT-1"
    assert "0 … 10 bar" in texts
    assert not any(changed), "never issued: nothing to mark"


def test_what_changed_since_the_last_issue_is_marked_and_a_new_point_as_a_whole(
    drawn: list[tuple[list[str], list[bool], bool]],
) -> None:
    before = dict(PLANT.filled_texts()[0]) | {"device_high": "8"}
    printed(Issue("B", {int(PLANT.ids[0]): before}))
    (texts, changed, new), (_, all_of_it, is_new) = drawn
    assert [text for text, mark in zip(texts, changed, strict=True) if mark] == ["0 … 10 bar"]
    assert (new, is_new) == (False, True)
    assert any(all_of_it)


def test_the_smaller_paper_has_fewer_columns(drawn: list[tuple[list[str], list[bool], bool]]) -> None:
    printed(paper="A4")
    printed(paper="A3")
    assert len(drawn[0][0]) < len(drawn[-1][0])


def test_long_names_are_broken_where_they_must_and_end_with_dots() -> None:
    page = Framed(About("plant", "", "2026-12-01"), "I/O list", "A4", [Column("tag", 22), Column("service", 46)])
    page.add_page()
    page.set_font("plex-latin", size=7)
    lines = page.broken("W" * 400, 20)
    assert len(lines) == 4
    assert lines[-1].endswith("…")
    assert all(page.get_string_width(line) <= 21 for line in lines)
    assert page.broken("short", 20) == ["short"]


def test_an_empty_list_says_so() -> None:
    assert printed_list(PLANT, [], "Vallroja Tileworks", "2026-12-01", Issue()).startswith(b"%PDF-")
