"""What a stranger may send, changed at random for BRUCKE_FUZZ_S seconds a kind: read within its bounds, or refused as
such. Only one second here."""

import asyncio
import gc
import os
import random
import resource
import time

import pytest
from zeroconf import DNSAddress, DNSOutgoing, DNSPointer, DNSService, DNSText

from brucke.core.network.control_messages import Hello, Offer, Offered, Receive, Received, decode, encode
from brucke.core.network.rtp_packet import RtpError, parse_rtp
from brucke.core.network.session_description import SOUND, DescriptionError, Stream, describe, read_description
from brucke.core.network.socket_address import is_address
from brucke.ports.network.identity import Identity, fingerprint, is_certificate
from brucke.ports.network.neighbours import ID_DIGITS, MOST, TYPE, Neighbours

NASTY = b"\xc2\xb2", b"9" * 5000, b"-1", b"1e999", b"\x00", b"\xff\xff", b"[" * 900
SECONDS = float(os.environ.get("BRUCKE_FUZZ_S", "1"))
MEMORY_KB = 40_000  # beyond what the first tenth took


def changed(rng, seeds):
    """One of the seeds, with pieces of it turned, cut, doubled, made up or taken from another one."""
    data = bytearray(rng.choice(seeds))
    for _ in range(rng.randint(0, 6)):
        at = rng.randint(0, len(data))
        piece = rng.choice(seeds)
        begin = rng.randint(0, len(piece))
        new = rng.choice([rng.randbytes(rng.randint(0, 40)), piece[begin : begin + rng.randint(0, 60)], *NASTY])
        data[at : at + rng.choice([0, 0, len(new), 1, 50])] = new
    return bytes(data)


def said(data):
    try:
        found = decode(data)
    except ValueError:
        return 0
    assert decode(encode(found)[:-1]) == found
    return 1


def packet(data):
    try:
        found = parse_rtp(data)
    except RtpError:
        return 0
    assert found.payload in data
    return 1


def described(data):
    try:
        found = read_description(data)
    except DescriptionError:
        return 0
    assert 1 <= found.port <= 65535
    assert 8000 <= found.rate_hz <= 192000
    assert found.channels in (1, 2)
    assert read_description(describe(found._replace(source=found.destination), "-").encode()).port == found.port
    return 1


STREAM = Stream("10.0.0.1", "10.0.0.2", 5004, 96, "L24", 48000, 2)
SHORT = f"v=0\r\nm={SOUND} 5004 RTP/AVP 11\r\nc=IN IP4 10.0.0.2".encode()
WRONG = f"""v=0
o=- 1 1 IN IP4 10.0.0.1
c=IN IP4 10.0.0.2/127
m=video 1 RTP/AVP 96
m={SOUND} x RTP/AVP 1
m=
c=IN IP4 999.1.1.1
a=rtpmap:96 L24/48000/99
a=source-filter: incl IN IP4 * 10.0.0.3
""".encode()
KINDS = {
    "control": (said, [encode(m) for m in (
        Hello(version=1, name="Näh", wants="open"), Receive(key="part:a", port=5004, ssrc=7, secret=bytes(30)),
        Offer(things=(Offered(key="listener:x", name="X"),)), Received(set_point_s=0.01, wander_s=0.0))]),
    "rtp": (packet, [b"\x80\x60" + bytes(10) + b"sound" * 9, b"\xb1\x60" + bytes(30), b"\x90\x60" + bytes(40)]),
    "description": (described, [describe(STREAM, "Nightboat").encode(), SHORT, WRONG]),
}  # fmt: skip


def fuzz(look, seeds):
    """How many were accepted and how many were sent; memory stays."""
    rng, count, accepted, before = random.Random(7), 0, 0, None
    end, warm = time.monotonic() + SECONDS, time.monotonic() + SECONDS / 10
    while time.monotonic() < end:
        accepted += look(changed(rng, seeds))
        count += 1
        if before is None and time.monotonic() > warm:
            before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    assert before is not None, "it stood still for all of the time"
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < MEMORY_KB
    print(f"{count} sent, {accepted} accepted")
    return accepted, count


@pytest.mark.parametrize("kind", KINDS)
def test_whatever_is_sent_is_read_within_bounds_or_refused(kind):
    accepted, count = fuzz(*KINDS[kind])
    assert 0 < accepted < count


def test_whatever_says_it_is_a_certificate_is_one_or_nobodys(tmp_path):
    ours, theirs = Identity(tmp_path / "ours"), Identity(tmp_path / "theirs")

    def look(data):
        context = ours.context(True, (data,))
        assert fingerprint(data) != theirs.id or data == theirs.certificate
        trusted = context.get_ca_certs(binary_form=True)
        assert trusted == ([data] if is_certificate(data) else [])
        return len(trusted)

    accepted, count = fuzz(look, [theirs.certificate, ours.certificate])
    assert 0 < accepted < count


def answer(id, name, address, port=5004, strange=b""):
    out = DNSOutgoing(0x8400)
    full, server = f"{id}.{TYPE}", f"brucke-{id[:20]}.local."
    out.add_answer_at_time(DNSPointer(TYPE, 12, 1, 120, full), 0)
    out.add_answer_at_time(DNSService(full, 33, 1, 120, 0, 0, port, server), 0)
    fields = [b"id=" + id.encode(), b"n=" + name, b"v=1", strange]
    out.add_answer_at_time(DNSText(full, 16, 1, 120, b"".join(bytes([len(f)]) + f for f in fields if f)), 0)
    out.add_answer_at_time(DNSAddress(server, 1, 1, 120, bytes(address)), 0)
    return out.packets()[0]


def test_whatever_is_answered_on_the_network_is_a_neighbour_within_bounds_or_none():
    raised = []

    async def run():
        asyncio.get_running_loop().set_exception_handler(lambda _loop, context: raised.append(context))
        there = Neighbours("0" * ID_DIGITS, "Desk", 5005, lambda: None)
        await there.begin()
        receive = there._zeroconf.zeroconf.engine.protocols[0].datagram_received
        receive(answer("a" * ID_DIGITS, b"Stage", (10, 0, 0, 7)), ("10.0.0.7", 5353))
        await asyncio.sleep(0.3)
        assert there.found["a" * ID_DIGITS] == ("Stage", "10.0.0.7", 5004)
        rng = random.Random(8)
        end, sent = time.monotonic() + SECONDS, 0
        while time.monotonic() < end:
            id = "".join(rng.choices("0123456789abcdef", k=rng.choice([ID_DIGITS, ID_DIGITS, 5, 60])))
            whole = answer(id, rng.randbytes(rng.randint(0, 80)), rng.randbytes(4), rng.choice([0, 5004, 65535]),
                           rng.randbytes(rng.randint(0, 60)))  # fmt: skip
            receive(whole if sent % 3 == 0 else changed(rng, [whole]), ("10.0.0.9", 5353))
            sent += 1
            if sent % 20 == 0:
                await asyncio.sleep(0.001)
        await asyncio.sleep(0.3)
        found = dict(there.found)
        await there.end()
        return found, sent

    found, sent = asyncio.run(run())
    gc.collect()  # what a task raised is told when it goes
    assert [c for c in raised if "future" in c] == [], "of ours; the library's own queries may end by a name too long"
    print(f"{sent} sent, {len(found)} found")
    assert 1 < len(found) <= MOST
    for id, (name, address, port) in found.items():
        assert len(id) == ID_DIGITS
        assert 0 < len(name) <= 60
        assert is_address(address)
        assert 0 < port < 65536
    assert "a" * ID_DIGITS in found
