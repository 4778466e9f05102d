"""One process of the engine's side and the channel to it."""

import contextlib
import os
import subprocess
import sys
from collections.abc import Sequence

import msgspec

from .channel import Channel
from .forked import FORKS, Forked
from .process_end import end
from .region import Region, shape_text


class Child(msgspec.Struct, frozen=True):
    process: "subprocess.Popen[bytes] | Forked"
    channel: Channel

    @property
    def alive(self) -> bool:
        return self.process.poll() is None


def spawn(
    role: str, module: str, region: Region, handles: Sequence[int], arguments: Sequence[str], nice: int = 0,
    forked: bool = True,
) -> Child:  # fmt: skip
    """Start `module`; its first arguments are the shape, the region's file handle and the channel's. It inherits
    `handles`, too. `role` is its name in the log. `forked`: by a process that has loaded what it needs; otherwise in an
    interpreter of its own."""
    channel, theirs = Channel.pair()
    given = [shape_text(region.shape), str(region.fd), str(theirs.fileno()), *arguments]
    environment = {**os.environ, "BRUCKE_ROLE": role, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    inherited = (region.fd, theirs.fileno(), *handles)
    process: subprocess.Popen[bytes] | Forked | None = None
    if forked:
        process = FORKS.start(module, given, inherited, environment, nice)
    if process is None:
        process = subprocess.Popen(
            [sys.executable, "-m", module, *given],
            pass_fds=inherited,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            env=environment,
        )
        if nice:
            with contextlib.suppress(OSError):
                os.setpriority(os.PRIO_PROCESS, process.pid, nice)
    theirs.close()
    return Child(process, channel)


def end_child(child: Child) -> None:
    """At once: it may hang."""
    end(child.process)
    child.channel.close()
