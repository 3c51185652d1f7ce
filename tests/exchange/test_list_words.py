"""Figures, ranges, signals, places and terminals as lists write them, by their stated tables."""

from __future__ import annotations

import pytest

from canaleta.exchange.lists.contents import is_date, looks_like_tag
from canaleta.exchange.lists.figures import DoubtError, Marks, decimal_marks, read_figure, read_span, read_unit_text
from canaleta.exchange.lists.phrases import read_class, read_form, read_phrase, read_supply, read_wires
from canaleta.exchange.lists.places import (
    Place,
    Seats,
    address_of,
    context_of,
    read_core_text,
    read_place,
    read_strip,
)

SEATS = Seats((("KC-1", "1", {1: 16, 2: 8}), ("KC-2", "1", {2: 8, 3: 8}), ("KC-2", "2", {2: 4})), 1)


@pytest.mark.parametrize(
    ("text", "low", "high", "unit"),
    [
        ("0-10 bar", "0", "10", "bar"), ("0…10", "0", "10", ""), ("0÷6 bar", "0", "6", "bar"),
        ("-20/+80 °C", "-20", "80", "°C"), ("0 °C ... 250 °C", "0", "250", "°C"), ("±50 mbar", "-50", "50", "mbar"),
        ("+/-50", "-50", "50", ""), ("(0-100)%", "0", "100", "%"), ("0-1'000 kg", "0", "1000", "kg"),
        ("from 0 to 10 bar", "0", "10", "bar"), ("de 0 a 10 bar", "0", "10", "bar"), ("0 à 10 bar", "0", "10", "bar"),
        ("von 0 bis 6,5 bar", "0", "6.5", "bar"), ("0..10bar", "0", "10", "bar"), ("-50--10 °C", "-50", "-10", "°C"),
        ("0-16 barg", "0", "16", "bar gauge"), ("0 m3/h - 50 m3/h", "0", "50", "m³/h"), ("0 - 1 000 kg", "0", "1000", "kg"),
        ("−20 … 80 ºC", "-20", "80", "°C"), ("0-500 U/min", "0", "500", "rpm"), ("0..2,5 mWS", "0", "2.5", "mH₂O"),
        ("0-1.234.567 l", "0", "1234567", "l"), ("0-1,234.5 kg", "0", "1234.5", "kg"),
    ],
)  # fmt: skip
def test_a_range_is_read_by_the_table(text: str, low: str, high: str, unit: str) -> None:
    span = read_span(text)
    assert (span.low, span.high, span.unit) == (low, high, unit)


@pytest.mark.parametrize("text", ["4-20 mA = 0-10 bar", "0-10 bar (4-20 mA)", "0-10 bar / 4-20 mA"])
def test_a_signal_beside_a_range_is_told_apart(text: str) -> None:
    span = read_span(text)
    assert (span.low, span.high, span.unit, span.signal) == ("0", "10", "bar", "4–20 mA")


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("25 bar", "alone"), ("max. 25 bar", "alone"), ("<25", "alone"), ("100-0 %", "reversed"), ("4-20 mA", "electrical"),
        ("0-10 VDC", "electrical"), ("0-1,200 kg", "figures_comma"), ("0-12.000 l", "figures_point"),
        ("0-10 bananas", "unit"), ("0 bar - 10 m", "range"), ("low", "range"), ("", "range"), ("1" * 500, "range"),
    ],
)  # fmt: skip
def test_what_can_be_read_in_several_ways_is_not_read(text: str, code: str) -> None:
    with pytest.raises(DoubtError) as doubt:
        read_span(text)
    assert doubt.value.code == code


@pytest.mark.parametrize(
    ("texts", "mark"),
    [
        (["0,5", "1.200"], ","), (["0-2.5 bar", "1,000"], "."), (["1,200", "12.000"], ""), (["0,5", "0.5"], ""),
        (["1.234,5"], ","), (["1,234.5"], "."), (["0,125"], ","), (["12"], ""), ([], ""),
    ],
)  # fmt: skip
def test_the_decimal_mark_of_a_file_is_settled_by_its_clear_figures(texts: list[str], mark: str) -> None:
    assert decimal_marks(texts) == mark


