"""Serving end to end: a stand-in, an agent, the process that serves, and clients of other hands, with cuts between them."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from asyncua import ua
from asyncua.client.client import Client
from asyncua.crypto import security_policies
from asyncua.crypto.uacrypto import CertProperties
from asyncua.ua.object_ids import ObjectIds
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.x509.oid import NameOID
from pyModbusTCP.client import ModbusClient
from sqlalchemy import insert, text
from tests.building.agents import in_a_loop_of_its_own, scanned
from tests.building.at_racks import PT, edit
from tests.building.database import Database
from tests.building.named import free_port
from tests.building.people import PASSWORD
from tests.building.waiting import HANGS_S

from canaleta.certificates import Certificate, fingerprint, made
from canaleta.cli import main
from canaleta.plant.database import tables as t
from canaleta.plant.live import serving
from canaleta.plant.live.alarms import journal_between
from canaleta.plant.people import accounts
from canaleta.serving.doors import Doors
from canaleta.serving.serve import Server

AT = 400
NOT_TRUSTED, EXPIRED, NOT_IN = 0x801A0000, 0x80140000, 0x801F0000
"""BadCertificateUntrusted, BadCertificateTimeInvalid, BadUserAccessDenied: OPC 10000-6, annex A.2."""


def doors(**more: Any) -> Doors:
    given: dict[str, Any] = {
        "opc": ("127.0.0.1", free_port()),
        "modbus": ("127.0.0.1", free_port()),
        "open_to_all": True,
    }
    return Doors(**(given | more))


@contextlib.asynccontextmanager
async def served(database: Database, what: Doors) -> AsyncIterator[Server]:
    """A server that serves, ended in order."""
    server = Server(database.engine, what)
    task = asyncio.create_task(server.run())
    try:
        async with asyncio.timeout(HANGS_S):
            await server.serves.wait()
        yield server
    finally:
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)


async def until(ask: Any, holds: Any) -> Any:
    """Ask until it holds. What fails meanwhile is asked again."""
    async with asyncio.timeout(HANGS_S):
        while True:
            with contextlib.suppress(ua.UaError, OSError, TimeoutError):
                if holds(got := await ask()):
                    return got
            await asyncio.sleep(0.05)


async def said(node: Any) -> Any:
    """What a node says, whatever its status is."""
    return await node.read_data_value(raise_on_bad_status=False)


def opc(what: Doors) -> Client:
    assert what.opc is not None
    return Client(f"opc.tcp://127.0.0.1:{what.opc[1]}", watchdog_intervall=30)


def modbus(what: Doors) -> ModbusClient:
    assert what.modbus is not None
    return ModbusClient("127.0.0.1", what.modbus[1], timeout=5, auto_open=True, auto_close=True)


@pytest.mark.long
def test_what_is_on_the_wires_is_served_and_a_rack_that_is_cut_is_told_at_once(database: Database) -> None:
    edit(database, PT, "published_at", f"holding {AT} real")

    async def run() -> None:
        what = doors()
        async with scanned(database) as (made_, source), served(database, what):
            other = modbus(what)
            node_id = f"ns=2;i={PT}"
            async with opc(what) as client:
                node = client.get_node(node_id)
                told = await until(
                    node.read_data_value, lambda d: d.StatusCode.is_good() and d.Value.Value is not None
                )
                words = await until(lambda: asyncio.to_thread(other.read_holding_registers, AT, 2), bool)
                assert words is not None
                assert (await asyncio.to_thread(other.read_coils, AT, 1)) == [True]
                assert abs(datetime.now(UTC) - told.SourceTimestamp) < timedelta(minutes=5)
                # The rack falls silent, in the middle.
                await made_.racks[1].server.shutdown()
                gone = await until(lambda: said(node), lambda d: d.StatusCode.is_bad())
                assert gone.Value.Value is None
                assert await until(
                    lambda: asyncio.to_thread(other.read_holding_registers, AT, 2), lambda w: w == [0x7FC0, 0]
                )
                assert (await asyncio.to_thread(other.read_coils, AT, 1)) == [False]
            _ = source

    in_a_loop_of_its_own(run)


def test_the_journal_of_alarms_is_history_of_events(database: Database) -> None:
    """Two lines at one moment follow one another by their numbers, forwards and backwards."""
    at = datetime.now(UTC).replace(microsecond=123_456) - timedelta(minutes=2)
    line = {"point": PT, "kind": "hh", "priority": "high", "was": "normal", "event": "comes"}
    with database.owner.begin() as connection:
        connection.execute(
            insert(t.journal),
            [
                line | {"at": at, "becomes": "unacknowledged"},
                line | {"at": at, "becomes": "acknowledged"},
                line | {"at": at + timedelta(minutes=1), "becomes": "returned, unacknowledged"},
            ],
        )
    begins, ends = (at - timedelta(minutes=1)).timestamp(), datetime.now(UTC).timestamp()
    with database.engine.connect() as connection:
        for backwards in (False, True):
            told, behind = [], None
            while page := journal_between(connection, begins, ends, behind, 1, backwards=backwards):
                told.append(page[0].becomes)
                behind = (page[0].at.timestamp(), page[0].id)
            words = ["unacknowledged", "acknowledged", "returned, unacknowledged"]
            assert told == (words[::-1] if backwards else words)

    async def run() -> None:
        what = doors(modbus=None)
        async with served(database, what), opc(what) as client:
            kind = ObjectIds.ExclusiveLevelAlarmType
            server = client.nodes.server
            found = await server.read_event_history(at - timedelta(minutes=1), datetime.now(UTC), 0, kind)
            assert [getattr(e, "AckedState/Id") for e in found] == [False, True, False]
            assert [getattr(e, "LimitState/CurrentState").Text for e in found[:2]] == ["HighHigh", "HighHigh"]
            assert (found[0].Time, found[0].SourceNode, found[0].Severity) == (at, ua.NodeId(PT, 2), 750)
            wanted = ua.ReadEventDetails(StartTime=at, EndTime=datetime.now(UTC))
            refused = await server.history_read_events(wanted)
            assert refused.StatusCode.name == "BadEventFilterInvalid", "what asks for no field is told nothing"
            modified = ua.ReadEventDetails2(StartTime=at, EndTime=datetime.now(UTC))
            assert (await server.history_read_events(modified)).StatusCode.name == "BadHistoryOperationUnsupported"
            notifies = await server.read_event_notifier()
            assert notifies == {ua.EventNotifier.SubscribeToEvents, ua.EventNotifier.HistoryRead}

    in_a_loop_of_its_own(run)


def test_a_database_that_is_away_makes_values_old_and_back_again_good(database: Database) -> None:
    async def run() -> None:
        what = doors(modbus=None)
        name = database.owner.url.database
        admin = database.owner.url.set(database="postgres")
        async with scanned(database), served(database, what), opc(what) as client:
            node = client.get_node(f"ns=2;i={PT}")
            await until(lambda: said(node), lambda d: d.StatusCode.is_good())

            def let(on: bool) -> None:
                from canaleta.plant.database.connection import engine_for

                engine = engine_for(admin.render_as_string(hide_password=False), pool_size=1)
                with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
                    connection.execute(text(f"alter database {name} allow_connections {str(on).lower()}"))
                    if not on:
                        connection.execute(
                            text("select pg_terminate_backend(pid) from pg_stat_activity where datname = :name"),
                            {"name": name},
                        )
                engine.dispose()

            await asyncio.to_thread(let, False)
            try:
                gone = await until(lambda: said(node), lambda d: d.StatusCode.is_bad())
                assert gone.StatusCode.value == 0x80310000, "BadNoCommunication"
            finally:
                await asyncio.to_thread(let, True)
            await until(lambda: said(node), lambda d: d.StatusCode.is_good())

    in_a_loop_of_its_own(run)


@pytest.mark.long
def test_whoever_serves_second_waits_and_goes_on_when_the_first_ends(database: Database) -> None:
    async def run() -> None:
        what = doors(modbus=None)
        second = Server(database.engine, what)
        async with scanned(database):
            async with served(database, what) as first:
                task = asyncio.create_task(second.run())
                for _ in range(20):
                    await asyncio.sleep(0.05)
                assert not second.serves.is_set()
                with database.engine.connect() as connection:
                    (told,) = serving.served_now(connection)
                assert (told.name, told.holder, told.alive) == ("plant", first.holder, True)
            try:
                async with asyncio.timeout(HANGS_S):
                    await second.serves.wait()
                async with opc(what) as client:
                    await until(lambda: said(client.get_node(f"ns=2;i={PT}")), lambda d: d.StatusCode.is_good())
            finally:
                task.cancel()
                await asyncio.gather(task, return_exceptions=True)
        with database.engine.connect() as connection:
            (left,) = serving.served_now(connection)
        assert not left.alive, "whoever ends gives the lease back"

    in_a_loop_of_its_own(run)


# Who comes in ------------------------------------------------------------------------------------------------


def expired(uri: str) -> Certificate:
    """One whose time is over."""
    key = rsa.generate_private_key(public_exponent=65537, key_size=2048)
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "old")])
    now = datetime.now(UTC)
    one = (
        x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
        .serial_number(7).not_valid_before(now - timedelta(days=9)).not_valid_after(now - timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName([x509.UniformResourceIdentifier(uri)]), critical=False)
        .sign(key, hashes.SHA256())
    )  # fmt: skip
    pem = one.public_bytes(serialization.Encoding.PEM).decode()
    secret = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    return Certificate(pem, secret.decode())


async def knocks(what: Doors, own: Certificate, name: str, password: str, uri: str = "urn:display") -> int:
    """The status with which a client of another maker is refused, 0 where it reads."""
    client = opc(what)
    client.application_uri = uri
    client.set_user(name)
    client.set_password(password)
    try:
        (offered, *_) = [
            e for e in await client.connect_and_get_server_endpoints()
            if e.SecurityPolicyUri == security_policies.SecurityPolicyBasic256Sha256.URI
            and e.SecurityMode == ua.MessageSecurityMode.SignAndEncrypt
        ]  # fmt: skip
        await client.set_security(
            security_policies.SecurityPolicyBasic256Sha256, CertProperties(own.certificate.encode(), "pem"),
            CertProperties(own.key.encode(), "pem"), server_certificate=CertProperties(bytes(offered.ServerCertificate), "der"),
            mode=ua.MessageSecurityMode.SignAndEncrypt,
        )  # fmt: skip
        async with client:
            await client.get_node(f"ns=2;i={PT}").read_data_value(raise_on_bad_status=False)
        return 0
    except ua.UaStatusCodeError as error:
        return int(error.code)


def mark_of(one: Certificate) -> str:
    der = x509.load_pem_x509_certificate(one.certificate.encode()).public_bytes(serialization.Encoding.DER)
    return fingerprint(der)


def test_only_who_has_an_account_and_a_certificate_that_is_trusted_comes_in(database: Database) -> None:
    async def run() -> None:
        with database.engine.begin() as connection:
            accounts.add_account(connection, "display", "reader")
            accounts.set_password(connection, "display", PASSWORD)
        what = doors(modbus=None, open_to_all=False)
        own = await asyncio.to_thread(made, "urn:display")
        async with served(database, what):
            assert await knocks(what, own, "display", PASSWORD) == NOT_TRUSTED

            def certificates() -> Any:
                with database.engine.connect() as connection:
                    return serving.certificates(connection)

            (shown,) = await until(lambda: asyncio.to_thread(certificates), bool)
            assert (shown.fingerprint, shown.name, shown.trusted) == (mark_of(own), "urn:display", False)
            with database.engine.begin() as connection:
                assert serving.trust(connection, shown.fingerprint, "ana", True)

            async def trusted() -> int:
                return await knocks(what, own, "display", PASSWORD)

            await until(trusted, lambda code: code == 0)
            assert await knocks(what, own, "display", "another word") == NOT_IN
            assert await knocks(what, own, "admin", PASSWORD) == NOT_IN
            assert await knocks(what, own, "display", PASSWORD, uri="urn:another") == 0x80170000, (
                "BadCertificateUriInvalid"
            )
            assert await knocks(what, expired("urn:display"), "display", PASSWORD) == EXPIRED
            with pytest.raises((ua.UaError, TimeoutError, ConnectionError)):
                async with opc(what):
                    pass
            # An account that is shut out is out within seconds.
            with database.engine.begin() as connection:
                accounts.set_active(connection, "display", False)
            await until(trusted, lambda code: code == NOT_IN)

    in_a_loop_of_its_own(run)


# Writing -----------------------------------------------------------------------------------------------------


def test_a_point_is_written_only_while_it_is_given_away_and_every_try_is_kept(database: Database) -> None:
    edit(database, OUT, "published_at", "holding 500 real")

    async def run() -> None:
        with database.engine.begin() as connection:
            for name, role in (("panel", "technician"), ("display", "reader")):
                accounts.add_account(connection, name, role)
                accounts.set_password(connection, name, PASSWORD)
        what = doors()
        async with scanned(database, KILN_2), served(database, what):
            other = modbus(what)
            half = [0x4248, 0x0000]  # 50.0

            async def write(name: str, value: float) -> int:
                client = opc(what)
                client.set_user(name)
                client.set_password(PASSWORD)
                async with client:
                    node = client.get_node(f"ns=2;i={OUT}")
                    given = ua.DataValue(ua.Variant(value, ua.VariantType.Double))
                    (code,) = await client.uaclient.write_attributes([node.nodeid], [given])
                    return int(code.value)

            await until(lambda: asyncio.to_thread(other.read_holding_registers, 500, 2), bool)
            assert await write("panel", 50.0) == 0x803B0000, "BadNotWritable"
            assert not await asyncio.to_thread(other.write_multiple_registers, 500, half)
            with database.engine.begin() as connection:
                serving.give(connection, [OUT], "ana", "the panel sets it", 5)

            async def display() -> int:
                return await write("display", 50.0)

            # Not writable until it is heard that it was given away; then a reader still only reads.
            await until(display, lambda code: code == NOT_IN)

            async def panel() -> int:
                return await write("panel", 25.0)

            await until(panel, lambda code: code == 0)
            assert await until(lambda: asyncio.to_thread(other.write_multiple_registers, 500, half), bool)
            async with opc(what) as client:
                node = client.get_node(f"ns=2;i={OUT}")
                now = await until(
                    node.read_data_value, lambda d: d.StatusCode.is_good() and abs(d.Value.Value - 50.0) < 0.1
                )
                assert now.StatusCode.is_good()
            with database.engine.connect() as connection:
                written = serving.seen_writes(connection)
                (given,) = serving.given_now(connection)
            assert {(w.by, w.door, w.value, w.done) for w in written} == {
                ("panel", "OPC UA", "25", True), ("a client", "Modbus TCP", "50", True)
            }  # fmt: skip
            with database.engine.begin() as connection:
                serving.end_given(connection, [given.id], "ana")

            async def again() -> int:
                return await write("panel", 10.0)

            await until(again, lambda code: code == 0x803B0000)

    in_a_loop_of_its_own(run)


OUT, KILN_2 = 45, 2
"""ZV-2151, an output, and its rack."""


# Words -------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ([], "nothing is to be opened"),
        (["--opcua", "4840"], "is no address to listen at"),
        (["--opcua", "0.0.0.0:99999"], "is no address to listen at"),
        (["--mqtt", "broker"], "mqtt://host:1883"),
        (["--mqtt", "mqtt://broker"], "nothing says as what to publish"),
        (["--opcua", ":4840", "--topics", "a"], "there is no broker"),
        (["--mqtt", "mqtt://broker", "--topics", "a/#"], "is no topic"),
        (["--mqtt", "mqtt://broker", "--sparkplug", "plant"], "GROUP/NODE"),
    ],
)
def test_what_cannot_be_opened_is_said_with_what_to_type(
    typed: list[str], says: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["serve", *typed]) == 1
    assert says in capsys.readouterr().err


def test_a_folder_whose_program_does_not_run_is_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.delenv("CANALETA_DATABASE_URL", raising=False)
    assert main(["serve", "--opcua", ":4840", "--data", str(tmp_path)]) == 1
    assert "there are no values to serve" in capsys.readouterr().err
