"""One of the user's plug-ins in a process of its own: it may hang, crash or give no numbers, and only itself goes.

python -m brucke.engine.processes.plug_in SHAPE FD SOCKET PLACE BELL FILE NAME LATENCY — started by `link.py`.
"""

import contextlib
import gc
import os
import resource
import select
import sys
from typing import Any

import numpy as np

from ...core.files.run_log import begin
from ...ports.plug_ins.hosted import LoadedPlugIn, PlugInError
from ..step.plug_in_io import DONE, NOT_FINITE, NOT_LOADED, READY, SENT, STATE, WRONG_LATENCY
from .channel import Channel
from .messages import Quit, SetParameter
from .region import Region, attach

LONGEST_US = 500_000


class PlugInHost:
    def __init__(self, region: Region, channel: Channel, place: int, bell: int, plug_in: LoadedPlugIn):
        self.channel, self.bell, self.plug_in = channel, bell, plug_in
        self.send, self.back = region.sound("plug_in_sends")[place], region.sound("plug_in_returns")[place]
        self.told: Any = region["plug_ins"][place]

    def run(self) -> None:
        self._be_prompt()
        while not self.channel.lost:
            select.select([self.bell, self.channel.fileno()], [], [])
            message = self.channel.receive()
            if message is not None:
                if isinstance(message, Quit):
                    return
                if isinstance(message, SetParameter):
                    self.plug_in.set(message.key, message.value)
            self._block()

    def _be_prompt(self) -> None:
        """As prompt as the engine, but ended by the system when it computes without a pause."""
        gc.collect()
        gc.freeze()
        gc.disable()
        try:
            resource.setrlimit(resource.RLIMIT_RTTIME, (LONGEST_US, LONGEST_US))
            os.sched_setscheduler(0, os.SCHED_FIFO | os.SCHED_RESET_ON_FORK, os.sched_param(15))
        except (OSError, ValueError):
            with contextlib.suppress(OSError):
                os.nice(-10)

    def _block(self) -> None:
        try:
            os.eventfd_read(self.bell)
        except BlockingIOError:
            return
        number = int(self.told[SENT])
        out = self.plug_in.process(self.send.copy())
        if not np.isfinite(out).all():
            self.told[STATE] = NOT_FINITE
            return
        self.back[:] = out
        self.told[DONE] = number


def main() -> None:
    begin(os.environ.get("BRUCKE_ROLE", "plug_in"))
    region, channel = attach(sys.argv[1], int(sys.argv[2])), Channel.attach(int(sys.argv[3]))
    place, bell, latency = int(sys.argv[4]), int(sys.argv[5]), int(sys.argv[8])
    told: Any = region["plug_ins"][place]
    shape = region.shape
    try:
        plug_in = LoadedPlugIn(sys.argv[6], sys.argv[7], shape.rate, shape.block)
        while (message := channel.receive()) is not None or not channel.lost:
            if message is None:
                channel.wait()
            elif isinstance(message, SetParameter):
                plug_in.set(message.key, message.value)
            else:
                break
        measured = plug_in.measure_latency()
    except PlugInError:
        told[STATE] = NOT_LOADED
        return
    if measured is not None and measured != latency:
        told[STATE] = WRONG_LATENCY
        return
    told[[SENT, DONE]] = 0
    told[STATE] = READY
    PlugInHost(region, channel, place, bell, plug_in).run()


if __name__ == "__main__":
    main()
