"""The reader of a rack, whichever way it is reached; what a test of that way says; and what names a rack has."""

from __future__ import annotations

import asyncio
import contextlib
import math
import time
from collections.abc import AsyncIterator, Sequence
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Engine

from canaleta.certificates import Certificate
from canaleta.core.model.layout import Rack
from canaleta.core.model.registers import RackMap
from canaleta.plant.records.secrets import password_of
from canaleta.racks.certificate import own_certificate
from canaleta.racks.named import GOOD, Named, NamedReader
from canaleta.racks.reader import (
    RackDeniedError,
    RackReader,
    RackSilentError,
    RackTimedOutError,
    RackUnreachableError,
)

__all__ = ["AnyReader", "browsed", "looked_up", "reader_of", "tested_by_name", "written_by_name"]

AnyReader = RackReader | NamedReader


def _opened(engine: Engine, rack: Rack) -> tuple[str, Certificate | None]:
    """The password of a rack, and our certificate where its server wants one."""
    with engine.connect() as connection:
        password = password_of(connection, rack.id)
    wanted = rack.link == "OPC UA" and rack.security != "none"
    return password, own_certificate(engine) if wanted else None


@contextlib.asynccontextmanager
async def reader_of(engine: Engine, rack: Rack, rack_map: RackMap, timeout_s: float) -> AsyncIterator[AnyReader]:
    """The reader of a rack, as long as it is used."""
    if not rack.by_name:
        async with RackReader(rack, rack_map, timeout_s) as registers:
            yield registers
        return
    password, own = await asyncio.to_thread(_opened, engine, rack)
    # What speaks another protocol is only there where a rack does: it takes 30 MB of an agent.
    if rack.link == "OPC UA":
        from canaleta.racks.opc import OpcReader

        async with OpcReader(rack, rack_map, password, own, timeout_s) as nodes:
            yield nodes
        return
    from canaleta.racks.mqtt import MqttReader

    async with MqttReader(rack, rack_map, password, timeout_s) as topics:
        yield topics


async def tested_by_name(engine: Engine, rack: Rack, rack_map: RackMap) -> dict[str, Any]:
    """What a test of the way says: {"says", "look": what to look at, "words": none, "trust": the certificate that the
    server shows where it is not trusted, "" otherwise}."""
    began = time.monotonic()
    server = "an OPC UA server" if rack.link == "OPC UA" else "a broker"
    try:
        async with reader_of(engine, rack, rack_map, 2.0) as reader:
            assert not isinstance(reader, RackReader)
            await reader.read()
            wanted, heard = reader.names, dict(reader.heard)
    except RackUnreachableError as error:
        return _verdict(str(error), f"address, port, cable, and whether {server} runs there")
    except RackTimedOutError as error:
        return _verdict(str(error), f"whether it is {server} that listens there, and how busy it is")
    except RackDeniedError as error:
        look = "whether that is its certificate, by its own page" if error.shows else "user, password, protection"
        return _verdict(str(error), look, error.shows)
    except RackSilentError as error:
        return _verdict(str(error), f"whether it is {server} that listens there")
    took = (time.monotonic() - began) * 1000.0
    if not wanted:
        return _verdict(
            f"it answers, {took:.0f} ms; no channel has a name there yet", "pick them on the modules' pages"
        )
    if missing := [name for name in wanted if name not in heard]:
        told = ", ".join(missing[:5]) + (f" and {len(missing) - 5} more" if len(missing) > 5 else "")
        return _verdict(f"it answers, and tells nothing of {told}", "whether these names are still right")
    oldest = min((h.source_at for h in heard.values() if h.source_at == h.source_at), default=None)
    since = f"; the oldest value is of {datetime.fromtimestamp(oldest, UTC):%Y-%m-%d %H:%M:%S} UTC" if oldest else ""
    return _verdict(f"it answers, {took:.0f} ms for all {len(wanted)} names{since}", "")


def _verdict(says: str, look: str, trust: str = "") -> dict[str, Any]:
    return {"says": says, "look": look, "words": [], "trust": trust}


async def written_by_name(engine: Engine, rack: Rack, name: str, value: float) -> None:
    """Give a name of a rack a value. What became of it the next readings tell. Raises RackSilentError."""
    password, own = await asyncio.to_thread(_opened, engine, rack)
    if rack.link == "OPC UA":
        from canaleta.racks.opc import written

        await written(rack, password, own, name, value)
        return
    from canaleta.racks.mqtt import commanded

    await commanded(rack, password, name, value)


async def looked_up(engine: Engine, rack: Rack, names: Sequence[str], nodes: Sequence[str]) -> dict[str, Any]:
    """What a rack by name keeps beside its channels: {"names": {name: number, None for none that is good}, "ranges": {node:
    [low, high]} of those of `nodes` that say between which values they run, "head": what it says of itself}. Raises
    RackSilentError."""
    password, own = await asyncio.to_thread(_opened, engine, rack)
    if rack.link == "OPC UA":
        from canaleta.racks.opc import kept_there

        heard, ranges, head = await kept_there(rack, password, own, names, nodes)
    else:
        from canaleta.racks.mqtt import heard_now

        heard, ranges, head = await heard_now(rack, password, names), {}, ""
    numbers = {name: one.value for name, one in heard.items() if one.rating == GOOD and math.isfinite(one.value)}
    return {"names": {name: numbers.get(name) for name in names}, "ranges": ranges, "head": head}


async def browsed(engine: Engine, rack: Rack, below: str) -> dict[str, Any]:
    """What names a rack has below a place, "" for all: {"names": [[name, title, leads, says], …], "says": why there are
    none}."""
    password, own = await asyncio.to_thread(_opened, engine, rack)
    try:
        found: list[Named]
        if rack.link == "OPC UA":
            from canaleta.racks.opc import looked_through

            found = await looked_through(rack, password, own, below)
        else:
            from canaleta.racks.mqtt import listened_to

            found = await listened_to(rack, password)
    except RackSilentError as error:
        return {"names": [], "says": str(error)}
    return {"names": [[n.name, n.title, n.leads, n.says] for n in found], "says": ""}
