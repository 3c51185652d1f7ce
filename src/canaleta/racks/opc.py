"""A rack that is an OPC UA server: its nodes subscribed to, with the server's own status and time.

A subscription tells what changes; that nothing changed is only believed of a server that answers, so it is asked
for its state at each reading. A node that vanishes is missing until it is back (OPC 10000-4, 7.39: status codes).
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import math
import time
from collections.abc import AsyncIterator, Sequence
from datetime import UTC, datetime
from typing import Any

from asyncua import ua
from asyncua.client.client import Client
from asyncua.common.subscription import Subscription
from asyncua.crypto import security_policies
from asyncua.crypto.uacrypto import CertProperties
from asyncua.ua.attribute_ids import AttributeIds
from asyncua.ua.object_ids import ObjectIds
from asyncua.ua.status_codes import StatusCodes
from asyncua.ua.uaerrors import BadConnectionClosed, UaError, UaStatusCodeError

from canaleta.certificates import APPLICATION, Certificate, fingerprint
from canaleta.core.hardware.forcing import agrees
from canaleta.core.model.layout import Rack
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.arrays import Words
from canaleta.racks.named import BAD, GOOD, UNCERTAIN, Heard, Named, NamedReader, number_of
from canaleta.racks.reader import (
    RackDeniedError,
    RackGarbledError,
    RackLostError,
    RackSilentError,
    RackTimedOutError,
    RackUnreachableError,
    as_head,
)

__all__ = ["OpcReader", "kept_there", "looked_through", "written"]

log = logging.getLogger("scan")
logging.getLogger("asyncua").setLevel(logging.ERROR)

_POLICIES = {
    "Basic256Sha256, signed": ("Basic256Sha256", ua.MessageSecurityMode.Sign),
    "Basic256Sha256, encrypted": ("Basic256Sha256", ua.MessageSecurityMode.SignAndEncrypt),
    "Aes128_Sha256_RsaOaep, encrypted": ("Aes128Sha256RsaOaep", ua.MessageSecurityMode.SignAndEncrypt),
    "Aes256_Sha256_RsaPss, encrypted": ("Aes256Sha256RsaPss", ua.MessageSecurityMode.SignAndEncrypt),
}
WATCH_S = 30.0
"""The client's own watch drops a connection after one silence: ours asks at each reading, and says why."""
ASK_AGAIN_S = 60.0
"""How often a node that is missing is asked for again."""
SWEEP_S = 10.0
"""How often every node is read as well: a server that lost one need not tell those who subscribed to it."""
LEAST_MS = 50.0
"""What is asked for more often, most servers do not give."""
A_REQUEST = 1000
"""Nodes one request asks for."""
MOST_LOOKED = 1000
"""Nodes below one place that are told."""
FIRST_VALUES_S = 5.0
"""How long the first values of a subscription may take."""
_DENIED = {
    StatusCodes.BadUserAccessDenied: "the server does not let this user in",
    StatusCodes.BadIdentityTokenRejected: "the server does not take this user and password",
    StatusCodes.BadIdentityTokenInvalid: "the server does not take this user and password",
    StatusCodes.BadSecurityChecksFailed: "the server does not trust our certificate: trust it there first",
    StatusCodes.BadCertificateUntrusted: "the server does not trust our certificate: trust it there first",
    StatusCodes.BadSecurityPolicyRejected: "the server does not offer this protection",
    StatusCodes.BadSecurityModeRejected: "the server does not offer this protection",
    StatusCodes.BadTooManySessions: "the server has no session left",
}
_NOT_WRITTEN = {
    StatusCodes.BadNotWritable: "the server lets nobody write there",
    StatusCodes.BadUserAccessDenied: "the server does not let this user write there",
    StatusCodes.BadTypeMismatch: "the server wants another type there",
    StatusCodes.BadOutOfRange: "the server says that this is out of range",
    StatusCodes.BadNodeIdUnknown: "the server has no such node",
}
_WHOLE = {
    getattr(ua.VariantType, f"{'' if signed else 'U'}Int{bits}"): (bits, signed)
    for bits in (16, 32, 64)
    for signed in (True, False)
} | {ua.VariantType.SByte: (8, True), ua.VariantType.Byte: (8, False)}
"""Whole numbers by their type: bits, and whether they have a sign."""
_MISSING = frozenset((StatusCodes.BadNodeIdUnknown, StatusCodes.BadNodeIdInvalid, StatusCodes.BadAttributeIdInvalid))
_STATES = (
    "running",
    "failed",
    "without a configuration",
    "suspended",
    "shut down",
    "in test",
    "in communication fault",
    "unknown",
)


