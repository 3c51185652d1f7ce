"""The four tables of Modbus, and how manuals write a place in them.

A place is a table and a number from 0, as the protocol carries it (MODBUS Application Protocol V1.1b3, 4.3 and 4.4).
Manuals write it from 0, from 1, in hexadecimal, or with the number of the table in front: 0 for coils, 1 for discrete
inputs, 3 for input registers and 4 for holding registers, and then from 1 with four digits or five.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Literal

from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.text import TextError

__all__ = [
    "STYLES",
    "Style",
    "Table",
    "place_in_all_styles",
    "read_place",
    "table_named",
    "table_of_function",
    "written_place",
]

LAST_PLACE = 65_535


class Table(StrEnum):
    """A table of a Modbus device, by its name in the protocol."""

    COILS = "coils"
    DISCRETE_INPUTS = "discrete inputs"
    INPUT_REGISTERS = "input registers"
    HOLDING_REGISTERS = "holding registers"

    @property
    def of_bits(self) -> bool:
        """Whether a place holds one bit, not a word."""
        return self in (Table.COILS, Table.DISCRETE_INPUTS)

    @property
    def digit(self) -> str:
        """The digit in front of the place where manuals number all tables together."""
        return _DIGITS[self]

    @property
    def one(self) -> str:
        """What one place of it is called."""
        return str(self)[:-1]

    @property
    def most_a_request(self) -> int:
        """How many places one request may read (V1.1b3, 6.1 to 6.4)."""
        return 2000 if self.of_bits else 125


_DIGITS = {Table.COILS: "0", Table.DISCRETE_INPUTS: "1", Table.INPUT_REGISTERS: "3", Table.HOLDING_REGISTERS: "4"}
_OF_DIGIT = {digit: table for table, digit in _DIGITS.items()}

Style = Literal["from 0", "from 1", "hexadecimal", "with the table's digit"]
STYLES: tuple[Style, ...] = ("from 0", "from 1", "hexadecimal", "with the table's digit")

_HEX = compiled(r"(?:0x|16#|&h|\$)([0-9a-f]{1,4})|([0-9][0-9a-f]{0,4})h", ignore_case=True)
_BARE_HEX = compiled(r"[0-9a-f]{1,4}", ignore_case=True)
_TABLED = compiled(r"([0134])(?:([0-9]{4,5})|[x:]([0-9]{1,5}))", ignore_case=True)
_DECIMAL = compiled(r"[0-9]{1,6}")


def table_named(name: str) -> Table:
    """The table of a name in the protocol, or of "input" or "holding". Raises ValueError."""
    return {"input": Table.INPUT_REGISTERS, "holding": Table.HOLDING_REGISTERS}.get(name) or Table(name)


def table_of_function(function: str) -> Table:
    """The table of a rack whose channels stand in its "input" or "holding" registers."""
    return Table.HOLDING_REGISTERS if function == "holding" else Table.INPUT_REGISTERS


def written_place(table: Table, place: int, style: Style) -> str:
    """A place as a manual of that style writes it. place: from 0."""
    if style == "from 0":
        return str(place)
    if style == "from 1":
        return str(place + 1)
    if style == "hexadecimal":
        return f"0x{place:04X}"
    return f"{table.digit}{place + 1:04d}" if place < 9999 else f"{table.digit}{place + 1:05d}"


def place_in_all_styles(table: Table, place: int) -> dict[Style, str]:
    """The place in every style, by the style's name."""
    return {style: written_place(table, place, style) for style in STYLES}


def read_place(text: str, style: Style, table: Table | None = None) -> tuple[Table | None, int]:
    """(table, place from 0) of what a manual of that style writes; the table is None where the text does not name it.

    Hexadecimal is known by its sign in every style: 0x1F, 1Fh, 16#1F, $1F; in the hexadecimal style the sign may be
    missing. table: what stands beside it, which a leading digit must agree with. Raises TextError.
    """
    given = text.strip().replace(" ", "").replace("_", "")
    if found := _HEX.fullmatch(given):
        return table, _within(int(found[1] or found[2], 16), text)
    if style == "hexadecimal":
        if not _BARE_HEX.fullmatch(given):
            raise TextError(f"“{text.strip()}” is no hexadecimal place: write it as 0x001F")
        return table, _within(int(given, 16), text)
    if style == "with the table's digit":
        return _tabled(given, text, table)
    if not _DECIMAL.fullmatch(given):
        raise TextError(f"“{text.strip()}” is no place: a whole number {style}, or hexadecimal as 0x001F")
    number = int(given)
    if style == "from 1":
        if number == 0:
            raise TextError(f"“{text.strip()}”: there is no place 0 where places are counted from 1")
        number -= 1
    return table, _within(number, text)


def _tabled(given: str, text: str, table: Table | None) -> tuple[Table, int]:
    # Coils are often written without their zero: 17 is the seventeenth.
    if _DECIMAL.fullmatch(given) and len(given) < 5:
        given = f"0{int(given):04d}"
    found = _TABLED.fullmatch(given)
    if not found:
        raise TextError(
            f"“{text.strip()}” is no place: a digit for the table (0, 1, 3 or 4) and four or five more, as 40001"
        )
    named, number = _OF_DIGIT[found[1]], int(found[2] or found[3])
    if number == 0:
        raise TextError(f"“{text.strip()}”: places are counted from 1 there, {found[1]}0001 is the first")
    if table is not None and table is not named:
        raise TextError(f"“{text.strip()}” is one of the {named}, and it stands at the {table}")
    return named, _within(number - 1, text)


def _within(place: int, text: str) -> int:
    if place > LAST_PLACE:
        raise TextError(f"“{text.strip()}” is beyond the last place, {LAST_PLACE} from 0")
    return place
