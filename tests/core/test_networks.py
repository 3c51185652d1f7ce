"""Where racks may be: networks with their ports, never the addresses that are no rack's."""

from __future__ import annotations

import pytest

from canaleta.core.model.conventions import Conventions
from canaleta.core.notation.networks import allowed_address, rack_networks

ALLOWED = "192.168.10.0/24 port 502, 10.0.0.0/8 ports 500-510, 172.16.4.0/24"


@pytest.mark.parametrize(
    ("host", "port", "allowed"),
    [
        ("192.168.10.7", 502, True),
        ("192.168.10.7", 5432, False),
        ("192.168.11.7", 502, False),
        ("10.1.2.3", 500, True),
        ("10.1.2.3", 510, True),
        ("10.1.2.3", 511, False),
        ("172.16.4.9", 22, True),
        ("::ffff:192.168.10.7", 502, True),
        ("169.254.1.1", 502, False),
        ("224.0.0.1", 502, False),
    ],
)
def test_a_rack_is_where_a_network_and_its_ports_are(host: str, port: int, allowed: bool) -> None:
    assert allowed_address(ALLOWED, host, port) is allowed


def test_link_local_is_never_allowed_whatever_an_administrator_writes() -> None:
    assert not allowed_address("0.0.0.0/0", "169.254.1.1", 502)


def test_a_new_plant_reaches_its_own_machine_and_no_service_below_1024_but_modbus() -> None:
    usual = Conventions().rack_networks
    assert allowed_address(usual, "127.0.0.1", 502)
    assert allowed_address(usual, "127.0.0.1", 15020)
    assert not allowed_address(usual, "127.0.0.1", 22)


@pytest.mark.parametrize(
    "text", ["10.0.0.0/8 port", "10.0.0.0/8 ports 9-3", "10.0.0.0/8 port 0", "host port 502", "10.0.0.0/8 502"]
)
def test_what_cannot_be_read_is_named(text: str) -> None:
    with pytest.raises(ValueError, match="is no network such as"):
        rack_networks(text)
