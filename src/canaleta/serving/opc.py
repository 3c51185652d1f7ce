"""OPC UA: the plant's tree of areas and loops, of cabinets and racks, each point once, by asyncua.

A point's node is its number in the plant, so that a client's list outlives a tag that is corrected. What it says carries the
status that our quality is, and the time at which it came to be so.
"""

from __future__ import annotations

import asyncio
import dataclasses
import logging
import math
import tempfile
import time
from collections.abc import Awaitable, Callable, Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from asyncua import ua
from asyncua.crypto.permission_rules import UserRole
from asyncua.server.address_space import AttributeService, AttributeValue
from asyncua.server.history import HistoryManager, HistoryStorageInterface
from asyncua.server.server import Server
from asyncua.ua.attribute_ids import AttributeIds
from asyncua.ua.object_ids import ObjectIds
from asyncua.ua.status_codes import StatusCodes
from asyncua.ua.uaerrors import UaError

from canaleta.certificates import Certificate
from canaleta.core.live.alarms import WORDS, State
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.units import unece_code
from canaleta.core.sheet.follows import followed_by
from canaleta.core.signals.signal_types import Family
from canaleta.serving import subscriptions
from canaleta.serving.conditions import Alarm, Journal, event_of, read_place, written_place
from canaleta.serving.people import Doorkeeper
from canaleta.serving.statuses import status_of
from canaleta.serving.subscriptions import Told, put
from canaleta.serving.tree import NS, Tree, std
from canaleta.serving.values import Values

__all__ = ["APPLICATION", "NAMESPACE", "OpcDoor", "unit_id"]

log = logging.getLogger("serve")
for _name in ("asyncua", "asyncua.server", "asyncua.common"):
    logging.getLogger(_name).setLevel(logging.CRITICAL)
NAMESPACE = "urn:canaleta:plant"
APPLICATION = "urn:canaleta:server"
UNECE = "http://www.opcfoundation.org/UA/units/un/cefact"
MOST_CLIENTS, MOST_SUBSCRIPTIONS, MOST_QUEUED, MOST_UNACKED = 100, 400, 10, 20
AT_ONCE = 500
"""Nodes that are made, values that are put, before others have their turn."""
MOST_HISTORY, MOST_EVENTS, AT_ONCE_PAST = 10_000, 2_000, 20

_READ = int(ua.AccessLevel.CurrentRead.mask | ua.AccessLevel.HistoryRead.mask)
_WRITE = _READ | int(ua.AccessLevel.CurrentWrite.mask)
_DOUBLE, _BOOLEAN = (std(number) for number in (ObjectIds.Double, ObjectIds.Boolean))
SECURED = [
    ua.SecurityPolicyType.Basic256Sha256_SignAndEncrypt,
    ua.SecurityPolicyType.Basic256Sha256_Sign,
    ua.SecurityPolicyType.Aes128Sha256RsaOaep_SignAndEncrypt,
    ua.SecurityPolicyType.Aes256Sha256RsaPss_SignAndEncrypt,
]
Write = Callable[[int, float, str], Awaitable[bool]]
History = Callable[[int, float, float], "list[tuple[float, float, int]]"]
"""(time, value, quality) of a point's readings between two times, s since 1970."""


@dataclass(frozen=True)
class _Said:
    """What a point's node is made of: another one is made where this changes."""

    tag: str
    service: str
    area: str
    loop: str
    cabinet: str
    rack: str
    contact: bool
    unit: str
    low: float | None
    high: float | None
    device_low: float | None
    device_high: float | None
    words: tuple[str, str]

    @property
    def folders(self) -> list[tuple[str, tuple[str, str]]]:
        """(name, (parent, title)) of the folders that it stands in, from the top down."""
        area = f"area {self.area}"
        out = [(area, ("areas", self.area))]
        if self.loop:
            out.append((f"loop {self.area}/{self.loop}", (area, self.loop)))
        if self.cabinet:
            cabinet = f"cabinet {self.cabinet}"
            out.append((cabinet, ("cabinets", self.cabinet)))
            out.append((f"rack {self.cabinet}/{self.rack}", (cabinet, self.rack)))
        return out

    @property
    def parents(self) -> list[str]:
        """Those that hold it: its loop, or its area; its rack."""
        names = [name for name, _ in self.folders]
        return [names[1] if self.loop else names[0], *(names[-1:] if self.cabinet else [])]


