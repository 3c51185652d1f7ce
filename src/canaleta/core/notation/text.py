"""Text typed by people: numbers and ranges read without guessing, and numbers written as we show them.

Nothing here knows a field or a unit table; callers pass what they accept.
"""

from __future__ import annotations

from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Context, Decimal, InvalidOperation

from canaleta.core.notation.patterns import DASHES, SPACE, compiled

__all__ = [
    "RangeText",
    "TextError",
    "as_typed",
    "begins_formula",
    "is_decimal",
    "plain",
    "plain_figure",
    "read_number",
    "read_range",
    "rounded_text",
    "short",
    "shown",
]

MINUS = "\u2212"
THIN_SPACE = "\u202f"
_WIDE = Context(prec=400)
LONGEST_NUMBER = 80
_SEPARATORS = str.maketrans(dict.fromkeys("\u00a0\u2009\u202f'\t\n\r\f\v\u2007\u2003\u2002", " "))
_FIGURE = rf"[-+\x{{2212}}]?{SPACE}?(?:\d+(?:(?:{SPACE}|')\d{{3}})*(?:[.,]\d+)*|[.,]\d+)"
_RANGE = compiled(
    rf"{SPACE}*(?P<low>{_FIGURE}){SPACE}*(?:\.\.\.?|\x{{2026}}|{DASHES}|to|bis|a){SPACE}*(?P<high>{_FIGURE}){SPACE}*"
    rf"(?P<unit>[^\d\s\x{{a0}}].*)?",
    ignore_case=True,
)
LONGEST_RANGE = 200


_FORMULA_SIGNS = frozenset("=+-@\t\r\n\u2212\uff1d\uff0b\uff0d\uff20\ufe62\ufe63\ufe66\ufe6b")
"""What a spreadsheet may take for the beginning of a formula or a command: the four signs, their full-width and small
forms, the minus of typography, and the white space that some programs skip."""


def begins_formula(text: str) -> bool:
    """Whether a spreadsheet may compute a text instead of showing it. Leading blanks do not hide a formula."""
    return bool(text) and (text[0] in _FORMULA_SIGNS or text.lstrip("\u00a0\u3000 ")[:1] in _FORMULA_SIGNS)


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


def is_decimal(body: str) -> bool:
    """Whether a text is a number as programs write it: sign, digits with at most one point, exponent of three
    digits."""
    rest = body[1:] if body[:1] in ("+", "-") else body
    mantissa, mark, power = rest.replace("E", "e").partition("e")
    if mark:
        figure = power[1:] if power[:1] in ("+", "-") else power
        if not (_digits(figure) and len(figure) <= 3):
            return False
    whole, point, fraction = mantissa.partition(".")
    if not point:
        return _digits(whole)
    return (_digits(whole) or not whole) and (_digits(fraction) or not fraction) and bool(whole or fraction)


def _digits(text: str) -> bool:
    return text.isascii() and text.isdigit()


def _grouped(body: str) -> bool:
    """Whether blanks stand only between groups of three digits, and behind a sign."""
    rest = body[1:] if body[:1] in ("+", "-") else body
    first, *others = rest.removeprefix(" ").split(" ")
    if not others:
        return not (rest.startswith(" ") and body[:1] not in ("+", "-"))
    last = others[-1].replace(",", ".", 1).partition(".")
    groups = [*others[:-1], last[0]]
    tail = last[2]
    return (
        _digits(first)
        and len(first) <= 3
        and all(_digits(g) and len(g) == 3 for g in groups)
        and (_digits(tail) or not tail)
    )


def read_number(text: str) -> Decimal:
    """A number as typed, with every digit kept.

    A comma or a point may be the decimal mark. A single comma followed by exactly three digits could be
    either a decimal or a thousands mark, and is asked about rather than guessed ("0,125" can only be a
    decimal). Spaces and apostrophes between groups of three are thousands marks.

    Raises TextError with what was wrong and how to write it.
    """
    raw = text.strip()
    if len(raw) > LONGEST_NUMBER:
        raise TextError(f"“{raw[:20]}…” has {len(raw)} characters: use at most thirty digits")
    body = raw.replace(MINUS, "-").translate(_SEPARATORS)
    if " " in body:
        if not _grouped(body):
            raise TextError(f"“{raw}” is not one number")
        body = body.replace(" ", "")
    if body.count(",") == 1 and "." not in body:
        whole, fraction = body.split(",")
        if len(fraction) == 3 and whole.lstrip("+-") not in ("", "0"):
            joined = whole + fraction
            raise TextError(f"“{raw}” can be read two ways: write {joined} or {whole}.{fraction}")
        body = f"{whole}.{fraction}"
    if not is_decimal(body):
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
    typed = text.rstrip()
    # A plain number is the commonest of all cells.
    if len(typed) > LONGEST_RANGE or is_decimal(typed):
        return None
    found = _RANGE.fullmatch(typed)
    if not found:
        return None
    low, high = (read_number(_close_sign(found[end])) for end in ("low", "high"))
    return RangeText(low, high, (found["unit"] or "").strip())


def _close_sign(figure: str) -> str:
    return figure[0] + figure[1:].lstrip() if figure[:1] in ("-", "+", MINUS) else figure


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


def rounded_text(value: float) -> str:
    """A worked-out number as somebody would type it: at most seven significant digits, no idle zeros."""
    rounded = Decimal(f"{value:.7g}")
    text = plain(rounded)
    return (text.rstrip("0").rstrip(".") if "." in text else text) or "0"
