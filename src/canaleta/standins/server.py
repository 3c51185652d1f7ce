"""The stand-in process: real servers for many racks, of Modbus TCP, OPC UA or MQTT. Whoever stands at them uses a port of its own
(standins/source_port.py).
"""

from __future__ import annotations

import asyncio
import dataclasses
import logging
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from pydantic import ValidationError
from pymodbus.pdu.device import ModbusDeviceIdentification
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from canaleta.catalogue.demo import DemoPlant, layout_of
from canaleta.core.model.layout import Layout
from canaleta.core.model.register_tables import Table
from canaleta.core.notation.arrays import Bools, Words
from canaleta.core.notation.text import short
from canaleta.standins.field import FieldRack, InjectionError
from canaleta.standins.together import Together, together

__all__ = ["StandIn", "StandIns", "build", "stored_plant"]

log = logging.getLogger("stand-in")
READ_HOLDING_REGISTERS, READ_INPUT_REGISTERS = 3, 4
_READS = {
    Table.COILS: 1,
    Table.DISCRETE_INPUTS: 2,
    Table.HOLDING_REGISTERS: READ_HOLDING_REGISTERS,
    Table.INPUT_REGISTERS: READ_INPUT_REGISTERS,
}
"""The functions that read each table (MODBUS Application Protocol V1.1b3, 6.1 to 6.4)."""
HEAD = {"VendorName": "Canaleta", "ProductCode": "stand-in", "MajorMinorRevision": "1.0"}
STEP_S = 0.25
STEPS_AT_REST = 4
"""After how many steps a rack is worked out anew while nothing quick is put on it: a process as slow as this one is
told often enough once a second, and a laptop's battery lasts longer."""


class ByName(Protocol):
    """A server whose values have names."""

    async def serve_forever(self, *, background: bool) -> None:
        """Listen from now on. Raises OSError if it cannot."""

    async def put(self, words: Words, faulty: Bools) -> None:
        """These are its values from now on, and which channels are at fault."""

    async def shutdown(self) -> None:
        """Close every connection."""


@dataclass
class StandIn:
    """One stand-in rack: its field, its server, its unit number, the step it was worked out for, and how often
    its registers were put."""

    field: FieldRack
    server: ModbusTcpServer | ByName
    unit: int = 1
    step: int = 0
    turn: int = 0
    _before: list[Any] = dataclasses.field(default_factory=list)
    _firmware: dict[tuple[Table, int], int] = dataclasses.field(init=False)

    def __post_init__(self) -> None:
        self._firmware = self.field.firmware_places

    async def refresh(self) -> None:
        """Take up settings that were written, and work the registers out anew: what was just put on is read at
        once."""
        await self.written()
        await self.put(self.field.step(self.step))

    async def written(self) -> bool:
        """Take up settings that were written, and what resets bits that latched. Returns whether any were."""
        reset = False
        if not isinstance(self.server, ModbusTcpServer):
            return reset
        for place in self.field.status.resets:
            read = _READS[place.table]
            (word,) = await self.server.async_getValues(self.unit, read, place.place, 1)
            if place.asked(int(word)):
                self.field.status.reset(place)
                rest = int(word) & ~place.mask
                await self.server.async_setValues(
                    self.unit, read, place.place, [bool(rest) if place.table.of_bits else rest]
                )
                reset = True
        named, in_a_row = await self._named_written(), await self._settings_written()
        return named or in_a_row or reset

    async def _named_written(self) -> bool:
        """Take up settings in places that manuals name, when what makes them act was written."""
        assert isinstance(self.server, ModbusTcpServer)
        if not (there := self.field.named_places):
            return False
        now: dict[tuple[Table, int], int] = {}
        for table in {table for table, _ in there}:
            places = [place for of, place in there if of is table]
            first, count = min(places), max(places) - min(places) + 1
            words = await self.server.async_getValues(self.unit, _READS[table], first, count)
            now |= {(table, first + k): int(word) for k, word in enumerate(words)}
        applied = [(t, place) for t, place, word in self.field.after if now[t, place] == word]
        moved = self.field.take_named(now, applied=bool(applied))
        if not (moved or applied):
            return False
        for (table, place), word in self.field.named_places.items():
            if now[table, place] != word:
                given = [bool(word)] if table.of_bits else [word]
                await self.server.async_setValues(self.unit, _READS[table], place, given)
        return moved

    async def _settings_written(self) -> bool:
        count = self.field.setting_count
        if not count or not isinstance(self.server, ModbusTcpServer):
            return False
        written = list(await self.server.async_getValues(self.unit, READ_HOLDING_REGISTERS, 0, count))
        if written == self._before:
            return False
        self._before = written
        return self.field.take_settings([int(value) for value in written])

    def _says_itself(self, table: Table, first: int, count: int) -> list[tuple[int, int]]:
        """(place, word) of what modules say of themselves between the channels."""
        return [(p, word) for (of, p), word in self._firmware.items() if of is table and first <= p < first + count]

    async def put(self, words: Words) -> None:
        """These are its words from now on, (words,), as its map lays them out."""
        self.turn += 1
        if not isinstance(self.server, ModbusTcpServer):
            await self.server.put(words, self.field.faulty)
            return
        for space in self.field.map.spaces:
            if space.count:
                values = words[space.at : space.at + space.count].tolist()
                for place, word in self._says_itself(space.table, space.first, space.count):
                    values[place - space.first] = word
                given = [bool(value) for value in values] if space.table.of_bits else values
                await self.server.async_setValues(self.unit, _READS[space.table], space.first, given)


