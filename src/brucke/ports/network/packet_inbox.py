"""Packets of sound that the chains of several streams hand on, each as it came out of its decryption."""

import contextlib
import socket

from ...core.network.rtp_packet import RtpError, RtpPacket, parse_rtp

MOST_PACKET = 9000
MOST_AT_ONCE = 512  # packets that are looked at in one turn


class PacketInbox:
    """One pair of sockets: chains write to `handle`, one message a packet, and wait while it is full. `refused` counts
    what was no packet."""

    def __init__(self) -> None:
        self._ours, self._theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self._ours.setblocking(False)
        self.refused = 0

    @property
    def handle(self) -> int:
        """Where chains write to."""
        return self._theirs.fileno()

    def pull(self) -> list[RtpPacket]:
        """What came since, of all streams in the order in which it came."""
        found = []
        with contextlib.suppress(BlockingIOError):
            for _ in range(MOST_AT_ONCE):
                try:
                    found.append(parse_rtp(self._ours.recv(MOST_PACKET)))
                except RtpError:
                    self.refused += 1
        return found

    def close(self) -> None:
        """After the chains have stopped."""
        self._ours.close()
        self._theirs.close()
