"""What a stream of sound to another computer costs: two of the processes that speak with a peer, over the loopback,
with engines that only count. Beside it, in the same run, the same streams through the bare library.
python -m bench peers [SECONDS]"""

import os
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import msgspec
import numpy as np

from bench.spent import cpu_s, memory_mb

STREAMS = 1, 2, 4, 8
SETTLED_S = 9.0  # clocks followed, set point found
RATE, BLOCK = 48000, 128
BARE = """
import secrets, sys, time
from brucke.ports.network.gstreamer import Chain
from brucke.ports.network.sound_streams import StreamKey, _encrypted_caps
key = lambda n: StreamKey(n + 1, bytes(30))
if sys.argv[1] == "send":
    chains = [Chain("audiotestsrc name=in is-live=true samplesperbuffer=128 wave=white-noise ! "
        "audio/x-raw,format=S24BE,rate=48000,channels=2,channel-mask=(bitmask)0x3 ! rtpL24pay ssrc=%d pt=96 mtu=1400 "
        "min-ptime=2666666 max-ptime=2666667 ! srtpenc key=%s rtp-cipher=aes-128-icm rtp-auth=hmac-sha1-80 ! "
        "udpsink host=127.0.0.1 port=%d sync=false async=false" % (n + 1, bytes(30).hex(), int(port)), ("in",))
        for n, port in enumerate(sys.argv[2:])]
else:
    chains = [Chain('udpsrc name=in address=127.0.0.1 port=0 caps="%s" ! srtpdec ! fakesink sync=false async=false'
        % _encrypted_caps(48000, key(n)), ("in",)) for n in range(int(sys.argv[2]))]
for c in chains:
    c.start()
print(*[c.port("in") for c in chains] if sys.argv[1] == "receive" else [0], flush=True)
time.sleep(1000)
"""


class CountingEngine:
    """Of one region: it does nothing but say which block it is at."""

    def __init__(self):
        from brucke.engine.processes.region import Region
        from brucke.engine.step.plan import Shape

        self.region = Region(Shape(captures=16, parts=1, listeners=8, channels=2, block=BLOCK, rate=RATE))
        rng = np.random.default_rng(1)
        outs = self.region.sound("out_ring")
        outs[:] = rng.uniform(-0.5, 0.5, outs.shape)

    def block(self, done):
        from brucke.engine.processes.region import Head

        now, told = time.monotonic_ns(), self.region["matched"][1]
        self.region.set(Head.OUT_BLOCKS, done)
        self.region.set(Head.CLOCK_BLOCKS, done)
        self.region.set(Head.CLOCK_NS, now)
        self.region.set(Head.BEAT_NS, now)
        from brucke.ports.devices.clocks.head import MatchedHead

        short = done * BLOCK - int(told[MatchedHead.DELIVERED])
        if told[MatchedHead.THERE] and short > 0:
            told[MatchedHead.LATE] += 1
            told[MatchedHead.SHORT] = max(told[MatchedHead.SHORT], short)


