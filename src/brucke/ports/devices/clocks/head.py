"""What a matched device and the engine tell each other, one row of numbers a device."""

from enum import IntEnum


class MatchedHead(IntEnum):
    """Which number stands where; each is written by one side only."""

    THERE = 0  # 1 while its sound flows
    DELIVERED = 1  # the leading frame before which everything has come in from it
    DROPOUTS = 2  # of what it plays, and what it lost by itself
    IN_SET = 3  # frames of the leading clock from its converter into the engine, its own buffers included
    OUT_SET = 4
    FAST_PPB = (
        5  # how much its clock differs from what it states, against the leading one, parts in 10⁹, positive: fast
    )
    WANDER_NS = 6  # how far it came away from its set point lately
    LOOKED_NS = 7  # monotonic time at which its process last looked after it
    LATE = 8  # blocks that the engine had to do without: written by the engine
    SHORT = 9  # how many frames were not there at worst: written by the engine
