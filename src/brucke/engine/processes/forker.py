"""The process from which those of the engine's side are forked: it has loaded what they need, so that one more is there
at once. It does nothing else, and ends with whoever started it.

A request carries file handles: first the socket on which the new process says its number, then those it is to have, by
the numbers it knows them by. The new process becomes a child of the one that asked, which has made itself a subreaper
(prctl(2)), so that it is waited for as any other.
"""

import array
import contextlib
import ctypes
import fcntl
import gc
import importlib
import os
import signal
import socket
import sys
import time

import msgspec

LOADED = ("host", "recorder", "loudness", "clock_matched_device")
NAME = 15  # prctl(2): what a list of processes calls it
READY = b"ready"  # it has loaded what an engine needs
MOST_BYTES, MOST_HANDLES = 2**17, 128
ADOPTED_S = 1.0


class Request(msgspec.Struct, frozen=True):
    """`arguments` are those of `module` as a program; `handles` the numbers that it knows its handles by; `asker` the
    process that asked; `nice` how nice it is to be, as far as this user may."""

    module: str
    arguments: tuple[str, ...]
    environment: dict[str, str]
    handles: tuple[int, ...]
    asker: int
    nice: int = 0


def main() -> None:
    # Ctrl+C in a terminal is for whoever started all of this: it says goodbye, and ends them.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    asks = socket.socket(fileno=int(sys.argv[1]))
    request = None
    for name in LOADED:  # whoever waits for the first of them does not wait for the others
        importlib.import_module(f"brucke.engine.processes.{name}")
        gc.collect()
        gc.freeze()
        if name == LOADED[0]:
            try:
                asks.send(READY)
            except OSError:  # whoever started this has gone
                return
        request = _serve(asks, waits=name == LOADED[-1])
        if request is not None:
            break
    if request is not None:  # in the new process
        importlib.import_module(request.module).main()


def _serve(asks: socket.socket, waits: bool) -> Request | None:
    """Until whoever started this has gone, or while somebody asks unless it `waits`: None. In every new process: what
    it is to be."""
    decoder = msgspec.json.Decoder(Request)
    asks.setblocking(waits)
    while True:
        handles = array.array("i")
        try:
            data, ancillary, _flags, _address = asks.recvmsg(MOST_BYTES, socket.CMSG_SPACE(MOST_HANDLES * 4))
        except OSError:
            return None
        if not data:
            return None
        for level, kind, content in ancillary:
            if (level, kind) == (socket.SOL_SOCKET, socket.SCM_RIGHTS):
                handles.frombytes(content[: len(content) // 4 * 4])
        request = decoder.decode(data)
        first = os.fork()
        if not first:
            if os.fork():
                os._exit(0)  # whose child is nobody's goes to whoever asked
            _become(request, list(handles), asks)
            return request
        os.waitpid(first, 0)
        for handle in handles:
            os.close(handle)


def _become(request: Request, handles: list[int], asks: socket.socket) -> None:
    """The new process has its own handles, arguments and surroundings, and says that it is there."""
    asks.detach()
    above = max((*request.handles, *handles)) + 1  # they are kept here while their own numbers are made free
    kept = [fcntl.fcntl(handle, fcntl.F_DUPFD_CLOEXEC, above) for handle in handles]
    os.closerange(3, above)
    for handle, number in zip(kept[1:], request.handles, strict=True):
        os.dup2(handle, number)
        os.close(handle)
    os.environ.clear()
    os.environ.update(request.environment)
    sys.argv = [request.module, *request.arguments]
    role = request.environment.get("BRUCKE_ROLE", "")
    ctypes.CDLL(None).prctl(NAME, f"brucke {role}".encode()[:15], 0, 0, 0)
    if request.nice:
        with contextlib.suppress(OSError):  # not everybody may
            os.setpriority(os.PRIO_PROCESS, 0, request.nice)
    until = time.monotonic() + ADOPTED_S
    while os.getppid() != request.asker and time.monotonic() < until:
        time.sleep(0.0002)
    told = socket.socket(fileno=kept[0])
    told.send(str(os.getpid()).encode())
    told.close()


if __name__ == "__main__":
    main()
