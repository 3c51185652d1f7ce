"""Documents on paper: terminal plans, cables, cores, alarms, registers, module cards, loop sheets, elevations, labels."""

from __future__ import annotations

import dataclasses
import io
import warnings
from datetime import UTC, datetime
from decimal import Decimal

import numpy as np
import pytest
from pypdf import PdfReader
from tests.building.planted import demo_image

from canaleta.core.model.image import PlantImage
from canaleta.exchange.list_print import Issue, printed_list
from canaleta.exchange.prints.documents import DOCUMENTS, _redline, printed
from canaleta.exchange.prints.drawings import _moved, _paths
from canaleta.exchange.prints.labels import LabelError, Stock, _of, labels
from canaleta.exchange.prints.paper import About, Column, Framed, lines_of
from canaleta.exchange.prints.records import check_records
from canaleta.exchange.prints.tables import TABLES
from canaleta.plant.checks.evidence import Countersignature, Evidence, digest

ABOUT = About("Vallroja Tileworks", "B", "2026-12-01", (("checked", "Ana Serra 2026-11-30"),))
PLANT = demo_image()
ALL = np.arange(len(PLANT), dtype=np.int64)
NONE = np.empty(0, np.int64)


def rows_of(name: str, image: PlantImage = PLANT, rows: np.ndarray = ALL) -> list[tuple[str, str, tuple[str, ...]]]:
    return list(TABLES[name].rows(image, rows))


@pytest.mark.parametrize("name", DOCUMENTS)
@pytest.mark.parametrize("paper", ["A4", "A3"])
def test_every_document_is_made_on_both_papers_and_of_no_point_at_all(name: str, paper: str) -> None:
    some = ALL[:12]
    assert printed(name, PLANT, some, ABOUT, paper).startswith(b"%PDF-")  # type: ignore[arg-type]
    assert printed(name, PLANT, NONE, ABOUT, paper).startswith(b"%PDF-")  # type: ignore[arg-type]


@pytest.mark.parametrize("name", list(TABLES))
def test_each_row_has_a_cell_for_every_column_and_a_key_of_its_own(name: str) -> None:
    rows = rows_of(name)
    assert all(len(cells) == len(TABLES[name].columns) for _, _, cells in rows)
    keys = [key for _, key, _ in rows]
    assert len(keys) == len(set(keys))


def test_a_terminal_plan_goes_strip_by_strip_and_says_both_sides() -> None:
    """PT-3107 stands on X1:1, a knife, and X1:2, by white and brown of W-PT-3107."""
    rows = [(h, c) for h, _, c in rows_of("terminals") if c[2] == "PT-3107"]
    assert [(h, c[0], c[1], c[4], c[5]) for h, c in rows] == [
        ("KC-2: strip X1", "1", "knife", "W-PT-3107", "1 white"), ("KC-2: strip X1", "2", "plain", "W-PT-3107", "2 brown")
    ]  # fmt: skip
    marks = [int(c[0]) for h, _, c in rows_of("terminals") if h == "KC-2: strip X1"]
    assert marks == sorted(marks)


def test_every_core_of_a_cable_stands_in_its_list_spare_ones_too() -> None:
    cores = [c for h, _, c in rows_of("cores") if h.startswith("W-JB-21:")]
    assert [c[0] for c in cores] == [str(n) for n in range(1, 25)]
    cables = {c[0]: c for _, _, c in rows_of("cables")}
    assert int(cables["W-JB-21"][7]) == sum(c[2] == "spare" for c in cores)
    assert {c[0] for _, _, c in rows_of("cables", rows=ALL[:1])} == {"W-PT-3107"}


@pytest.mark.parametrize("name", ["list", "cables", "terminals"])
def test_how_far_a_table_is_is_told_while_it_is_drawn(name: str) -> None:
    shares: list[float] = []
    if name == "list":
        printed_list(PLANT, ALL.tolist(), ABOUT.plant, ABOUT.day, Issue(), "A3", shares.append)
    else:
        printed(name, PLANT, ALL, ABOUT, "A3", told=shares.append)
    assert shares == sorted(shares)
    assert len(set(shares)) > 100
    assert shares[0] == 0
    assert 0.95 < shares[-1] < 1


def test_the_number_of_thousands_of_pages_has_room_beside_it() -> None:
    """The library warns where a number is wider than what held its place: it would run over the frame."""
    page = Framed(ABOUT, "cores", "A4", [Column("cable", 26)], rows=0)
    for _ in range(1500):
        page.add_page()
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        body = page.packed()
    assert "1500 of 1500" in PdfReader(io.BytesIO(body)).pages[-1].extract_text()


