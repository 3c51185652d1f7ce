"""What stands where in a module: runs of places, and the bits of its status, as its manual has them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from canaleta.core.model.quality import WORDS, Quality, Reason
from canaleta.core.model.register_tables import LAST_PLACE, Table
from canaleta.core.signals.converters import WordForm

__all__ = [
    "PER_CHANNEL",
    "REASON_OF",
    "Flag",
    "Frozen",
    "Holds",
    "Registers",
    "Reset",
    "Run",
    "StatusBit",
    "StatusWord",
]


class Frozen(BaseModel):
    """A part of a document: it does not change, and takes no names that it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


Holds = Literal[
    "channel words",
    "channel bits",
    "status bits",
    "cold junction",
    "load current",
    "other numbers",
    "module registers",
]
PER_CHANNEL = ("channel words", "channel bits", "status bits", "load current", "other numbers")
TableName = Literal["", "coils", "discrete inputs", "input registers", "holding registers"]


class Channels(Frozen):
    """Some channels that follow one another: the first, counted from 0, and how many."""

    first: int = Field(ge=0, le=63)
    count: int = Field(ge=1, le=64)


class Registers(Frozen):
    """A run of places the module occupies: what they hold, and where.

    load current: mA through each output's load. says: what another number of each channel is, such as its °F, or what
    a register of the module says; both are documented, not read. table: "" for the one that the rack's channels stand
    in. at: the first place, counted from 0 within what the module has of the table; None behind the run before. step:
    from one channel's to the next one's, 0 if they follow each other. of: the channels it serves, None for all. form:
    how its numbers stand, None as the module's channels do. count: places from its first to its last.
    """

    holds: Holds
    count: int = Field(ge=1, le=65_536)
    says: str = Field("", max_length=60)
    table: TableName = ""
    at: int | None = Field(default=None, ge=0, le=LAST_PLACE)
    step: int = Field(default=0, ge=0, le=4096)
    of: Channels | None = None
    form: WordForm | None = None


