"""MQTT: what every point says, published to a broker as it changes: plain JSON, a topic a point, and Sparkplug B.

A broker that is away is tried again and again; when it is back everything is told anew, for nobody knows what it still has.
Nothing is queued meanwhile: what is old is of no use to anybody.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import math
import ssl
import sys
import threading
import time
from collections import Counter
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

import numpy as np
import orjson
import paho.mqtt.client as paho
from paho.mqtt.enums import CallbackAPIVersion

from canaleta.certificates import AnotherCertificateError, context_for, fingerprint
from canaleta.core.model.quality import Quality, reason_words
from canaleta.core.notation.arrays import Rows
from canaleta.racks.named import BAD, GOOD
from canaleta.racks.sparkplug import (
    BOOLEAN_TYPE,
    INT64_TYPE,
    STALE,
    Metric,
    NonsenseError,
    Payload,
    read_payload,
    written_payload,
)
from canaleta.serving.broker import BrokerAddress
from canaleta.serving.statuses import QUALITY_WORDS
from canaleta.serving.values import Values

__all__ = ["MqttDoor", "topics_of"]

log = logging.getLogger("serve")
GROUP = 50
"""Metrics of one message of Sparkplug B."""
KEEPALIVE_S = 20
AGAIN_S = (1, 30)
_FORBIDDEN = str.maketrans(dict.fromkeys("/+#\x00", "_"))


class MqttDoor:
    """A publisher. prefix: of the plain topics, "" for none of them; node: group and edge node of Sparkplug B, () for none."""

    kind = "MQTT"

    def __init__(self, broker: BrokerAddress, prefix: str, node: tuple[str, str] | tuple[()]) -> None:
        self._broker, self._prefix, self._node = broker, prefix.strip("/"), node
        self._values: Values | None = None
        self._topics: list[str] = []
        self._names: list[str] = []
        self._lock = threading.Lock()
        self._seq = self._births = 0
        self._connected = False
        self._wrong = ""
        self._again = threading.Event()
        self._client: paho.Client | None = None
        self.published = 0

    async def open(self, values: Values) -> None:
        """Begin to publish; a broker that is away is waited for."""
        await self.renew(values)
        client = paho.Client(CallbackAPIVersion.VERSION2, client_id="", protocol=paho.MQTTv311)
        if self._broker.user:
            client.username_pw_set(self._broker.user, self._broker.password)
        if self._broker.protected:
            client.tls_set_context(context_for(self._broker.trusted))
            # Of a certificate that is trusted by itself it does not matter what name stands in it.
            client.tls_insecure_set(bool(self._broker.trusted))
        client.reconnect_delay_set(*AGAIN_S)
        client.max_queued_messages_set(20_000)
        client.on_connect, client.on_disconnect, client.on_message = (
            self._on_connect,
            self._on_disconnect,
            self._on_message,
        )
        client.on_connect_fail = self._on_fail
        self._client = client
        self._will()
        client.connect_async(self._broker.host, self._broker.port, KEEPALIVE_S)
        client.loop_start()

    def _will(self) -> None:
        """What the broker says of us when we are gone (6.4.16 and 5.4 of the specification): whoever reads must not believe what
        it heard last."""
        assert self._client is not None
        if self._node:
            dies = Payload([self._session()], None, time.time())
            self._client.will_set(self._topic("NDEATH"), written_payload(dies), qos=1)
        elif self._prefix:
            self._client.will_set(f"{self._prefix}/state", b'"gone"', qos=1, retain=True)

    async def close(self) -> None:
        """Say that nobody publishes any more, and end."""
        client, self._client = self._client, None
        if client is None:
            return
        with contextlib.suppress(Exception):
            if self._prefix and self._connected:
                client.publish(f"{self._prefix}/state", b'"gone"', qos=1, retain=True)
            if self._node and self._connected:
                dies = Payload([self._session()], None, time.time())
                client.publish(self._topic("NDEATH"), written_payload(dies), qos=1)
            await asyncio.sleep(0.1)
            client.disconnect()
        await asyncio.to_thread(client.loop_stop)

    async def renew(self, values: Values) -> None:
        """Follow a list that moved on: topics and names may be others."""
        image = values.image
        tags, areas = image.texts("tag"), image.texts("area")
        topics = topics_of(self._prefix, areas, tags, image.ids.tolist())
        gone = set(self._topics) - set(topics)
        with self._lock:
            moved = topics != self._topics
            self._values, self._topics, self._names = values, topics, tags
        if moved and self._connected:
            for topic in gone if self._prefix else ():
                # An empty message takes the retained one away.
                self._publish(topic, b"", retain=True)
            await asyncio.to_thread(self._everything)

    async def give(self, points: frozenset[int]) -> None:
        """Nobody writes by MQTT."""

    async def take(self, values: Values, rows: Rows) -> None:
        """Some rows say something else."""
        if self._again.is_set():
            self._again.clear()
            await asyncio.to_thread(self._everything)
        elif self._connected:
            await asyncio.to_thread(self._put, rows)

    def says(self) -> dict[str, Any]:
        """How this door is."""
        points = len(self._topics)
        wrong = [] if self._connected else [{"point": 0, "says": self._wrong or "the broker has not answered yet"}]
        return {
            "kind": self.kind,
            "at": self._broker.shown,
            "clients": int(self._connected),
            "points": points,
            "wrong": wrong,
        }

    # In threads ----------------------------------------------------------------------------------------

    def _everything(self) -> None:
        """Tell all of it anew."""
        values = self._values
        if values is None:
            return
        rows = np.arange(len(values.image), dtype=np.int64)
        if self._prefix:
            self._publish(f"{self._prefix}/state", b'"here"', retain=True, qos=1)
            self._plain(rows)
        if self._node:
            self._birth(rows)

    def _put(self, rows: Rows) -> None:
        if self._prefix:
            self._plain(rows)
        if self._node:
            at = time.time()
            for begin in range(0, len(rows), GROUP):
                metrics = [self._metric(row, born=True) for row in rows[begin : begin + GROUP].tolist()]
                self._publish(self._topic("NDATA"), written_payload(Payload(metrics, self._next(), at)))

    def _birth(self, rows: Rows) -> None:
        """All that this node has, by name and alias (6.4.9): the first message of a session."""
        with self._lock:
            self._seq = 0
        metrics = [
            self._session(),
            # A host that came late asks by this one for all of it (6.4.9 wants it in each birth).
            Metric("Node Control/Rebirth", None, 0.0, kind=BOOLEAN_TYPE),
            *(self._metric(row, born=False) for row in rows.tolist()),
        ]
        self._publish(self._topic("NBIRTH"), written_payload(Payload(metrics, 0, time.time())))

    def _session(self) -> Metric:
        """The number by which a death belongs to its birth."""
        return Metric("bdSeq", None, float(self._births % 256), kind=INT64_TYPE)

    def _metric(self, row: int, *, born: bool) -> Metric:
        values = self._values
        assert values is not None
        rows = np.array([row])
        bad = bool(values.bad(rows)[0])
        rating = STALE if values.stale[row] or not values.read[row] else BAD if bad else GOOD
        value = math.nan if bad else float(values.value[row])
        since = float(values.since[row]) or math.nan
        alias = int(values.image.ids[row])
        if born:
            return Metric("", alias, value, rating, since)
        return Metric(self._names[row], alias, value, rating, since, values.image.text("value_unit", row))

    def _plain(self, rows: Rows) -> None:
        values = self._values
        assert values is not None
        bad = values.bad(rows)
        for row, none in zip(rows.tolist(), bad.tolist(), strict=True):
            quality = Quality.BAD if values.stale[row] else Quality(int(values.quality[row]))
            since = float(values.since[row])
            told: dict[str, Any] = {
                "value": None if none else float(values.value[row]),
                "unit": values.image.text("value_unit", row),
                "quality": QUALITY_WORDS[quality],
                "time": datetime.fromtimestamp(since, UTC).isoformat(timespec="milliseconds") if since else None,
            }
            if quality is not Quality.GOOD:
                told["why"] = reason_words(values.told(row))
            self._publish(self._topics[row], orjson.dumps(told), retain=True)

    def _publish(self, topic: str, body: bytes, *, retain: bool = False, qos: int = 0) -> None:
        client = self._client
        if client is not None and self._connected:
            client.publish(topic, body, qos=qos, retain=retain)
            self.published += 1

    def _topic(self, what: str) -> str:
        group, node = self._node if self._node else ("", "")
        return f"spBv1.0/{group}/{what}/{node}"

    def _next(self) -> int:
        with self._lock:
            self._seq = (self._seq + 1) % 256
            return self._seq

    # Of the client's thread ----------------------------------------------------------------------------

    def _on_connect(self, client: paho.Client, _: Any, __: Any, reason: Any, ___: Any) -> None:
        if reason.is_failure:
            self._told(f"the broker refuses us: {reason}")
            return
        self._connected, self._wrong = True, ""
        log.info("MQTT: %s is reached", self._broker.shown)
        if self._node:
            group, node = self._node
            client.subscribe(f"spBv1.0/{group}/NCMD/{node}", qos=1)
        # Told from the outside: this thread has to send what it would wait for.
        self._again.set()

    def _on_disconnect(self, client: paho.Client, _: Any, __: Any, reason: Any, ___: Any) -> None:
        if self._connected and self._client is not None:
            self._connected = False
            self._births += 1
            self._will()
            self._told(f"the broker was lost: {reason}")

    def _on_fail(self, client: paho.Client, _: Any) -> None:
        # The library calls this where it has caught what went wrong.
        self._told(self._why(sys.exception()))

    def _why(self, error: BaseException | None) -> str:
        """What keeps us from the broker, and what to do about a certificate that nobody trusts."""
        at = self._broker.shown
        if isinstance(error, AnotherCertificateError):
            return f"{at} shows {error.args[0]}"
        if isinstance(error, ssl.SSLCertVerificationError):
            with contextlib.suppress(OSError, ValueError):
                there = (self._broker.host, self._broker.port)
                shows = fingerprint(ssl.PEM_cert_to_DER_cert(ssl.get_server_certificate(there, timeout=4.0)))
                return (
                    f"the certificate of {at} is not trusted ({error.verify_message}): SHA-256 {shows}; if it is its own, write"
                    f" {at}?trusted={shows}"
                )
        broken_off = isinstance(error, ConnectionError) and not isinstance(error, ConnectionRefusedError)
        if isinstance(error, ssl.SSLError) or (self._broker.protected and broken_off):
            return f"{at} does not speak TLS, or not as we do"
        return f"nothing answers at {at}"

    def _told(self, says: str) -> None:
        """In the log once, until it is something else."""
        if says != self._wrong:
            self._wrong = says
            log.warning("MQTT: %s", says)

    def _on_message(self, client: paho.Client, _: Any, message: Any) -> None:
        """Somebody asks for all of it anew (6.4.3, Node Control/Rebirth); nothing else is obeyed."""
        with contextlib.suppress(NonsenseError):
            asked = read_payload(message.payload)
            if any(m.name == "Node Control/Rebirth" and m.value == 1.0 for m in asked.metrics):
                self._again.set()


def topics_of(prefix: str, areas: Sequence[str], tags: Sequence[str], ids: Sequence[int]) -> list[str]:
    """A topic a point. Where two would share one, as “A/B” and “A_B” do, each has its number behind it: nobody hears two points
    under one name."""
    plain = [f"{prefix}/{_level(area) or 'no area'}/{_level(tag)}" for area, tag in zip(areas, tags, strict=True)]
    shared = Counter(plain)
    return [name if shared[name] == 1 else f"{name} ({point})" for name, point in zip(plain, ids, strict=True)]


def _level(name: str) -> str:
    """A name as one level of a topic."""
    return name.translate(_FORBIDDEN).strip()