def unit_id(common: str) -> int:
    """The number of a UNECE common code: its letters as bytes (OPC 10000-8, 5.6.3)."""
    return int.from_bytes(common.encode("ascii"), "big")


class OpcDoor:
    """A server at one address. open_to_all: whether anybody may read, without protection as well. write: what a write to a point
    that was given away does; history: what was read of a point; journal: what alarms did."""

    kind = "OPC UA"

    def __init__(
        self, host: str, port: int, own: Certificate, keeper: Doorkeeper, write: Write, history: History,
        journal: Journal, *, open_to_all: bool = False, plant: str = "Plant",
    ) -> None:  # fmt: skip
        self._host, self._port, self._own, self._keeper = host, port, own, keeper
        self._write, self._open, self._plant = write, open_to_all, plant
        self._history, self._journal = _Readings(history), journal
        self._server: Server | None = None
        self._said: dict[int, _Said] = {}
        self._tree: Tree | None = None
        self._nodes: dict[int, AttributeValue] = {}
        self._ids: np.ndarray[Any, np.dtype[np.int64]] = np.empty(0, np.int64)
        self._given: frozenset[int] = frozenset()
        self._alarms: dict[tuple[int, str], Alarm] = {}
        self._conditions: dict[tuple[int, str], Any] = {}

    async def open(self, values: Values) -> None:
        """Build the tree and listen. Raises OSError if the address is taken."""
        subscriptions.install()
        server = Server(user_manager=self._keeper)
        inner = server.iserver
        inner.allow_remote_admin = False
        inner.bind_condition_methods = True
        inner.max_connections = MOST_CLIENTS
        inner.max_subscriptions = MOST_SUBSCRIPTIONS
        inner.max_unacked_messages_per_subscription = MOST_UNACKED
        inner.max_monitored_item_queue_size = MOST_QUEUED
        inner.max_pending_activation_seconds = 10.0
        # A client that subscribes to everything and fetches nothing is let go before what waits for it fills the memory.
        inner.max_lifetime_count, inner.max_keep_alive_count = 600, 100
        inner.certificate_validator = self._keeper.certificate
        inner.history_manager = _History(self, inner)
        inner.history_manager.set_storage(self._history)
        await server.init()
        server.set_endpoint(f"opc.tcp://{_bracketed(self._host)}:{self._port}")
        server.set_server_name(f"Canaleta: {self._plant}")
        server.product_uri = "urn:canaleta"
        server.manufacturer_name = "Canaleta"
        await server.set_application_uri(APPLICATION)
        server.set_security_policy([*SECURED, *([ua.SecurityPolicyType.NoSecurity] if self._open else [])])
        tokens = [ua.UserNameIdentityToken, *([ua.AnonymousIdentityToken] if self._open else [])]
        server.set_identity_tokens(tokens)
        with tempfile.TemporaryDirectory() as folder:
            for name, text in (("own.pem", self._own.certificate), ("key.pem", self._own.key)):
                path = Path(folder) / name
                path.touch(0o600)
                path.write_text(text, encoding="ascii")
            await server.load_certificate(str(Path(folder) / "own.pem"))
            await server.load_private_key(str(Path(folder) / "key.pem"))
        await server.register_namespace(NAMESPACE)
        await server.nodes.server.set_event_notifier(
            [ua.EventNotifier.SubscribeToEvents, ua.EventNotifier.HistoryRead]
        )
        inner.attribute_service = _Attributes(self, inner.aspace)
        self._server, self._tree, self._nodes, self._said = server, Tree(inner.aspace), {}, {}
        await self.renew(values)
        try:
            await server.start()
        except BaseException:
            self._server = None
            raise

    async def close(self) -> None:
        """End every session."""
        server, self._server = self._server, None
        if server is not None:
            await server.stop()

    def says(self) -> dict[str, Any]:
        """How this door is."""
        inner = self._server.iserver if self._server else None
        return {
            "kind": self.kind,
            "at": f"opc.tcp://{_bracketed(self._host)}:{self._port}",
            "clients": len(inner._external_sessions) if inner else 0,
            "points": len(self._said),
            "refused": self._keeper.refused,
            "open": self._open,
            "wrong": [],
        }

    # The tree ------------------------------------------------------------------------------------------

    async def renew(self, values: Values) -> None:
        """Follow a list that moved on. Whoever watches a point that is described otherwise goes on watching it."""
        assert self._tree is not None
        assert self._server is not None
        space = self._server.iserver.aspace
        before, said = self._said, _said(values.image)
        self._ids = values.image.ids
        gone = [point for point, what in before.items() if said.get(point) != what]
        for at in range(0, len(gone), AT_ONCE):
            left = [point for point in gone[at : at + AT_ONCE] if point not in said]
            # Whoever watches what is gone is told before it goes.
            for node in [self._nodes[point] for point in left]:
                for handle, tell in list(node.datachange_callbacks.items()):
                    await tell(handle, None, _status(int(StatusCodes.BadNodeIdUnknown)))
                    space.delete_datachange_callback(handle)
            self._tree.drop(left)
            for point in left:
                del self._nodes[point]
            moved = [point for point in gone[at : at + AT_ONCE] if point in said]
            kept = dict(zip(moved, self._tree.drop(moved), strict=True))
            self._tree.keep(kept)
            await asyncio.sleep(0)
        new = [(point, what) for point, what in said.items() if before.get(point) != what]
        for name, title in (("areas", "Areas"), ("cabinets", "Cabinets")):
            self._tree.folder(name, title, "")
        for count, (point, what) in enumerate(new):
            for name, (parent, title) in what.folders:
                self._tree.folder(name, title, parent)
            kind = ObjectIds.TwoStateDiscreteType if what.contact else ObjectIds.AnalogUnitRangeType
            data = ObjectIds.Boolean if what.contact else ObjectIds.Double
            access = _WRITE if point in self._given else _READ
            self._nodes[point] = self._tree.variable(
                point, what.tag, what.service, kind, data, what.parents, access, _properties(what)
            )
            if count % AT_ONCE == AT_ONCE - 1:
                await asyncio.sleep(0)
        self._tree.empty_folders({name for point in gone for name, _ in reversed(before[point].folders)})
        self._said = said
        await self.take(values, np.arange(len(values.image), dtype=np.int64))

    # Values --------------------------------------------------------------------------------------------

    async def take(self, values: Values, rows: Rows) -> None:
        """Some rows say something else."""
        if self._server is None:
            return
        now = time.time()
        for count, row in enumerate(rows.tolist()):
            point = int(self._ids[row])
            node = self._nodes.get(point)
            if node is not None:
                await put(node, _value(values, row, self._said[point].contact, now))
            if count % AT_ONCE == AT_ONCE - 1:
                await asyncio.sleep(0)

    # Writing -------------------------------------------------------------------------------------------

    async def give(self, points: frozenset[int]) -> None:
        """Which points may be written."""
        assert self._tree is not None
        for point in self._given ^ points:
            self._tree.allow(point, _WRITE if point in points else _READ)
        self._given = points

    async def written(self, one: ua.WriteValue, user: Any) -> ua.StatusCode | None:
        """A client's write to a point's value; None for anything else, which the library refuses."""
        node = one.NodeId
        if one.AttributeId != AttributeIds.Value or node.NamespaceIndex != NS or not isinstance(node.Identifier, int):
            return None
        point = int(node.Identifier)
        if point not in self._given:
            return ua.StatusCode(ua.UInt32(StatusCodes.BadNotWritable))
        if self._keeper.role_of(user.name or "") in ("", "reader"):
            return ua.StatusCode(ua.UInt32(StatusCodes.BadUserAccessDenied))
        value = one.Value.Value.Value if one.Value.Value is not None else None
        if not isinstance(value, bool | int | float) or not math.isfinite(value):
            return ua.StatusCode(ua.UInt32(StatusCodes.BadTypeMismatch))
        done = await self._write(point, float(value), str(user.name))
        return ua.StatusCode(ua.UInt32(StatusCodes.Good if done else StatusCodes.BadInvalidState))

    # Alarms --------------------------------------------------------------------------------------------

    async def alarms(self, open_: Iterable[Alarm]) -> None:
        """These alarms are open: what came, went or changed is told as an event."""
        if self._server is None:
            return
        now = {(alarm.point, alarm.kind): alarm for alarm in open_}
        changed = [alarm for key, alarm in now.items() if self._alarms.get(key) != alarm]
        over = [alarm for key, alarm in self._alarms.items() if key not in now]
        self._alarms = now
        for alarm in changed:
            await self._tell(alarm, retain=True)
        for alarm in over:
            await self._tell(alarm, retain=False)

    async def _tell(self, alarm: Alarm, *, retain: bool) -> None:
        assert self._server is not None
        what = self._said.get(alarm.point)
        if what is None:
            return
        gone = dataclasses.replace(alarm, state=WORDS[State.NORMAL], active=False, since=datetime.now(UTC))
        event = event_of(alarm if retain else gone, what.tag, retain=retain)
        await self._server.iserver.subscription_service.trigger_event(event)

    async def past(self, details: ua.ReadEventDetails, where: bytes) -> ua.HistoryReadResult:
        """What alarms did between two times, forwards or backwards (OPC 10000-11, 6.4.2); where: from which line of the journal
        on, as it was told to the client."""
        assert self._server is not None
        result = ua.HistoryReadResult()
        if not details.Filter.SelectClauses:
            result.StatusCode = ua.StatusCode(ua.UInt32(StatusCodes.BadEventFilterInvalid))
            return result
        span = _span_of(details.StartTime, details.EndTime)
        place = read_place(where) if where else None
        if span is None or (where and place is None):
            code = StatusCodes.BadContinuationPointInvalid if where else StatusCodes.BadInvalidTimestampArgument
            result.StatusCode = ua.StatusCode(ua.UInt32(code))
            return result
        begins, ends, backwards = span
        most = min(details.NumValuesPerNode or MOST_EVENTS, MOST_EVENTS)
        passes = subscriptions.where(self._server.iserver.aspace, details.Filter.WhereClause)
        told = ua.HistoryEvent()
        looked, more = 0, True
        # What a filter holds back is no page of its own; but nobody looks at the whole journal for one answer.
        while more and len(told.Events) < most and looked < MOST_EVENTS:
            wanted = most - len(told.Events)
            lines = await asyncio.to_thread(self._journal, begins, ends, place, wanted + 1, backwards)
            more, lines = len(lines) > wanted, lines[:wanted]
            looked += len(lines)
            place = lines[-1].place if lines else place
            for count, line in enumerate(lines):
                if count % AT_ONCE_PAST == 0:
                    await asyncio.sleep(0)
                what = self._said.get(line.alarm.point)
                if what is None:
                    continue
                event = event_of(line.alarm, what.tag, retain=line.alarm.state != WORDS[State.NORMAL])
                if passes(event):
                    told.Events.append(ua.HistoryEventFieldList(event.to_event_fields(details.Filter.SelectClauses)))
        result.HistoryData = told
        if more and place is not None:
            result.ContinuationPoint = written_place(place)
        return result


