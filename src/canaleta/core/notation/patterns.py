"""Patterns for what people send: matched in time that grows with the length of the text, whatever it is.

RE2 (google-re2) has no backtracking, and so none of what backtracking costs. Its \\s and \\d are ASCII: where people
may type other blanks, SPACE is meant. `compiled` is the only way here to a pattern; nothing that reads texts imports
`re`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
import re2

__all__ = ["DASHES", "LONGEST_LINE", "SPACE", "Lines", "compiled", "escaped", "lines_with"]

SPACE = r"[\s\x{85}\x{a0}\x{1680}\x{2000}-\x{200a}\x{2028}\x{2029}\x{202f}\x{205f}\x{3000}]"
"""Any blank of Unicode, as str.isspace has them."""
DASHES = r"\x{2013}|\x{2014}|-"
LONGEST_LINE = 400
"""No line of a small language is longer; what is, is refused before it is read."""


def escaped(text: str) -> str:
    """A text that is meant as it stands, inside a pattern."""
    return str(re2.escape(text))


def compiled(pattern: str, *, ignore_case: bool = False) -> Any:
    """A pattern with search, fullmatch, findall, finditer, split and sub as of `re`; no look-around, no
    back-references."""
    return re2.compile(f"(?i){pattern}" if ignore_case else pattern)


class Lines:
    """Texts put together, to be searched in one go: tens of thousands at once, for going to RE2 and back for each of them takes
    longer than looking."""

    def __init__(self, texts: Iterable[str | None]) -> None:
        lines = [(text or "").encode() for text in texts]
        self._whole = b"\0".join(lines)
        self._ends = np.cumsum(np.fromiter(map(len, lines), dtype=np.int64, count=len(lines)) + 1)

    def with_any(self, seek: Any) -> list[int]:
        """The texts, by their number, in which a compiled pattern of bytes stands."""
        begins = np.array([match.start() for match in seek.finditer(self._whole)], dtype=np.int64)
        found: list[int] = np.unique(np.searchsorted(self._ends, begins, side="right")).tolist()
        return found


def lines_with(pattern: str) -> Callable[[Iterable[str | None] | Lines], list[int]]:
    """What finds the texts, by their number, that have a pattern in them; texts that are searched for several are put together
    once, as Lines. The pattern must not match a NUL, which no text has."""
    seek = re2.compile(pattern.encode())

    def found(texts: Iterable[str | None] | Lines) -> list[int]:
        return (texts if isinstance(texts, Lines) else Lines(texts)).with_any(seek)

    return found
