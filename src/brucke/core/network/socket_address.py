"""Addresses as programs write them: four numbers (IPv4), and with a port behind a colon."""

import ipaddress


def is_address(text: str) -> bool:
    """Whether it is four numbers that one computer can have."""
    try:
        found = ipaddress.IPv4Address(text)
    except ValueError:
        return False
    return not (found.is_multicast or found.is_unspecified or found.is_reserved)


def parse_socket_address(text: str) -> tuple[str, int] | None:
    """(address, port) of “192.168.1.20:41234”; None for anything else."""
    address, _, port = text.strip().rpartition(":")
    if not (is_address(address) and port.isascii() and port.isdigit() and 0 < int(port[:6]) < 65536):
        return None
    return address, int(port)
