"""A rack that publishes to an MQTT broker: its topics, plain or JSON or of Sparkplug B, with their last words.

A broker tells nothing of who publishes: that a device has died is known by its last will, where it has one, by the death
certificate of Sparkplug B, and by a silence that the rack's own limit calls too long (`Rack.quiet_s`).
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import math
import secrets
import ssl
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import orjson
import paho.mqtt.client as paho
from paho.mqtt.enums import CallbackAPIVersion

from canaleta.certificates import fingerprint
from canaleta.core.model.by_name import SPARKPLUG, TopicName, pointed, topic_of
from canaleta.core.model.layout import Rack
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.arrays import Words
from canaleta.racks.named import BAD, GOOD, Heard, Named, NamedReader, number_of
from canaleta.racks.reader import (
    RackDeniedError,
    RackGarbledError,
    RackLostError,
    RackSilentError,
    RackTimedOutError,
    RackUnreachableError,
)
from canaleta.racks.sparkplug import Metric, NonsenseError, Payload, read_payload, rebirth, written_payload

__all__ = ["MqttReader", "commanded", "heard_now", "listened_to"]

log = logging.getLogger("scan")
KEEPALIVE_S = 5
"""A broker that says nothing for one and a half of these is gone (MQTT 5.0, 3.1.2.10)."""
MOST_PAYLOAD = 1_000_000
REBIRTH_S = 30.0
"""How often a node is asked to tell all of itself anew."""
MOST_TOPICS = 2_000
LISTEN_S = 3.0
"""How long one listens for what topics there are."""
FIRST_VALUES_S = 2.0
PARTIAL_CHAIN = 0x80000
"""X509_V_FLAG_PARTIAL_CHAIN: a certificate that is trusted by itself needs no other above it."""


@dataclass
class _Node:
    """What is known of a node of Sparkplug B: its aliases, the number of its next message, when it was asked last."""

    aliases: dict[tuple[str, int], tuple[str, str]] = field(default_factory=dict)
    born: bool = False
    seq: int | None = None
    asked_at: float = float("-inf")


class _Heard:
    """Everything that came, by name. Filled by the client's thread, read by the scan."""

    def __init__(self, wanted: Sequence[TopicName], retained_count: bool) -> None:
        self.by_name: dict[str, Heard] = {}
        self.nonsense: dict[str, str] = {}
        self._retained_count = retained_count
        self._plain: dict[str, list[TopicName]] = {}
        for name in wanted:
            self._plain.setdefault(name.topic, []).append(name)
        self.metrics = {(name.topic, name.metric) for name in wanted if name.metric}
        self.nodes: dict[str, _Node] = {
            "/".join(name.topic.split("/")[:3]): _Node() for name in wanted if name.metric
        }
        self.wants_birth: set[str] = set()

    def take(self, topic: str, payload: bytes, retained: bool) -> None:
        """One message. What is nonsense is kept apart and told."""
        if len(payload) > MOST_PAYLOAD:
            self._nonsense(topic, f"{len(payload)} bytes")
            return
        if topic.startswith(SPARKPLUG + "/"):
            self._sparkplug(topic, payload)
            return
        at = time.monotonic() if self._retained_count or not retained else -math.inf
        document: Any = None
        try:
            document = orjson.loads(payload)
        except orjson.JSONDecodeError:
            document = payload[:41].decode("utf-8", "replace").strip()
            if not math.isfinite(number_of(document)) and document.lower() not in ("nan", "inf", "-inf"):
                self._nonsense(topic, f"“{document[:30]}”")
        for name in self._plain.get(topic, ()):
            try:
                value = number_of(pointed(document, name.pointer))
            except LookupError:
                # A message that says nothing of it leaves its last word as it is.
                continue
            self.by_name[str(name)] = Heard(value, GOOD, at)

    def _nonsense(self, topic: str, what: str) -> None:
        if len(self.nonsense) < 100:
            self.nonsense[topic] = what
        for name in self._plain.get(topic, ()):
            self.by_name[str(name)] = Heard(math.nan, GOOD, time.monotonic(), says=what)

    def _sparkplug(self, topic: str, payload: bytes) -> None:
        parts = topic.split("/")
        if len(parts) not in (4, 5):
            return
        _, group, kind, edge, *device = parts
        node_name = f"{SPARKPLUG}/{group}/{edge}"
        node = self.nodes.get(node_name)
        if node is None:
            return
        at = f"{node_name}/{device[0]}" if device else node_name
        if kind in ("NDEATH", "DDEATH"):
            self._died(at)
            node.born = node.born and kind != "NDEATH"
            return
        if kind not in ("NBIRTH", "DBIRTH", "NDATA", "DDATA"):
            return
        try:
            told = read_payload(payload)
        except NonsenseError as error:
            self.nonsense[topic] = str(error)
            return
        self._counted(node, node_name, kind, told)
        now = time.monotonic()
        if kind == "NBIRTH":
            node.aliases.clear()
            node.born = True
        for metric in told.metrics:
            name = (at, metric.name)
            if metric.alias is not None:
                if kind.endswith("BIRTH"):
                    node.aliases[edge, metric.alias] = name
                elif not metric.name:
                    name = node.aliases.get((edge, metric.alias), ("", ""))
            if name in self.metrics:
                when = metric.at if math.isfinite(metric.at) else told.at
                self.by_name[f"{name[0]}#{name[1]}"] = Heard(metric.value, metric.rating, now, when)

    def _counted(self, node: _Node, name: str, kind: str, told: Payload) -> None:
        """Messages of a node count from 0 at its birth to 255 and on (6.4.1): one that is missing took something
        along, so that everything has to be told anew."""
        if kind != "NBIRTH" and (not node.born or (node.seq is not None and told.seq != (node.seq + 1) % 256)):
            self.wants_birth.add(name)
        if kind == "NBIRTH":
            self.wants_birth.discard(name)
        node.seq = told.seq

    def _died(self, at: str) -> None:
        """A node's death is that of its devices (6.4.6)."""
        for name, heard in list(self.by_name.items()):
            topic = name.partition("#")[0]
            if topic == at or topic.startswith(at + "/"):
                self.by_name[name] = replace(heard, rating=BAD, says="the device has left")


