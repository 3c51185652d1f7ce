"""Pairs and limits that servers and brokers by other hands keep behind names: told, adopted, written; and ranges of nodes."""

from __future__ import annotations

import asyncio
import json
from typing import Any

import pytest
from asyncua import ua
from tests.building.at_racks import PT, Ask, at_a_rack, channels_of, done, edit, moved
from tests.building.database import Database
from tests.building.issuing import issue
from tests.building.named import Broker, Press, free_port, until_read

from canaleta.plant.live.commands import ask as ask_command
from canaleta.plant.live.commands import awaited
from canaleta.racks.sparkplug import Metric, Payload, read_payload, written_payload
from canaleta.standins.server import StandIns

DOUBLE = ua.VariantType.Double
LOW, HIGH, HH = "ns=2;s=Press.PT.low", "ns=2;s=Press.PT.high", "ns=2;s=Press.PT.hh"


async def foreign(database: Database, ask: Ask, link: str, port: int, names: list[str], **more: Any) -> int:
    """A rack by other hands, with the pressure of the burner on its first channel: 4 to 20 mA, as they come."""
    await done(ask, {"do": "add rack", "cabinet": 1, "name": "net", "link": link, "host": "127.0.0.1", "port": port, "period_ms": 200} | more)  # fmt: skip
    rack = (await ask("GET", "/api/cabinets")).json["cabinets"][0]["racks"][-1]["rack"]
    await done(ask, {"do": "add module", "rack": rack, "type": "vn16"})
    (module,) = (await ask("GET", "/api/cabinets")).json["cabinets"][0]["racks"][-1]["modules"]
    await done(ask, {"do": "name channels", "module": module["module"], "channel": 0, "names": names})
    await moved(ask, PT, (await channels_of(ask, module["module"]))[0]["address"])
    for field in ("counts_low", "counts_high"):
        edit(database, PT, field, "")
    return int(rack)


def told(answer: Any) -> list[tuple[str, str, str, str, str]]:
    return [
        (p["setting"], p["configured"], p["issued"], p["running"], p["stands"]) for p in answer.json["parameters"]
    ]


