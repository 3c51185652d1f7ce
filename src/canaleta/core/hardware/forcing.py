"""Forces and commands of a rack: which registers hold a channel at a count, which give an output its count.

A force acts in the rack, and is offered only where the module has a register for it. What is forced is read back from
the rack: the truth about a force is the rack's, not ours.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.by_name import topic_of
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.model.module_type import Mode

__all__ = ["ForceMap", "Write", "agrees", "command_writes", "force_writes", "held_between", "why_no_command"]


@dataclass(frozen=True)
class Write:
    """One holding register and the word for it; mask: the bits of it that are meant, 0xFFFF for all."""

    register: int
    word: int
    mask: int = 0xFFFF


@dataclass(frozen=True)
class ForceMap:
    """Where the force bits of a rack stand. modules, channels, register, bit: (channels that can be forced,)."""

    modules: NDArray[np.int64]
    channels: NDArray[np.int64]
    register: NDArray[np.int64]
    bit: NDArray[np.int64]

    @classmethod
    def of(cls, layout: Layout, rack: int) -> ForceMap:
        """The map of one rack."""
        rows = [
            (module.id, channel, layout.first_settings[module.id] + kind.force_offset + channel // 16, channel % 16)
            for module in layout.modules_of(rack)
            if not layout.racks[rack].by_name
            if (kind := layout.type_of(module.id)).forces
            for channel in range(kind.channels)
        ]
        columns = np.array(rows, dtype=np.int64).reshape(-1, 4).T
        return cls(*columns)

    @property
    def registers(self) -> list[int]:
        """Every register that holds force bits, once."""
        return sorted(set(self.register.tolist()))

    def forced(self, words: dict[int, int]) -> set[tuple[int, int]]:
        """(module, channel) of each channel that is forced. words: {register: word}."""
        return {
            (int(m), int(c))
            for m, c, register, bit in zip(self.modules, self.channels, self.register, self.bit, strict=True)
            if words.get(int(register), 0) >> int(bit) & 1
        }


def force_writes(layout: Layout, module: int, channel: int, counts: float | None) -> list[Write]:
    """What is written to hold a channel at a count, the count before the bit; None lets it go.

    Raises LookupError if the module has no register for it, ValueError for a count that its word does not hold.
    """
    kind, first = layout.type_of(module), layout.first_settings[module]
    if not kind.forces:
        raise LookupError(f"{kind.title} has no register by which a channel could be forced")
    bit = Write(first + kind.force_offset + channel // 16, (counts is not None) << channel % 16, 1 << channel % 16)
    if counts is None:
        return [bit]
    at = first + kind.force_offset + kind.mask_words + channel * kind.word_form.words
    return [*_words(kind.word_form.words_of(counts)[0].tolist(), at), bit]


def command_writes(layout: Layout, module: int, channel: int, counts: float) -> list[Write]:
    """What is written to give an output its count. Raises LookupError where there is no register for it,
    ValueError."""
    kind, first = layout.type_of(module), layout.first_settings[module]
    if not kind.commands:
        raise LookupError(f"{kind.title} has no register by which an output could be given a value")
    at = first + kind.command_offset + channel * kind.word_form.words
    return _words(kind.word_form.words_of(counts)[0].tolist(), at)


def why_no_command(layout: Layout, module: int, channel: int, mode: str = "") -> str:
    """Why an output could not be given a value, in words; "" if it can."""
    kind, rack = layout.type_at(module, channel, mode), layout.racks[layout.modules[module].rack]
    if kind.direction != "out":
        return "it is an input"
    if not rack.by_name:
        return "" if kind.commands else f"{kind.title} takes no commands"
    name = layout.modules[module].name_of(channel)
    if not name:
        return "it has no name at its rack yet: pick one on the module's page"
    if rack.link == "MQTT" and not topic_of(name).metric:
        return "a plain topic says what is, and not where one could command it; a metric of Sparkplug B does"
    return ""


def agrees(read: float, given: float) -> bool:
    """Whether what is read back is what was given, for all that a single-precision number holds of it."""
    return bool(np.isclose(read, given, rtol=2.0**-23, atol=0.0))


def held_between(image: PlantImage, row: int, mode: Mode, counts: float) -> float:
    """A count that an output is given, within the least and the most duty of its point: what is less than the least
    is raised to it, but for none at all, which switches it off."""
    low, high = (float(image.number(name)[row]) for name in ("least_duty", "most_duty"))
    if mode.signal_unit != "%" or counts == mode.counts.low:
        return counts
    per_percent = (mode.counts.high - mode.counts.low) / (mode.signal.high - mode.signal.low)
    ends = [mode.counts.low + (end - mode.signal.low) * per_percent for end in (low, high)]
    return float(np.fmin(np.fmax(counts, ends[0]), ends[1]))


def _words(words: Sequence[int], at: int) -> list[Write]:
    return [Write(at + k, int(word)) for k, word in enumerate(words)]
