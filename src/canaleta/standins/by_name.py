"""Stand-ins of racks that are reached by name: an OPC UA server of our own making, or a publisher at a broker.

A channel that has no name in the list yet has one here, so that it can be picked: “slot 2.channel 3”.
"""

from __future__ import annotations

import asyncio
import contextlib
import getpass
import logging
import math
import shutil
import tempfile
from collections.abc import Callable, Mapping
from datetime import UTC
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import orjson
import paho.mqtt.client as paho
from asyncua import ua
from asyncua.common.callback import CallbackType
from asyncua.crypto.permission_rules import User, UserRole
from asyncua.server.server import Server
from asyncua.server.user_managers import UserManager
from asyncua.ua.status_codes import StatusCodes
from paho.mqtt.enums import CallbackAPIVersion

from canaleta.certificates import Certificate, made
from canaleta.core.model.by_name import topic_of
from canaleta.core.model.layout import Layout
from canaleta.core.model.registers import DOUBLE, RackMap
from canaleta.core.notation.arrays import Bools, Floats, Words

__all__ = ["Broker", "OpcServer", "names_here"]

log = logging.getLogger("stand-in")
NAMESPACE = "urn:canaleta:stand-in"
NAMESPACE_INDEX = 2
"""0 is the standard's own, 1 the server's."""
BROKER_UP_S = 10.0
Spans = Mapping[int, tuple[float, float]]
"""Between which numbers channels run, by their places in the map."""
Give = Callable[[int, float], None]
"""What takes a value that a client gave: the channel's place in the map, and the value."""


def names_here(layout: Layout, rack: int, rack_map: RackMap) -> list[str]:
    """What each channel is called at the stand-in, (channels,)."""
    link = layout.racks[rack].link
    out = []
    for module, channel, name in zip(
        rack_map.modules.tolist(), rack_map.channels.tolist(), rack_map.names, strict=True
    ):
        own = f"slot {layout.slots[module]}.channel {channel + 1}"
        out.append(
            name or (f"ns={NAMESPACE_INDEX};s={own}" if link == "OPC UA" else own.replace(" ", "/").replace(".", "/"))
        )
    return out


def values_of(words: Words) -> Floats:
    """The numbers that the words of such a rack are."""
    numbers: Floats = DOUBLE.counts_of(words.reshape(-1, DOUBLE.words).astype(np.int64))
    return numbers


@lru_cache(maxsize=1)
def _own() -> Certificate:
    """One for all stand-ins of a process: it takes a moment to make."""
    return made(NAMESPACE)


class _Nobody(UserManager):
    """Lets in who comes without a name. Only the standard's own manager lets an “admin” in with any password."""

    def get_user(self, iserver: Any, username: str | None = None, password: str | None = None, certificate: Any = None) -> User | None:  # fmt: skip
        return User(role=UserRole.User) if username is None else None


class OpcServer:
    """An OPC UA server on loopback that has a rack's channels as variables, with the ranges of those that are wired."""

    def __init__(self, layout: Layout, rack: int, rack_map: RackMap, port: int, give: Give, spans: Spans) -> None:
        self._give, self._spans = give, spans
        self._layout, self._rack, self._map, self._port = layout, rack, rack_map, port
        self._names = names_here(layout, rack, rack_map)
        self._nodes: list[ua.NodeId] = []
        self._server: Server | None = None
        self._last: list[tuple[float, bool]] = []

    async def serve_forever(self, *, background: bool) -> None:
        """Build the variables and listen. Raises OSError if the port is taken."""
        server = Server(user_manager=_Nobody())
        await server.init()
        server.set_endpoint(f"opc.tcp://127.0.0.1:{self._port}")
        server.set_server_name(f"stand-in of rack {self._layout.racks[self._rack].name}")
        server.set_security_policy(
            [ua.SecurityPolicyType.NoSecurity, ua.SecurityPolicyType.Basic256Sha256_SignAndEncrypt]
        )
        with tempfile.TemporaryDirectory() as folder:
            own = await asyncio.to_thread(_own)
            certificate, key = Path(folder) / "own.pem", Path(folder) / "key.pem"
            certificate.write_text(own.certificate, encoding="ascii")
            key.write_text(own.key, encoding="ascii")
            await server.load_certificate(str(certificate))
            await server.load_private_key(str(key))
        await server.set_application_uri(NAMESPACE)
        await server.set_build_info(NAMESPACE, "Canaleta", "stand-in", "1.0", "", ua.DateTime(2026, 1, 1, tzinfo=UTC))
        await server.register_namespace(NAMESPACE)
        folders: dict[int, Any] = {}
        for module, channel, name in zip(
            self._map.modules.tolist(), self._map.channels.tolist(), self._names, strict=True
        ):
            if module not in folders:
                slot = self._layout.slots[module]
                title = f"{slot} {self._layout.type_of(module).title}"
                folders[module] = await server.nodes.objects.add_folder(
                    ua.NodeId.from_string(f"ns={NAMESPACE_INDEX};s=slot {slot}"),
                    ua.QualifiedName(title, NAMESPACE_INDEX),
                )
            node = await folders[module].add_variable(
                ua.NodeId.from_string(name), ua.QualifiedName(f"channel {channel + 1}", NAMESPACE_INDEX), 0.0
            )
            if self._layout.type_at(module, channel).direction == "out" or self._layout.type_of(module).groups:
                await node.set_writable()
            if span := self._spans.get(len(self._nodes)):
                await node.add_property(
                    ua.NodeId.from_string(f"ns={NAMESPACE_INDEX};s=range of {name}"), ua.QualifiedName("EURange", 0),
                    ua.Range(ua.Double(span[0]), ua.Double(span[1])),
                )  # fmt: skip
            self._nodes.append(node.nodeid)
        server.subscribe_server_callback(CallbackType.PostWrite, self._written)
        await server.start()
        self._server = server

    def _written(self, event: Any, _: Any = None) -> None:
        """A client gave some nodes values: what becomes of them the next step tells."""
        if not event.is_external:
            return
        places = {node: k for k, node in enumerate(self._nodes)}
        for one, result in zip(event.request_params.NodesToWrite, event.response_params, strict=True):
            k = places.get(one.NodeId)
            value = one.Value.Value.Value if one.Value.Value is not None else None
            if k is not None and result.is_good() and isinstance(value, int | float):
                self._give(k, float(value))
                if k < len(self._last):
                    self._last[k] = (math.nan, True)

    async def put(self, words: Words, faulty: Bools) -> None:
        """These are its values from now on. A channel at fault has none, and the standard's word for it."""
        if self._server is None:
            return
        now = ua.DateTime.now(UTC)
        told = list(zip(values_of(words).tolist(), faulty.tolist(), strict=True))
        for k, (node, (value, bad)) in enumerate(zip(self._nodes, told, strict=True)):
            if k < len(self._last) and self._last[k] == (value, bad):
                continue
            variant = ua.Variant(value, ua.VariantType.Double)
            code = StatusCodes.BadSensorFailure if bad else StatusCodes.Good
            await self._server.write_attribute_value(
                node, ua.DataValue(variant, ua.StatusCode(ua.UInt32(code)), SourceTimestamp=now)
            )
        self._last = told

    async def shutdown(self) -> None:
        """Close every connection."""
        server, self._server = self._server, None
        if server is not None:
            await server.stop()


