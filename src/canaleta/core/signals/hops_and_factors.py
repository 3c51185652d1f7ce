"""Two small chains that people type in one line: the hops of a loop, and named factors from count to value."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from canaleta.core.notation.patterns import SPACE, compiled
from canaleta.core.notation.text import TextError, plain, read_number

__all__ = ["Factor", "Hop", "factors_of", "hops_of", "read_factors", "read_hops"]

_MOST = 24
LONGEST_CHAIN = 2000
_HOP = compiled(
    rf"(?P<name>.*?){SPACE}*(?:(?P<figure>[-+\x{{2212}}]?[\d][\d.,\x{{2009}} ]*){SPACE}*(?P<unit>Ω|Ohm|ohm|R|V))?{SPACE}*"
)
_FACTOR = compiled(rf"(?P<name>.*\S){SPACE}+(?P<figure>[-+\x{{2212}}]?[\d.,][\d.,eE+-]*){SPACE}*")
_ENDS_IN_FIGURE = compiled(rf"{SPACE}\d+$")


@dataclass(frozen=True)
class Hop:
    """One thing a loop runs through: its name and, if it takes voltage, by resistance or by a fixed drop."""

    name: str
    ohm: float = 0.0
    drop_v: float = 0.0


@dataclass(frozen=True)
class Factor:
    """One factor on the way from count to value, and what it is called."""

    name: str
    factor: float


def read_hops(text: str) -> str:
    """A typed chain of hops, tidied: "head; barrier 300 Ω; indicator 2 V". Raises TextError for the hop that is
    wrong."""
    out = []
    for part in _parts(text):
        found = _HOP.fullmatch(part)
        if found is None or not found["name"]:
            raise TextError(f"“{part}”: write what it is, then its ohms or volts, as in “barrier 300 Ω”")
        if found["figure"] is None and _ENDS_IN_FIGURE.search(found["name"]):
            raise TextError(f"“{part}”: say whether it is Ω or V")
        if found["figure"] is None:
            out.append(found["name"])
            continue
        figure = read_number(found["figure"])
        if figure < 0:
            raise TextError(f"“{part}”: a hop takes voltage, it gives none")
        out.append(f"{found['name']} {plain(figure)} {'V' if found['unit'] == 'V' else 'Ω'}")
    return "; ".join(out)


@lru_cache(maxsize=4096)
def hops_of(text: str) -> tuple[Hop, ...]:
    """The hops of a stored text."""
    out = []
    for part in _parts(text):
        words = part.split()
        if len(words) > 2 and words[-1] in ("Ω", "V"):
            figure, name = float(words[-2]), " ".join(words[:-2])
            out.append(Hop(name, ohm=figure) if words[-1] == "Ω" else Hop(name, drop_v=figure))
        else:
            out.append(Hop(part))
    return tuple(out)


def read_factors(text: str) -> str:
    """Typed factors, tidied: "V per count 0.00030518; bar per V 2.5". Raises TextError for the one that is wrong."""
    out = []
    for part in _parts(text):
        found = _FACTOR.fullmatch(part)
        if found is None:
            raise TextError(f"“{part}”: write what the factor is, then its figure, as in “bar per V 2.5”")
        figure = read_number(found["figure"])
        if figure == 0:
            raise TextError(f"“{part}”: a factor of zero makes every value zero")
        out.append(f"{found['name']} {plain(figure)}")
    return "; ".join(out)


@lru_cache(maxsize=4096)
def factors_of(text: str) -> tuple[Factor, ...]:
    """The factors of a stored text."""
    found = (part.rsplit(None, 1) for part in _parts(text))
    return tuple(Factor(name, float(figure)) for name, figure in found)


def _parts(text: str) -> list[str]:
    if len(text) > LONGEST_CHAIN:
        raise TextError(f"{len(text)} characters; a chain has at most {LONGEST_CHAIN}")
    parts = [part.strip() for part in text.replace("\n", ";").split(";") if part.strip()]
    if len(parts) > _MOST:
        raise TextError(f"{len(parts)} links; a chain holds {_MOST}")
    return parts
