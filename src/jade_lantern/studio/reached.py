"""By which names the application can be reached, and who may."""

from __future__ import annotations

import ipaddress
import secrets
import socket
from dataclasses import dataclass

import psutil

EVERYWHERE = {"0.0.0.0", "::"}
LOOPBACK_NAMES = {"localhost"}


@dataclass(frozen=True)
class Addresses:
    """hosts: names beside the loopback ones that requests may be for. links: addresses that work
    where they are printed. key: what every request must carry; empty where none is asked for."""

    hosts: tuple[str, ...]
    links: tuple[str, ...]
    key: str


def addresses_of(host: str, port: int, allowed: list[str], open_to_all: bool) -> Addresses:
    """How an address that is listened on is reached. Beyond this machine a key is asked for,
    unless it is to be open to all. allowed: names that are allowed already."""
    if is_loopback(host):
        return Addresses((), (address(host, port),), "")
    own = machine_names() if host in EVERYWHERE else [host]
    names = tuple(dict.fromkeys([*(in_brackets(n) for n in own), *allowed]))
    key = "" if open_to_all else secrets.token_urlsafe(18)
    asked = f"/?key={key}" if key else ""
    return Addresses(names, tuple(address(n, port) + asked for n in names), key)


def is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host in LOOPBACK_NAMES


def machine_names() -> list[str]:
    """This machine's own name, and its addresses beyond loopback."""
    found = [socket.gethostname()]
    for addresses in psutil.net_if_addrs().values():
        for one in addresses:
            if one.family in (socket.AF_INET, socket.AF_INET6):
                plain = one.address.partition("%")[0]
                parsed = ipaddress.ip_address(plain)
                if not (parsed.is_loopback or parsed.is_link_local):
                    found.append(plain)
    return found


def in_brackets(host: str) -> str:
    return f"[{host}]" if ":" in host and not host.startswith("[") else host


def address(host: str, port: int) -> str:
    return f"http://{in_brackets(host)}:{port}"