def _client(rack: Rack, password: str, timeout_s: float) -> Client:
    host = f"[{rack.host}]" if ":" in rack.host else rack.host
    client = Client(f"opc.tcp://{host}:{rack.port}{rack.path}", timeout=timeout_s, watchdog_intervall=WATCH_S)
    client.name = "Canaleta"
    client.application_uri = APPLICATION
    if rack.username:
        client.set_user(rack.username)
        client.set_password(password)
    return client


async def _secured(client: Client, rack: Rack, own: Certificate | None) -> None:
    """Protect the connection as the rack wants it. Raises RackDeniedError if the server does not offer it, or is
    another than the one that is trusted."""
    if rack.security == "none" or own is None:
        return
    policy, mode = _POLICIES[rack.security]
    of = getattr(security_policies, f"SecurityPolicy{policy}")
    offered = [
        e
        for e in await client.connect_and_get_server_endpoints()
        if e.SecurityPolicyUri == of.URI and e.SecurityMode == mode
    ]
    if not offered:
        raise RackDeniedError(f"the server at {rack.reached_at} does not offer {rack.security}")
    der = bytes(offered[0].ServerCertificate)
    if rack.trusted and fingerprint(der) != rack.trusted:
        raise RackDeniedError(
            f"the server shows another certificate than the one that is trusted: SHA-256 {fingerprint(der)}",
            fingerprint(der),
        )
    if not rack.trusted:
        raise RackDeniedError(
            f"the server's certificate is not trusted yet: SHA-256 {fingerprint(der)}", fingerprint(der)
        )
    await client.set_security(
        of,
        CertProperties(own.certificate.encode(), "pem"),
        CertProperties(own.key.encode(), "pem"),
        server_certificate=CertProperties(der, "der"),
        mode=mode,
    )


def _told(error: BaseException, rack: Rack) -> RackSilentError:
    """What went wrong, as the program and people know it."""
    if isinstance(error, RackSilentError):
        return error
    if isinstance(error, TimeoutError):
        return RackTimedOutError(f"no answer from {rack.reached_at} in time")
    if isinstance(error, UaStatusCodeError):
        code = int(error.code)
        if code in _DENIED:
            return RackDeniedError(_DENIED[code])
        if code in (StatusCodes.BadTimeout, StatusCodes.BadRequestTimeout):
            return RackTimedOutError(f"no answer from {rack.reached_at} in time")
        return RackDeniedError(f"the server answers {ua.status_codes.get_name_and_doc(code)[0]}")
    lost = isinstance(error, BadConnectionClosed | ConnectionError) and not isinstance(error, ConnectionRefusedError)
    if lost:
        return RackLostError(f"the connection to {rack.reached_at} was lost")
    if isinstance(error, OSError):
        return RackUnreachableError(f"nothing answers at {rack.reached_at}")
    return RackGarbledError(f"what {rack.reached_at} sends is no OPC UA: {type(error).__name__}")


