"""From raw word to value in a controller: data types, the conversions between them, and what whole numbers lose.

Types are those of IEC 61131-3. Whole-number scaling is taken as (count − c0) · (v1 − v0) / (c1 − c0) + v0 with the
division last, which is the best that whole numbers can do.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from canaleta.core.notation.text import shown
from canaleta.core.signals.converters import WordForm

__all__ = ["RANGES", "TypeChain", "TypeStep", "chain_of", "raw_type"]

RANGES: dict[str, tuple[int, int]] = {
    "INT": (-(1 << 15), (1 << 15) - 1),
    "UINT": (0, (1 << 16) - 1),
    "DINT": (-(1 << 31), (1 << 31) - 1),
    "UDINT": (0, (1 << 32) - 1),
}
REAL_DIGITS = 24
"""Bits of a REAL's significand (IEC 60559): whole numbers beyond 2^24 lose their last digit."""
LOSS_ALLOWED = 0.001


@dataclass(frozen=True)
class TypeStep:
    """One step: what stands, how it is made, why; loses: whether something is lost there."""

    what: str
    how: str
    why: str = ""
    loses: bool = False


@dataclass(frozen=True)
class TypeChain:
    """The steps, what would go wrong, and in one line how to do it."""

    steps: tuple[TypeStep, ...]
    troubles: tuple[str, ...]
    verdict: str


def raw_type(form: WordForm) -> str:
    """The type a word is read as."""
    if form.kind == "float":
        return "REAL"
    unsigned = form.coding != "two's complement"
    return {(16, False): "INT", (16, True): "UINT", (32, False): "DINT", (32, True): "UDINT"}[form.bits, unsigned]


def chain_of(
    form: WordForm,
    wanted: str,
    counts: tuple[float, float],
    values: tuple[float, float],
    limits: tuple[float, float],
    factor: float = 1.0,
) -> TypeChain:
    """The chain of one point. wanted: type of the value; counts, values: both end points; limits: of the count; factor: how
    many whole numbers one unit is."""
    raw = raw_type(form)
    steps = [TypeStep("raw word", raw, _read_as(form))]
    troubles: list[str] = []
    working = "LREAL" if wanted == "LREAL" or (raw in ("DINT", "UDINT") and _wide(limits)) else "REAL"
    if raw != working:
        steps.append(
            TypeStep("conversion", f"{raw}_TO_{working}(raw)", "before any arithmetic, so that nothing is cut off")
        )
    steps.append(TypeStep("arithmetic", f"in {working}", "literals with a decimal point: 10.0, not 10"))
    if wanted in RANGES:
        if factor != 1.0:
            steps.append(TypeStep("times", f"· {factor:g}", f"one unit is {factor:g} of its whole numbers"))
        values = values[0] * factor, values[1] * factor
        span = abs(values[1] - values[0])
        low, high = RANGES[wanted]
        loss = 1.0 / span if span else float("inf")
        if loss > LOSS_ALLOWED:
            troubles.append(f"as {wanted} the value moves by 1: {shown(loss * 100, 2)} % of its span is cut off")
        reach = [values[0] + (c - counts[0]) / (counts[1] - counts[0]) * (values[1] - values[0]) for c in limits]
        if min(reach) < low or max(reach) > high:
            troubles.append(
                f"{wanted} holds {shown(low, 0)} … {shown(high, 0)}; the value reaches"
                f" {shown(min(reach), 0)} … {shown(max(reach), 0)}"
            )
        steps.append(TypeStep("to the value", f"{working}_TO_{wanted}", "rounded", bool(troubles)))
    else:
        if wanted == "REAL" and working == "LREAL":
            steps.append(TypeStep("to the value", "LREAL_TO_REAL", "24 bits of the count are kept"))
        steps.append(TypeStep("value", wanted))
    steps.append(_whole_numbers(counts, values, limits))
    verdict = f"{raw} → {working} → {wanted}" if raw != working or working != wanted else f"{wanted} all the way"
    return TypeChain(tuple(steps), tuple(troubles), verdict)


def _read_as(form: WordForm) -> str:
    bits = f"{form.bits} bits" + (f", the first {form.used_bits} used" if form.used_bits else "")
    if form.kind == "float":
        return f"IEEE 754, order {form.order}"
    return f"{form.coding}, {bits}" + (f", order {form.order}" if form.bits == 32 else "")


def _wide(limits: tuple[float, float]) -> bool:
    return max(abs(limits[0]), abs(limits[1])) > 1 << REAL_DIGITS


def _whole_numbers(counts: tuple[float, float], values: tuple[float, float], limits: tuple[float, float]) -> TypeStep:
    """What the same scaling would do in whole numbers alone."""
    c0, c1, v0, v1 = (round(x) for x in (*counts, *values))
    if c0 == c1:
        return TypeStep("in whole numbers only", "impossible", "the counts are the same", True)
    products = [(round(c) - c0) * (v1 - v0) for c in limits if np.isfinite(c)]
    product = max(abs(p) for p in products)
    narrow = next((t for t in ("INT", "DINT") if product <= RANGES[t][1]), "none")
    span = abs(values[1] - values[0])
    # Cut off toward zero: up to one unit of the value, and the rounding of the ends themselves.
    loss = (1.0 + abs(values[0] - v0) + abs(values[1] - v1)) / span if span else float("inf")
    parts = []
    if narrow != "INT":
        needs = "needs DINT between" if narrow == "DINT" else "overflows even DINT"
        parts.append(f"the product reaches {shown(product, 0)}: it overflows INT, {needs}")
    if loss > LOSS_ALLOWED:
        parts.append(f"division cuts off up to {shown(loss * 100, 2)} % of span")
    return TypeStep(
        "in whole numbers only",
        "; ".join(parts) or "loses less than 0.1 %",
        "what integer arithmetic would do",
        bool(parts),
    )
