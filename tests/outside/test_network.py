"""What goes between two computers, held against the standards it follows and against other programs' reading of it."""

import asyncio
import hmac
import socket
import ssl
import struct
import threading
import time

import av
import numpy as np
import pytest
from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes
from zeroconf import ServiceBrowser, Zeroconf

from brucke.core.network.clock_offset import FourTimes, offset_and_delay
from brucke.core.network.linear_pcm import decode_pcm
from brucke.core.network.rtp_packet import RtpError, parse_rtp, unwrapped
from brucke.core.network.session_description import DescriptionError, Stream, describe, read_description
from brucke.ports.network.agreement import Agreement, AgreementError
from brucke.ports.network.gstreamer import missing_packages
from brucke.ports.network.identity import Identity, is_certificate
from brucke.ports.network.neighbours import TYPE, Neighbours
from brucke.ports.network.plain_stream import PlainStream
from brucke.ports.network.plain_streams import PlainReceived
from brucke.ports.network.sound_streams import RtpSender, SentStream, StreamKey

RATE = 48000
without_library = pytest.mark.skipif(bool(missing_packages()), reason="the streaming library is not there")


def test_offset_and_delay_are_those_of_rfc_5905():
    """RFC 5905, section 8: θ = ½[(T2 − T1) + (T3 − T4)], δ = (T4 − T1) − (T3 − T2), calculated by hand."""
    offset, delay = offset_and_delay(FourTimes(10.0, 1010.3, 1010.5, 10.9))
    assert offset == pytest.approx((1000.3 + 999.6) / 2)
    assert delay == pytest.approx(0.9 - 0.2)


def test_a_header_is_read_as_rfc_3550_draws_it():
    """RFC 3550, section 5.1 and 5.3.1: version, padding, extension, contributing sources; bytes laid out by hand."""
    plain = bytes.fromhex("80e0 0001 00000080 deadbeef".replace(" ", "")) + b"sound"
    assert parse_rtp(plain) == (96, True, 1, 128, 0xDEADBEEF, b"sound")
    all_of_it = (
        bytes.fromhex("b260ffff ffffff80 00000007".replace(" ", ""))  # padding, extension, two sources
        + struct.pack("!II", 1, 2) + struct.pack("!HHII", 0xBEDE, 2, 3, 4) + b"sound" + b"\0\0\3"
    )  # fmt: skip
    assert parse_rtp(all_of_it) == (96, False, 0xFFFF, 0xFFFFFF80, 7, b"sound")
    for end in range(12):
        with pytest.raises(RtpError):
            parse_rtp(plain[:end])
    for bad in (b"\x40" + plain[1:], b"\x8f" + plain[1:], b"\x90" + plain[1:], b"\xa0" + plain[1:-1] + b"\xff"):
        with pytest.raises(RtpError):
            parse_rtp(bad)
    assert unwrapped(0x00000080, 2**32 - 128) == 2**32 + 128
    assert unwrapped(0xFFFFFF80, 2**32 + 128) == 2**32 - 128


def test_whole_numbers_are_those_of_rfc_3551_and_3190():
    """RFC 3551, 4.5.11 (L16) and RFC 3190, 4 (L24): two's complement, network order, left before right."""
    assert decode_pcm(bytes.fromhex("40008000"), "L16", 2).tolist() == [[0.5, -1.0]]
    assert decode_pcm(bytes.fromhex("400000c00000" "000001ffffff"), "L24", 2).tolist() == [
        [0.5, -0.5], [2.0**-23, -(2.0**-23)],
    ]  # fmt: skip


def derived(master: bytes, salt: bytes, label: int, count: int) -> bytes:
    """A session key: RFC 3711, section 4.3.3, with a key derivation rate of 0."""
    x = int.from_bytes(salt) ^ (label << 48)
    counter = (x << 16).to_bytes(16)
    return Cipher(algorithms.AES(master), modes.CTR(counter)).encryptor().update(bytes(count))


def test_session_keys_of_the_worked_example():
    """RFC 3711, appendix B.3."""
    master = bytes.fromhex("E1F97A0D3E018BE0D64FA32C06DE4139")
    salt = bytes.fromhex("0EC675AD498AFEEBB6960B3AABE6")
    assert derived(master, salt, 0, 16).hex().upper() == "C61E7A93744F39EE10734AFE3FF7A087"
    assert derived(master, salt, 2, 14).hex().upper() == "30CBBC08863D8C85D49DB34A9AE1"
    assert derived(master, salt, 1, 20).hex().upper() == "CEBE321F6FF7716B6FD4AB49AF256A156D38BAA4"