class OpcReader(NamedReader):
    """One session with one server; a new one at the next reading after a failure."""

    def __init__(
        self, rack: Rack, rack_map: RackMap, password: str, own: Certificate | None, timeout_s: float
    ) -> None:
        super().__init__(rack, rack_map)
        self._password, self._own = password, own
        self._timeout_s = max(timeout_s, 1.0)
        # A server looks at its nodes, and then tells: each may wait for its turn, and both within a reading's time.
        self._every_ms = max(rack.period_ms / 2.0, LEAST_MS)
        self._client: Client | None = None
        self._heard: dict[str, Heard] = {}
        self._names_of: dict[ua.NodeId, str] = {}
        self._subscription: Subscription | None = None
        self._missing: set[str] = set()
        self._asked_at = 0.0
        self._swept_at = 0.0
        self._lost: ua.StatusCode | None = None

    async def read(self) -> Words:
        """All words of the rack, (words,) uint16. Raises RackSilentError if the server does not answer."""
        await self.connect()
        assert self._client is not None
        try:
            async with asyncio.timeout(self._timeout_s):
                state = int(await self._client.nodes.server_state.read_value())
                if self._missing and time.monotonic() - self._asked_at >= ASK_AGAIN_S:
                    await self._subscribe(sorted(self._missing))
            if time.monotonic() - self._swept_at >= SWEEP_S:
                await self._sweep()
        except Exception as error:
            await self._leave()
            raise _told(error, self._rack) from error
        if state:
            says = _STATES[state] if state < len(_STATES) else str(state)
            raise RackDeniedError(f"the server says of itself that it is {says}")
        if self._lost is not None:
            await self._leave()
            raise RackLostError("the server ended the subscription")
        return self.words_of(self._heard)

    async def connect(self) -> None:
        """Be connected and subscribed, the first values there. Raises RackSilentError."""
        if self._client is not None:
            return
        client = _client(self._rack, self._password, self._timeout_s)
        try:
            async with asyncio.timeout(self._timeout_s * 4 + FIRST_VALUES_S):
                await _secured(client, self._rack, self._own)
                await client.connect()
                self._client, self._lost = client, None
                self._heard, self._missing, self._names_of = {}, set(), {}
                self._subscription = await client.create_subscription(self._every_ms, self)
                await self._subscribe(self.names)
                await self._first_values()
                self._swept_at = time.monotonic()
        except BaseException as error:
            self._client = client
            await self._leave()
            if not isinstance(error, Exception):
                raise
            raise _told(error, self._rack) from error

    async def _subscribe(self, names: list[str]) -> None:
        assert self._subscription is not None
        assert self._client is not None
        self._asked_at = time.monotonic()
        for at in range(0, len(names), A_REQUEST):
            # What is no node after all is missing, and takes no other along.
            ids = {name: node for name in names[at : at + A_REQUEST] if (node := _known_id(name)) is not None}
            self._missing |= set(names[at : at + A_REQUEST]) - ids.keys()
            some = list(ids)
            nodes = [self._client.get_node(ids[name]) for name in some]
            self._names_of |= {node: name for name, node in ids.items()}
            if not some:
                continue
            got: list[Any] = await self._subscription.subscribe_data_change(
                nodes, queuesize=1, sampling_interval=ua.Double(self._every_ms)
            )
            for name, handle in zip(some, got, strict=True):
                if isinstance(handle, ua.StatusCode):
                    self._missing.add(name)
                else:
                    self._missing.discard(name)
        if self._missing:
            log.warning("rack %d: the server has no %s", self._rack.id, ", ".join(sorted(self._missing)[:8]))

    async def _first_values(self) -> None:
        """Wait until each node that the server has has told its value."""
        wanted = set(self.names) - self._missing
        until = time.monotonic() + FIRST_VALUES_S
        while not wanted <= self._heard.keys() and time.monotonic() < until:
            await asyncio.sleep(0.01)

    # What the server tells -----------------------------------------------------------------------------

    def datachange_notification(self, node: Any, value: Any, data: Any) -> None:
        """Of the subscription: a value, its status and the server's time."""
        if (name := self._names_of.get(node.nodeid)) is not None:
            self._take(name, data.monitored_item.Value)

    async def _sweep(self) -> None:
        """Read every node that is subscribed to."""
        assert self._client is not None
        names = [name for name in self.names if name not in self._missing]
        for at in range(0, len(names), A_REQUEST):
            some = names[at : at + A_REQUEST]
            nodes = [self._client.get_node(_node_id(name)) for name in some]
            for name, told in zip(some, await self._client.read_attributes(nodes, AttributeIds.Value), strict=True):
                self._take(name, told)
        self._swept_at = time.monotonic()

    def _take(self, name: str, told: Any) -> None:
        """A value, its status and the server's time."""
        code = told.StatusCode.value if told.StatusCode is not None else 0
        if code in _MISSING:
            self._missing.add(name)
            self._heard.pop(name, None)
            return
        self._missing.discard(name)
        self._heard[name] = _as_heard(told)

    def status_change_notification(self, status: Any) -> None:
        """Of the subscription: it is over."""
        self._lost = status.Status

    @property
    def heard(self) -> dict[str, Heard]:
        """The last word about each name."""
        return self._heard

    async def _leave(self) -> None:
        client, self._client, self._subscription = self._client, None, None
        if client is None:
            return
        with contextlib.suppress(Exception):
            async with asyncio.timeout(1.0):
                await client.disconnect()
        with contextlib.suppress(Exception):
            client.disconnect_socket()