@dataclass(frozen=True)
class Run:
    """A run of a module in its place. at: from 0 within what the module has of the table. channels: that it serves,
    none for what is the module's own. each: places that one of them takes, 0 where sixteen bits share a word."""

    registers: Registers
    table: Table
    at: int
    channels: range
    each: int
    form: WordForm

    def place_of(self, channel: int) -> tuple[int, int]:
        """(place, bit) of a channel that it serves; bit −1 where the channel has the whole place."""
        nth = channel - self.channels.start
        if self.each:
            return self.at + nth * (self.registers.step or self.each), 0 if self.table.of_bits else -1
        return self.at + nth // 16, nth % 16

    def places(self) -> list[range]:
        """The places that it takes, as few ranges as there are gaps."""
        step = self.registers.step
        if not self.each or step in (0, self.each):
            return [range(self.at, self.at + self.registers.count)]
        return [range(first, first + self.each) for first, _ in map(self.place_of, self.channels)]

    @property
    def need(self) -> int:
        """The least number of places from its first to its last."""
        if not self.channels:
            return 1
        if not self.each:
            return -(-len(self.channels) // 16)
        return (len(self.channels) - 1) * (self.registers.step or self.each) + self.each


Meaning = Literal[
    "fault",
    "open circuit",
    "short circuit",
    "under range",
    "over range",
    "module fault",
    "supply fault",
    "not calibrated",
    "note",
]
REASON_OF: dict[str, Reason] = {
    "fault": Reason.CHANNEL_FAULT,
    "open circuit": Reason.OPEN_CIRCUIT,
    "short circuit": Reason.SHORT_CIRCUIT,
    "under range": Reason.UNDER_RANGE,
    "over range": Reason.OVER_RANGE,
    "module fault": Reason.MODULE_FAULT,
    "supply fault": Reason.SUPPLY_FAULT,
    "not calibrated": Reason.NOT_CALIBRATED,
}
"""What a bit of each meaning makes of the value; a note makes nothing of it."""


class StatusBit(Frozen):
    """One bit of a status word. bit: as the manual numbers it. of: which of the channels that share the word, counted
    from 0, None for each of them. says: the manual's own words. latches: it stays after its cause is gone, until it
    is reset. makes: the quality that it makes of the value, "" for that of its meaning."""

    bit: int = Field(ge=0, le=16)
    means: Meaning
    one_means: Literal["fault", "healthy"] = "fault"
    of: int | None = Field(default=None, ge=0, le=63)
    says: str = Field(default="", max_length=80)
    latches: bool = False
    makes: Literal["", "bad", "doubtful", "good"] = ""

    @property
    def reason(self) -> Reason | None:
        """What it makes of the value; None for nothing. Where another quality is chosen than its meaning has, a reason of
        that quality stands for it."""
        by_itself = REASON_OF.get(self.means)
        if self.makes == "good":
            return None
        if self.makes == "bad":
            bad = by_itself is not None and WORDS[by_itself][0] is Quality.BAD
            return by_itself if bad else Reason.CHANNEL_FAULT
        if self.makes == "doubtful":
            doubtful = by_itself is not None and WORDS[by_itself][0] is Quality.DOUBTFUL
            return by_itself if doubtful else Reason.SOURCE_UNCERTAIN
        return by_itself


class Reset(Frozen):
    """What resets the bits of a status word that latch: these bits of a holding register, or a coil, are written.
    step: places from one status word's to the next one's, 0 for one that resets them all."""

    table: Literal["holding registers", "coils"] = "holding registers"
    at: int = Field(ge=0, le=LAST_PLACE)
    step: int = Field(default=0, ge=0, le=4096)
    word: int = Field(default=1, ge=0, le=65_535)
    mask: int = Field(default=65_535, ge=1, le=65_535)


class StatusWord(Frozen):
    """A status word as manuals have it: of each channel, of some together, or of the module.

    table, at, step: as of Registers; at is None where the bits stand in the channel's own data word, beside its
    number. In a table of bits they stand one behind the other. channels_a_word: that share one, 0 for all.
    """

    table: TableName = ""
    at: int | None = Field(default=None, ge=0, le=LAST_PLACE)
    step: int = Field(default=0, ge=0, le=4096)
    channels_a_word: int = Field(default=1, ge=0, le=64)
    bit_base: Literal[0, 1] = 0
    bits: tuple[StatusBit, ...] = Field(min_length=1, max_length=64)
    reset: Reset | None = None

    @model_validator(mode="after")
    def _consistent(self) -> StatusWord:
        seen: dict[tuple[int, str], str] = {}
        for bit in self.bits:
            if not 0 <= bit.bit - self.bit_base <= 15:
                raise ValueError(f"bit {bit.bit} is none of {self.bit_base} to {15 + self.bit_base}")
            if bit.of is not None and self.channels_a_word and bit.of >= self.channels_a_word:
                raise ValueError(
                    f"bit {bit.bit} is of channel {bit.of + 1} of {self.channels_a_word} that share a word"
                )
            told = seen.setdefault((bit.bit, ""), bit.means)
            if told != bit.means or (bit.bit, bit.means) in seen:
                raise ValueError(f"bit {bit.bit} is told twice: {told} and {bit.means}")
            seen[bit.bit, bit.means] = ""
        if self.at is None and self.channels_a_word != 1:
            raise ValueError("bits beside a number are of its channel alone")
        if self.reset is None and (latched := next((b for b in self.bits if b.latches), None)):
            raise ValueError(f"bit {latched.bit} latches: say what resets it")
        return self


@dataclass(frozen=True)
class Flag:
    """One bit of a channel's status in its place. place: within what the module has of the table; None beside the
    channel's number. nth: which of the status words it is in."""

    channel: int
    table: Table
    place: int | None
    bit: int
    nth: int
    word: StatusWord
    says: StatusBit
