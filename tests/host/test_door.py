"""The server in front: who stalls costs no thread, TLS, streams that end at once at stop, a taken socket told."""

from __future__ import annotations

import contextlib
import gzip
import http.client
import json
import os
import signal
import socket
import ssl
import subprocess
import sys
import tempfile
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from tests.building.running import Running
from tests.building.waiting import until

from canaleta.host.cluster import free_port
from canaleta.host.door import Door, Tls
from canaleta.host.steps import TroubleError

pytestmark = [pytest.mark.database, pytest.mark.xdist_group("recovery")]
TLS = Tls(Path(__file__).parent / "tls" / "certificate.pem", Path(__file__).parent / "tls" / "key.pem")


@pytest.fixture(scope="module")
def running() -> Iterator[Running]:
    with tempfile.TemporaryDirectory(prefix="canaleta-door-") as name:
        Path(name).chmod(0o755)
        made = Running(Path(name) / "plant")
        yield made
        if made.process.poll() is None:
            made.process.terminate()
            made.process.wait()


def stalled(port: int, how: str) -> socket.socket:
    """A connection that sent half a head, or a head and the first byte of a long body, and then nothing."""
    one = socket.create_connection(("127.0.0.1", port))
    head = f"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n"
    if how == "body":
        head += "Content-Type: application/json\r\nContent-Length: 60000\r\n\r\n{"
    one.sendall(head.encode())
    return one


@pytest.mark.long
def test_seven_hundred_who_stall_keep_nobody_from_working(running: Running) -> None:
    """Some are cut off after ten seconds of rest, the rest hold nothing but a few bytes: reading and saving go on."""
    with contextlib.ExitStack() as open_ones:
        for k in range(700):
            open_ones.enter_context(stalled(running.port, "head" if k % 2 else "body"))
        assert running.ask("GET", "/api/health")["answers"]
        running.edit("saved while 700 stall")
        assert running.service() == "saved while 700 stall"
    assert running.ask("GET", "/api/health")["answers"]


def test_a_body_that_is_too_large_and_an_unfinished_one_are_told(running: Running) -> None:
    link = http.client.HTTPConnection("127.0.0.1", running.port)
    link.putrequest("POST", "/api/session")
    link.putheader("Content-Type", "application/json")
    link.putheader("Content-Length", str(21 * 2**20))
    link.endheaders()
    answer = link.getresponse()
    assert answer.status == 413
    assert answer.getheader("Content-Type", "").startswith("application/problem+json")
    assert json.load(answer)["title"] == "this is more than 20 MB"


def test_an_application_that_is_away_is_a_problem_with_a_remedy(tmp_path: Path) -> None:
    """As while a worker is started again: 503 and to try again, not a page of the server in front."""
    tmp_path.chmod(0o755)
    port = free_port()
    door = Door(f"127.0.0.1:{port}", tmp_path, None, None)
    process = subprocess.Popen(door.command(tmp_path), stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    try:
        link = http.client.HTTPConnection("127.0.0.1", port)
        until(lambda: not link.connect(), "it listens", let=(OSError,))
        link.request("GET", "/api/health")
        answer = link.getresponse()
        told = json.load(answer)
        assert (answer.status, told["status"]) == (503, 503)
        assert answer.getheader("Retry-After")
        assert told["remedy"]
    finally:
        process.send_signal(signal.SIGQUIT)
        process.wait()


def test_tls_with_a_certificate_of_ones_own(tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    port = free_port()
    process = subprocess.Popen(
        Door(f"127.0.0.1:{port}", tmp_path, None, TLS).command(tmp_path), stderr=subprocess.DEVNULL
    )
    try:
        trusted = ssl.create_default_context(cafile=str(TLS.certificate))
        link = http.client.HTTPSConnection("localhost", port, context=trusted)
        until(lambda: not link.connect(), "it listens", let=(OSError,))
        link.request("GET", "/api/health")
        assert link.getresponse().status == 503, "through TLS; nobody stands behind it in this test"
        plain = http.client.HTTPConnection("127.0.0.1", port)
        plain.request("GET", "/list")
        answer = plain.getresponse()
        assert answer.status == 302, "who asks without TLS is sent to the right address"
        assert answer.getheader("Location") == f"https://127.0.0.1:{port}/list"
    finally:
        process.send_signal(signal.SIGQUIT)
        process.wait()


def test_a_key_that_is_not_the_certificates_is_told_before_anything_runs(tmp_path: Path) -> None:
    other = tmp_path / "key.pem"
    other.write_text("no key")
    with pytest.raises(TroubleError, match=r"key\.pem") as trouble:
        Door(f"127.0.0.1:{free_port()}", tmp_path, None, Tls(TLS.certificate, other)).command(tmp_path)
    assert "--tls-key" in trouble.value.remedy
    alone = subprocess.run(
        [sys.executable, "-m", "canaleta.cli", "start", "--tls-cert", str(TLS.certificate)],
        capture_output=True,
        text=True,
        check=False,
        env=os.environ,
    )
    assert alone.returncode == 1
    assert "go together" in alone.stderr


def test_what_is_large_comes_compressed_and_a_stream_as_it_is(running: Running) -> None:
    """Over a slow line the size of an answer is most of the wait; the answer that holds the session's secret is
    short."""

    def asked(path: str) -> Any:
        return running.client.open(
            urllib.request.Request(running.address + path, headers={"Accept-Encoding": "gzip"})
        )

    for path in ("/api/module-types", "/api/cabinets?cabinet=0"):
        with asked(path) as answer:
            packed = answer.read()
            assert answer.headers["Content-Encoding"] == "gzip"
            text = gzip.decompress(packed)
            assert json.loads(text)
            assert len(packed) * 4 < len(text)
    for path in ("/api/session", "/api/stream?since=0"):
        with asked(path) as answer:
            assert answer.headers["Content-Encoding"] is None


@pytest.mark.long
def test_streams_end_at_once_at_stop(running: Running) -> None:
    """A stop that waited for them would take the whole grace, and then cut them."""
    streams = [running.open("/api/stream?since=0") for _ in range(5)]
    for stream in streams:
        assert stream.readline().startswith(b"id:") or stream.readline(), "it streams"
    running.process.send_signal(signal.SIGTERM)
    for stream in streams:
        while stream.readline():
            pass
    assert running.process.wait() == 0
    log = (running.data / "log" / "canaleta.log").read_text()
    assert "did not stop" not in log
