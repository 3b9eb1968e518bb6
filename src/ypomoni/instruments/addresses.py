"""Which addresses may be contacted: loopback, and what the operator allows in ``YPOMONI_METERS``. Nothing else is ever connected to."""

import ipaddress
import re
from dataclasses import dataclass

from ypomoni.instruments.protocol import NotAllowed

LOOPBACK = ("127.0.0.0/8", "::1/128")
USUAL_PORT = 5025
_ADDRESS = re.compile(r"^(?:\[([0-9a-fA-F:]+)\]|([0-9.]+|localhost))(?::(\d{1,5}))?$")


@dataclass(frozen=True, slots=True, kw_only=True)
class MeterAddress:
    """Where a meter listens: a numeric host and a port."""

    host: str
    port: int

    def __str__(self) -> str:
        return f"[{self.host}]:{self.port}" if ":" in self.host else f"{self.host}:{self.port}"


def read_address(text: str, allowed: tuple[str, ...] = ()) -> MeterAddress:
    """Return the address in a text, as in ``127.0.0.1:5025``. Names are not asked for: what they stand for could change after it was checked.

    Raises
    ------
    NotAllowed
        If it is no numeric address, or none that the operator allowed.
    """
    match = _ADDRESS.match(text.strip())
    if match is None:
        raise NotAllowed(f"must be a numeric address with its port, as in 127.0.0.1:{USUAL_PORT}.")
    host = "127.0.0.1" if match[2] == "localhost" else match[1] or match[2]
    port = int(match[3] or USUAL_PORT)
    try:
        ip = ipaddress.ip_address(host)
    except ValueError as error:
        raise NotAllowed(f"must be a numeric address with its port, as in 127.0.0.1:{USUAL_PORT}.") from error
    if not 0 < port < 65_536:
        raise NotAllowed("must have a port from 1 to 65535.")
    if not any(ip in ipaddress.ip_network(net) and wanted in (None, port) for net, wanted in _allowed(allowed)):
        raise NotAllowed("is not among the addresses that whoever runs this installation allowed. Ask them to add it to YPOMONI_METERS.")
    return MeterAddress(host=str(ip), port=port)


def _allowed(more: tuple[str, ...]) -> list[tuple[str, int | None]]:
    found: list[tuple[str, int | None]] = [(net, None) for net in LOOPBACK]
    for entry in more:
        match = re.match(r"^(?:\[([^\]]+)\]|([^:]+(?:/\d+)?))(?::(\d+))?$", entry.strip())
        if match:
            found.append((match[1] or match[2], int(match[3]) if match[3] else None))
    return found


def split_allowed(text: str) -> tuple[str, ...]:
    """Return the entries of the setting, as in ``192.168.7.20:5025, 192.168.8.0/24``."""
    return tuple(m.strip() for m in text.split(",") if m.strip())


def check_allowed(more: tuple[str, ...]) -> str | None:
    """Return what is wrong with the setting, or None: each entry is an address or a network, with a port or without."""
    for net, _ in _allowed(more)[len(LOOPBACK) :]:
        try:
            ipaddress.ip_network(net)
        except ValueError:
            return f"{net} is neither an address nor a network, as in 192.168.7.20:5025 or 192.168.7.0/24."
    return None if len(_allowed(more)) == len(LOOPBACK) + len(more) else "An entry is neither an address nor a network."
