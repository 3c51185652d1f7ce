"""What a field of a point is: where it stands on the path, what its cell holds, when it has a meaning."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import NamedTuple

from canaleta.core.signals.signal_types import Family

__all__ = ["STATIONS", "Field", "Kind", "Landing", "Station", "Stored"]


class Station(StrEnum):
    """The six stations of the path, with the point's own names before and the checks behind them."""

    POINT = "POINT"
    PROCESS = "PROCESS"
    DEVICE = "DEVICE"
    LOOP = "LOOP"
    INPUT = "INPUT"
    COUNTS = "COUNTS"
    VALUE = "VALUE"
    CHECKS = "CHECKS"


STATIONS: tuple[Station, ...] = tuple(Station)[1:7]


class Kind(StrEnum):
    """What a cell holds and how it is read."""

    TEXT = "text"
    NUMBER = "number"
    WHOLE = "whole"
    CHOICE = "choice"
    UNIT = "unit"
    ADDRESS = "address"
    MODE = "mode"
    TABLE = "table"
    HOPS = "hops"
    FACTORS = "factors"
    FILTER = "filter"
    TERMINALS = "terminals"
    CORES = "cores"
    BANDS = "bands"
    LINK = "link"
    LIVE = "live"
    FOLLOWS = "follows"
    CHECKS = "checks"


class Landing(NamedTuple):
    """A claim on a channel, counted from 0. landed: the point holds it; else it is a wish."""

    module: int
    channel: int
    landed: bool


Stored = str | Decimal | int | Landing | None


@dataclass(frozen=True)
class Field:
    """One field of a point.

    applies: families of signal it has a meaning for. when: another field and the texts of it that give this one a
    meaning, "" for an empty cell. needs: another field that must hold something. units: units of the signal it is
    for, all if empty. choices: for CHOICE. longest: characters of TEXT. pair: the field that the other end of a range
    goes to, and unit_field the one for the unit, when somebody types "0-6 bar" into this cell. unit: what a figure is
    in, where it has no field for it. listed: a column of the first view of the list; others are brought in by other
    views. headers: how other lists call it (for import). group: what settings of one station it stands with.
    """

    name: str
    station: Station
    label: str
    kind: Kind
    says: str
    width: int = 90
    choices: tuple[str, ...] = ()
    least: float = 0
    most: float = 0
    longest: int = 0
    applies: frozenset[Family] = frozenset(Family)
    when: tuple[str, tuple[str, ...]] | None = None
    needs: str = ""
    units: tuple[str, ...] = ()
    pair: str = ""
    unit_field: str = ""
    unit: str = ""
    listed: bool = True
    headers: tuple[str, ...] = ()
    group: str = ""

    @property
    def stored(self) -> bool:
        """Whether people type it; the others are worked out."""
        return self.kind not in (Kind.LIVE, Kind.CHECKS, Kind.FOLLOWS)