def _as_heard(told: Any) -> Heard:
    """A value, its status and the server's time."""
    value = told.Value.Value if told.Value is not None else None
    code = told.StatusCode.value if told.StatusCode is not None else 0
    return Heard(
        number_of(value), (GOOD, UNCERTAIN, BAD, BAD)[code >> 30], time.monotonic(),
        _seconds(told.SourceTimestamp or told.ServerTimestamp), ua.status_codes.get_name_and_doc(code)[0] if code else "",
    )  # fmt: skip


def _seconds(at: datetime | None) -> float:
    """A time of a server, seconds since 1970; it is UTC, whether it says so or not (OPC 10000-6, 5.2.2.5)."""
    if at is None:
        return math.nan
    return (at if at.tzinfo is not None else at.replace(tzinfo=UTC)).timestamp()


def _known_id(name: str) -> ua.NodeId | None:
    try:
        return _node_id(name)
    except RackDeniedError:
        return None


def _node_id(name: str) -> ua.NodeId:
    try:
        return ua.NodeId.from_string(name)
    except (UaError, ValueError) as error:
        raise RackDeniedError(f"“{name}” is no node") from error


@contextlib.asynccontextmanager
async def _visited(rack: Rack, password: str, own: Certificate | None, seconds: float) -> AsyncIterator[Client]:
    """A connection for one thing alone. Raises RackSilentError."""
    client = _client(rack, password, 4.0)
    try:
        async with asyncio.timeout(seconds):
            await _secured(client, rack, own)
            await client.connect()
            yield client
    except Exception as error:
        raise _told(error, rack) from error
    finally:
        with contextlib.suppress(Exception):
            async with asyncio.timeout(1.0):
                await client.disconnect()


async def looked_through(rack: Rack, password: str, own: Certificate | None, below: str) -> list[Named]:
    """What stands below a node, "" for the server's objects: folders and variables, with what they say now. Raises
    RackSilentError."""
    async with _visited(rack, password, own, 15.0) as client:
        node = client.get_node(_node_id(below)) if below else client.nodes.objects
        wanted: Any = ua.NodeClass.Object | ua.NodeClass.Variable
        found = await node.get_references(ObjectIds.HierarchicalReferences, ua.BrowseDirection.Forward, wanted, True)
        found = [f for f in found if not (f.NodeId.NamespaceIndex == 0 and f.NodeId.Identifier == ObjectIds.Server)]
        return await _told_of(client, found[:MOST_LOOKED])


async def kept_there(
    rack: Rack, password: str, own: Certificate | None, names: Sequence[str], nodes: Sequence[str]
) -> tuple[dict[str, Heard], dict[str, list[float]], str]:
    """(what stands behind names now, {node: [low, high]} of those of `nodes` that have a range (EURange), what the server says
    of itself). Raises RackSilentError."""
    async with _visited(rack, password, own, 20.0) as client:
        heard: dict[str, Heard] = {}
        for at in range(0, len(names), A_REQUEST):
            ids = {name: node for name in names[at : at + A_REQUEST] if (node := _known_id(name)) is not None}
            values = await client.read_attributes(
                [client.get_node(node) for node in ids.values()], AttributeIds.Value
            )
            heard |= {name: _as_heard(value) for name, value in zip(ids, values, strict=True)}
        ranges: dict[str, list[float]] = {}
        for at in range(0, len(nodes), A_REQUEST):
            ranges |= await _ranges(client, nodes[at : at + A_REQUEST])
        return heard, ranges, await _build_info(client)


