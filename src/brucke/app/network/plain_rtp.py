"""Programs that are no Brucke and speak plain RTP: a listener there, a part from there, off unless somebody chooses."""

import ipaddress

from ...core.edits.peer_edits import PLAIN, listener_at_program, part_of_program
from ...core.network.session_description import Encoding, Stream, describe
from ...engine.processes.peer_messages import PeerArguments
from ...ports.network.listening import own_address
from ...ports.network.plain_stream import PlainStream
from ...words.translation import _
from .headphones import with_headphones
from .peer_session import PeerSession
from .two_computers import TwoComputers

PAYLOAD_TYPE = 96


def send_plain(two: TwoComputers, address: str, port: int, encoding: Encoding = "L24") -> str:
    """A listener there, from now on; the description that the program there opens. Errors: ValueError for what is no
    address."""
    address, setup = str(ipaddress.IPv4Address(address)), two.session.setup
    after = listener_at_program(setup, f"{PLAIN}{address}", address)
    two.session.edit(_("send to {address}").format(address=address), after, "gather")
    goes = PlainStream(
        address=address, port=port, encoding=encoding, payload_type=PAYLOAD_TYPE, rate_hz=setup.rate_hz, channels=2
    )
    _begin(two, address, goes=goes)
    ours = Stream(own_address(address), address, port, PAYLOAD_TYPE, encoding, setup.rate_hz, 2)
    return describe(ours, setup.name)


def take_plain(two: TwoComputers, stream: Stream) -> None:
    """A part from there, from now on, as its program describes it."""
    after = part_of_program(with_headphones(two.session.setup), f"{PLAIN}{stream.source}", stream.source)
    two.session.edit(_("take from {address}").format(address=stream.source), after, "gather")
    comes = PlainStream(
        address=stream.source, port=stream.port, encoding=stream.encoding, payload_type=stream.payload_type,
        rate_hz=stream.rate_hz, channels=stream.channels,
    )  # fmt: skip
    _begin(two, stream.source, comes=comes)


def _begin(
    two: TwoComputers, address: str, comes: PlainStream | None = None, goes: PlainStream | None = None
) -> None:  # fmt: skip
    id = f"{PLAIN}{address}"
    old = two.sessions[id].given if id in two.sessions else PeerArguments()
    two.part(id)
    given = PeerArguments(address=address, comes=comes or old.comes, goes=goes or old.goes)
    two.sessions[id] = PeerSession(id, address, given, None)
    if two.running.state == "stopped":
        two.running.start()
    two.changed.emit()
