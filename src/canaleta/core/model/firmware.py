"""Where a module says which firmware it has, how its registers are read as one, and which of two is older."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import zip_longest
from typing import Literal

from pydantic import Field, model_validator

from canaleta.core.model.module_map import Frozen
from canaleta.core.model.register_tables import LAST_PLACE, Table
from canaleta.core.notation.patterns import compiled

__all__ = ["Firmware", "is_older"]

_DIGITS = compiled(r"\d{1,9}")
MOST_DIGITS = 40


class Firmware(Frozen):
    """Where a module says which firmware it has. table, at: its first register, counted as the module's other places are;
    words: how many. written: how a version stands there: each byte a part of it (0x0203 is 2.3), each register a part, one
    number, as many hundredths (203 is 2.03), or two characters a register. oldest: the first version that does what this
    type says, "" for any."""

    table: Literal["holding registers", "input registers"] = "input registers"
    at: int = Field(ge=0, le=LAST_PLACE)
    words: int = Field(1, ge=1, le=16)
    written: Literal["parts in bytes", "parts in registers", "number", "hundredths", "text"] = "parts in bytes"
    oldest: str = Field("", max_length=MOST_DIGITS)

    @model_validator(mode="after")
    def _can_be_read(self) -> Firmware:
        if self.oldest and not _parts(self.oldest):
            raise ValueError("firmware: the oldest version is written in figures, as in 2.3")
        if self.at + self.words - 1 > LAST_PLACE:
            raise ValueError("firmware: it goes over the end of the table")
        if self.written in ("number", "hundredths") and self.words > 2:
            raise ValueError("firmware: a number stands in one register or in two")
        return self

    @property
    def places(self) -> list[tuple[Table, int]]:
        """(table, place from the module's first) of each register."""
        return [(Table(self.table), self.at + k) for k in range(self.words)]

    def read(self, words: Sequence[int]) -> str:
        """The version that stands there, "" where nothing does: registers of nothing but zeros or ones, or a text that
        cannot be printed."""
        if all(word == 0 for word in words) or all(word == 0xFFFF for word in words):
            return ""
        octets = [part for word in words for part in divmod(word, 256)]
        match self.written:
            case "parts in bytes":
                return ".".join(str(part) for part in octets)
            case "parts in registers":
                return ".".join(str(word) for word in words)
            case "text":
                text = bytes(octets).split(b"\0")[0].decode("latin-1").strip()
                return text if text.isprintable() else ""
        number = 0
        for word in words:
            number = number << 16 | word
        if self.written == "number":
            return str(number)
        whole, rest = divmod(number, 100)
        return f"{whole}.{rest:02d}"

    def words_of(self, version: str) -> list[int]:
        """The registers of a version; parts that do not go in there are cut. The other way round than `read`."""
        parts = _parts(version)
        if self.written == "text":
            octets = list(version.encode("latin-1", "replace")[: self.words * 2].ljust(self.words * 2, b"\0"))
        elif self.written == "parts in bytes":
            octets = [min(part, 255) for part in [*parts, *[0] * self.words * 2][: self.words * 2]]
        elif self.written == "parts in registers":
            return [min(part, 0xFFFF) for part in [*parts, *[0] * self.words][: self.words]]
        else:
            first, second = [*parts, 0, 0][:2]
            number = first if self.written == "number" else first * 100 + min(second, 99)
            return [number >> 16 * k & 0xFFFF for k in reversed(range(self.words))]
        return [high << 8 | low for high, low in zip(octets[::2], octets[1::2], strict=True)]


def is_older(version: str, than: str) -> bool:
    """Whether a version comes before another, part by part as numbers: 2.9 before 2.10, 2.3 not before 2.3.0. What has no
    figures is not compared."""
    mine, other = _parts(version), _parts(than)
    if not mine or not other:
        return False
    for a, b in zip_longest(mine, other, fillvalue=0):
        if a != b:
            return a < b
    return False


def _parts(version: str) -> list[int]:
    return [int(found.group()) for found in _DIGITS.finditer(version[: MOST_DIGITS * 5])]