def test_a_mark_before_three_digits_is_the_files_decimal_mark_or_asked() -> None:
    comma = Marks(",")
    assert read_figure("1,200", comma) == "1.200"
    with pytest.raises(DoubtError):
        read_figure("12.000", comma)
    assert read_figure("12.000", Marks(",", point="thousands")) == "12000"
    assert read_figure("-1,200", Marks(comma="thousands")) == "-1200"


@pytest.mark.parametrize(
    ("text", "unit"),
    [("mbar(g)", "mbar gauge"), ("[bar]", "bar"), ("Grad C", "°C"), ("tr/min", "rpm"), ("%HR", "% r.h."), ("", "")],
)
def test_units_are_read_as_people_write_them(text: str, unit: str) -> None:
    assert read_unit_text(text) == unit


@pytest.mark.parametrize(
    ("text", "signal", "also"),
    [
        ("Pt100 3-wire", "Pt100", {"wires": "3"}), ("PT 100, 3 hilos", "Pt100", {"wires": "3"}),
        ("TC type T", "TC T", {}), ("T/C K", "TC K", {}), ("termopar tipo S", "TC S", {}), ("NiCr-Ni", "TC K", {}),
        ("4-20mA HART 2-wire", "4–20 mA", {"wires": "2", "hart": "yes"}), ("0 - 10 VDC", "0–10 V", {}),
        ("4-20 mA, loop powered", "4–20 mA", {"supply": "module"}), ("AI 4-20 mA", "4–20 mA", {}), ("±10 V", "±10 V", {}),
        ("dry contact N.C.", "contact NC", {}), ("Öffner 24 V", "contact NC", {}), ("contact sec NF", "contact NC", {}),
        ("contacto libre de potencial NA", "contact NO", {}), ("PNP NO", "PNP NO", {}), ("pulse", "pulses", {}),
        ("4-20", "4–20 mA", {}), ("Schließer", "contact NO", {}), ("0-50 mV", "mV", {"signal_low": "0", "signal_high": "50"}), ("relay output 230 VAC", "load AC", {}),
        ("DO 24 V DC", "load 24 V DC", {}), ("solenoid 24 VDC", "load 24 V DC", {}),
    ],
)  # fmt: skip
def test_signals_are_read_in_the_words_of_the_trade(text: str, signal: str, also: dict[str, str]) -> None:
    phrase = read_phrase(text)
    assert phrase.signals == (signal,)
    assert phrase.also == also


@pytest.mark.parametrize(
    ("text", "code", "may_be"),
    [
        ("24 V DC contact", "form", {"contact NO", "contact NC"}), ("PNP", "form", {"PNP NO", "PNP NC"}),
        ("24VDC", "form", {"contact NO", "contact NC", "load 24 V DC"}), ("RTD", "sensor", {"Pt100", "Pt1000", "Pt500"}),
        ("K", "letter", {"TC K"}), ("230 V AC", "form", {"AC contact NO", "AC contact NC", "load AC"}),
    ],
)  # fmt: skip
def test_a_phrase_that_may_be_several_signals_is_none_of_them(text: str, code: str, may_be: set[str]) -> None:
    phrase = read_phrase(text)
    assert (phrase.code, set(phrase.signals)) == (code, may_be)


@pytest.mark.parametrize("text", ["10 V", "PT-1", "Modbus", "mA", "4-20 mA or 0-10 V", "0-12 V", "spare"])
def test_what_is_no_signal_is_none(text: str) -> None:
    assert read_phrase(text).signals == ()


def test_the_class_of_a_row_says_what_a_voltage_is() -> None:
    assert read_phrase("24 VDC", "DO").signals == ("load 24 V DC",)
    assert read_phrase("24 VDC", "DI").signals == ("contact NO", "contact NC")


