"""Extension and compensating wires of thermocouples, and the colours their cores have.

An extension wire is taken to make the emf of the letter it stands for over the temperatures of a head and a
cabinet; type B runs on copper, which makes none.
"""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["COLOURS", "EXTENSIONS", "EXTENSION_NAMES", "Colours", "Extension", "colours_of", "extensions_for"]


@dataclass(frozen=True)
class Extension:
    """A wire by designation. makes: the letter whose emf it has, "" for none. fits: the elements it is meant for.

    low_degc, high_degc: where it may lie (IEC 60584-3:2021).
    """

    name: str
    makes: str
    fits: str
    low_degc: float
    high_degc: float


EXTENSIONS: dict[str, Extension] = {
    wire.name: wire
    for wire in (
        Extension("KX", "K", "K", -25, 200),
        Extension("KCA", "K", "K", 0, 150),
        Extension("KCB", "K", "K", 0, 100),
        Extension("JX", "J", "J", -25, 200),
        Extension("TX", "T", "T", -25, 100),
        Extension("EX", "E", "E", -25, 200),
        Extension("NX", "N", "N", -25, 200),
        Extension("NC", "N", "N", 0, 150),
        Extension("RCA", "R", "RS", 0, 100),
        Extension("RCB", "R", "RS", 0, 200),
        Extension("SCA", "S", "RS", 0, 100),
        Extension("SCB", "S", "RS", 0, 200),
        Extension("BC", "", "B", 0, 100),
        Extension("AC", "A", "A", 0, 100),
        Extension("CC", "C", "C", 0, 100),
        Extension("copper", "", "B", -40, 200),
    )
}
EXTENSION_NAMES: tuple[str, ...] = tuple(EXTENSIONS)


def extensions_for(letter: str) -> tuple[str, ...]:
    """Designations meant for an element of that letter, those that carry its own letter first."""
    fits = [wire.name for wire in EXTENSIONS.values() if letter in wire.fits]
    return tuple(sorted(fits, key=lambda name: not name.startswith(letter)))


@dataclass(frozen=True)
class Colours:
    """Colours of the cores of one letter under one code."""

    plus: str
    minus: str
    sheath: str


def _iec(colour: str) -> Colours:
    """IEC 60584-3: the positive core has the colour of the type, the negative is white always."""
    return Colours(colour, "white", colour)


_IEC = {"K": "green", "J": "black", "T": "brown", "E": "violet", "N": "pink", "R": "orange", "S": "orange", "B": "grey",
        "A": "red", "C": "red"}  # fmt: skip
COLOURS: dict[str, dict[str, Colours]] = {
    "IEC 60584-3": {letter: _iec(colour) for letter, colour in _IEC.items()},
    "ANSI MC96.1": {
        "K": Colours("yellow", "red", "yellow"),
        "J": Colours("white", "red", "black"),
        "T": Colours("blue", "red", "blue"),
        "E": Colours("violet", "red", "violet"),
        "N": Colours("orange", "red", "orange"),
        "R": Colours("black", "red", "green"),
        "S": Colours("black", "red", "green"),
        "B": Colours("grey", "red", "grey"),
    },
    "BS 1843": {
        "K": Colours("brown", "blue", "red"),
        "J": Colours("yellow", "blue", "black"),
        "T": Colours("white", "blue", "blue"),
        "E": Colours("brown", "blue", "brown"),
        "R": Colours("white", "blue", "green"),
        "S": Colours("white", "blue", "green"),
    },
    "DIN 43714": {
        "K": Colours("red", "green", "green"),
        "J": Colours("red", "blue", "blue"),
        "T": Colours("red", "brown", "brown"),
        "E": Colours("red", "black", "black"),
        "R": Colours("red", "white", "white"),
        "S": Colours("red", "white", "white"),
        "B": Colours("red", "grey", "grey"),
    },
    "JIS C 1610": {
        "K": Colours("red", "white", "blue"),
        "J": Colours("red", "white", "yellow"),
        "T": Colours("red", "white", "brown"),
        "E": Colours("red", "white", "violet"),
        "R": Colours("red", "white", "black"),
        "S": Colours("red", "white", "black"),
        "B": Colours("red", "white", "grey"),
    },
    "NF C 42-324": {
        "K": Colours("yellow", "violet", "yellow"),
        "J": Colours("yellow", "black", "black"),
        "T": Colours("yellow", "blue", "blue"),
        "E": Colours("yellow", "orange", "violet"),
        "R": Colours("yellow", "green", "green"),
        "S": Colours("yellow", "green", "green"),
    },
}


def colours_of(letter: str, code: str) -> Colours | None:
    """Colours of a letter's cores under a colour code, None where the code has none for it."""
    return COLOURS[code].get(letter)