def test_a_pair_and_a_limit_behind_nodes_are_told_adopted_and_written(database: Database) -> None:
    """What another client wrote: 4.1 for the count of the low end, and 7.5 where 8 was issued."""

    async def visit(ask: Ask, made: StandIns) -> None:
        async with Press(free_port()) as press:
            for name, value in (("PT", 12.0), ("PT.low", 4.0), ("PT.high", 20.0), ("PT.hh", 8.0)):
                await press.gain(name, value, DOUBLE)
            await press.allow("PT.low", "PT.high", "PT.hh")
            rack = await foreign(database, ask, "OPC UA", press.port, ["ns=2;s=Press.PT"], path="/press/")
            edit(database, PT, "mode", "4–20 mA as they come")
            edit(database, PT, "pair_at", f"{LOW}, {HIGH}")
            edit(database, PT, "limits_at", f"HH {HH}")
            edit(database, PT, "alarm_hh", "8")
            issue(database)
            look = f"/api/running/{rack}"
            first = await ask("POST", look)
            assert (told(first), first.json["missing"], first.json["says"]) == ([], [], "")
            await press.tell("PT.low", 4.1, DOUBLE)
            await press.tell("PT.hh", 7.5, DOUBLE)
            answer = await ask("POST", look)
            assert told(answer) == [
                ("pair of counts", "4 and 20", "4 and 20", "4.1 and 20", "turned in the rack"),
                ("limit HH", "8 mbar", "8 mbar", "7.5 mbar", "turned in the rack"),
            ]
            pair, limit = answer.json["parameters"]
            assert pair["where"] == f"{LOW} and {HIGH}"
            assert limit["takes"] == [{"field": "alarm_hh", "text": "7.5"}]
            body = {"keys": [pair["key"], limit["key"]]}
            assert (await ask("POST", f"{look}/numbers", body)).status_code == 409, "nobody armed it"
            await ask("PUT", f"/api/racks/{rack}/armed", {"minutes": 5})
            written = (await ask("POST", f"{look}/numbers", body)).json
            assert (written["done"], written["failed"]) == (2, 0), written
            assert [await press.now(name) for name in ("PT.low", "PT.high", "PT.hh", "PT")] == [4.0, 20.0, 8.0, 12.0]
            assert told(await ask("POST", look)) == []
            # By itself, as where a trim is taken over.
            shown = (await ask("POST", f"/api/points/{PT}/trim/pair", {"write": False})).json
            assert (shown["counts"], shown["agrees"]) == ([4.0, 20.0], True)
            await press.tell("PT.low", 4.1, DOUBLE)
            shown = (await ask("POST", f"/api/points/{PT}/trim/pair", {"write": False})).json
            assert (shown["counts"], shown["agrees"]) == ([4.1, 20.0], False), "0.1 mA is no rounding"
            shown = (await ask("POST", f"/api/points/{PT}/trim/pair", {"write": True})).json
            assert (shown["counts"], shown["agrees"]) == ([4.0, 20.0], True)
            # A node that nobody may write, and one that is gone: told of each, and the others are compared.
            await press.gain("PT.h", 6.0, DOUBLE)
            edit(database, PT, "alarm_h", "5")
            edit(database, PT, "limits_at", f"HH ns=2;s=Press.nobody, H {HH.removesuffix('h')}")
            answer = await ask("POST", look)
            assert [p["setting"] for p in answer.json["parameters"]] == ["limit H"]
            assert answer.json["missing"] == ["PT-3107 limit HH: no good number is there behind ns=2;s=Press.nobody"]
            refused = (await ask("POST", f"{look}/numbers", {"keys": [answer.json["parameters"][0]["key"]]})).json
            assert (refused["done"], refused["failed"]) == (0, 1)
            assert refused["results"][0]["says"].startswith("the server ")
            assert await press.now("PT.h") == 6.0

    at_a_rack(database, visit)


@pytest.mark.long
def test_the_range_that_a_node_tells_is_held_against_both_ends(database: Database) -> None:
    """EURange (OPC 10000-8, 5.6.2): 4 to 20 and all of the channel's 0 to 20 mA agree; 0 to 10 bar is no current."""

    async def visit(ask: Ask, made: StandIns) -> None:
        async with Press(free_port()) as press:
            await press.gain("PT", 12.0, DOUBLE)
            ranged = await press.node_of["PT"].add_property(
                ua.NodeId.from_string("ns=2;s=Press.PT.range"), ua.QualifiedName("EURange", 0), ua.Range(4.0, 20.0)
            )
            rack = await foreign(database, ask, "OPC UA", press.port, ["ns=2;s=Press.PT"], path="/press/")
            edit(database, PT, "mode", "mA as they come")
            look = f"/api/running/{rack}"
            answer = await ask("POST", look)
            assert told(answer) == []
            (head,) = answer.json["themselves"]
            assert (head["entity"], bool(head["says"])) == ("rack", True), "BuildInfo of the server"
            await ranged.write_value(ua.Range(0.0, 20.0))
            assert told(await ask("POST", look)) == []
            await ranged.write_value(ua.Range(0.0, 10.0))
            answer = await ask("POST", look)
            assert told(answer) == [("range of the node", "4 and 20", "", "0 and 10", "list and rack apart")]
            (one,) = answer.json["parameters"]
            assert one["writes"] is False
            await ask("PUT", f"/api/racks/{rack}/armed", {"minutes": 5})
            nothing = (await ask("POST", f"{look}/numbers", {"keys": [one["key"]]})).json
            assert (nothing["done"], nothing["failed"]) == (0, 0)
            # A pair that is said to be kept elsewhere goes before what the node tells.
            edit(database, PT, "pair_at", "holding 200 int, holding 201 int")
            answer = await ask("POST", look)
            assert answer.json["missing"] == [
                "PT-3107: holding register 200 (from 0): a rack that is reached by OPC UA has names and no registers"
            ]

    at_a_rack(database, visit)


