"""The ways a channel can work: a name, what it takes, what it counts."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from canaleta.core.hardware.manual.lines import FROM_TO, FromManual, LineTrouble, lines_of
from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.text import TextError, plain, read_number, read_range
from canaleta.core.signals.signal_types import SIGNALS, Family

__all__ = ["read_modes"]

_CURVE = compiled(r"(?:tc|type|thermocouple)\s*-?\s*([abcejknrst])\b", ignore_case=True)
_ELEMENT = compiled(r"\b(pt|ni|cu)\s?-?([0-9]{2,4})\b", ignore_case=True)
_CODE = compiled(r"(?:0x([0-9a-f]{1,4})|([0-9]{1,5}))", ignore_case=True)
_UNITS = {
    "ma": "mA", "v": "V", "vdc": "V", "mv": "mV", "°c": "°C", "degc": "°C", "c": "°C", "°f": "°F", "degf": "°F", "f": "°F",
    "k": "K", "ω": "Ω", "ohm": "Ω", "ohms": "Ω", "hz": "Hz", "mv/v": "mV/V", "%": "%",
}  # fmt: skip
_NUMBER = compiled(r"[-+−–]?[0-9]{1,10}")
_WITHIN = compiled(
    r"[-+−]?[0-9]+(?:[.,][0-9]+)?\s*(?:\.{2,3}|…|–|-|to)\s*[-+−]?[0-9]+(?:[.,][0-9]+)?\s*[^\s,;()]*", ignore_case=True
)
_OFF = ("off", "disabled", "not used", "unused", "inactive", "switched off")
_PLUS_MINUS = compiled(r"±\s*([0-9]+(?:[.,][0-9]+)?)\s*(.*)")


def read_modes(text: str) -> FromManual:
    """Ways a channel can work: a name, the range of the signal with its unit, the range of the counts, and if the
    manual has it the number that chooses it. The two ends of the counts may stand in columns of their own, the range among
    other words; a channel that is off may be one of the ways."""
    out = FromManual(parts={"modes": []})
    modes: list[dict[str, Any]] = out.parts["modes"]
    for number, cells in lines_of(text):
        whole = " ".join(cell for cell in cells if cell)
        cells = _counts_together(cells)
        ranges = [(k, found) for k, cell in enumerate(cells) if (found := _range(cell))]
        if not any(_unit(found[2]) for _, found in ranges):
            # “Type K, -200…1370 °C”: the range stands among other words.
            inside = ((k, w[0]) for k, cell in enumerate(cells) for w in _WITHIN.finditer(cell) if w[0] != cell)
            more = [(k, found) for k, part in inside if (found := _range(part)) and _unit(found[2])]
            ranges = more[:1] + ranges
        if any(word in whole.lower() for word in _OFF) and not any(_unit(found[2]) for _, found in ranges):
            code = next((found for cell in cells if (found := _CODE.fullmatch(cell))), None)
            if code is not None:
                out.codes["off"] = int(code[1], 16) if code[1] else int(code[2])
            continue
        if not ranges:
            if modes or any(_range(cell) for cell in cells):
                out.troubles.append(LineTrouble(number, whole, "no range of a signal stands there"))
            continue
        try:
            mode, k_counts = _mode(cells, ranges)
        except TextError as error:
            out.troubles.append(LineTrouble(number, whole, str(error)))
            continue
        if any(known["name"] == mode["name"] for known in modes):
            mode["name"] = f"{mode['name']} {sum(m['name'].startswith(mode['name']) for m in modes) + 1}"
        used = {k for k, _ in ranges[:2]} | ({k_counts} if k_counts is not None else set())
        for k, cell in enumerate(cells):
            if k not in used and (found := _CODE.fullmatch(cell)):
                out.codes[mode["name"]] = int(found[1], 16) if found[1] else int(found[2])
                break
        if k_counts is None:
            out.guesses.append(f"{mode['name']}: no counts were told, so it counts tenths of its unit or thousandths")
        modes.append(mode)
    told = len(out.codes) - ("off" in out.codes)
    if out.codes and (len(set(out.codes.values())) < len(out.codes) or told < len(modes)):
        out.guesses.append(
            "the numbers that choose the modes are not all there, or two are alike: they were left out"
        )
        out.codes = {}
    return out


def _counts_together(cells: Sequence[str]) -> list[str]:
    """Cells in which the last two, where both are whole numbers, are the two ends of the counts."""
    filled = [k for k, cell in enumerate(cells) if cell]
    if len(filled) < 4 or not all(_NUMBER.fullmatch(cells[k]) for k in filled[-2:]):
        return list(cells)
    low, high = (cells[k] for k in filled[-2:])
    return [*(cells[k] for k in filled[:-2]), f"{low}…{high}"]


def _range(cell: str) -> tuple[Decimal, Decimal, str] | None:
    """(low, high, unit) of a cell that is a range."""
    if found := _PLUS_MINUS.fullmatch(cell):
        try:
            high = read_number(found[1])
        except TextError:
            return None
        return -high, high, found[2].strip()
    if found := FROM_TO.fullmatch(cell):
        ends = [_CODE.fullmatch(part.strip()) for part in (found[1], found[2])]
        if any(end and end[1] for end in ends) and all(ends):
            low, high = (Decimal(int(end[1], 16) if end[1] else int(end[2])) for end in ends if end)
            return low, high, ""
    try:
        read = read_range(cell)
    except TextError:
        return None
    return None if read is None else (read.low, read.high, read.unit)


def _mode(
    cells: Sequence[str], ranges: Sequence[tuple[int, tuple[Decimal, Decimal, str]]]
) -> tuple[dict[str, Any], int | None]:
    """A mode's document, and which cell its counts came from."""
    whole = " ".join(cells)
    k, (low, high, unit) = ranges[0]
    counts = next(((j, r) for j, r in ranges[1:] if not _unit(r[2])), None)
    of_counts = counts[0] if counts else -1
    name = next((c for j, c in enumerate(cells) if j != of_counts and c and not _CODE.fullmatch(c)), "")
    curve, family = _curve_of(whole)
    known = _unit(unit) or _unit(next((c for c in cells if _unit(c)), ""))
    if family and known not in ("°C", "°F", "K"):
        known = known or "°C"
        if known not in ("°C", "°F", "K"):
            # An element that is measured in ohms or millivolts has no curve in the module.
            curve, family = "", ""
    if not known:
        raise TextError(f"“{cells[k]}” says no unit: mA, V, mV, °C, °F, K, Ω, Hz or mV/V")
    if low == high:
        raise TextError(f"“{cells[k]}”: the two ends of a span must differ")
    if counts is None:
        each = 10 if family else 1000
        c_low, c_high = low * each, high * each
    else:
        c_low, c_high, _ = counts[1]
        if c_low == c_high:
            raise TextError(f"“{cells[counts[0]]}”: the two ends of the counts must differ")
    mode: dict[str, Any] = {
        "name": (name or f"{plain(low)}…{plain(high)} {known}")[:80],
        "family": family or "linear",
        "signal_unit": known,
        "signal": {"low": float(low), "high": float(high)},
        "counts": {"low": float(c_low), "high": float(c_high)},
    }
    if curve:
        mode["curve"] = curve
    if family:
        mode |= {"least": float(min(c_low, c_high)), "most": float(max(c_low, c_high))}
    return mode, None if counts is None else counts[0]


def _unit(text: str) -> str:
    return _UNITS.get(text.strip().lower().replace(" ", ""), "")


def _curve_of(text: str) -> tuple[str, str]:
    """(curve, family) that a line names, both empty if none."""
    if found := _ELEMENT.search(text):
        named = f"{found[1].capitalize()}{found[2]}"
        signal = next((s for s in SIGNALS if s.family is Family.RESISTANCE and s.name == named), None)
        if signal is not None:
            return signal.curve, "resistance"
    if found := _CURVE.search(text):
        return found[1].upper(), "thermocouple"
    return "", ""