def test_classes_forms_wires_and_supplies_in_several_languages() -> None:
    assert [read_class(t) for t in ("AI", "EA", "ETOR", "SD", "Digital Input", "AE", "PT-1")] == [
        "AI", "AI", "DI", "DO", "DI", "AI", "",
    ]  # fmt: skip
    assert [read_form(t) for t in ("N.O.", "Öffner", "NF", "NA", "x")] == ["NO", "NC", "NC", "NO", ""]
    assert [read_wires(t) for t in ("3-wire", "4 Leiter", "2", "5")] == ["3", "4", "2", ""]
    assert [read_supply(t) for t in ("loop powered", "24 VDC", "VFD")] == ["module", "", "drive"]


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("R1/S3/CH05", Place("", "1", "3", "5")), ("KC-2·1·2·1", Place("KC-2", "1", "2", "1")),
        ("01-03-05", Place("", "1", "3", "5")), ("Slot 3 Ch 5", Place("", "", "3", "5")), ("3.5", Place("", "", "3", "5")),
        ("R1S3CH5", Place("", "1", "3", "5")), ("KC-2-R1-S02-C03", Place("KC-2", "1", "2", "3")),
        ("%IW64", None), ("I0.0", None), ("PT-101", None), ("AI3.5", None), ("", None),
    ],
)  # fmt: skip
def test_an_address_is_read_in_any_style(text: str, place: Place | None) -> None:
    assert read_place(text, SEATS) == place


def test_an_address_is_a_channel_of_the_plant_or_asked_about() -> None:
    assert address_of(Place("kc2", "R1", "3", "8"), SEATS) == "KC-2·1·3·8"
    for place, code in (
        (Place("", "1", "2", "1"), "where"),
        (Place("KC-2", "1", "9", "1"), "place"),
        (Place("X", "1", "2", "1"), "place"),
    ):
        with pytest.raises(DoubtError) as doubt:
            address_of(place, SEATS)
        assert doubt.value.code == code


def test_lines_above_say_where_rows_are_and_no_more() -> None:
    assert context_of(["I/O list cabinet KC-2, rack 1"], SEATS) == (Place("KC-2", "1"), "")
    assert context_of(["Klemmleiste X3"], SEATS) == (Place(), "X3")
    assert context_of(["Panel drawing rev C", "Rack layout"], SEATS) == (Place(), "")


@pytest.mark.parametrize(
    ("text", "strip", "terminals"),
    [
        ("X1:1/2", "", "X1:1; X1:2"), ("X1:1-2", "", "X1:1; X1:2"), ("X1.1, X1.2", "", "X1:1; X1:2"), ("TB1-5", "", "TB1:5"),
        ("TB2 7,8", "", "TB2:7; TB2:8"), ("1-3", "X9", "X9:1; X9:2; X9:3"), ("X1:5 fuse; X1:6 knife", "", "X1:5 fuse; X1:6 knife"),
    ],
)  # fmt: skip
def test_terminals_are_read_in_any_style(text: str, strip: str, terminals: str) -> None:
    assert read_strip(text, strip) == terminals


def test_terminals_without_a_strip_are_told() -> None:
    with pytest.raises(DoubtError) as doubt:
        read_strip("1-2")
    assert doubt.value.code == "strip"
    assert read_core_text("1/2") == "1, 2"


def test_dates_are_no_tags_and_tags_no_dates() -> None:
    assert all(map(is_date, ("2026-04-01", "12.03.2026", "12 Nov 2026", "KW 12/2026")))
    assert not any(map(looks_like_tag, ("2026-04-01", "Pressure transmitter", "25 bar", "4-20 mA", "Pt100", "1200")))
    assert all(map(looks_like_tag, ("PT-101", "PT-100", "LIC 2001", "=A1+B2-F3", "31-PT-0042", "Kiln_Fan_Run")))
