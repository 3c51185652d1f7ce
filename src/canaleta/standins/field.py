"""The field behind a stand-in rack: a small process, devices on wires, and what a signal source injects.

Every number is a function of the seed and the step, so that two runs with one seed read alike.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from difflib import SequenceMatcher

import numpy as np
from numpy.typing import NDArray

from canaleta.catalogue.demo import DemoPlant, FieldDevice
from canaleta.core.hardware.forcing import held_between
from canaleta.core.hardware.loads import expected_load_ma
from canaleta.core.hardware.settings import FIELD_OF, SettingPlace, after_writes, setting_places
from canaleta.core.hardware.themselves import firmware_runs
from canaleta.core.model.ambient import rack_ambient_degc
from canaleta.core.model.fields import STATIONS, Kind, Landing, Station, Stored, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout, Module
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.quality import Reason
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import RackMap, encode
from canaleta.core.model.sources import driven
from canaleta.core.notation.arrays import Bools, Floats, Words
from canaleta.core.path.evaluate import Runs, describe, evaluate
from canaleta.core.path.faults import Fault, faulted, read_fault, upset_of
from canaleta.core.path.joints.base import PathRows
from canaleta.core.signals.signal_types import Family
from canaleta.core.signals.waveforms import waveform_of
from canaleta.standins.status import StatusWords

__all__ = ["FieldRack", "InjectionError", "Ready"]


_OF_CHANNEL = ("shunt off", "zero off", "slope off")


class InjectionError(ValueError):
    """A signal that cannot be put on these terminals, in words."""


@dataclass(frozen=True)
class _Put:
    """What somebody put on terminals at a step: a signal of a form, or what is wrong there."""

    since: int
    form: str
    low: float
    high: float
    period_s: float
    seed: int
    faults: tuple[Fault, ...] = ()

    def at(self, seconds: float) -> float:
        if self.form == "fixed":
            return self.low
        return waveform_of(self.form, self.low, self.high, self.period_s, self.seed).at(seconds)


@dataclass
class Ready:
    """What a rack's paths need as long as its devices, settings and faults are the same: worked out once."""

    image: PlantImage
    faults: dict[int, tuple[Fault, ...]]
    as_it_is: PlantImage
    runs: Runs
    on_open: Floats
    noisy: bool
    some: dict[bytes, Runs] = field(default_factory=dict)

    @classmethod
    def of(cls, image: PlantImage, faults: dict[int, tuple[Fault, ...]]) -> Ready:
        as_it_is = faulted(image, faults)
        runs = Runs.of(as_it_is, None, upset_of(len(image), faults))
        on_open = PathRows(image, np.arange(len(image))).of_mode("open_counts")
        noisy = any(fault.kind == "noise" for those in faults.values() for fault in those)
        return cls(image, faults, as_it_is, runs, on_open, noisy)

    def of_rows(self, rows: NDArray[np.int64]) -> Runs:
        """Runs of some rows, of which those that something is put on are mostly the same: with what is wrong with their
        channels, whatever is wrong with the wires that they had."""
        key = rows.tobytes()
        if key not in self.some:
            off = {
                at: [fault for fault in self.faults.get(row, ()) if fault.kind in _OF_CHANNEL]
                for at, row in enumerate(rows.tolist())
            }
            self.some = {key: Runs.of(self.image, rows, upset_of(len(rows), off))}
        return self.some[key]