def build(
    plant: DemoPlant,
    layout: Layout,
    rack: int,
    port: int,
    seed: int,
    step: int = 0,
    before: StandIn | None = None,
    *,
    keep_settings: bool = False,
) -> StandIn:
    """A stand-in for one rack of a demo plant on a port of loopback. Must be called inside an event loop.

    before: what stood there, of which what was put on stays, and if asked the settings that were written.
    """
    field = FieldRack(plant, layout, rack, seed, STEP_S)
    if before is not None:
        field.take_over(before.field, settings=keep_settings)
    if layout.racks[rack].by_name:
        # What speaks another protocol is only there where a rack does: it takes 30 MB.
        from canaleta.standins.by_name import Broker, OpcServer

        kind: type[OpcServer | Broker] = OpcServer if layout.racks[rack].link == "OPC UA" else Broker
        return StandIn(field, kind(layout, rack, field.map, port, field.give, field.spans), step=step)
    device = SimDevice(id=1, simdata=_tables(field, field.step(step)))
    # What all of a process say of themselves (V1.1b3, 6.21): the library has one for all of them.
    head = ModbusDeviceIdentification(info_name=HEAD)  # type: ignore[no-untyped-call]
    return StandIn(field, ModbusTcpServer(device, identity=head, address=("127.0.0.1", port)), step=step)


def _tables(field: FieldRack, words: Words) -> tuple[list[SimData], list[SimData], list[SimData], list[SimData]]:
    """Coils, discrete inputs, holding and input registers of a rack, each from 0 to the last that it has."""
    settings = field.settings_words()
    values: dict[Table, list[int]] = {table: [0] for table in Table}
    values[Table.HOLDING_REGISTERS] = settings or [0]
    for space in field.map.spaces:
        end, has = space.first + space.count, values[space.table]
        if space.count:
            values[space.table] = has + [0] * (end - len(has))
            values[space.table][space.first : end] = words[space.at : space.at + space.count].tolist()
    for reset in field.status.resets:
        has = values[reset.table]
        values[reset.table] = has + [0] * (reset.place + 1 - len(has))
    for (table, place), word in [*field.named_places.items(), *field.firmware_places.items()]:
        has = values[table]
        values[table] = has = has + [0] * (place + 1 - len(has))
        has[place] = word
    bits = [
        SimData(0, values=[bool(value) for value in values[table]], datatype=DataType.BITS)
        for table in (Table.COILS, Table.DISCRETE_INPUTS)
    ]
    registers = [
        SimData(0, values=values[table], datatype=DataType.REGISTERS)
        for table in (Table.HOLDING_REGISTERS, Table.INPUT_REGISTERS)
    ]
    return [bits[0]], [bits[1]], [registers[0]], [registers[1]]


