"""Names in the controller: from tags to what IEC 61131-3 and the target take. Nothing is renamed without saying so."""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass

from canaleta.core.model.conventions import Programming
from canaleta.core.st.functions import FUNCTIONS
from canaleta.core.st.reading import ELEMENTARY

__all__ = ["LONGEST_SUFFIX", "Name", "legal", "names_for"]

LONGEST_SUFFIX = len("_Filter")
"""What the names of a point's blocks and states add to its own."""
_KEYWORDS = frozenset(
    ["ABSTRACT", "ACTION", "AND", "ARRAY", "AT", "BY", "CASE", "CLASS", "CONFIGURATION", "CONSTANT", "CONTINUE", "DO", "ELSE", "ELSIF", "END_CASE", "END_CONFIGURATION", "END_FOR", "END_FUNCTION", "END_FUNCTION_BLOCK", "END_IF", "END_PROGRAM", "END_REPEAT", "END_RESOURCE", "END_STEP", "END_STRUCT", "END_TRANSITION", "END_TYPE", "END_VAR", "END_WHILE", "EXIT", "EXTENDS", "FALSE", "FINAL", "FOR", "FROM", "FUNCTION", "FUNCTION_BLOCK", "IF", "IMPLEMENTS", "INITIAL_STEP", "INTERFACE", "INTERNAL", "INTERVAL", "LD", "METHOD", "MOD", "NAMESPACE", "NON_RETAIN", "NOT", "NULL", "OF", "ON", "OR", "OVERLAP", "OVERRIDE", "PRIORITY", "PRIVATE", "PROGRAM", "PROTECTED", "PUBLIC", "READ_ONLY", "READ_WRITE", "REF", "REF_TO", "REPEAT", "RESOURCE", "RETAIN", "RETURN", "SINGLE", "STEP", "STRUCT", "SUPER", "TASK", "THEN", "THIS", "TO", "TRANSITION", "TRUE", "TYPE", "UNTIL", "USING", "VAR", "VAR_ACCESS", "VAR_CONFIG", "VAR_EXTERNAL", "VAR_GLOBAL", "VAR_INPUT", "VAR_IN_OUT", "VAR_OUTPUT", "VAR_TEMP", "WHILE", "WITH", "XOR", "TON", "TOF", "TP", "CTU", "CTD", "CTUD", "R_TRIG", "F_TRIG", "SR", "RS", "DT", "TOD", "DATE", "LT", "T", "CHAR", "WCHAR", "WSTRING", "ANY", "S", "R", "ST", "CAL", "RET", "JMP", "EN", "ENO", "ADD", "SUB", "MUL", "DIV", "GT", "GE", "EQ", "LE", "NE", "MOVE", "EXPT", "MUX"]
) | ELEMENTARY | frozenset(FUNCTIONS)  # fmt: skip
_FOLDED = {"ß": "ss", "Ø": "O", "ø": "o", "Æ": "AE", "æ": "ae", "Œ": "OE", "œ": "oe", "Ł": "L", "ł": "l", "Đ": "D", "đ": "d", "µ": "u", "Ω": "Ohm", "°": "deg"}  # fmt: skip


@dataclass(frozen=True)
class Name:
    """What a tag is called in the controller. renamed: why it is not the tag itself, "" if it is. code: why it cannot be
    one: "no name", "two become one", "too long"; says: in a sentence."""

    name: str
    renamed: str = ""
    code: str = ""
    says: str = ""


def legal(text: str) -> str:
    """The name nearest to a text that IEC 61131-3 takes: letters, digits and single underscores; "" for none."""
    plain = "".join(_FOLDED.get(c, c) for c in text)
    plain = unicodedata.normalize("NFKD", plain)
    out: list[str] = []
    for c in plain:
        if c.isascii() and c.isalnum():
            out.append(c)
        elif not unicodedata.combining(c) and out and out[-1] != "_":
            out.append("_")
    name = "".join(out).strip("_")
    if name[:1].isdigit():
        name = f"P_{name}"
    return f"{name}_P" if name.upper() in _KEYWORDS else name


def names_for(tags: Sequence[str], rule: Programming) -> list[Name]:
    """A name for each tag, (n,). Where two tags would become one, neither has a name: which of the two a line speaks of must
    never be a matter of their order."""
    most = rule.longest_name - LONGEST_SUFFIX
    wished = []
    for tag in tags:
        name = legal(tag)
        whole = f"{rule.prefix}{name}" if name else ""
        wished.append(whole[:most].rstrip("_"))
    users: dict[str, list[int]] = {}
    for k, name in enumerate(wished):
        users.setdefault(name.upper(), []).append(k)
    return [
        _named(tag, name, most, [tags[k] for k in users[name.upper()]], rule)
        for tag, name in zip(tags, wished, strict=True)
    ]


def _named(tag: str, name: str, most: int, sharing: Sequence[str], rule: Programming) -> Name:
    if not name:
        return Name("", code="no name", says=f"“{tag}” has no letter or digit that a name could be made of")
    full = f"{rule.prefix}{legal(tag)}"
    short = len(full) > most
    if len(sharing) > 1:
        others = sorted({t for t in sharing if t != tag})
        same = f"and {', '.join(others[:3])} become one name, {name}" if others else f"is there twice, as {name}"
        code = "too long" if short else "two become one"
        says = f"“{tag}” {same}" + (f": {rule.longest_name} characters are too few" if short else "")
        return Name("", code=code, says=says)
    if short:
        return Name(name, f"cut off at {most} characters, so that {rule.longest_name} hold all that is made of it")
    # A hyphen that becomes an underscore is what everybody expects.
    expected = f"{rule.prefix}{tag}".replace("-", "_").replace(" ", "_")
    return Name(name, "" if full == expected else "letters, digits and _ alone")
