"""The plant's supplies and fuses, as people write them down: "G1 24 V 20.4 to 28.8 V 10 A on TC-3; F12 of G1 2 A on
TC-3·1·4·1 to 8".

A point says which of them feeds it ("fed from": F12, F12 of G1, or G1); where it does not, the one counts that its channel
is on. What is not said of a supply is the plant's own.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from canaleta.core.notation.patterns import LONGEST_LINE, compiled
from canaleta.core.notation.text import TextError

__all__ = ["Feed", "Feeds", "Group", "read_feeds"]

_FIGURE = r"(\d{1,5}(?:\.\d{1,4})?)"
_ENTRY = compiled(
    rf"(?P<name>[\pL\pN_.\-+=/]{{1,40}})(?: of (?P<of>[\pL\pN_.\-+=/]{{1,40}}))?(?: {_FIGURE} ?V)?"
    rf"(?: {_FIGURE} ?(?:to|-|\x{{2013}}|\x{{2026}}|\.\.\.?) ?{_FIGURE} ?V)?(?: {_FIGURE} ?(?P<in>m?A))?"
    r"(?: on (?P<on>\S.*))?"
)
_CHANNELS = compiled(r"(?P<first>\d{1,4})(?: ?(?:to|-|\x{2013}|\x{2026}|\.\.\.?) ?(?P<last>\d{1,4}))?")
MOST = 500
_APART = str.maketrans("/:", "··")


@dataclass(frozen=True)
class Group:
    """Channels that a supply is on: of a cabinet, a rack of it, the module in a slot, or some channels of that, first to
    last as the plant numbers them, -1 for all."""

    cabinet: str
    rack: str = ""
    slot: int = 0
    first: int = -1
    last: int = -1

    @property
    def narrow(self) -> int:
        """How much it leaves out: the narrower of two that hold a channel counts."""
        return bool(self.rack) + bool(self.slot) + (self.last >= 0)

    def holds(self, rack: str, slot: int) -> bool:
        """Whether a module of its cabinet is of it."""
        return self.rack.casefold() in ("", rack.casefold()) and self.slot in (0, slot)

    @property
    def text(self) -> str:
        """As it is written: TC-3·1·4·1 to 8."""
        parts = [self.cabinet, self.rack, str(self.slot or "")]
        channels = f"{self.first} to {self.last}" if self.last > self.first else str(self.first)
        channels = channels if self.last >= 0 else ""
        return "·".join(part for part in (*parts, channels) if part)


@dataclass(frozen=True)
class Feed:
    """A supply or a fuse. volts, least_v, greatest_v: None where that is the plant's; of: what feeds it, "" for a supply;
    amperes: what it gives or lets through, None where it is not said. on: the channels that it feeds."""

    name: str
    of: str = ""
    volts: float | None = None
    least_v: float | None = None
    greatest_v: float | None = None
    amperes: float | None = None
    on: tuple[Group, ...] = ()


@dataclass(frozen=True)
class Feeds:
    """Supplies and fuses by their names in lower case."""

    by_name: Mapping[str, Feed]

    @cached_property
    def grouped(self) -> bool:
        """Whether any of them says which channels it feeds."""
        return any(feed.on for feed in self.by_name.values())

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
                f"“{part[:60]}”: write a supply as in G1 24 V 20.4 to 28.8 V 10 A, a fuse as in F12 of G1 2 A, and"
                " channels behind it as in on TC-3·1·4·1 to 8"
            )
        name, of, volts, least, greatest, amperes, unit, on = found.groups()
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
            tuple(_group(place) for place in (on or "").split(",") if place.strip()),
        )
        if len(out) > MOST:
            raise TextError(f"more than {MOST} supplies and fuses")
    for feed in out.values():
        if feed.of and feed.of.casefold() not in out:
            raise TextError(f"{feed.name} is of {feed.of}, which is not there")
    return Feeds(out)


def _group(text: str) -> Group:
    parts = [part.strip() for part in text.translate(_APART).split("·")]
    cabinet, rack, slot, channels = (*parts, "", "", "")[:4]
    found = _CHANNELS.fullmatch(channels) if channels else None
    if (
        not cabinet
        or len(parts) > 4
        or (slot and not (slot.isdecimal() and 0 < int(slot) < 1000))
        or (channels and not found)
    ):
        raise TextError(
            f"“{text.strip()[:60]}”: write channels as in TC-3·1·4·1 to 8, a module as in TC-3·1·4, a cabinet as in TC-3"
        )
    first, last = (int(found["first"]), int(found["last"] or found["first"])) if found else (-1, -1)
    if last < first:
        raise TextError(f"“{text.strip()[:60]}”: the first channel comes before the last")
    return Group(cabinet, rack, int(slot or 0), first, last)