def test_two_hundred_cores_go_over_pages_with_their_heading() -> None:
    one = dataclasses.replace(next(iter(PLANT.layout.cables.values())), id=9999, name="W-LONG", cores=200, colours="")
    image = PLANT.with_layout(dataclasses.replace(PLANT.layout, cables=PLANT.layout.cables | {9999: one}))
    mine = [c for h, _, c in rows_of("cores", image) if h.startswith("W-LONG")]
    assert len(mine) == 200
    page = Framed(ABOUT, "core list", "A4", TABLES["cores"].columns)
    page.add_page()
    page.table_of(lines_of([("W-LONG", str(k), c) for k, c in enumerate(mine)], None), "nothing")
    assert page.page_no() > 3


def test_cards_show_each_channel_free_ones_too() -> None:
    card = [c for h, _, c in rows_of("cards") if h.startswith("KC-2, rack 1, slot 2:")]
    assert [c[2] for c in card][:5] == ["PT-3107", "PT-3108", "FT-3110", "PT-3111", "ST-2210"]
    assert card[-1][2] == "free"


def test_an_alarm_is_a_row_with_its_limit_in_units() -> None:
    assert ("HH", "1180 °C") in {(c[2], c[3]) for _, _, c in rows_of("alarms") if c[0] == "TE-2101"}


def test_what_changed_since_the_issue_is_marked_a_new_row_as_a_whole() -> None:
    now = [("", "a", ("1", "2")), ("", "b", ("3", "4"))]
    marked = lines_of(now, {"a": ("1", "9")})
    assert [(line.changed, line.new) for line in marked] == [((False, True), False), ((True, True), True)]
    assert [line.changed for line in lines_of(now, None)] == [(False, False), (False, False)], (
        "never issued: nothing to mark"
    )
    before = PLANT.with_cells({(0, "alarm_hh"): None})
    assert printed("alarms", PLANT, ALL[:20], ABOUT, "A4", before).startswith(b"%PDF-")


def test_a_redline_has_each_cell_that_is_not_as_it_was_issued_new_points_and_those_that_are_gone() -> None:
    before = PLANT.with_cells({(0, "service"): "gas header", (1, "alarm_hh"): None})
    now = PLANT.only(ALL[:-1])
    issued = before.only(ALL[1:])
    lines = list(_redline(now, ALL[:-1], issued))
    told = [line.heading or line.cells for line in lines]
    assert told[0] == "PT-3107, new"
    assert told[-1] == f"{PLANT.label(len(PLANT) - 1)}, taken away"
    changed = list(_redline(PLANT, ALL, before))
    assert [line.heading or line.cells for line in changed] == [
        "PT-3107",
        ("service", "gas header", "burner gas header pressure"),
    ]
    assert changed[1].changed == (False, True, True)
    assert list(_redline(PLANT, ALL, None)) == []


def test_paths_of_our_drawings_are_taken_apart() -> None:
    assert list(_paths("M176 70H740")) == [[(176, 70), (740, 70)]]
    assert list(_paths("M394 65l-9 5l9 5z")) == [[(394, 65), (385, 70), (394, 75), (394, 65)]]
    assert list(_paths("M453 70h4l16 -7M473 70h5")) == [[(453, 70), (457, 70), (473, 63)], [(473, 70), (478, 70)]]


# Labels ------------------------------------------------------------------------------------------------------


def made(kind: str, rows: np.ndarray = ALL) -> list[tuple[str, str, str]]:
    return [(one.large, one.small, one.link) for one in _of(PLANT, rows, kind, "https://plant.example/")]  # type: ignore[arg-type]


def test_a_device_has_a_label_with_a_code_to_its_page_a_terminal_one_a_wire_two() -> None:
    assert made("devices", ALL[:1]) == [("PT-3107", "burner gas header pressure", "https://plant.example/point/1")]
    assert made("terminals", ALL[:1]) == [("1", "X1 PT-3107", ""), ("2", "X1 PT-3107", "")]
    wires = made("wires", ALL[:1])
    assert len(wires) == 4, "two cores, two ends each"
    assert wires[0][1].removeprefix("to ") == wires[1][0]