class Broker:
    """A broker on loopback, Debian's mosquitto, and whoever publishes a rack's channels to it."""

    def __init__(self, layout: Layout, rack: int, rack_map: RackMap, port: int, give: Give, _: Spans) -> None:
        self._port = port
        self._topics = [topic_of(name) for name in names_here(layout, rack, rack_map)]
        self._process: asyncio.subprocess.Process | None = None
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._client: paho.Client | None = None

    async def serve_forever(self, *, background: bool) -> None:
        """Start the broker and connect to it. Raises OSError if it cannot be started."""
        program = shutil.which("mosquitto", path="/usr/sbin:/usr/bin:/usr/local/sbin:/usr/local/bin")
        if program is None:
            raise OSError("there is no broker on this machine: install Debian's mosquitto")
        self._folder = tempfile.TemporaryDirectory()
        settings = Path(self._folder.name) / "broker.conf"
        settings.write_text(
            f"listener {self._port} 127.0.0.1\nallow_anonymous true\npersistence false\nuser {getpass.getuser()}\n",
            "ascii",
        )
        Path(self._folder.name).chmod(0o755)
        settings.chmod(0o644)
        self._process = await asyncio.create_subprocess_exec(
            program, "-c", str(settings), stdout=asyncio.subprocess.DEVNULL, stderr=asyncio.subprocess.DEVNULL
        )
        client = paho.Client(CallbackAPIVersion.VERSION2, client_id="stand-in")
        try:
            async with asyncio.timeout(BROKER_UP_S):
                while True:
                    if self._process.returncode is not None:
                        raise OSError(f"the broker ended with {self._process.returncode}")
                    with contextlib.suppress(OSError):
                        await asyncio.to_thread(client.connect, "127.0.0.1", self._port)
                        break
                    await asyncio.sleep(0.05)
        except BaseException:
            await self.shutdown()
            raise
        client.loop_start()
        self._client = client

    async def put(self, words: Words, faulty: Bools) -> None:
        """Publish its values, retained. A channel at fault has none."""
        if self._client is None:
            return
        documents: dict[str, Any] = {}
        for topic, value, bad in zip(self._topics, values_of(words).tolist(), faulty.tolist(), strict=True):
            told = None if bad or not math.isfinite(value) else value
            if not topic.pointer:
                documents[topic.topic] = told
            elif isinstance(into := documents.setdefault(topic.topic, {}), dict):
                *ways, last = topic.pointer.split("/")[1:]
                for way in ways:
                    into = into.setdefault(way, {})
                into[last] = told
        for name, document in documents.items():
            self._client.publish(name, orjson.dumps(document), qos=0, retain=True)

    async def shutdown(self) -> None:
        """End the broker."""
        client, self._client = self._client, None
        if client is not None:
            await asyncio.to_thread(client.loop_stop)
        if self._process is not None and self._process.returncode is None:
            self._process.terminate()
            await self._process.wait()
        self._process = None
        if self._folder is not None:
            self._folder.cleanup()
            self._folder = None
