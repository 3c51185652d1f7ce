"""The plant's supplies and fuses, as people write them down: "G1 24 V 20.4 to 28.8 V 10 A; F12 of G1 2 A".

A point says which of them feeds it ("fed from": F12, F12 of G1, or G1). What is not said of a supply is the plant's own.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from canaleta.core.notation.patterns import LONGEST_LINE, compiled
from canaleta.core.notation.text import TextError

__all__ = ["Feed", "Feeds", "read_feeds"]

_FIGURE = r"(\d{1,5}(?:\.\d{1,4})?)"
_ENTRY = compiled(
    rf"(?P<name>[\pL\pN_.\-+=/]{{1,40}})(?: of (?P<of>[\pL\pN_.\-+=/]{{1,40}}))?(?: {_FIGURE} ?V)?"
    rf"(?: {_FIGURE} ?(?:to|-|\x{{2013}}|\x{{2026}}|\.\.\.?) ?{_FIGURE} ?V)?(?: {_FIGURE} ?(?P<in>m?A))?"
)
MOST = 500


@dataclass(frozen=True)
class Feed:
    """A supply or a fuse. volts, least_v, greatest_v: None where that is the plant's; of: what feeds it, "" for a supply;
    amperes: what it gives or lets through, None where it is not said."""

    name: str
    of: str = ""
    volts: float | None = None
    least_v: float | None = None
    greatest_v: float | None = None
    amperes: float | None = None


@dataclass(frozen=True)
class Feeds:
    """Supplies and fuses by their names in lower case."""

    by_name: Mapping[str, Feed]

    def chain(self, text: str) -> tuple[Feed, ...]:
        """What feeds a point that says "F12 of G1", from the fuse to the supply; () for names that nobody put down."""
        first, _, then = text.strip().casefold().partition(" of ")
        out: list[Feed] = []
        name = first if first in self.by_name else then
        while (feed := self.by_name.get(name)) is not None and feed not in out:
            out.append(feed)
            name = (feed.of or (then if len(out) == 1 and name == first else "")).casefold()
        return tuple(out)


def read_feeds(text: str) -> Feeds:
    """Supplies and fuses of a text. Raises TextError naming the part that cannot be read."""
    out: dict[str, Feed] = {}
    for part in (" ".join(p.split()) for p in text.split(";")):
        if not part:
            continue
        found = _ENTRY.fullmatch(part) if len(part) <= LONGEST_LINE else None
        if found is None:
            raise TextError(
                f"“{part[:60]}”: write a supply as in G1 24 V 20.4 to 28.8 V 10 A, a fuse as in F12 of G1 2 A"
            )
        name, of, volts, least, greatest, amperes, unit = found.groups()
        if name.casefold() in out:
            raise TextError(f"{name} is there twice")
        if least and greatest and not float(least) <= (float(volts) if volts else float(least)) <= float(greatest):
            raise TextError(f"“{part[:60]}”: the supply lies between its least and its greatest")
        out[name.casefold()] = Feed(
            name,
            of or "",
            float(volts) if volts else None,
            float(least) if least else None,
            float(greatest) if greatest else None,
            float(amperes) / (1000.0 if unit == "mA" else 1.0) if amperes else None,
        )
        if len(out) > MOST:
            raise TextError(f"more than {MOST} supplies and fuses")
    for feed in out.values():
        if feed.of and feed.of.casefold() not in out:
            raise TextError(f"{feed.name} is of {feed.of}, which is not there")
    return Feeds(out)