def _said(image: PlantImage) -> dict[int, _Said]:
    columns = {
        name: image.texts(name)
        for name in ("tag", "service", "area", "value_unit", "text_0", "text_1", "device_unit")
    }
    follows = followed_by(image, ("tag",))
    loops = follows["loop"]
    layout = image.layout
    numbers = {name: image.number(name).tolist() for name in ("value_low", "value_high", "device_low", "device_high")}
    contact = (image.family == Family.CONTACT).tolist()
    out = {}
    for row, point in enumerate(image.ids.tolist()):
        module = layout.modules.get(int(image.module[row]))
        rack = layout.racks[module.rack] if module else None
        same = columns["device_unit"][row] == columns["value_unit"][row]
        out[point] = _Said(
            columns["tag"][row], columns["service"][row], columns["area"][row] or "no area", loops[row],
            layout.cabinets[rack.cabinet].name if rack else "", f"rack {rack.name}" if rack else "", contact[row],
            columns["value_unit"][row], _end(numbers["value_low"][row]), _end(numbers["value_high"][row]),
            _end(numbers["device_low"][row]) if same else None, _end(numbers["device_high"][row]) if same else None,
            (columns["text_0"][row], columns["text_1"][row]),
        )  # fmt: skip
    return out


def _end(number: float) -> float | None:
    """An end of a range, None for none: NaN is not itself, and each look would find another one."""
    return number if math.isfinite(number) else None


