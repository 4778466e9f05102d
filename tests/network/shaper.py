"""A wire between two namespaces that delays, jitters, loses and goes down, in user space: a TUN device in each.

Started by `namespaces.py`; lines of JSON on standard input change it: delay_ms [there, back], jitter_ms, loss, up.
"""

import ctypes
import fcntl
import heapq
import json
import os
import random
import select
import struct
import sys
import time

TUNSETIFF, IFF_TUN, IFF_NO_PI = 0x400454CA, 0x0001, 0x1000
NEW_NETWORK = 0x40000000


def tun(namespace, name):
    home = os.open("/proc/self/ns/net", os.O_RDONLY)
    there = os.open(f"/run/netns/{namespace}", os.O_RDONLY)
    libc = ctypes.CDLL(None, use_errno=True)
    assert libc.setns(there, NEW_NETWORK) == 0
    fd = os.open("/dev/net/tun", os.O_RDWR | os.O_NONBLOCK)
    fcntl.ioctl(fd, TUNSETIFF, struct.pack("16sH14x", name.encode(), IFF_TUN | IFF_NO_PI))
    assert libc.setns(home, NEW_NETWORK) == 0
    os.close(there)
    os.close(home)
    return fd


def main():
    os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(40))  # the wire waits for nobody
    ends = [tun(name, f"t{name}") for name in sys.argv[1:3]]
    print("ready", flush=True)
    now = {"delay_ms": [0.2, 0.2], "jitter_ms": 0.0, "loss": 0.0, "up": True, **json.loads(sys.argv[3])}
    rng, waiting, number = random.Random(7), [], 0
    while True:
        pause = max(0.0, waiting[0][0] - time.monotonic()) if waiting else 0.5
        ready, _, _ = select.select([*ends, sys.stdin], [], [], pause)
        for fd in ready:
            if fd is sys.stdin:
                line = sys.stdin.readline()
                if not line:
                    return
                now.update(json.loads(line))
                continue
            side = ends.index(fd)
            for _ in range(64):
                try:
                    packet = os.read(fd, 2048)
                except BlockingIOError:
                    break
                if not now["up"] or rng.random() < now["loss"]:
                    continue
                due = time.monotonic() + (now["delay_ms"][side] + rng.uniform(-1, 1) * now["jitter_ms"]) / 1e3
                number += 1
                heapq.heappush(waiting, (due, number, 1 - side, packet))
        while waiting and waiting[0][0] <= time.monotonic():
            _, _, side, packet = heapq.heappop(waiting)
            try:
                os.write(ends[side], packet)
            except OSError:
                continue


if __name__ == "__main__":
    main()