def opened(packet: bytes, key: StreamKey) -> bytes:
    """The plain packet of an encrypted one, by RFC 3711, sections 3.1, 4.1.1 and 4.2.1; its index is its sequence."""
    master, salt = key.key[:16], key.key[16:]
    body, tag = packet[:-10], packet[-10:]
    assert hmac.digest(derived(master, salt, 1, 20), body + bytes(4), "sha1")[:10] == tag
    sequence, ssrc = struct.unpack_from("!2xH4xI", body)
    counter = (int.from_bytes(derived(master, salt, 2, 14)) << 16) ^ (ssrc << 64) ^ (sequence << 16)
    cipher = Cipher(algorithms.AES(derived(master, salt, 0, 16)), modes.CTR(counter.to_bytes(16)))
    return body[:12] + cipher.encryptor().update(body[12:])


@without_library
def test_what_goes_out_is_opened_by_the_standard_alone_and_is_the_sound_to_the_bit():
    listens = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    listens.bind(("127.0.0.1", 0))
    listens.settimeout(3.0)
    key, first = StreamKey.fresh(), 2**32 - 640
    rng = np.random.default_rng(4)
    sound = (np.round(rng.uniform(-0.99, 0.99, (1280, 2)) * 2**23) / 2**23).astype(np.float32)
    sound[200:240, 0], sound[200:240, 1] = 1.7, -3.0
    numbers = np.clip(sound, -1.0, 1.0 - 2.0**-23)  # what is too loud ends at the largest number there is
    stream = SentStream(RATE, key, "127.0.0.1", listens.getsockname()[1])
    for at in range(0, len(sound), 128):
        stream.push(first + at, sound[at : at + 128])
        time.sleep(0.003)
    try:
        for at in range(0, len(sound), 128):
            packet = listens.recv(2048)
            assert sound[at : at + 128].tobytes() not in packet
            plain = parse_rtp(opened(packet, key))
            assert (plain.ssrc, plain.payload_type, plain.timestamp) == (key.ssrc, 96, (first + at) % 2**32)
            assert np.array_equal(decode_pcm(plain.payload, "L24", 2), numbers[at : at + 128])
    finally:
        stream.stop()
        listens.close()


def test_another_program_of_multicast_dns_finds_us_and_reads_nothing_but_a_name_and_a_number():
    """The library's own browser, RFC 6762 and 6763."""
    found: dict[str, object] = {}

    async def announce():
        ours = Neighbours("0123456789abcdef" * 2, "Desk · Überall", 4711, lambda: None)
        await ours.begin()
        browser = Zeroconf()
        try:
            ServiceBrowser(
                browser, TYPE, handlers=[lambda **told: found.setdefault(told["name"], told["state_change"])]
            )
            for _ in range(60):
                await asyncio.sleep(0.1)
                if any(n.startswith("0123456789abcdef") for n in found):
                    break
            name = next(n for n in found if n.startswith("0123456789abcdef"))
            info = await asyncio.to_thread(browser.get_service_info, TYPE, name)
            return info.port, info.properties
        finally:
            browser.close()
            await ours.end()

    port, properties = asyncio.run(announce())
    assert port == 4711
    assert properties == {b"id": b"0123456789abcdef" * 2, b"n": "Desk · Überall".encode(), b"v": b"1"}


def test_only_who_has_the_digits_and_the_certificates_agrees(rng, tmp_path):
    one, two = Identity(tmp_path / "1"), Identity(tmp_path / "2")
    stranger = Identity(tmp_path / "3")

    def tried(typed, shown, seen_by_one, seen_by_two):
        a, b = Agreement("types", typed, one.certificate), Agreement("shows", shown, two.certificate)
        proof_a, proof_b = a.proof(b.message, seen_by_one), b.proof(a.message, seen_by_two)
        b.check(proof_a)
        a.check(proof_b)

    tried("0471", "0471", two.certificate, one.certificate)
    for bad in (
        ("0471", "0472", two.certificate, one.certificate),
        ("0471", "0471", stranger.certificate, one.certificate),  # somebody stands between
        ("0471", "0471", two.certificate, stranger.certificate),
    ):
        with pytest.raises(AgreementError):
            tried(*bad)
    for message in (b"", b"x" * 33, b"A" + bytes(32), bytes(200)):
        with pytest.raises(AgreementError):
            Agreement("types", "0471", one.certificate).proof(message, two.certificate)
    refused = 0
    for _ in range(40):  # most numbers are no point of the group
        try:
            Agreement("types", "0471", one.certificate).proof(b"B" + rng.bytes(32), two.certificate)
        except AgreementError:
            refused += 1
    assert refused > 10
    assert one.id != two.id
    made_up = one.certificate[:100] + rng.bytes(100)
    assert is_certificate(one.certificate)
    assert not is_certificate(made_up)
    assert two.context(True, (made_up, one.certificate)).get_ca_certs(binary_form=True) == [one.certificate]
    assert ssl.DER_cert_to_PEM_cert(one.certificate) == (tmp_path / "1" / "peer_certificate.pem").read_text()


def whole_numbers(rng, frames):
    """Sound [frames, 2] of 24 bits, to the bit."""
    return (rng.integers(-(2**23), 2**23, (frames, 2)) / 2**23).astype(np.float32)