def _properties(what: _Said) -> list[tuple[str, ua.Variant, int]]:
    """(name, value, data type) of what a client may know beside a value: words of both states; ranges and the unit."""
    if what.contact:
        words = zip(("FalseState", "TrueState"), what.words, ("off", "on"), strict=True)
        return [
            (name, ua.Variant(ua.LocalizedText(text or bare)), ObjectIds.LocalizedText) for name, text, bare in words
        ]
    out = []
    if what.low is not None and what.high is not None:
        out.append(("EURange", _range(what.low, what.high), ObjectIds.Range))
    if what.device_low is not None and what.device_high is not None:
        out.append(("InstrumentRange", _range(what.device_low, what.device_high), ObjectIds.Range))
    if what.unit:
        out.append(("EngineeringUnits", _unit(what.unit), ObjectIds.EUInformation))
    return out


@lru_cache(maxsize=10_000)
def _range(low: float, high: float) -> ua.Variant:
    return ua.Variant(ua.Range(Low=ua.Double(min(low, high)), High=ua.Double(max(low, high))))


@lru_cache(maxsize=1000)
def _unit(shown: str) -> ua.Variant:
    common = unece_code(shown)
    unit = ua.EUInformation()
    unit.NamespaceUri = ua.String(UNECE)
    unit.UnitId = ua.Int32(unit_id(common) if common else -1)
    unit.DisplayName = unit.Description = ua.LocalizedText(shown)
    return ua.Variant(unit)


