"""A process that must not be late: as far as this user may, before others, in memory, and without pauses of its own."""

import contextlib
import ctypes
import gc
import os
import resource
import sys


def be_prompt() -> None:
    gc.collect()
    gc.freeze()
    gc.disable()
    sys.setswitchinterval(1e-4)
    try:
        os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(20))
    except (OSError, PermissionError):
        with contextlib.suppress(OSError, PermissionError):
            os.nice(-10)
    if resource.getrlimit(resource.RLIMIT_MEMLOCK)[0] in (-1, resource.RLIM_INFINITY):
        ctypes.CDLL(None, use_errno=True).mlockall(3)
