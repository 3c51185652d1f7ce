"""Serial lines and gateways: whose an answer is, is known by the order alone, and no value is ever another's."""

from __future__ import annotations

import asyncio
import contextlib
from dataclasses import replace
from typing import Any

import pytest
from tests.building.agents import in_a_loop_of_its_own
from tests.building.line import Devices, crc
from tests.building.waiting import HANGS_S
from tests.building.words import layout_with

from canaleta.core.model.layout import Rack
from canaleta.core.model.links import MODBUS_LINKS, LineSettings, read_line, serial_device
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import TextError
from canaleta.racks import reader as reading
from canaleta.racks import ways
from canaleta.racks.reader import RackReader, RackRefusesError, RackSilentError, RackTimedOutError

HOLDING = Table.HOLDING_REGISTERS


def test_the_check_of_a_frame_is_the_standards_own_example() -> None:
    """MODBUS over Serial Line V1.02, appendix B: 02 07 gives 41 12 on the line."""
    assert crc(bytes((0x02, 0x07))) == bytes((0x41, 0x12))


@pytest.mark.parametrize(
    ("text", "line"),
    [
        ("19200 8E1", LineSettings(19200, 8, "E", 1)),
        ("9600 baud, 8-N-2", LineSettings(9600, 8, "N", 2)),
        ("115200/8n1", LineSettings(115200, 8, "N", 1)),
        ("1200 7O1", LineSettings(1200, 7, "O", 1)),
    ],
)
def test_how_a_line_works_is_read_as_it_is_written(text: str, line: LineSettings) -> None:
    assert read_line(text) == line
    assert read_line(str(line)) == line


def test_the_silence_between_frames_is_the_standards() -> None:
    """Three and a half characters of eleven bits: 4.01 ms at 9,600; above 19,200 it is 1.750 ms (V1.02, 2.5.1.1)."""
    assert read_line("9600 8E1").silence_s == pytest.approx(3.5 * 11 / 9600)
    assert read_line("38400 8E1").silence_s == 0.00175


@pytest.mark.parametrize(
    "text", ["", "19200", "19200 9E1", "19200 8X1", "19200 8E3", "100 8E1", "9999999 8N1", "8E1"]
)
def test_what_is_no_line_is_told(text: str) -> None:
    with pytest.raises(TextError):
        read_line(text)


@pytest.mark.parametrize(
    "path", ["/etc/passwd", "/dev/sda", "/dev/../etc/x", "/dev/serial/by-id/../../sda", "ttyUSB0", ""]
)
def test_no_other_file_is_a_serial_port(path: str) -> None:
    with pytest.raises(TextError, match="no serial port"):
        serial_device(path)
    assert serial_device(" /dev/ttyUSB0 ") == "/dev/ttyUSB0"
    assert serial_device("/dev/serial/by-id/usb-FTDI_RS485-if00-port0")


def rack(link: str, host: str, port: int = 502, unit: int = 1) -> Rack:
    return replace(layout_with().racks[1], link=link, host=host, port=port, unit=unit, line="9600 8N1")


def reader(of: Rack, timeout_s: float = HANGS_S) -> RackReader:
    return RackReader(of, RackMap.of(replace(layout_with(), modules={}), 1), timeout_s=timeout_s)


@contextlib.asynccontextmanager
async def on_a_line(devices: Devices, link: str) -> Any:
    """The devices behind a link, and how a rack of theirs is reached."""
    if "TCP" in link:
        port = await devices.on_tcp()
        yield lambda unit=1: rack(link, "127.0.0.1", port, unit)
    else:
        path = devices.on_terminal()
        yield lambda unit=1: rack(link, path, unit=unit)
    devices.end()


