"""Payloads of Sparkplug B (Eclipse Sparkplug 3.0, chapter 6): its messages, and its metrics as numbers.

The messages are made of the specification's table of fields; what nobody here reads, such as data sets and templates,
is left out of it and passed over.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

from google.protobuf import descriptor_pb2, descriptor_pool, message_factory
from google.protobuf.message import DecodeError

from canaleta.racks.named import BAD, GOOD, number_of

__all__ = [
    "BOOLEAN_TYPE",
    "DOUBLE_TYPE",
    "INT64_TYPE",
    "STALE",
    "Metric",
    "NonsenseError",
    "Payload",
    "read_payload",
    "written_payload",
]

_SIGNED = {1: 8, 2: 16, 3: 32, 4: 64}
"""Data types Int8 to Int64 (6.4.16): bits; they come as two's complement in a field without a sign."""
DOUBLE_TYPE, BOOLEAN_TYPE, INT64_TYPE = 10, 11, 4
GOOD_QUALITY = 192
"""Of the property Quality (6.4.19): 0 is bad, 500 stale."""
STALE = 3
"""A rating of ours beside those of named.py: nobody knows any more."""
_STALE_QUALITY = 500


class NonsenseError(ValueError):
    """A payload that is none."""


@dataclass(frozen=True)
class Metric:
    """One metric. name: "" where an alias stands for it, alias: None where none does. value: NaN where it is no number.
    at: s since 1970, NaN for none. unit: told as a property, "" for none. kind: the data type in which it is written (6.4.16)."""

    name: str
    alias: int | None
    value: float
    rating: int = GOOD
    at: float = math.nan
    unit: str = ""
    kind: int = 10


@dataclass(frozen=True)
class Payload:
    """One message. seq: its number, None for none; at: s since 1970."""

    metrics: list[Metric] = field(default_factory=list)
    seq: int | None = None
    at: float = math.nan


def _messages() -> tuple[Any, Any]:
    kinds = descriptor_pb2.FieldDescriptorProto
    file = descriptor_pb2.FileDescriptorProto(name="sparkplug_b.proto", package="canaleta.sparkplug", syntax="proto2")

    def message(name: str, fields: list[tuple[str, int, int, str]], several: tuple[str, ...] = ()) -> None:
        made = file.message_type.add(name=name)
        for called, number, kind, of in fields:
            made.field.add(
                name=called,
                number=number,
                type=kind,
                type_name=f".canaleta.sparkplug.{of}" if of else None,
                label=kinds.LABEL_REPEATED if called in several else kinds.LABEL_OPTIONAL,
            )

    message(
        "PropertyValue",
        [
            ("type", 1, kinds.TYPE_UINT32, ""),
            ("is_null", 2, kinds.TYPE_BOOL, ""),
            ("int_value", 3, kinds.TYPE_UINT32, ""),
            ("long_value", 4, kinds.TYPE_UINT64, ""),
            ("string_value", 8, kinds.TYPE_STRING, ""),
        ],
    )
    message(
        "PropertySet",
        [("keys", 1, kinds.TYPE_STRING, ""), ("values", 2, kinds.TYPE_MESSAGE, "PropertyValue")],
        ("keys", "values"),
    )
    message(
        "Metric",
        [
            ("name", 1, kinds.TYPE_STRING, ""),
            ("alias", 2, kinds.TYPE_UINT64, ""),
            ("timestamp", 3, kinds.TYPE_UINT64, ""),
            ("datatype", 4, kinds.TYPE_UINT32, ""),
            ("is_historical", 5, kinds.TYPE_BOOL, ""),
            ("is_null", 7, kinds.TYPE_BOOL, ""),
            ("properties", 9, kinds.TYPE_MESSAGE, "PropertySet"),
            ("int_value", 10, kinds.TYPE_UINT32, ""),
            ("long_value", 11, kinds.TYPE_UINT64, ""),
            ("float_value", 12, kinds.TYPE_FLOAT, ""),
            ("double_value", 13, kinds.TYPE_DOUBLE, ""),
            ("boolean_value", 14, kinds.TYPE_BOOL, ""),
            ("string_value", 15, kinds.TYPE_STRING, ""),
        ],
    )
    message(
        "Payload",
        [
            ("timestamp", 1, kinds.TYPE_UINT64, ""),
            ("metrics", 2, kinds.TYPE_MESSAGE, "Metric"),
            ("seq", 3, kinds.TYPE_UINT64, ""),
        ],
        ("metrics",),
    )
    pool = descriptor_pool.DescriptorPool()
    pool.Add(file)
    of = pool.FindMessageTypeByName("canaleta.sparkplug.Payload")
    return message_factory.GetMessageClass(of), of


