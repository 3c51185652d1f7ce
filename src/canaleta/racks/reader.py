"""Reading a rack over Modbus TCP: few large requests, plain reasons when it does not answer."""

from __future__ import annotations

import asyncio
import logging
import struct
import time
from collections.abc import AsyncIterator, Awaitable, Callable, Sequence
from contextlib import asynccontextmanager
from types import TracebackType
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray
from pymodbus.exceptions import ModbusException

from canaleta.core.model.layout import Layout, Rack
from canaleta.core.model.links import in_turn, is_serial
from canaleta.core.model.register_tables import Table, table_named
from canaleta.core.model.registers import RackMap, Request, plan_requests
from canaleta.core.notation.arrays import Bools, Words
from canaleta.plant.live.blocks import RackState
from canaleta.racks.ways import way_to

__all__ = [
    "RackAnsweredError",
    "RackBusyError",
    "RackDeniedError",
    "RackGarbledError",
    "RackLostError",
    "RackReader",
    "RackRefusesError",
    "RackSilentError",
    "RackTimedOutError",
    "RackUnreachableError",
    "as_head",
    "peeked",
    "tested",
    "tried",
]

log = logging.getLogger("scan")
MOST_WORDS = 125
MOST_HEAD = 200
_READS = {
    Table.COILS: "read_coils",
    Table.DISCRETE_INPUTS: "read_discrete_inputs",
    Table.INPUT_REGISTERS: "read_input_registers",
    Table.HOLDING_REGISTERS: "read_holding_registers",
}

EXCEPTIONS = {
    1: "the rack does not know the function",
    2: "the rack has no such register: is the first register right?",
    3: "the rack refuses the number of registers",
    4: "the rack could not do it",
    5: "the rack is still at it",
    6: "the rack is busy",
    10: "a gateway says that the path to the unit is not there",
    11: "a gateway says that the unit does not answer",
}
"""Exception codes of the MODBUS Application Protocol V1.1b3, section 7, in words."""
LASTING = frozenset({1, 2, 3})
"""What will be answered next time too: the rack has no such function or register. All others pass."""
BUSY = frozenset({5, 6})
UNIT_UNREACHED = frozenset({10, 11})
UNKNOWN_FUNCTION = 1
PARTIAL = frozenset({2, 3})
"""Refusals that may concern a part of what was asked for: an address, or how many."""
MOST_SEARCHED = 64
"""Requests of one reading at most that look for the part that is refused; the rest is looked at by the next
reading."""
ASK_AGAIN_S = 60.0
"""How often what was refused is asked for again: a module may have been put in."""


class RackSilentError(ConnectionError):
    """The rack could not be read. The message says why, for people; the type, and `state`, say it for the program."""

    state: ClassVar[RackState] = RackState.SILENT


class RackUnreachableError(RackSilentError):
    """Nobody takes a connection at this address."""

    state = RackState.UNREACHABLE


class RackTimedOutError(RackSilentError):
    """It was asked and did not answer in time; an answer that comes later belongs to nobody."""

    state = RackState.TIMED_OUT


class RackLostError(RackSilentError):
    """The connection ended in the middle of a reading: what came before does not go with what comes after."""

    state = RackState.LOST


class RackGarbledError(RackSilentError):
    """It sent what is no answer to what was asked."""

    state = RackState.GARBLED


class RackDeniedError(RackSilentError):
    """It answers and does not let us in, or cannot do what is asked. shows: SHA-256 of the certificate that it shows and
    that is not the trusted one, "" where it is not that."""

    state = RackState.REFUSED

    def __init__(self, says: str, shows: str = "") -> None:
        super().__init__(says)
        self.shows = shows


class RackAnsweredError(RackSilentError):
    """The rack answered with an exception. code: of the MODBUS Application Protocol."""

    state = RackState.REFUSED

    def __init__(self, code: int) -> None:
        super().__init__(EXCEPTIONS.get(code, f"the rack answers with exception {code}"))
        self.code = code


class RackBusyError(RackAnsweredError):
    """The rack is at something else, and may answer the next time."""

    state = RackState.BUSY