@pytest.mark.parametrize("link", MODBUS_LINKS[1:])
def test_each_link_reads_writes_and_is_refused(link: str) -> None:
    async def run() -> None:
        devices = Devices({7: {k: 500 + k for k in range(40)}}, ascii_frames="ASCII" in link)
        async with on_a_line(devices, link) as at, reader(at(7)) as one:
            assert await one.read_run(HOLDING, 10, 4) == [510, 511, 512, 513]
            await one.write_run(11, [9])
            assert await one.read_run(HOLDING, 10, 2) == [510, 9]
            with pytest.raises(RackRefusesError, match="no such register"):
                await one.read_run(HOLDING, 39, 2)
            assert await one.read_run(HOLDING, 0, 1) == [500]

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize("link", ["Modbus RTU over TCP", "Modbus RTU"])
def test_a_late_answer_is_never_taken_for_the_next_ones(link: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Answers come up to 0.5 s late and 0.2 s are waited: what is read was asked for, or nothing is read."""
    monkeypatch.setattr(ways, "QUIET_S", 0.6)

    async def run() -> None:
        devices = Devices({1: {k: 1000 + k for k in range(64)}})
        devices.late = [0.5, 0.0, 0.45, 0.0, 0.0, 0.3, 0.0]
        async with on_a_line(devices, link) as at, reader(at(), 0.2) as one, reader(at()) as patient:
            for k in range(20):
                with contextlib.suppress(RackSilentError):
                    assert await one.read_run(HOLDING, k, 2) == [1000 + k, 1001 + k]
                one._way.line.silent_units.clear()  # type: ignore[union-attr]
            devices.late = []
            assert await patient.read_run(HOLDING, 5, 2) == [1005, 1006]

    in_a_loop_of_its_own(run)


def test_who_comes_next_to_a_line_that_was_left_waits_as_well(monkeypatch: pytest.MonkeyPatch) -> None:
    """A try that was given up, and the next one at once, over a connection of its own: the gateway gives it the answer
    to the first, which is heard and belongs to nobody."""
    monkeypatch.setattr(ways, "QUIET_S", 0.6)

    async def run() -> None:
        devices = Devices({1: {k: 1000 + k for k in range(8)}})
        # The second's own answer comes after the first's: whoever asked at once would take that for it.
        devices.late = [0.5, 0.4]
        async with on_a_line(devices, "Modbus RTU over TCP") as at:
            async with reader(at(), 0.1) as first:
                with pytest.raises(RackTimedOutError):
                    await first.read_run(HOLDING, 0, 1)
            async with reader(at()) as second:
                await second.connect()
                assert await second.read_run(HOLDING, 5, 1) == [1005]

    in_a_loop_of_its_own(run)


def test_who_gives_up_before_it_was_asked_silences_nobody() -> None:
    async def run() -> None:
        devices = Devices({1: {0: 7}, 2: {0: 8}})
        devices.late = [0.3]
        async with on_a_line(devices, "Modbus RTU over TCP") as at, reader(at()) as one, reader(at(2)) as other:
            asking = asyncio.create_task(one.read_run(HOLDING, 0, 1))
            while not devices.asked:
                await asyncio.sleep(0.01)
            waiting = asyncio.create_task(other.read_run(HOLDING, 0, 1))
            await asyncio.sleep(0.05)
            waiting.cancel()
            assert await asking == [7]
            assert one._way.line.silent_units == {}  # type: ignore[union-attr]
            assert len(devices.asked) == 1

    in_a_loop_of_its_own(run)


def test_units_of_one_line_are_asked_in_turn_and_each_has_its_own_answer() -> None:
    async def run() -> None:
        devices = Devices({unit: {k: 100 * unit + k for k in range(8)} for unit in (1, 2, 3)})
        devices.late = [0.02, 0.0, 0.01]

        async def reads(of: Rack) -> None:
            async with reader(of) as one:
                for k in range(8):
                    assert await one.read_run(HOLDING, k, 1) == [100 * of.unit + k]

        async with on_a_line(devices, "Modbus RTU over TCP") as at:
            await asyncio.gather(*(reads(at(unit)) for unit in (1, 2, 3)))
        assert len(devices.asked) == 24
        assert devices.overlaps == 0, "no request went out before the answer to the one before was in"

    in_a_loop_of_its_own(run)


def test_a_unit_that_is_dead_does_not_silence_the_others(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(ways, "QUIET_S", 0.1)
    monkeypatch.setattr(ways, "BACK_OFF_S", 3600.0)

    async def run() -> None:
        devices = Devices({unit: {0: unit} for unit in (1, 2)})
        devices.silent = {2}
        async with (
            on_a_line(devices, "Modbus RTU") as at,
            reader(at(1)) as living,
            reader(at(2), 0.2) as dead,
        ):
            with pytest.raises(RackTimedOutError, match="no answer"):
                await dead.read_run(HOLDING, 0, 1)
            for _ in range(5):
                with pytest.raises(RackTimedOutError, match="a moment ago"):
                    await dead.read_run(HOLDING, 0, 1)
                assert await living.read_run(HOLDING, 0, 1) == [1]
            assert [unit for unit, _, _ in devices.asked].count(2) == 1
            # When it is tried again and answers, it is as before.
            devices.silent = set()
            dead._way.line.silent_units.clear()  # type: ignore[union-attr]
            assert await dead.read_run(HOLDING, 0, 1) == [2]

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize(
    "spoil",
    [lambda f: f[:-1] + bytes((f[-1] ^ 1,)), lambda f: f[:3], lambda f: b"\xff" * 40, lambda f: bytes((9,)) + f[1:]],
)
def test_damaged_answers_are_no_values(spoil: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(ways, "QUIET_S", 0.05)

    async def run() -> None:
        devices = Devices({1: {0: 42, 1: 43}})
        async with on_a_line(devices, "Modbus RTU") as at, reader(at()) as one, reader(at(), 0.2) as hasty:
            assert await one.read_run(HOLDING, 0, 1) == [42]
            devices.spoil = spoil
            for _ in range(3):
                with pytest.raises(RackSilentError):
                    await hasty.read_run(HOLDING, 1, 1)
                hasty._way.line.silent_units.clear()  # type: ignore[union-attr]
            devices.spoil = lambda frame: frame
            assert await one.read_run(HOLDING, 1, 1) == [43]

    in_a_loop_of_its_own(run)


def test_a_line_is_tested_in_words() -> None:
    async def run() -> None:
        devices = Devices({1: {0: 1}})
        empty = RackMap.of(replace(layout_with(), modules={}), 1)
        says, look, _ = await reading.tested(rack("Modbus RTU", "/dev/ttyNONE9"), empty, 0)
        assert says == "the port /dev/ttyNONE9 cannot be opened"
        assert "plugged in" in look
        async with on_a_line(devices, "Modbus RTU") as at:
            says, look, _ = await reading.tested(at(9), empty, 1)
            assert says.startswith("nobody answers unit 9 on /dev/pts/")
            assert "parity" in look

    in_a_loop_of_its_own(run)