class StandIns:
    """All stand-in racks of this process, by their numbers. state: the file that keeps a layout they were told."""

    def __init__(self, plant: DemoPlant, ports: Mapping[int, int], seed: int, state: Path | None = None) -> None:
        self.plant = plant
        self._ports = dict(ports)
        self._seed = seed
        self._state = state
        self.racks: dict[int, StandIn] = {}
        self._step = 0
        self._together: dict[int, Together] = {}
        self._running: asyncio.Task[None] | None = None

    async def begin(self) -> list[str]:
        """Start a server a rack. Returns what could not be served, in words; it leaves the others alone."""
        troubles = []
        layout = layout_of(self.plant)
        for rack in layout.racks.values():
            troubles += await self._begin_rack(layout, rack.id, None, keep_settings=False)
        self._running = asyncio.create_task(self._run())
        return troubles

    async def _run(self) -> None:
        """Move the process on until cancelled."""
        while True:
            await self._move_on()
            await asyncio.sleep(STEP_S)
            self._step += 1

    async def _move_on(self) -> None:
        """Work racks out anew: where somebody has put on what moves or wrote a setting, at each step; those at rest
        once a second and together. What goes wrong with one of them stops no other."""
        at_rest: dict[int, list[StandIn]] = {}
        for made in list(self.racks.values()):
            made.step = self._step
            try:
                self._bring(made.field)
                if await made.written() or made.field.moves or made.field.noisy:
                    await made.put(made.field.step(self._step))
                elif self._step % STEPS_AT_REST == 0:
                    # Racks of one layout: one that was renewed has its own, in which modules may be numbered
                    # otherwise.
                    at_rest.setdefault(id(made.field.layout), []).append(made)
            except Exception:
                log.exception(
                    "rack %d: the stand-in met what it does not know; it goes on at the next step", made.field.rack
                )
        if not at_rest:
            return
        before, self._together = self._together, {}
        for key, some in at_rest.items():
            turns = [made.turn for made in some]
            for made, turn, words in zip(some, turns, self._worked_out(key, some, before.get(key)), strict=True):
                # What was put on meanwhile stands there already, and is newer.
                if words is not None and made.turn == turn and self.racks.get(made.field.rack) is made:
                    await made.put(words)

    def _worked_out(self, key: int, some: Sequence[StandIn], before: Together | None) -> Sequence[Words | None]:
        """The registers of some racks of one layout; None for one that cannot be worked out."""
        try:
            words, self._together[key] = together([made.field for made in some], self._step, before)
            return words
        except Exception:
            log.exception("stand-ins could not be worked out together; each is tried alone")
        alone: list[Words | None] = []
        for made in some:
            try:
                alone.append(made.field.step(self._step))
            except Exception:
                log.exception("rack %d: the stand-in met what it does not know", made.field.rack)
                alone.append(None)
        return alone

    async def _begin_rack(
        self, layout: Layout, rack: int, before: StandIn | None, *, keep_settings: bool
    ) -> list[str]:
        port = self._ports.get(rack)
        if rack not in layout.racks or port is None:
            return []
        made = build(
            self.plant, layout, rack, port, self._seed + rack, self._step, before, keep_settings=keep_settings
        )
        try:
            await made.server.serve_forever(background=True)
            if layout.racks[rack].by_name:
                await made.put(made.field.step(self._step))
        except (OSError, RuntimeError) as error:
            log.error("rack %d cannot answer on port %d: %s", rack, port, error)
            named = layout.racks[rack]
            return [
                f"{layout.cabinets[named.cabinet].name} rack {named.name} cannot answer on port {port} ({short(error)})"
            ]
        self.racks[rack] = made
        return []

    async def end(self) -> None:
        """Stop every server."""
        while self._running is not None and not self._running.done():
            self._running.cancel()
            await asyncio.wait({self._running}, timeout=0.5)
        for made in self.racks.values():
            await _shut(made)
        self.racks, self._running = {}, None

    async def become(
        self,
        plant: DemoPlant,
        ports: Mapping[int, int],
        only: int | None = None,
        keep: Mapping[str, str] | None = None,
    ) -> None:
        """Take on another layout, all of it or of one rack, store it, and serve it from now on.

        Only racks of which something changes are begun anew: the others go on without a break, with what was put on
        them. keep: {address: address before} of devices that stay as they are; then the settings that were written
        stay as well. Raises InjectionError if a rack cannot be served.
        """
        wanted = plant if only is None else with_rack(self.plant, plant, only, keep or {})
        becomes = dict(ports) if only is None else self._ports | {only: ports[only]}
        before, after = _prints(self.plant, self._ports), _prints(wanted, becomes)
        self._keep(wanted)
        self.plant, self._ports = wanted, becomes
        troubles = []
        for rack in sorted(before.keys() | after.keys()):
            # Settings that were written are the rack's own; asked to be like the list, it begins with the list's.
            renewed = only == rack and keep is None
            if renewed or before.get(rack) != after.get(rack):
                troubles += await self._renew(rack, keep_settings=keep is not None)
        if troubles:
            raise InjectionError(f"the stand-ins are like the list, but {'; '.join(troubles)}: choose another port")

    def _keep(self, plant: DemoPlant) -> None:
        if self._state is not None:
            beside = self._state.with_suffix(".new")
            beside.write_text(plant.model_dump_json(), encoding="utf-8")
            beside.replace(self._state)

    async def wire(self, rack: int, place: int, channel: int, output: tuple[int, int, int] | None) -> None:
        """Lead an output back to an input, of the same rack or another, or take that off, and keep it so.

        output: (rack, place, channel). Raises InjectionError if one of them is not there or their signals do not
        belong together.
        """
        made = self.there(rack)
        at, way, takes = made.field.wired(place, channel)
        follows = ""
        if output is not None:
            follows, gives_way, gives = self.there(output[0]).field.wired(*output[1:])
            if gives_way != "out":
                raise InjectionError("the stand-in has no output there")
            if way != "in":
                raise InjectionError("an output is led to an input, not to another output")
            if gives != takes:
                raise InjectionError(f"the output gives {gives}, this channel works with {takes}")
        made.field.lead(at, follows)
        field = tuple(d.model_copy(update={"follows": follows}) if d.at == at else d for d in self.plant.field)
        wired = self.plant.model_copy(update={"field": field})
        self._keep(wired)
        self.plant = wired
        self._bring(made.field)
        await made.refresh()

    def there(self, rack: int) -> StandIn:
        """The stand-in of a rack. Raises InjectionError if there is none."""
        if (made := self.racks.get(rack)) is None:
            raise InjectionError("this rack has no stand-in")
        return made

    def _bring(self, field: FieldRack) -> None:
        """Bring what stands on other racks' outputs to the inputs of this one that they are led to."""
        if wanted := field.wants:
            field.brought = {}
            for other in self.racks.values():
                field.brought |= other.field.signals(wanted)

    async def _renew(self, rack: int, *, keep_settings: bool) -> list[str]:
        """Begin one rack anew from the layout; what was put on it stays where it still fits."""
        old = self.racks.pop(rack, None)
        if old is not None:
            await _shut(old)
        return await self._begin_rack(layout_of(self.plant), rack, old, keep_settings=keep_settings)


