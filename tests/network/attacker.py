"""A stranger on the same network: listens on the wire, and sends what nobody should take.

`listen FILE SECONDS` keeps the packets that pass; `send FILE SECONDS ADDRESS TCP,… UDP,…` sends them again, with others
that are malformed, oversized, foreign and reordered, and speaks nonsense to everything that listens.
"""

import contextlib
import os
import pickle  # of its own files only
import random
import socket
import ssl
import sys
import time

NONSENSE = (
    b"{" * 100_000 + b"\n",
    b'{"type":"Hello","version":1,"name":"x","wants":"open"}\n',
    b'{"type":"Hello","version":99,"name":"x"}\n',
    b'{"type":"Offer","things":[' + b"1," * 9000 + b"]}\n",
)


def listen(file, seconds):
    sniffer = socket.socket(socket.AF_PACKET, socket.SOCK_DGRAM, socket.htons(0x0800))
    sniffer.bind(("wire", 0))
    sniffer.settimeout(0.2)
    kept, until = [], time.monotonic() + seconds
    while time.monotonic() < until:
        with contextlib.suppress(TimeoutError):
            packet = sniffer.recv(4096)
            begin = 4 * (packet[0] & 15)
            if packet[9] == 17 and len(packet) > begin + 500:
                kept.append(packet[begin + 8 :])
    with open(file, "wb") as f:
        pickle.dump(kept, f)


def send(file, seconds, address, tcp, udp):
    with open(file, "rb") as f:
        kept = pickle.load(f)
    rng, plain = random.Random(5), socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    until, sent, replayed = time.monotonic() + seconds, 0, 0
    while time.monotonic() < until:
        for port in udp:
            for packet in rng.sample(kept, 20):
                packet = bytearray(packet)
                kind = rng.randrange(6)
                if kind == 1:
                    packet[rng.randrange(len(packet))] ^= 1 << rng.randrange(8)
                elif kind == 2:
                    packet = packet[: rng.randrange(len(packet))]
                elif kind == 3:
                    packet = bytearray(os.urandom(rng.choice((1, 12, 700, 1400))))
                elif kind == 4:
                    packet = packet[:12] + os.urandom(len(packet) - 12)  # its header, another's key
                elif kind == 5:
                    packet = packet + bytes(8000)
                with contextlib.suppress(OSError):
                    plain.sendto(packet, (address, port))
                sent += 1
                replayed += kind == 0
        for port in tcp:
            with contextlib.suppress(OSError, ssl.SSLError):
                speak_nonsense(rng, address, port)
        time.sleep(0.02)
    print(sent, replayed)


def speak_nonsense(rng, address, port):
    line = socket.create_connection((address, port), timeout=0.3)
    if rng.random() < 0.5:
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
        line = context.wrap_socket(line)
    line.sendall(rng.choice((os.urandom(300), *NONSENSE)))
    line.settimeout(0.1)
    with contextlib.suppress(OSError):
        line.recv(1000)
    if rng.random() < 0.9:
        line.close()


if __name__ == "__main__":
    if sys.argv[1] == "listen":
        listen(sys.argv[2], float(sys.argv[3]))
    else:
        ports = [[int(p) for p in text.split(",") if p] for text in sys.argv[5:7]]
        send(sys.argv[2], float(sys.argv[3]), sys.argv[4], *ports)
