"""What people command of a rack, apart from scanning it: injections, forces, settings, and their word about alarms."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from canaleta.core.checks.own_numbers import must_be_of
from canaleta.core.hardware.forcing import Write
from canaleta.core.hardware.settings import read_runs, settings_size
from canaleta.core.live.alarms import Event
from canaleta.core.model.layout import Rack
from canaleta.core.model.links import in_turn
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import TextError
from canaleta.core.signals.decodings import read_pair
from canaleta.plant.live.alarms import AlarmTransition
from canaleta.plant.live.arming import armed
from canaleta.plant.live.commands import DONE, Command, Ended, Outcome
from canaleta.plant.live.scan_store import store_transitions
from canaleta.racks.context import Context
from canaleta.racks.life import RackLife
from canaleta.racks.reader import RackAnsweredError, RackSilentError, peeked, tested, tried
from canaleta.racks.readers import AnyReader, browsed, looked_up, reader_of, tested_by_name, written_by_name
from canaleta.racks.source import SourceError

__all__ = ["done"]


async def done(context: Context, life: RackLife, epoch: int, command: Command) -> Outcome:
    """Do a command, and say what became of it. life: what the rack's scanner holds under the lease of this epoch."""
    try:
        match command.kind:
            case "inject":
                return await _inject(context, command.target)
            case "become":
                return await _become(context, command.target)
            case "alarm" | "reset" | "zero":
                return await asyncio.to_thread(_act_on, context, life, epoch, command)
            case "force" if "name" in command.target:
                return await _write_named(context, command)
            case "force":
                return await _write(context, command)
            case "pair":
                return await _pair(context, command)
            case "numbers":
                return await _numbers(context, command)
            case "module reset":
                return await _reset_module(context, command)
            case "peek":
                return Outcome(Ended.DONE, answer=await peeked(command.target))
            case "browse":
                return await _browse(context, command)
            case "try":
                return Outcome(Ended.DONE, answer=await tried(command.target))
            case _:
                return await _settings(context, command)
    except (SourceError, RackSilentError, TextError, ValueError) as error:
        return Outcome.failed(error)


async def _inject(context: Context, target: dict[str, Any]) -> Outcome:
    if context.source is None:
        return Outcome.failed("this rack has no signal source")
    await context.source.put(target)
    return DONE


async def _become(context: Context, target: dict[str, Any]) -> Outcome:
    if context.source is None:
        return Outcome.failed("there is no stand-in on this machine")
    ports = {int(rack): port for rack, port in target["ports"].items()}
    await context.source.become(target["document"], ports, target.get("only"))
    return DONE


def _act_on(context: Context, life: RackLife, epoch: int, command: Command) -> Outcome:
    """Somebody's word about alarms, latched faults or counters; the answer says how many it moved."""
    target = command.target
    now = context.clock.when()
    passed: list[AlarmTransition] = []
    if command.kind == "alarm":
        until = datetime.fromisoformat(target["until"]) if target.get("until") else None
        keys = [(int(point), str(kind)) for point, kind in target["alarms"]]
        passed = life.told(Event[target["event"]], keys, now, command.who, target.get("why", ""), until)
        moved = len(passed)
    elif command.kind == "reset":
        moved = life.reset_faults([int(p) for p in target["points"]])
    else:
        life.zero_counters([int(p) for p in target["points"]])
        moved = len(target["points"])
    with context.engine.begin() as connection:
        store_transitions(connection, command.rack, epoch, context.holder, passed, life.packed())
    return Outcome(Ended.DONE, answer={"moved": moved})


async def _write(context: Context, command: Command) -> Outcome:
    """Write forces or commands of outputs, each read back."""
    image, target = await asyncio.to_thread(context.cache.current), command.target
    if command.rack not in image.layout.racks:
        return Outcome.failed("there is no such rack")
    rack_map = RackMap.of(image.layout, command.rack)
    writes = [Write(int(w[0]), int(w[1]), int(w[2])) for w in target["writes"]]
    async with reader_of(context.engine, image.layout.racks[command.rack], rack_map, 2.0) as reader:
        if not target.get("stand_in") and not await asyncio.to_thread(_is_armed, context, command.rack):
            return Outcome.failed("writing to this rack is not armed: nothing was written")
        for run in _together(writes):
            written = await _written_bits(reader, run)
            if not written.done:
                return written
    return DONE


async def _write_named(context: Context, command: Command) -> Outcome:
    """Give an output its value at a rack that is reached by name."""
    image, target = await asyncio.to_thread(context.cache.current), command.target
    rack = image.layout.racks.get(command.rack)
    if rack is None:
        return Outcome.failed("there is no such rack")
    if not target.get("stand_in") and not await asyncio.to_thread(_is_armed, context, command.rack):
        return Outcome.failed("writing to this rack is not armed: nothing was written")
    await written_by_name(context.engine, rack, str(target["name"]), float(target["value"]))
    return DONE