class Side:
    """The process of one peer, its engine and who orders it."""

    def __init__(self, folder, listening):
        from brucke.ports.network.identity import Identity

        self.identity, self.listening, self.engine = Identity(folder), listening, CountingEngine()
        self.state = None

    def start(self, other):
        from brucke.engine.processes.channel import Channel
        from brucke.engine.processes.peer_messages import PeerArguments

        self.channel, theirs = Channel.pair()
        given = PeerArguments(folder=str(self.identity.folder), certificate=other.identity.certificate, name="Side",
                              address="127.0.0.1", port=other.listening.getsockname()[1])  # fmt: skip
        handles = theirs.fileno(), self.listening.fileno()
        self.process = subprocess.Popen(
            [sys.executable, "-m", "brucke.engine.processes.peer", *map(str, handles),
             msgspec.json.encode(given).decode()],
            pass_fds=handles, env={**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"},
        )  # fmt: skip
        theirs.close()

    def wire(self, comes, sends):
        from brucke.engine.processes.peer_messages import RewirePeer, UseEngine
        from brucke.engine.processes.region import shape_text
        from brucke.ports.devices.peer import PeerWiring

        self.channel.send(UseEngine(shape=shape_text(self.engine.region.shape)), self.engine.region.fd)
        rows = tuple((c, c) for c in range(2 * len(comes)))
        self.channel.send(RewirePeer(wiring=PeerWiring(
            name="peer", devices=(1,), rows=rows, comes=tuple((key, 2 * i) for i, key in enumerate(comes)),
            sends=tuple((key, i) for i, key in enumerate(sends)))))  # fmt: skip

    def hear(self):
        while (message := self.channel.receive()) is not None:
            self.state = message

    def end(self):
        self.process.kill()
        self.process.wait()


def _spent(pids, seconds):
    before = [cpu_s(pid) for pid in pids]
    time.sleep(seconds)
    return [100 * (cpu_s(pid) - was) / seconds for pid, was in zip(pids, before, strict=True)]


def ours(count, seconds, both_ways=False):
    """(% of a core sending, receiving, MB of each, set point ms, lost frames, blocks that were late)."""
    from brucke.ports.devices.clocks.head import MatchedHead
    from brucke.ports.network.listening import listening_socket

    with tempfile.TemporaryDirectory() as folder:
        a, b = (Side(Path(folder) / name, listening_socket()) for name in "ab")
        running = True

        def count_on():
            began, done = time.monotonic(), 0
            while running:
                while done < (time.monotonic() - began) * RATE / BLOCK:
                    done += 1
                    a.engine.block(done)
                    b.engine.block(done)
                time.sleep(0.001)

        thread = threading.Thread(target=count_on)
        thread.start()
        try:
            a.start(b)
            b.start(a)
            keys = [f"part:{n}" for n in range(count)]
            a.wire(keys if both_ways else [], keys)
            b.wire(keys, keys if both_ways else [])
            time.sleep(SETTLED_S)
            sending, receiving = _spent((a.process.pid, b.process.pid), seconds)
            for side in (a, b):
                side.hear()
            told = b.engine.region["matched"][1]
            assert len(b.state.flows) == count, b.state
            return (sending, receiving, memory_mb(a.process.pid), memory_mb(b.process.pid),
                    told[MatchedHead.IN_SET] / RATE * 1e3, b.state.lost, int(told[MatchedHead.LATE]))  # fmt: skip
        finally:
            running = False
            thread.join()
            a.end()
            b.end()


def bare(count, seconds):
    """(% of a core sending, receiving) of the library alone, that neither places nor converts."""
    receiving = subprocess.Popen([sys.executable, "-c", BARE, "receive", str(count)], stdout=subprocess.PIPE, text=True)
    ports = receiving.stdout.readline().split()
    sending = subprocess.Popen([sys.executable, "-c", BARE, "send", *ports], stdout=subprocess.PIPE, text=True)
    try:
        sending.stdout.readline()
        time.sleep(1.0)
        return _spent((sending.pid, receiving.pid), seconds)
    finally:
        for process in (receiving, sending):
            process.kill()
            process.wait()


def run():
    given = [float(a) for a in sys.argv[1:] if a.replace(".", "").isdigit()]
    seconds = given[0] if given else 10.0
    for count in STREAMS:
        sending, receiving, mb_a, mb_b, set_point, lost, late = ours(count, seconds)
        plain = bare(count, seconds)
        print(
            f"{count} stereo streams: sending {sending:.1f} % of a core ({sending / count:.1f} a stream; the bare"
            f" library {plain[0] / count:.1f}), receiving {receiving:.1f} % ({receiving / count:.1f} a stream; the bare"
            f" library {plain[1] / count:.1f}), {mb_a:.0f} and {mb_b:.0f} MB of its own, set point {set_point:.1f} ms,"
            f" {lost} frames lost, {late} late blocks",
            flush=True,
        )
