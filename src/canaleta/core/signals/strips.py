"""Terminals of a cabinet's strip and cores of a cable, as people type them in one line."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from canaleta.core.notation.patterns import LONGEST_LINE, SPACE, compiled
from canaleta.core.notation.text import TextError

__all__ = ["KINDS", "StripTerminal", "cores_of", "read_cores", "read_terminals", "terminals_of"]

KINDS = ("plain", "knife", "fuse", "test")
_TERMINAL = compiled(
    rf"(?P<strip>[^\s:;,]{{1,12}}){SPACE}*:{SPACE}*(?P<mark>[^\s:;,]{{1,8}})(?:{SPACE}+(?P<kind>[\pL\pN_]+))?"
)
_CORE = compiled(r"(\d{1,3})(?:[-\x{2013}\x{2026}](\d{1,3}))?")
_MOST = 12


@dataclass(frozen=True)
class StripTerminal:
    """One terminal: its strip, its mark, and whether it can be opened (knife), blows (fuse) or takes a plug
    (test)."""

    strip: str
    mark: str
    kind: str

    @property
    def name(self) -> str:
        """As it is written on drawings: X1:5."""
        return f"{self.strip}:{self.mark}"


def read_terminals(text: str) -> str:
    """Typed terminals, tidied: "X1:5 fuse; X1:6 knife", one a core in the order of the cores. Raises TextError."""
    out = []
    for part in (p.strip() for p in text.replace(",", ";").split(";")):
        found = _TERMINAL.fullmatch(part)
        if found is None:
            raise TextError(f"“{part}” is not a terminal: write it as X1:5, then fuse, knife or test if it is one")
        kind = (found["kind"] or "plain").lower()
        if kind not in KINDS:
            raise TextError(f"“{part}”: a terminal is plain, knife, fuse or test")
        out.append(f"{found['strip']}:{found['mark']}" + ("" if kind == "plain" else f" {kind}"))
    if len(out) > _MOST:
        raise TextError(f"{len(out)} terminals; a point has {_MOST} at most")
    if len({part.split()[0] for part in out}) != len(out):
        raise TextError("a terminal stands there twice")
    return "; ".join(out)


@lru_cache(maxsize=100_000)
def terminals_of(text: str) -> tuple[StripTerminal, ...]:
    """The terminals of a stored text."""
    out = []
    for part in (p.strip() for p in text.split(";") if p.strip()):
        name, _, kind = part.partition(" ")
        strip, _, mark = name.partition(":")
        out.append(StripTerminal(strip, mark, kind or "plain"))
    return tuple(out)


def read_cores(text: str) -> str:
    """Typed cores of a cable, tidied: "1, 2", in the order of the point's terminals. Raises TextError."""
    if len(text) > LONGEST_LINE:
        raise TextError(f"{len(text)} characters; the cores of a point are numbers, as in 1, 2 or 3-5")
    numbers: list[int] = []
    for part in (p.strip() for p in text.replace(",", " ").replace(";", " ").split()):
        found = _CORE.fullmatch(part)
        if found is None:
            raise TextError(f"“{part}” is not a core: cores are numbers, as in 1, 2 or 3-5")
        first, last = int(found[1]), int(found[2] or found[1])
        if not 1 <= first <= last <= 200 or last - first >= _MOST:
            raise TextError(f"“{part}”: cores are counted from 1, the lower number first")
        numbers += range(first, last + 1)
    if len(set(numbers)) != len(numbers):
        raise TextError("a core stands there twice")
    return ", ".join(str(n) for n in numbers)


@lru_cache(maxsize=100_000)
def cores_of(text: str) -> tuple[int, ...]:
    """The cores of a stored text."""
    return tuple(int(part) for part in text.split(",") if part.strip())
