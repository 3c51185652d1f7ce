"""Racks that are reached by name, from outside: servers by other hands that tell, fall silent, lie, leave and come back."""

from __future__ import annotations

import asyncio
import math
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

import orjson
import pytest
from asyncua import ua
from asyncua.ua.status_codes import StatusCodes
from tests.building.agents import in_a_loop_of_its_own
from tests.building.named import Broker, Press, free_port, own_certificate, until_read, until_refused
from tests.building.words import layout_with

from canaleta.certificates import fingerprint, made
from canaleta.core.model.layout import Layout, Rack
from canaleta.core.model.quality import Reason
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import RackMap, decode
from canaleta.racks import mqtt, opc
from canaleta.racks.mqtt import MqttReader, listened_to
from canaleta.racks.named import NamedReader
from canaleta.racks.opc import OpcReader, looked_through
from canaleta.racks.reader import (
    RackDeniedError,
    RackLostError,
    RackSilentError,
    RackTimedOutError,
    RackUnreachableError,
)
from canaleta.racks.sparkplug import Metric, NonsenseError, Payload, read_payload, written_payload

Names = Sequence[str]


def rack_at(link: Any, port: int, names: Names, **more: Any) -> tuple[Rack, RackMap]:
    """A rack whose module in slot 2, of eight channels, has these names."""
    layout = layout_with()
    rack = replace(layout.racks[1], link=link, port=port, **more)
    modules = layout.modules | {2: replace(layout.modules[2], names=tuple(names))}
    layout = Layout(layout.cabinets, {1: rack}, modules, layout.types)
    return rack, RackMap.of(layout, 1)


def values(reader: NamedReader, rack_map: RackMap, words: Any, count: int) -> list[float | None]:
    """The first numbers of slot 2; None for a name of which the rack tells nothing."""
    at = np_rows(rack_map, 2)[:count]
    counts, gone = decode(rack_map, words).counts, rack_map.without(reader.refused)
    return [None if gone[k] else float(counts[k]) for k in at]


def np_rows(rack_map: RackMap, module: int) -> list[int]:
    return [k for k, of in enumerate(rack_map.modules.tolist()) if of == module]


def reasons(reader: NamedReader, rack_map: RackMap, count: int) -> list[int]:
    assert reader.reasons is not None
    return [int(reader.reasons[k]) for k in np_rows(rack_map, 2)[:count]]


TT, COUNT, RUNNING, TOTAL = (f"ns=2;s=Press.{name}" for name in ("TT-101", "Count", "Running", "Total"))

# OPC UA ------------------------------------------------------------------------------------------------------


def test_numbers_of_every_kind_come_as_they_are_and_what_is_none_is_told() -> None:
    async def run() -> None:
        async with Press(free_port()) as press:
            rack, rack_map = rack_at("OPC UA", press.port, [TT, COUNT, RUNNING, TOTAL, "ns=2;s=Press.Recipe", "ns=2;s=no"], path="/press/")  # fmt: skip
            async with OpcReader(rack, rack_map, "", None, 1.0) as reader:
                told = values(reader, rack_map, await reader.read(), 7)
                assert told[:4] == [812.25, -12345.0, 1.0, 9_007_199_254_740_991.0]
                assert told[4] is not None
                assert math.isnan(told[4]), "a text is no number"
                assert told[5:] == [None, None], "a node that is not there, and a channel without a name"

    in_a_loop_of_its_own(run)


def test_the_servers_own_status_and_time_come_along() -> None:
    async def run() -> None:
        async with Press(free_port()) as press:
            rack, rack_map = rack_at("OPC UA", press.port, [TT, COUNT], path="/press/")
            async with OpcReader(rack, rack_map, "", None, 1.0) as reader:
                await reader.read()
                await press.tell("TT-101", 5.5, ua.VariantType.Float, StatusCodes.UncertainLastUsableValue)
                await press.tell("Count", 7, ua.VariantType.Int16, StatusCodes.BadSensorFailure)
                wanted = [int(Reason.SOURCE_UNCERTAIN), int(Reason.CHANNEL_FAULT)]

                async def read() -> Any:
                    told = values(reader, rack_map, await reader.read(), 2)
                    return told, reasons(reader, rack_map, 2)

                told, _ = await until_read(read, lambda got: got[1] == wanted)
                assert told[0] == 5.5, "an uncertain value is still one"
                assert told[1] is None or math.isnan(told[1]), "a bad status takes the value along"
                heard = reader.heard[TT]
                assert heard.source_at == datetime(2026, 11, 30, 6, tzinfo=UTC).timestamp()
                assert heard.says == "UncertainLastUsableValue"

    in_a_loop_of_its_own(run)


