"""Addresses of services: which are taken, and what of them says where something is sent."""

import re
from ipaddress import ip_address

from tavolan.errors import UsageError

# Narrower than RFC 3986: what two readers of addresses might read in two ways is refused.
_ADDRESS = re.compile(
    r"(?P<scheme>https?)://(?P<host>[A-Za-z0-9._-]+|\[[0-9A-Fa-f:.]+\])(?::(?P<port>\d{1,5}))?(?P<path>/[!-~]*)?",
    re.IGNORECASE,
)
_PORTS = {"http": 80, "https": 443}


def without_password(url: str) -> str:
    """Return an address without what is before its host: that's nobody's to see."""
    scheme, separator, rest = url.partition("://")
    place, slash, path = rest.partition("/")
    return f"{scheme}{separator}{place.rpartition('@')[2]}{slash}{path}" if separator else url.rpartition("@")[2]


def address_of(url: str) -> str:
    """Return scheme, host and port of a service's address, which secrets are bound to: `https://console.example:443`.

    Raises UsageError for what is no address, and for plain http to another machine, where anybody could read along.
    """
    found = _ADDRESS.fullmatch(url)
    shown = without_password(url)
    if not found or "\\" in url:
        raise UsageError(
            f'"{shown}" is no address of a service', "Write it as https://host/path, without a name or a password."
        )
    scheme, host = found["scheme"].lower(), found["host"].lower()
    if scheme == "http" and not _is_this_machine(host):
        raise UsageError(f"{shown} is plain http, which goes to this machine only", "Give its https:// address.")
    return f"{scheme}://{host}:{int(found['port'] or _PORTS[scheme])}"


def _is_this_machine(host: str) -> bool:
    if host == "localhost":
        return True
    try:
        return ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return False
