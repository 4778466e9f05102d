"""How long this computer has slept since it was switched on."""

import time


def slept_s() -> float:
    return time.clock_gettime(time.CLOCK_BOOTTIME) - time.monotonic()