async def _pair(context: Context, command: Command) -> Outcome:
    """Read the counts that a controller keeps for both ends of a point; first write them, where they are said. Each number
    is written in one request and read back."""
    image, target = await asyncio.to_thread(context.cache.current), command.target
    rack = image.layout.racks.get(command.rack)
    if rack is None:
        return Outcome.failed("there is no such rack")
    places = read_pair(str(target["at"]))
    must_be_of(places, rack)
    if rack.by_name:
        return await _named_pair(context, rack, [place.name for place in places], target)
    rack_map = RackMap.of(image.layout, command.rack)
    async with reader_of(context.engine, rack, rack_map, 2.0) as reader:
        if given := target.get("write"):
            if not target.get("stand_in") and not await asyncio.to_thread(_is_armed, context, command.rack):
                return Outcome.failed("writing to this rack is not armed: nothing was written")
            for place, count in zip(places, given, strict=True):
                words = place.form.words_of(float(count))[0].tolist()
                await reader.write_run(place.register, words)
        now = [await reader.read_run(Table.HOLDING_REGISTERS, place.register, place.form.words) for place in places]
    read = [float(place.form.counts_of([words])[0]) for place, words in zip(places, now, strict=True)]
    return Outcome(Ended.DONE, answer={"counts": read})


async def _named_pair(context: Context, rack: Rack, names: Sequence[str], target: dict[str, Any]) -> Outcome:
    """The same where the controller has names."""
    if given := target.get("write"):
        if not target.get("stand_in") and not await asyncio.to_thread(_is_armed, context, rack.id):
            return Outcome.failed("writing to this rack is not armed: nothing was written")
        for name, count in zip(names, given, strict=True):
            await written_by_name(context.engine, rack, name, float(count))
    there = (await looked_up(context.engine, rack, names, []))["names"]
    if missing := [name for name in names if there.get(name) is None]:
        return Outcome.failed(f"the rack has no number behind {missing[0]}")
    return Outcome(Ended.DONE, answer={"counts": [there[name] for name in names]})


async def _numbers(context: Context, command: Command) -> Outcome:
    """Write numbers that a controller keeps, each in one request and read back, so that the answer tells of each what became
    of it. Only while the rack is armed."""
    image = await asyncio.to_thread(context.cache.current)
    rack = image.layout.racks.get(command.rack)
    if rack is None:
        return Outcome.failed("there is no such rack")
    if not await asyncio.to_thread(_is_armed, context, command.rack):
        return Outcome.failed("writing to this rack is not armed any more: nothing was written")
    results = []
    if rack.by_name:
        for name, number in command.target["names"]:
            try:
                await written_by_name(context.engine, rack, str(name), float(number))
                says = ""
            except RackSilentError as error:
                says = str(error)
            results.append({"done": not says, "says": says})
        return Outcome(Ended.DONE, answer={"results": results})
    async with reader_of(context.engine, rack, RackMap.of(image.layout, rack.id), 2.0) as reader:
        for register, words in command.target["writes"]:
            try:
                await reader.write_run(int(register), [int(word) for word in words])
                now = await reader.read_run(Table.HOLDING_REGISTERS, int(register), len(words))
                says = "" if now == words else "the controller kept another number"
            except RackSilentError as error:
                says = str(error)
            results.append({"done": not says, "says": says})
    return Outcome(Ended.DONE, answer={"results": results})


async def _besides(reader: AnyReader, runs: list[list[Any]]) -> dict[str, Any]:
    """What stands in other registers. One that is refused takes no other along, and is told."""
    read, refused = [], []
    for table, first, count in runs:
        try:
            read.append([table, first, await reader.read_run(Table(table), int(first), int(count))])
        except RackAnsweredError as error:
            refused.append([table, first, count, str(error)])
    return {"also": read, "refused": refused}


async def _reset_module(context: Context, command: Command) -> Outcome:
    """Write what resets the bits that latch in a module. Whether they are gone the next readings tell."""
    image, target = await asyncio.to_thread(context.cache.current), command.target
    if command.rack not in image.layout.racks:
        return Outcome.failed("there is no such rack")
    rack_map = RackMap.of(image.layout, command.rack)
    async with reader_of(context.engine, image.layout.racks[command.rack], rack_map, 2.0) as reader:
        if not target.get("stand_in") and not await asyncio.to_thread(_is_armed, context, command.rack):
            return Outcome.failed("writing to this rack is not armed: nothing was written")
        for table, place, word, mask in target["writes"]:
            await reader.write_bits(Table(table), int(place), int(word), int(mask))
    return DONE


