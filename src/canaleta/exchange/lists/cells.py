"""How a text of a column becomes texts of our fields: one reader for each kind of target."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from canaleta.core.model.fields import Kind, field_named, read_choice
from canaleta.core.notation.text import TextError
from canaleta.exchange.lists.contents import is_error
from canaleta.exchange.lists.figures import (
    DoubtError,
    Marks,
    Span,
    read_figure,
    read_figure_and_unit,
    read_span,
    read_unit_text,
)
from canaleta.exchange.lists.headings import NUMBER_TARGETS, RANGES
from canaleta.exchange.lists.judging import Column
from canaleta.exchange.lists.phrases import read_phrase, read_supply, read_wires
from canaleta.exchange.lists.places import read_core_text, read_strip
from canaleta.exchange.sheets import EXACT

__all__ = ["NOTHING", "UNIT_OF", "Answers", "Got", "cell_reader", "range_reader", "signal_reader"]

Answers = Callable[[str, str], str]
"""What somebody said of a doubt, by its code and the key of its column, "" for nothing."""


@dataclass(frozen=True)
class Got:
    """What a text gives: {field: text}; or the code of a doubt, why, and what it may be where that is known."""

    fields: Mapping[str, str] = field(default_factory=dict)
    code: str = ""
    says: str = ""
    choices: tuple[str, ...] = ()


NOTHING = Got()
UNIT_OF = "unit_of:"
"""What stands before a field that has no unit of its own, for the unit that its figure was written with."""


def cell_reader(one: Column, marks: Marks, strip: str, answers: Answers) -> Callable[..., Got]:
    """How a text of a column becomes texts of fields."""
    target = one.target

    def careful(read: Callable[..., Mapping[str, str]]) -> Callable[..., Got]:
        def reads(*key: str) -> Got:
            text = key[0].rstrip(EXACT)
            if is_error(text):
                return Got({}, "error", f"“{text}” is what a formula gave that failed")
            try:
                return Got(read(key[0] if target in NUMBER_TARGETS else text, *key[1:]))
            except DoubtError as doubt:
                return Got({}, doubt.code, str(doubt))
            except TextError as error:
                return Got({}, "words", str(error))

        return reads

    if target in NUMBER_TARGETS:
        return careful(lambda text: _figure(target, text, marks))
    match target:
        case "strip":
            return careful(lambda text, name="": {"strip": read_strip(text, name or strip)})
        case "cores":
            return careful(lambda text: {"cores": read_core_text(text)})
        case "wires":
            return careful(
                lambda text: (
                    {"wires": wires} if (wires := read_wires(text)) else _no("words", text, "a number of wires")
                )
            )
        case "supply":
            return careful(lambda text: {"supply": _supply(text, one, answers)})
        case "hart":
            return careful(lambda text: {"hart": "no" if text.casefold()[:1] in ("n", "0") else "yes"})
        case "device_unit" | "value_unit":
            return careful(lambda text: {target: read_unit_text(text)})
    field_ = field_named(target)
    if field_.kind is Kind.CHOICE:
        return careful(lambda text: {target: read_choice(field_.choices, text)})
    return careful(lambda text: {target: text})


def _no(code: str, text: str, what: str) -> Mapping[str, str]:
    raise DoubtError(code, f"“{text}” is not {what}")


def _supply(text: str, one: Column, answers: Answers) -> str:
    if found := read_supply(text):
        return found
    said = answers("supply", one.key)
    if said:
        return said
    raise DoubtError("supply", f"“{text}” does not say who feeds the loop")


def _figure(target: str, text: str, marks: Marks) -> Mapping[str, str]:
    """One figure, with its unit if it has one; or both ends of a range, where a range stands in the column of its
    low end."""
    exact = text.endswith(EXACT)
    body = text.rstrip(EXACT)
    if exact:
        return {target: read_figure(body, Marks(".", point="decimal"))}
    field_ = field_named(target)
    if field_.pair and target.endswith(("_low", "_high")) and (span := _span_in(body, marks)):
        low, high = (target, field_.pair) if target.endswith("_low") else (field_.pair, target)
        return {
            low: span.low,
            high: span.high,
            **({field_.unit_field: span.unit} if span.unit and field_.unit_field else {}),
        }
    figure, unit = read_figure_and_unit(body, marks)
    if not unit:
        return {target: figure}
    if field_.unit_field:
        return {target: figure, field_.unit_field: unit}
    return {target: figure, f"{UNIT_OF}{target}": unit}


def _span_in(body: str, marks: Marks) -> Span | None:
    """A range that stands where one end should, None if the text is none."""
    try:
        return read_span(body, marks)
    except DoubtError as doubt:
        if doubt.code in ("alone", "range", "figure"):
            return None
        raise


def signal_reader(one: Column, answers: Answers) -> Callable[..., Got]:
    def reads(text: str, io: str, form: str) -> Got:
        text = text.rstrip(EXACT)
        if is_error(text):
            return Got({}, "error", f"“{text}” is what a formula gave that failed")
        phrase = read_phrase(text, io)
        signals = phrase.signals
        code = phrase.code
        if not signals:
            return Got(phrase.also, "signal", f"“{text}” is not a signal that a channel takes")
        if len(signals) > 1 and form and code == "form":
            signals = tuple(s for s in signals if s.endswith(f" {form}"))
        if code == "letter":
            if answers(code, one.key) == "thermocouple":
                return Got({"signal": signals[0]})
            return Got({}, code, f"“{text}” may be {signals[0]}", signals)
        if len(signals) > 1 and (said := answers(code, one.key)):
            narrowed = tuple(
                s for s in signals if s == said or s.endswith(f" {said}") or (said == "load" and s.startswith("load"))
            )
            signals = narrowed or signals
        if len(signals) == 1:
            return Got({"signal": signals[0], **phrase.also})
        return Got(phrase.also, code, f"“{text}” may be {' or '.join(signals)}", signals)

    return reads


def range_reader(one: Column, marks: Marks, answers: Answers) -> Callable[..., Got]:
    low, high, unit = RANGES[one.target]

    def gives(ends: tuple[str, str], said: str) -> Mapping[str, str]:
        return {low: ends[0], high: ends[1], **({unit: said} if said and unit else {})}

    def reads(text: str) -> Got:
        text = text.rstrip(EXACT)
        if is_error(text):
            return Got({}, "error", f"“{text}” is what a formula gave that failed")
        try:
            span = read_span(text, marks)
        except DoubtError as doubt:
            said = answers(doubt.code, one.key)
            if not said:
                return Got({}, doubt.code, str(doubt))
            return _answered(doubt, said, text)
        return Got({**gives((span.low, span.high), span.unit), **({"signal": span.signal} if span.signal else {})})

    def _answered(doubt: DoubtError, said: str, text: str) -> Got:
        try:
            match doubt.code, said:
                case "alone", "from zero":
                    figure, own = read_figure_and_unit(text.lstrip("<≤>≥= "), marks)
                    return Got(gives(("0", figure), own))
                case "alone", "around zero":
                    figure, own = read_figure_and_unit(text.lstrip("<≤>≥= "), marks)
                    return Got(gives((f"-{figure}", figure), own))
                case "alone", "high end":
                    figure, own = read_figure_and_unit(text.lstrip("<≤>≥= "), marks)
                    return Got({high: figure, **({unit: own} if own and unit else {})})
                case "electrical", "signal":
                    phrase = read_phrase(text)
                    if len(phrase.signals) == 1:
                        return Got({"signal": phrase.signals[0]})
                case "reversed", "turned" | "as written":
                    span = _reversed(text, marks)
                    ends = span if said == "as written" else (span[1], span[0], span[2])
                    return Got(gives(ends[:2], ends[2]))
                case "unit", "without":
                    span_ = read_span(text.rstrip("".join(c for c in text if not c.isdigit())), marks)
                    return Got(gives((span_.low, span_.high), ""))
        except DoubtError as other:
            return Got({}, other.code, str(other))
        return Got({}, doubt.code, str(doubt))

    return reads


def _reversed(text: str, marks: Marks) -> tuple[str, str, str]:
    """Both ends and the unit of a range that begins with its higher end."""
    body = text.strip()
    for at in range(1, len(body)):
        try:
            first, unit_first = read_figure_and_unit(body[:at].rstrip(" -–…./~to÷"), marks)
            second, unit = read_figure_and_unit(
                body[at:].lstrip(" –…./~to÷").removeprefix("-")
                if body[at : at + 1] == "-"
                else body[at:].lstrip(" –…./~to÷"),
                marks,
            )
        except DoubtError:
            continue
        if float(first) > float(second):
            return first, second, unit or unit_first
    raise DoubtError("reversed", f"“{body}” begins with its higher end")
