"""Alarms as OPC UA tells them (OPC 10000-9): the condition that each kind is, its states, its limit; those that are open, and
what they did before.

A level is a condition of its own with its own acknowledgement, so each is an ExclusiveLevelAlarm that has this one limit.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from asyncua import ua
from asyncua.common import event_objects
from asyncua.ua.object_ids import ObjectIds

from canaleta.core.live.alarms import WORDS, State
from canaleta.serving.tree import named, point_node, std

__all__ = ["Alarm", "Journal", "Line", "Place", "event_of", "read_place", "written_place"]

SEVERITIES = {"low": 250, "medium": 500, "high": 750, "journal only": 1}
_PLACE = struct.Struct("<dq")
_LATEST = 253_402_300_000.0
"""The end of the year 9999: no time of ours is beyond."""
_LIMITS = {
    "hh": ("HighHighLimit", "HighHigh", ObjectIds.ExclusiveLimitStateMachineType_HighHigh),
    "h": ("HighLimit", "High", ObjectIds.ExclusiveLimitStateMachineType_High),
    "l": ("LowLimit", "Low", ObjectIds.ExclusiveLimitStateMachineType_Low),
    "ll": ("LowLowLimit", "LowLow", ObjectIds.ExclusiveLimitStateMachineType_LowLow),
}
"""{kind: (its limit, its state, the state's node)} (OPC 10000-9, 5.8.12 and 5.8.19)."""
_KINDS = {
    **dict.fromkeys(_LIMITS, event_objects.ExclusiveLevelAlarm),
    "state": event_objects.OffNormalAlarm,
    "fault": event_objects.InstrumentDiagnosticAlarm,
}
"""What condition each kind is; a deviation and a rate say nothing of which side, and are alarms like any."""
_ACTIVE = (WORDS[State.UNACKNOWLEDGED], WORDS[State.ACKNOWLEDGED])
_WAITS = (WORDS[State.UNACKNOWLEDGED], WORDS[State.RETURNED], WORDS[State.LATCHED])


@dataclass(frozen=True)
class Alarm:
    """An alarm as clients are told of it. kind: see core.live.alarms.KINDS; state: as recorded; says: what it is, in words;
    limit: in the point's unit, None where the kind has none."""

    point: int
    kind: str
    state: str
    active: bool
    priority: str
    since: datetime
    says: str
    limit: float | None = None

    @classmethod
    def recorded(cls, point: int, kind: str, becomes: str, priority: str, at: datetime, says: str) -> Alarm:
        """One of the journal's lines: whether it was active its state says. What its limit was then nobody knows any more."""
        return cls(point, kind, becomes, becomes in _ACTIVE, priority, at, says)


@dataclass(frozen=True)
class Line:
    """A line of the journal. number: its own."""

    number: int
    alarm: Alarm

    @property
    def place(self) -> Place:
        """Where it stands, to go on from there."""
        return self.alarm.since.timestamp(), self.number


Place = tuple[float, int]
"""(time, number) of a line of the journal, s since 1970."""
Journal = Callable[[float, float, Place | None, int, bool], Sequence[Line]]
"""Lines between two times, s since 1970, behind a place; how many at most; whether backwards."""


def written_place(place: Place) -> bytes:
    """A place as a client is told of it."""
    return _PLACE.pack(*place)


def read_place(given: bytes) -> Place | None:
    """A place as it was told; None where it never was."""
    if len(given) != _PLACE.size:
        return None
    at, number = _PLACE.unpack(given)
    return (at, number) if 0.0 <= at < _LATEST and number > 0 else None


def event_of(alarm: Alarm, tag: str, *, retain: bool) -> Any:
    """An alarm as an event. retain: whether somebody must still look at it."""
    made: Any = _KINDS.get(alarm.kind, event_objects.AlarmCondition)
    event: Any = made()
    key = f"alarm {alarm.point} {alarm.kind}"
    event.emitting_node = std(ObjectIds.Server)
    event.EventType = std(event.EventType.Identifier)
    event.EventId = f"{key} {alarm.since.isoformat()} {alarm.state}".encode()
    event.SourceNode, event.SourceName = point_node(alarm.point), tag
    event.InputNode = point_node(alarm.point)
    event.add_property("NodeId", named(key), ua.VariantType.NodeId)
    event.ConditionName = alarm.kind.upper()
    event.ConditionClassId = std(ObjectIds.ProcessConditionClassType)
    event.Time = alarm.since
    event.ReceiveTime = datetime.now(UTC)
    event.Message = ua.LocalizedText(f"{tag}: {alarm.says}, {alarm.state}" if alarm.says else f"{tag}: {alarm.state}")
    event.Severity = SEVERITIES.get(alarm.priority, 250)
    event.Retain = retain
    event.Quality = ua.StatusCode()
    _state(event, "EnabledState", True, "Enabled", "Disabled")
    _state(event, "ActiveState", alarm.active, "Active", "Inactive")
    _state(event, "AckedState", alarm.state not in _WAITS, "Acknowledged", "Unacknowledged")
    shelved, suppressed, out = (
        alarm.state == WORDS[state] for state in (State.SHELVED, State.SUPPRESSED, State.OUT_OF_SERVICE)
    )
    _state(event, "SuppressedState", suppressed, "Suppressed", "Unsuppressed")
    _state(event, "OutOfServiceState", out, "Out of service", "In service")
    event.SuppressedOrShelved = shelved or suppressed or out
    if alarm.kind in _LIMITS:
        limit, state, node = _LIMITS[alarm.kind]
        if alarm.limit is not None:
            setattr(event, limit, alarm.limit)
        event.add_variable("LimitState/CurrentState", None, ua.VariantType.LocalizedText)
        event.add_property("LimitState/CurrentState/Id", None, ua.VariantType.NodeId)
        if alarm.active:
            setattr(event, "LimitState/CurrentState", ua.LocalizedText(state))
            setattr(event, "LimitState/CurrentState/Id", std(node))
    return event


def _state(event: Any, name: str, on: bool, yes: str, no: str) -> None:
    setattr(event, name, ua.LocalizedText(yes if on else no))
    setattr(event, f"{name}/Id", on)