class RackRefusesError(RackAnsweredError):
    """The rack has no such function or register, and will say so the next time as well."""

    state = RackState.REFUSED


class RackReader:
    """One connection to one rack; reconnects at the next reading after a failure. A refusal is an answer: it ends no
    connection, and costs the registers that are refused, not the rack (`refused`)."""

    def __init__(self, rack: Rack, rack_map: RackMap, timeout_s: float = 1.0) -> None:
        self._rack = rack
        self._map = rack_map
        self._requests = rack_map.requests()
        self._atoms = rack_map.atoms()
        self._size = rack_map.size
        self.refused = np.zeros(self._size, dtype=bool)
        self.reasons: NDArray[np.uint32] | None = None
        self._runs: list[Request] | None = None
        self._searched_at = float("-inf")
        self._reading = False
        self._unknown: set[int] = set()
        self._way = way_to(rack, timeout_s)

    async def __aenter__(self) -> RackReader:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._way.leave()

    @asynccontextmanager
    async def one_reading(self) -> AsyncIterator[None]:
        """Whatever is read inside comes over one connection: if it is lost, so is the reading (RackLostError). On a
        line, which has none, whatever is read inside is read without a fault."""
        if not self._way.shared:
            await self.connect()
        self._reading = True
        try:
            yield
        finally:
            self._reading = False

    @property
    def connected(self) -> bool:
        """Whether the connection stands this moment."""
        return self._way.connected

    async def read(self) -> Words:
        """All words of the rack, (words,) uint16 as its map lays them out; `refused` says which it does not have.

        Raises RackSilentError if it cannot be read at all.
        """
        if not self._reading:
            async with self.one_reading():
                return await self.read()
        if self._runs is not None and time.monotonic() - self._searched_at < ASK_AGAIN_S:
            return await self._read_runs(self._runs)
        try:
            words = await self._read_runs(self._requests)
        except RackRefusesError as error:
            several = len(self._map.spaces) > 1 and error.code == UNKNOWN_FUNCTION
            if not (several or error.code in PARTIAL) or len(self._atoms) < 2:
                raise
            return await self._search(error)
        self.refused[:] = False
        self._runs = None
        return words

    async def _read_runs(self, runs: Sequence[Request]) -> Words:
        words = np.zeros(self._size, dtype=np.uint16)
        for run in runs:
            words[run.first : run.first + run.count] = await self._read_words(run.first, run.count)
        return words

    async def _read_words(self, first: int, count: int) -> list[int]:
        """A run of the rack's words, all of one table."""
        space = self._map.space_of(first)
        return await self.read_run(space.table, space.place(first), count)

    async def _search(self, refusal: RackRefusesError) -> Words:
        """Find what is refused by halves, and read the rest. Raises the refusal if there is no rest."""
        words = np.zeros(self._size, dtype=np.uint16)
        good: list[Request] = []
        refused = np.zeros(self._size, dtype=bool)
        waiting, asked = self._together(), 0
        while waiting:
            atoms = waiting.pop(0)
            first, count = atoms[0].first, atoms[-1].first + atoms[-1].count - atoms[0].first
            if asked >= MOST_SEARCHED:
                refused[first : first + count] = True
                continue
            asked += 1
            try:
                words[first : first + count] = await self._read_words(first, count)
                good.append(Request(first, count))
            except RackRefusesError as error:
                if len(atoms) == 1 or error.code == UNKNOWN_FUNCTION:
                    refused[first : first + count] = True
                else:
                    waiting += [atoms[: len(atoms) // 2], atoms[len(atoms) // 2 :]]
        if not good:
            raise refusal
        self.refused, self._runs, self._searched_at = refused, sorted(good, key=lambda r: r.first), time.monotonic()
        log.warning("rack %d: %s; what is refused: %s", self._rack.id, refusal, self.refused_places())
        return words

    def _together(self) -> list[list[Request]]:
        """Atoms together as one request may read them."""
        out: list[list[Request]] = []
        for atom in self._atoms:
            space = self._map.space_of(atom.first)
            if (
                out
                and out[-1][0].first >= space.at
                and atom.first + atom.count - out[-1][0].first <= space.table.most_a_request
            ):
                out[-1].append(atom)
            else:
                out.append([atom])
        return out

    def refused_places(self) -> str:
        """“40 to 43, 50”: the places that are refused, some of them; with their table where there are several."""
        told = [
            (f"{space.table} " if len(self._map.spaces) > 1 else "") + spans
            for space in self._map.spaces
            if (spans := _spans(self.refused[space.at : space.at + space.count], space.first))
        ]
        return "; ".join(told)

    async def read_run(self, table: Table, first: int, count: int) -> list[int]:
        """A run of one table, as many as one request may read; bits as 0 and 1. Raises RackSilentError."""
        return await self._asked(_READS[table], first, count, bits=table.of_bits)

    async def read_some_settings(self, registers: Sequence[int]) -> dict[int, int]:
        """{register: word} of some holding registers, in as few requests as cover them. Raises RackSilentError."""
        out: dict[int, int] = {}
        for request in plan_requests(((register, 1) for register in registers), gap=MOST_WORDS):
            words = await self._asked("read_holding_registers", request.first, request.count)
            out |= {request.first + k: word for k, word in enumerate(words)}
        return out

    async def read_settings(self, count: int) -> list[int]:
        """The first `count` holding registers. Raises RackSilentError."""
        words: list[int] = []
        while len(words) < count:
            words += await self._asked("read_holding_registers", len(words), min(MOST_WORDS, count - len(words)))
        return words

    async def identity(self) -> str:
        """What the rack's head says of itself: maker, product and revision, "" where it has no word for it; function 43/14, the
        basic objects (V1.1b3, 6.21). Raises RackSilentError."""
        try:
            answer = await self._answer(
                lambda: self._way.client.read_device_information(read_code=1, object_id=0, device_id=self._rack.unit)
            )
            return as_head(*(answer.information.get(k, b"") for k in range(3)))
        except RackAnsweredError:
            return ""
        except (AttributeError, TypeError, ValueError, IndexError, struct.error) as error:
            self._way.failed()
            raise RackGarbledError("what the rack says of itself cannot be read") from error

    async def write_run(self, first: int, words: Sequence[int]) -> None:
        """Write holding registers, all in one request where they are several: half a number of 32 bits is none. Function
        6 or 16; a rack that does not know the one is told by the other, or by 23 at last. Raises RackSilentError."""
        unit, given = self._rack.unit, list(words)
        ways: list[tuple[int, Callable[[], Awaitable[Any]]]] = [
            (16, lambda: self._way.client.write_registers(first, given, device_id=unit)),
            (
                23,
                lambda: self._way.client.readwrite_registers(
                    read_address=first, read_count=len(given), write_address=first, values=given, device_id=unit
                ),
            ),
        ]
        if len(given) == 1:
            ways.insert(0, (6, lambda: self._way.client.write_register(first, given[0], device_id=unit)))
        await self._by_one_of(ways)

    async def write_masked(self, register: int, word: int, mask: int) -> None:
        """Write some bits of a holding register, and leave the others as they are at that moment: function 22, or where
        the rack does not know it, read and written. Raises RackSilentError."""
        if mask == 0xFFFF:
            return await self.write_run(register, [word])

        async def read_and_write() -> Any:
            (there,) = await self.read_run(Table.HOLDING_REGISTERS, register, 1)
            await self.write_run(register, [(there & ~mask) | (word & mask)])

        # What is written is (there AND and_mask) OR (or_mask AND NOT and_mask) (V1.1b3, 6.16).
        ask = lambda: self._way.client.mask_write_register(  # noqa: E731
            address=register, and_mask=~mask & 0xFFFF, or_mask=word & mask, device_id=self._rack.unit
        )
        if 22 not in self._unknown:
            try:
                await self._answer(ask)
                return None
            except RackRefusesError as error:
                if error.code != UNKNOWN_FUNCTION:
                    raise
                self._unknown.add(22)
        await read_and_write()
        return None

    async def write_coils(self, first: int, bits: Sequence[bool]) -> None:
        """Write coils, all in one request: function 5, or 15 for several and where the rack knows no other. Raises
        RackSilentError."""
        unit, given = self._rack.unit, list(bits)
        ways: list[tuple[int, Callable[[], Awaitable[Any]]]] = [
            (15, lambda: self._way.client.write_coils(first, given, device_id=unit))
        ]
        if len(given) == 1:
            ways.insert(0, (5, lambda: self._way.client.write_coil(first, given[0], device_id=unit)))
        await self._by_one_of(ways)

    async def _by_one_of(self, ways: Sequence[tuple[int, Callable[[], Awaitable[Any]]]]) -> None:
        """Ask by the first function that the rack knows. Raises RackSilentError."""
        known = [way for way in ways if way[0] not in self._unknown] or list(ways)
        for function, ask in known:
            try:
                await self._answer(ask)
                return
            except RackRefusesError as error:
                if error.code != UNKNOWN_FUNCTION or function == known[-1][0]:
                    raise
                self._unknown.add(function)

    async def write_bits(self, table: Table, place: int, word: int, mask: int = 0xFFFF) -> None:
        """Write a coil, or some bits of a holding register, and do not read them back: what resets something often
        falls back by itself. Raises RackSilentError."""
        if table is Table.COILS:
            await self.write_coils(place, [bool(word)])
        else:
            await self.write_masked(place, word, mask)

    async def _asked(self, read: str, first: int, count: int, *, bits: bool = False) -> list[int]:
        answer = await self._answer(
            lambda: getattr(self._way.client, read)(first, count=count, device_id=self._rack.unit)
        )
        # Bits come eight a byte: what is beyond the last one asked for means nothing.
        words = answer.bits if bits else answer.registers
        if (len(words) + 7) // 8 < (count + 7) // 8 if bits else len(words) != count:
            self._way.failed()
            raise RackGarbledError("the rack sent fewer registers than were asked for")
        return [int(word) for word in words[:count]]

    async def _answer(self, ask: Callable[[], Awaitable[Any]]) -> Any:
        """The answer to one request. What comes too late meets a closed connection or a quiet line, so it is nobody's
        answer."""
        if self._way.shared and self._way.resting:
            raise RackTimedOutError(f"unit {self._rack.unit} on {self._rack.reached_at} did not answer a moment ago")
        sent = False
        try:
            async with self._way.turn():
                await self.connect()
                sent = True
                answer = await ask()
        except RackSilentError:
            raise
        except asyncio.CancelledError:
            # Whoever gave up left a request behind whose answer is still to come.
            if sent:
                self._way.failed()
            raise
        except (TimeoutError, ModbusException, OSError) as error:
            self._way.failed()
            raise RackTimedOutError(f"no answer from {self._rack.reached_at} in time") from error
        if answer.isError():
            code = int(getattr(answer, "exception_code", 0))
            kind = RackRefusesError if code in LASTING else RackBusyError if code in BUSY else RackAnsweredError
            raise kind(code)
        return answer

    async def connect(self) -> None:
        """Be connected. Raises RackUnreachableError if nobody listens, RackLostError in the middle of a reading."""
        if self._way.connected:
            return
        if self._reading and not self._way.shared:
            raise RackLostError("the connection was lost in the middle of a reading")
        if not await self._way.connect():
            raise RackUnreachableError(f"nothing answers at {self._rack.reached_at}")


def as_head(maker: Any, product: Any, version: Any) -> str:
    """What a head says of itself, bytes or texts, as one text: “Maker Product, 2.4”; without what nobody can see."""
    told = []
    for given in (maker, product, version):
        text = given.decode("utf-8", "replace") if isinstance(given, bytes) else str(given or "")
        told.append("".join(c if c.isprintable() else " " for c in text).strip())
    return ", ".join(part for part in (" ".join(filter(None, told[:2])), told[2]) if part)[:MOST_HEAD]


def _spans(refused: Bools, at: int) -> str:
    """“40 to 43, 50”: where something is refused, counted from `at`."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], refused.astype(np.int8), [0]])))
    pairs = [(int(a) + at, int(b) - 1 + at) for a, b in zip(edges[::2], edges[1::2], strict=True)]
    told = [str(a) if a == b else f"{a} to {b}" for a, b in pairs[:8]]
    return ", ".join(told) + (f" and {len(pairs) - 8} runs more" if len(pairs) > 8 else "")


async def tested(rack: Rack, rack_map: RackMap, settings: int) -> tuple[str, str, list[int]]:
    """Test a connection: (verdict, what to look at, the rack's settings registers as far as they came).

    The verdict is plain words; a rack that knows no such unit number may stay silent, answer anyway or send an
    exception, so no verdict rests on one code alone.
    """
    began, serial = time.monotonic(), is_serial(rack.link)
    async with RackReader(rack, rack_map, timeout_s=2.0) as reader:
        try:
            await reader.connect()
        except (RackSilentError, OSError):
            if serial:
                look = "whether it is plugged in, its name, and whether this service may use it"
                return f"the port {rack.host} cannot be opened", look, []
            return f"nobody listens at {rack.reached_at}", "address, port, cable, and whether it is powered", []
        try:
            await reader.read()
            words = await reader.read_settings(settings)
        except RackTimedOutError:
            if in_turn(rack.link):
                look = "the unit number; " + (
                    "speed and parity, the two wires the other way round, the terminators"
                    if serial
                    else "whether the gateway carries RTU or ASCII frames as they are, or wants Modbus TCP"
                )
                return f"nobody answers unit {rack.unit} on {rack.reached_at}", look, []
            return (
                f"somebody listens at {rack.reached_at} and does not answer unit {rack.unit}",
                "most likely the unit number; or it is no Modbus device, or too slow",
                [],
            )
        except RackAnsweredError as error:
            if error.code in UNIT_UNREACHED:
                return str(error), "the unit number behind the gateway", []
            # A device may answer a unit number it does not know with any code, so that is named whatever it says.
            return (
                f"somebody answers and refuses: {error}",
                "the unit number, then the first register and the modules",
                [],
            )
        except RackSilentError as error:
            return str(error), "whether it is a Modbus device; the unit number", []
        refused = reader.refused_places()
    took = (time.monotonic() - began) * 1000.0
    if took > rack.period_ms:
        return (
            f"it answers in {took:.0f} ms, slower than its period of {rack.period_ms} ms",
            "a longer period, or fewer modules a rack",
            words,
        )
    if refused:
        return f"it answers, but has no register {refused}", "the first register, and which modules are fitted", words
    return f"it answers, {took:.0f} ms for everything", "", words


async def peeked(target: dict[str, Any]) -> dict[str, Any]:
    """Registers of any server as they stand: {"words": […], "says": ""}, or the reason in words and no words.

    target: host, port, unit, function ("input", "holding", or a table), first, count (60 at most).
    """
    rack = Rack(0, 0, "", target["host"], int(target["port"]), int(target["unit"]), 1000)
    async with RackReader(rack, RackMap.of(_NOTHING, 0), timeout_s=2.0) as reader:
        try:
            words = await reader.read_run(
                table_named(target["function"]), int(target["first"]), min(int(target["count"]), 60)
            )
        except RackSilentError as error:
            return {"words": [], "says": str(error)}
    return {"words": words, "says": ""}


async def tried(target: dict[str, Any]) -> dict[str, Any]:
    """Runs of places of any device, one after the other: {"reads": [[word, …] or none where it has no such places],
    "says": ""}, or the reason in words why nothing more was read.

    target: host, port, unit, link, line, reads: [[table, first, count], …].
    """
    rack = Rack(
        0,
        0,
        "",
        target["host"],
        int(target["port"]),
        int(target["unit"]),
        1000,
        link=target["link"],
        line=target["line"],
    )
    reads: list[list[int] | None] = []
    async with RackReader(rack, RackMap.of(_NOTHING, 0), timeout_s=2.0) as reader:
        for table, first, count in target["reads"]:
            try:
                reads.append(await reader.read_run(Table(table), int(first), int(count)))
            except RackRefusesError:
                reads.append(None)
            except RackSilentError as error:
                return {"reads": reads, "says": str(error)}
    return {"reads": reads, "says": ""}


_NOTHING = Layout({}, {}, {}, {})