@lru_cache(maxsize=1000)
def _status(code: int) -> ua.StatusCode:
    return ua.StatusCode(ua.UInt32(code))


def _value(values: Values, row: int, contact: bool, now: float) -> Told:
    """A point's value as a client reads it. A value that is bad is none."""
    code = status_of(
        int(values.quality[row]), int(values.reasons[row]), read=bool(values.read[row]), stale=bool(values.stale[row])
    )
    number = float(values.value[row])
    if code >> 30 == 0 and not math.isfinite(number):
        code = int(StatusCodes.Bad)
    none = code >> 30 >= 2 or not math.isfinite(number)
    return Told.of(
        None if none else number >= 0.5 if contact else number, _status(code), float(values.since[row]) or now, now
    )


class _Attributes(AttributeService):
    """The library's attribute service, with a client's writes to points led to us."""

    def __init__(self, door: OpcDoor, space: Any) -> None:
        super().__init__(space)
        self._door = door

    async def write(self, params: ua.WriteParameters, user: Any = None) -> list[ua.StatusCode]:
        """What a client writes to points acts in the plant or is refused; what it reads stays what the plant says."""
        out = []
        for one in params.NodesToWrite:
            outside = user is not None and user.role is not UserRole.Admin
            status = await self._door.written(one, user) if outside else None
            if status is None:
                (status,) = await super().write(ua.WriteParameters(NodesToWrite=[one]), user=user)
            out.append(status)
        return out


