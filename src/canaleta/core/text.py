"""Text typed by people: numbers and ranges read without guessing, and numbers written as we show them.

Nothing here knows a field or a unit table; callers pass what they accept.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Context, Decimal, InvalidOperation

__all__ = [
    "RangeText",
    "TextError",
    "as_typed",
    "plain",
    "plain_figure",
    "read_number",
    "read_range",
    "short",
    "shown",
]

MINUS = "\u2212"
THIN_SPACE = "\u2009"
_WIDE = Context(prec=400)
_SPACES = re.compile(r"[\s\u00a0\u2009\u202f']")
_NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,3})?", re.ASCII)
_FIGURE = r"[-+\u2212]?\s?(?:\d+(?:[\s\u00a0\u2009\u202f']\d{3})*(?:[.,]\d+)*|[.,]\d+)"
_RANGE = re.compile(
    rf"\s*(?P<low>{_FIGURE})\s*(?:\.\.\.?|\u2026|\u2013|\u2014|-|to|bis|a)\s*(?P<high>{_FIGURE})\s*(?P<unit>[^\d\s].*)?",
    re.IGNORECASE,
)


def short(error: BaseException, most: int = 200) -> str:
    """An exception in one line: the first of its message, or its type where it has none."""
    return (str(error).strip().splitlines() or [type(error).__name__])[0][:most]


class TextError(ValueError):
    """The text cannot be read as what the cell holds. The message is meant for the person who typed it."""


@dataclass(frozen=True)
class RangeText:
    """Two end points and the unit written behind them, '' if none."""

    low: Decimal
    high: Decimal
    unit: str


def read_number(text: str) -> Decimal:
    """A number as typed, with every digit kept.

    A comma or a point may be the decimal mark. A single comma followed by exactly three digits could be
    either a decimal or a thousands mark, and is asked about rather than guessed ("0,125" can only be a
    decimal). Spaces and apostrophes between groups of three are thousands marks.

    Raises TextError with what was wrong and how to write it.
    """
    raw = text.strip()
    body = raw.replace(MINUS, "-")
    if _SPACES.search(body) and not re.fullmatch(r"[+-]?\s?\d{1,3}([\s\u00a0\u2009\u202f']\d{3})+([.,]\d*)?", body):
        raise TextError(f"“{raw}” is not one number")
    body = _SPACES.sub("", body)
    if body.count(",") == 1 and "." not in body:
        whole, fraction = body.split(",")
        if len(fraction) == 3 and whole.lstrip("+-") not in ("", "0"):
            joined = whole + fraction
            raise TextError(f"“{raw}” can be read two ways: write {joined} or {whole}.{fraction}")
        body = f"{whole}.{fraction}"
    if not _NUMBER.fullmatch(body):
        raise TextError(f"“{raw}” is not a number")
    try:
        value = Decimal(body)
    except InvalidOperation as error:  # pragma: no cover - the pattern above admits only what Decimal reads
        raise TextError(f"“{raw}” is not a number") from error
    if value != 0 and not (-30 <= value.adjusted() <= 30):
        raise TextError(f"“{raw}” is beyond any signal: use at most thirty digits")
    if -value.as_tuple().exponent > 30:  # type: ignore[operator]
        raise TextError(f"“{raw}” has more than thirty decimals")
    return value


def read_range(text: str) -> RangeText | None:
    """Two numbers with a separator ("0-6 bar", "-20…80 °C", "4 to 20 mA"), or None if it is not a range."""
    found = _RANGE.fullmatch(text.rstrip())
    if not found:
        return None
    low, high = (read_number(re.sub(r"^([-+\u2212])\s", r"\1", found[end])) for end in ("low", "high"))
    return RangeText(low, high, (found["unit"] or "").strip())


def plain(value: Decimal | float | int) -> str:
    """A number as text that any program reads: decimal point, ASCII minus, no exponent, decimals as given."""
    if isinstance(value, (Decimal, int)):
        return format(value, "f" if isinstance(value, Decimal) else "d")
    return format(Decimal(repr(float(value))), "f")


def plain_figure(value: float) -> str:
    """A worked-out number as text that any program reads: no exponent, no zero behind a whole number."""
    text = plain(value)
    return text.removesuffix(".0")


def as_typed(text: str) -> str:
    """A number as it was typed, with a true minus sign."""
    return MINUS + text[1:] if text.startswith("-") else text


def shown(value: float, decimals: int) -> str:
    """A number as we show it: true minus sign, thin spaces between thousands, fixed decimals.

    A five is rounded away from zero, as people do by hand: 156.25 is shown as 156.3. The browser does the same.
    """
    if value != value:
        return ""
    if value in (float("inf"), float("-inf")):
        return "∞" if value > 0 else f"{MINUS}∞"
    exact = Decimal(repr(float(value))).quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_UP, _WIDE)
    text = f"{exact:,f}".replace(",", THIN_SPACE)
    if text.strip("-0.,") == "":
        text = text.lstrip("-")
    return text.replace("-", MINUS)
