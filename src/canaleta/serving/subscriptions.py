"""What asyncua does when a value changes, made cheaper and right.

As shipped each monitored item keeps a deep copy of each value; nobody changes a value of ours in place, so it is kept as it is,
and its bytes are made once for all clients: bench/served.py, docs/decisions/0037. And a deadband is
held against the value before it, so that a slow ramp never passes it; by the standard (OPC 10000-4, 7.22.2) it is held against
the value that was told last.
"""

from __future__ import annotations

import logging
import struct
from collections.abc import Callable
from datetime import UTC, datetime
from functools import lru_cache, partial
from typing import Any

from asyncua import ua
from asyncua.server import internal_subscription, monitored_item_service
from asyncua.server.address_space import AttributeValue
from asyncua.server.monitored_item_service import MonitoredItemService
from asyncua.ua import ua_binary
from asyncua.ua.attribute_ids import AttributeIds
from asyncua.ua.object_ids import ObjectIds

from canaleta.core.notation.patterns import compiled, escaped
from canaleta.serving.tree import std

__all__ = ["Told", "install", "put", "where"]

_quiet = logging.getLogger("asyncua.server")
"""What a client's filter cannot do is the client's matter: it fills no log of ours, an event at a time."""
_SUBTYPE = std(ObjectIds.HasSubtype)

_EPOCH_S = 11_644_473_600
"""From 1601, where the standard's time begins, to 1970."""
_HEAD, _TIME = struct.Struct("<BB"), struct.Struct("<Iqq")
_DOUBLE, _BOOLEAN = struct.Struct("<d"), struct.Struct("<?")


class Told(ua.DataValue):
    """A value with its bytes as they go to every client (OPC 10000-6, 5.2.2.17)."""

    __slots__ = ("encoded",)
    encoded: bytes

    @classmethod
    def of(cls, value: float | bool | None, status: ua.StatusCode, since: float, now: float) -> Told:
        """A double, a boolean or nothing. since, now: s since 1970."""
        at = datetime.fromtimestamp(since, UTC)
        variant = _NOTHING
        if isinstance(value, bool):
            body = _HEAD.pack(0x0F, 1) + _BOOLEAN.pack(value)
            variant = _TRUTH[value]
        elif value is not None:
            body = _HEAD.pack(0x0F, 11) + _DOUBLE.pack(value)
            variant = ua.Variant(value, ua.VariantType.Double)
        else:
            body = _HEAD.pack(0x0F, 0)
        out = cls(variant, status, at, datetime.fromtimestamp(now, UTC))  # type: ignore[arg-type]
        times = (round((moment + _EPOCH_S) * 1e7) for moment in (since, now))
        out.encoded = body + _TIME.pack(status.value, *times)
        return out


_NOTHING = ua.Variant(None, ua.VariantType.Null)
_TRUTH = {on: ua.Variant(on, ua.VariantType.Boolean) for on in (False, True)}


async def put(node: AttributeValue, value: ua.DataValue) -> None:
    """Give a node a value, and tell whoever watches it."""
    node.value = value
    for handle, tell in list(node.datachange_callbacks.items()):
        await tell(handle, value)


class _Watched(MonitoredItemService):
    """Monitored items of one subscription."""

    async def datachange_callback(self, handle: int, value: ua.DataValue, error: ua.StatusCode | None = None) -> None:
        """A node says something else: told, unless the item's filter holds it back."""
        if error is not None:
            # One node is gone: that is said of this node, and not of all that the client watches.
            value = ua.DataValue(_NOTHING, error)
        number = self._monitored_datachange[handle]
        item = self._monitored_items[number]
        if item.mode == ua.MonitoringMode.Disabled:
            return
        told = item.mvalue.current_dvalue
        if told is not None and not _passes(self, item, told, value):
            return
        item.mvalue.old_dvalue, item.mvalue.current_dvalue = told, value
        event = ua.MonitoredItemNotification()
        event.ClientHandle = item.client_handle
        event.Value = value
        await self.isub.enqueue_datachange_event(number, event, item.queue_size)


