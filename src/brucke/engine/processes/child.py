"""One process of the engine's side and the channel to it."""

import os
import subprocess
import sys
from collections.abc import Sequence
from dataclasses import dataclass

from .channel import Channel
from .process_end import end
from .region import Region, shape_text


@dataclass(frozen=True)
class Child:
    process: subprocess.Popen[bytes]
    channel: Channel

    @property
    def alive(self) -> bool:
        return self.process.poll() is None


def spawn(role: str, module: str, region: Region, handles: Sequence[int], arguments: Sequence[str]) -> Child:
    """Start `module`; its first arguments are the shape, the region's file handle and the channel's. It inherits
    `handles`, too. `role` is its name in the log."""
    channel, theirs = Channel.pair()
    argv = [sys.executable, "-m", module, shape_text(region.shape), str(region.fd), str(theirs.fileno()), *arguments]
    process = subprocess.Popen(
        argv,
        pass_fds=(region.fd, theirs.fileno(), *handles),
        stdin=subprocess.DEVNULL,
        stdout=subprocess.DEVNULL,
        env={**os.environ, "BRUCKE_ROLE": role, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"},
    )
    theirs.close()
    return Child(process, channel)


def end_child(child: Child) -> None:
    """At once: it may hang."""
    end(child.process)
    child.channel.close()
