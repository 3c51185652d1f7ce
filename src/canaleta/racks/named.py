"""What is known of the names of a rack that has no registers, and how it becomes words that a plan reads.

A value that comes as text, as a list or not at all is no number, and said to be none; nothing is guessed.
"""

from __future__ import annotations

import contextlib
import math
import time
from collections.abc import AsyncIterator, Mapping, Sequence
from dataclasses import dataclass
from types import TracebackType
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.layout import Rack
from canaleta.core.model.quality import Reason
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import DOUBLE, RackMap
from canaleta.core.notation.arrays import Words
from canaleta.racks.reader import RackDeniedError

__all__ = ["Heard", "Named", "NamedReader", "number_of"]

GOOD, UNCERTAIN, BAD = 0, 1, 2
"""How a source rates its value: the severities of OPC 10000-4, 7.39.1."""
_REASONS = {GOOD: 0, UNCERTAIN: int(Reason.SOURCE_UNCERTAIN), BAD: int(Reason.CHANNEL_FAULT)}


@dataclass(frozen=True)
class Heard:
    """The last word about a name. value: NaN where it is no number. rating: GOOD, UNCERTAIN or BAD. at: when it came,
    monotonic s. source_at: what the source says of when it was so, seconds since 1970; NaN if it says nothing. says: more
    about its rating, "" for nothing."""

    value: float
    rating: int
    at: float
    source_at: float = float("nan")
    says: str = ""


@dataclass(frozen=True)
class Named:
    """A name that a rack has. leads: whether names stand below it; says: what it has there now, in words."""

    name: str
    title: str
    leads: bool
    says: str


def number_of(value: Any) -> float:
    """A value as a number: true is 1; what is no number is NaN. A text is one if it is written as one."""
    if isinstance(value, bool):
        return float(value)
    if isinstance(value, int | float):
        try:
            return float(value)
        except OverflowError:
            return math.nan
    if isinstance(value, str) and len(value) <= 40:
        try:
            return float(value)
        except ValueError:
            return math.nan
    return math.nan


class NamedReader:
    """A rack that is reached by name. What all of them have: words from what was heard, and no registers."""

    def __init__(self, rack: Rack, rack_map: RackMap) -> None:
        self._rack, self._map = rack, rack_map
        self.refused = np.zeros(rack_map.size, dtype=bool)
        self.reasons: NDArray[np.uint32] | None = None
        self._wanted = [(row, name) for row, name in enumerate(rack_map.names) if name]

    @property
    def names(self) -> list[str]:
        """What is asked for, each once."""
        return list(dict.fromkeys(name for _, name in self._wanted))

    def words_of(self, heard: Mapping[str, Heard], quiet_s: float = 0.0) -> Words:
        """The words of what was heard; `refused` and `reasons` say what is missing, and what the source thinks of it."""
        count = len(self._map)
        values = np.full(count, np.nan)
        missing = np.ones(count, dtype=bool)
        reasons = np.zeros(count, dtype=np.uint32)
        oldest = time.monotonic() - quiet_s if quiet_s else -math.inf
        for row, name in self._wanted:
            one = heard.get(name)
            if one is None or one.at < oldest:
                continue
            values[row], missing[row], reasons[row] = one.value, False, _REASONS[one.rating]
        self.refused = np.repeat(missing, DOUBLE.words)
        self.reasons = reasons
        words: Words = DOUBLE.words_of(values).reshape(-1).astype(np.uint16)
        return words

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self._leave()

    # What each kind does for itself --------------------------------------------------------------------

    async def connect(self) -> None:
        """Be connected, and listen. Raises RackSilentError."""
        raise NotImplementedError

    async def read(self) -> Words:
        """All words of the rack, (words,) uint16. Raises RackSilentError."""
        raise NotImplementedError

    @property
    def heard(self) -> Mapping[str, Heard]:
        """The last word about each name."""
        raise NotImplementedError

    async def _leave(self) -> None:
        """Close the connection, if there is one."""

    @contextlib.asynccontextmanager
    async def one_reading(self) -> AsyncIterator[None]:
        """Nothing is half read: values stand together as they came."""
        await self.connect()
        yield

    async def identity(self) -> str:
        """Nothing; what a server says of itself is looked up with its other names."""
        return ""

    # Registers, which it does not have -----------------------------------------------------------------

    async def read_run(self, table: Table, first: int, count: int) -> list[int]:
        """Raises RackDeniedError."""
        raise self._no_registers()

    async def read_some_settings(self, registers: Sequence[int]) -> dict[int, int]:
        """Nothing, of nothing. Raises RackDeniedError for more."""
        if registers:
            raise self._no_registers()
        return {}

    async def read_settings(self, count: int) -> list[int]:
        """Nothing. Raises RackDeniedError for more."""
        if count:
            raise self._no_registers()
        return []

    async def write_run(self, first: int, words: Sequence[int]) -> None:
        """Raises RackDeniedError."""
        raise self._no_registers()

    async def write_masked(self, register: int, word: int, mask: int) -> None:
        """Raises RackDeniedError."""
        raise self._no_registers()

    async def write_bits(self, table: Table, place: int, word: int, mask: int = 0xFFFF) -> None:
        """Raises RackDeniedError."""
        raise self._no_registers()

    def _no_registers(self) -> RackDeniedError:
        return RackDeniedError(f"a rack that is reached by {self._rack.link} has no registers")