async def _ranges(client: Client, names: Sequence[str]) -> dict[str, list[float]]:
    """The range of each node that has one; in two requests for all of them."""
    ids = {name: node for name in names if (node := _known_id(name)) is not None}
    step = ua.RelativePathElement(
        ua.NodeId(ua.Int32(ObjectIds.HasProperty)), TargetName=ua.QualifiedName("EURange", 0)
    )
    # Down the reference, of this kind or one below it.
    step.IsInverse, step.IncludeSubtypes = False, True  # type: ignore[assignment]
    paths = [ua.BrowsePath(StartingNode=node, RelativePath=ua.RelativePath([step])) for node in ids.values()]
    found = await client.uaclient.translate_browsepaths_to_nodeids(paths) if paths else []
    at = {
        name: result.Targets[0].TargetId
        for name, result in zip(ids, found, strict=True)
        if result.StatusCode.is_good() and result.Targets
    }
    values = await client.read_attributes([client.get_node(n) for n in at.values()], AttributeIds.Value) if at else []
    out = {}
    for name, told in zip(at, values, strict=True):
        value = told.Value.Value if told.Value is not None else None
        if isinstance(value, ua.Range) and (told.StatusCode is None or told.StatusCode.is_good()):
            out[name] = [float(value.Low), float(value.High)]
    return out


async def _build_info(client: Client) -> str:
    """Maker, product and version of the software, as the server says (OPC 10000-5, 12.4); "" where it says nothing."""
    (told,) = await client.read_attributes(
        [client.get_node(ObjectIds.Server_ServerStatus_BuildInfo)], AttributeIds.Value
    )
    value = told.Value.Value if told.Value is not None else None
    if not isinstance(value, ua.BuildInfo):
        return ""
    version = " ".join(part for part in (value.SoftwareVersion, value.BuildNumber) if part)
    return as_head(value.ManufacturerName, value.ProductName, version)


async def written(rack: Rack, password: str, own: Certificate | None, name: str, value: float) -> None:
    """Give a node a value, in the type that it has, and read it back. Raises RackSilentError, also where another value
    stands there then."""
    async with _visited(rack, password, own, 10.0) as client:
        node = client.get_node(_node_id(name))
        kind = await node.read_data_type_as_variant_type()
        # Servers refuse a status or a time that comes along: both are theirs (OPC 10000-4, 5.11.4).
        holds = _as_type(value, kind, name)
        given = ua.DataValue(ua.Variant(holds, kind))
        (code,) = await client.uaclient.write_attributes([node.nodeid], [given], AttributeIds.Value)
        if not code.is_good():
            says = _NOT_WRITTEN.get(code.value) or f"the server answers {code.name}"
            raise RackDeniedError(f"{says}: nothing was written to {name}")
        now = number_of(await node.read_value())
        if not agrees(now, float(holds)):
            raise RackDeniedError(f"the rack kept {now:g}")


def _as_type(value: float, kind: ua.VariantType, name: str) -> Any:
    """A number as a node of this type holds it. Raises RackDeniedError if it cannot."""
    if kind is ua.VariantType.Boolean:
        return value >= 0.5
    if kind in (ua.VariantType.Float, ua.VariantType.Double):
        return value
    if kind not in _WHOLE:
        raise RackDeniedError(f"{name} holds {kind.name}, and no number can be written there")
    bits, signed = _WHOLE[kind]
    least, most = (-(1 << bits - 1), (1 << bits - 1) - 1) if signed else (0, (1 << bits) - 1)
    whole = round(value)
    if not least <= whole <= most:
        raise RackDeniedError(f"{name} holds {kind.name}, {least} to {most}, and {value:g} is none of them")
    return whole


async def _told_of(client: Client, found: list[Any]) -> list[Named]:
    variables = [client.get_node(f.NodeId) for f in found if f.NodeClass == ua.NodeClass.Variable]
    values = await client.read_attributes(variables, AttributeIds.Value) if variables else []
    says = {str(node.nodeid): _value(value) for node, value in zip(variables, values, strict=True)}
    out = []
    for one in found:
        name = one.NodeId.to_string()
        title = one.DisplayName.Text or one.BrowseName.Name or name
        leads = one.NodeClass == ua.NodeClass.Object
        out.append(Named(name, str(title), leads, "" if leads else says.get(str(one.NodeId), "")))
    return out


def _value(told: Any) -> str:
    if told.StatusCode is not None and told.StatusCode.value >> 30:
        return ua.status_codes.get_name_and_doc(told.StatusCode.value)[0]
    value = told.Value.Value if told.Value is not None else None
    return "no value" if value is None else str(value)[:60]