class _Connection:
    """One client of a broker, whose thread hands on what comes."""

    def __init__(self, rack: Rack, password: str, heard: _Heard, filters: Sequence[str], timeout_s: float) -> None:
        self._rack = rack
        self.up = threading.Event()
        self.over = threading.Event()
        self.why: RackSilentError | None = None
        self._heard, self._filters = heard, filters
        self._client = paho.Client(
            CallbackAPIVersion.VERSION2, client_id=f"canaleta-{secrets.token_hex(6)}", clean_session=True
        )
        self._client.connect_timeout = timeout_s
        if rack.username:
            self._client.username_pw_set(rack.username, password or None)
        self._client.on_connect, self._client.on_disconnect = self._connected, self._ended
        self._client.on_message, self._client.on_subscribe = self._came, self._subscribed
        self._timeout_s = timeout_s

    def begin(self) -> None:
        """Connect, and wait until the broker has taken the subscriptions. Raises RackSilentError."""
        if self._rack.security == "TLS":
            self._client.tls_set_context(_trusting(self._rack, self._timeout_s))
        try:
            self._client.connect(self._rack.host, self._rack.port, keepalive=KEEPALIVE_S)
        except TimeoutError as error:
            raise RackTimedOutError(f"no answer from {self._rack.reached_at} in time") from error
        except OSError as error:
            raise RackUnreachableError(f"nothing answers at {self._rack.reached_at}") from error
        self._client.loop_start()
        until = time.monotonic() + self._timeout_s
        while not self.up.wait(0.01):
            if self.why is not None or self.over.is_set():
                raise self.why or RackGarbledError(f"what {self._rack.reached_at} sends is no MQTT")
            if time.monotonic() > until:
                raise RackTimedOutError(f"{self._rack.reached_at} took the connection and says nothing")

    def _connected(self, client: paho.Client, _: Any, flags: Any, reason: Any, properties: Any) -> None:
        if reason.is_failure:
            self.why = RackDeniedError(f"the broker does not let us in: {str(reason).lower()}")
            self.over.set()
            return
        if self._filters:
            client.subscribe([(one, 0) for one in self._filters])
        else:
            self.up.set()

    def _subscribed(self, client: paho.Client, _: Any, number: int, reasons: Sequence[Any], properties: Any) -> None:
        if any(reason.is_failure for reason in reasons):
            self.why = RackDeniedError("the broker does not let us have these topics")
            self.over.set()
            return
        self.up.set()

    def _ended(self, client: paho.Client, _: Any, flags: Any, reason: Any, properties: Any) -> None:
        self.over.set()

    def _came(self, client: paho.Client, _: Any, message: paho.MQTTMessage) -> None:
        try:
            self._heard.take(message.topic, bytes(message.payload), bool(message.retain))
        except Exception:
            log.exception("rack %d: a message of %s could not be read", self._rack.id, message.topic[:100])

    def publish(self, topic: str, payload: bytes) -> None:
        """Publish, and wait until the broker has it. Raises RackSilentError."""
        sent = self._client.publish(topic, payload, qos=1)
        with contextlib.suppress(RuntimeError, ValueError):
            sent.wait_for_publish(self._timeout_s)
        if not sent.is_published():
            raise RackTimedOutError("the broker did not acknowledge what was published")

    def ask_birth(self, node: str) -> None:
        """Ask a node of Sparkplug B to tell all of itself anew."""
        _, group, edge = node.split("/")
        self._client.publish(f"{SPARKPLUG}/{group}/NCMD/{edge}", rebirth(), qos=0)

    def end(self) -> None:
        """Leave the broker."""
        with contextlib.suppress(Exception):
            self._client.disconnect()
        with contextlib.suppress(Exception):
            self._client.loop_stop()


