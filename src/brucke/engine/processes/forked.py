"""Processes of the engine's side, forked by one that has loaded everything; see `forker.py`. Where that cannot be, they
are started as any other."""

import array
import contextlib
import ctypes
import errno
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Mapping, Sequence

import msgspec

from .forker import MOST_BYTES, MOST_HANDLES, READY, Request

SUBREAPER = 36  # prctl(2)
LOOKS_S = 0.005
# So long a new process may take to be there, and its maker to load, on a machine that is very busy.
THERE_S, LOADED_S = 10.0, 90.0


class Forked:
    """One of them, as `subprocess.Popen` has it."""

    def __init__(self, told: socket.socket, forker: "_Forker", there: Callable[[], None]):
        told.setblocking(False)
        self._told, self._forker, self._lock = told, forker, threading.Lock()
        self._asked, self._is_there = time.monotonic(), there
        self._pid: int | None = None
        self.returncode: int | None = None

    @property
    def pid(self) -> int:
        """Waits until it is there, which mostly it is. 0 where it never will be."""
        while self._pid is None and self.poll() is None:
            time.sleep(LOOKS_S)
        return self._pid or 0

    def poll(self) -> int | None:
        """What it ended with, −signal where a signal ended it; None while it runs or is still to come."""
        with self._lock:
            if self.returncode is None and self._there():
                self._look()
            return self.returncode

    def _there(self) -> bool:
        if self._pid is None:
            try:
                told = self._told.recv(32)
            except BlockingIOError:
                if time.monotonic() - self._asked < (THERE_S if self._forker.ready else LOADED_S):
                    return False
                self._forker.process.kill()  # it hangs: the next one has another
                told = b""
            except OSError:
                told = b""
            self._told.close()
            self._is_there()
            self._pid = int(told) if told else 0
            if not told:  # the forker has gone before it came to this one
                self.returncode = -signal.SIGKILL
        return self.returncode is None

    def _look(self) -> None:
        assert self._pid
        try:
            pid, status = os.waitpid(self._pid, os.WNOHANG)
        except ChildProcessError:  # somebody else has waited for it
            self.returncode = -signal.SIGKILL
            return
        if pid:
            self.returncode = os.waitstatus_to_exitcode(status)

    def wait(self, timeout: float | None = None) -> int:
        """Errors: subprocess.TimeoutExpired."""
        until = None if timeout is None else time.monotonic() + timeout
        while (code := self.poll()) is None:
            if until is not None and time.monotonic() >= until:
                raise subprocess.TimeoutExpired("forked", timeout or 0.0)
            time.sleep(LOOKS_S)
        return code

    def kill(self) -> None:
        """At once, or as soon as it is there; whoever asks does not wait."""
        if self.poll() is None and self._pid is None:
            threading.Thread(target=self._kill, name="ending", daemon=True).start()
        else:
            self._kill()

    def _kill(self) -> None:
        pid = self.pid
        with self._lock:
            if pid and self.returncode is None:
                with contextlib.suppress(ProcessLookupError):
                    os.kill(pid, signal.SIGKILL)


class _Forker:
    """One of them, and the socket on which it is asked."""

    def __init__(self, process: "subprocess.Popen[bytes]", asks: socket.socket):
        self.process, self.asks = process, asks
        self._ready = False

    @property
    def alive(self) -> bool:
        return self.process.poll() is None

    @property
    def ready(self) -> bool:
        """Whether it has loaded what an engine needs."""
        if not self._ready:
            with contextlib.suppress(OSError):
                self._ready = self.asks.recv(16, socket.MSG_DONTWAIT) == READY
        return self._ready


class _Adoption:
    """This process takes in children whose own parent has ended, while any is awaited and no longer: what others leave
    behind is nothing of ours."""

    def __init__(self) -> None:
        self._awaited, self._lock = 0, threading.Lock()
        self._prctl = ctypes.CDLL(None, use_errno=True).prctl

    @property
    def can(self) -> bool:
        """Whether this system knows that (Linux 3.4 and later)."""
        with self._lock:
            return self._set(self._awaited > 0)

    def begin(self) -> None:
        with self._lock:
            self._awaited += 1
            self._set(True)

    def end(self) -> None:
        with self._lock:
            self._awaited -= 1
            self._set(self._awaited > 0)

    def _set(self, takes: bool) -> bool:
        return bool(self._prctl(SUBREAPER, int(takes), 0, 0, 0) == 0)


class ForkServer:
    """Starts its forker when it is first asked, or `prepare`d, and another one where that has gone."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._forker: _Forker | None = None
        self._owner = 0
        self._adoption = _Adoption()

    @property
    def forker_pid(self) -> int:
        """0 where none runs."""
        return self._forker.process.pid if self._forker is not None and self._forker.alive else 0

    def prepare(self) -> None:
        """It loads meanwhile."""
        with self._lock:
            self._make_sure()

    def start(
        self, module: str, arguments: Sequence[str], handles: Sequence[int], environment: Mapping[str, str],
        nice: int = 0,
    ) -> Forked | None:  # fmt: skip
        """`module` as a program, with these `handles` under their own numbers; None where it cannot be forked."""
        asked = Request(module, tuple(arguments), dict(environment), tuple(handles), os.getpid(), nice)
        request = msgspec.json.encode(asked)
        if len(request) > MOST_BYTES or len(handles) >= MOST_HANDLES:
            return None
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        rights = array.array("i", [theirs.fileno(), *handles])
        with self._lock:
            for _try in range(2):  # the forker may have been killed meanwhile
                if not self._make_sure() or self._forker is None:
                    break
                self._adoption.begin()
                try:
                    self._forker.asks.sendmsg([request], [(socket.SOL_SOCKET, socket.SCM_RIGHTS, rights.tobytes())])
                except OSError as e:
                    self._adoption.end()
                    if e.errno in (errno.EAGAIN, errno.EMSGSIZE, errno.ENOBUFS):  # it takes no more just now
                        break
                    self._end()
                    continue
                theirs.close()
                return Forked(ours, self._forker, self._adoption.end)
        ours.close()
        theirs.close()
        return None

    def _make_sure(self) -> bool:
        if self._owner != os.getpid():  # this process is itself a fork
            self._forker = None
        if self._forker is not None and self._forker.alive:
            return True
        self._end()
        if not self._adoption.can:
            return False
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        try:
            process = subprocess.Popen(
                [sys.executable, "-m", "brucke.engine.processes.forker", str(theirs.fileno())],
                pass_fds=(theirs.fileno(),), stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
                env={**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"},
            )  # fmt: skip
        except OSError:
            ours.close()
            return False
        finally:
            theirs.close()
        ours.setblocking(False)  # a forker that is stopped holds up nobody
        self._forker, self._owner = _Forker(process, ours), os.getpid()
        return True

    def _end(self) -> None:
        if self._forker is not None:
            self._forker.asks.close()
        self._forker = None


FORKS = ForkServer()