async def _shut(made: StandIn) -> None:
    if isinstance(made.server, ModbusTcpServer):
        await made.server.shutdown()  # type: ignore[no-untyped-call]
    else:
        await made.server.shutdown()


def with_rack(plant: DemoPlant, new: DemoPlant, rack: int, keep: Mapping[str, str]) -> DemoPlant:
    """A plant with one rack as another has it; devices to be kept come along from where they stood."""
    layout = layout_of(plant)
    stood = {d.at: d for d in plant.field}
    old_here = {d.at for d in plant.field if layout.modules[layout.read_address(d.at)[0]].rack == rack}
    back = {was: at for at, was in keep.items()}
    there = layout_of(new)
    here = []
    for device in new.field:
        if there.modules[there.read_address(device.at)[0]].rack != rack:
            continue
        kept = stood.get(keep.get(device.at, ""))
        here.append(
            device
            if kept is None
            else kept.model_copy(update={"at": device.at, "follows": back.get(kept.follows, kept.follows)})
        )
    theirs = {c.name: {r.number: r for r in c.racks} for c in new.cabinets}
    numbers = {r.id: (layout.cabinets[r.cabinet].name, r.name) for r in layout.racks.values()}
    cabinets = []
    for cabinet in plant.cabinets:
        racks = [
            found
            if numbers.get(rack) == (cabinet.name, r.name) and (found := theirs.get(cabinet.name, {}).get(rack))
            else r
            for r in cabinet.racks
        ]
        cabinets.append(cabinet.model_copy(update={"racks": tuple(racks)}))
    if rack not in numbers:
        # A rack that is new stands where the list has it; all others keep their numbers.
        cabinets = list(new.cabinets)
    types = {t.key: t for t in plant.types} | {t.key: t for t in new.types}
    rest = [d for d in plant.field if d.at not in old_here]
    return plant.model_copy(
        update={"cabinets": tuple(cabinets), "types": tuple(types.values()), "field": (*rest, *here)}
    )


def _prints(plant: DemoPlant, ports: Mapping[int, int]) -> dict[int, object]:
    """What each rack is, to tell whether it changes: its port, its modules with their types, its devices."""
    layout = layout_of(plant)
    devices: dict[int, list[str]] = {}
    for device in plant.field:
        rack = layout.modules[layout.read_address(device.at)[0]].rack
        devices.setdefault(rack, []).append(device.model_dump_json())
    return {
        rack: (
            ports.get(rack),
            layout.racks[rack].link,
            [(m.place, m.names, layout.type_of(m.id).model_dump_json()) for m in layout.modules_of(rack)],
            sorted(devices.get(rack, ())),
        )
        for rack in layout.racks
    }


def stored_plant(state: Path | None, otherwise: DemoPlant) -> DemoPlant:
    """The layout that was kept, or the other one if none was or the file cannot be read."""
    if state is None or not state.exists():
        return otherwise
    try:
        return DemoPlant.model_validate_json(state.read_text(encoding="utf-8"))
    except (OSError, ValidationError) as error:
        log.warning("%s cannot be read, the demo plant stands in: %s", state, short(error))
        return otherwise