class FieldRack:
    """One rack's field. `step` gives its registers; `inject` puts a signal on a channel's terminals."""

    def __init__(self, plant: DemoPlant, layout: Layout, rack: int, seed: int, step_s: float = 0.25) -> None:
        self.rack, self.map = rack, RackMap.of(layout, rack)
        self.layout = layout
        self._seed = seed
        self._step_s = step_s
        landed = [(device, *layout.read_address(device.at)) for device in plant.field]
        here = [(d, m, c) for d, m, c in landed if layout.modules[m].rack == rack]
        self._devices: list[FieldDevice] = [d for d, _, _ in here]
        self._places = {(layout.modules[m].place, c): i for i, (_, m, c) in enumerate(here)}
        self._rows_of = {(m, c): i for i, (_, m, c) in enumerate(here)}
        self._modules = [m for m in layout.modules_of(rack) if not layout.type_of(m.id).passive]
        self._image = PlantImage.of_rows([_cells(d, m, c) for d, m, c in here], layout)
        self._mean, self._swing, self._period, self._noise = (
            np.array([getattr(d.process, name) for d in self._devices], dtype=np.float64)
            for name in ("mean", "swing", "period_s", "noise")
        )
        self._put: dict[int, _Put] = {}
        self._channels_of_map = np.array([self.map.row_of(m, c) for _, m, c in here], dtype=np.int64)
        self._rows_of_map = np.array([self._row_of_map(d.mode, m, c) for d, m, c in here], dtype=np.int64)
        self._faults = {
            row: tuple(read_fault(f.kind, f.amount) for f in device.faults)
            for row, device in enumerate(self._devices)
            if device.faults
        }
        self.status = StatusWords(layout, rack, self.map)
        self._ready: Ready | None = None
        self._off: set[int] = set()
        self._rows = {device.at: row for row, device in enumerate(self._devices)}
        self._led = {row: device.follows for row, device in enumerate(self._devices) if device.follows}
        self.brought: dict[str, float] = {}
        self._counts = np.full(len(here), np.nan)
        self.faulty = np.zeros(len(self.map), dtype=bool)
        self._step = 0
        self._settings = [self._begins(module) for module in self._modules]
        self._given: dict[int, float] = {}
        self._held, self._told = self._forced(), self._commands()
        self._named = [one for one in setting_places(layout, rack) if one.setting.at is not None]
        self._codes = [self._named_code(one) for one in self._named]
        self.after = [
            (table, place, word)
            for _, table, place, word in after_writes(layout, rack, [m.id for m in self._modules])
        ]

    def _row_of_map(self, mode: str, module: int, channel: int) -> int:
        chosen = self.layout.type_of(module).mode_named(mode)
        return self.map.row_of(module, channel, chosen.reads if chosen else "")

    def _named_code(self, one: SettingPlace) -> int:
        row = self._rows_of.get((one.module, one.channel))
        chosen = "" if row is None else self._image.text(FIELD_OF[one.setting.of], row)
        code = one.setting.code_of(chosen)
        return one.setting.default_code if code is None else code

    @property
    def named_places(self) -> dict[tuple[Table, int], int]:
        """{place: word} of the settings that manuals name a place for, as written and as read."""
        out: dict[tuple[Table, int], int] = {}
        for one, code in zip(self._named, self._codes, strict=True):
            for at in {(one.table, one.place), (one.read_table, one.read_place)}:
                out[at] = out.get(at, 0) | one.word_of(code)
        return out | {(table, place): 0 for table, place, _ in self.after}

    @property
    def spans(self) -> dict[int, tuple[float, float]]:
        """{channel, as its map counts them: between which numbers it runs}, of those that have a device."""
        table, modes = self._image.layout.mode_table.numbers, self._image.mode
        return {
            int(at): (float(table["counts_low"][mode]), float(table["counts_high"][mode]))
            for at, mode in zip(self._channels_of_map.tolist(), modes.tolist(), strict=True)
            if mode >= 0
        }

    @property
    def firmware_places(self) -> dict[tuple[Table, int], int]:
        """{place: word} of what modules say of their firmware: the oldest that their type needs."""
        out: dict[tuple[Table, int], int] = {}
        kinds = [self.layout.type_of(module.id).firmware for module in self.layout.modules_of(self.rack)]
        told = [kind for kind in kinds if kind is not None]
        for (table, first, _), kind in zip(firmware_runs(self.layout, self.rack), told, strict=True):
            out |= {(table, first + k): word for k, word in enumerate(kind.words_of(kind.oldest or "1.0"))}
        return out

    def take_named(self, words: Mapping[tuple[Table, int], int], *, applied: bool) -> bool:
        """Work from now on by what was written in those places; whether there was anything new. Where something has to
        be written behind them before they act, only if it was."""
        if self.after and not applied:
            return False
        changes: dict[tuple[int, str], Stored] = {}
        moved = False
        for k, one in enumerate(self._named):
            code = one.code_in(words[one.table, one.place])
            name = one.setting.name_of(code)
            if code == self._codes[k] or not name:
                continue
            self._codes[k], moved = code, True
            row = self._rows_of.get((one.module, one.channel))
            if row is None:
                continue
            if one.setting.of == "mode" and name == "off":
                self._off.add(row)
                continue
            changes[row, FIELD_OF[one.setting.of]] = Decimal(name) if one.setting.per_unit else name
            if one.setting.of in ("mode", "enabled"):
                (self._off.add if name == "no" else self._off.discard)(row)
        if changes:
            self._image = self._image.with_cells(changes)
        return moved

    def process(self, step: int) -> Floats:
        """The quantity at each device at a step: mean, slow swing and noise. Contacts are 0 or 1."""
        generator = np.random.default_rng((self._seed, step))
        t = step * self._step_s
        value = self._mean + self._swing * np.sin(2.0 * np.pi * t / self._period)
        value = value + self._noise * generator.standard_normal(len(value))
        contact = self._image.family == Family.CONTACT
        return np.where(contact, (value >= 0.5).astype(np.float64), value)

    def step(self, step: int) -> Words:
        """The registers of the rack at a step: (registers,) uint16, indexed by register number."""
        paths = self.ready(step).runs.evaluate(Station.PROCESS, self.process(step))
        return self.registers(paths.at(Station.COUNTS).copy(), paths.reasons.copy())

    def ready(self, step: int) -> Ready:
        """What its paths need at a step, which becomes the rack's own; the same as before if nothing has changed."""
        self._step = step
        faults = self._faults | {row: put.faults for row, put in self._put.items() if put.faults}
        if self._ready is None or self._ready.image is not self._image or self._ready.faults != faults:
            self._ready = Ready.of(self._image, faults)
        if self._ready.noisy:
            noise = np.random.default_rng((self._seed, step, 1)).standard_normal(len(self._devices))
            self._ready.runs.disturb(upset_of(len(self._devices), faults, noise).noise)
        return self._ready

    def registers(self, counts: Floats, reasons: NDArray[np.uint32]) -> Words:
        """The registers at the step that `ready` was asked for, from what its paths make of `process`: counts and
        reasons, (devices,), which this may change."""
        step, ready = self._step, self._ready
        assert ready is not None
        self._commanded(counts, reasons, ready.faults)
        on_wires = {row: put.at((step - put.since) * self._step_s) for row, put in self._put.items() if put.form}
        self._counts = counts.copy()
        on_wires |= self._led_back(on_wires)
        if on_wires:
            rows = np.array(sorted(on_wires), dtype=np.int64)
            put = ready.of_rows(rows).evaluate(Station.LOOP, np.array([on_wires[r] for r in rows.tolist()]))
            counts[rows], reasons[rows] = put.at(Station.COUNTS), put.reasons
        opened = np.isnan(counts)
        counts[opened] = ready.on_open[opened]
        if self._off:
            off = np.array(sorted(self._off))
            counts[off], opened[off], reasons[off] = 0.0, False, 0
        told = np.uint32(Reason.OPEN_CIRCUIT | Reason.SHORT_CIRCUIT)
        fault = opened | ((reasons & told) != 0)
        for row, forced in self._held.items():
            counts[row], fault[row] = forced, False
        reasons[fault] |= np.uint32(Reason.CHANNEL_FAULT)
        for row in self._held:
            reasons[row] = 0
        return self._registers(ready.as_it_is, np.nan_to_num(counts), fault, reasons)

    def _commanded(self, counts: Floats, reasons: NDArray[np.uint32], faults: Mapping[int, Sequence[Fault]]) -> None:
        """Outputs do what they were told, within what they can; an open load is seen by the module, not by its
        count."""
        for row, told in self._told.items():
            mode = self._image.layout.type_of(int(self._image.module[row])).mode_named(self._image.text("mode", row))
            counts[row] = told if mode is None else min(max(told, mode.least), mode.most)
            if mode is not None and told:
                counts[row] = held_between(self._image, row, mode, counts[row])
            opened = any(fault.kind == "open" for fault in faults.get(row, ()))
            reasons[row] = np.uint32(Reason.OPEN_CIRCUIT) if opened else np.uint32(0)

    def _led_back(self, on_wires: Mapping[int, float]) -> dict[int, float]:
        """What stands on the wires of inputs that an output is led back to, where nothing else is put there."""
        led = {row: at for row, at in self._led.items() if row not in on_wires and row not in self._put}
        signals = self.brought | self.signals(set(led.values()))
        return {row: signals[at] for row, at in led.items() if at in signals}

    @property
    def wants(self) -> set[str]:
        """Addresses of the outputs of other racks that are led to inputs here; their signals are to be `brought`."""
        return set(self._led.values()) - self._rows.keys()

    def signals(self, some: Collection[str]) -> dict[str, float]:
        """What stands on the wires of some of this rack's outputs, by their addresses, at the step worked out
        last."""
        rows = np.array([self._rows[at] for at in some if at in self._rows], dtype=np.int64)
        if not len(rows):
            return {}
        signals = evaluate(self._image, Station.COUNTS, self._counts[rows], rows).at(Station.LOOP)
        return {self._devices[row].at: float(one) for row, one in zip(rows.tolist(), signals, strict=True)}

    def _forced(self) -> dict[int, float]:
        """{row: count} of every channel that is held by a force."""
        out = {}
        for module, words in zip(self._modules, self._settings, strict=True):
            kind = self.layout.type_of(module.id)
            if not kind.forces:
                continue
            for channel in range(kind.channels):
                row = self._places.get((module.place, channel))
                if row is not None and words[kind.force_offset + channel // 16] >> channel % 16 & 1:
                    out[row] = _count(kind, words, kind.force_offset + kind.mask_words, channel)
        return out

    def _commands(self) -> dict[int, float]:
        """{row: count} of every output that takes commands."""
        out = dict(self._given)
        for module, words in zip(self._modules, self._settings, strict=True):
            kind = self.layout.type_of(module.id)
            for channel in range(kind.channels if kind.commands and not self.map.names else 0):
                row = self._places.get((module.place, channel))
                if row is not None:
                    out[row] = _count(kind, words, kind.command_offset, channel)
        return out

    def give(self, at: int, count: float) -> None:
        """An output of a rack that is reached by name gets its count. at: its place in the map."""
        module, channel = int(self.map.modules[at]), int(self.map.channels[at])
        row = self._rows_of.get((module, channel))
        if row is not None and np.isfinite(count) and driven(self._image, np.array([row]))[0]:
            self._given[row] = count
            self._told = self._commands()

    @property
    def setting_count(self) -> int:
        """How many holding registers the rack has."""
        return 0 if self.map.names else sum(map(len, self._settings))

    def settings_words(self) -> list[int]:
        """The holding registers of the rack: of each module its own number, then each setting of each channel."""
        return [word for words in self._settings for word in words]

    def take_settings(self, written: Sequence[int]) -> bool:
        """Work from now on by settings that were written; whether there were new ones. A number that means nothing
        changes nothing: the word that stood there stays, and so does a module's own number."""
        at = 0
        moved = False
        changes: dict[tuple[int, str], Stored] = {}
        for module, words in zip(self._modules, self._settings, strict=True):
            new = list(written[at : at + len(words)])
            at += len(words)
            if new != words:
                changes |= self._changed(module, words, new)
                moved = True
        if moved:
            self._held, self._told = self._forced(), self._commands()
        if changes:
            self._image = self._image.with_cells(changes)
        return moved

    def _begins(self, module: Module) -> list[int]:
        """The settings a module of this rack begins with: those of the devices on it, else the first of each."""
        kind = self.layout.type_of(module.id)
        if not kind.setting_count:
            return []
        words = [kind.ident_code or 0]
        for setting in kind.in_a_row:
            for channel in range(kind.channels):
                row = self._places.get((module.place, channel))
                chosen = "" if row is None else self._image.text(FIELD_OF[setting.of], row)
                code = setting.code_of(chosen)
                words.append(setting.default_code if code is None else code)
        words += [0] * (kind.setting_count - len(words))
        if kind.commands:
            self._tell_as_it_is(module, words)
        return words

    def _tell_as_it_is(self, module: Module, words: list[int]) -> None:
        """An output begins with the value that its device has."""
        kind = self.layout.type_of(module.id)
        counts = evaluate(self._image, Station.PROCESS, self._mean).at(Station.COUNTS)
        for channel in range(kind.channels):
            row = self._places.get((module.place, channel))
            if row is not None and np.isfinite(counts[row]):
                size, at = kind.word_form.words, kind.command_offset + channel * kind.word_form.words
                words[at : at + size] = kind.word_form.words_of(counts[row])[0].tolist()

    def _changed(self, module: Module, words: list[int], new: list[int]) -> dict[tuple[int, str], Stored]:
        kind = self.layout.type_of(module.id)
        out: dict[tuple[int, str], Stored] = {}
        words[kind.force_offset :] = new[kind.force_offset :]
        for k, setting in enumerate(kind.in_a_row):
            for channel in range(kind.channels):
                at = 1 + k * kind.channels + channel
                name = setting.name_of(new[at])
                if new[at] == words[at] or not name:
                    continue
                words[at] = new[at]
                row = self._places.get((module.place, channel))
                if row is not None:
                    out[row, FIELD_OF[setting.of]] = Decimal(name) if setting.per_unit else name
                if setting.of == "enabled" and row is not None:
                    (self._off.discard if name == "yes" else self._off.add)(row)
        return out

    def inject(
        self,
        place: int,
        channel: int,
        value: float | None,
        unit: str,
        form: str = "fixed",
        high: float = 0.0,
        period_s: float = 10.0,
        faults: Sequence[tuple[str, str]] = (),
    ) -> None:
        """Put a signal on a channel's terminals as a calibrator would, or something wrong; None and nothing wrong
        takes both off. Both at once: a signal at the terminals of a channel that is off; what is wrong with the channel
        itself stays when another signal is put on.

        unit: of what stands on the wires: mA, V, mV, Ω, Hz. An open circuit is value NaN for a thermocouple, 0 mA or
        0 V elsewhere. form, high, period_s: see core.signals.waveforms. faults: (kind, amount) of core.path.faults. Raises
        InjectionError if the channel has no device or works with another kind of signal, TextError for what cannot be
        read.
        """
        row = self._places.get((place, channel))
        if row is None:
            raise InjectionError("nothing is wired to this channel of the stand-in")
        known = tuple(read_fault(kind, amount) for kind, amount in faults)
        if value is None:
            self._put.pop(row, None)
            if known:
                self._put[row] = _Put(self._step, "", 0.0, 0.0, 10.0, 0, known)
            return
        if not known and (before := self._put.get(row)):
            # A calibrator at the terminals heals no converter.
            known = tuple(fault for fault in before.faults if fault.kind in _OF_CHANNEL)
        expected = describe(self._image, row)[STATIONS.index(Station.LOOP)].unit
        if unit != expected:
            raise InjectionError(f"this channel works with {expected}, not {unit}")
        if form != "fixed":
            waveform_of(form, value, high, period_s)
        self._put[row] = _Put(self._step, form, value, high, period_s, self._seed + row, known)

    def wired(self, place: int, channel: int) -> tuple[str, str, str]:
        """(address, "in" or "out", unit on the wires) of a channel of the stand-in. Raises InjectionError if nothing
        is wired to it."""
        row = self._places.get((place, channel))
        if row is None:
            raise InjectionError("nothing is wired to this channel of the stand-in")
        unit = describe(self._image, row)[STATIONS.index(Station.LOOP)].unit
        kind = self._kind_of(row).at_channel(channel, self._image.text("mode", row))
        return self._devices[row].at, kind.direction, unit

    def lead(self, at: str, output: str) -> None:
        """Lead an output, of this or another rack, back to the terminals of an input, as two wires would; '' takes
        them off. Both by their addresses. What is put on the input goes before."""
        row = self._rows[at]
        self._led.pop(row, None)
        if output:
            self._led[row] = output

    def _kind_of(self, row: int) -> ModuleType:
        return self.layout.type_of(int(self._image.module[row]))

    def take_over(self, before: FieldRack, *, settings: bool) -> None:
        """Go on with what was put on, and if asked with the settings that were written, of a rack that stood here.

        Modules are the same where their types follow one another in the same order, wherever they sit now.
        """
        old = [m for m in before.layout.modules_of(before.rack) if m in before._modules]
        pairs = SequenceMatcher(
            None,
            [before.layout.type_of(m.id).key for m in old],
            [self.layout.type_of(m.id).key for m in self._modules],
            autojunk=False,
        ).get_matching_blocks()
        for a, b, count in pairs:
            for was, now in zip(old[a : a + count], self._modules[b : b + count], strict=True):
                for (place, channel), row in self._places.items():
                    there = before._places.get((was.place, channel)) if place == now.place else None
                    if (
                        there is not None
                        and there in before._put
                        and self._image.text("signal", row) == before._image.text("signal", there)
                    ):
                        self._put[row] = before._put[there]
                if settings:
                    words = before._settings[before._modules.index(was)]
                    kept = {c for p, c in before._places if p == was.place}
                    self._changed_to(self._modules.index(now), words, kept)
        self._held, self._told = self._forced(), self._commands()

    def _changed_to(self, at: int, words: Sequence[int], channels: set[int]) -> None:
        """Settings as they were written, of the channels that had a device before; a new device begins with its
        own."""
        own, kind = self._settings[at], self.layout.type_of(self._modules[at].id)
        if len(words) != len(own):
            return
        settled = 1 + len(kind.in_a_row) * kind.channels
        new = [
            word if 0 < k < settled and (k - 1) % kind.channels not in channels else words[k]
            for k, word in enumerate(own)
        ]
        if changes := self._changed(self._modules[at], own, new):
            self._image = self._image.with_cells(changes)

    @property
    def noisy(self) -> bool:
        """Whether something wrong there makes noise of its own at each step."""
        return self._ready is None or self._ready.noisy

    @property
    def moves(self) -> bool:
        """Whether somebody has put on what changes quicker than the process does."""
        return any(put.faults or put.form != "fixed" for put in self._put.values())

    def injected(self) -> list[tuple[int, int, float]]:
        """(place, channel, first level) of everything that is put on."""
        places = {row: place for place, row in self._places.items()}
        return [(*places[row], put.low) for row, put in sorted(self._put.items())]

    def _registers(self, as_it_is: PlantImage, counts: Floats, fault: Bools, reasons: NDArray[np.uint32]) -> Words:
        registers = np.zeros(self.map.size, dtype=np.uint16)
        encode(self.map, self._rows_of_map, counts, registers)
        self.faulty = np.zeros(len(self.map), dtype=bool)
        self.faulty[self._rows_of_map] = fault
        words = registers.astype(np.int64)
        self._set_status(words, fault)
        self.status.put(words, self._channels_of_map, reasons)
        self.map.cold.put(rack_ambient_degc(self._image, self.rack), words, self.map.forms)
        at = self.map.load_word[self._rows_of_map]
        if (measured := np.flatnonzero(at >= 0)).size:
            flows = np.nan_to_num(expected_load_ma(as_it_is, measured, counts[measured]))
            words[at[measured]] = np.rint(np.where(fault[measured], 0.0, flows)).astype(np.int64)
        return words.astype(np.uint16)

    def _set_status(self, words: NDArray[np.int64], fault: Bools) -> None:
        """Status bits of every channel: a channel with nothing wired to it is open, which is no fault here."""
        faulty = {place for place, row in self._places.items() if fault[row]}
        for at in np.flatnonzero(self.map.status_word >= 0).tolist():
            place = self.layout.modules[int(self.map.modules[at])].place
            bad = (place, int(self.map.channels[at])) in faulty
            words[self.map.status_word[at]] |= int(bad != self.map.healthy_is_one[at]) << int(self.map.status_bit[at])


def _count(kind: ModuleType, words: Sequence[int], first: int, channel: int) -> float:
    """The count that stands in a module's own registers for a channel."""
    at = first + channel * kind.word_form.words
    return float(kind.word_form.counts_of([list(words[at : at + kind.word_form.words])])[0])


def _cells(device: FieldDevice, module: int, channel: int) -> dict[str, Stored]:
    cells: dict[str, Stored] = {
        "signal": device.signal,
        "mode": device.mode,
        "channel": Landing(module, channel, landed=True),
    }
    for name, end in (("device_low", device.low), ("device_high", device.high)):
        cells[name] = None if end is None else Decimal(repr(end))
    for name, text in device.cells.items():
        kind = field_named(name)
        cells |= {name: text} if kind.kind is Kind.FILTER else read_cell(kind, text)
    return cells