def _trusting(rack: Rack, timeout_s: float) -> ssl.SSLContext:
    """A context that lets in the one certificate that is trusted. Raises RackSilentError; nothing secret was sent."""
    try:
        pem = ssl.get_server_certificate((rack.host, rack.port), timeout=timeout_s)
    except TimeoutError as error:
        raise RackTimedOutError(f"no answer from {rack.reached_at} in time") from error
    except ssl.SSLError as error:
        raise RackDeniedError(f"{rack.reached_at} does not speak TLS") from error
    except OSError as error:
        raise RackUnreachableError(f"nothing answers at {rack.reached_at}") from error
    shows = fingerprint(ssl.PEM_cert_to_DER_cert(pem))
    if shows != rack.trusted:
        what = (
            "another certificate than the one that is trusted"
            if rack.trusted
            else "a certificate that is not trusted yet"
        )
        raise RackDeniedError(f"the broker shows {what}: SHA-256 {shows}", shows)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname = False
    context.verify_flags |= PARTIAL_CHAIN
    context.load_verify_locations(cadata=pem)
    return context


def _filters(names: Sequence[TopicName]) -> list[str]:
    """What is subscribed to: each plain topic, and of a node of Sparkplug B all that it and its devices say."""
    out: dict[str, None] = {}
    for name in names:
        if name.metric:
            _, group, edge, *_ = name.topic.split("/")
            for kind in ("NBIRTH", "NDATA", "NDEATH"):
                out[f"{SPARKPLUG}/{group}/{kind}/{edge}"] = None
            for kind in ("DBIRTH", "DDATA", "DDEATH"):
                out[f"{SPARKPLUG}/{group}/{kind}/{edge}/+"] = None
        else:
            out[name.topic] = None
    return list(out)


class MqttReader(NamedReader):
    """One client of one broker; a new one at the next reading after a failure."""

    def __init__(self, rack: Rack, rack_map: RackMap, password: str, timeout_s: float) -> None:
        super().__init__(rack, rack_map)
        self._password = password
        self._timeout_s = max(timeout_s, 1.0)
        self._topics = [topic_of(name) for name in self.names]
        self._heard = _Heard(self._topics, retained_count=not rack.quiet_s)
        self._connection: _Connection | None = None
        self._told: dict[str, str] = {}

    async def read(self) -> Words:
        """All words of the rack, (words,) uint16. Raises RackSilentError if the broker is gone."""
        await self.connect()
        assert self._connection is not None
        if self._connection.over.is_set():
            await self._leave()
            raise RackLostError(f"the connection to {self._rack.reached_at} was lost")
        for node in list(self._heard.wants_birth):
            known = self._heard.nodes[node]
            if time.monotonic() - known.asked_at >= REBIRTH_S:
                known.asked_at = time.monotonic()
                self._connection.ask_birth(node)
        if fresh := {topic: what for topic, what in self._heard.nonsense.items() if topic not in self._told}:
            self._told |= fresh
            log.warning(
                "rack %d: no value in %s", self._rack.id, ", ".join(f"{t}: {w}" for t, w in fresh.items())[:400]
            )
        return self.words_of(self._heard.by_name, self._rack.quiet_s)

    @property
    def heard(self) -> dict[str, Heard]:
        """The last word about each name."""
        return self._heard.by_name

    async def connect(self) -> None:
        """Be connected and subscribed. Raises RackSilentError."""
        if self._connection is not None:
            return
        # What was heard before says nothing of what is now.
        self._heard = _Heard(self._topics, retained_count=not self._rack.quiet_s)
        connection = _Connection(self._rack, self._password, self._heard, _filters(self._topics), self._timeout_s)
        try:
            await asyncio.to_thread(connection.begin)
        except BaseException:
            await asyncio.to_thread(connection.end)
            raise
        self._connection = connection
        self._heard.wants_birth |= {node for node, known in self._heard.nodes.items() if not known.born}
        until = time.monotonic() + min(FIRST_VALUES_S, self._timeout_s)
        # What is retained comes at once: the first reading need not be without it.
        while len(self._heard.by_name) < len(self._topics) and time.monotonic() < until:
            await asyncio.sleep(0.01)

    async def _leave(self) -> None:
        connection, self._connection = self._connection, None
        if connection is not None:
            await asyncio.to_thread(connection.end)


