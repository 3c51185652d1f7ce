"""Module types: what a module does with a signal, as data from its manual. Nothing here knows a name.

A type is a JSON document (catalogue/module_types/*.json); its JSON schema is `ModuleType.model_json_schema()`.
Modes of all types in a plant become one small table of columns, which paths index into.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from canaleta.core.model.firmware import Firmware
from canaleta.core.model.module_map import PER_CHANNEL, Flag, Frozen, Holds, Registers, Run, StatusWord
from canaleta.core.model.register_tables import LAST_PLACE, Style, Table, table_named
from canaleta.core.notation.text import plain_figure
from canaleta.core.signals.converters import WordForm
from canaleta.core.signals.sensors.resistance import resistance_curves
from canaleta.core.signals.sensors.thermocouples import thermocouple_letters
from canaleta.core.signals.signal_types import Family

__all__ = [
    "OPEN_CHOICES",
    "After",
    "Filter",
    "Group",
    "Mode",
    "ModuleType",
    "Registers",
    "Setting",
    "Statement",
    "StatusBits",
    "Terminal",
    "as_written_now",
]

DEGREES = ("°C", "°F", "K")
Name = Annotated[str, Field(min_length=1, max_length=80)]


class Span(Frozen):
    """A span of a signal or of counts; both ends as the manual gives them. A list of two numbers is read as well."""

    low: float
    high: float

    @model_validator(mode="before")
    @classmethod
    def _of_two(cls, given: Any) -> Any:
        return {"low": given[0], "high": given[1]} if isinstance(given, list) and len(given) == 2 else given

    @model_validator(mode="after")
    def _has_length(self) -> Span:
        if self.low == self.high:
            raise ValueError("the two ends of a span must differ")
        return self


class Terminal(Frozen):
    """One terminal of a channel: its mark with {n} for a number counted from the channel, and its role."""

    mark: Name
    role: Literal[
        "24 V out", "signal in", "signal out", "0 V", "plus", "minus", "sense", "sense 2", "common", "neutral"
    ]


class Mode(Frozen):
    """One way a channel can work.

    signal: the span in `signal_unit` that makes `counts`; in degrees where the module counts temperature with its
    own cold junction or bridge, by `curve` (a thermocouple letter or a resistance curve). least, most: where the
    count stops. step: how far the count moves at once, where the converter has fewer bits than the word. rounding:
    what becomes of the fraction of a count. open_counts, short_counts, under_counts, over_counts: what the word
    says on a fault, where it differs from the limits. burden_ohm: what a current meets; input_ohm: what a voltage
    or a switch meets, 0 for none or unknown. wires: the connection a resistance input is built for, 0 for any.
    off_below_v, on_from_v: levels of a discrete input in `signal_unit`; break_below, short_from: levels beyond
    which a watched input tells a fault; source_v behind source_ohm feed it. input_type: of IEC 61131-2, 0 if none
    is claimed. follows_supply: spans and levels are for a supply of at_supply_v and move with it; 1 where the manual says
    them as shares of the supply.
    rated_ma: the most an output may switch or drive in this mode. accuracy_percent: of the span; drift_ppm_per_k: of
    the span, for each kelvin away from 25 °C. direction: where one channel may do both, whether it listens or drives in
    this mode; "" as the channel does. reads: which other number of the channel counts in
    this mode, by what its run says; "" for the channel's own. load_least_ohm,
    load_most_ohm: between which an output's load must be. terminals: where the wires go in this mode, if elsewhere than in the others.
    """

    name: Name = "the mode"
    family: Literal["linear", "thermocouple", "contact", "resistance"] = "linear"
    signal_unit: Literal["mA", "V", "mV", "°C", "°F", "K", "Ω", "Hz", "pulses", "mV/V", "%"]
    signal: Span
    counts: Span
    least: float = 0.0
    most: float = 1.0
    step: float = Field(1.0, ge=0)
    rounding: Literal["nearest", "down", "toward zero", "none"] = "nearest"
    burden_ohm: float = Field(0.0, ge=0)
    input_ohm: float = Field(0.0, ge=0)
    wires: Literal[0, 2, 3, 4] = 0
    curve: str = ""
    open_counts: float | None = None
    short_counts: float | None = None
    under_counts: float | None = None
    over_counts: float | None = None
    off_below_v: float = 5.0
    on_from_v: float = 11.0
    break_below: float | None = None
    short_from: float | None = None
    source_v: float = Field(0.0, ge=0)
    source_ohm: float = Field(0.0, ge=0)
    input_type: Literal[0, 1, 2, 3] = 0
    current: Literal["DC", "AC"] = "DC"
    follows_supply: bool = False
    at_supply_v: float = Field(24.0, gt=0, le=60)
    rated_ma: float | None = Field(None, gt=0)
    accuracy_percent: float | None = Field(None, ge=0)
    drift_ppm_per_k: float | None = Field(None, ge=0)
    direction: Literal["in", "out", ""] = ""
    terminals: tuple[Terminal, ...] = Field((), max_length=8)
    reads: str = Field("", max_length=60)
    load_least_ohm: float | None = Field(None, ge=0)
    load_most_ohm: float | None = Field(None, gt=0)

    @model_validator(mode="before")
    @classmethod
    def _stops_where_its_counts_do(cls, given: Any) -> Any:
        """Without limits of its own the count stops at the ends of its span."""
        if isinstance(given, dict) and "counts" in given and not {"least", "most"} <= given.keys():
            span = Span.model_validate(given["counts"])
            ends = {"least": min(span.low, span.high), "most": max(span.low, span.high)}
            return ends | {k: v for k, v in given.items() if v is not None}
        return given

    @model_validator(mode="after")
    def _consistent(self) -> Mode:
        if self.least >= self.most:
            raise ValueError("least: the count stops at a lower end and at a higher one")
        if self.curve and self.family == "thermocouple" and self.curve not in thermocouple_letters():
            raise ValueError(f"curve: {self.curve} is not one of {' '.join(sorted(thermocouple_letters()))}")
        if self.curve and self.family == "resistance" and self.curve not in resistance_curves():
            raise ValueError(f"curve: {self.curve} is not one of {', '.join(resistance_curves())}")
        if self.curve and self.signal_unit not in DEGREES:
            raise ValueError("signal_unit: a mode with a curve counts °C, °F or K")
        return self

    @property
    def family_code(self) -> Family:
        """The family as the code that paths use."""
        return Family[self.family.upper()]


class Group(Frozen):
    """Channels of a module that are alike, where those of the module are not: inputs beside outputs, analog beside
    discrete. first counts from 0. modes: those that these channels have, by name; none for all. terminals: where these
    channels have others than the module says; first_terminal: the number of the first one of them.
    """

    first: int = Field(ge=0, le=63)
    count: int = Field(ge=1, le=64)
    name: str = Field("", max_length=60)
    direction: Literal["in", "out"] = "in"
    modes: tuple[Name, ...] = Field((), max_length=80)
    terminals: tuple[Terminal, ...] = Field((), max_length=8)
    first_terminal: int = Field(1, ge=0, le=999)
    feeds_loop: bool = False
    common: Literal["0 V", "24 V", ""] = ""

    @property
    def channels(self) -> range:
        """From 0."""
        return range(self.first, self.first + self.count)


class Filter(Frozen):
    """One filter a channel offers: by time, or by the frequency it takes out.

    time_ms: until a step has reached 63.2 % through `stages` equal first-order stages, 0 for no filter. rejects_hz:
    the frequency that `stages` averages over one of its periods take out; time_ms then follows and is 0.
    """

    name: Name
    time_ms: float = Field(0.0, ge=0, le=600_000)
    rejects_hz: float = Field(0.0, ge=0, le=10_000)
    stages: int = Field(1, ge=1, le=8)

    @model_validator(mode="after")
    def _one_way(self) -> Filter:
        if self.time_ms and self.rejects_hz:
            raise ValueError("a filter is chosen by its time or by the frequency it takes out, not by both")
        return self


SettingName = Literal[
    "mode",
    "filter",
    "open circuit",
    "enabled",
    "PWM frequency",
    "dither frequency",
    "dither",
    "least duty",
    "most duty",
]
FIGURES = ("PWM frequency", "dither frequency", "dither", "least duty", "most duty")
"""Settings that are figures: Hz, Hz, and three times % of full duty."""


class Setting(Frozen):
    """A setting of each channel that can be written: one holding register a channel, behind those of the setting before,
    or where the manual says.

    table, at: the place of the first channel's; at is None where it stands behind the setting before. step: from one
    channel's to the next one's; channels_a_place: channels that share a place, each with bits of its own, 0 for all of
    them. low_bit, bits: which bits of the place are meant, counted from 0 from the least significant; bit_step: from one
    channel's to the next one's in one place, 0 where they have one setting together. read_table, read_at: where it is
    read, if elsewhere than it is written. restart: whether it acts only after the module was switched off and on.

    codes: the number that the module wants for each choice, by the choice's name; people never meet them but as
    something derived. Among the codes of the modes “off” is a channel that is switched off, where that is a mode. A setting that is a figure has per_unit instead, what one of its unit is in the register, with
    the least and the most that the module takes and what it has as it comes: usual.
    """

    of: SettingName
    codes: dict[str, int] = Field(default_factory=dict)
    per_unit: float = Field(0.0, ge=0)
    least: float = 0.0
    most: float = 0.0
    usual: float = 0.0
    delivered: str = Field("", max_length=80)
    table: Literal["holding registers", "coils"] = "holding registers"
    at: int | None = Field(None, ge=0, le=LAST_PLACE)
    step: int = Field(1, ge=0, le=4096)
    channels_a_place: int = Field(1, ge=0, le=64)
    low_bit: int = Field(0, ge=0, le=15)
    bits: int = Field(16, ge=1, le=16)
    bit_step: int = Field(0, ge=0, le=16)
    read_table: Literal["", "holding registers", "input registers", "coils", "discrete inputs"] = ""
    read_at: int | None = Field(None, ge=0, le=LAST_PLACE)
    restart: bool = False

    @model_validator(mode="after")
    def _consistent(self) -> Setting:
        if self.delivered and self.codes and self.delivered not in self.codes:
            raise ValueError(f"settings: {self.of} is delivered as “{self.delivered}”, which is none of its choices")
        if self.at is None and (self.table == "coils" or self.read_at is not None or self.bits < 16):
            raise ValueError(f"settings: {self.of} needs the place where it is written")
        if self.low_bit + self.bits > 16:
            raise ValueError(f"settings: {self.of} goes over the end of its word")
        if self.codes and max(self.codes.values()) >> self.bits and self.at is not None:
            raise ValueError(f"settings: {self.of} has a number that its {self.bits} bits do not hold")
        if (self.of in FIGURES) != (self.per_unit > 0):
            raise ValueError(f"settings: {self.of} is {'a figure' if self.of in FIGURES else 'a choice'}")
        if self.per_unit:
            if not 0 <= self.least <= self.usual <= self.most <= 65535 / self.per_unit:
                raise ValueError(f"settings: {self.of} runs from least to most, and usual is between them")
            return self
        if not self.codes:
            raise ValueError(f"settings: {self.of} has no number for any choice")
        if any(not 0 <= code <= 65535 for code in self.codes.values()):
            raise ValueError("codes: a setting is one word, 0 to 65535")
        if self.of != "mode" and len(set(self.codes.values())) != len(self.codes):
            raise ValueError("codes: two choices have one number")
        return self

    def name_of(self, code: int) -> str:
        """The choice or the figure that a number means, "" for none."""
        if self.per_unit:
            figure = code / self.per_unit
            return plain_figure(figure) if self.least <= figure <= self.most else ""
        return next((name for name, known in self.codes.items() if known == code), "")

    def code_of(self, name: str) -> int | None:
        """The number for a choice or a figure; None where the module has none for it."""
        if not self.per_unit or not name:
            return self.codes.get(name)
        figure = float(name)
        return round(figure * self.per_unit) if self.least <= figure <= self.most else None

    @property
    def default_code(self) -> int:
        """The number that the module comes with: on, or the lowest. The order of the choices is lost in a
        database."""
        if self.per_unit:
            return round(self.usual * self.per_unit)
        if self.delivered:
            return self.codes[self.delivered]
        return self.codes.get("as the module does", self.codes.get("yes", min(self.codes.values())))

    def place_of(self, channel: int, channels: int) -> tuple[int, int]:
        """(place from that of the module on, lowest bit) of a channel's, of a setting that has a place of its own."""
        share = self.channels_a_place or channels
        nth, within = divmod(channel, share)
        return (self.at or 0) + nth * self.step, self.low_bit + within * self.bit_step