class _History(HistoryManager):
    """History as the plant has it: single readings of points, and what alarms did. What we do not keep is refused, not answered
    with something else."""

    def __init__(self, door: OpcDoor, inner: Any) -> None:
        super().__init__(inner)
        self._door = door

    async def _read_history(self, details: Any, rv: Any) -> ua.HistoryReadResult:
        if isinstance(details, ua.ReadRawModifiedDetails) and not details.IsReadModified:
            return await super()._read_history(details, rv)
        # Nor the two that came later: a journal is never modified, and its order is its own.
        if type(details) is ua.ReadEventDetails and rv.NodeId == std(ObjectIds.Server):
            return await self._door.past(details, bytes(rv.ContinuationPoint or b""))
        result = ua.HistoryReadResult()
        result.StatusCode = ua.StatusCode(ua.UInt32(StatusCodes.BadHistoryOperationUnsupported))
        return result


class _Readings(HistoryStorageInterface):
    """What was read of points, from the plant's trends."""

    def __init__(self, history: History) -> None:
        self._read = history

    async def init(self) -> None:
        """Nothing to make ready."""

    async def stop(self) -> None:
        """Nothing to end."""

    async def read_node_history(
        self, node_id: ua.NodeId, start: datetime | None, end: datetime | None, nb_values: int
    ) -> tuple[list[ua.DataValue], datetime | None]:
        """Readings between two times, forwards or backwards (OPC 10000-11, 6.4.3), and where to go on."""
        if not isinstance(node_id.Identifier, int):
            return [], None
        span = _span_of(start, end)
        if span is None:
            return [], None
        begins, ends, backwards = span
        found = await asyncio.to_thread(self._read, int(node_id.Identifier), begins, ends)
        if backwards:
            found = found[::-1]
        most = min(nb_values or MOST_HISTORY, MOST_HISTORY)
        more = found[most][0] if len(found) > most and not nb_values else None
        out = [_reading(*one) for one in found[:most]]
        return out, (datetime.fromtimestamp(more, UTC) if more is not None else None)

    async def new_historizedpoint_node(self, node_id: Any, period: Any, count: int = 0) -> None:
        """The plant keeps trends of all its points already."""

    async def save_node_value(self, node_id: Any, datavalue: Any) -> None:
        """Agents keep them, not we."""

    async def new_historized_event(self, source_id: Any, evtypes: Any, period: Any, count: int = 0) -> None:
        """Events stand in the journal."""

    async def save_event(self, event: Any) -> None:
        """Events stand in the journal."""

    async def read_event_history(
        self, source_id: Any, start: Any, end: Any, nb_values: int, evfilter: Any
    ) -> tuple[list[Any], Any]:
        """What alarms did is read before it comes here: see OpcDoor.past."""
        raise UaError("the journal is read elsewhere")


def _span_of(start: datetime | None, end: datetime | None) -> tuple[float, float, bool] | None:
    """(first, last, whether backwards) of what is asked for, s since 1970; None where no time says where to begin. Two of start,
    end and how many are needed (OPC 10000-11, 6.4.3.2)."""
    first, last = _moment(start), _moment(end)
    if first is None and last is None:
        return None
    backwards = first is None or (last is not None and first > last)
    begins, ends = (last, first) if backwards else (first, last)
    return (
        begins if begins is not None else 0.0,
        ends if ends is not None else datetime.now(UTC).timestamp(),
        backwards,
    )


def _moment(at: datetime | None) -> float | None:
    """s since 1970; None for the standard's word for no time."""
    if at is None or at.year < 1900:
        return None
    return (at if at.tzinfo else at.replace(tzinfo=UTC)).timestamp()


def _reading(at: float, value: float, quality: int) -> ua.DataValue:
    code = status_of(quality, 0)
    number = ua.Variant(value, ua.VariantType.Double) if code >> 30 < 2 and math.isfinite(value) else ua.Variant(None)
    return ua.DataValue(number, ua.StatusCode(ua.UInt32(code)), SourceTimestamp=ua.DateTime.fromtimestamp(at, UTC))


def _bracketed(host: str) -> str:
    return f"[{host}]" if ":" in host else host
