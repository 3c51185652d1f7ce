"""Servers by other hands whose values have names: an OPC UA server as its package makes one, and Debian's mosquitto."""

from __future__ import annotations

import asyncio
import contextlib
import getpass
import shutil
import socket
import tempfile
from collections.abc import Awaitable, Callable, Sequence
from pathlib import Path
from typing import Any

import paho.mqtt.client as paho
from asyncua import ua
from asyncua.crypto.permission_rules import User, UserRole
from asyncua.server.server import Server
from asyncua.server.user_managers import UserManager
from asyncua.ua.status_codes import StatusCodes
from paho.mqtt.enums import CallbackAPIVersion

from canaleta.certificates import Certificate, made
from tests.building.waiting import HANGS_S


def free_port() -> int:
    with contextlib.closing(socket.socket()) as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


class _Users(UserManager):
    def __init__(self, known: dict[str, str]) -> None:
        self._known = known

    def get_user(self, iserver: Any, username: str | None = None, password: str | None = None, certificate: Any = None) -> User | None:  # fmt: skip
        given = password.decode() if isinstance(password, bytes) else password
        return User(role=UserRole.User) if self._known.get(username or "") == given else None


class Press:
    """An OPC UA server with variables of its own. users: {name: password}, none for whoever comes."""

    def __init__(self, port: int, users: dict[str, str] | None = None, own: Certificate | None = None) -> None:
        self.port = port
        self._own = own
        self._server = Server(user_manager=_Users(users) if users else None)
        self.node_of: dict[str, Any] = {}

    async def __aenter__(self) -> Press:
        server = self._server
        await server.init()
        server.set_endpoint(f"opc.tcp://127.0.0.1:{self.port}/press/")
        server.set_security_policy([ua.SecurityPolicyType.NoSecurity])
        if self._own is not None:
            with tempfile.TemporaryDirectory() as folder:
                for name, text in (("own.pem", self._own.certificate), ("key.pem", self._own.key)):
                    (Path(folder) / name).write_text(text, encoding="ascii")
                await server.load_certificate(str(Path(folder) / "own.pem"))
                await server.load_private_key(str(Path(folder) / "key.pem"))
            server.set_security_policy(
                [
                    ua.SecurityPolicyType.Basic256Sha256_SignAndEncrypt,
                    ua.SecurityPolicyType.Basic256Sha256_Sign,
                    ua.SecurityPolicyType.Aes128Sha256RsaOaep_SignAndEncrypt,
                    ua.SecurityPolicyType.Aes256Sha256RsaPss_SignAndEncrypt,
                ]
            )
        await server.register_namespace("urn:press")
        folder_of = await server.nodes.objects.add_folder(ua.NodeId.from_string("ns=2;s=Press 3"), "2:Press 3")
        for name, value, kind in (
            ("TT-101", 812.25, ua.VariantType.Float), ("Count", -12345, ua.VariantType.Int16),
            ("Running", True, ua.VariantType.Boolean), ("Total", 9_007_199_254_740_991, ua.VariantType.Int64),
            ("Recipe", "tile 30 × 60", ua.VariantType.String),
        ):  # fmt: skip
            await self.gain(name, value, kind, folder_of)
        await server.start()
        return self

    async def __aexit__(self, *_: object) -> None:
        with contextlib.suppress(Exception):
            await self._server.stop()

    async def tell(self, name: str, value: Any, kind: Any, code: int = StatusCodes.Good) -> None:
        variant = ua.Variant(value, kind)
        now = ua.DateTime(2026, 11, 30, 6, 0, 0)
        told = ua.DataValue(variant, ua.StatusCode(ua.UInt32(code)), SourceTimestamp=now)
        await self._server.write_attribute_value(self.node_of[name].nodeid, told)

    async def gain(self, name: str, value: Any, kind: Any, folder: Any = None) -> None:
        self.node_of[name] = await (folder or self._server.nodes.objects).add_variable(
            ua.NodeId.from_string(f"ns=2;s=Press.{name}"), f"2:{name}", value, kind
        )

    async def allow(self, *names: str) -> None:
        """Whoever comes may write these."""
        for name in names:
            await self.node_of[name].set_writable()

    async def now(self, name: str) -> Any:
        return await self.node_of[name].read_value()

    async def lose(self, name: str) -> None:
        await self._server.delete_nodes([self.node_of[name]])


