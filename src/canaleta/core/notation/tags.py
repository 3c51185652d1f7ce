"""What the letters of a tag say, after ISA-5.1, and whether a tag has the shape that the plant has set.

Letters are those of ANSI/ISA-5.1-2009, table 4.1, from memory. The plant's own meanings come first (see
`own_letters`), and its own shape (a small grammar: A a letter, 9 a digit, * anything, [ ] may be left out, | or)
decides what a good tag is.
"""

from __future__ import annotations

from collections.abc import Mapping, Set
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from canaleta.core.notation.patterns import compiled, escaped
from canaleta.core.notation.text import TextError

__all__ = [
    "Letters",
    "Tag",
    "function_of",
    "has_shape",
    "letters_code",
    "letters_in",
    "letters_of",
    "letters_there_are",
    "own_letters",
    "read_tag",
    "shape_of",
]

_VARIABLE = {
    "A": "analysis", "B": "burner", "C": "conductivity", "D": "density", "E": "voltage", "F": "flow", "G": "gauging",
    "H": "hand", "I": "current", "J": "power", "K": "time", "L": "level", "M": "moisture", "N": "user-defined",
    "O": "user-defined", "P": "pressure", "Q": "quantity", "R": "radiation", "S": "speed", "T": "temperature",
    "U": "multivariable", "V": "vibration", "W": "weight", "X": "unclassified", "Y": "state", "Z": "position",
}  # fmt: skip
"""First letters. C, D, G, M, N and O are the user's choice in the standard: the usual choice stands here."""
_FUNCTION = {
    "A": ("alarm", "alarm"), "C": ("control", "controller"), "E": ("element", "element"), "G": ("gauge", "gauge"),
    "I": ("indicating", "indicator"), "K": ("control station", "control station"), "L": ("light", "light"),
    "O": ("orifice", "orifice"), "P": ("test", "test point"), "R": ("recording", "recorder"),
    "S": ("switching", "switch"), "T": ("transmitting", "transmitter"), "U": ("multifunction", "multifunction"),
    "V": ("valve", "valve"), "W": ("well", "well"), "X": ("unclassified", "unclassified"),
    "Y": ("relay", "relay or computing"), "Z": ("driving", "actuator"),
}  # fmt: skip
"""Succeeding letters: before another one, and as the last."""
_LEVEL = {"H": "high", "L": "low", "M": "middle", "O": "open", "C": "closed", "D": "deviation"}
_MODIFIER = {"D": "difference", "F": "ratio", "J": "scan", "K": "rate", "Q": "total"}
_BEFORE = "0123456789.=+/-"
_FIGURES = frozenset("0123456789")
_LETTERS = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ")
MOST_LETTERS, MOST_FIGURES, LONGEST_TAG, LONGEST_RULE = 6, 7, 200, 200


@dataclass(frozen=True)
class Tag:
    """A tag in its parts. meaning: what its letters say, in words; "" if they say nothing."""

    letters: str
    number: str
    suffix: str
    meaning: str

    @property
    def loop(self) -> str:
        """The loop it belongs to: the measured variable's letter and the number."""
        return f"{self.letters[0]}-{self.number}"

    @property
    def function(self) -> str:
        """The last function letter: T a transmitter, E an element, S a switch; levels behind it are left out."""
        return function_of(self.letters)


@lru_cache(maxsize=2000)
def function_of(letters: str) -> str:
    """The last function letter of a tag's letters, "" if there is none."""
    rest = letters[1:]
    while len(rest) > 1 and rest[-1] in _LEVEL and rest[-2] in "SAL" + rest[-1]:
        rest = rest[:-1]
    return rest[-1:]


def letters_of(text: str) -> str:
    """The letters that a tag begins with, "" if it does not; without looking at the rest of it."""
    return _run(text.lstrip(_BEFORE), _LETTERS, MOST_LETTERS).upper()


def letters_code(text: str) -> int:
    """The letters that a tag begins with as one number, 0 for none."""
    return int.from_bytes(letters_of(text).encode("ascii"), "big")


def letters_in(code: int) -> str:
    """The letters that a number stands for."""
    return code.to_bytes(MOST_LETTERS, "big").lstrip(b"\0").decode("ascii")


def _run(text: str, of: Set[str], most: int) -> str:
    """The characters of a kind that a text begins with, some at most."""
    for end, mark in enumerate(text[:most]):
        if mark not in of:
            return text[:end]
    return text[:most]


