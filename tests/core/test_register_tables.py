"""Places as manuals write them: from 0, from 1, in hexadecimal, with the table's digit; the figures are the protocol's."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from canaleta.core.model.register_tables import STYLES, Table, read_place, table_named, written_place
from canaleta.core.notation.text import TextError

COILS, DISCRETE, INPUT, HOLDING = Table


@pytest.mark.parametrize(
    ("table", "place", "written"),
    [
        (HOLDING, 0, ["0", "1", "0x0000", "40001"]),
        (INPUT, 107, ["107", "108", "0x006B", "30108"]),
        (COILS, 19, ["19", "20", "0x0013", "00020"]),
        (DISCRETE, 196, ["196", "197", "0x00C4", "10197"]),
        (HOLDING, 9998, ["9998", "9999", "0x270E", "49999"]),
        (HOLDING, 9999, ["9999", "10000", "0x270F", "410000"]),
        (HOLDING, 65535, ["65535", "65536", "0xFFFF", "465536"]),
    ],
)
def test_a_place_in_every_style(table: Table, place: int, written: list[str]) -> None:
    """108, 20 and 197 are the examples of MODBUS Application Protocol V1.1b3, 6.3, 6.1 and 6.2: sent as 0x6B, 0x13 and
    0xC4."""
    assert [written_place(table, place, style) for style in STYLES] == written
    for style, text in zip(STYLES, written, strict=True):
        assert read_place(text, style, table) == (table, place)


@given(table=st.sampled_from(Table), place=st.integers(0, 65535), style=st.sampled_from(STYLES))
def test_what_is_written_is_read_again(table: Table, place: int, style: str) -> None:
    assert read_place(written_place(table, place, style), style, table) == (table, place)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("text", "style", "found"),
    [
        ("400001", "with the table's digit", (HOLDING, 0)),
        ("4x0001", "with the table's digit", (HOLDING, 0)),
        ("3:17", "with the table's digit", (INPUT, 16)),
        ("17", "with the table's digit", (COILS, 16)),
        (" 40 001 ", "with the table's digit", (HOLDING, 0)),
        ("1Fh", "from 1", (None, 31)),
        ("16#1F", "from 0", (None, 31)),
        ("$1f", "from 0", (None, 31)),
        ("1F", "hexadecimal", (None, 31)),
        ("10", "hexadecimal", (None, 16)),
        ("1", "from 1", (None, 0)),
    ],
)
def test_other_ways_to_write_it(text: str, style: str, found: tuple[Table | None, int]) -> None:
    assert read_place(text, style) == found  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("text", "style", "table", "why"),
    [
        ("0", "from 1", None, "no place 0"),
        ("40000", "with the table's digit", None, "counted from 1"),
        ("30001", "with the table's digit", HOLDING, "one of the input registers, and it stands at the holding"),
        ("20001", "with the table's digit", None, "a digit for the table"),
        ("65536", "from 0", None, "beyond the last place"),
        ("65537", "from 1", None, "beyond the last place"),
        ("499999", "with the table's digit", None, "beyond the last place"),
        ("12G", "hexadecimal", None, "no hexadecimal place"),
        ("forty", "from 0", None, "a whole number"),
        ("1.5", "from 0", None, "a whole number"),
        ("-1", "from 1", None, "a whole number"),
        ("", "from 0", None, "a whole number"),
        ("٤٠٠٠١", "with the table's digit", None, "a digit for the table"),
    ],
)
def test_what_is_no_place_is_told(text: str, style: str, table: Table | None, why: str) -> None:
    with pytest.raises(TextError, match=why):
        read_place(text, style, table)  # type: ignore[arg-type]


def test_tables_are_known_by_their_names_and_by_the_racks() -> None:
    assert [table_named(name) for name in ("input", "holding", "coils")] == [INPUT, HOLDING, COILS]
    with pytest.raises(ValueError, match="registers of the third kind"):
        table_named("registers of the third kind")