def test_a_description_is_read_as_rfc_8866_writes_it():
    """The example of RFC 8866, section 5, without its people, cannot be taken; with L16 or L24 in it, it can."""
    example = (
        b"v=0\r\no=- 3724394400 3724394405 IN IP4 198.51.100.1\r\ns=A call\r\ni=SDP Offer #1\r\n"
        b"u=http://www.example.com/home.html\r\ne=somebody@example.com\r\np=+1 617 555-6011\r\n"
        b"c=IN IP4 198.51.100.1\r\nt=0 0\r\nm=SOUND 49170 RTP/AVP 0\r\nm=SOUND 49180 RTP/AVP 0\r\n"
        b"m=video 51372 RTP/AVP 99\r\nc=IN IP6 2001:db8::2\r\na=rtpmap:99 h263-1998/90000\r\n"
    ).replace(b"SOUND", b"audio")
    with pytest.raises(DescriptionError, match="not L16 or L24"):
        read_description(example)
    ours = example.replace(b" 49170 RTP/AVP 0", b" 49170 RTP/AVP 98\r\na=rtpmap:98 L24/48000/2")
    assert read_description(ours) == Stream("198.51.100.1", "198.51.100.1", 49170, 98, "L24", 48000, 2)
    static = example.replace(b"RTP/AVP 0", b"RTP/AVP 10", 1)  # RFC 3551, table 4
    assert read_description(static)[4:] == ("L16", 44100, 2)
    made = Stream("10.0.0.1", "10.0.0.2", 5004, 96, "L24", 48000, 2)
    assert read_description(describe(made, "Night\nboat").encode()) == made


@without_library
def test_another_program_hears_what_we_send_by_our_description_to_the_bit(tmp_path, rng):
    """FFmpeg's libraries open the description and decode."""
    port = free_port()
    how = PlainStream(address="127.0.0.1", port=port, encoding="L24", payload_type=96, rate_hz=RATE)
    text = describe(Stream("127.0.0.1", "127.0.0.1", port, 96, "L24", RATE, 2), "Nightboat")
    (tmp_path / "ours.sdp").write_text(text)
    sound, heard = whole_numbers(rng, 128 * 700), []
    ready, done = threading.Event(), threading.Event()

    def hear():
        options = {"protocol_whitelist": "file,udp,rtp", "analyzeduration": "100000", "probesize": "20000"}
        ready.set()
        with av.open(str(tmp_path / "ours.sdp"), options=options, timeout=8.0) as there:
            for frame in there.decode(audio=0):
                heard.append(frame.to_ndarray().reshape(-1, 2))
                if sum(map(len, heard)) > 128 * 300:
                    break
        done.set()

    listener = threading.Thread(target=hear, daemon=True)
    listener.start()
    assert ready.wait(5)
    time.sleep(0.3)
    sent = RtpSender(how, 77)
    try:
        for at in range(0, len(sound), 128):
            sent.push(at, sound[at : at + 128])
            time.sleep(0.0026)
            if done.is_set():
                break
    finally:
        sent.stop()
    assert done.wait(10)
    got = (np.concatenate(heard).astype(np.int64) >> 8).astype(np.int64)
    ours = np.round(sound.astype(np.float64) * 2**23).astype(np.int64)
    begin = next(i for i in range(len(ours) - len(got)) if np.array_equal(ours[i : i + 64], got[:64]))
    assert np.array_equal(ours[begin : begin + len(got)], got)


def test_what_another_program_sends_is_taken_to_the_bit_and_from_nobody_else(rng):
    """FFmpeg's libraries send L24; a stranger's packets on the same port are left out."""
    port = free_port()
    ours = PlainReceived(
        PlainStream(address="127.0.0.1", port=port, encoding="L24", payload_type=97, rate_hz=RATE)
    )  # FFmpeg's first dynamic number for sound
    sound = whole_numbers(rng, 480 * 40)
    whole = np.round(sound.astype(np.float64) * 2**23).astype(np.int32) << 8
    stranger = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    stranger.bind(("127.0.0.2", 0))
    found = []
    try:
        with av.open(f"rtp://127.0.0.1:{port}", "w", format="rtp") as there:
            stream = there.add_stream("pcm_s24be", rate=RATE, layout="stereo")
            for at in range(0, len(whole), 480):
                frame = av.AudioFrame.from_ndarray(whole[at : at + 480].reshape(1, -1), format="s32", layout="stereo")
                frame.sample_rate, frame.pts = RATE, at
                for packet in stream.encode(frame):
                    there.mux(packet)
                stranger.sendto(struct.pack("!BBHII", 0x80, 97, 1, at, 99) + bytes(600), ("127.0.0.1", port))
                time.sleep(0.01)
                found += ours.taken()
        time.sleep(0.1)
        found += ours.taken()
    finally:
        ours.stop()
        stranger.close()
    assert ours.refused >= 40
    first = found[0][0]
    got = np.zeros_like(sound)
    for at, piece in found:
        got[at - first : at - first + len(piece)] = piece
    assert np.array_equal(got[: len(sound) - 480], sound[: len(sound) - 480])


def free_port():
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1] & ~1