@dataclass(frozen=True)
class Letters:
    """What letters there are to build a tag of: {letter: word}. own: groups with a meaning of the plant's own."""

    variables: Mapping[str, str]
    modifiers: Mapping[str, str]
    functions: Mapping[str, str]
    levels: Mapping[str, str]
    own: Mapping[str, str]


def letters_there_are(own: Mapping[str, str]) -> Letters:
    """The letters of ISA-5.1 by their place in a tag, and the plant's own groups."""
    last = {letter: noun for letter, (_, noun) in _FUNCTION.items()}
    return Letters(_VARIABLE, _MODIFIER, last, _LEVEL, own)


def read_tag(text: str, own: Mapping[str, str] | None = None) -> Tag | None:
    """A tag in its parts, or None if it has no letters followed by a number. own: meanings of the plant's own."""
    typed = text.strip()
    if len(typed) > LONGEST_TAG or "\n" in typed:
        return None
    body = typed.lstrip(_BEFORE)
    letters = _run(body, _LETTERS, MOST_LETTERS)
    rest = body[len(letters) :]
    rest = rest[1:] if rest[:1] in tuple("-_. /") else rest
    number = _run(rest, _FIGURES, MOST_FIGURES)
    if not letters or not number:
        return None
    letters = letters.upper()
    meaning = (own or {}).get(letters) or _meaning(letters)
    return Tag(letters, number, rest[len(number) :].strip(), meaning)


@lru_cache(maxsize=2000)
def _meaning(letters: str) -> str:
    variable, rest = _VARIABLE[letters[0]], letters[1:]
    if rest[:2] in ("SV", "SE"):
        # As a modifier, S is safety: only with valve and element, so that PSL stays a switch.
        variable, rest = f"{variable} safety", rest[1:]
    elif len(rest) > 1 and rest[0] in _MODIFIER and not (rest[0] == "Q" and letters[0] == "Q"):
        variable, rest = f"{variable} {_MODIFIER[rest[0]]}", rest[1:]
    levels: list[str] = []
    while len(rest) > 1 and rest[-1] in _LEVEL and (rest[-2] in "SAL" or rest[-2] == rest[-1]):
        levels.insert(0, _LEVEL[rest[-1]])
        rest = rest[:-1]
    if any(letter not in _FUNCTION for letter in rest):
        return ""
    words = [_FUNCTION[letter][0] for letter in rest[:-1]] + [_FUNCTION[letter][1] for letter in rest[-1:]]
    level = f", {'-'.join(levels)}" if levels else ""
    return " ".join([variable, *words]) + level


@lru_cache(maxsize=32)
def own_letters(text: str) -> Mapping[str, str]:
    """{letters: meaning} of the plant's own: "ZS proximity switch; MS motor feedback". Raises TextError."""
    out = {}
    for part in (p.strip() for p in text.split(";") if p.strip()):
        letters, _, meaning = part.partition(" ")
        if not letters.isalpha() or len(letters) > 6 or not meaning.strip():
            raise TextError(f"“{part}”: write letters and what they mean, as in MS motor feedback")
        out[letters.upper()] = meaning.strip()
    return out


@lru_cache(maxsize=64)
def shape_of(rule: str) -> Any:
    """The plant's shape as something to match with. Raises TextError where brackets do not fit."""
    out, open_brackets = "", 0
    for mark in rule:
        if mark == "[":
            out, open_brackets = out + "(?:", open_brackets + 1
        elif mark == "]":
            if not open_brackets:
                raise TextError(f"“{rule}”: a ] without its [")
            out, open_brackets = out + ")?", open_brackets - 1
        else:
            out += {"A": "[A-Za-z]", "9": "[0-9]", "*": ".*", "|": "|"}.get(mark, escaped(mark))
    if open_brackets:
        raise TextError(f"“{rule}”: a [ without its ]")
    if rule.count("*") > 6:
        raise TextError(f"“{rule}”: at most six *")
    if len(rule) > LONGEST_RULE:
        raise TextError(f"{len(rule)} characters; a shape has at most {LONGEST_RULE}")
    return compiled(out)


def has_shape(rule: str, tag: str) -> bool:
    """Whether a tag has the plant's shape; any has while no rule is set."""
    return not rule or shape_of(rule).fullmatch(tag) is not None