@pytest.mark.parametrize(
    ("stock", "says"),
    [
        (Stock(across=4), "reach to 280 × 296.5 mm, and A4 has 210 × 297"),
        (Stock(down=0), "at least one label"),
        (Stock(wide=4, high=3, sheet="roll"), "at least 8"),
        (Stock(skip=24), "fewer are used"),
    ],
)
def test_stock_that_cannot_be_is_told(stock: Stock, says: str) -> None:
    with pytest.raises(LabelError, match=says):
        labels(PLANT, ALL[:3], "devices", stock, "https://plant.example")


def test_labels_fill_a_sheet_from_the_first_unused_one() -> None:
    for stock in (Stock(), Stock(skip=22), Stock(1, 1, 60, 12, sheet="roll"), Stock(6, 30, 30, 9, 10, 10)):
        assert labels(PLANT, ALL[:30], "devices", stock, "https://plant.example").startswith(b"%PDF-")
    with pytest.raises(LabelError, match="nothing of these points"):
        labels(PLANT, NONE, "wires", Stock(), "https://plant.example")


def _record(number: int, tag: str, verdict: str = "passed") -> Evidence:
    at = datetime(2026, 11, 30, 8, number, tzinfo=UTC)
    body = {"tag": tag, "service": "gas pressure", "lines": ["by cal 3, serial 77"], "note": "Ω and µ"}
    hash_ = digest(at, "loop check", number, "ana", "Ana Serra", verdict, body)
    return Evidence(number, at, "loop check", number, "ana", "Ana Serra", verdict, hash_, body)


@pytest.fixture
def said(monkeypatch: pytest.MonkeyPatch) -> dict[int, str]:
    """What is written on each page, in words."""
    out: dict[int, str] = {}
    words = Framed.words

    def kept(page: Framed, text: str, *more: object, **named: object) -> None:
        out[page.page_no()] = f"{out.get(page.page_no(), '')}{text}\n"
        words(page, text, *more, **named)  # type: ignore[arg-type]

    monkeypatch.setattr(Framed, "words", kept)
    return out


def test_check_records_are_a_sheet_each_with_who_signed_under_and_what_is_untested(said: dict[int, str]) -> None:
    first, altered = _record(1, "PT-3107"), dataclasses.replace(_record(2, "TE-2101"), verdict="passed after all")
    forged = Countersignature(1, first.at, 1, "pau", "Pau Riba", "in order", "not a hash")
    told: list[float] = []
    check_records([first, altered], {1: [forged]}, ["FT-3110", "ZS-2207"], ABOUT, "A4", told.append)
    assert list(said) == [1, 2, 3]
    assert "loop check: PT-3107" in said[1]
    assert "signed by Ana Serra (ana), 2026-11-30 08:01:00 UTC" in said[1]
    assert "seen by Pau Riba" in said[1]
    assert "not under what it was given for" in said[1]
    assert "not what was signed" not in said[1]
    assert "not what was signed" in said[2]
    assert "FT-3110, ZS-2207" in said[3]
    assert told == [0.5, 1.0]


def test_a_part_without_points_or_records_says_so(said: dict[int, str]) -> None:
    check_records([], {}, [], ABOUT, "A3")
    assert "no point belongs to this part" in said[1]


def test_drawings_mark_what_changed_since_the_issue(said: dict[int, str]) -> None:
    """PT-3107 was issued with 500 mbar and on no channel, FT-3110 not at all; PT-3108 is as it was."""
    cells = {name: PLANT.cells[name].copy() for name in PLANT.cells}
    first, second, third = (
        next(r for r in ALL.tolist() if PLANT.label(r) == tag) for tag in ("PT-3107", "PT-3108", "FT-3110")
    )
    rows = [{n: cells[n][r] for n in cells if cells[n][r] is not None} for r in (first, second)]
    rows[0] |= {"device_high": Decimal(500)}
    rows[0].pop("channel")
    issued = PlantImage.of_rows(
        rows, PLANT.layout, PLANT.conventions, ids=[int(PLANT.ids[r]) for r in (first, second)]
    )
    some = np.array([first, second, third])
    assert printed("loops", PLANT, some, ABOUT, "A4", issued).startswith(b"%PDF-")
    assert "since issue B: " in said[1]
    assert "high “600”, was “500”" in said[1]
    assert "channel “KC-2·1·2·1”, was “”" in said[1]
    assert "since issue" not in said[2]
    assert "since issue B: new" in said[3]
    assert _moved(PLANT, issued)[int(PLANT.module[first])] >= 1
    assert _moved(PLANT, PLANT) == _moved(PLANT, None) == {}
    assert printed("elevations", PLANT, some, ABOUT, "A3", issued).startswith(b"%PDF-")