@pytest.mark.long
def test_numbers_of_a_broker_are_parts_of_its_topics(database: Database) -> None:
    """A limit in JSON beside the value, another as a metric of Sparkplug B, which alone can be commanded."""

    async def visit(ask: Ask, made: StandIns) -> None:
        async with Broker(free_port()) as broker:
            rack = await foreign(database, ask, "MQTT", broker.port, ["press/3#/pt"])
            edit(database, PT, "mode", "4–20 mA as they come")
            racks = (await ask("GET", "/api/running")).json["racks"]
            assert next(r for r in racks if r["rack"] == rack)["reports"] is False, (
                "a broker tells nothing of its own"
            )
            edit(database, PT, "alarm_hh", "8")
            edit(database, PT, "alarm_h", "5")
            node = "spBv1.0/Vallroja/press-3"
            edit(database, PT, "limits_at", f"HH press/3#/limits/hh, H {node}#PT/H")
            births = Payload([Metric("PT/H", 1, 5.0)], seq=0)
            heard: list[tuple[str, float]] = []

            def came(client: Any, _: Any, message: Any) -> None:
                told = read_payload(message.payload)
                heard.extend((m.name, m.value) for m in told.metrics)
                if any(m.name == "Node Control/Rebirth" for m in told.metrics):
                    broker.say("spBv1.0/Vallroja/NBIRTH/press-3", written_payload(births))

            broker.client.on_message = came
            broker.client.subscribe("spBv1.0/Vallroja/NCMD/press-3")
            broker.say("press/3", json.dumps({"pt": 12.0, "limits": {"hh": 7.5}}), retain=True)
            look = f"/api/running/{rack}"
            answer = await ask("POST", look)
            assert told(answer) == [("limit HH", "8 mbar", "", "7.5 mbar", "list and rack apart")]
            assert answer.json["missing"] == []
            key = answer.json["parameters"][0]["key"]
            await ask("PUT", f"/api/racks/{rack}/armed", {"minutes": 5})
            refused = (await ask("POST", f"{look}/numbers", {"keys": [key]})).json
            assert (refused["done"], refused["failed"]) == (0, 1)
            assert "a plain topic does not say" in refused["results"][0]["says"]
            # The list moves on; the metric is commanded.
            edit(database, PT, "alarm_h", "4")
            (_, metric) = (await ask("POST", look)).json["parameters"]
            written = (await ask("POST", f"{look}/numbers", {"keys": [metric["key"]]})).json
            assert (written["done"], written["failed"]) == (1, 0)

            async def commanded() -> list[tuple[str, float]]:
                return [one for one in heard if one[0] == "PT/H"]

            assert await until_read(commanded, bool) == [("PT/H", 4.0)]

    at_a_rack(database, visit)


def test_a_name_at_a_rack_with_registers_is_refused_and_no_register_is_written(database: Database) -> None:
    """“a/b” is a topic. Taken for a register it would be the first one of the rack."""
    edit(database, PT, "pair_at", "kiln/low, kiln/high")

    async def visit(ask: Ask, made: StandIns) -> None:
        server = made.racks[1].server
        before = list(await server.async_getValues(1, 3, 0, 8))
        refused = await ask("POST", f"/api/points/{PT}/trim/pair", {"write": True})
        assert refused.status_code == 422
        assert "has registers and no names" in refused.json["title"]
        with database.engine.begin() as connection:
            number = ask_command(
                connection, "ana", 1, "pair", {"at": "kiln/low, kiln/high", "write": [1, 2], "stand_in": True}
            )
        outcome = await asyncio.to_thread(awaited, database.engine, number, 25.0)
        assert (outcome.done, "has registers and no names" in outcome.says) == (False, True)
        assert list(await server.async_getValues(1, 3, 0, 8)) == before
        answer = (await ask("POST", "/api/running/1")).json
        assert [text.startswith("PT-3107: kiln/low: ") for text in answer["missing"]] == [True]

    at_a_rack(database, visit)
