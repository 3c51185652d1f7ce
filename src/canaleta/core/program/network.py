"""A point's code as a network: blocks, what stands at their pins, and where results go. From it come text and diagrams alike."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

__all__ = [
    "Arg",
    "Block",
    "Bool",
    "Call",
    "Constants",
    "Is",
    "Masked",
    "Network",
    "Not",
    "Or",
    "Pin",
    "Real",
    "Set",
    "Time",
    "Var",
    "Whole",
    "figure",
    "time_text",
]


class Real(NamedTuple):
    """A literal of the target's real type."""

    value: float


class Whole(NamedTuple):
    value: int


class Bool(NamedTuple):
    value: bool


class Time(NamedTuple):
    ms: float


class Var(NamedTuple):
    """A variable, converted by a function if one is named."""

    name: str
    convert: str = ""


class Pin(NamedTuple):
    """An output of a block, converted by a function if one is named."""

    instance: str
    pin: str
    convert: str = ""


class Not(NamedTuple):
    of: Var | Pin


class Masked(NamedTuple):
    """Whether a bit of a word is 1, or is 0."""

    word: str
    bit: int
    one: bool


class Or(NamedTuple):
    a: Var | Pin
    b: Var | Pin | Masked


class Is(NamedTuple):
    """Whether a whole number is a certain one."""

    of: Var | Pin
    value: int


Arg = Masked | Real | Whole | Bool | Time | Var | Pin | Not | Or | Is


class Block(NamedTuple):
    """An instance of a block."""

    name: str
    type: str


class Constants(NamedTuple):
    """An array of figures that nobody writes."""

    name: str
    values: tuple[float, ...]


class Call(NamedTuple):
    instance: str
    type: str
    pins: tuple[tuple[str, Arg], ...]


class Set(NamedTuple):
    name: str
    to: Arg


class Network(NamedTuple):
    """What is done for one point. variables: (name, type, comment) that everybody may see; blocks: instances; arrays of figures;
    steps in their order."""

    variables: tuple[tuple[str, str, str], ...]
    blocks: tuple[Block, ...]
    arrays: tuple[Constants, ...]
    steps: tuple[Call | Set, ...]


def figure(value: float, real: str) -> str:
    """A literal that reads back as the very same number of its type: its shortest digits, always with a point."""
    x: np.floating[Any] = np.float32(value) if real == "REAL" else np.float64(value)
    text = (
        np.format_float_positional(x, unique=True, trim="0")
        if value == 0 or 1e-4 <= abs(value) < 1e9
        else np.format_float_scientific(x, unique=True, trim="0", exp_digits=1)
    )
    return text.replace("e", "E").replace("E+", "E")


def time_text(ms: float) -> str:
    """A duration: T#500ms, T#2s."""
    whole = round(ms)
    return f"T#{whole // 1000}s" if whole and whole % 1000 == 0 else f"T#{whole}ms"


def arg_text(arg: Arg, real: str) -> str:
    """An argument as structured text has it."""
    if isinstance(arg, Real):
        return figure(arg.value, real)
    if isinstance(arg, Var):
        return f"{arg.convert}({arg.name})" if arg.convert else arg.name
    if isinstance(arg, Pin):
        text = f"{arg.instance}.{arg.pin}"
        return f"{arg.convert}({text})" if arg.convert else text
    if isinstance(arg, Time):
        return time_text(arg.ms)
    if isinstance(arg, Bool):
        return "TRUE" if arg.value else "FALSE"
    if isinstance(arg, Whole):
        return str(arg.value)
    if isinstance(arg, Not):
        return f"NOT {arg_text(arg.of, real)}"
    if isinstance(arg, Or):
        other = arg_text(arg.b, real)
        return f"{arg_text(arg.a, real)} OR {f'({other})' if isinstance(arg.b, Masked) else other}"
    if isinstance(arg, Masked):
        return f"({arg.word} AND {mask_text(arg.bit)}) {'<>' if arg.one else '='} 16#0000"
    return f"{arg_text(arg.of, real)} = {arg.value}"


def mask_text(bit: int) -> str:
    """A word with one bit."""
    return f"16#{1 << bit:04X}"


def real_of(block: str, real: str) -> str:
    """The type that a block works in: LREAL by its name, else the target's."""
    return "LREAL" if block.endswith("_L") else real


def step_text(step: Call | Set, real: str) -> str:
    """A step as a line of structured text."""
    if isinstance(step, Set):
        return f"{step.name} := {arg_text(step.to, real)};"
    real = real_of(step.type, real)
    pins = ", ".join(f"{pin} := {arg_text(arg, real)}" for pin, arg in step.pins)
    return f"{step.instance}({pins});"