async def commanded(rack: Rack, password: str, name: str, value: float) -> None:
    """Command a metric of Sparkplug B (6.4.22, NCMD; 6.4.26, DCMD); what became of it, its node tells by itself. Raises
    RackSilentError."""
    topic = topic_of(name)
    if not topic.metric:
        raise RackDeniedError(f"{name} says what is; where one could command it, a plain topic does not say")
    _, group, edge, *device = topic.topic.split("/")
    to = "/".join((SPARKPLUG, group, "DCMD" if device else "NCMD", edge, *device))
    heard = _Heard((), retained_count=True)
    connection = _Connection(rack, password, heard, (), 4.0)
    now = time.time()
    payload = written_payload(Payload([Metric(topic.metric, None, value, at=now)], at=now))
    try:
        await asyncio.to_thread(connection.begin)
        await asyncio.to_thread(connection.publish, to, payload)
    finally:
        await asyncio.to_thread(connection.end)


async def heard_now(rack: Rack, password: str, names: Sequence[str]) -> dict[str, Heard]:
    """The last words about names, as far as the broker keeps them or they come within a moment. Raises RackSilentError."""
    topics = [topic_of(name) for name in names]
    if not topics:
        return {}
    heard = _Heard(topics, retained_count=True)
    connection = _Connection(rack, password, heard, _filters(topics), 4.0)
    try:
        await asyncio.to_thread(connection.begin)
        for node in heard.nodes:
            connection.ask_birth(node)
        until = time.monotonic() + FIRST_VALUES_S
        while len(heard.by_name) < len(set(names)) and time.monotonic() < until:
            await asyncio.sleep(0.01)
    finally:
        await asyncio.to_thread(connection.end)
    return {name: one for name, topic in zip(names, topics, strict=True) if (one := heard.by_name.get(str(topic)))}


class _Everything(_Heard):
    """What topics there are, whoever speaks."""

    def __init__(self) -> None:
        super().__init__((), retained_count=True)
        self.found: dict[str, str] = {}

    def take(self, topic: str, payload: bytes, retained: bool) -> None:
        if len(self.found) >= MOST_TOPICS or len(payload) > MOST_PAYLOAD:
            return
        if topic.startswith(SPARKPLUG + "/"):
            parts = topic.split("/")
            if len(parts) not in (4, 5) or parts[2] not in ("NBIRTH", "DBIRTH", "NDATA", "DDATA"):
                return
            at = "/".join((SPARKPLUG, parts[1], *parts[3:]))
            with contextlib.suppress(NonsenseError):
                for metric in read_payload(payload).metrics:
                    if metric.name and math.isfinite(metric.value):
                        self.found[f"{at}#{metric.name}"] = f"{metric.value:g}"
            return
        try:
            document = orjson.loads(payload)
        except orjson.JSONDecodeError:
            self.found[topic] = payload[:60].decode("utf-8", "replace")
            return
        for pointer, value in _leaves(document):
            self.found[f"{topic}#{pointer}" if pointer else topic] = value


def _leaves(document: Any) -> list[tuple[str, str]]:
    """(pointer, what stands there) of each part of a document that has none itself; some hundred at most."""
    out: list[tuple[str, str]] = []
    waiting: list[tuple[str, Any, int]] = [("", document, 0)]
    while waiting and len(out) < 300:
        at, part, depth = waiting.pop(0)
        if isinstance(part, dict) and depth < 8:
            waiting += [
                (f"{at}/{key.replace('~', '~0').replace('/', '~1')}", p, depth + 1)
                for key, p in list(part.items())[:300]
            ]
        elif isinstance(part, list) and depth < 8:
            waiting += [(f"{at}/{k}", p, depth + 1) for k, p in enumerate(part[:300])]
        else:
            out.append((at, str(part)[:60]))
    return out


async def listened_to(rack: Rack, password: str) -> list[Named]:
    """What topics come by, under those that the rack's path names, with what they say. Raises RackSilentError."""
    heard = _Everything()
    connection = _Connection(rack, password, heard, [rack.path or "#"], 4.0)
    try:
        await asyncio.to_thread(connection.begin)
        await asyncio.sleep(LISTEN_S)
    finally:
        await asyncio.to_thread(connection.end)
    return [Named(name, name, False, says) for name, says in sorted(heard.found.items())]
