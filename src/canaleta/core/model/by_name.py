"""Names of values at a rack that has no registers: nodes of an OPC UA server, topics of an MQTT broker.

A node is written as OPC UA does it (OPC 10000-6, 5.3.1.10: `ns=2;s=Press.TT-101`). A topic is written as it stands
(MQTT 5.0, 4.7); where its payload is JSON, a JSON Pointer behind # says which part (RFC 6901, 6: `press/3/state#/tt/0`).
A metric of Sparkplug B stands behind the topic of its node or device, without the word for the kind of message:
`spBv1.0/Vallroja/press-3/io#Inputs/TT-101`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.text import TextError

__all__ = [
    "MOST_NAME",
    "SECURITIES",
    "SPARKPLUG",
    "Security",
    "TopicName",
    "pointed",
    "read_name",
    "topic_of",
]

Security = Literal[
    "none",
    "Basic256Sha256, signed",
    "Basic256Sha256, encrypted",
    "Aes128_Sha256_RsaOaep, encrypted",
    "Aes256_Sha256_RsaPss, encrypted",
    "TLS",
]
"""How a connection is protected: security policies of OPC UA by their names (OPC 10000-7), or TLS below MQTT."""
SECURITIES: tuple[Security, ...] = get_args(Security)
MOST_NAME = 400
SPARKPLUG = "spBv1.0"

_NODE = compiled(
    r"(?:ns=([0-9]{1,5});)?"
    r"(?:i=([0-9]{1,10})|s=(.{1,400})|g=([0-9A-Fa-f]{8}(?:-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12})|b=([A-Za-z0-9+/]{1,400}={0,2}))"
)
_DIGITS = compiled(r"[0-9]+")


@dataclass(frozen=True)
class TopicName:
    """A value that a broker brings. pointer: where in a JSON payload, "" for the whole of it. metric: of Sparkplug B, "" for
    a plain topic, whose parts are then group, node and perhaps device."""

    topic: str
    pointer: str = ""
    metric: str = ""

    def __str__(self) -> str:
        behind = self.metric or self.pointer
        return f"{self.topic}#{behind}" if behind else self.topic


def read_name(link: str, text: str) -> str:
    """A name as typed, as it is written here; "" for none. Raises TextError."""
    typed = text.strip()
    if not typed:
        return ""
    if len(typed) > MOST_NAME:
        raise TextError(f"“{typed[:40]}…”: a name has {MOST_NAME} characters at most")
    return _node(typed) if link == "OPC UA" else str(topic_of(typed))


def _node(typed: str) -> str:
    found = _NODE.fullmatch(typed)
    if not found:
        raise TextError(f"“{typed[:60]}” is no node: write it as ns=2;s=Press.TT-101, or ns=2;i=1042")
    if int(found[1] or 0) > 65_535 or int(found[2] or 0) > 4_294_967_295:
        raise TextError(f"“{typed[:60]}”: a namespace is 65535 at most, and a number of a node 4294967295")
    return typed.removeprefix("ns=0;")


def topic_of(typed: str) -> TopicName:
    """A topic and where in its payload the value is. Raises TextError."""
    topic, mark, behind = typed.strip().partition("#")
    if not topic or (mark and not behind) or "+" in topic or "\0" in topic:
        raise TextError(f"“{typed[:60]}” is no topic: write it as press/3/temperature, without + and #")
    if topic.startswith(SPARKPLUG + "/"):
        parts = topic.split("/")
        if len(parts) not in (3, 4) or not all(parts) or not behind:
            raise TextError(f"“{typed[:60]}”: a metric is written as {SPARKPLUG}/group/node/device#metric")
        return TopicName(topic, metric=behind)
    if behind and not behind.startswith("/"):
        raise TextError(f"“{typed[:60]}”: behind # stands where in the payload the value is: #/temperatures/0")
    return TopicName(topic, pointer=behind)


def pointed(document: object, pointer: str) -> object:
    """The part of a JSON document that a pointer names (RFC 6901, 4). Raises LookupError if it has none."""
    part = document
    for token in pointer.split("/")[1:]:
        name = token.replace("~1", "/").replace("~0", "~")
        if isinstance(part, list):
            if not _DIGITS.fullmatch(name) or len(name) > 9:
                raise LookupError(name)
            part = part[int(name)]
        elif isinstance(part, dict):
            part = part[name]
        else:
            raise LookupError(name)
    return part