_Payload, _ = _messages()
_VALUES = ("int_value", "long_value", "float_value", "double_value", "boolean_value", "string_value")


def read_payload(data: bytes) -> Payload:
    """A message. What was kept and sent later is left out: it says nothing of now. Raises NonsenseError."""
    try:
        told = _Payload.FromString(data)
    except DecodeError as error:
        raise NonsenseError("no payload of Sparkplug B") from error
    metrics = [_metric(m) for m in told.metrics if not m.is_historical]
    at = told.timestamp / 1000.0 if told.HasField("timestamp") else math.nan
    return Payload(metrics, int(told.seq) if told.HasField("seq") else None, at)


def _metric(told: Any) -> Metric:
    value = math.nan
    if not told.is_null:
        which = next((name for name in _VALUES if told.HasField(name)), None)
        if which is not None:
            value = number_of(getattr(told, which))
            bits = _SIGNED.get(told.datatype)
            # An Int8 of −1 comes as 255 from some and as 4294967295 from others: its own bits tell it.
            if bits and which in ("int_value", "long_value"):
                whole = int(getattr(told, which)) & ((1 << bits) - 1)
                value = float(whole - (1 << bits) if whole >> (bits - 1) else whole)
    rating = GOOD
    for key, given in zip(told.properties.keys, told.properties.values, strict=False):
        if key.lower() == "quality" and given.HasField("int_value") and given.int_value != GOOD_QUALITY:
            rating = BAD
    return Metric(
        told.name,
        int(told.alias) if told.HasField("alias") else None,
        value,
        rating,
        told.timestamp / 1000.0 if told.HasField("timestamp") else math.nan,
    )


def written_payload(payload: Payload) -> bytes:
    """A message as bytes, of whoever publishes it."""
    out = _Payload(timestamp=0 if math.isnan(payload.at) else int(payload.at * 1000))
    if payload.seq is not None:
        out.seq = payload.seq
    for metric in payload.metrics:
        one = out.metrics.add(datatype=metric.kind)
        if metric.name:
            one.name = metric.name
        if metric.alias is not None:
            one.alias = metric.alias
        if math.isnan(metric.value):
            one.is_null = True
        elif metric.kind == BOOLEAN_TYPE:
            one.boolean_value = bool(metric.value)
        elif metric.kind == INT64_TYPE:
            one.long_value = int(metric.value)
        else:
            one.double_value = metric.value
        if not math.isnan(metric.at):
            one.timestamp = int(metric.at * 1000)
        if metric.rating != GOOD:
            one.properties.keys.append("Quality")
            one.properties.values.add(type=3, int_value=_STALE_QUALITY if metric.rating == STALE else 0)
        if metric.unit:
            one.properties.keys.append("unit")
            one.properties.values.add(type=12, string_value=metric.unit)
    return bytes(out.SerializeToString())


def rebirth() -> bytes:
    """What asks a node to tell all of itself anew (6.4.3, Node Control/Rebirth)."""
    out = _Payload(timestamp=0)
    out.metrics.add(name="Node Control/Rebirth", datatype=BOOLEAN_TYPE, boolean_value=True)
    return bytes(out.SerializeToString())