class Statement(Frozen):
    """What a manual says beside all that has a field: it is kept, and shown where the channel is."""

    about: str = Field(min_length=1, max_length=60)
    says: str = Field(min_length=1, max_length=300)


class After(Frozen):
    """What is written when settings have been: “apply”, “store”, in their order. table, at: its place."""

    name: str = Field("apply", min_length=1, max_length=40)
    table: Literal["holding registers", "coils"] = "holding registers"
    at: int = Field(ge=0, le=LAST_PLACE)
    word: int = Field(1, ge=0, le=65_535)


class StatusBits(Frozen):
    """How the status word is read: the number of its first bit and what a 1 means."""

    bit_base: Literal[0, 1]
    one_means: Literal["fault", "healthy"]

    def mask(self, bits: Iterable[int]) -> int:
        """The mask of bits as this module numbers them: {1, 2} is 3 counted from 1 and 6 counted from 0."""
        return sum(1 << (bit - self.bit_base) for bit in set(bits))


OPEN_CHOICES = ("up-scale", "down-scale", "as the module does", "hold")
"""What a channel's count does on an open circuit, where the module lets one choose."""


class ModuleType(Frozen):
    """A module type. `key` names it in the catalogue; `title` and `summary` are shown.

    A type without channels is passive: it takes its room on the rail and no data; takes_slot says whether slots are
    counted across it; ends_bus: nothing behind it is read. channels_a_group: channels that share one isolation group,
    0 for all. channels_a_fuse, fuse_ma: channels behind one fuse of the terminals that feed devices, and its rating.
    loop_ma: what the module can feed to loops in total. draw_ma: what it takes from the supply for itself,
    backplane_ma: from the rack's own bus; gives_ma, backplane_gives_ma: what a supply gives. heat_w: what it warms
    the cabinet with. ident_code: the word by which it reports itself to a rack; firmware: where it says which one it has. after_settings: what is written when settings
    have been, so that they act or are kept. junction_per_degree,
    junction_unit: how the cold junction's temperature is counted. feed_v: what the terminals that feed devices give, 0 for the plant's supply; feed_drop_v: what is
    lost between that and the terminals. supply: between which the module's own is, V. coldest_degc,
    hottest_degc: the air that it works in, None where the manual does not say. on_bus_stop, watch_s: what outputs do
    when nobody writes to them for so long. statements: what else the manual says. fixed: settings that the hardware fixes, each with the reason. forces: behind its settings it has registers by which a channel is held at a count
    whatever its terminals say: one bit a channel, then the counts. commands: an output is given its count there,
    behind the forces. groups: of channels that are not all alike; what
    they say goes before what the type says. numbering: how its manual writes places. unconfirmed: what was concluded from the words of a
    pasted table and nobody has confirmed yet.
    """

    key: Name
    title: Name
    summary: str = Field("", max_length=300)
    channels: int = Field(ge=0, le=64)
    direction: Literal["in", "out"] = "in"
    takes_slot: bool = True
    ends_bus: bool = False
    terminals: tuple[Terminal, ...] = Field((), max_length=8)
    first_terminal: int = Field(1, ge=0, le=999)
    feeds_loop: bool = False
    common: Literal["0 V", "24 V", ""] = ""
    signed: bool = True
    word: WordForm | None = None
    modes: tuple[Mode, ...] = Field((), max_length=80)
    registers: tuple[Registers, ...] = Field((), max_length=40)
    status: StatusBits | None = None
    status_words: tuple[StatusWord, ...] = Field((), max_length=8)
    filters: tuple[Filter, ...] = Field((), max_length=40)
    open_choices: tuple[Literal["up-scale", "down-scale", "as the module does", "hold"], ...] = ()
    settings: tuple[Setting, ...] = Field((), max_length=9)
    after_settings: tuple[After, ...] = Field((), max_length=4)
    fixed: dict[SettingName, str] = Field(default_factory=dict)
    junction_per_degree: float = Field(10.0, gt=0, le=10_000)
    junction_unit: Literal["°C", "°F", "K"] = "°C"
    feed_v: float = Field(0.0, ge=0, le=100)
    feed_drop_v: float = Field(0.0, ge=0, le=100)
    supply: Span | None = None
    coldest_degc: float | None = Field(None, ge=-100, le=200)
    hottest_degc: float | None = Field(None, ge=-100, le=200)
    on_bus_stop: Literal["", "hold the last value", "go to zero", "go to a set value", "switch off"] = ""
    watch_s: float = Field(0.0, ge=0, le=3600)
    statements: tuple[Statement, ...] = Field((), max_length=60)
    channels_a_group: int = Field(0, ge=0, le=64)
    channels_a_fuse: int = Field(0, ge=0, le=64)
    fuse_ma: float = Field(0.0, ge=0, le=20_000)
    loop_ma: float = Field(0.0, ge=0, le=20_000)
    draw_ma: float = Field(0.0, ge=0, le=20_000)
    gives_ma: float = Field(0.0, ge=0, le=100_000)
    backplane_ma: float = Field(0.0, ge=0, le=20_000)
    backplane_gives_ma: float = Field(0.0, ge=0, le=100_000)
    heat_w: float = Field(0.0, ge=0, le=500)
    ident_code: int | None = Field(None, ge=0, le=65535)
    firmware: Firmware | None = None
    forces: bool = False
    commands: bool = False
    groups: tuple[Group, ...] = Field((), max_length=16)
    numbering: Style = "from 0"
    unconfirmed: tuple[Annotated[str, Field(max_length=200)], ...] = Field((), max_length=200)

    @model_validator(mode="before")
    @classmethod
    def _as_before(cls, given: Any) -> Any:
        """Documents of version 0.1 say own_number for the identification code."""
        if isinstance(given, dict) and "own_number" in given:
            return {"ident_code" if name == "own_number" else name: value for name, value in given.items()}
        return given

    @model_validator(mode="after")
    def _consistent(self) -> ModuleType:
        names = [mode.name for mode in self.modes]
        if len(set(names)) != len(names):
            raise ValueError("modes: two modes have one name")
        if any(r.holds == "status bits" for r in self.registers) != (self.status is not None):
            raise ValueError("status: a status word needs its bit base and polarity, and the other way round")
        self._groups_agree()
        beside = {r.says for r in self.registers if r.holds == "other numbers"}
        if unknown := [mode.reads for mode in self.modes if mode.reads and mode.reads not in beside]:
            raise ValueError(f"modes: no other number of the channels is “{unknown[0]}”")
        self._has_room()
        self._settings_agree()
        return self

    def _groups_agree(self) -> None:
        """Whether each channel is in one group at most, and every mode has one direction."""
        names = {mode.name for mode in self.modes}
        held: set[int] = set()
        ways: dict[str, set[str]] = {}
        for group in self.groups:
            if group.channels.stop > self.channels:
                raise ValueError("groups: channels that the module does not have")
            if held & set(group.channels):
                raise ValueError("groups: a channel is in two of them")
            held |= set(group.channels)
            if unknown := [name for name in group.modes if name not in names]:
                raise ValueError(f"groups: there is no mode “{unknown[0]}”")
            for name in group.modes or names:
                ways.setdefault(name, set()).add(group.direction)
        for mode in self.modes:
            if not mode.direction and len(ways.get(mode.name, ())) > 1:
                raise ValueError(f"groups: {mode.name} is of inputs and of outputs: it needs two modes")
        if (
            self.groups
            and len(held) == self.channels
            and (left := [m.name for m in self.modes if m.name not in ways])
        ):
            raise ValueError(f"groups: no channel has the mode “{left[0]}”")

    # What one channel is like ---------------------------------------------------------------------------

    @property
    def read_beside(self) -> frozenset[str]:
        """Other numbers of channels that a mode reads, by what their runs say."""
        return frozenset(mode.reads for mode in self.modes if mode.reads)

    def at_channel(self, channel: int, mode: str = "") -> ModuleType:
        """The type as one channel has it, in one of its modes if that is said: itself where all channels are alike, else
        one without groups, whose channels are all like that one."""
        group = next((n for n, g in enumerate(self.groups) if channel in g.channels), -1)
        chosen = self.mode_named(mode) if mode else None
        own = chosen is not None and bool(chosen.direction or chosen.terminals)
        if group < 0 and not own:
            return self
        key = (group, mode if own else "")
        if key not in self._views:
            self._views[key] = self._view(group, chosen if own else None)
        return self._views[key]

    def for_mode(self, name: str) -> ModuleType:
        """The type as the first channel has it that has this mode."""
        at = next((g.first for g in self.groups if not g.modes or name in g.modes), 0)
        return self.at_channel(at, name)

    def channels_with(self, mode: str) -> range | list[int]:
        """The channels that have a mode."""
        if not self.groups:
            return range(self.channels)
        held = {c for g in self.groups for c in g.channels}
        has = {c for g in self.groups if not g.modes or mode in g.modes for c in g.channels}
        return [c for c in range(self.channels) if c in has or c not in held]

    @cached_property
    def _views(self) -> dict[tuple[int, str], ModuleType]:
        return {}

    def _view(self, at: int, mode: Mode | None) -> ModuleType:
        update: dict[str, Any] = {"groups": ()}
        if at >= 0:
            group = self.groups[at]
            update |= {"direction": group.direction, "feeds_loop": group.feeds_loop, "common": group.common}
            if group.modes:
                update["modes"] = tuple(m for m in self.modes if m.name in group.modes)
            if group.terminals:
                # Marks count on from the first channel of the group.
                first = group.first_terminal - group.first * len(group.terminals)
                update |= {"terminals": group.terminals, "first_terminal": first}
        if mode is not None and mode.direction:
            update["direction"] = mode.direction
        if mode is not None and mode.terminals:
            update["terminals"] = mode.terminals
        return self.model_copy(update=update)

    def _has_room(self) -> None:
        """Whether what the channels need is there."""
        if not self.channels:
            if self.modes or self.registers or self.settings or self.firmware:
                raise ValueError("channels: without channels there are no modes, registers or settings")
            return
        if not self.modes:
            raise ValueError("modes: a channel works in one way at least")
        served: dict[int, str] = {}
        for run in self.runs():
            holds, beyond = run.registers.holds, run.channels.stop > self.channels
            if beyond:
                raise ValueError(f"registers: {holds} of channels that the module does not have")
            if run.registers.step and not run.each:
                raise ValueError(f"registers: {holds} share a word, so that no step leads from one to the next")
            if run.registers.step and run.registers.step < run.each:
                raise ValueError(f"registers: a step of {run.registers.step} is less than {holds} take, {run.each}")
            if run.registers.count < run.need:
                some = f"{len(run.channels)} channels need" if run.channels else "it takes"
                raise ValueError(f"registers: {some} {run.need} registers of {holds}, not {run.registers.count}")
            for channel in run.channels if holds.startswith("channel") else ():
                if channel in served:
                    raise ValueError(f"registers: channel {channel + 1} stands there twice")
                served[channel] = holds
        if len(served) != self.channels:
            missing = next(c for c in range(self.channels) if c not in served)
            raise ValueError(f"registers: channel {missing + 1} stands nowhere: its word or its bit is missing")
        self._nothing_overlaps()

    def _nothing_overlaps(self) -> None:
        """Whether no place belongs to two runs. Where a table that is not named is the rack's, it may be either."""
        for function in ("input", "holding"):
            taken: dict[Table, list[tuple[int, int, str]]] = {}
            for run in self.runs(function):
                for places in run.places():
                    taken.setdefault(run.table, []).append((places.start, places.stop, run.registers.holds))
            told = {(f.table, f.place) for f in self.flags(function) if f.place is not None}
            for table, place in told:
                taken.setdefault(table, []).append((place, place + 1, "status words"))
            for table, place in self.setting_places():
                taken.setdefault(table, []).append((place, place + 1, "settings"))
            for table, place in self.firmware_places():
                taken.setdefault(table, []).append((place, place + 1, "the firmware"))
            for table, ranges in taken.items():
                for (_, end, one), (first, _, other) in pairwise(sorted(ranges)):
                    if first < end:
                        raise ValueError(f"registers: {table} {first} (from 0) belong to {one} and to {other}")

    def _settings_agree(self) -> None:
        """Whether every setting that can be written is one that the channels have."""
        if len({s.of for s in self.settings}) != len(self.settings):
            raise ValueError("settings: one of them is there twice")
        for setting in self.settings:
            if setting.of in self.fixed:
                raise ValueError(f"settings: {setting.of} is fixed and cannot be written")
            if setting.at is not None:
                self._has_its_bits(setting)
            if setting.per_unit:
                continue
            if setting.of == "mode":
                self._modes_are_told_apart(setting)
            known = self.choices_of(setting.of)
            off = ("off",) if setting.of == "mode" else ()
            if unknown := [name for name in setting.codes if name not in (*known, *off)]:
                raise ValueError(f"settings: {setting.of} has no choice “{unknown[0]}”")
            if missing := [name for name in known if name not in setting.codes]:
                raise ValueError(f"settings: {setting.of} lacks the number for “{missing[0]}”")

    def _modes_are_told_apart(self, setting: Setting) -> None:
        """Whether modes with one number are one mode of the module, of which another number is read."""
        told: dict[int, set[str]] = {}
        for name, code in setting.codes.items():
            mode = self.mode_named(name)
            reads = mode.reads if mode else ""
            if reads in told.setdefault(code, set()):
                raise ValueError("codes: two choices have one number")
            told[code].add(reads)

    def _has_its_bits(self, setting: Setting) -> None:
        """Whether no bit of a setting with a place of its own is another setting's, or a number's that is read."""
        taken: dict[tuple[Table, int], int] = {}
        for other in self.settings:
            if other.at is None:
                continue
            mine: dict[tuple[Table, int], int] = {}
            for channel in range(self.channels):
                place, low = other.place_of(channel, self.channels)
                if low + other.bits > 16:
                    raise ValueError(f"settings: {other.of} of channel {channel + 1} goes over the end of its word")
                at = (Table(other.table), place)
                mine[at] = mine.get(at, 0) | ((1 << other.bits) - 1) << low
            for at, mask in mine.items():
                if taken.get(at, 0) & mask:
                    raise ValueError(f"settings: bits of {at[0].one} {at[1]} (from 0) belong to two of them")
                taken[at] = taken.get(at, 0) | mask

    def choices_of(self, setting: str) -> tuple[str, ...]:
        """The names a setting of a channel may have."""
        return {
            "mode": tuple(mode.name for mode in self.modes),
            "filter": tuple(f.name for f in self.filters),
            "open circuit": tuple(self.open_choices),
            "enabled": ("yes", "no"),
        }.get(setting, ())

    def setting_of(self, name: str) -> Setting | None:
        """The setting of that name, None where the module has none that could be written."""
        return next((setting for setting in self.settings if setting.of == name), None)

    @property
    def passive(self) -> bool:
        """Whether it takes no data."""
        return self.channels == 0

    @property
    def setting_count(self) -> int:
        """How many holding registers one module of this type occupies: its own number, each setting, forces,
        commands."""
        if self.passive or self._says_nothing_of_itself:
            return 0
        values = self.channels * self.word_form.words
        return self.force_offset + self.forces * (self.mask_words + values) + self.commands * values

    @property
    def _says_nothing_of_itself(self) -> bool:
        """A module whose map somebody laid out place by place, and that nobody told of a number or settings: it is not
        asked for a register that its manual does not have."""
        told = self.ident_code is not None or self.in_a_row or self.forces or self.commands
        laid_out = any(r.table or r.at is not None for r in self.registers) or bool(self.settings)
        return not told and laid_out

    @property
    def in_a_row(self) -> tuple[Setting, ...]:
        """The settings that stand one behind the other, behind the module's own number."""
        return tuple(setting for setting in self.settings if setting.at is None)

    @property
    def mask_words(self) -> int:
        """Registers that one bit a channel takes."""
        return -(-self.channels // 16)

    @property
    def force_offset(self) -> int:
        """Where the forces begin in the module's holding registers, if it has any: the bits, then the counts."""
        return 1 + len(self.in_a_row) * self.channels

    @property
    def command_offset(self) -> int:
        """Where the commands of outputs begin in the module's holding registers, if it has any."""
        return self.force_offset + self.forces * (self.mask_words + self.channels * self.word_form.words)

    def filter_named(self, name: str) -> Filter | None:
        """The filter of that name, or None."""
        return next((f for f in self.filters if f.name == name), None)

    def group_of(self, channel: int) -> int:
        """The isolation group of a channel, counted from 0."""
        return channel // self.channels_a_group if self.channels_a_group else 0

    def fuse_of(self, channel: int) -> int:
        """The fuse a channel's device supply runs through, counted from 0."""
        return channel // self.channels_a_fuse if self.channels_a_fuse else 0

    def runs(self, function: str = "input") -> tuple[Run, ...]:
        """The runs in their places. function: the table that the rack's channels stand in, "input" or "holding"."""
        return self._runs[function == "holding"]

    @cached_property
    def _runs(self) -> tuple[tuple[Run, ...], tuple[Run, ...]]:
        return tuple(self._placed(Table.INPUT_REGISTERS)), tuple(self._placed(Table.HOLDING_REGISTERS))

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> ModuleType:
        """As of pydantic, but for what was worked out of the fields that change."""
        copied = super().model_copy(update=update, deep=deep)
        for worked_out in ("_runs", "_views"):
            copied.__dict__.pop(worked_out, None)
        return copied

    def _placed(self, primary: Table) -> Iterator[Run]:
        ends: dict[Table, int] = {}
        for registers in self.registers:
            table = Table(registers.table) if registers.table else primary
            at = ends.get(table, 0) if registers.at is None else registers.at
            channels = range(0)
            if registers.holds in PER_CHANNEL:
                of = registers.of
                channels = range(of.first, of.first + of.count) if of else range(self.channels)
            form = registers.form or self.word_form
            bits = registers.holds.endswith("bits")
            each = 1 if table.of_bits else 0 if bits else form.words if registers.holds == "channel words" else 1
            if registers.holds == "other numbers" and registers.form:
                each = form.words
            yield Run(registers, table, at, channels, each, form)
            ends[table] = max(ends.get(table, 0), at + registers.count)

    def flags(self, function: str = "input") -> list[Flag]:
        """Every bit of every channel's status, in its place."""
        primary, out = table_named(function), []
        for word in self.status_words:
            table = Table(word.table) if word.table else primary
            share = word.channels_a_word or self.channels
            for channel in range(self.channels):
                nth, within = divmod(channel, share)
                for bit in word.bits:
                    if bit.of not in (None, within):
                        continue
                    number, place = bit.bit - word.bit_base, word.at
                    if place is not None:
                        place += nth * (word.step or (16 if table.of_bits else 1)) + (number if table.of_bits else 0)
                    out.append(Flag(channel, table, place, 0 if table.of_bits else number, nth, word, bit))
        return out

    def extents(self, function: str = "input") -> dict[Table, int]:
        """How many places the module takes of each table, from its first to its last."""
        out: dict[Table, int] = {}
        for run in self.runs(function):
            out[run.table] = max(out.get(run.table, 0), run.at + run.registers.count)
        for flag in self.flags(function):
            if flag.place is not None:
                out[flag.table] = max(out.get(flag.table, 0), flag.place + 1)
        for table, place in [*self.reset_places(), *self.setting_places(), *self.firmware_places()]:
            out[table] = max(out.get(table, 0), place + 1)
        return out

    def setting_places(self) -> list[tuple[Table, int]]:
        """(table, place) of all that a setting with a place of its own stands in, and of what is written after them."""
        out = []
        for setting in self.settings:
            if setting.at is not None:
                at = [setting.place_of(channel, self.channels)[0] for channel in range(self.channels)]
                out += [(Table(setting.table), place) for place in at]
                if setting.read_at is not None:
                    read = Table(setting.read_table or setting.table)
                    out += [(read, place - setting.at + setting.read_at) for place in at]
        out += [(Table(after.table), after.at) for after in self.after_settings]
        return list(dict.fromkeys(out))

    def reset_places(self) -> list[tuple[Table, int]]:
        """(table, place) of all that is written to reset what latches."""
        out = []
        for word in self.status_words:
            if word.reset is not None:
                many = -(-self.channels // (word.channels_a_word or self.channels)) if word.reset.step else 1
                out += [(Table(word.reset.table), word.reset.at + n * word.reset.step) for n in range(many)]
        return out

    def firmware_places(self) -> list[tuple[Table, int]]:
        """(table, place) of each register that says which firmware it has."""
        return self.firmware.places if self.firmware else []

    def own_holding(self) -> int | None:
        """The first holding register that the map names as such, None if it names none."""
        named = [run.at for run in self.runs() if run.registers.table == Table.HOLDING_REGISTERS.value]
        named += [f.place for f in self.flags() if f.table is Table.HOLDING_REGISTERS and f.place is not None]
        written = [*self.reset_places(), *self.setting_places(), *self.firmware_places()]
        named += [place for table, place in written if table is Table.HOLDING_REGISTERS]
        return min(named, default=None)

    @property
    def register_count(self) -> int:
        """How many places one module of this type occupies in the table of the rack's channels."""
        return self.extents().get(Table.INPUT_REGISTERS, 0)

    @property
    def word_form(self) -> WordForm:
        """How a channel's number stands in its registers."""
        return self.word or WordForm(coding="two's complement" if self.signed else "unsigned")

    def run_of(self, holds: Holds, channel: int, function: str = "input") -> Run | None:
        """The run that holds this of a channel, None if the module has none."""
        return next((r for r in self.runs(function) if r.registers.holds == holds and channel in r.channels), None)

    def mode_named(self, name: str) -> Mode | None:
        """The mode of that name, or None."""
        return next((mode for mode in self.modes if mode.name == name), None)

    def terminal_marks(self, channel: int) -> list[tuple[str, str]]:
        """(mark, role) of each terminal of a channel, channels counted from 0."""
        first = self.first_terminal + channel * len(self.terminals)
        return [(t.mark.format(n=first + i), t.role) for i, t in enumerate(self.terminals)]


def as_written_now(document: Any) -> Any:
    """The document of a type as it is written now: one that an earlier version wrote says the same in other words.
    What is no module type stays as it is."""
    try:
        return ModuleType.model_validate(document).model_dump(mode="json")
    except ValueError:
        return document