@pytest.mark.filterwarnings("ignore:coroutine .*datachange_callback")
def test_a_node_that_vanishes_is_missing_though_the_server_tells_nobody(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(opc, "SWEEP_S", 0.0)

    async def run() -> None:
        async with Press(free_port()) as press:
            rack, rack_map = rack_at("OPC UA", press.port, [TT, COUNT], path="/press/")
            async with OpcReader(rack, rack_map, "", None, 1.0) as reader:

                async def read() -> Any:
                    return values(reader, rack_map, await reader.read(), 2)

                assert await read() == [812.25, -12345.0]
                await press.lose("TT-101")
                await until_read(read, lambda got: got == [None, -12345.0])
                monkeypatch.setattr(opc, "ASK_AGAIN_S", 0.0)
                await press.gain("TT-101", 3.5, ua.VariantType.Float)
                await until_read(read, lambda got: got == [3.5, -12345.0])

    in_a_loop_of_its_own(run)


@pytest.mark.long
def test_a_server_that_goes_and_comes_back_is_read_again() -> None:
    async def run() -> None:
        port = free_port()
        rack, rack_map = rack_at("OPC UA", port, [TT], path="/press/")
        async with OpcReader(rack, rack_map, "", None, 1.0) as reader:
            with pytest.raises(RackUnreachableError):
                await reader.read()
            async with Press(port):
                assert values(reader, rack_map, await reader.read(), 1) == [812.25]
            await until_refused(reader.read, RackSilentError)
            async with Press(port) as press:
                await press.tell("TT-101", 1.5, ua.VariantType.Float)

                async def read() -> Any:
                    try:
                        return values(reader, rack_map, await reader.read(), 1)
                    except RackSilentError:
                        return None

                await until_read(read, lambda got: got == [1.5])

    in_a_loop_of_its_own(run)


@pytest.mark.long
def test_a_server_that_hangs_is_silent_however_good_its_last_values_were() -> None:
    """Cut in the middle: the connection stands and nothing comes. A subscription alone would not tell."""

    async def run() -> None:
        async with Press(free_port()) as press:
            held = asyncio.Event()
            held.set()

            async def carry(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
                while data := await reader.read(65_536):
                    await held.wait()
                    writer.write(data)

            async def between(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
                there, back = await asyncio.open_connection("127.0.0.1", press.port)
                await asyncio.gather(carry(reader, back), carry(there, writer))

            server = await asyncio.start_server(between, "127.0.0.1", 0)
            port = server.sockets[0].getsockname()[1]
            rack, rack_map = rack_at("OPC UA", port, [TT], path="/press/")
            async with OpcReader(rack, rack_map, "", None, 1.0) as reader:
                assert values(reader, rack_map, await reader.read(), 1) == [812.25]
                held.clear()
                with pytest.raises(RackTimedOutError):
                    await reader.read()
                held.set()
            server.close()

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize("nonsense", [b"HTTP/1.1 400 Bad Request\r\n\r\n", b"\x00" * 40, b""])
def test_what_is_no_opc_ua_is_told_and_nothing_is_read(nonsense: bytes) -> None:
    async def run() -> None:
        async def answer(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            await reader.read(100)
            writer.write(nonsense)
            await writer.drain()
            writer.close()

        server = await asyncio.start_server(answer, "127.0.0.1", 0)
        rack, rack_map = rack_at("OPC UA", server.sockets[0].getsockname()[1], [TT])
        async with OpcReader(rack, rack_map, "", None, 1.0) as reader:
            with pytest.raises(RackSilentError):
                await reader.read()
        server.close()

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize(
    "security",
    [
        "Basic256Sha256, signed", "Basic256Sha256, encrypted", "Aes128_Sha256_RsaOaep, encrypted",
        "Aes256_Sha256_RsaPss, encrypted",
    ],
)  # fmt: skip
def test_a_protected_connection_stands_with_the_certificate_that_is_trusted_and_no_other(security: str) -> None:
    async def run() -> None:
        theirs, ours = own_certificate(), made()
        async with Press(free_port(), own=theirs) as press:
            rack, rack_map = rack_at("OPC UA", press.port, [TT], path="/press/", security=security)
            async with OpcReader(rack, rack_map, "", ours, 2.0) as reader:
                with pytest.raises(RackDeniedError) as told:
                    await reader.read()
            shows = told.value.shows
            assert len(shows) == 64
            other = replace(rack, trusted=fingerprint(b"another"))
            async with OpcReader(other, rack_map, "", ours, 2.0) as reader:
                with pytest.raises(RackDeniedError) as told:
                    await reader.read()
            assert told.value.shows == shows
            async with OpcReader(replace(rack, trusted=shows), rack_map, "", ours, 2.0) as reader:
                assert values(reader, rack_map, await reader.read(), 1) == [812.25]

    in_a_loop_of_its_own(run)


def test_who_is_not_known_is_not_let_in() -> None:
    async def run() -> None:
        async with Press(free_port(), users={"reader": "clay"}) as press:
            rack, rack_map = rack_at("OPC UA", press.port, [TT], path="/press/", username="reader")
            async with OpcReader(rack, rack_map, "wrong", None, 1.0) as reader:
                with pytest.raises(RackDeniedError):
                    await reader.read()
            async with OpcReader(rack, rack_map, "clay", None, 1.0) as reader:
                assert values(reader, rack_map, await reader.read(), 1) == [812.25]

    in_a_loop_of_its_own(run)


def test_nodes_are_looked_through_place_by_place() -> None:
    async def run() -> None:
        async with Press(free_port()) as press:
            rack, _ = rack_at("OPC UA", press.port, [], path="/press/")
            top = {one.title: one for one in await looked_through(rack, "", None, "")}
            assert top["Press 3"].leads
            below = {one.title: one for one in await looked_through(rack, "", None, top["Press 3"].name)}
            assert below["TT-101"].name == TT
            assert (below["TT-101"].leads, below["TT-101"].says) == (False, "812.25")
            assert below["Running"].says == "True"

    in_a_loop_of_its_own(run)


def test_a_rack_by_name_has_no_registers_to_read_or_write() -> None:
    async def run() -> None:
        rack, rack_map = rack_at("OPC UA", 1, [TT])
        reader = NamedReader(rack, rack_map)
        for ask in (
            reader.read_run(Table.COILS, 0, 1), reader.read_settings(1), reader.read_some_settings([1]),
            reader.write_run(1, [1]), reader.write_masked(1, 1, 1), reader.write_bits(Table.COILS, 0, 1),
        ):  # fmt: skip
            with pytest.raises(RackDeniedError):
                await ask

    in_a_loop_of_its_own(run)


def test_a_name_that_is_no_node_after_all_takes_no_other_along() -> None:
    async def run() -> None:
        async with Press(free_port()) as press:
            rack, rack_map = rack_at("OPC UA", press.port, ["ns=2;b=@@@", TT], path="/press/")
            async with OpcReader(rack, rack_map, "", None, 1.0) as reader:
                assert values(reader, rack_map, await reader.read(), 2) == [None, 812.25]

    in_a_loop_of_its_own(run)


# MQTT ----------------------------------------------------------------------------------------------------------


def test_a_node_is_given_a_value_in_the_type_that_it_has() -> None:
    async def run() -> None:
        async with Press(free_port()) as press:
            rack, _ = rack_at("OPC UA", press.port, [TT], path="/press/")
            await press.allow("Count", "Running", "Recipe", "Total")
            for name, given, stands in (
                ("Count", -32768.0, -32768),
                ("Running", 1.0, True),
                ("Total", 2.0**53, 2**53),
            ):
                await opc.written(rack, "", None, f"ns=2;s=Press.{name}", given)
                assert await press.now(name) == stands
            for name, given, says in (
                ("Count", 32768.0, "-32768 to 32767"),
                ("Recipe", 1.0, "holds String"),
                ("TT-101", 5.0, "nobody write there|this user write there"),
                ("gone", 5.0, "BadNodeIdUnknown|no such node"),
            ):
                with pytest.raises(RackDeniedError, match=says):
                    await opc.written(rack, "", None, f"ns=2;s=Press.{name}", given)
            assert await press.now("Count") == -32768
            assert await press.now("TT-101") == 812.25
        with pytest.raises(RackUnreachableError):
            await opc.written(rack, "", None, COUNT, 1.0)

    in_a_loop_of_its_own(run)


def test_a_metric_is_commanded_where_its_node_listens_and_a_plain_topic_is_not() -> None:
    async def run() -> None:
        async with Broker(free_port()) as broker:
            rack, _ = rack_at("MQTT", broker.port, [])
            asked: dict[str, bytes] = {}
            broker.client.on_message = lambda client, _, message: asked.update({message.topic: message.payload})
            broker.client.subscribe([(of_node("NCMD"), 0), (of_node("DCMD", "io"), 0)])
            await mqtt.commanded(rack, "", f"{DEVICE}#Outputs/FV-101", 62.5)
            await mqtt.commanded(rack, "", f"{NODE}#Load", 1.0)

            async def heard() -> Any:
                return {topic: read_payload(payload).metrics for topic, payload in asked.items()}

            told = await until_read(heard, lambda got: len(got) == 2)
            (one,) = told[of_node("DCMD", "io")]
            assert (one.name, one.value) == ("Outputs/FV-101", 62.5)
            with pytest.raises(RackDeniedError, match="a plain topic does not say"):
                await mqtt.commanded(rack, "", "press/3/t", 1.0)

    in_a_loop_of_its_own(run)


def test_plain_topics_and_parts_of_json_are_values_and_nonsense_is_none() -> None:
    names = [
        "press/3/t",
        "press/3/state#/tt/1",
        "press/3/state#/run",
        "press/3/nan",
        "press/3/text",
        "press/3/state#/no",
    ]

    async def run() -> None:
        async with Broker(free_port()) as broker:
            rack, rack_map = rack_at("MQTT", broker.port, names)
            async with MqttReader(rack, rack_map, "", 1.0) as reader:
                await reader.connect()
                broker.say("press/3/t", " 812.25\n")
                broker.say("press/3/nan", "NaN")
                broker.say("press/3/text", b"\xff\xfe not a number")
                broker.say("press/3/state", orjson.dumps({"tt": [1, -7.5], "run": True}))

                async def read() -> Any:
                    return values(reader, rack_map, await reader.read(), 7)

                told = await until_read(read, lambda got: got[1] is not None)
                assert told[0] == 812.25
                assert told[1:3] == [-7.5, 1.0]
                assert all(math.isnan(one) for one in told[3:5])
                assert told[5:] == [None, None]
                # What a later message says nothing of stays as it was.
                broker.say("press/3/state", b'{"tt": [1')
                broker.say("press/3/t", "813")
                broker.say("press/3/state", orjson.dumps({"run": False}))
                told = await until_read(read, lambda got: got[0] == 813.0 and got[2] == 0.0)

    in_a_loop_of_its_own(run)


def test_what_was_kept_by_the_broker_is_a_value_only_where_no_silence_is_too_long() -> None:
    async def run() -> None:
        async with Broker(free_port()) as broker:
            broker.say("press/3/t", "20.5", retain=True)
            rack, rack_map = rack_at("MQTT", broker.port, ["press/3/t"])

            async def once(quiet_s: int) -> Any:
                async with MqttReader(replace(rack, quiet_s=quiet_s), rack_map, "", 1.0) as reader:
                    return values(reader, rack_map, await reader.read(), 1)

            await until_read(lambda: once(0), lambda got: got == [20.5])
            assert await once(3600) == [None], "nobody knows how old it is"

    in_a_loop_of_its_own(run)


def test_a_topic_that_falls_silent_is_no_value_any_more(monkeypatch: pytest.MonkeyPatch) -> None:
    clock = [1000.0]
    monkeypatch.setattr(mqtt.time, "monotonic", lambda: clock[0])
    rack, rack_map = rack_at("MQTT", 1, ["press/3/t"], quiet_s=60)
    reader = MqttReader(rack, rack_map, "", 1.0)
    reader._heard.take("press/3/t", b"5", False)
    assert values(reader, rack_map, reader.words_of(reader.heard, 60), 1) == [5.0]
    clock[0] += 59.0
    assert values(reader, rack_map, reader.words_of(reader.heard, 60), 1) == [5.0]
    clock[0] += 2.0
    assert values(reader, rack_map, reader.words_of(reader.heard, 60), 1) == [None]


def test_a_broker_that_goes_and_comes_back_is_read_again_and_what_was_is_not_taken_for_now() -> None:
    async def run() -> None:
        async with Broker(free_port()) as broker:
            rack, rack_map = rack_at("MQTT", broker.port, ["press/3/t"])
            async with MqttReader(rack, rack_map, "", 1.0) as reader:
                await reader.connect()

                async def read() -> Any:
                    try:
                        return values(reader, rack_map, await reader.read(), 1)
                    except RackSilentError:
                        return "silent"

                async def said(text: str) -> Any:
                    broker.say("press/3/t", text)
                    return await read()

                await until_read(lambda: said("1"), lambda got: got == [1.0])
                await broker.stop()
                await until_refused(reader.read, (RackLostError, RackUnreachableError))
                await broker.start()
                await until_read(read, lambda got: got == [None])
                await until_read(lambda: said("2"), lambda got: got == [2.0])

    in_a_loop_of_its_own(run)


def test_a_broker_lets_in_whom_it_knows() -> None:
    async def run() -> None:
        async with Broker(free_port(), users={"reader": "clay"}) as broker:
            rack, rack_map = rack_at("MQTT", broker.port, ["press/3/t"], username="reader")
            async with MqttReader(rack, rack_map, "wrong", 1.0) as reader:
                with pytest.raises(RackDeniedError):
                    await reader.read()
            async with MqttReader(rack, rack_map, "clay", 1.0) as reader:
                assert values(reader, rack_map, await reader.read(), 1) == [None]

    in_a_loop_of_its_own(run)


def test_over_tls_nothing_is_said_to_a_broker_whose_certificate_is_not_the_trusted_one() -> None:
    async def run() -> None:
        async with Broker(free_port(), own=own_certificate()) as broker:
            rack, rack_map = rack_at("MQTT", broker.port, ["press/3/t"], security="TLS")
            async with MqttReader(rack, rack_map, "", 2.0) as reader:
                with pytest.raises(RackDeniedError) as told:
                    await reader.read()
            async with MqttReader(replace(rack, trusted=told.value.shows), rack_map, "", 2.0) as reader:
                assert values(reader, rack_map, await reader.read(), 1) == [None]
            async with MqttReader(replace(rack, security="none"), rack_map, "", 1.0) as reader:
                with pytest.raises(RackSilentError):
                    await reader.read()

    in_a_loop_of_its_own(run)


def test_topics_are_heard_for_a_while_with_every_number_in_them(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(mqtt, "LISTEN_S", 0.5)

    async def run() -> None:
        async with Broker(free_port()) as broker:
            broker.say("press/3/state", orjson.dumps({"tt": [1, 2.5], "a/b": {"m~n": 3}}), retain=True)
            broker.say("press/3/t", "7", retain=True)
            broker.say("kiln/1/t", "9", retain=True)
            rack, _ = rack_at("MQTT", broker.port, [], path="press/#")

            async def heard() -> Any:
                return {one.name: one.says for one in await listened_to(rack, "")}

            told = await until_read(heard, lambda got: "press/3/t" in got)
            assert told == {
                "press/3/state#/tt/0": "1", "press/3/state#/tt/1": "2.5", "press/3/state#/a~1b/m~0n": "3", "press/3/t": "7",
            }  # fmt: skip

    in_a_loop_of_its_own(run)


# Sparkplug B -----------------------------------------------------------------------------------------------------

NODE, DEVICE = "spBv1.0/Vallroja/press-3", "spBv1.0/Vallroja/press-3/io"


def of_node(kind: str, device: str = "") -> str:
    return f"spBv1.0/Vallroja/{kind}/press-3" + (f"/{device}" if device else "")


def test_a_payload_is_the_specifications_bytes() -> None:
    """Field 1 is the timestamp, 2 a metric, 3 the number (Sparkplug 3.0, 6.4.1); 1 and 13 of a metric are its name and
    its double: 19.5 is 40 33 80 00 00 00 00 00 in IEEE 754. Written out by hand."""
    metric = bytes((0x0A, 0x02)) + b"TT" + bytes((0x20, 0x0A, 0x69)) + bytes.fromhex("0000000000803340")
    by_hand = bytes((0x08, 0xE8, 0x07, 0x12, len(metric))) + metric + bytes((0x18, 0x05))
    assert written_payload(Payload([Metric("TT", None, 19.5)], 5, 1.0)) == by_hand
    told = read_payload(by_hand)
    assert (told.metrics[0].name, told.metrics[0].value, told.seq, told.at) == ("TT", 19.5, 5, 1.0)


@pytest.mark.parametrize(
    ("field", "number"), [(b"\x50\xff\x01", -1.0), (b"\x50\xff\xff\xff\xff\x0f", -1.0), (b"\x50\x7f", 127.0)]
)
def test_an_int8_is_negative_however_it_is_carried(field: bytes, number: float) -> None:
    """Int8 is data type 1; −1 comes as 255 or as 4294967295."""
    metric = bytes((0x0A, 0x01)) + b"x" + bytes((0x20, 0x01)) + field
    assert read_payload(bytes((0x12, len(metric))) + metric).metrics[0].value == number


def test_what_is_no_payload_is_told() -> None:
    with pytest.raises(NonsenseError):
        read_payload(b"\xff\xff\xff")


def test_births_name_what_data_call_by_number_and_deaths_end_it() -> None:
    async def run() -> None:
        async with Broker(free_port()) as broker:
            rack, rack_map = rack_at(
                "MQTT", broker.port, [f"{DEVICE}#Inputs/TT-101", f"{NODE}#Load", f"{DEVICE}#Inputs/TT-102"]
            )
            asked: list[bytes] = []
            broker.client.on_message = lambda client, _, message: asked.append(message.payload)
            broker.client.subscribe(of_node("NCMD"))
            async with MqttReader(rack, rack_map, "", 1.0) as reader:
                await reader.connect()

                async def read() -> Any:
                    return values(reader, rack_map, await reader.read(), 3), reasons(reader, rack_map, 3)

                # Nobody was born yet as far as we know: the node is asked to tell all of itself.
                await until_read(read, lambda got: bool(asked))
                assert b"Node Control/Rebirth" in asked[0]
                broker.say(of_node("NBIRTH"), written_payload(Payload([Metric("Load", 1, 10.0)], 0)))
                broker.say(
                    of_node("DBIRTH", "io"),
                    written_payload(Payload([Metric("Inputs/TT-101", 7, 812.0), Metric("Inputs/TT-102", 8, 5.0)], 1)),
                )
                broker.say(of_node("DDATA", "io"), written_payload(Payload([Metric("", 7, 813.5)], 2)))
                broker.say(of_node("NDATA"), written_payload(Payload([Metric("", 1, 11.0)], 3)))
                broker.say(of_node("DDATA", "io"), written_payload(Payload([Metric("", 8, 6.0, 2)], 4)))
                bad = int(Reason.CHANNEL_FAULT)
                await until_read(read, lambda got: got == ([813.5, 11.0, 6.0], [0, 0, bad]))
                broker.say(of_node("DDEATH", "io"), written_payload(Payload([], 5)))
                await until_read(read, lambda got: got[1] == [bad, 0, bad])
                broker.say(of_node("NDEATH"), b"")
                await until_read(read, lambda got: got[1] == [bad, bad, bad])

    in_a_loop_of_its_own(run)


def test_a_message_that_is_missing_has_everything_told_anew() -> None:
    heard = mqtt._Heard([mqtt.topic_of(f"{NODE}#Load")], True)
    heard.take(of_node("NBIRTH"), written_payload(Payload([Metric("Load", 1, 1.0)], 0)), False)
    heard.take(of_node("NDATA"), written_payload(Payload([Metric("", 1, 2.0)], 1)), False)
    assert not heard.wants_birth
    heard.take(of_node("NDATA"), written_payload(Payload([Metric("", 1, 3.0)], 3)), False)
    assert heard.wants_birth == {NODE}
    heard.take(of_node("NBIRTH"), written_payload(Payload([Metric("Load", 1, 4.0)], 0)), False)
    assert not heard.wants_birth
    for k in range(1, 257):
        heard.take(of_node("NDATA"), written_payload(Payload([Metric("", 1, 2.0)], k % 256)), False)
    assert not heard.wants_birth, "after 255 comes 0"


def test_whatever_a_broker_sends_costs_no_more_than_its_own_value() -> None:
    heard = mqtt._Heard([mqtt.topic_of("a#/x"), mqtt.topic_of(f"{NODE}#Load")], True)
    heard.take("a", b'{"x": 4}', False)
    for payload in (b"", b"\x00", b"[" * 100_000, b'{"x": [1]}', b"9" * 400, b'{"x": 1e400}', b"x" * 2_000_000):
        heard.take("a", payload, False)
        heard.take(of_node("NDATA"), payload, False)
        heard.take("spBv1.0/", payload, False)
    assert not math.isfinite(heard.by_name["a#/x"].value)
    heard.take("a", b'{"x": 5}', False)
    assert heard.by_name["a#/x"].value == 5.0
