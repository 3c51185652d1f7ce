"""The private cluster: half-made ones are thrown away, secrets are for the owner only, ports are free."""

from __future__ import annotations

import socket
import stat
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from canaleta.host import start
from canaleta.host.cluster import Cluster, choosing_ports, free_port, load_secrets
from canaleta.host.folder import only_one, prepare
from canaleta.host.steps import TroubleError

pytestmark = pytest.mark.database


@pytest.fixture
def data() -> Iterator[Path]:
    """A folder that an unprivileged owner can reach; pytest's own is closed to others."""
    with tempfile.TemporaryDirectory(prefix="canaleta-test-") as name:
        Path(name).chmod(0o755)
        yield Path(name)


def test_a_half_made_cluster_is_made_anew_and_serves(data: Path) -> None:
    (data / "postgres" / "data.new").mkdir(parents=True)
    (data / "postgres" / "data.new" / "half").touch()
    cluster = Cluster(data, data / "log")
    with cluster.for_a_moment():
        with psycopg.connect(cluster.runtime_url) as connection:
            assert connection.execute("select current_user, current_setting('is_superuser')").fetchone() == (
                "canaleta_runtime",
                "off",
            )
        assert "127.0.0.1" in cluster.owner_url
    assert not (data / "postgres" / "data.new").exists()
    assert not (data / "postgres" / "password").exists(), "the password file is gone"


def test_secrets_are_made_once_and_closed_to_others(data: Path) -> None:
    first = load_secrets(data)
    assert load_secrets(data) == first
    assert stat.S_IMODE((data / "secrets.json").stat().st_mode) == 0o600
    assert len({first.owner_password, first.runtime_password, first.source_token}) == 3


def test_a_taken_port_is_not_given_out() -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert free_port(port) != port


def test_a_data_folder_has_one_user_at_a_time(data: Path) -> None:
    prepare(data)
    with only_one(data) as lock:
        lock.is_up("http://here")
        with pytest.raises(TroubleError, match="at http://here"):
            only_one(data)
    with only_one(data):
        pass


def test_two_starts_choose_their_ports_one_after_the_other() -> None:
    """Who comes second waits until the first has its ports: else both would find the same ones free."""
    order: list[str] = []

    def second() -> None:
        with choosing_ports():
            order.append("second")

    other = threading.Thread(target=second)
    with choosing_ports():
        other.start()
        other.join(0.3)
        assert other.is_alive(), "it waits"
        order.append("first")
    other.join(10)
    assert order == ["first", "second"]


def test_a_port_that_is_found_free_twice_goes_to_one_rack(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nobody listens yet when ports are chosen: the machine may offer one again."""
    offered = iter([40923, 40923, 40924, 15022])
    monkeypatch.setattr(start, "free_port", lambda wish=0: wish if wish == 15022 else next(offered))
    assert start._distinct_ports([(1, 15020), (2, 15021), (3, 15022)]) == {1: 40923, 2: 40924, 3: 15022}