class Broker:
    """Debian's mosquitto on a port of loopback. users: {name: password}; own: a certificate for TLS."""

    def __init__(self, port: int, users: dict[str, str] | None = None, own: Certificate | None = None) -> None:
        self.port, self._users, self._own = port, users, own
        self._process: asyncio.subprocess.Process | None = None
        self._folder = tempfile.TemporaryDirectory()
        self.client = paho.Client(CallbackAPIVersion.VERSION2, client_id="press")

    async def __aenter__(self) -> Broker:
        folder = Path(self._folder.name)
        folder.chmod(0o755)
        lines = [
            f"listener {self.port} 127.0.0.1",
            "persistence false",
            f"user {getpass.getuser()}",
            f"allow_anonymous {'false' if self._users else 'true'}",
        ]
        if self._own is not None:
            (folder / "own.pem").write_text(self._own.certificate, encoding="ascii")
            (folder / "key.pem").write_text(self._own.key, encoding="ascii")
            lines += [f"certfile {folder / 'own.pem'}", f"keyfile {folder / 'key.pem'}"]
        if self._users:
            secrets = folder / "users"
            secrets.write_text("".join(f"{name}:{word}\n" for name, word in self._users.items()), encoding="ascii")
            await (await asyncio.create_subprocess_exec("mosquitto_passwd", "-U", str(secrets))).wait()
            lines.append(f"password_file {secrets}")
        (folder / "broker.conf").write_text("\n".join(lines) + "\n", encoding="ascii")
        for file in folder.iterdir():
            file.chmod(0o644)
        await self.start()
        return self

    async def start(self) -> None:
        program = shutil.which("mosquitto", path="/usr/sbin:/usr/bin")
        assert program is not None, "Debian's mosquitto"
        self._process = await asyncio.create_subprocess_exec(
            program, "-c", str(Path(self._folder.name) / "broker.conf"),
            stdout=asyncio.subprocess.DEVNULL, stderr=asyncio.subprocess.DEVNULL,
        )  # fmt: skip
        async with asyncio.timeout(HANGS_S):
            while True:
                with contextlib.suppress(OSError):
                    _, writer = await asyncio.open_connection("127.0.0.1", self.port)
                    writer.close()
                    break
                await asyncio.sleep(0.02)
        if self._users is None and self._own is None:
            await asyncio.to_thread(self.client.connect, "127.0.0.1", self.port)
            self.client.loop_start()

    async def stop(self) -> None:
        await asyncio.to_thread(self.client.loop_stop)
        if self._process is not None and self._process.returncode is None:
            self._process.terminate()
            await self._process.wait()

    async def __aexit__(self, *_: object) -> None:
        await self.stop()
        self._folder.cleanup()

    def say(self, topic: str, payload: bytes | str, *, retain: bool = False) -> None:
        self.client.publish(topic, payload, qos=0, retain=retain)


async def until_read(read: Callable[[], Awaitable[Any]], holds: Callable[[Any], bool]) -> Any:
    """Read again until what is read is as it should be."""
    async with asyncio.timeout(HANGS_S):
        while not holds(got := await read()):
            await asyncio.sleep(0.02)
    return got


async def until_refused(
    read: Callable[[], Awaitable[Any]], kinds: type[BaseException] | Sequence[type[BaseException]]
) -> BaseException:
    """Read again until it is refused in one of these ways."""
    wanted = (kinds,) if isinstance(kinds, type) else tuple(kinds)
    async with asyncio.timeout(HANGS_S):
        while True:
            try:
                await read()
            except wanted as error:
                return error
            await asyncio.sleep(0.02)


def own_certificate() -> Certificate:
    return made("urn:press")