def _passes(service: MonitoredItemService, item: Any, told: ua.DataValue, value: ua.DataValue) -> bool:
    """Whether a value is told after one that was."""
    if told.StatusCode is not value.StatusCode and told.StatusCode != value.StatusCode:
        return True
    trigger = item.filter.Trigger if item.filter else ua.DataChangeTrigger.StatusValue
    if trigger == ua.DataChangeTrigger.Status:
        return False
    if trigger == ua.DataChangeTrigger.StatusValueTimestamp and told.SourceTimestamp != value.SourceTimestamp:
        return True
    before = told.Value.Value if told.Value is not None else None
    now = value.Value.Value if value.Value is not None else None
    if before == now:
        return False
    if not item.filter or item.filter.DeadbandType == ua.DeadbandType.None_:
        return True
    if not isinstance(before, float) or not isinstance(now, float):
        return True
    width = float(item.filter.DeadbandValue)
    if item.filter.DeadbandType == ua.DeadbandType.Percent:
        span = _span(service, item.read_value_id.NodeId)
        if span is None:
            return True
        width *= span / 100.0
    return abs(now - before) > width


def _span(service: MonitoredItemService, node: ua.NodeId) -> float | None:
    """The width of a node's EURange, which percent are of; None where it has none."""
    data = service.aspace.get(node)
    for ref in data.references if data else []:
        if ref.BrowseName.Name == "EURange":
            value = service.aspace.read_attribute_value(ref.NodeId, AttributeIds.Value)
            eu = value.Value.Value if value.Value is not None else None
            return float(eu.High - eu.Low) if eu is not None else None
    return None


class _Where(monitored_item_service.WhereClauseEvaluator):
    """What of a client's filter the library takes too narrowly: a type is also those below it, and texts may be like others
    (OPC 10000-4, 7.7.3)."""

    def _eval_el(self, index: int, event: Any) -> Any:
        element = self.elements[index]
        if element.FilterOperator != ua.FilterOperator.OfType:
            return super()._eval_el(index, event)
        wanted = self._eval_op(element.FilterOperands[0], event)
        kind: ua.NodeId | None = event.EventType
        while kind is not None and kind != wanted:
            data = self._aspace.get(kind)
            above = (
                [r.NodeId for r in data.references if r.ReferenceTypeId == _SUBTYPE and not r.IsForward]
                if data
                else []
            )
            kind = above[0] if above else None
        return kind is not None

    def _like_operator(self, string: str, pattern: str) -> bool:
        return bool(_liked(pattern).fullmatch(str(string)))


@lru_cache(maxsize=100)
def _liked(pattern: str) -> Any:
    """A pattern of the standard: % any text, _ one character, [..] some characters, [^..] none of them, \\ the next as it is."""
    out, rest = "", iter(pattern)
    for one in rest:
        if one == "[":
            some = "".join(iter(partial(next, rest, "]"), "]"))
            less = some.startswith("^")
            out += f"[{'^' if less else ''}{escaped(some[less:]).replace(chr(92) + '-', '-')}]" if some[less:] else ""
        else:
            out += {"%": ".*", "_": "."}.get(one) or escaped(next(rest, "") if one == "\\" else one)
    return compiled(f"(?s){out}")


def where(space: Any, clause: ua.ContentFilter) -> Callable[[Any], bool]:
    """What of events a client wants, by its filter."""
    of = _Where(_quiet, space, clause)
    return of.eval


_installed: list[bool] = []


def install() -> None:
    """From now on subscriptions of this process watch so."""
    inner = ua_binary.create_dataclass_serializer

    def serializer(of: type) -> Any:
        return (lambda told: told.encoded) if of is Told else inner(of)

    if not _installed:
        _installed.append(True)
        setattr(ua_binary, "create_dataclass_serializer", serializer)  # noqa: B010
    setattr(monitored_item_service, "WhereClauseEvaluator", _Where)  # noqa: B010
    setattr(internal_subscription, "MonitoredItemService", _Watched)  # noqa: B010 - it is no part of what they export
