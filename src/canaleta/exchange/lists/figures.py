"""Figures and ranges as other people's lists have them, read by a stated table; nothing is guessed.

A mark before exactly three digits could stand for decimals or for thousands ("1,200", "12.000"). It is read as the
file's decimal mark if that is settled by its other figures, and asked about otherwise; figures of two groups or more
("1.234.567", "1,234.5") can be read one way only.

| range                          | is read as                        |
|--------------------------------|-----------------------------------|
| 0-10, 0 … 10, 0÷10, 0/10, 0 to 10, from 0 to 10 bar, (0-10) bar | both ends, with the unit |
| 0 °C … 250 °C                  | both ends, the unit once; two different units are told |
| ±50 mbar, +/-50                | −50 to 50                         |
| 4-20 mA = 0-10 bar             | both ends of 0-10 bar; the signal is told |
| 25 bar, max 25                 | asked: only one end               |
| 100-0 %                        | asked: the first end is the higher |
| 4-20 mA, 0-10 V                | asked: it is a signal, no range of a quantity |
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache

from canaleta.core.notation.patterns import LONGEST_LINE, SPACE, compiled
from canaleta.core.notation.text import MINUS, TextError, plain, read_number
from canaleta.core.notation.units import find_unit_and_reference
from canaleta.exchange.lists.phrases import span_of

__all__ = [
    "DoubtError",
    "Marks",
    "Span",
    "decimal_marks",
    "read_figure",
    "read_figure_and_unit",
    "read_span",
    "read_unit_text",
]

_TWO_WAYS = compiled(r"[-+\x{2212}]?[1-9]\d{0,2}([.,])\d{3}")
_BY_COMMA = compiled(
    r"(?:^|[^\d.,])\d*,(?:\d{1,2}|\d{4,})(?:[^\d.,]|$)|(?:^|[^\d.,])0,\d+|\d\.\d{3},\d|(?:^|[^\d.,])\d{4,},\d+"
)
_BY_POINT = compiled(
    r"(?:^|[^\d.,])\d*\.(?:\d{1,2}|\d{4,})(?:[^\d.,]|$)|(?:^|[^\d.,])0\.\d+|\d,\d{3}\.\d|(?:^|[^\d.,])\d{4,}\.\d+"
)
_GROUPS = compiled(r"([-+\x{2212}]?\d{1,3}(?:[.]\d{3}){2,}|[-+\x{2212}]?\d{1,3}(?:,\d{3}){2,})")
_MIXED = compiled(r"[-+\x{2212}]?\d{1,3}(?:\.\d{3})+,\d+|[-+\x{2212}]?\d{1,3}(?:,\d{3})+\.\d+")
_FIGURE = rf"[-+\x{{2212}}\x{{2013}}]?{SPACE}?(?:\d+(?:[.,']\d+)*(?:{SPACE}\d{{3}})*(?:[.,]\d+)?|[.,]\d+)"
_UNIT = r"[\pL%°º\x{b5}][\pL\pN%°/³²·^.()\[\]]*(?:\x{20}?(?:C|F|RH|rF|HR|UR|r\.h\.|O2|vol))?"
_SEPARATOR = r"\.\.\.?\.?|\x{2026}|\x{2013}|\x{2014}|\x{2212}|-|÷|/|~|\x{2192}|;|:|to|bis|a|à|al|hasta|fino a|jusqu'à|jusqu’à|tot|até|do"
_RANGE = compiled(
    rf"(?:(?:from|von|de|da|desde|du|van|range|rango|between|entre){SPACE}+)?(?P<low>{_FIGURE}){SPACE}*"
    rf"(?P<unit_low>{_UNIT})?{SPACE}*(?:{_SEPARATOR}){SPACE}*(?P<high>{_FIGURE}){SPACE}*(?P<unit>[^\d\s].*)?",
    ignore_case=True,
)
_AROUND = compiled(
    rf"(?:±|\+{SPACE}?/{SPACE}?[-\x{{2212}}\x{{2013}}]|\+-){SPACE}*(?P<figure>{_FIGURE}){SPACE}*(?P<unit>[^\d\s].*)?"
)
_ALONE = compiled(
    rf"(?:(?:max|maximum|máx|bis|up to|hasta|fino a|jusqu'à|tot)\.?{SPACE}*|[<≤>≥]=?{SPACE}*)?(?P<figure>{_FIGURE}){SPACE}*(?P<unit>[^\d\s].*)?",
    ignore_case=True,
)
_BRACKETED = compiled(rf"[(\[]{SPACE}*([^()\[\]]*\d[^()\[\]]*?){SPACE}*[)\]]{SPACE}*(.*)")
_UNIT_IN_BRACKETS = compiled(rf"[(\[]{SPACE}*([^()\[\]]+?){SPACE}*[)\]]")
_PIECES = compiled(rf"{SPACE}*(?:=|,{SPACE}|;|\x{{2192}}|{SPACE}/{SPACE}|\|){SPACE}*")
FIGURES_CODE = {",": "figures_comma", ".": "figures_point"}
"""The code of a doubt about a mark before three digits."""
LONGEST = 120


class DoubtError(ValueError):
    """A cell that may be read in several ways, or in none. code: which kind of doubt, see questions.py."""

    def __init__(self, code: str, says: str) -> None:
        super().__init__(says)
        self.code = code


@dataclass(frozen=True)
class Marks:
    """What marks decimals in a file: "," or "." as far as its figures settle it. asked: what somebody said of a mark
    before three digits: {mark: "decimal" or "thousands"}."""

    decimal: str = ""
    comma: str = ""
    point: str = ""

    def of(self, mark: str) -> str:
        """What a mark before three digits is: "decimal", "thousands", or "" if nothing settles it."""
        said = self.comma if mark == "," else self.point
        return said or ("decimal" if mark == self.decimal else "")


@dataclass(frozen=True)
class Span:
    """A range as read: both ends as plain figures, the unit as written, "" for none. signal: an electrical span that
    stood beside it."""

    low: str
    high: str
    unit: str = ""
    signal: str = ""


def decimal_marks(texts: Iterable[str]) -> str:
    """The decimal mark that figures settle among themselves: ",", ".", or "" where there are none, or both."""
    comma = point = False
    for text in texts:
        if len(text) > LONGEST:
            continue
        comma = comma or ("," in text and _BY_COMMA.search(text) is not None)
        point = point or ("." in text and _BY_POINT.search(text) is not None)
        if comma and point:
            return ""
    return "," if comma else "." if point else ""


def read_figure(text: str, marks: Marks = Marks()) -> str:
    """A figure as plain text, with the digits that it has. Raises DoubtError."""
    body = text.strip().replace("\u2013", "-") if text.strip()[:1] == "\u2013" else text.strip()
    if len(body) > LONGEST:
        raise DoubtError("figure", f"“{body[:30]}…” is not a number")
    if two := _TWO_WAYS.fullmatch(body):
        match marks.of(two[1]):
            case "decimal":
                body = body.replace(",", ".")
            case "thousands":
                body = body.replace(two[1], "")
            case _:
                raise DoubtError(FIGURES_CODE[two[1]], f"“{body}” can be read two ways")
    elif _GROUPS.fullmatch(body):
        body = body.replace(".", "").replace(",", "")
    elif _MIXED.fullmatch(body):
        grouping = "." if body.rfind(".") < body.rfind(",") else ","
        body = body.replace(grouping, "").replace(",", ".")
    try:
        return plain(read_number(body.replace(",", ".") if body.count(",") == 1 and "." not in body else body))
    except TextError as error:
        raise DoubtError("figure", str(error)) from error


@lru_cache(maxsize=4_000)
def read_unit_text(text: str) -> str:
    """A unit as our fields take it, with what it is counted from ("bar (g)"), "" for no text. Raises DoubtError."""
    body = text.strip().rstrip(".;,").strip()
    if found := _UNIT_IN_BRACKETS.fullmatch(body):
        body = found[1]
    if not body:
        return ""
    bare = body.replace(" ", "")
    for one in dict.fromkeys((body, bare, body.replace("º", "°"), bare.replace("Grad", "°"))):
        if found_unit := find_unit_and_reference(one):
            unit, reference = found_unit
            return f"{unit.shown} {reference}".strip()
    raise DoubtError("unit", f"“{text}” is not a unit in the table")


def read_figure_and_unit(text: str, marks: Marks = Marks()) -> tuple[str, str]:
    """A figure, and the unit that stands behind it, "" for none. Raises DoubtError."""
    body = text.strip()
    found = _ALONE.fullmatch(body) if len(body) <= LONGEST else None
    if found is None or body[:1] in "<>≤≥":
        raise DoubtError("figure", f"“{body[:40]}” is not a number")
    return read_figure(_closed(found["figure"]), marks), read_unit_text(found["unit"] or "")


def read_span(text: str, marks: Marks = Marks()) -> Span:
    """A range by the table of this module. Raises DoubtError: alone, reversed, electrical, figures, unit or range."""
    body = text.strip()
    if len(body) > min(LONGEST, LONGEST_LINE):
        raise DoubtError("range", f"“{body[:40]}…” is not a range")
    if _electrical(body):
        raise DoubtError("electrical", f"“{body}” is a signal, no range of a quantity")
    if found := _BRACKETED.fullmatch(body):
        rest = found[2].strip()
        # "(0-100) %"; and "0-10 bar (4-20 mA)" is cut below.
        body = f"{found[1]} {rest}".strip()
    pieces = [piece for piece in _PIECES.split(body) if piece.strip()]
    signals = [piece for piece in pieces if _electrical(piece)]
    if len(pieces) == 2 and len(signals) == 1:
        other = next(piece for piece in pieces if piece not in signals)
        found_span = _span(other, marks)
        return Span(found_span.low, found_span.high, found_span.unit, span_of(signals[0].strip()))
    behind = _signal_behind(body)
    if behind:
        found_span = _span(behind[0], marks)
        return Span(found_span.low, found_span.high, found_span.unit, behind[1])
    return _span(body, marks)


def _signal_behind(body: str) -> tuple[str, str] | None:
    """("0-10 bar", "4–20 mA") from "0-10 bar (4-20 mA)"."""
    if not body.endswith(")") or "(" not in body:
        return None
    before, _, inner = body[:-1].rpartition("(")
    return (before, span_of(inner.strip())) if before.strip() and _electrical(inner) else None


def _span(body: str, marks: Marks) -> Span:
    body = body.strip()
    if around := _AROUND.fullmatch(body):
        figure = read_figure(_closed(around["figure"]), marks).lstrip("-")
        return Span(f"-{figure}" if Decimal(figure) else figure, figure, _own_unit(around["unit"]))
    found = _RANGE.fullmatch(body)
    if found is None:
        if _ALONE.fullmatch(body):
            raise DoubtError("alone", f"“{body}” is one end of a range")
        raise DoubtError("range", f"“{body}” is not a range")
    unit = _own_unit(found["unit"])
    if found["unit_low"] and (first := _own_unit(found["unit_low"])) != unit:
        if found["unit"]:
            raise DoubtError("range", f"“{body}” has two units")
        unit = first
    low, high = (read_figure(_closed(found[end]), marks) for end in ("low", "high"))
    if Decimal(low) > Decimal(high):
        raise DoubtError("reversed", f"“{body}” begins with its higher end")
    return Span(low, high, unit)


def _own_unit(text: str | None) -> str:
    return read_unit_text(text) if text else ""


@lru_cache(maxsize=4_000)
def _electrical(text: str) -> bool:
    """Whether a text is the span of a signal and nothing else."""
    body = text.strip()
    if not body or body[-1:] not in "AaVvCcDd":
        return False
    return bool(span_of(body)) and body.lower().rstrip("dc ").endswith(("ma", "v"))


def _closed(figure: str) -> str:
    """A figure without the blank behind its sign, and with a plain sign."""
    body = figure.strip()
    if body[:1] in ("-", "+", MINUS, "\u2013"):
        sign = "-" if body[0] in ("-", MINUS, "\u2013") else ""
        return sign + body[1:].lstrip()
    return body