async def _settings(context: Context, command: Command) -> Outcome:
    """Read the settings of a rack, test the way to it, or write settings while it is armed: one after the other,
    each read back, so that the answer tells of each what became of it."""
    image = await asyncio.to_thread(context.cache.current)
    rack = image.layout.racks.get(command.rack)
    if rack is None:
        return Outcome.failed("there is no such rack")
    rack_map, size = RackMap.of(image.layout, rack.id), settings_size(image.layout, rack.id)
    runs = read_runs(image.layout, rack.id)
    if command.kind == "test":
        if rack.by_name:
            return Outcome(Ended.DONE, answer=await tested_by_name(context.engine, rack, rack_map))
        says, look, words = await tested(rack, rack_map, size)
        return Outcome(Ended.DONE, answer={"says": says, "look": look, "words": words})
    if rack.by_name:
        target = command.target
        if command.kind != "read" or "names" not in target:
            return Outcome.failed(f"a rack that is reached by {rack.link} has no settings that could be read here")
        return Outcome(Ended.DONE, answer=await looked_up(context.engine, rack, target["names"], target["nodes"]))
    async with reader_of(context.engine, rack, rack_map, 2.0) as reader:
        if command.kind == "write" and not await asyncio.to_thread(_is_armed, context, command.rack):
            return Outcome.failed("writing to this rack is not armed any more: nothing was written")
        results = []
        for write in command.target.get("writes", []):
            written = await _written_place(reader, write)
            results.append({"done": written.done, "says": written.says})
        if any(result["done"] for result in results):
            # What makes settings act, or keeps them, comes when all of them are there. It often falls back by itself.
            for _, table, place, word in command.target.get("after", []):
                await reader.write_bits(Table(table), int(place), int(word))
        # A place that is refused is told: settings that nobody could read would pass for settings that agree.
        read = [[str(table), first, await reader.read_run(table, first, count)] for table, first, count in runs]
        also = await _besides(reader, command.target.get("also", []))
        head = await _head(reader, rack) if command.target.get("head") else ""
        return Outcome(Ended.DONE, answer={"read": read, "results": results, "head": head} | also)


async def _head(reader: AnyReader, rack: Rack) -> str:
    """What a rack's head says of itself, "" where it does not. It is asked last: what does not know the question may end the
    connection. On a line, where that would keep the others waiting, only one of which something was noted."""
    if in_turn(rack.link) and not rack.head:
        return ""
    try:
        return await reader.identity()
    except RackSilentError:
        return ""


async def _browse(context: Context, command: Command) -> Outcome:
    """What names a rack has, from a place on."""
    image = await asyncio.to_thread(context.cache.current)
    rack = image.layout.racks.get(command.rack)
    if rack is None or not rack.by_name:
        return Outcome.failed("this rack has registers, and no names to look through")
    return Outcome(Ended.DONE, answer=await browsed(context.engine, rack, str(command.target.get("from", ""))))


def _is_armed(context: Context, rack: int) -> bool:
    with context.engine.connect() as connection:
        return armed(connection, rack) is not None


async def _written_place(reader: AnyReader, write: dict[str, Any]) -> Outcome:
    """Write a setting where it is written, and read it back where it is read."""
    table, place, word = Table(write["table"]), int(write["place"]), int(write["word"])
    if table is Table.HOLDING_REGISTERS and write.get("read") is None:
        return await _written_bits(reader, [Write(place, word, int(write["mask"]))])
    try:
        await reader.write_bits(table, place, word, int(write["mask"]))
        if write.get("read") is not None:
            # It may stand there only when what applies it has been written: the next look tells.
            return DONE
        (now,) = await reader.read_run(table, place, 1)
    except RackSilentError as error:
        return Outcome.failed(error)
    return DONE if bool(now) == bool(word) else Outcome.failed(f"the rack kept {now}")


def _together(writes: list[Write]) -> list[list[Write]]:
    """Writes of whole registers that follow one another, each lot for one request: a number is never half written."""
    out: list[list[Write]] = []
    for write in writes:
        last = out[-1][-1] if out else None
        if last and last.mask == write.mask == 0xFFFF and write.register == last.register + 1:
            out[-1].append(write)
        else:
            out.append([write])
    return out


async def _written_bits(reader: AnyReader, run: list[Write]) -> Outcome:
    """Write a run of registers, or the bits that are meant of one, and read them back."""
    first = run[0]
    try:
        if len(run) == 1 and first.mask != 0xFFFF:
            await reader.write_masked(first.register, first.word, first.mask)
        else:
            await reader.write_run(first.register, [write.word for write in run])
        now = await reader.read_some_settings([write.register for write in run])
    except RackSilentError as error:
        return Outcome.failed(error)
    kept = [now[write.register] for write in run if (now[write.register] ^ write.word) & write.mask]
    return Outcome.failed(f"the rack kept {kept[0]}") if kept else DONE
