"""Where racks may be looked for: networks and ports that an administrator allows."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass
from functools import lru_cache

__all__ = ["RackNetwork", "allowed_address", "rack_networks"]


@dataclass(frozen=True)
class RackNetwork:
    """Where racks may be: a network, and ports from `least` to `most`."""

    network: ipaddress.IPv4Network | ipaddress.IPv6Network
    least: int = 1
    most: int = 65_535


@lru_cache(maxsize=64)
def rack_networks(text: str) -> tuple[RackNetwork, ...]:
    """The networks of “192.168.10.0/24 port 502, 127.0.0.0/8 ports 1024-65535”; without ports all of them are meant.

    Raises ValueError that names the part that cannot be read.
    """
    out = []
    for part in (p.strip() for p in text.split(",")):
        if not part:
            continue
        network, *rest = part.split()
        try:
            ports = rest[1] if len(rest) == 2 and rest[0] in ("port", "ports") else ("1-65535" if not rest else "")
            low, _, high = ports.partition("-")
            found = RackNetwork(ipaddress.ip_network(network, strict=False), int(low), int(high or low))
            if not 1 <= found.least <= found.most <= 65_535:
                raise ValueError
        except ValueError as error:
            raise ValueError(f"“{part}” is no network such as 192.168.10.0/24 port 502, or ports 502-599") from error
        out.append(found)
    return tuple(out)


def allowed_address(networks: str, host: str, port: int) -> bool:
    """Whether a rack may be looked for at an address and port. networks: those allowed; see `rack_networks`.

    Never link-local, multicast or unspecified. Raises ValueError if either text is no address.
    """
    address = ipaddress.ip_address(host)
    if isinstance(address, ipaddress.IPv6Address) and address.ipv4_mapped:
        address = address.ipv4_mapped
    if address.is_link_local or address.is_multicast or address.is_unspecified:
        return False
    return any(address in n.network and n.least <= port <= n.most for n in rack_networks(networks))
